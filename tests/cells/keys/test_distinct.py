"""Tests of deciding on distinct values."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.keys import distinct as module
from gruff_ledger.cells.keys.distinct import (
    combinations,
    distinct,
    distinct_cells,
    rewrite_distinct,
    with_cells,
)
from gruff_ledger.columns.arrays import concat_columns, text_column

CELLS = st.lists(st.sampled_from(["a", "b", "", "cc", "Élodie"]), max_size=30)


class DistinctTest(unittest.TestCase):
    @given(CELLS)
    def test_both_ways_agree(self, cells: list[str]) -> None:
        """By Python's dictionary, and by fingerprints."""
        column = text_column(cells)
        values, codes = distinct(column)
        self.assertEqual(values, list(dict.fromkeys(cells)))
        self.assertEqual([values[code] for code in codes.tolist()], cells)
        if cells:
            others, other_codes = distinct_cells(column)
            self.assertEqual(others.to_pylist(), values)
            self.assertEqual(other_codes.tolist(), codes.tolist())

    @given(st.lists(st.tuples(*[st.sampled_from("abc")] * 3), min_size=1, max_size=40))
    def test_combinations(self, records) -> None:
        columns = [text_column(each[k] for each in records) for k in range(3)]
        values, codes = combinations(columns)
        self.assertEqual(values, list(dict.fromkeys(records)))
        self.assertEqual([values[code] for code in codes.tolist()], records)


class RewritingTest(unittest.TestCase):
    def test_only_what_differs_is_changed(self) -> None:
        result = rewrite_distinct(text_column(["a", "B", "a"]), str.upper)
        self.assertEqual(result.column.to_pylist(), ["A", "B", "A"])
        self.assertEqual(result.changed.tolist(), [True, False, True])

    def test_only_candidates_are_looked_at(self) -> None:
        asked: list[str] = []
        column = text_column(["a", "b", "a"])
        mask = np.array([True, False, True])
        rewrite_distinct(column, lambda text: asked.append(text) or "x", mask)
        self.assertEqual(asked, ["a"])

    @given(CELLS, st.randoms())
    def test_cells_are_put_in_their_places(self, cells, random) -> None:
        """In few and in many cells, which is done in two ways."""
        mask = np.array([random.random() < 0.5 for _ in cells], np.bool_)
        new = [f"new {place}" for place in np.flatnonzero(mask).tolist()]
        expected = [
            f"new {place}" if mask[place] else cell for place, cell in enumerate(cells)
        ]
        column = concat_columns([text_column(cells[:3]), text_column(cells[3:])])
        for few in (0, 10**6):
            with mock.patch.object(module, "_FEW_CELLS", few):
                result = with_cells(column, mask, text_column(new))
            self.assertEqual(result.to_pylist(), expected)


if __name__ == "__main__":
    unittest.main()
