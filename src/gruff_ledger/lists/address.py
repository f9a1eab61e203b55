"""Addresses: where a list comes from, and which part of it is meant.

An address is a path, a pattern of paths, a URL (RFC 3986) or ``-`` for standard input,
and may end in a fragment: parts of the form ``name=value`` joined by ``/``, with the
rows, columns and cells of RFC 7111, or a JSON Pointer (RFC 6901).
"""

from __future__ import annotations

import contextlib
import re
from pathlib import Path, PurePosixPath
from typing import NamedTuple
from urllib.parse import parse_qsl, unquote, urlsplit

import msgspec

from gruff_ledger.credentials import (
    has_unclear_host,
    readable,
    without_credentials,
    without_tokens,
)
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import UnreadableSource, nearest_or_all

STANDARD_INPUT = "-"

Range = tuple[int, int | None]

_URL = late_pattern(r"https?://", re.IGNORECASE)
_SERVER = late_pattern(r"postgres(?:ql)?://", re.IGNORECASE)
_OTHER_SCHEME = late_pattern(r"([a-z][a-z0-9+.-]+)://", re.IGNORECASE)
_PARTS = ("file", "sheet", "row", "col", "cell", "table")

# How the list at an address is written can be said there, in the words of the terms.
READING_KEYS = (
    "format",
    "delimiter",
    "encoding",
    "quote",
    "skip-rows",
    "header-rows",
    "widths",
)
_KEYS = _PARTS + READING_KEYS
_KEPT_PARTS = tuple(f"{key}=" for key in ("row", "col", "cell", *READING_KEYS))
_RANGE = late_pattern(r"(\d+|\*)(?:(-)(\d+|\*)?)?")
_CELLS = late_pattern(r"(\d+|\*),(\d+|\*)(?:-(?:(\d+|\*),(\d+|\*))?)?")
_PATTERN_MARKS = late_pattern(r"[*?\[]")


class Packing(NamedTuple):
    """
    A way of packing.

    Attributes
    ----------
    name : str
        What it is called.
    ending : str
        What it adds to the name of a file.
    starts : tuple of bytes
        How packed files begin.
    """

    name: str
    ending: str
    starts: tuple[bytes, ...]


GZIP = Packing("gzip", ".gz", (b"\x1f\x8b\x08",))
BZIP2 = Packing(
    "bzip2",
    ".bz2",
    tuple(
        b"BZh%d" % level + first
        for level in range(1, 10)
        # A block, or the end of an empty one.
        for first in (b"1AY&SY", b"\x17rE8P\x90")
    ),
)
XZ = Packing("xz", ".xz", (b"\xfd7zXZ\x00",))
ZSTANDARD = Packing("Zstandard", ".zst", (b"\x28\xb5\x2f\xfd",))
PACKINGS = (GZIP, BZIP2, XZ, ZSTANDARD)


def packing_of(place: str) -> Packing | None:
    """Return the packing that the ending of a path tells; None for no such."""
    ending = PurePosixPath(place.replace("\\", "/")).suffix.lower()
    return next((each for each in PACKINGS if each.ending == ending), None)


def without_packing(place: str) -> str:
    """
    Return a path or URL without the ending that a packing added.

    Examples
    --------
    >>> without_packing("in/berths.csv.gz"), without_packing("berths.csv")
    ('in/berths.csv', 'berths.csv')
    """
    packing = packing_of(place)
    return place if packing is None else place[: -len(packing.ending)]


