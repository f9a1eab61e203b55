"""Tests of how far a long step is."""

import unittest
from collections.abc import Iterator

from gruff_ledger.columns.shares import (
    in_parts,
    in_turn,
    part_is_done,
    telling_shares,
)
from gruff_ledger.columns.threads import map_telling, map_whole, mapped
from gruff_ledger.work.clean.scrub.perform import perform
from gruff_ledger.work.clean.scrub.terms import ScrubTerms
from tests.support import table


class SharesTest(unittest.TestCase):
    def setUp(self) -> None:
        """Keep what is told."""
        self.told: list[tuple[str, float, int]] = []

    def tell(self, what: str, done: float, total: int) -> None:
        """Keep it."""
        self.told.append((what, done, total))

    def test_an_inner_loop_tells_a_share_of_its_item(self) -> None:
        """And loops after it tell of their own, also where one was left early."""
        with telling_shares(self.tell):
            for _ in in_turn("ab", 2, "letters"):
                self.assertEqual(list(in_turn("wxyz", 4)), list("wxyz"))
                # A second one takes nothing back.
                list(in_turn("wx", 2))
            for _ in in_turn("abc", 3, "again"):
                break
            list(in_turn("cd", 2, "more"))
        # The first loop is taken for nine tenths, the next for nine of what is left.
        shares = [0, 0.225, 0.45, 0.675, 0.9, 0.945, 0.99]
        told = [
            ("letters", round(part + share, 3), 2)
            for part in (0, 1)
            for share in shares
        ]
        told.append(("letters", 2, 2))
        self.assertEqual(
            [(what, round(done, 3), total) for what, done, total in self.told],
            [
                *told,
                ("", 0, 0),
                ("again", 0, 3),
                *(("more", done, 2) for done in range(3)),
                ("", 0, 0),
            ],
        )

    def test_items_that_are_made_in_a_loop_of_their_own(self) -> None:
        """Whatever is told once all is done, tells nothing more."""

        def made() -> Iterator[str]:
            yield from in_turn("ab", 2)
            list(in_turn("xyz", 3))

        with telling_shares(self.tell):
            self.assertEqual(list(in_turn(made(), 2)), ["a", "b"])

            with in_parts(1, 1):
                for _ in range(3):
                    part_is_done()
                list(in_turn("ab", 2))
        self.assertEqual(self.told[-1], ("", 0, 0))
        self.assertLessEqual(max(done for _, done, _ in self.told), 2)

    def test_a_step_of_several_operations(self) -> None:
        """Each is a part, as long as it takes, and loops within it refine it."""

        @in_parts(3, 1)
        def work(*, early: bool) -> None:
            list(in_turn("ab", 2))
            if early:
                return
            part_is_done()
            list(in_turn("ab", 2))
            part_is_done()

        with telling_shares(self.tell):
            work(early=False)
            part_is_done()
        self.assertEqual(
            [round(done, 3) for _, done, _ in self.told],
            [0, 1.35, 2.7, 3, 3.45, 3.9, 4, 4, 0],
        )
        self.told.clear()
        with telling_shares(self.tell):
            work(early=True)
        self.assertEqual(self.told[-2:], [("", 4, 4), ("", 0, 0)])
        work(early=False)

    def test_work_in_threads_keeps_silent(self) -> None:
        """Several at once would tell different things: the loop over them tells."""
        with telling_shares(self.tell), in_parts(2):
            mapped(lambda item: list(in_turn("ab", 2)), [1, 2])
        self.assertEqual([done for _, done, _ in self.told], [0, 2, 0])

    def test_nobody_listens_and_one_item(self) -> None:
        self.assertEqual(list(in_turn("ab", 2)), ["a", "b"])
        with telling_shares(self.tell):
            self.assertEqual(list(in_turn("a", 1)), ["a"])
        self.assertEqual(self.told, [])

    def test_work_in_threads_tells(self) -> None:
        items = list(range(20))
        with telling_shares(self.tell):
            self.assertEqual(map_telling(str, items), list(map(str, items)))
            self.assertEqual(map_whole(str, items), list(map(str, items)))
        self.assertEqual(self.told[-2:], [("", 20, 20), ("", 0, 0)])
        self.assertEqual(len(self.told), 44)

    def test_a_verb_tells_its_fields(self) -> None:
        with telling_shares(self.tell):
            perform(ScrubTerms(trim=True), table("a|b|c", "1 | 2|3"))
        self.assertEqual(self.told[-2:], [("", 3, 3), ("", 0, 0)])
