"""What the cells of workbooks that are no XML hold: as those of XLSX are read.

Numbers have the zeros that their format shows in front; dates and times are told by
their format and the calendar of the workbook; errors are their text.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from typing import Any, NamedTuple, Protocol

from gruff_ledger.cells.error_texts import ERRORS_BY_NUMBER
from gruff_ledger.lists.workbook.cell_texts import DIGITS, number_text
from gruff_ledger.lists.workbook.tab_xml import (
    LAST_DAY,
    MANY_DIGITS,
    NEGATIVE_DATE,
    NO_SUCH_DAY,
    CellPlace,
    Look,
    format_kind,
    over_a_day,
    padded_digits,
)

# The calendars of workbooks begin on these days; the first one has 29 February 1900,
# which never existed, as its day 60.
_BEGINS_1900, _BEGINS_1904 = datetime.date(1899, 12, 31), datetime.date(1904, 1, 1)
_NO_DAY = 60

_DAY_MILLISECONDS = 86_400_000


class BinaryTab(NamedTuple):
    """
    A tab, from its first cell in use on.

    Attributes
    ----------
    rows : list of list
        Values, equally many in each row.
    look : Look
        What is special in it.
    first_row, first_col : int
        Where they begin, from 0.
    """

    rows: list[list[Any]]
    look: Look
    first_row: int
    first_col: int


class BinaryBook(Protocol):
    """
    A workbook that is no XML.

    Attributes
    ----------
    format_name : str
    tabs : tuple of (name, whether it is shown)
    """

    format_name: str
    tabs: tuple[tuple[str, bool], ...]

    def read_tab(self, name: str) -> BinaryTab:
        """Return the values of a tab."""
        ...


class Kind(NamedTuple):
    """What a number format shows, and how many digits it fills up with zeros."""

    shows: str
    digits: int


PLAIN = Kind("number", 0)


def kind_of(code: str) -> Kind:
    """Return what a number format shows."""
    return Kind(format_kind(code), padded_digits(code))


def error_text(number: int, look: Look, place: CellPlace) -> str:
    """Return the text of an error, which is told of."""
    told = ERRORS_BY_NUMBER.get(number, "#ERROR")
    look.errors[place] = told
    return told


def number_shown(
    number: float, kind: Kind, look: Look, place: CellPlace, *, begins_1904: bool
) -> Any:
    """
    Return what a number means by its format; what is special is told of.

    Parameters
    ----------
    number : float
    kind : Kind
    look : Look
    place : CellPlace
        From 1.
    begins_1904 : bool
        Whether the days of the workbook count from 1904.
    """
    if kind.shows in ("date", "time", "length"):
        return _moment(look, place, number, kind.shows, begins_1904)
    if kind.digits and number.is_integer():
        sign = "-" if number < 0 else ""
        return sign + str(abs(int(number))).zfill(kind.digits)
    if kind.shows == "percent":
        look.percent.append(place)
    elif abs(number) >= 10**DIGITS and number.is_integer():
        look.odd.setdefault(MANY_DIGITS, {})[place] = number_text(number)
    return number


def _moment(
    look: Look, place: CellPlace, number: float, shows: str, begins_1904: bool
) -> Any:
    """Return what a number means whose format is of dates, times or lengths of time."""
    if abs(number) > LAST_DAY:
        return number
    if shows == "length":
        return datetime.timedelta(days=number)
    if number < 0 or (number == 0 and shows == "date" and not begins_1904):
        text = number_text(number)
        look.mark_odd(NEGATIVE_DATE, place, text)
        return text
    day, thousandths = divmod(round(number * _DAY_MILLISECONDS), _DAY_MILLISECONDS)
    time = (datetime.datetime.min + datetime.timedelta(milliseconds=thousandths)).time()
    if not day and (thousandths or shows == "time"):
        return time
    if shows == "time":
        return over_a_day(look, place, number, begins_1904)
    if begins_1904:
        date = _BEGINS_1904 + datetime.timedelta(days=day)
    elif day == _NO_DAY:
        text = "1900-02-29" + (f"T{time.isoformat('seconds')}" if thousandths else "")
        look.mark_odd(NO_SUCH_DAY, place, text)
        return text
    else:
        date = _BEGINS_1900 + datetime.timedelta(days=day - (day > _NO_DAY))
    return datetime.datetime.combine(date, time) if thousandths else date


def tab_of(used: Iterable[tuple[int, list[tuple[int, Any]]]], look: Look) -> BinaryTab:
    """
    Return a tab by its cells in use.

    Parameters
    ----------
    used : iterable of (row, cells)
        Rows in their order, from 0; of each, columns in their order with their values.
        A row without cells counts for nothing.
    look : Look
    """
    rows = [(row, cells) for row, cells in used if cells]
    if not rows:
        return BinaryTab([], look, 0, 0)
    first_row, first_col = rows[0][0], min(cells[0][0] for _, cells in rows)
    width = max(cells[-1][0] for _, cells in rows) + 1 - first_col
    made: list[list[Any]] = [[None] * width for _ in range(rows[-1][0] + 1 - first_row)]
    for row, cells in rows:
        for col, value in cells:
            made[row - first_row][col - first_col] = value
    return BinaryTab(made, look, first_row, first_col)
