"""Writing text of fixed width: each column in the same place of every line.

A column is as wide as its longest cell, and two blanks, or as stated. Fields of numbers
stand at the right. What does not fit is refused: nothing is ever cut.
"""

from __future__ import annotations

from typing import BinaryIO

import numpy as np
import pyarrow.compute as pc

from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.arrays import in_one
from gruff_ledger.columns.types import Column
from gruff_ledger.lists.joined_rows import (
    Piece,
    join_rows,
    joined_records,
)
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.typed_cells import TEXT, typed_kinds
from gruff_ledger.problems import BadTerms, UnwritableOutput
from gruff_ledger.table import Table
from gruff_ledger.words import counted

_GAP = 2

# Characters that end a line, or a column for whoever reads it.
_BREAKS = np.zeros(256, np.bool_)
_BREAKS[[ord(each) for each in "\t\n\v\f\r"]] = True


def write_fixed_width(output: Output, sink: BinaryIO) -> None:
    """
    Write a list as text of fixed width, its headings in the first line.

    Raises
    ------
    BadTerms
        If there are not as many widths as fields.
    UnwritableOutput
        If a cell is longer than its column, or holds a line end or a tab.
    """
    table, ending = output.table, b"\n" if output.terms.line_ends == "lf" else b"\r\n"
    longest = [
        max(len(heading), _longest(column))
        for heading, column in zip(table.headings, table.all_cells, strict=True)
    ]
    _refuse_breaks(table)
    stated = [int(each) for each in output.terms.widths]
    widths = stated or [length + _GAP for length in longest]
    if len(widths) != len(table.headings):
        raise BadTerms(
            f"{counted(len(widths), 'width')} for "
            f"{counted(len(table.headings), 'field')}.",
            "Give a width for each field, or leave `widths` out.",
            term="widths",
        )
    for heading, column, length, width in zip(
        table.headings, table.all_cells, longest, widths, strict=True
    ):
        if length > width:
            raise _word_too_long(heading, column, length, width)
    right = [_is_at_right(column) for column in table.all_cells]
    # Numbers end where their column does, and a gap begins the next one.
    gaps = [0 if stated else _GAP for _ in widths]
    inner = [width - gap for width, gap in zip(widths, gaps, strict=True)]
    gaps[-1:] = [0] * len(gaps[-1:])
    pads = [
        (pc.utf8_lpad if at_right else pc.utf8_rpad, width, gap)
        for at_right, width, gap in zip(right, inner, gaps, strict=True)
    ]
    heads = [
        (str.rjust if at_right else str.ljust)(heading, width) + " " * gap
        for heading, at_right, width, gap in zip(
            table.headings, right, inner, gaps, strict=True
        )
    ]
    sink.write("".join(heads).rstrip().encode("utf-8") + ending)
    end = ending.decode()
    for stretch in table.stretches(joined_records(len(table.headings))):
        columns = stretch()
        size = len(columns[0]) if columns else 0
        pieces: list[Piece] = []
        for column, (pad, width, gap) in zip(columns, pads, strict=True):
            pieces += [pad(in_one(column), width, " "), " " * gap]
        sink.write(join_rows([*pieces, end], size))


def _longest(column: Column) -> int:
    """Return how many characters the longest cell has."""
    if not len(column):
        return 0
    return int(pc.max(pc.utf8_length(column)).as_py())


def _is_at_right(column: Column) -> bool:
    kinds = typed_kinds(column)
    return kinds is not None and bool((kinds > TEXT + 1).all())


def _refuse_breaks(table: Table) -> None:
    for heading, column in zip(table.headings, table.all_cells, strict=True):
        if any(mark in heading for mark in "\t\n\v\f\r"):
            raise _word_break(heading, None)
        start = 0
        for chunk in text_chunks(column):
            at = np.flatnonzero(_BREAKS[chunk.bytes])
            if len(at):
                place = int(np.searchsorted(chunk.offsets, at[0], side="right")) - 1
                raise _word_break(heading, start + place + 1)
            start += len(chunk.array)


def _word_break(heading: str, record: int | None) -> UnwritableOutput:
    return UnwritableOutput(
        "a cell holds a line end or a tab, which text of fixed width has no place for. "
        "Nothing was written.",
        "Take it out, as by gruff scrub --squeeze, or write another format.",
        record=record,
        field=heading,
    )


def _word_too_long(
    heading: str, column: Column, length: int, width: int
) -> UnwritableOutput:
    lengths = pc.utf8_length(column).to_numpy() if len(column) else np.zeros(0)
    over = np.flatnonzero(lengths > width)
    return UnwritableOutput(
        f"it is {length} characters long, and its column has {width}. Nothing is cut, "
        "and nothing was written.",
        f"Give it a width of {length} or more in `widths`, or leave `widths` out.",
        record=int(over[0]) + 1 if len(over) else None,
        field=heading,
    )