class Fragment(msgspec.Struct, frozen=True):
    """
    Which part of a file a list is.

    Attributes
    ----------
    file : str, optional
        A file of an archive, or a pattern.
    sheet : str, optional
        A tab's name, position from 1, or pattern.
    rows, cols : tuple of (first, last), optional
        Ranges, in rising order, that do not overlap; counted from 1, with the last one
        in it; None for the last is the end. None for all of them.
    table : str, optional
        A table of a database, or a pattern.
    pointer : str, optional
        A JSON Pointer.
    reading : tuple of (key, value)
        How the list is written, as the address says it.
    """

    file: str | None = None
    sheet: str | None = None
    rows: tuple[Range, ...] | None = None
    cols: tuple[Range, ...] | None = None
    table: str | None = None
    pointer: str | None = None
    reading: tuple[tuple[str, str], ...] = ()

    def named(self) -> tuple[str, ...]:
        """Return the names of what is stated, for messages."""
        return tuple(
            name
            for name in ("sheet", "rows", "cols", "table", "pointer")
            if getattr(self, name) is not None
        )


class Server(msgspec.Struct, frozen=True):
    """A database on a server, by its address without a table."""

    place: str

    def __str__(self) -> str:
        return self.place


# All of a file.
WHOLE = Fragment()


class Address(msgspec.Struct, frozen=True):
    """An address taken apart: the place, and the part of what is there."""

    text: str
    place: str
    fragment: Fragment = WHOLE

    @property
    def file_name(self) -> str:
        """The name whose ending tells the format: of a file in an archive its own."""
        return self.fragment.file or self.place

    @property
    def is_url(self) -> bool:
        """Whether the place is on a network."""
        return bool(_URL.match(self.place))

    @property
    def is_server(self) -> bool:
        """Whether the place is a database on a server."""
        return is_server(self.place)

    @property
    def is_elsewhere(self) -> bool:
        """Whether the place is reached over a network, and is no path."""
        return self.is_url or self.is_server

    @property
    def is_standard_input(self) -> bool:
        """Whether the list comes in through a pipe."""
        return self.place == STANDARD_INPUT

    def of_part(self, place: str, fragment: Fragment) -> Address:
        """Return the address of one of several places or parts that it stands for."""
        parts = [f"file={fragment.file}"] if fragment.file is not None else []
        parts += [f"sheet={fragment.sheet}"] if fragment.sheet is not None else []
        parts += [f"table={fragment.table}"] if fragment.table is not None else []
        stated = _fragment_parts(self.text.partition("#")[2])
        parts += [part for part in stated if part.startswith(_KEPT_PARTS)]
        parts += [fragment.pointer] if fragment.pointer is not None else []
        mark = "#" if parts else ""
        return Address(f"{place}{mark}{'/'.join(parts)}", place, fragment)


def parse_address(text: str, folder: Path | None = None) -> Address:
    """
    Take an address apart.

    Parameters
    ----------
    text : str
    folder : Path, optional
        What a relative path starts from. A file of just that name is taken as it is,
        whatever characters its name holds.

    Raises
    ------
    UnreadableSource
        If it is empty, of an unknown scheme, or its fragment cannot be read.

    Examples
    --------
    >>> parse_address("book.xlsx#sheet=May/cell=4,1-*,6").fragment.cols
    ((1, 6),)
    """
    if not text:
        raise UnreadableSource("the address of a list is empty.", "Name a file.")
    is_url = bool(_URL.match(text)) or is_server(text)
    if is_server(text):
        check_no_password(text)
    if is_url and has_unclear_host(text):
        raise UnreadableSource(
            "the name and password in it cannot be told from the host.",
            "Within a password, write @ as %40, / as %2F, ? as %3F and # as %23.",
            file=text,
        )
    scheme = _OTHER_SCHEME.match(text)
    if scheme and not is_url:
        raise UnreadableSource(
            f"lists cannot be fetched by '{scheme[1]}'.",
            "Give a path, or an address that begins with https://, http:// or "
            "postgresql://.",
            file=text,
        )
    if not is_url and "#" in text and is_file(text, folder):
        return Address(text, text)
    place, mark, fragment = text.partition("#")
    if not mark:
        return Address(text, text)
    if not place:
        raise UnreadableSource(
            "it names a part of a list, and no list.",
            "Put the path of the list before the '#'.",
            file=text,
        )
    return Address(
        text, place, _fragment(unquote(fragment) if is_url else fragment, text)
    )


