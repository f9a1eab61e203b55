"""Reading workbooks: XLSX (ISO/IEC 29500) and ODS (ISO/IEC 26300), by python-calamine.

A cell becomes text the way a person would copy it down; see `cell_text`. What the
library does not tell (error cells, hidden rows, number formats that show leading zeros
or per cent) is looked up in the tab's XML.
"""

from __future__ import annotations

import datetime
import fnmatch
import hashlib
import io
import itertools
import re
import zipfile
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from typing import Any
from xml.etree import ElementTree

import msgspec
import numpy as np

from gruff_ledger.lists.address import Fragment, is_pattern
from gruff_ledger.lists.grid import Grid, Place, Remarks, read_grid, text_columns
from gruff_ledger.lists.reading import Reading, ReadingTerms
from gruff_ledger.lists.settle import unknown_part
from gruff_ledger.lists.source import Opened
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import Problem, UnreadableSource
from gruff_ledger.table import Origin, text_column

# An archive that unpacks to more is refused before any of it is unpacked.
MOST_UNPACKED_BYTES = 1 << 30

# The reader holds every cell between the first and the last one in use.
MOST_CELLS = 1 << 26

# Significant digits of a number that a workbook program stores and shows.
_DIGITS = 15

# Beyond these powers of ten a number is written with its exponent.
_MOST_EXPONENT, _LEAST_EXPONENT = 20, -15

_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_STRICT = "{http://purl.oclc.org/ooxml/spreadsheetml/main}"

# Patterns that are looked for in all of a tab begin with plain text, by which they are
# found fast; elements may have a prefix.
_CELL_TAG = re.compile(rb"c ([^>]*?)/?>")
_REFERENCE = re.compile(rb'\br="([A-Z]{1,3})(\d{1,9})"')
_STYLE = re.compile(rb'\bs="(\d+)"')
_ERROR_MARK = b't="e"'
_VALUE = re.compile(rb"v>([^<]*)<")
# The end of a formula, and right after it, but for an empty value, that of its cell.
_UNSTORED_END = re.compile(
    rb"f(?:>| [^>]*/>)\s*(?:<(?:\w+:)?v\s*/>|<(?:\w+:)?v>\s*</(?:\w+:)?v>)?\s*"
    rb"</(?:\w+:)?c>"
)
_ROW_NUMBER = re.compile(rb'row [^>]*?r="(\d{1,9})"')
_HIDDEN_ROW = re.compile(rb'row (?=[^>]*hidden="(?:1|true)")[^>]*?r="(\d+)"')
_LATE_COLUMN = re.compile(rb' r="[A-Z]{2}')


class Tab(msgspec.Struct, frozen=True):
    """A tab of a workbook: its name, and whether it is shown."""

    name: str
    shown: bool


class _Look(msgspec.Struct):
    """What the XML of a tab tells beside the values; cells by (row, column) from 1."""

    errors: dict[tuple[int, int], str] = msgspec.field(default_factory=dict)
    unstored: list[tuple[int, int]] = msgspec.field(default_factory=list)
    padded: dict[tuple[int, int], int] = msgspec.field(default_factory=dict)
    percent: list[tuple[int, int]] = msgspec.field(default_factory=list)
    hidden_rows: list[int] = msgspec.field(default_factory=list)


class _Book(msgspec.Struct, frozen=True, eq=False):
    """An opened workbook, kept for the next tab of it."""

    data: bytes
    archive: zipfile.ZipFile
    library: Any
    tabs: tuple[Tab, ...]
    is_ods: bool


