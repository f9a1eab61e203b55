"""Tests of patterns on whole fields."""

import re
import unittest

import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.columns.arrays import concat_columns, text_column


class MatchingTest(unittest.TestCase):
    @given(st.lists(st.text("aB7 é€\n", max_size=5)), st.integers(0, 5))
    def test_fields_agree_with_texts(self, cells: list[str], cut: int) -> None:
        column = concat_columns([text_column(cells[:cut]), text_column(cells[cut:])])
        for pattern in ("7", r"\A[aB]", r"[^\x00-\x7f]", r"\A\z"):
            expected = [
                bool(re.search(pattern.replace(r"\z", r"\Z"), c)) for c in cells
            ]
            self.assertEqual(matching(column, pattern).tolist(), expected)

    def test_what_is_no_pattern_is_told_at_any_length(self) -> None:
        for cells in ([], ["a"]):
            with self.assertRaises(pa.ArrowInvalid):
                matching(text_column(cells), "(")


if __name__ == "__main__":
    unittest.main()