def is_server(text: str) -> bool:
    """Whether an address is that of a database on a server."""
    return bool(_SERVER.match(text))


def check_no_password(text: str) -> None:
    """
    Refuse an address with a password in it, without saying it.

    Raises
    ------
    UnreadableSource
    """
    try:
        parts = urlsplit(text)
        # A password may hold marks that end the place it stands in.
        has_one = ":" in text.partition("://")[2].rpartition("@")[0]
        has_one |= any("password" in key.lower() for key, _ in parse_qsl(parts.query))
        user, host = parts.username, parts.hostname
    except ValueError:
        has_one, user, host = "@" in text, "", ""
    if has_one:
        raise UnreadableSource(
            "a password is in it, where others could read it.",
            "Leave it out of the address; put it into the environment variable "
            "PGPASSWORD, or into the password file.",
            file=f"postgresql://{user or ''}@{host or ''}",
        )


def is_file(text: str, folder: Path | None = None) -> bool:
    """Whether a file of just that name is there."""
    try:
        return (Path(text) if folder is None else folder / text).is_file()
    except (OSError, ValueError):
        return False


def is_pattern(text: str) -> bool:
    """Whether a place or a name holds the marks of a pattern."""
    return bool(_PATTERN_MARKS.search(text))


def _fragment(text: str, whole: str) -> Fragment:
    if text.startswith("/") or not text:
        _check_pointer(text, whole)
        return Fragment(pointer=text)
    found: dict[str, str] = {}
    for part in _fragment_parts(text):
        name, equals, value = part.partition("=")
        if not equals or name not in _KEYS:
            raise UnreadableSource(
                f"'{without_tokens(part)}' is not a part of a list.",
                f"{nearest_or_all(name, _KEYS, 'parts')} They are written as in "
                "#sheet=May/row=4-*.",
                file=whole,
            )
        if name in found or not value:
            said = "is given twice" if name in found else "is empty"
            raise UnreadableSource(
                f"'{name}=' {said}.", "Give each part once.", file=whole
            )
        found[name] = value
    if "cell" in found and ("row" in found or "col" in found):
        raise UnreadableSource(
            "it gives cells, and rows or columns too.",
            "A block of cells is enough: cell=ROW,COLUMN-ROW,COLUMN.",
            file=whole,
        )
    rows = _ranges(found["row"], "row", whole) if "row" in found else None
    cols = _ranges(found["col"], "col", whole) if "col" in found else None
    if "cell" in found:
        rows, cols = _block(found["cell"], whole)
    reading = tuple((key, found[key]) for key in READING_KEYS if key in found)
    return Fragment(
        found.get("file"),
        found.get("sheet"),
        rows,
        cols,
        found.get("table"),
        reading=reading,
    )


def _fragment_parts(text: str) -> list[str]:
    """
    Cut a fragment into its parts.

    Examples
    --------
    >>> _fragment_parts("file=in/2026/may.xlsx/sheet=May/row=3-")
    ['file=in/2026/may.xlsx', 'sheet=May', 'row=3-']
    """
    parts: list[str] = []
    for part in text.split("/"):
        name, equals, _ = part.partition("=")
        if parts and parts[-1].startswith("file=") and not (equals and name in _KEYS):
            # The path of a file in an archive has the same mark in it.
            parts[-1] += f"/{part}"
        else:
            parts.append(part)
    return parts


def _check_pointer(text: str, whole: str) -> None:
    if re.search(r"~(?![01])", text):
        raise UnreadableSource(
            "in a JSON Pointer ~ is written ~0, and / within a key ~1.",
            "Write it so.",
            file=whole,
        )


