"""What the XML of an ODS workbook (ISO/IEC 26300) tells beside its values.

The library gives values, but no tabs and line breaks in texts, no errors, no merged
areas and no formats; and lengths of time as they are written in the XML.
"""

from __future__ import annotations

import datetime
import html
import io
import re
import zipfile
from collections.abc import Mapping, Sequence
from typing import Any
from xml.etree import ElementTree

import msgspec
import numpy as np

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.ods.heads import Padded
from gruff_ledger.lists.workbook.ods.regular import OdsCells, regular_tabs
from gruff_ledger.lists.workbook.ods.tags import (
    COLUMNS_REPEATED,
    TabCells,
    Tags,
    tags_in,
    widest_row,
)
from gruff_ledger.lists.workbook.package_parts import member, parse_xml
from gruff_ledger.lists.workbook.tab_sizes import MOST_COLUMNS, Bounds, check_ods
from gruff_ledger.lists.workbook.tab_xml import MANY_DIGITS, CellPlace, Decimals, Look

_COLUMN = late_pattern(rb"<table:table-column(?=[\s/>])[^>]*>")
_COLUMNS_SPANNED = late_pattern(rb'number-columns-spanned="(\d+)"')
_ROWS_SPANNED = late_pattern(rb'number-rows-spanned="(\d+)"')
_STYLE = late_pattern(rb'(?:default-cell-)?style-name="([^"]*)"')
_TIME = late_pattern(rb'time-value="(-?)P(?:(\d+)D)?T(\d+)H(\d+)M(\d+(?:\.\d+)?)S"')
_LONG_NUMBER = late_pattern(rb'office:value="(-?\d{16,})"')
# What makes a cell special; each is looked for by itself, which is fastest.
_SPECIAL = [
    late_pattern(each)
    for each in (rb"time-value", rb'"percentage"', rb"spanned", rb'"error"')
]
_FLOAT = late_pattern(rb'"float"')
_BREAK = late_pattern(rb"<text:(?:tab|line-break)")
_HIDDEN = late_pattern(rb'visibility="(?:collapse|filter)"')

_SPACE_MARK = late_pattern(r"<text:s(?: [^>]*?text:c=\"(\d{1,6})\"[^>]*)?(?: [^>]*)?/>")
_NOTE = late_pattern(rb"<office:annotation\b.*?</office:annotation>", re.DOTALL)
_PARAGRAPH = late_pattern(r"<text:p\b(?:[^>]*/>|[^>]*>(.*?)</text:p>)", re.DOTALL)

# What this program writes of itself, and a number with zeros behind its decimals.
_OWN = b"<meta:generator>Gruff Ledger/"
_DECIMALS = late_pattern(rb'office:value="-?\d+\.(\d*0)"')

# White space between elements, where it means nothing.
_LAYOUT = late_pattern(rb">\s+<(/?(?:table|office|style|number|text:p)\b)")

# Where all of it is laid out, it is so from the start; the styles are before that.
_LAID_OUT = late_pattern(rb"<office:spreadsheet[^>]*>\s")
_HEAD_BYTES = 1 << 20

_LAYOUT_MARKS = (b">\n", b"> ", b">\t", b">\r")

# What is told of rows that stand for many.
_MOST_TOLD = 1000

# Names of the standard, for the parser.
_NUMBER = "{urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0}"
_STYLES = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"


class _Formats(msgspec.Struct, frozen=True):
    """Names of cell styles that show leading zeros, with their digits; or lengths."""

    padded: Mapping[str, int]
    lengths: frozenset[str]


class Content(msgspec.Struct, frozen=True, eq=False):
    """
    What the tabs of a workbook hold.

    Attributes
    ----------
    xml : bytes
        With all that is for the library to read.
    regular : mapping of OdsCells
        The cells that it is without, by the names of tabs.
    bounds : sequence of Bounds
        What each tab takes at most, where that is known.
    """

    xml: bytes
    regular: Mapping[str, OdsCells]
    bounds: Sequence[Bounds] = ()


