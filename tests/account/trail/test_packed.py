"""Packed cells: what is unpacked is what was packed."""

from __future__ import annotations

import itertools
import unittest
from typing import Any

import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import ipc

from gruff_ledger.account.trail.packed import PackedCells, is_packed, write_packed
from gruff_ledger.columns.arrays import concat_columns, text_column
from gruff_ledger.columns.types import Column


def read_back(columns: dict[str, Column]) -> tuple[PackedCells, int]:
    """Pack columns and open what was written; return its size, too."""
    sink = pa.BufferOutputStream()
    write_packed(columns, sink)
    data = sink.getvalue()
    table: Any = ipc.open_file(pa.BufferReader(data)).read_all()
    assert is_packed(table)
    return PackedCells(table), data.size


CELLS = st.text(max_size=5) | st.sampled_from(["", "north", "x" * 300, "é" * 40_000])
RECORDS = st.lists(st.tuples(CELLS, CELLS), max_size=30)


class PackedTest(unittest.TestCase):
    @given(RECORDS, st.lists(st.integers(0, 30), max_size=4))
    def test_unpacked_is_what_was_packed(
        self, records: list[tuple[str, str]], cuts: list[int]
    ) -> None:
        """Whatever the cells are, and however the columns lie in chunks."""
        first, second = [one for one, _ in records], [other for _, other in records]
        cuts = sorted({0, len(records), *(cut for cut in cuts if cut < len(records))})
        in_chunks = concat_columns(
            text_column(first[start:stop]) for start, stop in itertools.pairwise(cuts)
        )
        packed, _ = read_back({"Berth": in_chunks, "Boat": text_column(second)})
        self.assertEqual(len(packed), len(records))
        self.assertEqual(packed.column("Berth").to_pylist(), first)
        self.assertEqual(packed.column("Boat").to_pylist(), second)
        for row, (one, other) in enumerate(records):
            self.assertEqual(packed.cell("Berth", row), one)
            self.assertEqual(packed.cell("Boat", row), other)

    def test_many_pieces(self) -> None:
        """A long list is packed piece by piece; each record is found in its own."""
        cells = [f"B-{number}" for number in range(150_000)]
        quays = [("north", "south", "east")[number % 3] for number in range(150_000)]
        column = concat_columns([text_column(cells[:9]), text_column(cells[9:])])
        packed, _ = read_back({"Berth": column, "Quay": text_column(quays)})
        self.assertEqual(packed.column("Berth").to_pylist(), cells)
        self.assertEqual(packed.column("Quay").to_pylist(), quays)
        for row in (0, 8, 9, 65_544, 65_545, 149_999):
            self.assertEqual(packed.cell("Berth", row), cells[row])
            self.assertEqual(packed.cell("Quay", row), quays[row])

    def test_packed_is_small(self) -> None:
        """A short cell takes a byte beside its own; those that repeat take less."""
        n = 60_000
        codes = [f"{number * 7919 % 99_991:05d}" for number in range(n)]
        _, size = read_back({"Code": text_column(codes)})
        self.assertLess(size, n * 6 + 2_000)
        _, size = read_back({"Quay": text_column(["northern quay"] * n)})
        self.assertLess(size, n * 2)

    def test_other_arrow_files_are_not_taken_for_packed(self) -> None:
        for table in (pa.table({}), pa.table({"source": [1], "record": [2]})):
            self.assertFalse(is_packed(table))
