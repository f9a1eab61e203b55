"""Writing JSON: an array of objects (RFC 8259), or an object a line (JSON Lines)."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import BinaryIO

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.columns.types import Column
from gruff_ledger.lists.joined_rows import (
    JOINED_RECORDS,
    choose,
    escaped_cells,
    filled_cells,
    join_rows,
)
from gruff_ledger.lists.json.regular import BROKEN
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.reading import NESTED, NUMBER, TRUTH, Kinds
from gruff_ledger.lists.typed_cells import typed_kinds
from gruff_ledger.table import Table

# What is escaped in a string (RFC 8259, section 7).
_MARKS = np.zeros(256, np.bool_)
_MARKS[:32] = True
_MARKS[[ord('"'), ord("\\")]] = True

_NUMBER = re.compile(r"-?(?:0|[1-9]\d*)(?:\.\d+)?", re.ASCII)


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
    done = 0
    for stretch in table.stretches(JOINED_RECORDS):
        columns = stretch()
        size = len(columns[0]) if columns else 0
        pieces: list[Sequence[str]] = []
        for key, heading, column in zip(keys, table.headings, columns, strict=True):
            mine = typed[heading][done : done + size] if heading in typed else None
            pieces += _members(key, column, mine, is_told=heading in kinds)
        pieces.append(["}" + behind] * size)
        done += size
        if size:
            yield join_rows(pieces, size).encode("utf-8")


def _members(
    key: str,
    column: Column,
    kinds: npt.NDArray[np.uint8] | None,
    *,
    is_told: bool,
) -> list[Sequence[str]]:
    """
    Return the pieces of a member of some objects.

    Parameters
    ----------
    key : str
        What stands before its value.
    column : Column, n cells
    kinds : ndarray of uint8, shape (n,), optional
        What the values are; None where all are text.
    is_told : bool
        Whether a source said so, of cells that may have been changed since.
    """
    size = len(column)
    if kinds is None:
        return [
            [f'{key}"'] * size,
            escaped_cells(column, _MARKS, _escape),
            ['"'] * size,
        ]
    if is_told:
        return [[key] * size, _values(column.to_pylist(), kinds.tolist())]
    is_text = kinds == 0
    cells = escaped_cells(column, _MARKS, _escape)
    for place in np.flatnonzero(~filled_cells(column) & ~is_text).tolist():
        cells[place] = "null"
    return [choose([key, f'{key}"'], is_text), cells, choose(["", '"'], is_text)]


def _escape(cell: str) -> str:
    return msgspec.json.encode(cell).decode()[1:-1]


def _values(cells: list[str], kinds: Sequence[int]) -> list[str]:
    """Return cells as the values that they were, where they still can be."""
    values = []
    for cell, kind in zip(cells, kinds, strict=True):
        if kind and not cell:
            values.append("null")
        elif (
            (kind == NUMBER and _NUMBER.fullmatch(cell))
            or (kind == TRUTH and cell in ("true", "false"))
            or (kind == NESTED and _is_json(cell))
        ):
            values.append(cell)
        else:
            values.append(f'"{_escape(cell)}"')
    return values


def _is_json(cell: str) -> bool:
    try:
        msgspec.json.decode(cell.encode(), type=msgspec.Raw)
    except BROKEN:
        return False
    return cell[:1] in "[{"
