"""Which cells and fields can be written as numbers and dates, and come back the same.

A number has at most 15 digits, which is what a double of IEEE 754 keeps, no zero in
front and no sign but a minus; its format shows as many decimals as it was written with.
A date is one of ISO 8601 without a time, from March 1900 on: before, the calendar of
workbooks has a day that never was. Codes are texts: a field with a zero in front of a
number holds codes.
"""

from __future__ import annotations

import datetime
import functools
import re
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text_bytes import Chunk, are_filled, text_chunks
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.late_patterns import late_pattern

# Kinds of cells; a number is told by how many decimals it has.
TEXT, DATE = -2, -1

_MOST_DIGITS = 15

# A sign, a point, and as many digits on both sides of it as the pattern has.
_MOST_NUMBER_BYTES = 31
_DATE_BYTES = len("2026-08-14")

_NUMBER = r"\A-?(?:0|[1-9][0-9]{0,14})(?:\.[0-9]{1,14})?\z"
_NOTHING_WITH_SIGN = r"\A-[0.]+\z"
_CODE = r"\A0[0-9]+\z"
_DATE = r"\A(?:19|20|21)[0-9]{2}-[01][0-9]-[0-3][0-9]\z"

# Up to so many cells are looked at one by one.
_SHORT_CELLS = 256
_FEW_NUMBERS, _FEW_NOTHINGS, _FEW_CODES, _FEW_DATES = (
    late_pattern(pattern.replace(r"\z", r"\Z"), re.ASCII)
    for pattern in (_NUMBER, _NOTHING_WITH_SIGN, _CODE, _DATE)
)

# The day before the first one that workbooks count (ISO/IEC 29500-1, 18.17.4.1), since
# they take 1900 for a leap year.
_DAY_ZERO = datetime.date(1899, 12, 30)
_FIRST_DAY = datetime.date(1900, 3, 1)
_FIRST_CENTURY, _LAST_CENTURY = 19, 21

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
    chunks = list(text_chunks(column))
    holds_codes = any(map(_holds_codes, chunks))
    parts = mapped(functools.partial(_kinds_of_chunk, holds_codes=holds_codes), chunks)
    kinds = np.concatenate(parts)
    blank = ~are_filled(column)
    filled = kinds[~blank]
    if (filled == TEXT).all():
        return None
    kinds[blank] = np.bincount(filled.astype(np.int64) - TEXT).argmax() + TEXT
    return kinds


def _holds_codes(chunk: Chunk) -> bool:
    """Whether some cell is a number with a zero in front, as codes are."""
    may_be = (chunk.bytes_at_start() == ord("0")) & (np.diff(chunk.offsets) > 1)
    places = np.flatnonzero(may_be)
    seconds = chunk.bytes[chunk.offsets[places] + 1]
    places = places[(seconds >= ord("0")) & (seconds <= ord("9"))]
    # A few are enough mostly.
    return any(
        matching(_cells(chunk, part), _CODE).any()
        for part in (places[:_SHORT_CELLS], places[_SHORT_CELLS:])
    )


def _cells(chunk: Chunk, places: Indices) -> Column:
    return taken(pa.chunked_array([chunk.array]), places)


def _kinds_of_chunk(chunk: Chunk, *, holds_codes: bool) -> npt.NDArray[np.int8]:
    """Tell the kinds of cells; blank ones are of that of texts."""
    kinds = np.full(len(chunk.array), TEXT, np.int8)
    first = chunk.bytes_at_start()
    lengths = np.diff(chunk.offsets)
    is_figure = (first >= ord("0")) & (first <= ord("9"))
    if not holds_codes:
        is_minus = first == ord("-")
        may_be = (is_figure | is_minus) & (lengths <= _MOST_NUMBER_BYTES)
        if may_be.any():
            whole = pa.chunked_array([chunk.array])
            is_number = may_be & matching(whole, _NUMBER)
            minus = np.flatnonzero(is_number & is_minus)
            is_number[minus] = ~matching(_cells(chunk, minus), _NOTHING_WITH_SIGN)
            points = np.flatnonzero(chunk.bytes == ord("."))
            cells = np.searchsorted(chunk.offsets, points, side="right") - 1
            decimals = np.zeros(len(kinds), np.int64)
            decimals[cells] = chunk.offsets[1:][cells] - points - 1
            digits = lengths - is_minus - (decimals > 0)
            good = is_number & (digits <= _MOST_DIGITS)
            kinds[good] = decimals[good]
    days = np.flatnonzero(is_figure & (lengths == _DATE_BYTES))
    if len(days):
        kinds[days[_are_days(chunk, days)]] = DATE
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
    """
    Whether cells are dates of ISO 8601, and such as workbooks count.

    Parameters
    ----------
    chunk : Chunk
    cells : ndarray of int
        Of ten bytes each.
    """
    at = chunk.offsets[:-1][cells]
    result: Mask = chunk.bytes[at + 4] == ord("-")
    result &= chunk.bytes[at + 7] == ord("-")
    if not result.any():
        return result
    figures = [chunk.bytes[at + place] - np.uint8(ord("0")) for place in _FIGURE_PLACES]
    for each in figures:
        # What is less than a zero is much more in a byte.
        result &= each <= 9
    numbers = [each.astype(np.int32) for each in figures]
    century, years = (10 * numbers[at] + numbers[at + 1] for at in (0, 2))
    month, day = (10 * numbers[at] + numbers[at + 1] for at in (4, 6))
    year = century * 100 + years
    is_leap = (year % 4 == 0) & ((year % 100 != 0) | (year % 400 == 0))
    last = _LAST_DAYS[np.where((month >= 1) & (month <= 12), month, 0)]
    last = last + (is_leap & (month == 2))
    first = _FIRST_DAY.year * 10_000 + _FIRST_DAY.month * 100 + _FIRST_DAY.day
    result &= (century >= _FIRST_CENTURY) & (century <= _LAST_CENTURY)
    result &= (year * 100 + month) * 100 + day >= first
    result &= (day >= 1) & (day <= last)
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
