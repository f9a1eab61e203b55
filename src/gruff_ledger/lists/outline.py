"""A quick look at a list: its headings, its tabs or tables. Nothing is said of it.

For what must answer at once, such as a shell that completes a word: what cannot be told
quickly is not told.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from gruff_ledger.lists.address import WHOLE, Fragment, parse_address
from gruff_ledger.lists.formats import format_to_read, function_of, read_list
from gruff_ledger.lists.packing.archive import FileInside, files_in, names_in
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_path

if TYPE_CHECKING:
    from pathlib import Path

# Larger files of the formats that are read whole are left alone.
_MOST_BYTES = 20_000_000


def headings_of(text: str, terms: ReadingTerms | None = None) -> tuple[str, ...]:
    """
    Return the headings of the list at an address.

    Parameters
    ----------
    text : str
        Of a file; lists on a network are not asked.
    terms : ReadingTerms, optional

    Returns
    -------
    tuple of str
        Empty where it would take long, or the address means no list or several.

    Raises
    ------
    Problem
        If it cannot be read.
    """
    address = parse_address(text)
    inside = _opened(address.place, address.fragment.file)
    if inside is None:
        return ()
    opened = inside.opened
    terms = terms or ReadingTerms()
    found = format_to_read(opened, inside.name or address.place, terms)
    if found.name == "delimited" and address.fragment == WHOLE:
        from gruff_ledger.lists.delimited.read import read_headings

        return read_headings(opened, terms)
    if opened.size_bytes > _MOST_BYTES:
        return ()
    reading = read_list(opened, address, terms, source=0, hashed=False)
    return reading.table.headings


def parts_of(place: str, key: str) -> tuple[str, ...]:
    """
    Return the names of an archive's files, a workbook's tabs or a database's tables.

    Parameters
    ----------
    place : str
        The path of a file.
    key : str
        ``file``, ``sheet`` or ``table``.

    Raises
    ------
    Problem
        If it cannot be read.
    """
    if key == "file":
        path = _path(place)
        return () if path is None else names_in(open_path(path, name=place))
    inside = _opened(place, None)
    if inside is None or inside.opened.size_bytes > _MOST_BYTES:
        return ()
    opened = inside.opened
    found = format_to_read(opened, place, ReadingTerms())
    if key not in found.chosen or not found.parts:
        return ()
    every = Fragment(sheet="*") if key == "sheet" else Fragment(table="*")
    parts, _ = function_of(found.parts)(opened, every)
    return tuple(name for name, _ in parts)


def _opened(place: str, wanted: str | None) -> FileInside | None:
    path = _path(place)
    if path is None:
        return None
    files = files_in(open_path(path, name=place), place, wanted)
    return files[0] if len(files) == 1 else None


def _path(place: str) -> Path | None:
    if "://" in place or place == "-":
        return None
    from pathlib import Path

    path = Path(place)
    return path if path.is_file() else None
