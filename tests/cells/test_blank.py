"""Tests of blank cells."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.blank import blank_mask, end_of_filled, is_blank
from gruff_ledger.columns.arrays import concat_columns, text_column


class IsBlankTest(unittest.TestCase):
    def test_white_space_and_invisible_characters_are_blank(self) -> None:
        """Also no-break and zero-width spaces, and a stray byte-order mark."""
        for text in ("", " ", "\t\r\n", "\u00a0", "\u200b", "\ufeff", "\u3000 \u00ad"):
            with self.subTest(text=text):
                self.assertTrue(is_blank(text))

    def test_words_for_nothing_are_not_blank(self) -> None:
        """Only the person can say that they mean nothing."""
        for text in ("-", "n/a", "0", ".", " x ", "é"):
            with self.subTest(text=text):
                self.assertFalse(is_blank(text))


class BlankMaskTest(unittest.TestCase):
    @given(
        st.lists(st.text(alphabet=" \t\u00a0\u200bax\u00e9\u3000\u4e00", max_size=4))
    )
    def test_agrees_with_each_cell(self, cells: list[str]) -> None:
        """Array work and the single cell say the same."""
        mask = blank_mask(text_column(cells))
        self.assertEqual(mask.tolist(), [is_blank(cell) for cell in cells])

    def test_looks_only_at_the_cells_of_a_slice(self) -> None:
        """A sliced column shares bytes with its neighbours."""
        column = concat_columns([text_column(["a", " ", "", "b"]), text_column([" "])])
        self.assertEqual(blank_mask(column.slice(1, 2)).tolist(), [True, True])
        self.assertEqual(blank_mask(column.slice(3)).tolist(), [False, True])


class EndTest(unittest.TestCase):
    @given(
        st.lists(st.tuples(*[st.sampled_from(["", " ", "a"])] * 3), max_size=12),
        st.integers(0, 2500),
    )
    def test_is_behind_the_last_record_with_something(
        self, records: list[tuple[str, ...]], blank: int
    ) -> None:
        rows = records + [("", " ", "")] * blank
        columns = [text_column(row[place] for row in rows) for place in range(3)]
        expected = len(rows)
        while expected and all(map(is_blank, rows[expected - 1])):
            expected -= 1
        self.assertEqual(end_of_filled(columns, len(rows)), expected)
