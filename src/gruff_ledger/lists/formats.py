"""Which format a list has, and reading it in that; `known_formats` lists them all.

Every format is read and written by functions of the same form: a `Reader`, a `Finder`
where a file can hold several lists, and a `Writer`.
"""

from __future__ import annotations

import importlib
from pathlib import PurePosixPath
from typing import Any, BinaryIO, Protocol
from urllib.parse import urlsplit

import msgspec

from gruff_ledger.lists.address import (
    Address,
    Fragment,
    is_server,
    packing_of,
    without_packing,
)
from gruff_ledger.lists.known_formats import (
    FORMATS,
    SPECIAL_READING,
    WRITTEN,
    Format,
)
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import HEAD_BYTES, Opened
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms, UnreadableSource, UnwritableOutput
from gruff_ledger.terms.declared import plain

Parts = tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]


class Reader(Protocol):
    """Reads one list."""

    def __call__(
        self,
        opened: Opened,
        terms: ReadingTerms,
        fragment: Fragment,
        *,
        source: int,
        hashed: bool,
    ) -> Reading:
        """Read the list that a fragment means, as source number `source`."""


class Finder(Protocol):
    """Tells which lists a fragment means: each by its name, and what to note of it."""

    def __call__(self, opened: Opened, fragment: Fragment) -> Parts:
        """Return the lists of a file."""


class Writer(Protocol):
    """Writes an output."""

    def __call__(self, output: Output, sink: BinaryIO) -> None:
        """Write all of its lists."""


# How much of a file is looked at to see that it is a page.
_PAGE_BYTES = 4096

# Endings that text of any kind is given.
_OPEN_ENDINGS = (".txt", ".asc", ".dat")

_FRAGMENT_WORDS = {
    "sheet": "tabs (#sheet=)",
    "rows": "rows (#row=)",
    "cols": "columns (#col=)",
    "table": "tables (#table=)",
    "pointer": "keys (#/key)",
}


def by_ending(place: str) -> Format | None:
    """Return the format that the ending of a path or URL tells, if it tells one."""
    if is_server(place):
        return FORMATS["postgresql"]
    if "://" in place:
        place = urlsplit(place).path
    place = without_packing(place)
    ending = PurePosixPath(place.replace("\\", "/").lower()).suffix
    return next((each for each in FORMATS.values() if ending in each.endings), None)


def format_to_read(opened: Opened, place: str, terms: ReadingTerms) -> Format:
    """
    Tell the format of a source: as stated, by its ending, else by how it begins.

    Raises
    ------
    UnreadableSource
        If it is packed and not text, or a page under the ending of delimited text.
    """
    if opened.server:
        return FORMATS["postgresql"]
    if terms.format_ is not None:
        _check_packing(opened, FORMATS[terms.format_])
        return FORMATS[terms.format_]
    if terms.widths:
        return FORMATS["fixed-width"]
    found = by_ending(place)
    if found is None:
        with opened.start() as stream:
            start = stream.read(64)
        begun = next(
            (
                each
                for each in FORMATS.values()
                if start.startswith(each.starts or (b"\0",))
            ),
            None,
        )
        if begun is not None:
            if b"opendocument.spreadsheet" in start:
                begun = FORMATS["ods"]
            _check_packing(opened, begun)
            return begun
        if opened.media_type:
            found = next(
                (
                    each
                    for each in FORMATS.values()
                    if opened.media_type in each.media_types
                ),
                None,
            )
    if found is None or place.lower().endswith(_OPEN_ENDINGS):
        found = _of_text(opened, terms)
    elif found.name == "delimited":
        _refuse_page(opened)
    _check_packing(opened, found)
    return found


def _of_text(opened: Opened, terms: ReadingTerms) -> Format:
    """Tell the format of text that can be anything, by how it begins."""
    delimited = FORMATS["delimited"]
    if terms.delimiter is not None or terms.quote is not None:
        return delimited
    known: Format | None = opened.memo.get("format of text")
    if known is None:
        with opened.start() as stream:
            head = stream.read(HEAD_BYTES)
        known = next(
            (
                each
                for each in FORMATS.values()
                if each.told_by and function_of(each.told_by)(head)
            ),
            delimited,
        )
        opened.memo["format of text"] = known
    return known


def _refuse_page(opened: Opened) -> None:
    """Refuse a page that is named as delimited text: its marks would be the cells."""
    with opened.start() as stream:
        head = stream.read(_PAGE_BYTES)
    page = FORMATS["html"]
    if head.lstrip()[:1] == b"<" and function_of(page.told_by)(head):
        raise UnreadableSource(
            f"it is {page.words}: the ending of its name is that of another.",
            "Give `format html`, or rename it.",
            file=opened.address,
        )


