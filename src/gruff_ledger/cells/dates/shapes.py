"""How one date is written: in figures or with a name, and what that leaves open.

In figures the year comes first or last. Where it comes last and neither of the two
others is over 12, either of them can be the day.
"""

from __future__ import annotations

import datetime
import re
from typing import NamedTuple

from gruff_ledger.cells.blank import strip_space
from gruff_ledger.cells.dates.names import month_of, weekday_of
from gruff_ledger.late_patterns import late_pattern

# Years of two figures, as in ISO/IEC 9945 (strptime): 69 to 99 are 1969 to 1999.
PIVOT = 69

# Orders in which day, month and year stand; UNKNOWN where day or month comes first.
DAY_FIRST, MONTH_FIRST, YEAR_FIRST, UNKNOWN = "day", "month", "year", ""


class DateStyle(NamedTuple):
    """
    What dates that are written alike have in common.

    Attributes
    ----------
    order : str
    mark : str
        What stands between the parts.
    year_digits : int
        Four or two.
    has_name : bool
        Whether the month is written by its name.
    has_time : bool
    """

    order: str
    mark: str = "-"
    year_digits: int = 4
    has_name: bool = False
    has_time: bool = False

    @property
    def pattern(self) -> str:
        """The pattern (LDML) of dates written so."""
        year, month = "y" * self.year_digits, "MMM" if self.has_name else "M"
        parts = {
            DAY_FIRST: ("d", month, year),
            MONTH_FIRST: (month, "d", year),
            YEAR_FIRST: (year, month, "d"),
        }[self.order]
        return self.mark.join(parts) + (" HH:mm" if self.has_time else "")

    @property
    def example(self) -> str:
        """The last day of 2026, written so."""
        year = "2026" if self.year_digits == 4 else "26"
        month = "Dec" if self.has_name else "12"
        parts = {
            DAY_FIRST: ("31", month, year),
            MONTH_FIRST: (month, "31", year),
            YEAR_FIRST: (year, month, "31"),
            UNKNOWN: ("03", "04", year),
        }[self.order]
        text = self.mark.join(parts)
        if self.has_name and self.order == MONTH_FIRST:
            text = f"Dec 31, {year}"
        return f"{text} 14:30" if self.has_time else text


# Days as ISO 8601 has them.
ISO = DateStyle(YEAR_FIRST)


class DateShape(NamedTuple):
    """
    A date as it is written.

    Attributes
    ----------
    style : DateStyle
    year, month, day : int
        With the order unknown, as if the day came first.
    micros : int
        The time of day in microseconds.
    """

    style: DateStyle
    year: int
    month: int
    day: int
    micros: int = 0


_TIME = late_pattern(
    r"(?P<rest>.*\d)(?:[T,]?\s+|T)(?P<hour>\d{1,2})[:.h](?P<minute>\d{2})"
    r"(?::(?P<second>\d{2})(?:[.,](?P<part>\d{1,6}))?)?"
    r"(?:\s*(?P<half>[AaPp])\.?\s?[Mm]\.?|\s*(?:Uhr|h|Z))?",
    re.ASCII | re.DOTALL,
)
_FIGURES = late_pattern(r"(\d{1,4})([-/.])(\d{1,2})\2(\d{4}|\d{1,2})", re.ASCII)
_BEGINS_IN_FIGURES = late_pattern(r"\d{1,4}[-/.]\d{1,2}[-/.]\d", re.ASCII)
_NAME = r"(?P<name>[^\W\d_]{3,12})\.?"
_ORDINAL = r"(?:st|nd|rd|th|er|º|ª|\.)?"
_YEAR = r"(?P<year>\d{4}|\d{2})"
_WITH_NAME = (
    (
        DAY_FIRST,
        late_pattern(
            rf"(?P<day>\d{{1,2}}){_ORDINAL}(?P<mark>[\s\-/.]*)(?:(?:de|of)\s+)?{_NAME}"
            rf"[\s\-/.,]*(?:del?\s+)?{_YEAR}"
        ),
    ),
    (
        MONTH_FIRST,
        late_pattern(
            rf"{_NAME}(?P<mark>[\s\-/.]*)(?P<day>\d{{1,2}}){_ORDINAL}[\s\-/.,]+{_YEAR}"
        ),
    ),
    (
        YEAR_FIRST,
        late_pattern(
            rf"(?P<year>\d{{4}})(?P<mark>[\s\-/.]*){_NAME}[\s\-/.]*(?P<day>\d{{1,2}})"
        ),
    ),
)
_WEEKDAY = late_pattern(r"([^\W\d_]{2,12})\.?,?\s+(?=\S*\d)")


