"""What the archive of a workbook tells beside the values of its cells.

Workbooks are ZIP archives of XML: XLSX (ISO/IEC 29500) and ODS (ISO/IEC 26300). The
library that reads them gives values; here an archive is seen to be safe to be read,
and error cells, formulas without results, hidden rows and some formats are looked up.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator, Mapping
from xml.etree import ElementTree

import msgspec

from gruff_ledger.lists.source import Opened
from gruff_ledger.problems import UnreadableSource

# An archive that unpacks to more is refused before any of it is unpacked.
MOST_UNPACKED_BYTES = 1 << 30

# The reader holds every cell between the first and the last one in use.
MOST_CELLS = 1 << 26

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


class Look(msgspec.Struct):
    """What the XML of a tab tells beside the values; cells by (row, column) from 1."""

    errors: dict[tuple[int, int], str] = msgspec.field(default_factory=dict)
    unstored: list[tuple[int, int]] = msgspec.field(default_factory=list)
    padded: dict[tuple[int, int], int] = msgspec.field(default_factory=dict)
    percent: list[tuple[int, int]] = msgspec.field(default_factory=list)
    hidden_rows: list[int] = msgspec.field(default_factory=list)


def refuse_bomb(opened: Opened, archive: zipfile.ZipFile) -> None:
    """Refuse an archive by the size that it says it unpacks to."""
    unpacked = sum(each.file_size for each in archive.infolist())
    if unpacked > MOST_UNPACKED_BYTES:
        raise UnreadableSource(
            f"it would unpack to {unpacked / 1e9:.1f} GB; workbooks over "
            f"{MOST_UNPACKED_BYTES / 1e9:.1f} GB are not opened.",
            "If it is to be trusted, save the tab as delimited text.",
            file=opened.address,
        )


def member(opened: Opened, archive: zipfile.ZipFile, name: str) -> bytes:
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
        raise damaged(opened) from error


def damaged(opened: Opened) -> UnreadableSource:
    """Word that a file cannot be read as a workbook."""
    return UnreadableSource(
        "it is damaged: it cannot be read as a workbook.",
        "Open it in a workbook program, save it anew, or ask for it again.",
        file=opened.address,
    )


def tab_xml(
    opened: Opened, archive: zipfile.ZipFile, name: str, *, is_ods: bool
) -> bytes:
    """Return the XML that holds a tab, having seen that it can be loaded."""
    if is_ods:
        # All tabs of it were seen to when it was opened.
        return member(opened, archive, "content.xml")
    xml = member(opened, archive, _tab_member(opened, archive, name))
    rows, columns = _extent(xml)
    if rows * columns > MOST_CELLS:
        raise _vast(opened, f"{rows} rows and {columns} columns")
    return xml


def look_at_xlsx(
    opened: Opened, archive: zipfile.ZipFile, name: str, xml: bytes
) -> Look:
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
            cell = xml.rfind(b' r="', 0, match.start())
            tag = xml[xml.rfind(b"<", 0, max(cell, 0)) : xml.find(b">", max(cell, 0))]
            place = _cell_place(tag)
            if place is not None and b't="str"' not in tag:
                look.unstored.append(place)
    if b"hidden=" in xml:
        look.hidden_rows = [int(match) for match in _HIDDEN_ROW.findall(xml)]
    padded, percent = _styles(opened, archive)
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


def _tab_member(opened: Opened, archive: zipfile.ZipFile, name: str) -> str:
    """Return the archive member that holds a tab; empty if it cannot be told."""
    root = _parsed(opened, member(opened, archive, "xl/workbook.xml"))
    links = _parsed(opened, member(opened, archive, "xl/_rels/workbook.xml.rels"))
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
        raise damaged(opened) from error


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


def _vast(opened: Opened, span: str) -> UnreadableSource:
    return UnreadableSource(
        f"its cells in use span {span}, which is more than can be held.",
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


def _styles(
    opened: Opened, archive: zipfile.ZipFile
) -> tuple[Mapping[int, int], frozenset[int]]:
    """Return the styles that show leading zeros, with their digits; and per cent."""
    known = opened.memo.get("styles")
    if known is not None:
        return known  # type: ignore[no-any-return]
    padded: dict[int, int] = {}
    percent: set[int] = set()
    root = _parsed(opened, member(opened, archive, "xl/styles.xml"))
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


def look_at_ods(
    opened: Opened, archive: zipfile.ZipFile, name: str, xml: bytes
) -> Look:
    """Look up what is special in a tab of an ODS workbook."""
    look = Look()
    row, repeat = 0, 0
    for row_tag, cell in _ods_tags(xml, name):
        if not cell:
            row += repeat
            repeat = _repeats(_ROWS_REPEATED, row_tag)
            if b'visibility="collapse"' in row_tag or b'visibility="filter"' in row_tag:
                look.hidden_rows += range(row + 1, row + min(repeat, 1000) + 1)
    return look


def refuse_vast_ods(opened: Opened, archive: zipfile.ZipFile) -> None:
    """Refuse an ODS workbook with a tab whose cells, repeated, span too much."""
    row, last_row, last_column, column, repeat, filled = 0, 1, 1, 0, 0, 0
    for table, row_tag, cell in _ODS_TAG.findall(
        member(opened, archive, "content.xml")
    ):
        if table:
            row, last_row, last_column, column, repeat, filled = 0, 1, 1, 0, 0, 0
        elif cell:
            count = _repeats(_COLUMNS_REPEATED, cell)
            column += count
            if not cell.endswith(b"/") or b"office:value" in cell:
                last_column = max(last_column, column)
                last_row = row + repeat
                filled += count * repeat
                if max(filled, last_row * last_column) > MOST_CELLS:
                    raise _vast(opened, f"{last_row} rows and {last_column} columns")
        else:
            row += repeat
            repeat, column = _repeats(_ROWS_REPEATED, row_tag), 0


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
