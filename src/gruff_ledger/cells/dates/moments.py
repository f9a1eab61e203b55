"""Dates and times in cells: read as ISO 8601 or by a pattern, and written.

Patterns are those of Unicode LDML (Technical Standard 35, part 4, date field symbols).
The calendar is the Gregorian one, also before it was introduced, as in ISO 8601.
"""

from __future__ import annotations

import datetime
import re
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask, is_blank, strip_space
from gruff_ledger.cells.dates.shapes import PIVOT
from gruff_ledger.cells.keys.distinct import distinct
from gruff_ledger.cells.numbers.plain import are_digits, word_digits
from gruff_ledger.cells.text_bytes import (
    DIGIT,
    SIGN,
    Chunk,
    map_chunks,
    mask_of_kinds,
    words_at,
)
from gruff_ledger.columns.arrays import filter_column, spread_column
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms

SECOND = 1_000_000
DAY = 24 * 3600 * SECOND

_EPOCH = datetime.datetime(1970, 1, 1)

MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]
WEEKDAYS = [
    "Monday",
    "Tuesday",
    "Wednesday",
    "Thursday",
    "Friday",
    "Saturday",
    "Sunday",
]

_ISO = late_pattern(
    r"(\d{4})-(\d{2})-(\d{2})(?:[T ](\d{2}):(\d{2})(?::(\d{2})(?:[.,](\d{1,6}))?)?Z?)?",
    re.ASCII,
)


class Moments(NamedTuple):
    """
    The dates and times of n records.

    Attributes
    ----------
    values : ndarray of int64, shape (n,)
        Microseconds since the start of 1970.
    timed : ndarray of bool, shape (n,)
        Where a time of day was given, and not the date alone.
    """

    values: Indices
    timed: Mask


def read_moment(text: str) -> tuple[int, bool] | None:
    """
    Read a date of ISO 8601, with or without a time of day; None for none.

    Examples
    --------
    >>> read_moment("1970-01-02"), read_moment("2026-02-30")
    ((86400000000, False), None)
    """
    match = _ISO.fullmatch(strip_space(text))
    if match is None:
        return None
    parts = [int(part or 0) for part in match.groups()[:6]]
    micro = int((match[7] or "").ljust(6, "0"))
    return _moment(parts, micro, timed=match[4] is not None)


def _moment(parts: list[int], micro: int, *, timed: bool) -> tuple[int, bool] | None:
    try:
        moment = datetime.datetime(*parts, microsecond=micro)  # type: ignore[arg-type, misc]
    except ValueError:
        return None
    return (moment - _EPOCH) // datetime.timedelta(microseconds=1), timed


def moment_text(value: int, timed: bool) -> str:
    """
    Write a date, or a date and time, in ISO 8601.

    Examples
    --------
    >>> moment_text(86400000000, False), moment_text(60000000, True)
    ('1970-01-02', '1970-01-01T00:01:00')
    """
    moment = _EPOCH + datetime.timedelta(microseconds=value)
    return moment.isoformat() if timed else moment.date().isoformat()


