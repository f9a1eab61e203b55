"""Files in archives (ZIP, ISO/IEC 21320-1): which there are, and each as a source.

An archive is told by its first bytes, whatever it is called; a workbook is one too, and
is left to its own reader. A file of it is read where it lies, and never to the disk:
its size and hash are those of the file, not of the archive.
"""

from __future__ import annotations

import fnmatch
import io
import weakref
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Any, BinaryIO

import msgspec

from gruff_ledger.credentials import readable
from gruff_ledger.lists.address import is_pattern
from gruff_ledger.lists.packing.streams import unpacked
from gruff_ledger.lists.source import Opened
from gruff_ledger.problems import UnreadableSource, nearest_or_all
from gruff_ledger.words import counted, first_few

if TYPE_CHECKING:
    import zipfile

_STARTS = (b"PK\x03\x04", b"PK\x05\x06")

# What only workbooks have in them.
_OF_WORKBOOKS = {
    "[Content_Types].xml",
    "content.xml",
    "xl/workbook.xml",
    "xl/workbook.bin",
}
_WORKBOOK_ENDINGS = (".xlsx", ".xlsm", ".xltx", ".xlsb", ".ods", ".ots")

# An archive that unpacks to more than both is made to fill a disk.
_MOST_FREE_BYTES = 2_000_000_000
_MOST_TIMES = 400

_MOST_FILES = 20_000
_SHOWN_FILES = 8

_IS_ENCRYPTED = 0x1


class FileInside(msgspec.Struct, frozen=True):
    """A file that a source means: its name in the archive; empty for no archive."""

    opened: Opened
    name: str = ""


def files_in(opened: Opened, place: str, wanted: str | None) -> list[FileInside]:
    """
    Return the files that an address means in a source.

    Parameters
    ----------
    opened : Opened
    place : str
        Its path or URL.
    wanted : str, optional
        A file of an archive, by its name or a pattern; None where none is named.

    Returns
    -------
    list of FileInside
        The source itself, unpacked, where it is no archive.

    Raises
    ------
    UnreadableSource
        If it is an archive of several files, and none is named; if it has not the file
        that is named; if it is damaged, protected, or unpacks to too much.
    """
    archive = None if opened.server else _archive(opened, place, wanted)
    if archive is None:
        if wanted is not None:
            raise UnreadableSource(
                "it is not a ZIP archive, and has no files in it (#file=).",
                "Leave that part of the address out.",
                file=opened.address,
            )
        return [FileInside(unpacked(opened))]
    listed = _lists_in(opened, archive)
    chosen = _chosen(opened, listed, wanted)
    return [_inside(opened, archive, each) for each in chosen]


def names_in(opened: Opened) -> tuple[str, ...]:
    """Return the names of the files in an archive; none where it is no archive."""
    archive = _archive(opened, "", None)
    if archive is None:
        return ()
    return tuple(each.filename for each in _lists_in(opened, archive))


def _archive(opened: Opened, place: str, wanted: str | None) -> zipfile.ZipFile | None:
    """Open an archive that is no workbook."""
    if wanted is None and place.lower().endswith(_WORKBOOK_ENDINGS):
        return None
    with opened.start() as stream:
        head = stream.read(4)
    if not head.startswith(_STARTS):
        return None
    import zipfile

    held = opened.start()
    try:
        archive = zipfile.ZipFile(held)
        names = set(archive.namelist())
    except (zipfile.BadZipFile, ValueError, NotImplementedError, OSError) as error:
        held.close()
        if wanted is None and not place.lower().endswith(".zip"):
            # Whatever else it may be, its own reader says what is wrong.
            return None
        raise _damaged(opened) from error
    if wanted is None and not _OF_WORKBOOKS.isdisjoint(names):
        held.close()
        return None
    # It is read from for as long as a file of it may be.
    weakref.finalize(archive, held.close)
    return archive


def _lists_in(opened: Opened, archive: zipfile.ZipFile) -> list[zipfile.ZipInfo]:
    """Return the files that a person put in, in the order of their names."""
    listed = [
        each
        for each in archive.infolist()
        if not each.is_dir() and not _is_left_by_system(each.filename)
    ]
    total = sum(each.file_size for each in listed)
    most = max(_MOST_FREE_BYTES, _MOST_TIMES * opened.size_bytes)
    if total > most or len(listed) > _MOST_FILES:
        raise UnreadableSource(
            f"it holds {counted(len(listed), 'file')} of {total:,} bytes together, "
            f"which is more than {_MOST_FILES:,} files or {_MOST_TIMES} times its size "
            f"and {_MOST_FREE_BYTES // 1_000_000_000} GB.",
            "If it is to be trusted, unpack it first.",
            file=opened.address,
        )
    if not listed:
        raise UnreadableSource(
            "the archive holds no files.", "Ask for it again.", file=opened.address
        )
    # Of files of one name the last is what other programs unpack.
    by_name = {each.filename: each for each in listed}
    return [by_name[name] for name in sorted(by_name)]


