"""Tests of how far a long step is."""

import unittest

from gruff_ledger.columns.shares import in_turn, telling_shares
from gruff_ledger.columns.threads import map_telling, map_whole
from gruff_ledger.work.clean.scrub.perform import perform
from gruff_ledger.work.clean.scrub.terms import ScrubTerms
from tests.support import table


class SharesTest(unittest.TestCase):
    def setUp(self) -> None:
        """Keep what is told."""
        self.told: list[tuple[str, int, int]] = []

    def tell(self, what: str, done: int, total: int) -> None:
        """Keep it."""
        self.told.append((what, done, total))

    def test_the_outermost_loop_tells(self) -> None:
        """And loops after it do again, also where one was left early."""
        with telling_shares(self.tell):
            for _ in in_turn("ab", 2, "letters"):
                self.assertEqual(list(in_turn("xyz", 3)), ["x", "y", "z"])
            for _ in in_turn("abc", 3, "again"):
                break
            list(in_turn("cd", 2, "more"))
        self.assertEqual(
            self.told,
            [
                *(("letters", done, 2) for done in range(3)),
                ("", 0, 0),
                ("again", 0, 3),
                *(("more", done, 2) for done in range(3)),
                ("", 0, 0),
            ],
        )

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