def workbook_parts(
    opened: Opened, fragment: Fragment
) -> tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]:
    """
    Tell which tabs an address means.

    Parameters
    ----------
    opened : Opened
    fragment : Fragment
        Its `sheet` is a name, a position from 1, a pattern, or None for the first tab
        that is shown.

    Returns
    -------
    parts : tuple of (name, fragment)
        A fragment for each tab, which names it.
    notes : tuple of Note

    Raises
    ------
    UnreadableSource
        If it is no workbook, or has no such tab.
    """
    tabs = _book(opened).tabs
    names = [tab.name for tab in tabs]
    wanted = fragment.sheet
    notes: tuple[Note, ...] = ()
    if wanted is None:
        shown = [tab for tab in tabs if tab.shown] or list(tabs)
        chosen = [shown[0].name]
        if len(tabs) > 1:
            others = ", ".join(f"'{each}'" for each in names if each != chosen[0])
            notes = (
                Note(
                    f"{opened.name}: the workbook has {len(tabs)} tabs; '{chosen[0]}' "
                    f"was read, and not {others}.",
                    "To read another, name it at the end of the address: #sheet=NAME, "
                    "or #sheet=* for all.",
                ),
            )
    elif wanted in names:
        chosen = [wanted]
    elif is_pattern(wanted):
        matching = [
            tab
            for tab in tabs
            if fnmatch.fnmatchcase(tab.name.casefold(), wanted.casefold())
        ]
        chosen = [tab.name for tab in matching if tab.shown]
        hidden = [tab.name for tab in matching if not tab.shown]
        if not chosen:
            raise unknown_part(opened, "tab", wanted, names)
        if hidden:
            told = ", ".join(f"'{each}'" for each in hidden)
            notes = (
                Note(
                    f"{opened.name}: hidden tabs were left out: {told}.",
                    "To read one, name it in the address: #sheet=NAME.",
                    warning=True,
                ),
            )
    elif wanted.isdecimal() and 1 <= int(wanted) <= len(names):
        chosen = [names[int(wanted) - 1]]
    else:
        alike = [name for name in names if name.casefold() == wanted.strip().casefold()]
        if len(alike) != 1:
            raise unknown_part(opened, "tab", wanted, names)
        chosen = alike
        notes = (
            Note(f"{opened.name}: there is no tab '{wanted}'; '{alike[0]}' was read."),
        )
    return (
        tuple((name, msgspec.structs.replace(fragment, sheet=name)) for name in chosen),
        notes,
    )