def to_column(one: Moments) -> Column:
    """Write dates and times in ISO 8601; see `moment_text`."""
    values, codes = np.unique(one.values * 2 + one.timed, return_inverse=True)
    texts = [moment_text(value // 2, bool(value % 2)) for value in values.tolist()]
    return spread_column(texts, codes)


class DatePattern:
    """
    A pattern that dates and times are read and written by.

    Parameters
    ----------
    pattern : str
        Of LDML: ``y`` year, ``M`` month (``MMM`` and ``MMMM`` by its English name),
        ``d`` day, ``H`` and ``h`` hour, ``a`` AM or PM, ``m`` minute, ``s`` second,
        ``S`` its fraction, ``E`` weekday; other letters go in single quotes.

    Raises
    ------
    BadTerms
        If it uses a letter that is not supported, or gives no date.

    Examples
    --------
    >>> pattern = DatePattern("d MMM yyyy")
    >>> pattern.write(pattern.read("2 jan 1970"))
    '2 Jan 1970'
    """

    def __init__(self, pattern: str) -> None:
        self.pattern = pattern
        self._fields = _fields_of(pattern)
        letters = {field[0] for field in self._fields if field[0].isalpha()}
        if not {"y", "M", "d"} <= letters:
            raise BadTerms(
                f"'{pattern}' is not a pattern for dates.",
                "It should have a day, a month and a year, as in dd/MM/yyyy.",
            )
        self._timed = bool(letters & set("Hhms"))
        self._groups: list[str] = []
        self._expression = re.compile(self._written(), re.IGNORECASE)

    def read(self, text: str) -> tuple[int, bool] | None:
        """Read a date; the value and whether it has a time, or None for none."""
        match = self._expression.fullmatch(strip_space(text))
        if match is None:
            return None
        found = dict(zip(self._groups, match.groups(), strict=True))
        year = int(found["y"] if "y" in found else found["yy"])
        if "yy" in found:
            year += 1900 if year >= PIVOT else 2000
        if "M" in found:
            month = int(found["M"])
        else:
            short = (found.get("MMM") or found["MMMM"])[:3].title()
            month = [name[:3] for name in MONTHS].index(short) + 1
        hour = int(found.get("H") or found.get("h") or 0)
        if "h" in found:
            if not 1 <= hour <= 12:
                return None
            hour = hour % 12 + (12 if (found.get("a") or "").upper() == "PM" else 0)
        clock = [hour, int(found.get("m") or 0), int(found.get("s") or 0)]
        micro = int((found.get("S") or "").ljust(6, "0")[:6])
        moment = _moment(
            [year, month, int(found["d"]), *clock], micro, timed=self._timed
        )
        if moment is not None and "E" in found:
            day = (_EPOCH + datetime.timedelta(microseconds=moment[0])).weekday()
            if found["E"][:3].title() != WEEKDAYS[day][:3]:
                return None
        return moment

    def write(self, moment: tuple[int, bool]) -> str:
        """Write a date by the pattern."""
        when = _EPOCH + datetime.timedelta(microseconds=moment[0])
        return "".join(_field_text(field, when) for field in self._fields)

    def _written(self) -> str:
        """Return the regular expression of what is read; fill in its groups."""
        parts: list[str] = []
        for place, field in enumerate(self._fields):
            if not field[0].isalpha():
                parts.append(re.escape(field[1:]))
                continue
            after = self._fields[place + 1][:1] if place + 1 < len(self._fields) else ""
            before = self._fields[place - 1][:1] if place else ""
            # Figures that nothing parts have fixed widths.
            fixed = after in tuple("yMdHhmsS") or before in tuple("yMdHhmsS")
            name, expression = _expression(field, fixed=fixed)
            if name in self._groups:
                raise BadTerms(
                    f"the pattern '{self.pattern}' gives '{field[0]}' twice.",
                    "Give it once.",
                )
            self._groups.append(name)
            parts.append(expression)
        return "".join(parts)


def _fields_of(pattern: str) -> list[str]:
    """Part a pattern into runs of a letter, and text behind a mark."""
    fields: list[str] = []
    for match in re.finditer(r"'((?:[^']|'')*)'|([A-Za-z])\2*|([^A-Za-z'])|'", pattern):
        if match[0] == "'":
            raise BadTerms(
                f"a single quote is not closed in the pattern '{pattern}'.", "Close it."
            )
        if match[2]:
            if match[2] not in "yMdHhmsSaE":
                raise BadTerms(
                    f"the letter '{match[2]}' means nothing in a pattern for dates: "
                    f"'{pattern}'.",
                    "Use y, M, d, H, h, a, m, s, S and E; other letters stand in "
                    "single quotes.",
                )
            fields.append(match[0])
        else:
            text = match[3] or (match[1].replace("''", "'") or "'")
            fields.append("\0" + text)
    return fields


def _expression(field: str, *, fixed: bool) -> tuple[str, str]:
    """Return the name of a field and the expression that reads it."""
    letter, width = field[0], len(field)
    if letter == "M" and width >= 3:
        names = MONTHS if width == 4 else [f"{name[:3]}" for name in MONTHS]
        return field[:4], "(" + "|".join(names) + ")"
    if letter == "E":
        names = WEEKDAYS if width >= 4 else [name[:3] for name in WEEKDAYS]
        return "E", "(" + "|".join(names) + ")"
    if letter == "a":
        return "a", "(AM|PM)"
    if letter == "y":
        if width == 2:
            return "yy", "([0-9]{2})"
        return "y", "([0-9]{4})"
    if letter == "S":
        return "S", f"([0-9]{{{width}}})"
    return letter, f"([0-9]{{{width}}})" if fixed else "([0-9]{1,2})"


def _field_text(field: str, when: datetime.datetime) -> str:
    letter, width = field[0], len(field)
    if letter == "\0":
        return field[1:]
    if letter == "M" and width >= 3:
        name = MONTHS[when.month - 1]
        return name if width == 4 else name[:3]
    if letter == "E":
        name = WEEKDAYS[when.weekday()]
        return name if width >= 4 else name[:3]
    if letter == "a":
        return "PM" if when.hour >= 12 else "AM"
    if letter == "y" and width == 2:
        return f"{when.year % 100:02}"
    if letter == "S":
        return f"{when.microsecond:06}".ljust(width, "0")[:width]
    numbers = {
        "y": when.year,
        "M": when.month,
        "d": when.day,
        "H": when.hour,
        "h": (when.hour + 11) % 12 + 1,
        "m": when.minute,
        "s": when.second,
    }
    return str(numbers[letter]).rjust(4 if letter == "y" else width, "0")


def read_moments(
    column: Column, pattern: DatePattern | None = None
) -> tuple[Moments, Mask]:
    """
    Read the dates of a field.

    Parameters
    ----------
    column : Column, n cells
    pattern : DatePattern, optional
        ISO 8601 without one.

    Returns
    -------
    moments : Moments, n records
        The start of 1970 in cells that hold no date.
    is_date : ndarray of bool, shape (n,)
    """
    n = len(column)
    values, timed = np.zeros(n, np.int64), np.zeros(n, np.bool_)
    found = np.zeros(n, np.bool_)
    if pattern is None:
        parts = map_chunks(_plain_dates, column)
        values = np.concatenate([part[0] for part in parts]) if parts else values
        found = np.concatenate([part[1] for part in parts]) if parts else found
    rest = ~found
    if pattern is None:
        rest &= ~blank_mask(column)
        if rest.any():
            rest &= mask_of_kinds(column, DIGIT | SIGN, every=True)
    if rest.any():
        texts, codes = distinct(column if rest.all() else filter_column(column, rest))
        read = read_moment if pattern is None else pattern.read
        moments = [None if is_blank(text) else read(text) for text in texts]
        values[rest] = np.array([one[0] if one else 0 for one in moments], np.int64)[
            codes
        ]
        timed[rest] = np.array([bool(one and one[1]) for one in moments])[codes]
        found[rest] = np.array([one is not None for one in moments])[codes]
    return Moments(values, timed), found


# By year, and by month for common and leap years.
_YEARS = np.arange(10_000, dtype=np.int64)
_IS_LEAP = ((_YEARS % 4 == 0) & (_YEARS % 100 != 0) | (_YEARS % 400 == 0)).astype(int)
_MONTH_DAYS = np.array(
    [
        [0, 31, february, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]
        for february in (28, 29)
    ],
    np.int64,
)
# Days before the month, in its year.
_MONTH_STARTS = np.cumsum(_MONTH_DAYS, axis=1) - _MONTH_DAYS
# Days from the start of 1970 to the last day of the year before.
_YEAR_STARTS = 365 * (_YEARS - 1970) + np.cumsum(_IS_LEAP) - _IS_LEAP - 479

# The characters 4 and 7 of yyyy-MM-dd, in a little-endian word.
_DASHES = np.uint64(0xFF0000FF00000000)
_DASHES_SET = np.uint64(0x2D00002D00000000)


def _plain_dates(chunk: Chunk) -> tuple[Indices, Mask]:
    """Read the cells of exactly ten characters that are dates of ISO 8601."""
    n = len(chunk.array)
    values, found = np.zeros(n, np.int64), np.zeros(n, np.bool_)
    places = np.flatnonzero(np.diff(chunk.offsets) == 10)
    if not len(places):
        return values, found
    # Eight figures in one word: the year from the first eight characters, as they lie,
    # the month out of their middle, the day from the last ones.
    padded = np.concatenate([chunk.bytes, np.zeros(8, np.uint8)])
    at = chunk.offsets[:-1] if len(places) == n else chunk.offsets[:-1][places]
    first, last = words_at(padded, at), words_at(padded, at + 2)
    good: Mask = (first & _DASHES) == _DASHES_SET
    month_bytes = (first >> np.uint64(8)) & np.uint64(0x0000FFFF00000000)
    day_bytes = last & np.uint64(0xFFFF000000000000)
    figures = (first & np.uint64(0xFFFFFFFF)) | month_bytes | day_bytes
    good &= are_digits(figures)
    whole = word_digits(figures)
    # Division by a constant is fast; dividing with a remainder is not.
    year = whole // 10_000
    month_day = whole - year * 10_000
    month = month_day // 100
    day = month_day - month * 100
    good &= (year >= 1) & (month >= 1) & (month <= 12) & (day >= 1)
    if not good.all():
        places, year, month, day = places[good], year[good], month[good], day[good]
    real = day <= month_lengths(year, month)
    if not real.all():
        places, year, month, day = places[real], year[real], month[real], day[real]
    values[places] = days_since_1970(year, month, day) * DAY
    found[places] = True
    return values, found


def month_lengths(year: Indices, month: Indices) -> Indices:
    """Return how many days months have; years are 0 to 9999."""
    lengths: Indices = _MONTH_DAYS[_IS_LEAP[year], month]
    return lengths


def days_since_1970(year: Indices, month: Indices, day: Indices) -> Indices:
    """Count days since the start of 1970."""
    days: Indices = _YEAR_STARTS[year] + _MONTH_STARTS[_IS_LEAP[year], month] + day
    return days


class Calendar(NamedTuple):
    """Year, month and day of n records, ndarrays of int64."""

    year: Indices
    month: Indices
    day: Indices


def calendar_of(values: Indices) -> Calendar:
    """Return year, month and day of moments in microseconds since 1970."""
    days = (values // DAY).astype("datetime64[D]")
    months = days.astype("datetime64[M]")
    whole = months.astype(np.int64)
    day = (days - months.astype("datetime64[D]")).astype(np.int64) + 1
    return Calendar(whole // 12 + 1970, whole % 12 + 1, day)


def months_later(values: Indices, months: int) -> Indices:
    """
    Return the same day of another month, or its last day where it is shorter.

    ISO/IEC 9075-2 calls a day that is not there an error; the last day of the month is
    what a rent or a fee runs to.
    """
    found = calendar_of(values)
    whole = found.year * 12 + found.month - 1 + months
    year, month = whole // 12, whole % 12 + 1
    # Beyond the calendar any moment outside of it will do.
    inside = np.clip(year, 0, 9999)
    last = month_lengths(inside, month)
    later: Indices = (
        days_since_1970(inside, month, np.minimum(found.day, last))
        + (year - inside) * 366
    )
    moved: Indices = later * DAY + values % DAY
    return moved