def _ranges(text: str, name: str, whole: str) -> tuple[Range, ...]:
    """Read the ranges of RFC 7111, and ``5-`` for an open end."""
    found: list[Range] = []
    for part in text.split(";"):
        match = _RANGE.fullmatch(part.strip())
        if match is None:
            raise _word_unreadable(
                f"{name}={text}", f"{name}=5-* or {name}=1;5-9", whole
            )
        first, last = match[1], match[3] if match[2] else match[1]
        found.append(_range(first, last, f"{name}={text}", whole))
    found.sort(key=lambda each: each[0])
    merged: list[Range] = []
    for first, last in found:
        if merged and (merged[-1][1] is None or first <= merged[-1][1] + 1):
            before = merged[-1]
            both_end = before[1] is not None and last is not None
            end = max(before[1], last) if both_end else None  # type: ignore[type-var]
            merged[-1] = (before[0], end)
        else:
            merged.append((first, last))
    return tuple(merged)


def _range(first: str, last: str | None, said: str, whole: str) -> Range:
    if first == "*":
        raise UnreadableSource(
            f"'{said}' begins at the end.",
            "Begin at a number; only the end of a range may be *.",
            file=whole,
        )
    start = _number(first, said, whole)
    end = None if last in (None, "*") else _number(str(last), said, whole)
    if start < 1 or (end is not None and end < start):
        raise UnreadableSource(
            f"'{said}' holds nothing: rows and columns count from 1, and a range ends "
            "where it begins or after it.",
            "Correct it.",
            file=whole,
        )
    return start, end


def _number(digits: str, said: str, whole: str) -> int:
    if len(digits) > 12:
        raise UnreadableSource(
            f"no list reaches as far as '{said}'.", "Correct it.", file=whole
        )
    return int(digits)


def _block(text: str, whole: str) -> tuple[tuple[Range, ...], tuple[Range, ...]]:
    match = _CELLS.fullmatch(text.strip())
    if match is None:
        raise _word_unreadable(f"cell={text}", "cell=4,1-*,6", whole)
    said = f"cell={text}"
    is_range = "-" in text
    last_row, last_col = (match[3], match[4]) if is_range else (match[1], match[2])
    return (
        (_range(match[1], last_row, said, whole),),
        (_range(match[2], last_col, said, whole),),
    )


def _word_unreadable(said: str, form: str, whole: str) -> UnreadableSource:
    return UnreadableSource(
        f"'{said}' cannot be read.", f"Write it as in {form}.", file=whole
    )


def named_list(said: str) -> tuple[str, str]:
    """
    Return the name that a person gives a list, if any, and its address.

    A file that is called so comes first.

    Examples
    --------
    >>> named_list("Hill=incoming/h-04.csv"), named_list("book.xlsx#sheet=May")
    (('Hill', 'incoming/h-04.csv'), ('', 'book.xlsx#sheet=May'))
    """
    match = re.fullmatch(r"([^=#/\\:?*]{1,60})=(.+)", said, re.DOTALL)
    if match is None or not match[1].strip() or Path(said).exists():
        return "", said
    return match[1].strip(), match[2]


def list_name(address: str) -> str:
    """
    Return what to call a list that has no name of its own: its file's, or its tab's.

    Examples
    --------
    >>> list_name("in/north.xlsx#sheet=May"), list_name("https://a.example/b.csv?x=1")
    ('north May', 'b')
    """
    if address == STANDARD_INPUT:
        return "standard input"
    if is_file(address):
        return readable(Path(without_packing(address)).stem or address)
    address = without_credentials(address)
    place, _, fragment = address.partition("#")
    parts = [part.partition("=") for part in _fragment_parts(fragment)]
    named = [value for key, _, value in parts if key in ("sheet", "table")]
    inside = next((value for key, _, value in parts if key == "file"), "")
    if inside and not is_pattern(inside):
        place = PurePosixPath(inside).name
    if _URL.match(place) or is_server(place):
        # What is wrong with an address is said when it is fetched.
        with contextlib.suppress(ValueError):
            url = urlsplit(place)
            place = unquote(url.path) or url.netloc.rpartition("@")[2]
    name = Path(without_packing(place)).stem or place
    name = readable(name)
    return " ".join([name, *(each for each in named if not is_pattern(each))])
