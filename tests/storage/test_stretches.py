"""Tests of parting values and of taking cells in runs."""

import unittest
from unittest import mock

import numpy as np
import pyarrow as pa
from hypothesis import given, settings
from hypothesis import strategies as st

from gruff_ledger.cells.keys.equal_prints import first_equal, places_of_repeated
from gruff_ledger.columns.arrays import concat_columns, text_column
from gruff_ledger.columns.storage import STORAGE
from gruff_ledger.storage import files, stretches
from gruff_ledger.storage.files import Files
from gruff_ledger.storage.stretches import parted, take_in_runs


class PartedTest(unittest.TestCase):
    def test_each_part_has_its_values_in_their_order(self) -> None:
        values = np.array([7, 2, 9, 2, 0, 7], np.uint64)
        with mock.patch.object(stretches, "_BLOCK", 2):
            found = [
                (places.tolist(), mine.tolist())
                for places, mine in parted(
                    values, lambda some: (some // 4).astype(np.uint16), 4
                )
            ]
        self.assertEqual(
            found, [([1, 3, 4], [2, 2, 0]), ([0, 5], [7, 7]), ([2], [9]), ([], [])]
        )

    def test_no_values_are_parts_without_any(self) -> None:
        none = np.zeros(0, np.uint64)
        found = list(parted(none, lambda some: some.astype(np.uint16), 2))
        self.assertEqual([len(places) for places, _ in found], [0, 0])


class TakenTest(unittest.TestCase):
    @settings(deadline=None)
    @given(
        st.lists(st.lists(st.text(max_size=5), min_size=1, max_size=6), min_size=1),
        st.lists(st.integers(0, 10**6), max_size=40),
    )
    def test_they_are_the_cells_at_the_indices(
        self, chunks: list[list[str]], wanted: list[int]
    ) -> None:
        column = concat_columns(map(text_column, chunks))
        cells = [cell for chunk in chunks for cell in chunk]
        indices = np.array([each % len(cells) for each in wanted], np.int64)
        with (
            mock.patch.object(stretches, "_RUN_BYTES", 20),
            mock.patch.object(stretches, "_MERGED_RECORDS", 3),
            mock.patch.object(stretches, "_BLOCK", 4),
        ):
            parts = list(take_in_runs(column, indices))
        found = [cell for part in parts for cell in part.to_pylist()]
        self.assertEqual(found, [cells[each] for each in indices])

    def test_a_chunk_larger_than_a_run_is_one(self) -> None:
        column = pa.chunked_array([["a" * 50], ["b"], ["c"]])
        with mock.patch.object(stretches, "_RUN_BYTES", 10):
            (part,) = take_in_runs(column, np.array([2, 0]))
        self.assertEqual(part.to_pylist(), ["c", "a" * 50])


class EqualInPartsTest(unittest.TestCase):
    @settings(deadline=None)
    @given(st.lists(st.integers(0, 2**64 - 1) | st.integers(0, 5), max_size=60))
    def test_what_is_equal_is_found_in_parts_as_it_is_at_once(
        self, numbers: list[int]
    ) -> None:
        values = np.array([n << 61 if n < 6 else n for n in numbers], np.uint64)
        first = first_equal(values).tolist()
        repeated = {n for n, each in enumerate(values) if (values == each).sum() > 1}
        token = STORAGE.set(Files.__new__(Files))
        with mock.patch.object(files, "_PART_RECORDS", 3):
            self.assertEqual(first_equal(values).tolist(), first)
            found = places_of_repeated(values).tolist()
        STORAGE.reset(token)
        # A few others may be among them where the values are not parted.
        self.assertLessEqual(repeated, set(found))
        self.assertEqual(found, sorted(set(found)))


if __name__ == "__main__":
    unittest.main()
