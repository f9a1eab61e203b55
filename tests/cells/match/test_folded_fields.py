"""Tests of folding whole fields: the same as folding each text."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.match import levels
from gruff_ledger.cells.match.folded_fields import folded
from gruff_ledger.cells.match.levels import key_at
from gruff_ledger.columns.arrays import text_column

CELLS = st.lists(st.text("aB é\u00a0\t.-'1ß€©№", max_size=6), max_size=12)


class FoldedTest(unittest.TestCase):
    @given(CELLS, st.sampled_from(["loose", "letters", "number"]), st.booleans())
    def test_is_what_each_text_becomes(
        self, cells: list[str], level: str, or_text: bool
    ) -> None:
        expected = [key_at(level, cell) or (cell if or_text else "") for cell in cells]
        found = folded(text_column(cells), level, or_text=or_text).to_pylist()
        self.assertEqual(found, expected)

    @given(
        st.lists(
            st.text("0015.- +xé", max_size=6)
            | st.sampled_from(["1" * 30, "-0.00", "0." + "0" * 25 + "1", "7.50"])
        ),
        st.booleans(),
    )
    def test_numbers_are_what_each_text_becomes(
        self, cells: list[str], or_text: bool
    ) -> None:
        found = folded(text_column(cells), "number", or_text=or_text).to_pylist()
        self.assertEqual(
            found,
            [key_at("number", cell) or (cell if or_text else "") for cell in cells],
        )

    def test_signs_that_are_left_alone(self) -> None:
        for sign in levels._LEFT_ALONE:
            with self.subTest(sign=sign):
                self.assertEqual(levels.loose(sign), sign)
                self.assertEqual(levels.letters(sign), sign)

    def test_what_stays_is_not_copied(self) -> None:
        column = text_column(["a b", "c1", ""])
        for level in ("exact", "loose", "letters"):
            self.assertIs(folded(column, level), column)
        numbers = text_column(["0", "12.5", "-3"])
        self.assertIs(folded(numbers, "number"), numbers)
        self.assertEqual(folded(text_column([]), "loose").to_pylist(), [])


if __name__ == "__main__":
    unittest.main()
