"""Fields with their numbers, or their dates, in the plain form."""

from __future__ import annotations

from collections.abc import Callable, Mapping

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

_READ: Mapping[str, Callable[[Table, str], FieldNumbers | FieldDates]] = {
    "number": read_numbers,
    "date": read_dates,
}


def meant_cells(
    table: Table, heading: str, level: str, *, whole: bool
) -> tuple[Column, tuple[Note, ...]]:
    """
    Return a key field with its numbers or dates in the plain form; see `key_columns`.

    Parameters
    ----------
    table : Table
    heading : str
    level : str
        ``number`` or ``date``.
    whole : bool
    """
    column = table.cells(heading)
    # What matches as it stands is not read at all.
    if _stands(table, heading, level, whole=whole):
        return column, ()
    read = _READ[level](table, heading)
    if read.is_plain:
        return column, ()
    return plain_cells(column, read), read.notes


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