def ods_content(
    opened: Opened, archive: zipfile.ZipFile, *, by_library: bool = False
) -> Content:
    """
    Return what the tabs of a workbook hold, with the regular cells read.

    Parameters
    ----------
    opened : Opened
    archive : ZipFile
    by_library : bool
        Whether all cells are left to the library.
    """
    opened.memo.pop("tags", None)
    xml = member(opened, archive, "content.xml")
    if _LAID_OUT.search(xml, 0, _HEAD_BYTES):
        xml = _without_layout(xml)
    if by_library:
        return Content(xml, {})
    styles = _formats(opened, archive, xml).padded
    defaults = [f'default-cell-style-name="{name}"'.encode() for name in styles]
    padded = Padded(frozenset(styles), any(each in xml for each in defaults))
    found = regular_tabs(xml, padded, as_written=_is_own(opened, archive))
    if found is None:
        return Content(xml, {})
    return Content(found.rest, found.tabs, found.bounds)


def _without_layout(xml: bytes) -> bytes:
    # Hardly ever does white space follow a tag, and that is found fast.
    body = max(0, xml.find(b"<office:body"))
    if any(xml.find(mark, body) >= 0 for mark in _LAYOUT_MARKS):
        return _LAYOUT.sub(rb"><\1", xml)
    return xml


def for_library(opened: Opened, archive: zipfile.ZipFile, content: Content) -> bytes:
    """
    Return an archive with what the library needs, after it was found safe to be read.

    Its XML has no line ends and spaces between its elements: some programs lay it out
    for people, which the library takes for a fault.

    Raises
    ------
    UnreadableSource
        If it is damaged, or its cells span too much.
    """
    xml = content.xml
    tags = tags_of(opened, xml)
    extents = [cells.extent for cells in content.regular.values()]
    spanned = len(tags.rows) * widest_row(tags)
    check_ods(opened, xml, spanned, extents, content.bounds)
    # It tells whether parts are encrypted.
    manifest = member(opened, archive, "META-INF/manifest.xml")
    parse_xml(opened, manifest)
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w") as made:
        made.writestr("mimetype", member(opened, archive, "mimetype"))
        made.writestr("content.xml", _without_layout(xml))
        if manifest:
            made.writestr("META-INF/manifest.xml", manifest)
    return sink.getvalue()


def look_at_ods(
    opened: Opened, archive: zipfile.ZipFile, name: str, content: Content
) -> Look:
    """Look up what is special in a tab of an ODS workbook."""
    look = Look()
    xml = content.xml
    if name in content.regular:
        look.percent += content.regular[name].percent()
    formats = _formats(opened, archive, xml)
    has_breaks = b"<text:tab" in xml or b"<text:line-break" in xml
    tab = TabCells(xml, tags_of(opened, xml), name)
    defaults = _look_at_columns(look, xml, tab, formats)
    for start, end in tab.spans:
        for match in _HIDDEN.finditer(xml, start, end):
            number = int(np.searchsorted(tab.rows, match.start())) - 1
            if number < 0 or match.start() > xml.find(b">", int(tab.rows[number])):
                continue
            first, count = int(tab.row_numbers[number]), int(tab.row_counts[number])
            look.hidden_rows += range(first, first + min(count, _MOST_TOLD))
    in_tags, in_bodies = [*_SPECIAL], []
    if formats.padded:
        names = b"|".join(re.escape(each.encode()) for each in formats.padded)
        by_style = re.compile(rb'style-name="(?:%s)"' % names)
        in_tags.append(_FLOAT if defaults else by_style)
    if _LONG_NUMBER.search(xml):
        in_tags.append(_LONG_NUMBER)
    if has_breaks:
        in_bodies.append(_BREAK)
    numbers: set[int] = set()
    for patterns, is_in_tag in ((in_tags, True), (in_bodies, False)):
        found = [
            match.start()
            for pattern in patterns
            for start, end in tab.spans
            for match in pattern.finditer(xml, start, end)
        ]
        numbers |= tab.cells_at(found, in_tags=is_in_tag)
    for number in sorted(numbers):
        end = tab.end_of(number)
        cell = xml[tab.start_of(number) : end]
        places = tab.places_of(number)
        _look_at_cell(look, cell, places, formats, defaults)
        if has_breaks or b'"error"' in cell:
            _look_at_text(look, xml, end + 1, cell, places)
    if _is_own(opened, archive):
        _look_for_decimals(look, xml, tab)
    return look


