"""Keys that match by what cells mean: numbers and dates, in their plain form."""

from __future__ import annotations

import functools

from gruff_ledger.cells.dates.moments import read_moments
from gruff_ledger.cells.dates.moments import to_column as write_moments
from gruff_ledger.cells.keys.distinct import rewrite_distinct, with_cells
from gruff_ledger.cells.match.levels import key_at
from gruff_ledger.cells.numbers.amounts import read_amounts, to_column
from gruff_ledger.columns.arrays import constant_column, filter_column, unequal
from gruff_ledger.columns.types import Column


def date_keys(column: Column, *, or_text: bool) -> Column:
    """Return the keys of cells at the level of dates; see `folded_fields.folded`."""
    moments, is_date = read_moments(column)
    keys = with_cells(column, is_date, filter_column(write_moments(moments), is_date))
    if not is_date.all():
        fold = functools.partial(key_at, "date")
        rest = rewrite_distinct(
            filter_column(column, ~is_date),
            lambda text: fold(text) or (text if or_text else ""),
        )
        keys = with_cells(keys, ~is_date, rest.column)
    return keys if unequal(keys, column).any() else column


def number_keys(column: Column, *, or_text: bool) -> Column:
    """Return the keys of cells at the level of numbers; see `folded_fields.folded`."""
    amounts, is_number = read_amounts(column)
    if not is_number.any():
        return column if or_text else constant_column("", len(column))
    # In the plain form, without zeros at the end, equal numbers are equal texts.
    keys, _ = to_column(amounts)
    if not is_number.all():
        rest = column if or_text else constant_column("", len(column))
        keys = with_cells(rest, is_number, filter_column(keys, is_number))
    return keys if unequal(keys, column).any() else column
