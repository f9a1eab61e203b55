"""Tests of cutting and putting together the bytes of cells."""

import unittest
from unittest import mock

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.text import weave
from gruff_ledger.cells.text.weave import (
    by_stretches,
    bytes_of,
    repeated,
    sliced,
    woven,
)
from gruff_ledger.cells.text_bytes import chunk_of
from gruff_ledger.columns.arrays import text_column

ASCII = st.lists(st.text("abc ", max_size=8), min_size=1, max_size=20)


def array_of(cells):
    """Return cells as a slice of a longer array, as they often are."""
    return pa.array(["before", *cells, "behind"]).slice(1, len(cells))


class PiecesTest(unittest.TestCase):
    @given(ASCII, st.randoms())
    def test_slices(self, cells: list[str], random) -> None:
        chunk = chunk_of(array_of(cells))
        bounds = [sorted(random.randint(0, len(c)) for _ in range(2)) for c in cells]
        low = chunk.offsets[:-1] + np.array([a for a, _ in bounds])
        high = chunk.offsets[:-1] + np.array([b for _, b in bounds])
        expected = [cell[a:b] for cell, (a, b) in zip(cells, bounds, strict=True)]
        self.assertEqual(sliced(chunk, low, high).to_pylist(), expected)

    @given(st.lists(st.tuples(st.text(max_size=5), st.text(max_size=5)), min_size=1))
    def test_woven(self, pairs) -> None:
        left, right = (chunk_of(array_of(side)) for side in zip(*pairs, strict=True))
        some = np.array([bool(a) for a, _ in pairs])
        made = woven([bytes_of(left), repeated(" é ", some), bytes_of(right)])
        expected = [f"{a} é {b}" if a else b for a, b in pairs]
        self.assertEqual(made.to_pylist(), expected)

    def test_hundreds_of_parts(self) -> None:
        part = bytes_of(chunk_of(array_of(["a", ""])))
        self.assertEqual(woven([part] * 300).to_pylist(), ["a" * 300, ""])

    def test_stretch_by_stretch(self) -> None:
        column = text_column(map(str, range(10)))
        with mock.patch.object(weave, "STRETCH_RECORDS", 3):
            (made,) = by_stretches([column], lambda chunks, where: [chunks[0].array])
        self.assertEqual(made.to_pylist(), column.to_pylist())
        self.assertEqual(made.num_chunks, 4)
        none = by_stretches([text_column([])], lambda chunks, where: [], 2)
        self.assertEqual([len(each) for each in none], [0, 0])


if __name__ == "__main__":
    unittest.main()
