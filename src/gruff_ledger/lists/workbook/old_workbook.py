"""Old workbooks (BIFF, `.xls`), by xlrd: their tabs, and the values of one.

A cell is read as those of XLSX are: numbers with the zeros that their format shows in
front, dates and times by their format and the calendar of the workbook, errors as their
text.
"""

from __future__ import annotations

import datetime
import io
from typing import Any, NamedTuple

from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.tab_xml import (
    NEGATIVE_DATE,
    NO_SUCH_DAY,
    OVER_A_DAY,
    Look,
    format_kind,
    padded_digits,
    plain_number,
)
from gruff_ledger.problems import UnreadableSource

# How such files begin: as compound files of the operating system they come from.
OLD_START = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"

# The calendars of workbooks begin on these days; the first one has 29 February 1900,
# which never existed, as its day 60.
_BEGINS_1900, _BEGINS_1904 = datetime.date(1899, 12, 31), datetime.date(1904, 1, 1)
_NO_DAY = 60

_DAY_MILLISECONDS = 86_400_000

# The last day that a date can have, 31 December 9999, and lengths of time beyond it.
_LAST_DAY = 2_958_465


class OldTab(NamedTuple):
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


def open_old(opened: Opened, data: bytes) -> Any:
    """
    Open an old workbook.

    Raises
    ------
    UnreadableSource
        If it is protected by a password, or is no workbook.
    """
    import xlrd

    try:
        return xlrd.open_workbook(
            file_contents=data,
            formatting_info=True,
            ragged_rows=True,
            logfile=io.StringIO(),
        )
    except (xlrd.XLRDError, xlrd.compdoc.CompDocError) as error:
        if "ncrypted" in str(error) or "Can't find workbook" in str(error):
            raise UnreadableSource(
                "it is protected by a password, or is no workbook.",
                "Open it in a workbook program and save it as XLSX without a password.",
                file=opened.address,
            ) from error
        raise


def old_tabs(book: Any) -> tuple[tuple[str, bool], ...]:
    """Return the tabs of an old workbook, and whether each is shown."""
    return tuple((sheet.name, sheet.visibility == 0) for sheet in book.sheets())


def read_old_tab(book: Any, name: str) -> OldTab:
    """Return the values of a tab of an old workbook."""
    sheet = book.sheet_by_name(name)
    look = Look()
    kinds = _kinds(book)
    used: list[tuple[int, list[tuple[int, Any]]]] = []
    for row in range(sheet.nrows):
        cells = [
            (col, value)
            for col, cell in enumerate(sheet.row(row))
            if (value := _value(book, look, kinds, (row + 1, col + 1), cell))
            is not None
        ]
        if cells:
            used.append((row, cells))
    look.merged = [
        ((top, left), (bottom - 1, right - 1))
        for top, bottom, left, right in sheet.merged_cells
    ]
    look.hidden_rows = sorted(
        row + 1 for row, info in sheet.rowinfo_map.items() if info.hidden
    )
    look.hidden_cols = sorted(
        col + 1 for col, info in sheet.colinfo_map.items() if info.hidden
    )
    if not used:
        return OldTab([], look, 0, 0)
    first_row, first_col = used[0][0], min(cells[0][0] for _, cells in used)
    width = max(cells[-1][0] for _, cells in used) + 1 - first_col
    rows: list[list[Any]] = [[None] * width for _ in range(used[-1][0] + 1 - first_row)]
    for row, cells in used:
        for col, value in cells:
            rows[row - first_row][col - first_col] = value
    return OldTab(rows, look, first_row, first_col)


class _Kind(NamedTuple):
    """What a number format shows, and how many digits it fills up with zeros."""

    shows: str
    digits: int


def _kinds(book: Any) -> dict[int, _Kind]:
    """Return what each style of the workbook shows."""
    kinds = {}
    for number, style in enumerate(book.xf_list):
        known = book.format_map.get(style.format_key)
        code = "" if known is None else known.format_str
        kinds[number] = _Kind(format_kind(code), padded_digits(code))
    return kinds


def _value(
    book: Any, look: Look, kinds: dict[int, _Kind], place: tuple[int, int], cell: Any
) -> Any:
    """Return a cell's value; None where it is empty. What is special is looked at."""
    import xlrd

    value = cell.value
    if cell.ctype in (xlrd.XL_CELL_EMPTY, xlrd.XL_CELL_BLANK):
        return None
    if cell.ctype == xlrd.XL_CELL_TEXT:
        return value or None
    if cell.ctype == xlrd.XL_CELL_BOOLEAN:
        return bool(value)
    if cell.ctype == xlrd.XL_CELL_ERROR:
        told = xlrd.error_text_from_code.get(value, "#ERROR")
        look.errors[place] = told
        return told
    kind = kinds.get(cell.xf_index, _Kind("number", 0))
    if kind.shows in ("date", "time", "length"):
        return _moment(look, place, float(value), kind.shows, book.datemode == 1)
    if kind.digits and value.is_integer():
        sign = "-" if value < 0 else ""
        return sign + str(abs(int(value))).zfill(kind.digits)
    if kind.shows == "percent":
        look.percent.append(place)
    return float(value)


def _moment(
    look: Look, place: tuple[int, int], number: float, shows: str, begins_1904: bool
) -> Any:
    """Return what a number means whose format is of dates, times or lengths of time."""
    if abs(number) > _LAST_DAY:
        return number
    if shows == "length":
        return datetime.timedelta(days=number)
    if number < 0 or (number == 0 and shows == "date" and not begins_1904):
        text = plain_number(f"{number:.15g}")
        look.mark_odd(NEGATIVE_DATE, place, text)
        return text
    day, thousandths = divmod(round(number * _DAY_MILLISECONDS), _DAY_MILLISECONDS)
    time = (datetime.datetime.min + datetime.timedelta(milliseconds=thousandths)).time()
    if shows == "time":
        if not day:
            return time
        look.odd.setdefault(OVER_A_DAY, {})[place] = plain_number(f"{number:.15g}")
        return datetime.timedelta(days=number)
    if begins_1904:
        date = _BEGINS_1904 + datetime.timedelta(days=day)
    elif day == _NO_DAY:
        text = "1900-02-29" + (f"T{time.isoformat('seconds')}" if thousandths else "")
        look.mark_odd(NO_SUCH_DAY, place, text)
        return text
    else:
        date = _BEGINS_1900 + datetime.timedelta(days=day - (day > _NO_DAY))
    return datetime.datetime.combine(date, time) if thousandths else date