def date_shape(text: str) -> DateShape | None:
    """
    Tell how a date is written; None for what is no date in any form.

    Examples
    --------
    >>> date_shape("31.12.26").style.example, date_shape("3 Dez. 2026").month
    ('31.12.26', 12)
    >>> date_shape("03/04/2026").style.order, date_shape("31/31/2026")
    ('', None)
    """
    text = strip_space(text)
    weekday, has_time, micros = None, False, 0
    if len(text) > 64 or not any(map(str.isdigit, text)):
        return None
    named = _WEEKDAY.match(text)
    if named is not None and _may_be_date(text[named.end() :]):
        weekday = weekday_of(named[1])
        text = text if weekday is None else text[named.end() :]
    timed = _TIME.fullmatch(text)
    if timed is not None:
        found = _micros_of(timed)
        if found is None:
            return None
        has_time, micros, text = True, found, timed["rest"]
    shape = _in_figures(text) or _with_name(text)
    if shape is None:
        return None
    if weekday is not None and shape.style.order != UNKNOWN:
        date = datetime.date(shape.year, shape.month, shape.day)
        if date.weekday() != weekday:
            return None
    style = shape.style._replace(has_time=has_time)
    return shape._replace(style=style, micros=micros)


def _may_be_date(text: str) -> bool:
    """Whether a text begins as a date does, so that a word before it may be a day."""
    if _BEGINS_IN_FIGURES.match(text):
        return True
    return any(pattern.match(text) for _, pattern in _WITH_NAME)


def _in_figures(text: str) -> DateShape | None:
    match = _FIGURES.fullmatch(text)
    if match is None:
        return None
    first, mark, second, third = match.groups()
    if len(first) > 2:
        if len(first) != 4 or len(third) > 2:
            return None
        return _shape(DateStyle(YEAR_FIRST, mark), int(first), int(second), int(third))
    if len(third) not in (2, 4):
        return None
    year, one, two = full_year(third), int(first), int(second)
    by_day = _is_date(year, two, one)
    by_month = _is_date(year, one, two)
    if by_day and by_month and one != two:
        return DateShape(DateStyle(UNKNOWN, mark, len(third)), year, two, one)
    # The same day either way proves no order; it is one of the day first.
    if by_day:
        order = UNKNOWN if by_month else DAY_FIRST
        return DateShape(DateStyle(order, mark, len(third)), year, two, one)
    if by_month:
        return DateShape(DateStyle(MONTH_FIRST, mark, len(third)), year, one, two)
    return None


def _with_name(text: str) -> DateShape | None:
    for order, pattern in _WITH_NAME:
        match = pattern.fullmatch(text)
        month = None if match is None else month_of(match["name"])
        if match is None or month is None:
            continue
        mark = match["mark"].strip() or " "
        style = DateStyle(order, mark[:1], len(match["year"]), has_name=True)
        return _shape(style, full_year(match["year"]), month, int(match["day"]))
    return None


def _shape(style: DateStyle, year: int, month: int, day: int) -> DateShape | None:
    return DateShape(style, year, month, day) if _is_date(year, month, day) else None


def _is_date(year: int, month: int, day: int) -> bool:
    try:
        datetime.date(year, month, day)
    except ValueError:
        return False
    return True


def full_year(figures: str) -> int:
    """Return a year of four or two figures in full."""
    year = int(figures)
    return year if len(figures) == 4 else year + (1900 if year >= PIVOT else 2000)


def _micros_of(match: re.Match[str]) -> int | None:
    """Return a time of day in microseconds; None where there is no such time."""
    hour, minute, second = (int(match[n] or 0) for n in ("hour", "minute", "second"))
    if match["half"]:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + (12 if match["half"] in "Pp" else 0)
    if hour > 23 or minute > 59 or second > 59:
        return None
    part = int((match["part"] or "").ljust(6, "0"))
    return ((hour * 60 + minute) * 60 + second) * 1_000_000 + part
