"""The formats that lists are read and written in: one module a format, one line here.

The ending of a file tells its format, unless it is stated. Modules are imported when
their format is met.
"""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterator
from pathlib import PurePosixPath
from typing import Any, NamedTuple
from urllib.parse import urlsplit

import msgspec

from gruff_ledger.lists.address import Address, Fragment, is_server
from gruff_ledger.lists.reading import Reading, ReadingTerms
from gruff_ledger.lists.source import Opened
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms, UnreadableSource, UnwritableOutput

Parts = tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]


class Format(NamedTuple):
    """
    A format.

    Attributes
    ----------
    name : str
        As `format` states it.
    words : str
        What it is called in messages.
    endings : tuple of str
    reader, parts, writer : str
        Functions as ``module:name``: one that reads a list, one that tells which lists
        an address means, one that writes; empty where there is none.
    chosen : tuple of str
        What of a `Fragment` it understands.
    several : bool
        Whether one file of it can hold several lists.
    starts : tuple of bytes
        How files of it begin.
    media_types : tuple of str
        What it is served as.
    remarked : bool
        Whether its writer takes findings, and shows them at the cells.
    is_server : bool
        Whether it is no file, but a database on a server.
    """

    name: str
    words: str
    endings: tuple[str, ...]
    reader: str = ""
    parts: str = ""
    writer: str = ""
    chosen: tuple[str, ...] = ()
    several: bool = False
    starts: tuple[bytes, ...] = ()
    media_types: tuple[str, ...] = ()
    remarked: bool = False
    is_server: bool = False


_GRID = ("sheet", "rows", "cols")
_SHEET_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

FORMATS = {
    each.name: each
    for each in (
        Format(
            "delimited",
            "delimited text",
            (".csv", ".tsv", ".tab", ".txt", ".asc", ".dat"),
            reader="delimited.read:read_delimited",
            writer="delimited.write:write_delimited",
            chosen=("rows", "cols"),
            media_types=("text/csv", "text/tab-separated-values", "text/plain"),
        ),
        Format(
            "xlsx",
            "an XLSX workbook",
            (".xlsx", ".xlsm", ".xltx"),
            reader="workbook.read:read_workbook",
            parts="workbook.read:workbook_parts",
            writer="workbook.write_xlsx:write_workbook",
            remarked=True,
            chosen=_GRID,
            several=True,
            starts=(b"PK\x03\x04",),
            media_types=(_SHEET_TYPE,),
        ),
        Format(
            "ods",
            "an ODS workbook",
            (".ods", ".ots"),
            reader="workbook.read:read_workbook",
            parts="workbook.read:workbook_parts",
            chosen=_GRID,
            media_types=("application/vnd.oasis.opendocument.spreadsheet",),
        ),
        Format(
            "json",
            "JSON",
            (".json",),
            reader="json_lists:read_json",
            writer="json_lists:write_json",
            chosen=("pointer",),
            media_types=("application/json",),
        ),
        Format(
            "json-lines",
            "JSON Lines",
            (".jsonl", ".ndjson"),
            reader="json_lists:read_json_lines",
            writer="json_lists:write_json_lines",
            media_types=("application/x-ndjson", "application/jsonl"),
        ),
        Format(
            "parquet",
            "a Parquet file",
            (".parquet",),
            reader="parquet:read_parquet",
            writer="parquet:write_parquet",
            starts=(b"PAR1",),
            media_types=("application/vnd.apache.parquet",),
        ),
        Format(
            "sqlite",
            "a SQLite database",
            (".db", ".sqlite", ".sqlite3"),
            reader="database.read:read_stored_list",
            parts="database.read:database_parts",
            writer="database.read:write_stored_lists",
            chosen=("table",),
            several=True,
            starts=(b"SQLite format 3\x00",),
            media_types=("application/vnd.sqlite3",),
        ),
        Format(
            "postgresql",
            "a PostgreSQL database",
            (),
            reader="database.read:read_stored_list",
            parts="database.read:database_parts",
            chosen=("table",),
            several=True,
            is_server=True,
        ),
        Format(
            "markdown",
            "a Markdown table",
            (".md", ".markdown"),
            writer="markup:write_markdown",
        ),
        Format("html", "an HTML page", (".html", ".htm"), writer="markup:write_html"),
    )
}

