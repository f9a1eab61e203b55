"""Tests of white space, invisible characters and letter case."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.text.letter_case import (
    change_case,
    one_case_mask,
    sentence_case,
    title_case,
)
from gruff_ledger.cells.text.spaces import (
    squeezable,
    squeeze,
    trim,
    trimmed,
    without_invisible,
)
from gruff_ledger.columns.arrays import text_column

CELLS = st.lists(
    st.text("aB \t\n\u00a0\u200bé-.ß9", max_size=8) | st.text(max_size=4), max_size=20
)


class SpacesTest(unittest.TestCase):
    @given(CELLS)
    def test_trimming_fields_and_texts_agree(self, cells: list[str]) -> None:
        result = trimmed(text_column(cells))
        self.assertEqual(result.column.to_pylist(), [trim(cell) for cell in cells])
        self.assertEqual(
            result.changed.tolist(), [trim(cell) != cell for cell in cells]
        )

    @given(CELLS)
    def test_what_squeezing_could_change_is_marked(self, cells: list[str]) -> None:
        marked = squeezable(text_column(cells)).tolist()
        for cell, mark in zip(cells, marked, strict=True):
            if squeeze(cell) != cell or without_invisible(cell) != cell:
                self.assertTrue(mark, cell)

    @given(st.text())
    def test_doing_it_twice_changes_nothing(self, text: str) -> None:
        for work in (trim, squeeze, without_invisible):
            self.assertEqual(work(work(text)), work(text))

    def test_long_runs_take_no_longer_than_they_are_long(self) -> None:
        text = "x" + " " * 10**6 + "x"
        self.assertEqual(trim(text), text)
        self.assertEqual(squeeze(text), "x x")


class CaseTest(unittest.TestCase):
    @given(CELLS)
    def test_fields_and_texts_agree(self, cells: list[str]) -> None:
        for case, one in (
            ("upper", str.upper),
            ("lower", str.lower),
            ("title", title_case),
            ("sentence", sentence_case),
        ):
            with self.subTest(case=case):
                result = change_case(text_column(cells), case)
                self.assertEqual(result.column.to_pylist(), list(map(one, cells)))
                changed = [one(cell) != cell for cell in cells]
                self.assertEqual(result.changed.tolist(), changed)

    def test_words_begin_with_a_capital(self) -> None:
        for text, expected in (
            ("OLD otter", "Old Otter"),
            ("ann-marie", "Ann-Marie"),
            ("o'hara", "O'hara"),
            ("'twas (old)", "'Twas (Old)"),
            ("berth 7b", "Berth 7b"),
            ("élodie", "Élodie"),
        ):
            with self.subTest(text=text):
                self.assertEqual(title_case(text), expected)

    def test_cells_in_one_case(self) -> None:
        cells = ["OLD", "old", "Old", "A7", "7", "", "ÉLODIE", "Élodie", "é"]
        self.assertEqual(
            one_case_mask(text_column(cells)).tolist(),
            [True, True, False, True, False, False, True, False, True],
        )


if __name__ == "__main__":
    unittest.main()
