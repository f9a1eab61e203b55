"""What the XML of a tab tells beside the values of its cells.

Workbooks are ZIP archives of XML: XLSX (ISO/IEC 29500) and ODS (`ods.read`). The
library that reads them gives values; here error cells, formulas without results, hidden
rows and some formats are looked up.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Mapping
from typing import Any

import msgspec

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.cell_texts import number_text
from gruff_ledger.lists.workbook.package_parts import parse_xml
from gruff_ledger.lists.workbook.places import column_number
from gruff_ledger.lists.workbook.regular.cells import plain_styles
from gruff_ledger.lists.workbook.tab_sizes import MOST_COLUMNS
from gruff_ledger.lists.workbook.xlsx_package import Package

_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_STRICT = "{http://purl.oclc.org/ooxml/spreadsheetml/main}"

# The last day that a date can have, 31 December 9999.
LAST_DAY = 2_958_465

# So many days are no hours that somebody counted, but a date: one of 1927.
_DATES_FROM = 10_000

# From here days count that are after February 1900.
_BEFORE_1900 = datetime.datetime(1899, 12, 30)
_BEFORE_1904 = datetime.datetime(1904, 1, 1)

# Patterns that are looked for in all of a tab begin with plain text, by which they are
# found fast; elements may have a prefix.
_STYLED_CELL = late_pattern(rb'c ((?:[^>]*?\bs="(\d+)")?[^>]*?)/?>')
_REFERENCE = late_pattern(rb'\br="([A-Z]{1,3})(\d{1,9})"')
_STYLE = late_pattern(rb'\bs="(\d+)"')
_ERROR_MARK = b't="e"'
_VALUE = late_pattern(rb"v>([^<]*)<")
# The end of a formula, and right after it, but for an empty value, that of its cell.
_UNSTORED_END = late_pattern(
    rb"f(?:>| [^>]*/>)\s*(?:<(?:\w+:)?v\s*/>|<(?:\w+:)?v>\s*</(?:\w+:)?v>)?\s*"
    rb"</(?:\w+:)?c>"
)
_HIDDEN_ROW = late_pattern(rb'row (?=[^>]*hidden="(?:1|true)")[^>]*?r="(\d+)"')
_COLUMN_TAG = late_pattern(rb"<(?:\w+:)?col ([^>]*)>")
_HIDDEN = late_pattern(rb'\bhidden="(?:1|true)"')
_FIRST_COLUMN = late_pattern(rb'\bmin="(\d{1,6})"')
_LAST_COLUMN = late_pattern(rb'\bmax="(\d{1,6})"')
_TEXT_TYPE = late_pattern(rb'\bt="(?!n")')
# A number of 16 digits and more, written out or with an exponent.
_LONG_NUMBER = late_pattern(rb"v>(?:(-?\d{16,})|(-?\d\.\d+[eE]\+?(?:1[5-9]|2\d)))</")
# Numbers that are no date; that have no day in the calendar; that are days and more.
_NEGATIVE = late_pattern(rb"v>(-[\d.]+(?:[eE][+-]?\d+)?)</")
_NO_DAY = late_pattern(rb"v>(0|60(?:\.\d+)?)</")
_SOME_DAYS = late_pattern(rb"v>([1-9][\d.]*(?:[eE][+]?\d+)?)</")


CellPlace = tuple[int, int]
Span = tuple[CellPlace, CellPlace]


class Decimals(int):
    """How many decimals the format of a number shows."""


class Look(msgspec.Struct):
    """
    What the XML of a tab tells beside the values; cells by (row, column) from 1.

    Attributes
    ----------
    values : dict
        Values that take the place of those of the library: texts, times, or lengths of
        time.
    errors : dict
        Cells that hold errors, with their texts.
    odd : dict
        For each rule that a cell can break, the cells with their texts.
    decimals : dict
        Cells whose format shows so many decimals.
    merged : list
        First and last cell of each merged area, from 0, where the library tells none.
    """

    values: dict[CellPlace, Any] = msgspec.field(default_factory=dict)
    errors: dict[CellPlace, str] = msgspec.field(default_factory=dict)
    odd: dict[str, dict[CellPlace, str]] = msgspec.field(default_factory=dict)
    unstored: list[CellPlace] = msgspec.field(default_factory=list)
    padded: dict[CellPlace, int] = msgspec.field(default_factory=dict)
    decimals: dict[CellPlace, Decimals] = msgspec.field(default_factory=dict)
    percent: list[CellPlace] = msgspec.field(default_factory=list)
    hidden_rows: list[int] = msgspec.field(default_factory=list)
    hidden_cols: list[int] = msgspec.field(default_factory=list)
    merged: list[Span] = msgspec.field(default_factory=list)

    def hide_columns(self, first: int, last: int) -> None:
        """Take columns as hidden, from 1; they come in order, and each counts once."""
        known = self.hidden_cols[-1] if self.hidden_cols else 0
        shown = range(max(first, known + 1), min(last, MOST_COLUMNS) + 1)
        self.hidden_cols += shown

    def mark_odd(self, rule: str, place: CellPlace, text: str) -> None:
        """Take a cell for a finding, and the text to read it as."""
        self.odd.setdefault(rule, {})[place] = text
        self.values[place] = text


# Rules on cells of a workbook, and what is said of those that break them.
NEGATIVE_DATE = "negative date"
NO_SUCH_DAY = "no such day"
OVER_A_DAY = "time over 24 hours"
TIME_WITH_DATE = "time with a date"
MANY_DIGITS = "more than 15 digits"
ODD_CELLS = {
    NEGATIVE_DATE: "The cell is formatted as a date or time and holds a number that "
    "cannot be one; it was read as that number.",
    NO_SUCH_DAY: "The workbook's calendar has 29 February 1900, which never existed.",
    OVER_A_DAY: "The cell is formatted as a time of day and holds more than 24 hours; "
    "it was read as that length of time.",
    TIME_WITH_DATE: "The cell is formatted as a time of day and holds a date too; both "
    "were read.",
    MANY_DIGITS: "The cell holds a number of more than 15 digits; workbook programs "
    "keep and show 15.",
}


def look_at_xlsx(opened: Opened, package: Package, xml: bytes) -> Look:
    """Look up what is special in a tab of an XLSX workbook."""
    look = Look()
    at = xml.find(_ERROR_MARK)
    while at >= 0:
        end = xml.find(b">", at)
        place = _cell_place(xml[xml.rfind(b"<", 0, at) : end])
        value = _VALUE.search(xml, end, xml.find(b"c>", end))
        if place is not None and value is not None:
            look.errors[place] = value[1].decode("utf-8", "replace")
        at = xml.find(_ERROR_MARK, at + 1)
    if b"<f" in xml or b":f>" in xml:
        for match in _UNSTORED_END.finditer(xml):
            place, tag = _cell_around(xml, match.start())
            if place is not None and b't="str"' not in tag:
                look.unstored.append(place)
    if b"hidden=" in xml:
        look.hidden_rows = [int(match) for match in _HIDDEN_ROW.findall(xml)]
    if b"<cols" in xml or b":cols" in xml:
        for tag in _COLUMN_TAG.findall(xml, 0, xml.find(b"sheetData")):
            if _HIDDEN.search(tag):
                look.hide_columns(*_columns_of(tag))
    _look_for_long_numbers(look, xml)
    styles = styles_of(opened, package)
    _look_for_odd_times(look, xml, styles, package.begins_1904)
    padded, percent, decimals = styles.padded, styles.percent, styles.decimals
    wanted = {*padded, *percent, *decimals}
    if wanted:
        # Cells of other styles, which are most, are passed over as they are searched.
        numbers = b"|".join(b"%d" % number for number in sorted(wanted))
        cells = re.compile(rb'c ([^>]*?\bs="(%s)"[^>]*?)/?>' % numbers)
        # A cell that says no style has that of number 0.
        for match in (_STYLED_CELL if 0 in wanted else cells).finditer(xml):
            number = int(match[2] or 0)
            place = _cell_place(match[1])
            if number not in wanted or place is None or b't="s"' in match[1]:
                continue
            if number in padded:
                look.padded[place] = padded[number]
            elif number in decimals:
                look.decimals[place] = decimals[number]
            else:
                look.percent.append(place)
    return look


def _columns_of(tag: bytes) -> tuple[int, int]:
    """Return the first and the last column of an element; none where it says none."""
    first, last = _FIRST_COLUMN.search(tag), _LAST_COLUMN.search(tag)
    return (1, 0) if first is None or last is None else (int(first[1]), int(last[1]))


def _look_for_long_numbers(look: Look, xml: bytes) -> None:
    """Find whole numbers that lose digits: those written out are kept as they stand."""
    for match in _LONG_NUMBER.finditer(xml):
        place, attributes = _cell_around(xml, match.start())
        if place is None or _TEXT_TYPE.search(attributes):
            continue
        if match[1] is not None:
            look.mark_odd(MANY_DIGITS, place, match[1].decode())
        elif float(match[2]).is_integer():
            rounded = look.odd.setdefault(MANY_DIGITS, {})
            rounded[place] = match[2].decode()


def _look_for_odd_times(
    look: Look, xml: bytes, styles: _Styles, begins_1904: bool
) -> None:
    """
    Find numbers that their format of date or time cannot show.

    The library takes the part of a day of them. Formats of lengths of time can show all
    numbers.
    """
    for chosen, values in (
        (styles.dates | styles.times, _NEGATIVE),
        (styles.dates, _NO_DAY),
        (styles.times, _SOME_DAYS),
    ):
        for match in values.finditer(xml) if chosen else ():
            place, attributes = _cell_around(xml, match.start())
            style = _STYLE.search(attributes)
            if (
                place is not None
                and style is not None
                and int(style[1]) in chosen
                and not _TEXT_TYPE.search(attributes)
            ):
                _read_odd_time(
                    look,
                    place,
                    match[1].decode(),
                    int(style[1]) in styles.times,
                    begins_1904=begins_1904,
                )


def _cell_around(xml: bytes, value: int) -> tuple[CellPlace | None, bytes]:
    """Return the place of the cell that a value stands in, and its attributes."""
    reference = max(xml.rfind(b' r="', 0, value), 0)
    start, end = xml.rfind(b"<", 0, reference), xml.find(b">", reference)
    attributes = xml[start:end]
    return _cell_place(attributes), attributes


def _read_odd_time(
    look: Look, place: CellPlace, text: str, is_time: bool, *, begins_1904: bool
) -> None:
    number = float(text)
    if number == 0 and begins_1904:
        # That calendar has a day of this number.
        if not is_time:
            look.values[place] = _BEFORE_1904.date()
    elif number < 0 or number == 0:
        look.mark_odd(NEGATIVE_DATE, place, number_text(number))
    elif is_time:
        if number <= LAST_DAY:
            look.values[place] = over_a_day(look, place, number, begins_1904)
    elif not begins_1904:
        seconds = round((number - 60) * 86400)
        time = f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
        shown = "1900-02-29" + (f"T{time}" if seconds else "")
        look.mark_odd(NO_SUCH_DAY, place, shown)


def over_a_day(
    look: Look, place: CellPlace, number: float, begins_1904: bool
) -> datetime.timedelta | datetime.datetime:
    """Return what a number of days means that is formatted as a time of day."""
    rule = OVER_A_DAY if number < _DATES_FROM else TIME_WITH_DATE
    look.odd.setdefault(rule, {})[place] = number_text(number)
    if rule == OVER_A_DAY:
        return datetime.timedelta(days=number)
    since = datetime.timedelta(milliseconds=round(number * 86_400_000))
    return (_BEFORE_1904 if begins_1904 else _BEFORE_1900) + since


def _cell_place(attributes: bytes) -> tuple[int, int] | None:
    match = _REFERENCE.search(attributes)
    return None if match is None else (int(match[2]), column_number(match[1]))


class _Styles(msgspec.Struct, frozen=True):
    """
    Styles by what their number formats show.

    Attributes
    ----------
    padded : mapping of int to int
        Those that show leading zeros, with their digits.
    decimals : mapping of int to Decimals
        Those that show decimals, in workbooks of our own: in others a format may hide
        more than it shows.
    plain : frozenset of int
        Those that surely show a number as one, and as it is written.
    percent, dates, times : frozenset of int
        Dates have a day, month or year; times have none, and are no lengths of time.
    """

    padded: Mapping[int, int]
    decimals: Mapping[int, Decimals]
    plain: frozenset[int]
    percent: frozenset[int]
    dates: frozenset[int]
    times: frozenset[int]


# Those of them that show a number as one, by number too.
_PLAIN_KINDS = {"0", "1", "2", "3", "4", "9", "10", "37", "38", "39", "40", "49"}

# The formats that every workbook has, by number (ISO/IEC 29500-1, 18.8.30).
BUILT_IN_FORMATS = {
    "9": "0%",
    "10": "0.00%",
    **dict.fromkeys(("14", "15", "16", "17"), "d-m-y"),
    **dict.fromkeys(("18", "19", "20", "21", "45", "47"), "h:mm:ss"),
    "22": "d-m-y h:mm",
    "46": "[h]:mm:ss",
}


def styles_of(opened: Opened, package: Package) -> _Styles:
    """Return what the formats of a workbook show."""
    known = opened.memo.get("styles")
    if known is not None:
        return known  # type: ignore[no-any-return]
    padded: dict[int, int] = {}
    decimals: dict[int, Decimals] = {}
    kinds: dict[str, set[int]] = {"percent": set(), "date": set(), "time": set()}
    formats: dict[int, str] = {}
    root = parse_xml(opened, package.styles)
    if root is not None:
        space = _STRICT if root.tag.startswith(_STRICT) else _MAIN
        codes = {
            each.get("numFmtId"): each.get("formatCode", "")
            for each in root.iter(f"{space}numFmt")
        }
        styles = root.find(f"{space}cellXfs")
        for number, style in enumerate(styles if styles is not None else ()):
            kind = style.get("numFmtId", "0")
            code = codes.get(kind, BUILT_IN_FORMATS.get(kind, ""))
            formats[number] = code if kind in codes or kind in _PLAIN_KINDS else "?"
            first = _first_part(code)
            shown = format_kind(code)
            if digits := padded_digits(code):
                padded[number] = digits
            elif package.is_own and re.fullmatch(r"0\.0+", first):
                decimals[number] = Decimals(len(first) - 2)
            elif shown in kinds:
                kinds[shown].add(number)
    # Without formats a number is shown as it is.
    plain = plain_styles(formats or {0: ""}) - padded.keys() - kinds["percent"]
    found = _Styles(padded, decimals, plain, *map(frozenset, kinds.values()))
    opened.memo["styles"] = found
    return opened.memo["styles"]  # type: ignore[no-any-return]


def _first_part(code: str) -> str:
    """Return the part of a number format that is for numbers above zero."""
    return code.partition(";")[0].strip().strip('"')


def padded_digits(code: str) -> int:
    """
    Return how many digits a number format fills up with zeros; 0 where it does not.

    Examples
    --------
    >>> padded_digits("00000"), padded_digits("0"), padded_digits("0.00")
    (5, 0, 0)
    """
    first = _first_part(code)
    return len(first) if re.fullmatch(r"0{2,}", first) else 0


def format_kind(code: str) -> str:
    """
    Tell what a number format shows.

    Examples
    --------
    >>> [format_kind(code) for code in ("0.0%", "d/m/yy h:mm", "hh:mm", "[h]:mm", "0")]
    ['percent', 'date', 'time', 'length', 'number']
    """
    bare = re.sub(r'"[^"]*"|\\.|_.|\*.', "", code).lower().partition(";")[0]
    if "%" in bare:
        return "percent"
    if re.search(r"\[[hms]+\]", bare):
        return "length"
    bare = re.sub(r"\[[^\]]*\]|general|e[+-]|am/pm|a/p", "", bare)
    if re.search(r"[yde]", bare) or re.fullmatch(r"[^hs]*m[^hs]*", bare):
        return "date"
    return "time" if re.search(r"[hs]", bare) else "number"