def read_workbook(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read one tab of a workbook into a table.

    Raises
    ------
    UnreadableSource
        If the file is damaged or protected by a password, unpacks to too much, or its
        tab is empty or has none of the rows or columns stated.
    """
    book = _book(opened)
    if fragment.sheet is None:
        ((_, fragment),), _ = workbook_parts(opened, fragment)
    name = fragment.sheet
    assert name is not None
    xml = _tab_xml(opened, book, name)
    looking = _look_ods if book.is_ods else _look_xlsx
    # The library loads a tab without holding up Python.
    with ThreadPoolExecutor(1) as thread:
        waiting = thread.submit(looking, opened, book, name, xml)
        sheet = _guarded(opened, lambda: book.library.get_sheet_by_name(name))
        look = waiting.result()
    first_row, first_col = sheet.start or (0, 0)
    columns = _guarded(
        opened,
        lambda: text_columns(_rows(sheet, look, first_row, first_col), cell_text),
    )
    merged = _guarded(opened, lambda: sheet.merged_cell_ranges) or []
    shown = next((tab.shown for tab in book.tabs if tab.name == name), True)
    written: dict[str, Any] = {"tab": name}
    if not shown:
        written["hidden"] = True
    grid = Grid(
        columns,
        first_row + 1,
        first_col + 1,
        written,
        lambda place: _remarks(opened.name, place, look, merged),
    )
    return read_grid(
        grid,
        opened,
        terms,
        fragment,
        format_name="ods" if book.is_ods else "xlsx",
        source=source,
        sha256=_sha256(opened, book) if hashed else None,
    )


def cell_text(value: Any) -> str:
    """
    Return a cell's value as a person would copy it down.

    Numbers have 15 significant digits at most, which is what workbook programs keep and
    show, and no exponent unless they are very large or small; dates and times are those
    of ISO 8601, lengths of time are hours, minutes and seconds.

    Examples
    --------
    >>> cell_text(12.0), cell_text(4.9000000000000004), cell_text(True)
    ('12', '4.9', 'TRUE')
    """
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, float | int):
        return number_text(value)
    if isinstance(value, datetime.datetime):
        parts = "milliseconds" if value.microsecond else "seconds"
        return value.isoformat(timespec=parts)
    if isinstance(value, datetime.timedelta):
        seconds = round(value.total_seconds())
        sign, seconds = ("-", -seconds) if seconds < 0 else ("", seconds)
        return f"{sign}{seconds // 3600}:{seconds // 60 % 60:02}:{seconds % 60:02}"
    if isinstance(value, datetime.date | datetime.time):
        return value.isoformat()
    return "" if value is None else str(value)


def number_text(value: float) -> str:
    """
    Return a number with at most 15 significant digits, without a needless point.

    Examples
    --------
    >>> number_text(1e20), number_text(1.5e-7), number_text(1e300), number_text(-0.0)
    ('100000000000000000000', '0.00000015', '1E+300', '0')
    """
    text = f"{value:.{_DIGITS}g}"
    if "e" not in text:
        return "0" if text == "-0" else text
    number = Decimal(text)
    if _LEAST_EXPONENT <= number.adjusted() <= _MOST_EXPONENT:
        return f"{number:f}"
    return str(number.normalize())


# Opening --------------------------------------------------------------------------


def _book(opened: Opened) -> _Book:
    book = opened.memo.get("workbook")
    if book is None:
        book = opened.memo["workbook"] = _open_book(opened)
    return book


def _open_book(opened: Opened) -> _Book:
    from python_calamine import CalamineWorkbook, SheetTypeEnum, SheetVisibleEnum

    with opened.start() as stream:
        data = stream.read()
    if data.startswith(b"\xd0\xcf\x11\xe0"):
        raise UnreadableSource(
            "it is a workbook of the old binary kind, or one protected by a password.",
            "Open it in a workbook program and save it as XLSX without a password.",
            file=opened.address,
        )
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        names = set(archive.namelist())
    except (zipfile.BadZipFile, ValueError, NotImplementedError, OSError) as error:
        raise _damaged(opened) from error
    _refuse_bomb(opened, archive)
    is_ods = "content.xml" in names
    if not is_ods and "xl/workbook.xml" not in names:
        is_ods = b"opendocument.spreadsheet" in _member(opened, archive, "mimetype")
        if not is_ods and not any(name.endswith("workbook.xml") for name in names):
            raise UnreadableSource(
                "it is an archive, but no XLSX or ODS workbook.",
                "Unpack it, or save the workbook as XLSX.",
                file=opened.address,
            )
    for name in names if not is_ods else ():
        # What the library unpacks, found to be as long as it is said to be.
        if name.endswith((".xml", ".rels")) and "/worksheets/" not in name:
            _member(opened, archive, name)
    if is_ods:
        _member(opened, archive, "content.xml")
    library = _guarded(opened, lambda: CalamineWorkbook.from_filelike(io.BytesIO(data)))
    tabs = tuple(
        Tab(each.name, each.visible == SheetVisibleEnum.Visible)
        for each in library.sheets_metadata
        if each.typ == SheetTypeEnum.WorkSheet
    )
    if not tabs:
        raise UnreadableSource(
            "the workbook has no tab with cells.",
            "Send one that has.",
            file=opened.address,
        )
    return _Book(data, archive, library, tabs, is_ods)


def _refuse_bomb(opened: Opened, archive: zipfile.ZipFile) -> None:
    unpacked = sum(each.file_size for each in archive.infolist())
    if unpacked > MOST_UNPACKED_BYTES:
        raise UnreadableSource(
            f"it would unpack to {unpacked / 1e9:.1f} GB; workbooks over "
            f"{MOST_UNPACKED_BYTES / 1e9:.1f} GB are not opened.",
            "If it is to be trusted, save the tab as delimited text.",
            file=opened.address,
        )


def _member(opened: Opened, archive: zipfile.ZipFile, name: str) -> bytes:
    """Return a member of the archive; it is never longer than the archive says."""
    try:
        return archive.read(name)
    except KeyError:
        return b""
    except RuntimeError as error:  # This is how the module tells of a password.
        raise UnreadableSource(
            "it is protected by a password.",
            "Save it without one.",
            file=opened.address,
        ) from error
    except Exception as error:  # Whatever else unpacking can meet in a damaged file.
        raise _damaged(opened) from error


def _guarded(opened: Opened, made: Callable[[], Any]) -> Any:
    """Call the library; what it cannot read is a problem of the file."""
    try:
        return made()
    except (KeyboardInterrupt, SystemExit, MemoryError, Problem):
        raise
    except BaseException as error:  # A panic of the library is no Exception.
        if "assword" in str(error):
            raise UnreadableSource(
                "it is protected by a password.",
                "Save it without one.",
                file=opened.address,
            ) from error
        raise _damaged(opened) from error


def _damaged(opened: Opened) -> UnreadableSource:
    return UnreadableSource(
        "it is damaged: it cannot be read as a workbook.",
        "Open it in a workbook program, save it anew, or ask for it again.",
        file=opened.address,
    )


def _sha256(opened: Opened, book: _Book) -> Callable[[], str]:
    def digest() -> str:
        if "sha256" not in opened.memo:
            opened.memo["sha256"] = hashlib.sha256(book.data).hexdigest()
        known: str = opened.memo["sha256"]
        return known

    return digest


# What the XML tells ---------------------------------------------------------------


def _tab_xml(opened: Opened, book: _Book, name: str) -> bytes:
    """Return the XML that holds a tab, having seen that it can be loaded."""
    if book.is_ods:
        xml = _member(opened, book.archive, "content.xml")
        rows, columns, cells = _ods_extent(xml, name)
        _refuse_vast(opened, cells, 1)
    else:
        xml = _member(opened, book.archive, _tab_member(opened, book, name))
        rows, columns = _extent(xml)
    _refuse_vast(opened, rows, columns)
    return xml


def _look_xlsx(opened: Opened, book: _Book, name: str, xml: bytes) -> _Look:
    look = _Look()
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
            cell = xml.rfind(b' r="', 0, match.start())
            tag = xml[xml.rfind(b"<", 0, max(cell, 0)) : xml.find(b">", max(cell, 0))]
            place = _cell_place(tag)
            if place is not None and b't="str"' not in tag:
                look.unstored.append(place)
    if b"hidden=" in xml:
        look.hidden_rows = [int(match) for match in _HIDDEN_ROW.findall(xml)]
    padded, percent = _styles(opened, book)
    if padded or percent:
        for match in _CELL_TAG.finditer(xml):
            style = _STYLE.search(match[1])
            number = int(style[1]) if style else 0
            if number in padded or number in percent:
                place = _cell_place(match[1])
                if place is None or b't="s"' in match[1]:
                    continue
                if number in padded:
                    look.padded[place] = padded[number]
                else:
                    look.percent.append(place)
    return look


def _tab_member(opened: Opened, book: _Book, name: str) -> str:
    """Return the archive member that holds a tab; empty if it cannot be told."""
    root = _parsed(opened, _member(opened, book.archive, "xl/workbook.xml"))
    links = _parsed(opened, _member(opened, book.archive, "xl/_rels/workbook.xml.rels"))
    if root is None or links is None:
        return ""
    targets = {each.get("Id"): each.get("Target", "") for each in links}
    for sheet in root.iter():
        if (
            sheet.tag in (f"{_MAIN}sheet", f"{_STRICT}sheet")
            and sheet.get("name") == name
        ):
            link = next(
                (value for key, value in sheet.items() if key.endswith("}id")), None
            )
            target = targets.get(link, "")
            return target[1:] if target.startswith("/") else f"xl/{target}"
    return ""


def _parsed(opened: Opened, xml: bytes) -> ElementTree.Element | None:
    if not xml:
        return None
    try:
        return ElementTree.fromstring(xml)
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise _damaged(opened) from error


def _extent(xml: bytes) -> tuple[int, int]:
    """Return, from above, how many rows and columns the cells in use span."""
    rows = max(map(int, _ROW_NUMBER.findall(xml)), default=0)
    digits = len(str(rows))
    columns = 26
    # Hardly ever is there a column after Z, or a cell in a row that is not there.
    if not re.search(rb' r="(?:[A-Z]{2}|[A-Z]\d{%d})' % (digits + 1), xml):
        return rows, columns
    if re.search(rb' r="[A-Z]{1,3}\d{%d}' % (digits + 1), xml):
        cells = re.findall(rb' r="[A-Z]{1,3}(\d+)"', xml)
        rows = max(rows, max(map(int, cells), default=0))
    if _LATE_COLUMN.search(xml):
        letters = set(re.findall(rb' r="([A-Z]{1,3})\d', xml))
        columns = max(map(_column_number, letters), default=0)
    return rows, columns


def _refuse_vast(opened: Opened, rows: int, columns: int) -> None:
    if rows * columns > MOST_CELLS:
        raise UnreadableSource(
            f"its cells in use span {rows} rows and {columns} columns, which is more "
            "than can be held.",
            "Delete the stray cells at its end, or save the tab as delimited text.",
            file=opened.address,
        )


def _column_number(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + letter - ord("A") + 1
    return number


def _cell_place(attributes: bytes) -> tuple[int, int] | None:
    match = _REFERENCE.search(attributes)
    return None if match is None else (int(match[2]), _column_number(match[1]))


def _styles(opened: Opened, book: _Book) -> tuple[Mapping[int, int], frozenset[int]]:
    """Return the styles that show leading zeros, with their digits; and per cent."""
    known = opened.memo.get("styles")
    if known is not None:
        return known  # type: ignore[no-any-return]
    padded: dict[int, int] = {}
    percent: set[int] = set()
    root = _parsed(opened, _member(opened, book.archive, "xl/styles.xml"))
    if root is not None:
        space = _STRICT if root.tag.startswith(_STRICT) else _MAIN
        codes = {
            each.get("numFmtId"): each.get("formatCode", "")
            for each in root.iter(f"{space}numFmt")
        }
        styles = root.find(f"{space}cellXfs")
        for number, style in enumerate(styles if styles is not None else ()):
            kind = style.get("numFmtId", "0")
            code = codes.get(kind, "0%" if kind in ("9", "10") else "")
            first = code.partition(";")[0].strip().strip('"')
            if re.fullmatch(r"0{2,}", first):
                padded[number] = len(first)
            elif "%" in re.sub(r'"[^"]*"|\\.', "", code):
                percent.add(number)
    opened.memo["styles"] = padded, frozenset(percent)
    return opened.memo["styles"]  # type: ignore[no-any-return]


_ODS_TAG = re.compile(
    rb"<table:(?:(table\b(?!-)[^>]*)|(table-row\b[^>]*)|"
    rb"((?:covered-)?table-cell\b[^>]*))>"
)
_ODS_NAME = re.compile(rb'table:name="([^"]*)"')
_COLUMNS_REPEATED = re.compile(rb'number-columns-repeated="(\d+)"')
_ROWS_REPEATED = re.compile(rb'number-rows-repeated="(\d+)"')


def _look_ods(opened: Opened, book: _Book, name: str, xml: bytes) -> _Look:
    look = _Look()
    row, repeat = 0, 0
    for row_tag, cell in _ods_tags(xml, name):
        if not cell:
            row += repeat
            repeat = _repeats(_ROWS_REPEATED, row_tag)
            if b'visibility="collapse"' in row_tag or b'visibility="filter"' in row_tag:
                look.hidden_rows += range(row + 1, row + min(repeat, 1000) + 1)
    return look


def _ods_extent(xml: bytes, name: str) -> tuple[int, int, int]:
    """Return how many rows and columns the cells in use span, and how many they are."""
    row, last_row, last_column, column, repeat, filled = 0, 1, 1, 0, 0, 0
    for row_tag, cell in _ods_tags(xml, name):
        if cell:
            count = _repeats(_COLUMNS_REPEATED, cell)
            column += count
            if not cell.endswith(b"/") or b"office:value" in cell:
                last_column = max(last_column, column)
                last_row = row + repeat
                filled += count * repeat
        else:
            row += repeat
            repeat, column = _repeats(_ROWS_REPEATED, row_tag), 0
    return last_row, last_column, filled


def _ods_tags(xml: bytes, name: str) -> Iterator[tuple[bytes, bytes]]:
    """Yield the tag of each row or cell of a tab; the other one is empty."""
    here = False
    for table, row, cell in _ODS_TAG.findall(xml):
        if table:
            found = _ODS_NAME.search(table)
            here = found is not None and _unescaped(found[1]) == name
        elif here:
            yield row, cell


def _unescaped(text: bytes) -> str:
    import html

    return html.unescape(text.decode("utf-8", "replace"))


def _repeats(pattern: re.Pattern[bytes], attributes: bytes) -> int:
    match = pattern.search(attributes)
    return min(int(match[1]), 1 << 31) if match and len(match[1]) < 12 else 1


def _rows(
    sheet: Any, look: _Look, first_row: int, first_col: int
) -> Iterator[list[Any]]:
    """Yield the rows in use, with the texts of error cells and of leading zeros."""
    special: dict[int, list[tuple[int, str | int]]] = {}
    for cells in (look.errors, look.padded):
        for (row, col), what in cells.items():
            special.setdefault(row, []).append((col - 1 - first_col, what))
    # The library begins at the first row of the tab, whatever is in use.
    rows = itertools.islice(sheet.iter_rows(), first_row, None)
    if not special:
        yield from rows
        return
    for number, row in enumerate(rows, first_row + 1):
        for col, what in special.get(number, ()):
            if 0 <= col < len(row):
                is_text = isinstance(what, str)
                row[col] = what if is_text else _zero_padded(row[col], int(what))
        yield row


def _zero_padded(value: Any, digits: int) -> Any:
    if isinstance(value, float) and value.is_integer() and abs(value) < 10**_DIGITS:
        sign = "-" if value < 0 else ""
        return sign + str(abs(int(value))).zfill(digits)
    return value


# Remarks --------------------------------------------------------------------------


def _remarks(
    name: str, place: Place, look: _Look, merged: list[tuple[Any, Any]]
) -> Remarks:
    findings = (
        *_cell_findings(
            place,
            look.errors,
            "error in the workbook",
            "The cell holds an error of the workbook, not a value.",
        ),
        *_cell_findings(
            place,
            dict.fromkeys(look.unstored, ""),
            "formula without a result",
            "The cell holds a formula whose result is not stored; it was read as "
            "blank. Open the workbook, let it calculate, and save it.",
        ),
    )
    return findings, tuple(_notes(name, place, look, merged))


def _cell_findings(
    place: Place, cells: Mapping[tuple[int, int], str], rule: str, message: str
) -> Iterator[Finding]:
    by_field: dict[str, list[tuple[int, str]]] = {}
    for (row, col), text in cells.items():
        heading, number = place.heading(col), place.record(row)
        if heading is not None and number is not None:
            by_field.setdefault(heading, []).append((number, text))
    for heading, found in by_field.items():
        found.sort()
        yield Finding(
            rule,
            Severity.WARN,
            message,
            heading,
            _origin(place, [number for number, _ in found]),
            text_column([text for _, text in found]),
        )


def _notes(
    name: str, place: Place, look: _Look, merged: list[tuple[Any, Any]]
) -> Iterator[Note]:
    hidden = [number for row in look.hidden_rows if (number := place.record(row))]
    if hidden:
        rows = "1 record stands" if len(hidden) == 1 else f"{len(hidden)} records stand"
        yield Note(
            f"{name}: {rows} in hidden rows; they are read like the others.",
            "To leave them out, delete them in the workbook.",
            _origin(place, hidden),
            warning=True,
        )
    joined = [
        number
        for (first, left), (last, _) in merged
        if (number := place.record(max(first + 1, place.heading_row + 1))) is not None
        and last + 1 > place.heading_row
        and place.heading(left + 1) is not None
    ]
    if joined:
        areas = "1 merged area" if len(joined) == 1 else f"{len(joined)} merged areas"
        yield Note(
            f"{name}: {areas} among the records; the value stands in the first cell, "
            "the others are blank.",
            "",
            _origin(place, sorted(joined)),
            warning=True,
        )
    percent = [
        number
        for row, col in look.percent
        if (number := place.record(row)) is not None and place.heading(col) is not None
    ]
    if percent:
        cells = "1 cell is" if len(percent) == 1 else f"{len(percent)} cells are"
        yield Note(
            f"{name}: {cells} shown as per cent in the workbook; the number stored was "
            "taken, 0.25 for 25%.",
            "",
            _origin(place, sorted(percent)),
        )


def _origin(place: Place, numbers: list[int]) -> Origin:
    at = np.array(numbers, np.int64)
    return Origin(np.full(len(at), place.source, np.int32), at)
