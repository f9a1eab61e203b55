"""Rows that are joined from pieces are what they would be one by one."""

import unittest
from unittest import mock

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.lists import joined_rows
from gruff_ledger.lists.joined_rows import (
    JOINED_RECORDS,
    choose,
    escaped_cells,
    in_each,
    join_rows,
    joined_records,
    select,
)

_TEXTS = st.text("aé漢&<\n \t", max_size=4)
_MARKS = np.zeros(256, np.bool_)
_MARKS[:32] = True
_MARKS[[ord("\t"), ord("&"), ord("<")]] = [False, True, True]


def _escape(cell: str) -> str:
    return cell.replace("&", "&amp;").replace("<", "&lt;").replace("\n", "_x000A_")


class PiecesTest(unittest.TestCase):
    @given(
        st.lists(st.one_of(_TEXTS, st.lists(_TEXTS, min_size=3, max_size=3))),
        st.sampled_from([8, 1 << 30]),
    )
    def test_rows(self, pieces: list[str | list[str]], most_bytes: int) -> None:
        """Also where offsets would overflow, and rows are joined in halves."""
        rows = [
            "".join(each if isinstance(each, str) else each[row] for each in pieces)
            for row in range(3)
        ]
        given_pieces = [
            each if isinstance(each, str) else pa.array(each, pa.string())
            for each in pieces
        ]
        with mock.patch.object(joined_rows, "_MOST_BYTES", most_bytes):
            found = join_rows(given_pieces, 3)
        self.assertEqual(found, "".join(rows).encode())

    def test_no_rows(self) -> None:
        self.assertEqual(join_rows(["<", pa.array([], pa.string()), ">"], 0), b"")

    def test_a_slice_is_no_more_than_its_rows(self) -> None:
        whole = pa.array(["a", "b", "c"])
        self.assertEqual(join_rows([whole.slice(1, 2), ";"], 2), b"b;c;")

    def test_few_records_of_many_fields(self) -> None:
        self.assertEqual(joined_records(8), JOINED_RECORDS)
        self.assertLess(joined_records(1000) * 1000, 1 << 18)
        self.assertGreater(joined_records(1_000_000), 1)

    def test_one_piece_or_another(self) -> None:
        mask = np.array([True, False])
        self.assertEqual(in_each(choose(["x", "y"], mask), 2), ["y", "x"])
        self.assertEqual(choose(["x", "y"], np.array([1, 1])), "y")
        self.assertEqual(
            in_each(select(mask, "a", pa.array(["b", "c"])), 2), ["a", "c"]
        )
        self.assertEqual(select(np.array([True, True]), "a", "b"), "a")

    @given(st.lists(_TEXTS, max_size=9), st.booleans())
    def test_escapes(self, cells: list[str], spare: bool) -> None:
        """Law: where a cell has a mark it is escaped, unless it is spared."""
        spared = np.arange(len(cells)) % 2 == 0
        found = escaped_cells(
            pa.array(cells, pa.string()), _MARKS, _escape, spared if spare else None
        )
        self.assertEqual(
            found.to_pylist(),
            [
                cell if spare and spared[place] else _escape(cell)
                for place, cell in enumerate(cells)
            ],
        )


if __name__ == "__main__":
    unittest.main()
