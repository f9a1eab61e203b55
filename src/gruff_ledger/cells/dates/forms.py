"""Dates in cells: the forms they are written in, and which can be read both ways.

ISO 8601 dates (with or without a time), and days, months and years in figures with
``-``, ``/`` or ``.`` between. Patterns are those of Unicode LDML.
"""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import Chunk
from gruff_ledger.columns.types import Indices, Mask

_SEPARATORS = np.frombuffer(b"-/.", np.uint8)

# Lengths of the parts of a date in figures.
_FORMS = tuple((a, b, year) for year in (4, 2) for a in (1, 2) for b in (1, 2))

_Key = npt.NDArray[np.int64]


class DateForms(msgspec.Struct):
    """
    The dates of a field, by how they can be read.

    Attributes
    ----------
    count : int
        Cells that are dates.
    iso, day_first, month_first, two_ways : int
        Of these, the ones of ISO 8601; those in figures that can only have the day or
        the month first; those that could have either.
    two_ways_at : list of ndarray
        Where the last ones are.
    """

    count: int = 0
    iso: int = 0
    day_first: int = 0
    month_first: int = 0
    two_ways: int = 0
    two_ways_at: list[Any] = msgspec.field(default_factory=list)
    shapes: set[tuple[int, int, int, str]] = msgspec.field(default_factory=set)
    # The least and greatest as yyyymmdd, for ISO, day first and month first.
    spans: dict[str, tuple[int, int]] = msgspec.field(default_factory=dict)
    # The cells that hold these, by the name of the span and the number.
    texts: dict[str, str] = msgspec.field(default_factory=dict)

    @property
    def is_settled(self) -> bool:
        """Whether it is clear which of day and month comes first."""
        return not self.two_ways or bool(self.day_first) != bool(self.month_first)

    @property
    def pattern(self) -> str:
        """The pattern (LDML) that most dates of the field are written in."""
        if self.iso * 2 >= self.count or not self.shapes:
            return "yyyy-MM-dd"
        firsts = {first for first, _, _, _ in self.shapes}
        seconds = {second for _, second, _, _ in self.shapes}
        years = {year for _, _, year, _ in self.shapes}
        marks = sorted({mark for _, _, _, mark in self.shapes})
        mark = marks[0] if len(marks) == 1 else "-"
        year = "yyyy" if years == {4} else "yy"
        day_first = _joined(mark, "d", firsts, "M", seconds, year)
        month_first = _joined(mark, "M", firsts, "d", seconds, year)
        if self.day_first and not self.month_first:
            return day_first
        if self.month_first and not self.day_first:
            return month_first
        return f"{day_first} or {month_first}"

    @property
    def least(self) -> str:
        """The first date, in ISO 8601, where it can be told."""
        return self._end(min)

    @property
    def greatest(self) -> str:
        """The last date, in ISO 8601, where it can be told."""
        return self._end(max)

    @property
    def written_ends(self) -> tuple[str, str]:
        """The cells of the first and the last date as they are written."""
        if not self.is_settled:
            return "", ""
        way = "month" if self.month_first else "day"
        named = [
            (key, name)
            for name in ("iso", way)
            for key in self.spans.get(name, ())
            if f"{name} {key}" in self.texts
        ]
        if not named or any(year == 2 for _, _, year, _ in self.shapes):
            return "", ""
        first, last = min(named), max(named)
        return self.texts[f"{first[1]} {first[0]}"], self.texts[f"{last[1]} {last[0]}"]

    def _end(self, chosen: Any) -> str:
        if not self.is_settled or any(year == 2 for _, _, year, _ in self.shapes):
            return ""
        way = "month" if self.month_first else "day"
        spans = [self.spans[name] for name in ("iso", way) if name in self.spans]
        key = chosen(chosen(span) for span in spans) if spans else 0
        return f"{key // 10000:04}-{key // 100 % 100:02}-{key % 100:02}" if key else ""

    def add_span(self, name: str, keys: _Key, chunk: Chunk, places: Indices) -> None:
        """Take note of the least and greatest of some dates, and of their cells."""
        if len(keys):
            low, high = int(keys.min()), int(keys.max())
            for key, at in ((low, keys.argmin()), (high, keys.argmax())):
                text = chunk.array[int(places[at])].as_py()
                self.texts.setdefault(f"{name} {key}", text)
            before = self.spans.get(name, (low, high))
            self.spans[name] = (min(low, before[0]), max(high, before[1]))


def _joined(
    mark: str, one: str, ones: set[int], other: str, others: set[int], year: str
) -> str:
    first = one * (2 if ones == {2} else 1)
    second = other * (2 if others == {2} else 1)
    return mark.join((first, second, year))


