"""Noticing quotes that swallow line ends, so that records vanish into one cell.

Lists are often written with no quoting at all. A cell that begins with a double quote
then opens a quoted cell, which goes on over line ends to the next quote, wherever that
is. Such a record tells on itself: most of its lines, read without quoting, are records
of just as many cells as there are headings. A cell that was meant to hold line ends has
at most its first and last lines like that.
"""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.lists.delimited.layout import Layout
from gruff_ledger.lists.delimited.parse import Ragged
from gruff_ledger.lists.delimited.rows import read_rows
from gruff_ledger.outcome import Note
from gruff_ledger.table import Origin, Table

_LINE_FEED, _CARRIAGE_RETURN = 10, 13


def note_swallowed(
    table: Table, ragged: Ragged, layout: Layout, source: int
) -> tuple[Note, ...]:
    """
    Warn of records that seem to have swallowed others.

    Parameters
    ----------
    table : Table
        The list as read, with the ragged records that were mended.
    ragged : Ragged
        The records of too few or too many cells, with their texts.
    layout : Layout
    source : int
        Position of the source in the run's list of sources.

    Returns
    -------
    tuple of Note
        One at the most: how many records, where the quotes open, and what settles it.
    """
    texts = dict(zip(ragged.numbers, ragged.texts, strict=True))
    texts = {number: text for number, text in texts.items() if _has_line_end(text)}
    with_ends = table.keep_records(_line_end_mask(table))
    numbers_with_ends = with_ends.origin.record.tolist()
    for number, record in zip(numbers_with_ends, with_ends.records(), strict=True):
        if number not in texts:
            texts[number] = _as_written(record, layout.delimiter)
    width = len(table.headings)
    hidden = {
        number: lines
        for number, text in sorted(texts.items())
        if (lines := _records_hidden_in(text, layout.delimiter, width))
    }
    if not hidden:
        return ()
    numbers = np.array(list(hidden), np.int64)
    total = sum(hidden.values())
    records = "1 record" if len(hidden) == 1 else f"{len(hidden)} records"
    opens = "holds a quoted cell" if len(hidden) == 1 else "hold quoted cells"
    return (
        Note(
            f"{table.name}: {records} of this list {opens} in which {total} lines look "
            "like records of their own, swallowed by a double quote.",
            "If the list was written without quoting, give `quote none`.",
            Origin(np.full(len(numbers), source, np.int32), numbers),
            warning=True,
        ),
    )


def _has_line_end(text: str) -> bool:
    return "\n" in text or "\r" in text


def _line_end_mask(table: Table) -> Mask:
    """Mark the records with a line end in any cell."""
    found = np.zeros(len(table), np.bool_)
    for column in table.all_cells:
        _mark_line_ends(column, found)
    return found


def _mark_line_ends(column: Column, found: Mask) -> None:
    start = 0
    for chunk in text_chunks(column):
        is_end = chunk.bytes == _LINE_FEED
        is_end |= chunk.bytes == _CARRIAGE_RETURN
        if is_end.any():
            places = np.flatnonzero(is_end)
            cells = np.searchsorted(chunk.offsets, places, "right") - 1
            found[start + cells] = True
        start += len(chunk.array)


def _as_written(record: tuple[str, ...], delimiter: str) -> str:
    """Return a record's text, with quotes where there must be some."""
    special = ("\n", "\r", delimiter)
    return delimiter.join(
        f'"{cell}"' if any(mark in cell for mark in special) else cell
        for cell in record
    )


def _records_hidden_in(text: str, delimiter: str, width: int) -> int:
    """Count the lines of a record that are records themselves, if most of them are."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    is_whole = [len(row.cells) == width for row in read_rows(lines, delimiter, "none")]
    # The first and the last line can look whole by what stands beside the cell.
    telling = is_whole[1:-1] if len(lines) > 2 else is_whole
    most = len(lines) > 1 and sum(telling) * 2 > len(telling)
    return sum(is_whole) if most else 0
