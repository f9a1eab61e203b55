"""The values a formula works on: whole fields of one kind, each with its blanks.

An array has an element a record, or a single one that stands for all records.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.dates.moments import Moments
from gruff_ledger.cells.dates.moments import to_column as moments_to_column
from gruff_ledger.cells.keys.distinct import with_cells
from gruff_ledger.cells.numbers.amounts import Amounts
from gruff_ledger.cells.numbers.amounts import to_column as amounts_to_column
from gruff_ledger.columns.arrays import (
    constant_column,
    emptied,
    filter_column,
    spread_column,
)
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.formula.nodes import Interval
from gruff_ledger.written.way import Way


class Numbers(NamedTuple):
    """
    Numbers; those that are blank are zero.

    Attributes
    ----------
    digits : int, optional
        How many decimals are written at least, where the formula rounded to so many.
    currency : str
        Of which currency they surely are amounts; empty where that is not known, as
        behind a product, which may be one by a rate.
    """

    amounts: Amounts
    blank: Mask
    digits: int | None = None
    currency: str = ""


class Texts(NamedTuple):
    """Texts; those that are blank are empty or white space."""

    column: Column
    blank: Mask


class Dates(NamedTuple):
    """Dates, with or without a time; those that are blank are the start of 1970."""

    moments: Moments
    blank: Mask


class Truths(NamedTuple):
    """Conditions: where they hold, and where that cannot be told."""

    true: Mask
    blank: Mask

    @property
    def false(self) -> Mask:
        """Where they do not hold."""
        found: Mask = ~self.true & ~self.blank
        return found


class Cells(NamedTuple):
    """
    Cells as they stand in a field: what they mean depends on what is done with them.

    Attributes
    ----------
    column : Column
    blank : Mask
    field : str
        The heading, for what is said of them.
    way : Way, optional
        How they are to be written, where that is not as the rest of the field.
    """

    column: Column
    blank: Mask
    field: str
    way: Way | None = None


class Nothing(NamedTuple):
    """NULL: blank in every record, and of any kind."""


class Span(NamedTuple):
    """An interval of time, as it was written."""

    interval: Interval


# What each kind of value is called in messages.
KINDS: dict[type, str] = {
    Numbers: "a number",
    Texts: "a text",
    Dates: "a date",
    Truths: "a condition",
    Cells: "a field",
    Nothing: "NULL",
    Span: "an interval",
}

Value = Numbers | Texts | Dates | Truths | Cells | Nothing | Span

ALL = np.ones(1, np.bool_)
NONE = np.zeros(1, np.bool_)


def column_of(value: Value, n: int) -> tuple[Column, Mask]:
    """
    Write a value as the cells of a field.

    Parameters
    ----------
    value : Value
    n : int
        How many records there are.

    Returns
    -------
    column : Column, n cells
        Empty where the value is blank.
    rounded : Mask
        Where a fraction does not end and was rounded; see `amounts.to_column`.
    """
    rounded = NONE
    if isinstance(value, Nothing | Span):
        return constant_column("", n), rounded
    if isinstance(value, Numbers):
        column, rounded = amounts_to_column(value.amounts, value.digits)
        rounded = rounded & ~value.blank
    elif isinstance(value, Dates):
        column = moments_to_column(value.moments)
    elif isinstance(value, Truths):
        column = spread_column(("false", "true"), value.true.astype(np.int64))
    else:
        column = value.column
    column = stretched(column, n)
    blank = np.broadcast_to(value.blank, n)
    if blank.any() and not isinstance(value, Cells):
        column = emptied(column, blank)
    return column, np.broadcast_to(rounded, n)


def stretched(column: Column, n: int) -> Column:
    """Return a column of one cell as one of `n` equal cells."""
    if len(column) == n:
        return column
    return constant_column(column[0].as_py(), n)


def merge_columns(parts: Sequence[tuple[Mask, Column]], n: int) -> Column:
    """Put columns together, each where its mask is true; else cells are empty."""
    result = constant_column("", n)
    for mask, column in parts:
        if mask.any():
            result = with_cells(result, mask, filter_column(stretched(column, n), mask))
    return result
