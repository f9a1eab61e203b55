"""Keys that match by what they mean: numbers and dates in their plain form."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from gruff_ledger.cells.dates.moments import to_column as write_moments
from gruff_ledger.cells.keys.distinct import with_cells
from gruff_ledger.cells.numbers.amounts import to_column as write_amounts
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Column
from gruff_ledger.outcome import Note
from gruff_ledger.table import Table
from gruff_ledger.written.read import (
    FieldDates,
    FieldNumbers,
    are_plain,
    kind_of_field,
    read_dates,
    read_numbers,
)

# The levels that match by what a cell means.
_READ: Mapping[str, Callable[[Table, str], FieldNumbers | FieldDates]] = {
    "number": read_numbers,
    "date": read_dates,
}


def key_columns(
    table: Table,
    headings: Sequence[str],
    levels: Sequence[str],
    *,
    whole: bool = False,
) -> tuple[list[Column], tuple[Note, ...]]:
    """
    Return the key fields of a list, ready to be folded at their levels.

    Parameters
    ----------
    table : Table
    headings, levels : sequence of str
    whole : bool
        Whether these are all fields of the list, of which not all hold such values.

    Returns
    -------
    columns : list of Column
        Those that match by number or date with these in the plain form, whatever way
        the list writes them; all others as they are.
    notes : tuple of Note
        How fields were read.

    Raises
    ------
    BadTerms
        If cells of such a field could be two values.
    """
    columns: list[Column] = []
    notes: tuple[Note, ...] = ()
    for heading, level in zip(headings, levels, strict=True):
        column = table.cells(heading)
        # What matches as it stands is not read at all.
        if level in _READ and not _stands(table, heading, level, whole=whole):
            read = _READ[level](table, heading)
            if not read.is_plain:
                column = plain_cells(column, read)
                notes += read.notes
        columns.append(column)
    return columns, notes


def _stands(table: Table, heading: str, level: str, *, whole: bool) -> bool:
    """Whether a field matches as its cells stand, and need not be read."""
    if level == "number" and are_plain(table, heading):
        return True
    return whole and kind_of_field(table, heading) != level


def plain_cells(column: Column, read: FieldNumbers | FieldDates) -> Column:
    """Return a field with its numbers, or its dates, in the plain form."""
    if isinstance(read, FieldNumbers):
        written, good = write_amounts(read.amounts)[0], read.is_number
    else:
        written, good = write_moments(read.moments), read.is_date
    if not np.any(good):
        return column
    return with_cells(column, good, filter_column(written, good))
