"""Tests of deciding on distinct values."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.keys import distinct as distinct_module
from gruff_ledger.cells.keys import distinct as module
from gruff_ledger.cells.keys import same_key
from gruff_ledger.cells.keys.distinct import (
    combinations,
    distinct,
    distinct_cells,
    few_values,
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

    def test_a_field_of_few_values(self) -> None:
        cells = ["east", "north", "", "west"] * 2000 + ["south"] * 300
        column = concat_columns([text_column(cells[:100]), text_column(cells[100:])])
        found = few_values(column)
        assert found is not None
        values, codes = found
        self.assertEqual(values.to_pylist(), ["east", "north", "", "west", "south"])
        self.assertEqual(
            [values[c].as_py() for c in codes[-3:].tolist()], ["south"] * 3
        )
        self.assertEqual(codes[:6].tolist(), [0, 1, 2, 3, 0, 1])

    def test_a_value_that_no_sample_met(self) -> None:
        cells = ["a"] * 9000
        cells[2000] = "b"
        found = few_values(text_column(cells))
        assert found is not None
        for values, codes in (found, distinct_cells(text_column(cells))):
            self.assertEqual(values.to_pylist(), ["a", "b"])
            self.assertEqual(np.flatnonzero(codes).tolist(), [2000])

    def test_an_accident_of_fingerprints(self) -> None:
        """Cells that only seem to be a value are not taken for it."""
        true_prints = same_key.fingerprints
        cells = ["a" * 20, "b" * 20, "c" * 20] * 3000
        with (
            mock.patch.object(same_key, "fingerprints", lambda c: true_prints(c) % 2),
            mock.patch.object(
                distinct_module, "fingerprints", lambda c: true_prints(c) % 2
            ),
        ):
            self.assertIsNone(few_values(text_column(cells)))

    def test_fields_of_many_values_are_left_to_others(self) -> None:
        many = [str(n % 2500) for n in range(9000)]
        rare = [str(n) if n % 30 == 0 else "x" for n in range(9000)]
        for cells in (many, rare, ["x"] * 100):
            self.assertIsNone(few_values(text_column(cells)))

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
