"""Reading a field of a list as numbers or dates, in the ways in which it is written.

A field is read list by list: in the way that was said of the list, or else in the ways
that its cells of that list prove (`cells.numbers.found`, `cells.dates.found`). Cells
that could be two values, and amounts of several currencies, stop the work: what they
mean is asked, with the two ways to say it. Nothing is guessed.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.found import FoundDates, find_dates
from gruff_ledger.cells.dates.moments import DatePattern, Moments, read_moments
from gruff_ledger.cells.dates.shapes import ISO, DateStyle
from gruff_ledger.cells.groups import Group, add_groups
from gruff_ledger.cells.keys.distinct import with_cells
from gruff_ledger.cells.kinds import kind_of
from gruff_ledger.cells.numbers.amounts import Amounts, put_amounts, read_amounts
from gruff_ledger.cells.numbers.forms import in_one_form
from gruff_ledger.cells.numbers.found import FoundNumbers, Style, find_numbers
from gruff_ledger.cells.numbers.shapes import currency_code
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.columns.arrays import constant_column, filter_column
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.outcome import Note
from gruff_ledger.table import Table
from gruff_ledger.written.ask import (
    ask_of_dates,
    ask_of_marks,
    check_currencies,
    note_styles,
)
from gruff_ledger.written.examples import ISO_WAY, PLAIN_WAY
from gruff_ledger.written.way import ListWay, Way, kind_said

_PLAIN = {Style(), Style(".")}
_PLAIN_OR_BLANK = r"\A\s*(?:[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)\s*)?\z"


class FieldNumbers(NamedTuple):
    """
    The numbers of a field of n records.

    Attributes
    ----------
    amounts : Amounts, n records
        Zero in cells that hold no number.
    is_number : ndarray of bool, shape (n,)
    notes : tuple of Note
        How the field was read, where that is not plain.
    is_plain : bool
        Whether all numbers are in the plain form.
    plain : callable
        Returns the cells with each number in the plain form, with all its digits.
    currencies : mapping of str to Group
        The amounts of each currency, by its code.
    """

    amounts: Amounts
    is_number: Mask
    plain: Callable[[], Column]
    notes: tuple[Note, ...] = ()
    is_plain: bool = True
    currencies: Mapping[str, Group] = MappingProxyType({})


class FieldDates(NamedTuple):
    """
    The dates of a field of n records.

    Attributes
    ----------
    moments : Moments, n records
        The start of 1970 in cells that hold no date.
    is_date : ndarray of bool, shape (n,)
    notes : tuple of Note
    is_plain : bool
        Whether all dates are those of ISO 8601.
    """

    moments: Moments
    is_date: Mask
    notes: tuple[Note, ...] = ()
    is_plain: bool = True


class _Part(NamedTuple):
    """The records that are written in one way, or whose way is found out together."""

    where: Mask
    way: Way | ListWay | None


def are_plain(table: Table, heading: str) -> bool:
    """Whether a field that nobody spoke of holds plain numbers and blanks alone."""
    if heading in table.written:
        return False
    return bool(matching(table.cells(heading), _PLAIN_OR_BLANK).all())


def kind_of_field(table: Table, heading: str) -> str:
    """Tell what most cells of a field are; see `cells.kinds.kind_of`."""
    column = table.cells(heading)
    blank = blank_mask(column)
    return kind_of(
        column,
        blank,
        lambda: ~read_numbers(table, heading).is_number & ~blank,
        lambda: ~read_dates(table, heading).is_date & ~blank,
        said=kind_said(table, heading),
    )


def read_numbers(
    table: Table, heading: str, *, with_currencies: bool = False
) -> FieldNumbers:
    """
    Read a field as numbers.

    Parameters
    ----------
    table : Table, n records
    heading : str
    with_currencies : bool
        Whether amounts of several currencies may be in it.

    Raises
    ------
    BadTerms
        If cells could be two numbers, or amounts are of several currencies.
    """
    column = table.cells(heading)
    styles: dict[Style, Group] = {}
    currencies: dict[str, Group] = {}

    def read(part: _Part, cells: Column, found: FoundNumbers | None) -> FieldNumbers:
        places = np.flatnonzero(part.where)
        if isinstance(part.way, Way):
            said = _numbers_in(part.way, cells)
            add_groups(currencies, said.currencies, places)
            return said
        if part.way is not None:
            found = part.way.numbers(cells)
        found = found or find_numbers(cells)
        for mark, doubt in found.doubts.items():
            ask_of_marks(table, heading, mark, doubt.at(places), found.styles)
        add_groups(styles, found.styles, places)
        add_groups(currencies, found.currencies, places)
        return FieldNumbers(found.amounts, found.is_number, found.plain)

    parts = _parts_of(table, heading)
    whole = None
    if all(part.way is None for part in parts):
        whole = find_numbers(column)
        if whole.is_plain:
            return FieldNumbers(whole.amounts, whole.is_number, whole.plain)
    if len(parts) == 1:
        result = read(parts[0], column, whole)
    else:
        n = len(column)
        amounts, is_number = Amounts(np.zeros(n, np.int64), 0), np.zeros(n, np.bool_)
        written: list[tuple[Mask, Callable[[], Column]]] = []
        for part in parts:
            some = read(part, filter_column(column, part.where), None)
            is_number[part.where] = some.is_number
            amounts = put_amounts(amounts, part.where, some.amounts)
            written.append((part.where, some.plain))
        result = FieldNumbers(amounts, is_number, lambda: _put(column, written))
    if not with_currencies:
        check_currencies(table, heading, currencies)
    is_said = any(isinstance(part.way, Way) and part.way != PLAIN_WAY for part in parts)
    notes = () if {*styles} <= _PLAIN else (note_styles(heading, styles),)
    return result._replace(
        notes=notes, is_plain=not (is_said or notes), currencies=currencies
    )


def read_dates(table: Table, heading: str) -> FieldDates:
    """
    Read a field as dates.

    Parameters
    ----------
    table : Table, n records
    heading : str

    Raises
    ------
    BadTerms
        If cells could be two dates.
    """
    column = table.cells(heading)
    styles: dict[DateStyle, Group] = {}

    def read(part: _Part, cells: Column, found: FoundDates | None) -> FieldDates:
        way = part.way if isinstance(part.way, Way) else None
        if isinstance(part.way, ListWay):
            found = part.way.dates(cells)
        if way is not None and not way.holds_dates:
            none = np.zeros(len(cells), np.bool_)
            return FieldDates(Moments(np.zeros(len(cells), np.int64), none), none)
        if way is not None and way.is_strict:
            found = find_dates(constant_column("", len(cells)))
        if found is None:
            found = find_dates(cells, () if way is None else (*way.dates, ISO))
        places = np.flatnonzero(part.where)
        if found.doubts is not None:
            proofs = {order: each.at(places) for order, each in found.orders.items()}
            ask_of_dates(table, heading, found.doubts.at(places), proofs)
        if way is None:
            add_groups(styles, found.styles, places)
        moments, is_date = found.moments, found.is_date
        for pattern in () if way is None else way.patterns:
            moments, is_date = _also_by(pattern, cells, moments, is_date)
        return FieldDates(moments, is_date)

    parts = _parts_of(table, heading)
    whole = None
    if all(part.way is None for part in parts):
        whole = find_dates(column)
        if whole.is_plain:
            return FieldDates(whole.moments, whole.is_date)
    if len(parts) == 1:
        result = read(parts[0], column, whole)
    else:
        n = len(column)
        values, timed = np.zeros(n, np.int64), np.zeros(n, np.bool_)
        is_date = np.zeros(n, np.bool_)
        for part in parts:
            some = read(part, filter_column(column, part.where), None)
            values[part.where] = some.moments.values
            timed[part.where] = some.moments.timed
            is_date[part.where] = some.is_date
        result = FieldDates(Moments(values, timed), is_date)
    is_said = any(isinstance(part.way, Way) and part.way != ISO_WAY for part in parts)
    notes = () if {*styles} <= {ISO} else (note_styles(heading, styles),)
    return result._replace(notes=notes, is_plain=not (is_said or notes))


def _parts_of(table: Table, heading: str) -> list[_Part]:
    """
    Part the records by the ways in which a field of theirs is written.

    Where nobody said it, it is found out for the records of each source by themselves.
    """
    writing = table.writing(heading)
    n = len(table)
    codes = np.zeros(n, np.int64) if writing.codes is None else writing.codes
    parts: list[_Part] = []
    for number, way in enumerate(writing.ways):
        where = codes == number
        if isinstance(way, Way | ListWay):
            parts.append(_Part(where, way))
            continue
        sources = table.origin.source[where]
        several = way is None and bool((sources != sources[:1]).any())
        for source in np.unique(sources).tolist() if several else [None]:
            mine = where if source is None else where & (table.origin.source == source)
            parts.append(_Part(mine, None))
    return parts


def _numbers_in(way: Way, cells: Column) -> FieldNumbers:
    """Read cells as the numbers that a person said."""
    if not way.numbers:
        none = Amounts(np.zeros(len(cells), np.int64), 0)
        return FieldNumbers(none, np.zeros(len(cells), np.bool_), lambda: cells)
    plain = in_one_form(cells, way.numbers)
    amounts, is_number = read_amounts(plain)
    written = [(is_number, lambda: filter_column(plain, is_number))]
    codes = {currency_code(form.currency) for form in way.numbers if form.currency}
    group = Group.of(is_number) if len(codes) == 1 else None
    return FieldNumbers(
        amounts,
        is_number,
        lambda: _put(cells, written),
        currencies={} if group is None else dict.fromkeys(codes, group),
    )


def _put(column: Column, parts: Sequence[tuple[Mask, Callable[[], Column]]]) -> Column:
    """Return a field with some of its cells written anew."""
    for where, written in parts:
        column = with_cells(column, where, written())
    return column


def _also_by(
    text: str, column: Column, moments: Moments, is_date: Mask
) -> tuple[Moments, Mask]:
    """Read the cells that are no dates yet by a pattern as well."""
    rest = ~is_date
    if not rest.any():
        return moments, is_date
    more, found = read_moments(filter_column(column, rest), DatePattern(text))
    values, timed, good = moments.values.copy(), moments.timed.copy(), is_date.copy()
    values[rest] = np.where(found, more.values, 0)
    timed[rest], good[rest] = more.timed & found, found
    return Moments(values, timed), good
