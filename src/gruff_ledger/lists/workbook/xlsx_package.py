"""The parts of an XLSX workbook, as its own links name them (ISO/IEC 29500-2).

A workbook is an archive of parts that refer to each other. The library that reads cells
follows those references by its own rules, and believes what an archive says of itself.
So the parts are found here, checked, and handed to it in an archive of our own that
holds nothing else: what was checked is what is read.
"""

from __future__ import annotations

import io
import posixpath
import zipfile
from collections.abc import Callable, Mapping
from xml.etree import ElementTree
from xml.sax.saxutils import quoteattr

import msgspec

from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.tab_sizes import (
    check_no_doctype,
    check_strings,
    damaged,
)
from gruff_ledger.problems import UnreadableSource

# An archive that unpacks to more is refused before any of it is unpacked: in all, and
# for what it is packed in. XML packs to a hundredth at best; a small archive may do
# better.
MOST_UNPACKED_BYTES = 1 << 30
_MOST_TIMES_PACKED = 400
_ALWAYS_UNPACKED_BYTES = 1 << 26

_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"

# Gives a part by its name; empty where there is none.
_PartOf = Callable[[str], bytes]

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


def refuse_bomb(opened: Opened, archive: zipfile.ZipFile) -> None:
    """Refuse an archive by the size that it says it unpacks to."""
    unpacked = sum(each.file_size for each in archive.infolist())
    packed = _MOST_TIMES_PACKED * opened.size_bytes
    most = min(MOST_UNPACKED_BYTES, max(_ALWAYS_UNPACKED_BYTES, packed))
    if unpacked > most:
        raise UnreadableSource(
            f"it would unpack from {opened.size_bytes / 1e6:.1f} to "
            f"{unpacked / 1e6:.0f} MB, which is more than workbooks do.",
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
    except MemoryError:
        raise
    except Exception as error:  # Whatever else unpacking can meet in a damaged file.
        raise damaged(opened) from error


def parse_xml(opened: Opened, xml: bytes) -> ElementTree.Element | None:
    """Return the root of an XML text; None for an empty one."""
    if not xml:
        return None
    check_no_doctype(opened, xml)
    try:
        return ElementTree.fromstring(xml)
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise damaged(opened) from error


def xlsx_package(opened: Opened, archive: zipfile.ZipFile) -> Package | None:
    """
    Find the parts of an XLSX workbook.

    Returns
    -------
    Package or None
        None for an archive that is no such workbook.

    Raises
    ------
    UnreadableSource
        If it is damaged: a part that is needed is missing, or there twice.
    """
    # Names of parts differ in more than their case (ISO/IEC 29500-2, 6.2.2.3).
    names: dict[str, str] = {}
    for name in archive.namelist():
        if names.setdefault(name.lower(), name) != name:
            raise damaged(opened)
    if len(set(archive.namelist())) < len(archive.namelist()):
        raise damaged(opened)

    def part(name: str) -> bytes:
        return member(opened, archive, names.get(name.lower(), ""))

    workbook = _main_part(opened, part)
    root = parse_xml(opened, part(workbook))
    if root is None or root.tag.rpartition("}")[2] != "workbook":
        return None
    links = _links(opened, part, workbook)
    tabs = []
    dates = False
    for each in root.iter():
        local = each.tag.rpartition("}")[2]
        if local == "sheet" and "name" in each.attrib:
            kind, target = links.get(_link_of(each), ("", ""))
            if kind == "worksheet":
                shown = each.get("state", "visible") == "visible"
                there = names.get(target.lower(), "")
                tabs.append(XlsxTab(each.attrib["name"], shown, there))
        elif local == "workbookPr":
            dates = each.get("date1904") in ("1", "true")
    by_kind = dict(links.values())
    styles = part(by_kind.get("styles", "xl/styles.xml"))
    strings = part(by_kind.get("sharedStrings", "xl/sharedStrings.xml"))
    check_no_doctype(opened, styles)
    check_strings(opened, strings)
    is_own = b"<Application>Gruff Ledger</Application>" in part("docProps/app.xml")
    return Package(tuple(tabs), dates, styles, strings, is_own)


def _main_part(opened: Opened, part: _PartOf) -> str:
    """Return the name of the part that names the tabs."""
    for kind, target in _links(opened, part, "").values():
        if kind == "officeDocument":
            return target
    return "xl/workbook.xml"


def _links(opened: Opened, part: _PartOf, of: str) -> dict[str, tuple[str, str]]:
    """Return the links of a part by their names: what is linked, and where it is."""
    folder, name = posixpath.split(of)
    root = parse_xml(opened, part(posixpath.join(folder, "_rels", f"{name}.rels")))
    links = {}
    for each in root if root is not None else ():
        target = each.get("Target", "").replace("\\", "/")
        whole = posixpath.normpath(posixpath.join("/", folder, target)).lstrip("/")
        links[each.get("Id", "")] = (each.get("Type", "").rpartition("/")[2], whole)
    return links


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
