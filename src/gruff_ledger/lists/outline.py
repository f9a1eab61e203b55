"""A quick look at a list: its headings, its tabs or tables. Nothing is said of it.

For what must answer at once, such as a shell that completes a word: what cannot be told
quickly is not told.
"""

from __future__ import annotations

from gruff_ledger.lists.address import WHOLE, Fragment, parse_address
from gruff_ledger.lists.formats import format_to_read, function_of, read_list
from gruff_ledger.lists.packed import unpacked
from gruff_ledger.lists.reading import ReadingTerms
from gruff_ledger.lists.source import Opened, open_path

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
    opened = _opened(address.place)
    if opened is None:
        return ()
    terms = terms or ReadingTerms()
    found = format_to_read(opened, address.place, terms)
    if found.name == "delimited" and address.fragment == WHOLE:
        from gruff_ledger.lists.delimited.read import read_headings

        return read_headings(opened, terms)
    if opened.size_bytes > _MOST_BYTES:
        return ()
    reading = read_list(opened, address, terms, source=0, hashed=False)
    return reading.table.headings


def parts_of(place: str, key: str) -> tuple[str, ...]:
    """
    Return the names of the tabs of a workbook, or the tables of a database.

    Parameters
    ----------
    place : str
        The path of a file.
    key : str
        ``sheet`` or ``table``.

    Raises
    ------
    Problem
        If it cannot be read.
    """
    opened = _opened(place)
    if opened is None or opened.size_bytes > _MOST_BYTES:
        return ()
    found = format_to_read(opened, place, ReadingTerms())
    if key not in found.chosen or not found.parts:
        return ()
    every = Fragment(sheet="*") if key == "sheet" else Fragment(table="*")
    parts, _ = function_of(found.parts)(opened, every)
    return tuple(name for name, _ in parts)


def _opened(place: str) -> Opened | None:
    if "://" in place or place == "-":
        return None
    from pathlib import Path

    path = Path(place)
    return unpacked(open_path(path, name=place)) if path.is_file() else None
