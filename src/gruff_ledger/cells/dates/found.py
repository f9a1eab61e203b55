"""How the dates of a field are written, found out from its own cells.

Dates of ISO 8601 are read at once. Dates in figures are cut by their length, all cells
of one length at a time; what is left, with names of months or times of day, is looked
at once for each distinct text. A day over 12 proves which of day and month comes first;
where the field proves neither or both, the cells that could be two dates are in doubt.
"""

from __future__ import annotations

from collections.abc import Container, Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.moments import (
    DAY,
    Moments,
    days_since_1970,
    month_lengths,
    read_moments,
)
from gruff_ledger.cells.dates.shapes import (
    DAY_FIRST,
    ISO,
    MONTH_FIRST,
    PIVOT,
    YEAR_FIRST,
    DateStyle,
    date_shape,
)
from gruff_ledger.cells.groups import Group
from gruff_ledger.cells.keys.distinct import distinct
from gruff_ledger.cells.keys.few_values import first_places
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text_bytes import Chunk, map_chunks
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Column, Indices, Mask

_MARKS = np.frombuffer(b"-/.", np.uint8)

# A figure or two after a word at the most, and something behind.
_COULD_BE_DATE = r"\A[^0-9]{0,24}[0-9]{1,4}[^0-9].{0,60}\z"

_SHORT_YEAR, _YEAR_COMES_FIRST, _HAS_TIME = 16, 32, 64

# Lengths of the three parts of a date in figures.
_LENGTHS = (
    *((a, b, year) for year in (4, 2) for a in (1, 2) for b in (1, 2)),
    *((4, a, b) for a in (1, 2) for b in (1, 2)),
)


class FoundDates(NamedTuple):
    """
    The dates of a field of n cells, and how they are written.

    Attributes
    ----------
    moments : Moments, n records
        The start of 1970 in cells that hold no date.
    is_date : ndarray of bool, shape (n,)
    styles : dict of DateStyle to Group
        How the cells are written that can be one date only.
    doubts : Group, optional
        The cells that could be two dates, where nothing settles it.
    orders : dict of str to Group
        The cells that prove the day or the month to come first.
    """

    moments: Moments
    is_date: Mask
    styles: dict[DateStyle, Group]
    doubts: Group | None
    orders: dict[str, Group]

    @property
    def order(self) -> str:
        """Which of day and month is proven to come first; empty for neither or both."""
        return next(iter(self.orders)) if len(self.orders) == 1 else ""

    @property
    def is_plain(self) -> bool:
        """Whether all dates are those of ISO 8601."""
        return self.doubts is None and {*self.styles} <= {ISO}


class _Figures(NamedTuple):
    """
    Dates of n cells in figures, as their parts stand.

    Attributes
    ----------
    one, two, year : ndarray of int64, shape (n,)
        What comes first and second of day and month, and the year in full; a month and
        a day where the year comes first. Zero in cells that are no such dates.
    style : ndarray of int64, shape (n,)
        The number of the mark, from 1, with 16 for a year of two figures, 32 for one
        that comes first (also for all that is told by a name), and 64 for a time.
    """

    one: Indices
    two: Indices
    year: Indices
    style: Indices


def find_dates(
    column: Column, stated: Sequence[DateStyle] = (), order: str | None = None
) -> FoundDates:
    """
    Read the dates of a field in all the forms that its cells prove, or in some.

    Parameters
    ----------
    column : Column, n cells
    stated : sequence of DateStyle, optional
        The ways, beside ISO 8601, in which dates are written; others are none.
    order : str, optional
        Which of day and month the whole list proved to come first, where these are
        some of its cells; empty where it proved neither or both.
    """
    moments, is_date = read_moments(column)
    odd = ~is_date
    if odd.any():
        odd[odd] = ~blank_mask(filter_column(column, odd))
    iso = Group.of(is_date)
    styles = {ISO: iso} if iso else {}
    if not odd.any():
        return FoundDates(moments, is_date, styles, None, {})
    cells = filter_column(column, odd)
    found = _join_figures(map_chunks(_figures_in, cells), len(cells))
    micros = np.zeros(len(cells), np.int64)
    timed = np.zeros(len(cells), np.bool_)
    named = _take_each(cells, found, micros, timed, stated)
    places = np.flatnonzero(odd)
    result = _settle(found, micros, stated, order)
    styles |= {
        style: group.at(places) for style, group in {**named, **result.styles}.items()
    }
    values = moments.values.copy()
    values[places] = np.where(result.is_date, result.values, 0)
    times, good = moments.timed.copy(), is_date.copy()
    times[places], good[places] = timed, result.is_date
    return FoundDates(
        Moments(values, times),
        good,
        styles,
        None if result.doubts is None else result.doubts.at(places),
        {order: group.at(places) for order, group in result.orders.items()},
    )


