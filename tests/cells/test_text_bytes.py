"""Tests of what is done with the bytes of columns."""

import itertools
import unittest
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells import text_bytes
from gruff_ledger.cells.text_bytes import Chunk, are_filled, map_chunks
from gruff_ledger.columns.arrays import concat_columns, text_column

_PARTS = st.lists(st.lists(st.text(max_size=3), max_size=4), max_size=6)


def _cells(chunk: Chunk) -> list[str]:
    """Return the cells of a chunk by its bytes and offsets, as work on it does."""
    bounds = chunk.offsets.tolist()
    data = chunk.bytes.tobytes()
    return [data[a:b].decode() for a, b in itertools.pairwise(bounds)]


class ChunksTest(unittest.TestCase):
    @given(_PARTS, st.integers(1, 6), st.sampled_from([1, 20, 1 << 20]))
    def test_joined_or_not_all_cells_come_in_order(
        self, parts: list[list[str]], records: int, most_bytes: int
    ) -> None:
        column = concat_columns(map(text_column, parts))
        with (
            mock.patch.object(text_bytes, "_JOINED_RECORDS", records),
            mock.patch.object(text_bytes, "_MOST_JOINED_BYTES", most_bytes),
        ):
            found = map_chunks(_cells, column)
        self.assertEqual(list(itertools.chain(*found)), column.to_pylist())
        self.assertNotIn([], found)
        if most_bytes > 1000:
            self.assertTrue(all(len(each) >= records for each in found[:-1]))

    def test_small_chunks_are_one(self) -> None:
        column = concat_columns(text_column([str(each)]) for each in range(20))
        self.assertEqual(len(map_chunks(_cells, column)), 1)

    def test_filled_cells(self) -> None:
        column = concat_columns(map(text_column, (["", "a"], [], [""])))
        self.assertEqual(are_filled(column).tolist(), [False, True, False])


if __name__ == "__main__":
    unittest.main()