def _is_own(opened: Opened, archive: zipfile.ZipFile) -> bool:
    return _OWN in member(opened, archive, "meta.xml")


def _look_for_decimals(look: Look, xml: bytes, tab: TabCells) -> None:
    """Find the numbers that end with zeros behind a point; there can be many."""
    found = [
        match
        for start, end in tab.spans
        for match in _DECIMALS.finditer(xml, start, end)
    ]
    tags = np.array([xml.rfind(b"<", 0, each.start()) for each in found], np.int64)
    numbers = tab.numbers_of(tags)
    for number, match in zip(numbers.tolist(), found, strict=True):
        if number >= 0:
            decimals = Decimals(len(match[1]))
            look.decimals.update(dict.fromkeys(tab.places_of(number), decimals))


def tags_of(opened: Opened, xml: bytes) -> Tags:
    """Return the tags of a workbook's XML, which are found once."""
    if "tags" not in opened.memo:
        opened.memo["tags"] = tags_in(xml)
    return opened.memo["tags"]  # type: ignore[no-any-return]


def _look_at_columns(
    look: Look, xml: bytes, tab: TabCells, formats: _Formats
) -> dict[int, str]:
    """Look up the hidden columns; return those that show leading zeros by default."""
    declared = 0
    defaults: dict[int, str] = {}
    for start, end in tab.spans:
        for match in _COLUMN.finditer(xml, start, end):
            count = min(_repeats(COLUMNS_REPEATED, match[0]), MOST_COLUMNS)
            last = min(declared + count, MOST_COLUMNS)
            style = _STYLE.search(match[0])
            if style is not None and style[1].decode() in formats.padded:
                for place in range(declared + 1, last + 1):
                    defaults[place] = style[1].decode()
            if _HIDDEN.search(match[0]):
                look.hide_columns(declared + 1, last)
            declared = last
    return defaults


def _look_at_cell(
    look: Look,
    cell: bytes,
    places: list[CellPlace],
    formats: _Formats,
    defaults: Mapping[int, str],
) -> None:
    style = _STYLE.search(cell)
    named = style[1].decode() if style is not None else ""
    if b"time-value=" in cell:
        length = _length_of(cell)
        if length is not None:
            value: Any = length
            within = datetime.timedelta(0) <= length < datetime.timedelta(days=1)
            if within and named not in formats.lengths:
                value = (datetime.datetime.min + length).time()
            look.values.update(dict.fromkeys(places, value))
    elif b'"percentage"' in cell:
        look.percent += places
    elif b'"float"' in cell:
        for place in places if formats.padded else ():
            digits = formats.padded.get(named or defaults.get(place[1], ""))
            if digits is not None:
                look.padded[place] = digits
        long = _LONG_NUMBER.search(cell)
        for place in places if long is not None else ():
            assert long is not None
            look.mark_odd(MANY_DIGITS, place, long[1].decode())
    if b"spanned" in cell:
        down = _repeats(_ROWS_SPANNED, cell)
        across = _repeats(_COLUMNS_SPANNED, cell)
        if places and (down > 1 or across > 1):
            (top, left), *_ = places
            last = (top + down - 2, left + across - 2)
            look.merged.append(((top - 1, left - 1), last))


def _length_of(cell: bytes) -> datetime.timedelta | None:
    match = _TIME.search(cell)
    if match is None:
        return None
    sign, days, hours, minutes, seconds = match.groups()
    try:
        length = datetime.timedelta(
            days=int(days or 0),
            hours=int(hours),
            minutes=int(minutes),
            seconds=float(seconds),
        )
    except OverflowError:
        return None
    return -length if sign else length


