"""Tests of formulas that would take all memory, or minutes."""

import random
import unittest
from unittest.mock import patch

from gruff_ledger.cells.text import room
from gruff_ledger.cells.text.room import TextRoom, TooMuchText, text_bytes
from gruff_ledger.columns.arrays import arrow_functions, text_column
from gruff_ledger.formula.evaluate import Evaluation
from gruff_ledger.formula.nodes import BadFormula
from gruff_ledger.formula.parse import parse
from gruff_ledger.formula.text_patterns import _as_regex, _like_pieces, is_like
from gruff_ledger.formula.values import Texts, Truths
from gruff_ledger.work.clean.join.perform import perform as join
from gruff_ledger.work.clean.join.terms import JoinTerms
from tests.support import FolderTest, table

BOATS = table("t|n", *[f"Boat number {n}|{n}" for n in range(1000)])


def nested(start: str, form: str, times: int) -> str:
    """Put a formula into itself."""
    for _ in range(times):
        start = form.replace("?", start)
    return start


class BoundsTest(FolderTest):
    def test_texts_that_grow_without_end_are_refused(self) -> None:
        """Before they are made."""
        many = "o" * 25
        for formula in (
            "||".join(["LPAD(t, 10000)"] * 500),
            nested("t", f"REPLACE(?, 'o', '{many}')", 30),
            nested("t", f"TRANSLATE_REGEX('.' IN ? WITH '{many}')", 30),
            nested("LPAD(t, 10000)", f"TRANSLATE_REGEX('(.)' IN ? WITH '{many}')", 9),
            "TRANSLATE_REGEX('(.*)' IN LPAD(t, 9000) WITH '" + "\\1" * 3000 + "')",
        ):
            with self.subTest(formula=formula[:60]):
                with (
                    patch.object(room, "_ALWAYS_BYTES", 1 << 21),
                    self.assertRaises(BadFormula) as caught,
                ):
                    Evaluation(BOATS).value(parse(formula))
                self.assertRegex(
                    str(caught.exception), "would take more than [0-9]+ MB"
                )

    def test_what_a_clerk_writes_is_far_below(self) -> None:
        """Also where it is long."""
        for formula in (
            "||".join(["t"] * 1000),
            "CASE "
            + " ".join(f"WHEN t LIKE '%{n}' THEN t" for n in range(200))
            + " END",
            nested("t", "REPLACE(?, 'a', 'b')", 30),
        ):
            with self.subTest(formula=formula[:60]):
                self.assertIsNotNone(Evaluation(BOATS).value(parse(formula)))

    def test_a_thousand_parts_are_joined_in_order(self) -> None:
        """However many are put together at a time."""
        parts = ["t" if n % 3 else f"'{n},'" for n in range(500)]
        value = Evaluation(BOATS).value(parse("||".join(parts)))
        assert isinstance(value, Texts)
        cell = "Boat number 7"
        expected = "".join(cell if n % 3 else f"{n}," for n in range(500))
        self.assertEqual(value.column[7].as_py(), expected)

    def test_the_command_says_what_to_do(self) -> None:
        """In one paragraph."""
        self.write("x.csv", "t\n" + "Boat\n" * 100_000)
        formula = "a=" + "||".join(["t"] * 999)
        done = self.gruff("compute", "x.csv", "--formula", formula, status=2)
        said = done.stderr.decode()
        self.assertIn("would take more than 268 MB. Join or replace less", said)

    def test_join_is_bounded_as_well(self) -> None:
        """It puts together what a formula would."""
        template = "{t}" * 30_000
        with self.assertRaisesRegex(Exception, "would take more than"):
            join(JoinTerms(template=template, heading="all"), BOATS)


class TextRoomTest(unittest.TestCase):
    def test_a_large_list_has_more_room(self) -> None:
        """Sixteen times what it holds."""
        large = table("a", *["x" * 1_000_000] * 20)
        self.assertEqual(text_bytes(large.cells("a")), 20_000_000)
        TextRoom(large).take(320_000_000)
        with self.assertRaises(TooMuchText):
            TextRoom(large).take(320_000_001)

    def test_all_that_is_made_counts(self) -> None:
        """Four fields of the greatest size, and no more."""
        room = TextRoom(BOATS)
        for _ in range(4):
            room.take(1 << 28)
        with self.assertRaises(TooMuchText):
            room.take(1)


class LikeTest(unittest.TestCase):
    def test_the_quick_way_finds_the_same(self) -> None:
        """As the standard has it, character by character."""
        chance = random.Random(1)
        marks = "ab%_.\\\n*é漢 ^$[("
        for _ in range(2000):
            text, pattern = (
                "".join(chance.choice(marks) for _ in range(chance.randrange(7)))
                for _ in range(2)
            )
            options = arrow_functions().MatchSubstringOptions(
                _as_regex(_like_pieces(pattern, ""))
            )
            found = arrow_functions().call_function(
                "match_substring_regex", [text_column([text])], options
            )
            with self.subTest(text=text, pattern=pattern):
                self.assertEqual(found[0].as_py(), is_like(text, pattern))

    def test_patterns_of_any_length_are_used(self) -> None:
        """Also those that are too long for a regular expression."""
        for pattern, expected in (("%" + "a%" * 4000, 0), ("%number%7", 100)):
            value = Evaluation(BOATS).value(parse(f"t LIKE '{pattern}'"))
            assert isinstance(value, Truths)
            self.assertEqual(int(value.true.sum()), expected)


if __name__ == "__main__":
    unittest.main()