class _Settled(NamedTuple):
    values: Indices
    is_date: Mask
    styles: dict[DateStyle, Group]
    doubts: Group | None
    orders: dict[str, Group]


def _settle(
    found: _Figures, micros: Indices, stated: Sequence[DateStyle], order: str | None
) -> _Settled:
    """Tell which of day and month comes first, and return the moments by that."""
    one, two, year = found.one, found.two, found.year
    is_year_first = (found.style & _YEAR_COMES_FIRST) != 0
    by_month = _are_dates(year, one, two)
    by_day = _are_dates(year, two, one) & ~is_year_first
    last = ~is_year_first
    if stated:
        by_day &= _are_of(found, stated, DAY_FIRST)
        by_month &= _are_of(found, stated, MONTH_FIRST, YEAR_FIRST)
    proofs = {
        DAY_FIRST: by_day & ~by_month & last,
        MONTH_FIRST: by_month & ~by_day & last,
    }
    orders = {
        first: Group.of_mask(mask) for first, mask in proofs.items() if mask.any()
    }
    both = by_day & by_month & (one != two)
    if order is None:
        order = next(iter(orders)) if len(orders) == 1 else ""
    doubts = None if order else Group.of(both)
    # What is in doubt is read the day first, and the work stops.
    day_first = (by_day & ~(both & (order == MONTH_FIRST))) | proofs[DAY_FIRST]
    month, day = np.where(day_first, two, one), np.where(day_first, one, two)
    is_date = by_day | by_month
    safe = np.where(is_date, month, 1), np.where(is_date, day, 1)
    values = days_since_1970(np.where(is_date, year, 1970), *safe) * DAY + micros
    styles: dict[DateStyle, Group] = {}
    counted = is_date & ~(both & (not order)) & (found.style % 16 != 0)
    for style in np.unique(found.style[counted]).tolist():
        for way in (DAY_FIRST, MONTH_FIRST, YEAR_FIRST):
            mask = counted & (found.style == style)
            mask &= is_year_first if way == YEAR_FIRST else last
            if way != YEAR_FIRST:
                mask &= day_first if way == DAY_FIRST else ~day_first
            if mask.any():
                styles[_style_of(style, way)] = Group.of_mask(mask)
    return _Settled(values, is_date, styles, doubts, orders)


def _are_of(found: _Figures, stated: Sequence[DateStyle], *orders: str) -> Mask:
    """Mark the dates that are stated to be in an order; names are so already."""
    codes = [_code_of(each) for each in stated if each.order in orders]
    named = _YEAR_COMES_FIRST
    known = [code for code in codes if code != named]
    return np.isin(found.style, [*known, named] if YEAR_FIRST in orders else known)


def _style_of(code: int, order: str) -> DateStyle:
    return DateStyle(
        order,
        chr(_MARKS[code % 16 - 1]),
        2 if code & _SHORT_YEAR else 4,
        has_time=bool(code & _HAS_TIME),
    )


def _are_dates(year: Indices, month: Indices, day: Indices) -> Mask:
    good = (year >= 1) & (month >= 1) & (month <= 12) & (day >= 1) & (day <= 31)
    good[good] = day[good] <= month_lengths(year[good], month[good])
    found: Mask = good
    return found


def _join_figures(parts: list[_Figures], n: int) -> _Figures:
    none = np.zeros(0, np.int64)
    joined = [np.concatenate([none, *each]) for each in zip(*parts, strict=True)]
    return _Figures(*(joined or [np.zeros(n, np.int64) for _ in range(4)]))


