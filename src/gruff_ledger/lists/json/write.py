"""Writing JSON: an array of objects (RFC 8259), or an object a line (JSON Lines)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, BinaryIO

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.nested import is_nested
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text_bytes import are_filled
from gruff_ledger.columns.arrays import in_one
from gruff_ledger.columns.threads import map_ahead
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.lists.joined_rows import (
    Piece,
    choose,
    escaped_cells,
    join_rows,
    joined_records,
    select,
)
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.reading import NESTED, NUMBER, TRUTH, Kinds
from gruff_ledger.lists.typed_cells import typed_kinds
from gruff_ledger.table import Table

# What is escaped in a string (RFC 8259, section 7).
_MARKS = np.zeros(256, np.bool_)
_MARKS[:32] = True
_MARKS[[ord('"'), ord("\\")]] = True

_NUMBER = r"\A-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?\z"
_TRUTH = r"\A(?:true|false)\z"


def write_json(output: Output, sink: BinaryIO) -> None:
    """
    Write a list as an array of objects, one a line.

    Cells that were numbers, truth values, nulls or nested in a list of JSON, and can be
    still, are written as such, and what was text there as text. Of other lists plain
    numbers are numbers, as they are written, where they have 15 digits at the most and
    their field holds no codes; all else is text.

    A list without records is one object of nulls, which is read back as a blank record
    at the end and left out: so its headings are kept.
    """
    sink.write(b"[")
    separator = b"\n"
    for block in _objects(output.table, output.kinds, ",\n"):
        # What parts one from the next stands before the next.
        sink.write(separator + block[:-2])
        separator = b",\n"
    sink.write(b"\n]\n")


def write_json_lines(output: Output, sink: BinaryIO) -> None:
    """Write a list as one object a line, every cell a string; see `write_json`."""
    for block in _objects(output.table, output.kinds, "\n"):
        sink.write(block)


def _objects(table: Table, kinds: Kinds, behind: str) -> Iterator[bytes]:
    """Yield blocks of objects, each with what is to stand behind it."""
    if not len(table) and table.headings:
        nothing = msgspec.json.encode(dict.fromkeys(table.headings))
        yield nothing + behind.encode()
    typed = dict(kinds)
    for heading in table.headings:
        found = None if heading in kinds else typed_kinds(table.cells(heading))
        if found is not None:
            typed[heading] = np.where(found >= 0, NUMBER, 0).astype(np.uint8)
    keys = [msgspec.json.encode(heading).decode() for heading in table.headings]
    keys = [f"{',' if place else '{'}{key}:" for place, key in enumerate(keys)]

    def block(stretch: tuple[int, list[Column]]) -> bytes:
        done, columns = stretch
        size = len(columns[0])
        pieces: list[Piece] = []
        for key, heading, column in zip(keys, table.headings, columns, strict=True):
            mine = typed[heading][done : done + size] if heading in typed else None
            value = _values(in_one(column), mine, is_told=heading in kinds)
            pieces += [key, *value]
        return join_rows([*pieces, "}" + behind], size)

    yield from map_ahead(block, _stretches(table))


def _stretches(table: Table) -> Iterator[tuple[int, list[Column]]]:
    """Yield records, and how many come before them."""
    done = 0
    for stretch in table.stretches(joined_records(len(table.headings))):
        columns = stretch()
        if columns and len(columns[0]):
            yield done, columns
            done += len(columns[0])


def _values(
    cells: Any, kinds: npt.NDArray[np.uint8] | None, *, is_told: bool
) -> list[Piece]:
    """
    Return the pieces of the values of a member.

    Parameters
    ----------
    cells : pyarrow.StringArray, n cells
    kinds : ndarray of uint8, shape (n,), optional
        What the values are; None where all are text.
    is_told : bool
        Whether a source said so, of cells that may have been changed since.
    """
    if kinds is None:
        return ['"', escaped_cells(cells, _MARKS, _escape), '"']
    is_typed = kinds != 0
    blank = ~are_filled(pa.chunked_array([cells])) & is_typed
    if is_told:
        is_typed = _as_told(cells, kinds) | blank
    # What is typed may be JSON itself.
    cells = escaped_cells(cells, _MARKS, _escape, spared=is_typed)
    around = choose(['"', ""], is_typed)
    return [around, select(blank, "null", cells), around]


def _escape(cell: str) -> str:
    return msgspec.json.encode(cell).decode()[1:-1]


def _as_told(cells: Any, kinds: npt.NDArray[np.uint8]) -> Mask:
    """Whether each cell can still be the value that it was."""
    column = pa.chunked_array([cells])
    result = np.zeros(len(kinds), np.bool_)
    for kind, pattern in ((NUMBER, _NUMBER), (TRUTH, _TRUTH)):
        is_kind = kinds == kind
        if is_kind.any():
            result |= is_kind & matching(column, pattern)
    for place in np.flatnonzero(kinds == NESTED).tolist():
        result[place] = is_nested(cells[place].as_py())
    return result