def _look_at_text(
    look: Look, xml: bytes, start: int, cell: bytes, places: list[CellPlace]
) -> None:
    """Read the text of a cell anew where it is an error, or has tabs or line breaks."""
    if cell.endswith(b"/"):
        return
    end = xml.find(b"</table:", start)
    body = xml[start:end]
    if b"<office:annotation" in body:
        # A note can hold what looks like the end of the cell.
        end = xml.find(b"</table:table-cell", start)
        body = _NOTE.sub(b"", xml[start:end])
    is_error = b':value-type="error"' in cell
    has_break = b"<text:tab" in body or b"<text:line-break" in body
    if is_error:
        look.errors.update(dict.fromkeys(places, _text_of(body)))
    elif has_break and b'"string"' in cell and b"string-value=" not in cell:
        look.values.update(dict.fromkeys(places, _text_of(body)))


def _text_of(body: bytes) -> str:
    """Return the text of the paragraphs of a cell (ISO/IEC 26300-1, 6.1)."""
    paragraphs = []
    for match in _PARAGRAPH.finditer(body.decode("utf-8", "replace")):
        text = match[1] or ""
        text = re.sub(r"<text:tab\b[^>]*>", "\t", text)
        text = re.sub(r"<text:line-break\b[^>]*>", "\n", text)
        text = _SPACE_MARK.sub(lambda found: " " * int(found[1] or 1), text)
        paragraphs.append(html.unescape(re.sub(r"<[^>]*>", "", text)))
    return "\n".join(paragraphs)


def _formats(opened: Opened, archive: zipfile.ZipFile, xml: bytes) -> _Formats:
    known = opened.memo.get("styles")
    if known is not None:
        return known  # type: ignore[no-any-return]
    digits: dict[str, int] = {}
    unbounded: set[str] = set()
    used: dict[str, str] = {}
    for part in (member(opened, archive, "styles.xml"), _styles_of(xml)):
        root = parse_xml(opened, part)
        for each in root.iter() if root is not None else ():
            name = each.get(f"{_STYLES}name", "")
            if each.tag == f"{_NUMBER}number-style":
                shown = _least_digits(each)
                if shown > 1:
                    digits[name] = shown
            elif each.tag == f"{_NUMBER}time-style":
                if each.get(f"{_NUMBER}truncate-on-overflow") == "false":
                    unbounded.add(name)
            elif each.tag == f"{_STYLES}style":
                used[name] = each.get(f"{_STYLES}data-style-name", "")
    formats = _Formats(
        {name: digits[data] for name, data in used.items() if data in digits},
        frozenset(name for name, data in used.items() if data in unbounded),
    )
    opened.memo["styles"] = formats
    return formats


def _least_digits(style: ElementTree.Element) -> int:
    """Return how many digits a format of whole numbers shows at least."""
    parts = list(style)
    if len(parts) != 1 or parts[0].tag != f"{_NUMBER}number":
        return 0
    number = parts[0]
    has_point = number.get(f"{_NUMBER}decimal-places", "0") != "0"
    is_grouped = number.get(f"{_NUMBER}grouping", "false") == "true"
    least = number.get(f"{_NUMBER}min-integer-digits", "1")
    whole = least.isdecimal() and len(least) < 4 and not has_point and not is_grouped
    return int(least) if whole else 0


def _styles_of(xml: bytes) -> bytes:
    """Return the part of a content that has the styles, as XML of its own."""
    start = xml.find(b"<office:document-content")
    opening = xml[: xml.find(b">", start) + 1]
    end_mark = b"</office:automatic-styles>"
    begin, end = xml.find(b"<office:automatic-styles"), xml.find(end_mark)
    if start < 0 or begin < 0 or end < begin:
        return b""
    return opening + xml[begin:end] + end_mark + b"</office:document-content>"


def _repeats(pattern: re.Pattern[bytes], attributes: bytes) -> int:
    match = pattern.search(attributes)
    return min(int(match[1]), 1 << 31) if match and len(match[1]) < 12 else 1
