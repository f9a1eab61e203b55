"""The parts of an XLSX workbook, as its own links name them (ISO/IEC 29500-2).

A workbook is an archive of parts that refer to each other. The library that reads cells
follows those references by its own rules, and believes what an archive says of itself.
So the parts are found here, checked, and handed to it in an archive of our own that
holds nothing else: what was checked is what is read.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from xml.etree import ElementTree
from xml.sax.saxutils import quoteattr

import msgspec

from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.package_parts import Parts, parse_xml
from gruff_ledger.lists.workbook.tab_sizes import check_no_doctype, check_strings

_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"

_HEAD = '<?xml version="1.0" encoding="UTF-8"?>'


class XlsxTab(msgspec.Struct, frozen=True):
    """A tab with cells: its name, whether it is shown, and the part that holds it."""

    name: str
    shown: bool
    part: str


class Package(msgspec.Struct, frozen=True):
    """
    What an XLSX workbook has beside its cells.

    Attributes
    ----------
    tabs : tuple of XlsxTab
    begins_1904 : bool
        Whether its days count from 1904.
    styles : bytes
        The XML of its formats.
    strings : bytes
        That of the texts that cells share.
    is_own : bool
        Whether this program made it.
    """

    tabs: tuple[XlsxTab, ...]
    begins_1904: bool
    styles: bytes
    strings: bytes
    is_own: bool = False


def xlsx_package(opened: Opened, parts: Parts) -> Package | None:
    """
    Find the parts of an XLSX workbook among those of a package.

    Returns
    -------
    Package or None
        None for an archive that is no such workbook.

    Raises
    ------
    UnreadableSource
        If it is damaged: a part that is needed is missing.
    """
    workbook = parts.main()
    root = parse_xml(opened, parts.part(workbook))
    if root is None or root.tag.rpartition("}")[2] != "workbook":
        return None
    links = parts.links(workbook)
    tabs = []
    dates = False
    for each in root.iter():
        local = each.tag.rpartition("}")[2]
        if local == "sheet" and "name" in each.attrib:
            kind, target = links.get(_link_of(each), ("", ""))
            if kind == "worksheet":
                shown = each.get("state", "visible") == "visible"
                there = parts.named(target)
                tabs.append(XlsxTab(each.attrib["name"], shown, there))
        elif local == "workbookPr":
            dates = each.get("date1904") in ("1", "true")
    by_kind = dict(links.values())
    styles = parts.part(by_kind.get("styles", "xl/styles.xml"))
    strings = parts.part(by_kind.get("sharedStrings", "xl/sharedStrings.xml"))
    check_no_doctype(opened, styles)
    check_strings(opened, strings)
    is_own = b"<Application>Gruff Ledger</Application>" in parts.part(
        "docProps/app.xml"
    )
    return Package(tuple(tabs), dates, styles, strings, is_own)


def _link_of(sheet: ElementTree.Element) -> str:
    found = (value for key, value in sheet.items() if key.endswith("}id"))
    return next(found, "")


def for_library(package: Package, tabs: Mapping[str, bytes]) -> bytes:
    """
    Return an archive with some tabs of a workbook and what their cells refer to.

    Parameters
    ----------
    package : Package
    tabs : mapping
        The XML of tabs by their names.
    """
    dates = "true" if package.begins_1904 else "false"
    sheets, links = [], []
    for number, name in enumerate(tabs, 1):
        sheets.append(
            f'<sheet name={quoteattr(name)} sheetId="{number}" r:id="rId{number}"/>'
        )
        links.append(_link(f"rId{number}", "worksheet", f"worksheets/{number}.xml"))
    links += [_link("styles", "styles", "styles.xml")] if package.styles else []
    links += (
        [_link("strings", "sharedStrings", "sharedStrings.xml")]
        if package.strings
        else []
    )
    main = (
        f'{_HEAD}<workbook xmlns="{_MAIN}" xmlns:r="{_OFFICE}">'
        f'<workbookPr date1904="{dates}"/><sheets>{"".join(sheets)}</sheets></workbook>'
    )
    start = _link("rId1", "officeDocument", "xl/workbook.xml")
    parts: dict[str, bytes] = {
        "_rels/.rels": _links_part([start]),
        "xl/workbook.xml": main.encode(),
        "xl/_rels/workbook.xml.rels": _links_part(links),
        "xl/styles.xml": package.styles,
        "xl/sharedStrings.xml": package.strings,
    }
    for number, xml in enumerate(tabs.values(), 1):
        parts[f"xl/worksheets/{number}.xml"] = xml
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w") as made:
        for name, data in parts.items():
            if data:
                made.writestr(name, data)
    return sink.getvalue()


def _link(name: str, kind: str, target: str) -> str:
    return f'<Relationship Id="{name}" Type="{_OFFICE}/{kind}" Target="{target}"/>'


def _links_part(links: list[str]) -> bytes:
    text = f'{_HEAD}<Relationships xmlns="{_RELATIONS}">{"".join(links)}'
    return f"{text}</Relationships>".encode()