def _check_packing(opened: Opened, found: Format) -> None:
    """Refuse what is packed and is not read from its start to its end."""
    if opened.packing and not found.is_text:
        raise UnreadableSource(
            f"it is {found.words}, packed by {opened.packing}.",
            "Unpack it first: only text is unpacked as it is read.",
            file=opened.address,
        )


def check_fragment(opened: Opened, fragment: Fragment, found: Format) -> None:
    """
    Refuse parts that a format does not have.

    Raises
    ------
    UnreadableSource
    """
    wrong = [name for name in fragment.named() if name not in found.chosen]
    if wrong:
        known = [_FRAGMENT_WORDS[name] for name in found.chosen]
        has = f"has {' and '.join(known)}" if known else "has no parts to choose from"
        raise UnreadableSource(
            f"it was read as {found.words}, which {has}, and no "
            f"{_FRAGMENT_WORDS[wrong[0]]}.",
            "Leave that part of the address out; or, if the file is of another format, "
            "give `format`.",
            file=opened.address,
        )


def parts_of(opened: Opened, fragment: Fragment, found: Format) -> Parts:
    """Return the lists that a fragment means in a file: tabs or tables, by name."""
    if not found.parts:
        return (("", fragment),), ()
    find: Finder = function_of(found.parts)
    return find(opened, fragment)


def read_list(
    opened: Opened,
    address: Address,
    terms: ReadingTerms,
    *,
    source: int,
    hashed: bool,
) -> Reading:
    """Read a list in the format it has; see the readers for what can go wrong."""
    found = format_to_read(opened, address.file_name, terms)
    read: Reader = function_of(found.reader)
    return read(opened, terms, address.fragment, source=source, hashed=hashed)


def format_to_write(place: str, stated: str | None) -> Format:
    """
    Tell the format of an output: as stated, by its ending, delimited text without one.

    Raises
    ------
    UnwritableOutput
        If the format can only be read, or the ending tells none.
    """
    if is_server(place):
        return FORMATS["postgresql"]
    found = FORMATS[stated] if stated else by_ending(place)
    packing = packing_of(place)
    if packing is not None and found is not None and not found.is_text:
        raise UnwritableOutput(
            f"{found.words} is not packed by {packing.name}: its program could not "
            "open it.",
            f"Leave out the ending {packing.ending}.",
            file=place,
        )
    if found is None:
        ending = PurePosixPath(without_packing(place).replace("\\", "/")).suffix
        if ending.lower() in ("", ".out", ".lst", ".data"):
            return FORMATS["delimited"]
        known = [each.endings[0] for each in FORMATS.values() if each.writer]
        raise UnwritableOutput(
            f"'{ending}' is not the ending of a format that can be written.",
            f"End the path in {', '.join(known)}, or give the format.",
            file=place,
        )
    if not (found.writer or found.is_server):
        raise UnwritableOutput(
            f"{found.words} can be read, and not written.",
            f"Use another ending, or give the format: {', '.join(WRITTEN)}.",
            file=place,
        )
    return found


def writer_of(found: Format) -> Writer:
    """Return the function that writes a format."""
    function: Writer = function_of(found.writer)
    return function


def function_of(place: str) -> Any:
    """Return a function of this part by its module and name, ``module:name``."""
    module, _, name = place.partition(":")
    return getattr(importlib.import_module(f"gruff_ledger.lists.{module}"), name)


def fitting(found: Format, terms: ReadingTerms) -> tuple[ReadingTerms, tuple[str, ...]]:
    """
    Return the terms of reading that a format has, and the keys of the others.

    For terms that are stated for several lists, of which some are of other formats.
    """
    left_out = tuple(_unfit(found, terms))
    attributes = {"format": "format_"}
    default = ReadingTerms()
    changes = {
        attribute: getattr(default, attribute)
        for key in left_out
        for attribute in (attributes.get(key, key.replace("-", "_")),)
    }
    return msgspec.structs.replace(terms, **changes), left_out


def check_stated(found: Format, terms: ReadingTerms) -> None:
    """
    Refuse terms that only delimited text has, in another format.

    Raises
    ------
    BadTerms
    """
    for key in _unfit(found, terms):
        raise BadTerms(
            f"{found.words} has no such thing.",
            "Leave it out; or, if the list is delimited text, give `format delimited`.",
            term=key,
        )


def _unfit(found: Format, terms: ReadingTerms) -> list[str]:
    """Return the keys of terms that were given and that the format lacks."""
    stated = plain(terms)
    return [
        key for key in SPECIAL_READING if key in stated and key not in found.read_as
    ]
