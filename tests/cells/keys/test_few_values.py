"""Tests of fields of few values."""

import itertools
import random
import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gruff_ledger.cells.keys import few_values as module
from gruff_ledger.cells.keys.distinct import distinct_cells
from gruff_ledger.cells.keys.few_values import few_values, first_of_few, first_places
from gruff_ledger.cells.keys.same_key import first_with_same_key
from gruff_ledger.columns.arrays import concat_columns, text_column


class FewValuesTest(unittest.TestCase):
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

    def test_fields_of_many_values_are_left_to_others(self) -> None:
        many = [str(n % 2500) for n in range(9000)]
        rare = [str(n) if n % 8 == 0 else "x" for n in range(9000)]
        for cells in (many, rare, ["x"] * 100):
            self.assertIsNone(few_values(text_column(cells)))

    def test_a_sample_that_met_few_of_many(self) -> None:
        """Where a stretch has many values after all, others look for them."""
        cells = ["a"] * 9000
        cells[2000:2100] = map(str, range(100))
        column = text_column(cells)
        self.assertIsNotNone(few_values(column))
        with mock.patch.object(module, "_MOST_VALUES", 99):
            self.assertIsNone(few_values(column))
            self.assertIsNone(first_of_few([column]))
        with mock.patch.object(module, "_MOST_KEYS", 5000):
            self.assertIsNotNone(first_of_few([column]))
            self.assertIsNone(first_of_few([column, column]))

    @settings(max_examples=25)
    @given(
        st.integers(0, 1 << 30),
        st.lists(st.sampled_from(["", "a", "Élodie", "x" * 30, "a "]), min_size=1),
        st.lists(st.integers(1, 9000), max_size=3),
    )
    def test_as_by_a_dictionary(
        self, seed: int, values: list[str], cuts: list[int]
    ) -> None:
        """Values in order of first occurrence, and first records, chunk by chunk."""
        chance = random.Random(seed)
        both = [chance.choices(values, k=9001) for _ in range(2)]
        ends = sorted({0, 9001, *cuts})
        columns = [
            concat_columns(
                [text_column(cells[a:b]) for a, b in itertools.pairwise(ends)]
            )
            for cells in both
        ]
        found = few_values(columns[0])
        assert found is not None
        known = list(dict.fromkeys(both[0]))
        self.assertEqual(found[0].to_pylist(), known)
        self.assertEqual([known[code] for code in found[1].tolist()], both[0])
        first: dict[tuple[str, ...], int] = {}
        expected = [
            first.setdefault(key, at) for at, key in enumerate(zip(*both, strict=True))
        ]
        of_few = first_of_few(columns)
        assert of_few is not None
        self.assertEqual(of_few.tolist(), expected)
        self.assertEqual(first_with_same_key(columns).tolist(), expected)

    def test_where_codes_occur_first(self) -> None:
        self.assertEqual(first_places(np.array([2, 0, 2])).tolist(), [1, 3, 0])
        self.assertEqual(first_places(np.zeros(0, np.int64)).tolist(), [])


if __name__ == "__main__":
    unittest.main()