READ = tuple(
    each.name for each in FORMATS.values() if each.reader and not each.is_server
)
WRITTEN = tuple(each.name for each in FORMATS.values() if each.writer)

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
    ending = PurePosixPath(place.replace("\\", "/").lower()).suffix
    return next((each for each in FORMATS.values() if ending in each.endings), None)


def format_to_read(opened: Opened, place: str, terms: ReadingTerms) -> Format:
    """
    Tell the format of a source: as stated, by its ending, else by how it begins.

    Raises
    ------
    UnreadableSource
        If its ending is that of a format that is only written.
    """
    if opened.server:
        return FORMATS["postgresql"]
    if terms.format_ is not None:
        return FORMATS[terms.format_]
    found = by_ending(place)
    if found is None or found.name == "delimited":
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
        if begun is not None and begun.starts and found is None:
            if b"opendocument.spreadsheet" in start:
                return FORMATS["ods"]
            return begun
        if found is None and opened.media_type:
            found = next(
                (
                    each
                    for each in FORMATS.values()
                    if opened.media_type in each.media_types
                ),
                None,
            )
    if found is None:
        return FORMATS["delimited"]
    if not found.reader:
        raise UnreadableSource(
            f"{found.words} is written, and not read.",
            f"If it is a list all the same, state its `format`: {', '.join(READ)}.",
            file=opened.address,
        )
    return found


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
            "state its `format`.",
            file=opened.address,
        )


def parts_of(opened: Opened, fragment: Fragment, found: Format) -> Parts:
    """Return the lists that a fragment means in a file: tabs or tables, by name."""
    if not found.parts:
        return (("", fragment),), ()
    parts: Parts = function_of(found.parts)(opened, fragment)
    return parts


def read_list(
    opened: Opened,
    address: Address,
    terms: ReadingTerms,
    *,
    source: int,
    hashed: bool,
) -> Reading:
    """Read a list in the format it has; see the readers for what can go wrong."""
    found = format_to_read(opened, address.place, terms)
    reading: Reading = function_of(found.reader)(
        opened, terms, address.fragment, source=source, hashed=hashed
    )
    return reading


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
    if found is None:
        ending = PurePosixPath(place.replace("\\", "/")).suffix
        if ending.lower() in ("", ".out", ".lst", ".data"):
            return FORMATS["delimited"]
        known = [each.endings[0] for each in FORMATS.values() if each.writer]
        raise UnwritableOutput(
            f"no list is written in a format that '{ending}' stands for.",
            f"End the path in {', '.join(known)}, or state the format.",
            file=place,
        )
    if not (found.writer or found.is_server):
        raise UnwritableOutput(
            f"{found.words} can be read, and not written.",
            f"Use another ending, or state the format: {', '.join(WRITTEN)}.",
            file=place,
        )
    return found


def writer_of(found: Format) -> Callable[..., None]:
    """Return the function that writes a format."""
    function: Callable[..., None] = function_of(found.writer)
    return function


def function_of(place: str) -> Any:
    """Return a function of this part by its module and name, ``module:name``."""
    module, _, name = place.partition(":")
    return getattr(importlib.import_module(f"gruff_ledger.lists.{module}"), name)


# The formats beside delimited text whose texts can be in another encoding than theirs.
_ENCODED = ("json", "json-lines", "sqlite")


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
            "Leave it out; or, if the list is delimited text, set `format` to "
            "delimited.",
            term=key,
        )


def _unfit(found: Format, terms: ReadingTerms) -> Iterator[str]:
    """Yield the keys of terms that were given and that the format lacks."""
    grid = "rows" in found.chosen
    for key, stated, fits in (
        ("delimiter", terms.delimiter is not None, False),
        ("quote", terms.quote is not None, False),
        ("encoding", terms.encoding is not None, found.name in _ENCODED),
        ("skip-rows", terms.skip_rows is not None, grid),
        ("header-rows", terms.header_rows != 1, grid),
        ("format", terms.format_ is not None, not found.is_server),
    ):
        if stated and not fits and found.name != "delimited":
            yield key