def chunk_dates(
    chunk: Chunk,
    candidates: Indices,
    start: int,
    forms: DateForms,
    weights: Indices | None = None,
) -> None:
    """
    Take note of the dates among some cells of a chunk.

    Parameters
    ----------
    chunk : Chunk
    candidates : ndarray of int64
        The cells to look at.
    start : int
        Index of the chunk's first cell in its field.
    forms : DateForms
        To be added to.
    weights : ndarray of int64, optional
        How many cells each cell of the chunk stands for.
    """
    if not len(candidates):
        return
    lengths = np.diff(chunk.offsets)[candidates]
    for length in (10, 16, 19, 20):
        fitting = lengths == length
        if fitting.any():
            _take_iso(chunk, candidates[fitting], length, forms, weights)
    for first, second, year in _FORMS:
        fitting = lengths == first + second + year + 2
        if fitting.any():
            _take_figures(
                chunk,
                candidates[fitting],
                start,
                (first, second, year),
                forms,
                weights,
            )


def _number_of(mask: Mask, places: Indices, weights: Indices | None) -> int:
    if weights is None:
        return int(np.count_nonzero(mask))
    return int(weights[places[mask]].sum())


def _take_iso(
    chunk: Chunk,
    places: Indices,
    length: int,
    forms: DateForms,
    weights: Indices | None,
) -> None:
    at = chunk.offsets[:-1][places]
    cells = chunk.bytes[at[:, None] + np.arange(length)]
    good: Mask = cells[:, 4] == ord("-")
    good &= cells[:, 7] == ord("-")
    good &= _digits(cells, (0, 1, 2, 3, 5, 6, 8, 9))
    if length > 10:
        good &= (cells[:, 10] == ord("T")) | (cells[:, 10] == ord(" "))
        good &= (cells[:, 13] == ord(":")) & _digits(cells, (11, 12, 14, 15))
    if length > 16:
        good &= (cells[:, 16] == ord(":")) & _digits(cells, (17, 18))
    if length > 19:
        good &= cells[:, 19] == ord("Z")
    year, month, day = (_number(cells, *span) for span in ((0, 4), (5, 7), (8, 10)))
    good &= (month >= 1) & (month <= 12) & (day >= 1) & (day <= 31)
    count = _number_of(good, places, weights)
    forms.count += count
    forms.iso += count
    forms.add_span("iso", (year * 10000 + month * 100 + day)[good], chunk, places[good])


def _take_figures(
    chunk: Chunk,
    places: Indices,
    start: int,
    lengths: tuple[int, int, int],
    forms: DateForms,
    weights: Indices | None,
) -> None:
    first, second, year = lengths
    length = first + second + year + 2
    at = chunk.offsets[:-1][places]
    cells = chunk.bytes[at[:, None] + np.arange(length)]
    one, two = first, first + 1 + second
    good: Mask = np.isin(cells[:, one], _SEPARATORS)
    np.logical_and(good, cells[:, one] == cells[:, two], out=good)
    digits = [place for place in range(length) if place not in (one, two)]
    good &= _digits(cells, digits)
    if not good.any():
        return
    a = _number(cells, 0, one)
    b = _number(cells, one + 1, two)
    years = _number(cells, two + 1, length)
    day_can: Mask = good & (a >= 1) & (a <= 31) & (b >= 1) & (b <= 12)
    month_can: Mask = good & (a >= 1) & (a <= 12) & (b >= 1) & (b <= 31)
    both = day_can & month_can & (a != b)
    forms.count += _number_of(day_can | month_can, places, weights)
    forms.day_first += _number_of(day_can & ~month_can, places, weights)
    forms.month_first += _number_of(month_can & ~day_can, places, weights)
    forms.two_ways += _number_of(both, places, weights)
    if both.any():
        forms.two_ways_at.append(places[both] + start)
    for mark in np.unique(cells[day_can | month_can, one]).tolist():
        forms.shapes.add((first, second, year, chr(mark)))
    by_day, by_month = years * 10000 + b * 100 + a, years * 10000 + a * 100 + b
    forms.add_span("day", by_day[day_can], chunk, places[day_can])
    forms.add_span("month", by_month[month_can], chunk, places[month_can])


def _digits(cells: npt.NDArray[np.uint8], places: Any) -> Mask:
    some = cells[:, list(places)]
    found: Mask = np.asarray(((some >= ord("0")) & (some <= ord("9"))).all(axis=1))
    return found


def _number(cells: npt.NDArray[np.uint8], start: int, stop: int) -> _Key:
    value = np.zeros(len(cells), np.int64)
    for place in range(start, stop):
        value = value * 10 + (cells[:, place].astype(np.int64) - ord("0"))
    return value
