"""Which cells and fields can be written as numbers and dates, and come back the same.

A number has at most 15 digits, which is what a double of IEEE 754 keeps, no zero in
front and no sign but a minus; its format shows as many decimals as it was written with.
A date is one of ISO 8601 without a time, from March 1900 on: before, the calendar of
workbooks has a day that never was. Codes are texts: a field with a zero in front of a
number holds codes.
"""

from __future__ import annotations

import datetime
import re
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text_bytes import Chunk, text_chunks
from gruff_ledger.columns.types import Column, Indices, Mask

# Kinds of cells; a number is told by how many decimals it has.
TEXT, DATE = -2, -1

_MOST_DIGITS = 15

_NUMBER = r"\A-?(?:0|[1-9][0-9]{0,14})(?:\.[0-9]{1,14})?\z"
_NOTHING_WITH_SIGN = r"\A-[0.]+\z"
_CODE = r"\A0[0-9]+\z"
_DATE = r"\A(?:19|20|21)[0-9]{2}-[01][0-9]-[0-3][0-9]\z"

# Up to so many cells are looked at one by one.
_SHORT_CELLS = 256
_FEW_NUMBERS, _FEW_NOTHINGS, _FEW_CODES, _FEW_DATES = (
    re.compile(pattern.replace(r"\z", r"\Z"), re.ASCII)
    for pattern in (_NUMBER, _NOTHING_WITH_SIGN, _CODE, _DATE)
)

# The day before the first one that workbooks count (ISO/IEC 29500-1, 18.17.4.1), since
# they take 1900 for a leap year.
_DAY_ZERO = datetime.date(1899, 12, 30)
_FIRST_DAY = datetime.date(1900, 3, 1)

# Where the figures of a date stand, and how long months are; there is none of number 0.
_FIGURE_PLACES = (0, 1, 2, 3, 5, 6, 8, 9)
_LAST_DAYS = np.array((0, 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31))


def typed_kinds(column: Column) -> npt.NDArray[np.int8] | None:
    """
    Tell the kinds of the cells of a field.

    Parameters
    ----------
    column : Column, n cells

    Returns
    -------
    ndarray of int8, shape (n,), optional
        `TEXT`, `DATE`, or how many decimals a number has; a blank cell is of the kind
        of most others. None where all are texts.
    """
    n = len(column)
    if not _may_hold_figures(column):
        return None
    if n <= _SHORT_CELLS:
        return _kinds_of_few(column.to_pylist())
    is_number = matching(column, _NUMBER) & ~matching(column, _NOTHING_WITH_SIGN)
    if is_number.any() and matching(column, _CODE).any():
        is_number[:] = False
    is_date = matching(column, _DATE)
    if not (is_number.any() or is_date.any()):
        return None
    kinds = np.full(n, TEXT, np.int8)
    start = 0
    for chunk in text_chunks(column):
        size = len(chunk.array)
        lengths = np.diff(chunk.offsets)
        part = slice(start, start + size)
        points = np.flatnonzero(chunk.bytes == ord("."))
        cells = np.searchsorted(chunk.offsets, points, side="right") - 1
        decimals = np.zeros(size, np.int64)
        decimals[cells] = chunk.offsets[1:][cells] - points - 1
        signs = chunk.bytes_at_start() == ord("-")
        digits = lengths - signs - (decimals > 0)
        good = is_number[part] & (digits <= _MOST_DIGITS)
        kinds[part][good] = decimals[good]
        days = np.flatnonzero(is_date[part])
        kinds[part][days[_are_days(chunk, days)]] = DATE
        start += size
    blank = np.concatenate(
        [np.diff(chunk.offsets) == 0 for chunk in text_chunks(column)] or [kinds < TEXT]
    )
    filled = kinds[~blank]
    if (filled == TEXT).all():
        return None
    kinds[blank] = np.bincount(filled.astype(np.int64) - TEXT).argmax() + TEXT
    return kinds