def _is_left_by_system(name: str) -> bool:
    """Whether a file is one that systems put into archives beside a person's."""
    parts = PurePosixPath(name).parts
    return any(
        part == "__MACOSX"
        or (part.startswith(".") and part.strip("."))
        or part.lower() == "thumbs.db"
        for part in parts
    )


def _chosen(
    opened: Opened, listed: list[zipfile.ZipInfo], wanted: str | None
) -> list[zipfile.ZipInfo]:
    names = [each.filename for each in listed]
    if wanted is None:
        if len(listed) == 1:
            return listed
        told = first_few([f"'{readable(name)}'" for name in names], _SHOWN_FILES)
        raise UnreadableSource(
            f"the archive holds {len(listed)} files: {told}.",
            "Name one at the end of the address, as in "
            f"#file={readable(names[0])}, or several by a pattern: #file=*",
            file=opened.address,
        )
    exact = [each for each in listed if each.filename == wanted]
    if exact:
        return exact
    if is_pattern(wanted):
        # As in a folder: * stands for no more than one part of a path, ** for all.
        found = [each for each in listed if _matches(each.filename, wanted)]
    else:
        folded = wanted.casefold()
        found = [each for each in listed if each.filename.casefold() == folded]
        if len(found) != 1:
            found = [
                each
                for each in listed
                if PurePosixPath(each.filename).name.casefold() == folded
            ]
        found = found if len(found) == 1 else []
    if not found:
        raise UnreadableSource(
            f"it has no file '{readable(wanted)}'.",
            nearest_or_all(wanted, [readable(name) for name in names], "files"),
            file=opened.address,
        )
    return found


def _matches(name: str, pattern: str) -> bool:
    parts, wanted = name.casefold().split("/"), pattern.casefold().split("/")
    if wanted == ["*"]:
        return True
    if "**" in wanted:
        return fnmatch.fnmatchcase("/".join(parts), "/".join(wanted))
    return len(parts) == len(wanted) and all(
        fnmatch.fnmatchcase(part, each)
        for part, each in zip(parts, wanted, strict=True)
    )


def _inside(
    opened: Opened, archive: zipfile.ZipFile, member: zipfile.ZipInfo
) -> FileInside:
    """Return a file of an archive as a source."""
    shown = f"{opened.address.partition('#')[0]}#file={readable(member.filename)}"
    if member.flag_bits & _IS_ENCRYPTED:
        raise UnreadableSource(
            "it is protected by a password.", "Pack it without one.", file=shown
        )
    if not member.file_size:
        raise UnreadableSource(
            "it is empty: not even a heading row.",
            "Send a list with headings.",
            file=shown,
        )

    def start() -> BinaryIO:
        return io.BufferedReader(_Member(archive, member, shown), 1 << 20)

    if _begins(start).startswith(_STARTS) and not member.filename.lower().endswith(
        _WORKBOOK_ENDINGS
    ):
        inner = msgspec.structs.replace(opened, start=start, address=shown)
        if _archive(inner, member.filename, None) is not None:
            raise UnreadableSource(
                "it is an archive within an archive.", "Unpack it first.", file=shown
            )
    made = msgspec.structs.replace(
        opened,
        address=shown,
        size_bytes=member.file_size,
        start=start,
        path=None,
        stamp=None,
        media_type="",
        archive=opened.path,
        memo={},
    )
    return FileInside(unpacked(made), member.filename)


def _begins(start: Any) -> bytes:
    with start() as stream:
        begun: bytes = stream.read(4)
        return begun


class _Member(io.RawIOBase):
    """A file of an archive, of which no more comes than it says it holds."""

    def __init__(
        self, archive: zipfile.ZipFile, member: zipfile.ZipInfo, shown: str
    ) -> None:
        import zipfile

        super().__init__()
        self._shown = shown
        self._archive = archive
        try:
            self._stream = archive.open(member)
        except NotImplementedError as error:
            raise UnreadableSource(
                "it is packed in a way that is rarely used, and cannot be unpacked.",
                "Pack it anew, or unpack it first.",
                file=shown,
            ) from error
        except (zipfile.BadZipFile, OSError, RuntimeError, ValueError) as error:
            raise self._broken() from error

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        return self._stream.seek(offset, whence)

    def tell(self) -> int:
        return self._stream.tell()

    def readinto(self, buffer: Any) -> int:
        import lzma
        import zipfile
        import zlib

        try:
            block = self._stream.read(len(buffer))
        except (
            zipfile.BadZipFile,
            EOFError,
            OSError,
            ValueError,
            zlib.error,
            lzma.LZMAError,
        ) as error:
            raise self._broken() from error
        buffer[: len(block)] = block
        return len(block)

    def close(self) -> None:
        self._stream.close()
        super().close()

    def _broken(self) -> UnreadableSource:
        return UnreadableSource(
            "it is damaged: it cannot be unpacked.",
            "Ask for it again.",
            file=self._shown,
        )


def _damaged(opened: Opened) -> UnreadableSource:
    return UnreadableSource(
        "it is cut off or damaged: the archive has no list of its files.",
        "Ask for it again.",
        file=opened.address,
    )
