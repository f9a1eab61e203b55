"""The parts of a workbook that is an archive, and the links between them.

An archive says of itself how large its parts are, and its parts say what they refer to
(ISO/IEC 29500-2); both are checked before anything is made of them.
"""

from __future__ import annotations

import posixpath
import zipfile
from xml.etree import ElementTree

from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.tab_sizes import check_no_doctype, damaged
from gruff_ledger.problems import UnreadableSource

# An archive that unpacks to more is refused before any of it is unpacked: in all, and
# for what it is packed in. XML packs to a hundredth at best; a small archive may do
# better.
MOST_UNPACKED_BYTES = 1 << 30
_MOST_TIMES_PACKED = 400
_ALWAYS_UNPACKED_BYTES = 1 << 26


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


class Parts:
    """
    The parts of a package by their names, and where their links lead.

    Raises
    ------
    UnreadableSource
        If a part is there twice.
    """

    def __init__(self, opened: Opened, archive: zipfile.ZipFile) -> None:
        self._opened, self._archive = opened, archive
        # Names of parts differ in more than their case (ISO/IEC 29500-2, 6.2.2.3).
        self._names: dict[str, str] = {}
        for name in archive.namelist():
            if self._names.setdefault(name.lower(), name) != name:
                raise damaged(opened)
        if len(set(archive.namelist())) < len(archive.namelist()):
            raise damaged(opened)

    def named(self, name: str) -> str:
        """Return the name of a part as the archive writes it; empty if it has none."""
        return self._names.get(name.lower(), "")

    def part(self, name: str) -> bytes:
        """Return a part; empty where there is none."""
        return member(self._opened, self._archive, self.named(name))

    def main(self) -> str:
        """Return the name of the part that names the tabs."""
        for kind, target in self.links("").values():
            if kind == "officeDocument":
                return target
        return "xl/workbook.xml"

    def links(self, of: str) -> dict[str, tuple[str, str]]:
        """Return the links of a part by their names: what is linked, and its place."""
        folder, name = posixpath.split(of)
        linked = self.part(posixpath.join(folder, "_rels", f"{name}.rels"))
        root = parse_xml(self._opened, linked)
        links = {}
        for each in root if root is not None else ():
            target = each.get("Target", "").replace("\\", "/")
            whole = posixpath.normpath(posixpath.join("/", folder, target)).lstrip("/")
            links[each.get("Id", "")] = (
                each.get("Type", "").rpartition("/")[2],
                whole,
            )
        return links
