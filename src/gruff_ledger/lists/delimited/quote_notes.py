"""What is said of the quotes of a delimited list."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.types import Column
from gruff_ledger.lists.delimited.layout import Layout
from gruff_ledger.outcome import Note
from gruff_ledger.table import Origin, Table

_QUOTE, _SPACE, _TAB = 34, 32, 9


def note_quoting(
    table: Table, layout: Layout, source: int, odd: list[int], *, has_quote: bool
) -> tuple[Note, ...]:
    """
    Say how cells are quoted, where that is not plain.

    Parameters
    ----------
    table : Table
        The list as read.
    layout : Layout
    source : int
        Position of the source in the run's list of sources.
    odd : list of int
        Numbers of the records with a cell whose quotes do not enclose all of it.
    has_quote : bool
        Whether there is a quote in the list at all.
    """
    notes = []
    pinned = layout.quoting_pinned
    if layout.quoting == "backslash" and not pinned:
        notes.append(
            Note(
                f"{table.name}: a quote inside a quoted cell is written with a "
                'backslash (\\") and was read so.',
                "If backslashes belong to the text, give `quote double`.",
            )
        )
    if layout.quoting == "spaced" and not pinned:
        notes.append(
            Note(
                f"{table.name}: spaces around quoted cells were left out.",
                "To keep them as text, give `quote double`.",
            )
        )
    if layout.odd_headings:
        headings = ", ".join(layout.odd_headings)
        notes.append(
            Note(
                f"{table.name}: quotes do not enclose the whole of a heading, which is "
                f"kept as it is written: {headings}.",
                "",
                warning=True,
            )
        )
    if odd:
        records = "1 record has" if len(odd) == 1 else f"{len(odd)} records have"
        notes.append(
            Note(
                f"{records} a cell with quotes that do not enclose all of it; such "
                "cells are kept as they are written.",
                "If no quote of this list encloses a cell, give `quote none`.",
                _places(odd, source),
                warning=True,
            )
        )
    if has_quote and layout.quoting == "double":
        spaced = table.origin.record[_find_spaced_records(table)].tolist()
        if spaced:
            records = (
                "1 record has" if len(spaced) == 1 else f"{len(spaced)} records have"
            )
            notes.append(
                Note(
                    f"{records} a cell with a space before its quote, kept as text.",
                    "If such quotes enclose cells, give `quote spaced`.",
                    _places(spaced, source),
                    warning=True,
                )
            )
    return tuple(notes)


def _places(numbers: list[int], source: int) -> Origin:
    at = np.array(numbers, np.int64)
    return Origin(np.full(len(at), source, np.int32), at)


def _find_spaced_records(table: Table) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Return the indices of the records with a cell that has a space, then a quote."""
    marked = np.zeros(len(table), np.bool_)
    for column in table.all_cells:
        _mark_spaced(column, marked)
    return np.flatnonzero(marked)


def _mark_spaced(
    column: Column, marked: np.ndarray[tuple[int], np.dtype[np.bool_]]
) -> None:
    start = 0
    for chunk in text_chunks(column):
        quotes = np.flatnonzero(chunk.bytes == _QUOTE)
        before = chunk.bytes[np.maximum(quotes - 1, 0)]
        likely = quotes[((before == _SPACE) | (before == _TAB)) & (quotes > 0)]
        for cell in np.unique(np.searchsorted(chunk.offsets, likely, "right") - 1):
            text = chunk.array[int(cell)].as_py()
            if text[:1] in " \t" and text.lstrip(" \t").startswith('"'):
                marked[start + int(cell)] = True
        start += len(chunk.array)