def _figures_in(chunk: Chunk) -> _Figures:
    """Cut the cells of a chunk that are dates in figures."""
    n = len(chunk.array)
    found = _Figures(*(np.zeros(n, np.int64) for _ in range(4)))
    lengths = np.diff(chunk.offsets)
    for first, second, third in _LENGTHS:
        length = first + second + third + 2
        places = np.flatnonzero(lengths == length)
        if not len(places):
            continue
        at = chunk.offsets[:-1][places]
        marks = chunk.bytes[at + first]
        good: Mask = np.isin(marks, _MARKS)
        good &= chunk.bytes[at + first + second + 1] == marks
        places, at, marks = places[good], at[good], marks[good]
        parts, is_figure = [], np.ones(len(places), np.bool_)
        start = 0
        for size in (first, second, third):
            value = np.zeros(len(places), np.int64)
            for place in range(start, start + size):
                digit = chunk.bytes[at + place].astype(np.int64) - ord("0")
                is_figure &= (digit >= 0) & (digit <= 9)
                value = value * 10 + digit
            parts.append(value)
            start += size + 1
        where = places[is_figure]
        one, two, year = (part[is_figure] for part in parts)
        style = np.searchsorted(_SORTED_MARKS, marks[is_figure])
        style = _MARK_NUMBERS[np.minimum(style, 2)]
        if first == 4:
            one, two, year = two, year, one
            style = style + _YEAR_COMES_FIRST
        elif third == 2:
            year = year + np.where(year >= PIVOT, 1900, 2000)
            style = style + _SHORT_YEAR
        for array, part in zip(found, (one, two, year, style), strict=True):
            array[where] = part
    return found


_SORTED_MARKS = np.sort(_MARKS)
_MARK_NUMBERS = np.argsort(_MARKS).astype(np.int64) + 1


def _is_other_name(style: DateStyle, orders: Container[str]) -> bool:
    """Whether a date has its month by name in an order that was not stated."""
    return style.has_name and style.order not in orders


def _code_of(style: DateStyle) -> int:
    """Return the style of a date that was looked at by itself; see `_Figures`."""
    if style.has_name:
        # Told by its name, it proves nothing of others, and is counted by itself.
        return _YEAR_COMES_FIRST
    code = b"-/.".index(style.mark.encode()) + 1
    code += _SHORT_YEAR if style.year_digits == 2 else 0
    code += _YEAR_COMES_FIRST if style.order == YEAR_FIRST else 0
    return code + (_HAS_TIME if style.has_time else 0)


def _take_each(
    cells: Column,
    found: _Figures,
    micros: Indices,
    timed: Mask,
    stated: Sequence[DateStyle],
) -> dict[DateStyle, Group]:
    """Read each distinct text that is no date in figures alone, into the arrays."""
    left = found.year == 0
    styles: dict[DateStyle, Group] = {}
    if not left.any():
        return styles
    rest = filter_column(cells, left)
    could = matching(rest, _COULD_BE_DATE)
    if not could.all():
        left[left] = could
        rest = filter_column(rest, could)
    if not len(rest):
        return styles
    texts, codes = distinct(rest)
    shapes = [date_shape(text) for text in texts]
    if stated:
        orders = {style.order for style in stated if style.has_name}
        shapes = [
            None if shape and _is_other_name(shape.style, orders) else shape
            for shape in shapes
        ]
    parts = np.zeros((5, len(texts)), np.int64)
    places = np.flatnonzero(left)
    counts = np.bincount(codes, minlength=len(texts)).tolist()
    firsts = places[first_places(codes)].tolist()
    for number, shape in enumerate(shapes):
        if shape is None:
            continue
        style = shape.style
        is_told = style.has_name or style.order == YEAR_FIRST
        month_comes_first = is_told or style.order == MONTH_FIRST
        pair = (shape.day, shape.month)
        if month_comes_first:
            pair = (shape.month, shape.day)
        parts[:, number] = (*pair, shape.year, _code_of(style), shape.micros)
        if style.has_name:
            group = Group(counts[number], firsts[number])
            styles[style] = styles[style].plus(group) if style in styles else group
    spread = parts[:, codes]
    for array, part in zip(found, spread[:4], strict=True):
        array[left] = part
    micros[left] = spread[4]
    has_time = np.array([bool(each and each.style.has_time) for each in shapes])
    timed[left] = has_time[codes]
    return styles