def _kinds_of_few(cells: list[str]) -> npt.NDArray[np.int8] | None:
    """Tell the kinds one by one, where arrays would cost more than they spare."""
    holds_codes = any(map(_FEW_CODES.match, cells))
    found = [_kind_of(cell, holds_codes) for cell in cells]
    filled = [kind for cell, kind in zip(cells, found, strict=True) if cell]
    if all(kind == TEXT for kind in filled):
        return None
    most = np.bincount(np.array(filled) - TEXT).argmax() + TEXT
    return np.array(
        [kind if cell else most for cell, kind in zip(cells, found, strict=True)],
        np.int8,
    )


def _kind_of(cell: str, holds_codes: bool) -> int:
    if _FEW_DATES.match(cell):
        try:
            day = datetime.date.fromisoformat(cell)
        except ValueError:
            return TEXT
        return DATE if day >= _FIRST_DAY else TEXT
    if holds_codes or not _FEW_NUMBERS.match(cell) or _FEW_NOTHINGS.match(cell):
        return TEXT
    _, point, decimals = cell.partition(".")
    digits = len(cell) - cell.startswith("-") - len(point)
    return len(decimals) if digits <= _MOST_DIGITS else TEXT


def _may_hold_figures(column: Column) -> bool:
    """Whether some cell begins with a figure or a minus, as most texts do not."""
    for chunk in text_chunks(column):
        starts = chunk.bytes_at_start()
        if ((starts >= ord("0")) & (starts <= ord("9"))).any() or (
            starts == ord("-")
        ).any():
            return True
    return False


def _are_days(chunk: Chunk, cells: Indices) -> Mask:
    """Whether dates as they are written are days, and such as workbooks count."""
    at = chunk.offsets[:-1][cells].astype(np.int64)[:, None]
    figures = chunk.bytes[at + np.array(_FIGURE_PLACES)].astype(np.int64) - ord("0")
    year = figures[:, :4] @ np.array((1000, 100, 10, 1))
    month = figures[:, 4:6] @ np.array((10, 1))
    day = figures[:, 6:] @ np.array((10, 1))
    is_leap = (year % 4 == 0) & ((year % 100 != 0) | (year % 400 == 0))
    last = _LAST_DAYS[np.where((month >= 1) & (month <= 12), month, 0)]
    last = last + (is_leap & (month == 2))
    first = _FIRST_DAY.year * 10_000 + _FIRST_DAY.month * 100 + _FIRST_DAY.day
    counted = (year * 100 + month) * 100 + day >= first
    result: Mask = (day >= 1) & (day <= last) & counted
    return result


def kind_codes(
    filled: Mask, kinds: npt.NDArray[np.int8] | None
) -> tuple[npt.NDArray[np.intp], list[int]]:
    """
    Return codes of the kinds of cells: 0 for a blank one, else by the kinds there are.

    Parameters
    ----------
    filled : ndarray of bool, shape (n,)
    kinds : ndarray of int8, shape (n,), optional
        As `typed_kinds` tells them.

    Returns
    -------
    codes : ndarray of int, shape (n,)
    there : list of int
        The kinds of codes 1 and on.
    """
    if kinds is None:
        return filled.astype(np.intp), [TEXT]
    there = np.unique(kinds)
    return filled * (np.searchsorted(there, kinds) + 1), there.tolist()


def day_number(text: str) -> int:
    """Return the number that a workbook has for a day."""
    return (datetime.date.fromisoformat(text) - _DAY_ZERO).days


class FieldType(NamedTuple):
    """
    What all cells of a field can be written as.

    Attributes
    ----------
    kind : str
        ``whole``, ``decimal`` or ``date``.
    scale : int
        The most decimals that a number of it has.
    """

    kind: str
    scale: int = 0


def field_type(column: Column, *, scales_may_differ: bool = False) -> FieldType | None:
    """
    Return what all filled cells of a field are; None where they stay texts.

    Parameters
    ----------
    column : Column
    scales_may_differ : bool
        Whether numbers of several scales are one type, so that 1.5 may become 1.50.
    """
    kinds = typed_kinds(column)
    if kinds is None or (kinds == TEXT).any():
        return None
    least, most = int(kinds.min()), int(kinds.max())
    if most == DATE:
        return FieldType("date")
    if least == DATE or (least != most and not scales_may_differ):
        return None
    return FieldType("decimal", most) if most else FieldType("whole")
