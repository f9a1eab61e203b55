"""Finding the lists that an address means: files, tabs, what is fetched."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec

from gruff_ledger.credentials import readable, without_credentials
from gruff_ledger.lists.address import (
    STANDARD_INPUT,
    Address,
    is_file,
    is_pattern,
    list_name,
    parse_address,
)
from gruff_ledger.lists.file_patterns import matching_files
from gruff_ledger.lists.formats import (
    check_fragment,
    check_stated,
    fitting,
    format_to_read,
    parts_of,
)
from gruff_ledger.lists.packing.archive import FileInside, files_in
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened, open_bytes, open_path, open_server
from gruff_ledger.lists.web.fetch import Fetching
from gruff_ledger.problems import BadTerms, UnreadableSource, nearest
from gruff_ledger.terms.declared import plain, read


class FoundList(msgspec.Struct, frozen=True):
    """
    One list that an address means.

    Attributes
    ----------
    label : str
        What tells it from the others that the address means: a file's or a tab's name.
    terms : ReadingTerms
        How it is to be read: as stated, and as its address says.
    left_out : tuple of str
        Keys of terms that were stated for several lists, and that its format has not.
    """

    label: str
    opened: Opened
    address: Address
    terms: ReadingTerms
    left_out: tuple[str, ...] = ()


def find_lists(
    text: str,
    *,
    name: str,
    terms: ReadingTerms,
    folder: Path | None = None,
    fetching: Fetching | None = None,
    shared: bool = False,
) -> list[FoundList]:
    """
    Find all lists that an address means, in the order of their names.

    Parameters
    ----------
    text : str
        The address.
    name : str
        What the person calls the list.
    terms : ReadingTerms
    folder : Path, optional
        What a relative path starts from; the working directory by default.
    fetching : Fetching, optional
        How lists are fetched from a network.
    shared : bool
        Whether the terms are stated for other lists too: what the format of one has
        not is then left out for it.

    Raises
    ------
    UnreadableSource
        If there is nothing readable there, or no such part of it.
    """
    address = parse_address(text, folder)
    terms = _with_own(terms, address)
    found: list[FoundList] = []
    for place, inside in _files(address, name, folder, fetching or Fetching()):
        opened = inside.opened
        format_ = format_to_read(opened, inside.name or place, terms)
        check_fragment(opened, address.fragment, format_)
        fit, left_out = fitting(format_, terms) if shared else (terms, ())
        try:
            check_stated(format_, fit)
        except BadTerms as problem:
            raise problem.placed(file=opened.address) from None
        parts, notes = parts_of(opened, address.fragment, format_)
        named = msgspec.structs.replace(opened, notes=opened.notes + notes)
        for part, fragment in parts:
            if inside.name:
                fragment = msgspec.structs.replace(fragment, file=inside.name)
            label = part or list_name(inside.name or place)
            shown = readable(without_credentials(address.text))
            is_other = bool(inside.name) and inside.name != address.fragment.file
            if place != address.place or len(parts) > 1 or is_other:
                whole = address.of_part(place, fragment).text
                shown = readable(without_credentials(whole))
            if address.is_standard_input:
                shown = opened.address
            stated = Address(shown, place, fragment)
            found.append(
                FoundList(
                    label,
                    msgspec.structs.replace(named, address=stated.text),
                    stated,
                    fit,
                    left_out,
                )
            )
            # What was met on the way is said once.
            named = msgspec.structs.replace(named, notes=())
    return found


def _with_own(terms: ReadingTerms, address: Address) -> ReadingTerms:
    """Return the terms with what the address itself says of the list."""
    if not address.fragment.reading:
        return terms
    own: dict[str, Any] = dict(address.fragment.reading)
    for key, value in own.items():
        if key.endswith("-rows") and value.isdecimal():
            own[key] = int(value)
        elif key == "widths":
            own[key] = [each.strip() for each in value.split(",")]
    try:
        return read(ReadingTerms, {**plain(terms), **own})
    except BadTerms as problem:
        raise problem.placed(file=address.text) from None


def _files(
    address: Address, name: str, folder: Path | None, fetching: Fetching
) -> Iterator[tuple[str, FileInside]]:
    """Yield the files that an address means, those in archives among them."""
    for place, opened in _opened(address, name, folder, fetching):
        for inside in files_in(opened, place, address.fragment.file):
            yield place, inside


def _opened(
    address: Address, name: str, folder: Path | None, fetching: Fetching
) -> Iterator[tuple[str, Opened]]:
    place = address.place
    shown = readable(without_credentials(address.text))
    if address.is_standard_input:
        data = sys.stdin.buffer.read()
        yield STANDARD_INPUT, open_bytes(data, name=name, address="standard input")
    elif address.is_url:
        yield place, fetching.fetch(place, name=name, address=address.text)
    elif address.is_server:
        yield place, open_server(place, name=name, address=shown)
    elif is_pattern(place) and not is_file(place, folder):
        for each in _matching(place, folder):
            path = Path(each) if folder is None else folder / each
            yield each, open_path(path, name=name, address=readable(each))
    else:
        path = Path(place) if folder is None else folder / place
        yield place, open_path(path, name=name, address=shown)


def _matching(pattern: str, folder: Path | None) -> list[str]:
    """Return the files of a pattern in the order of their names, on every system."""
    try:
        files = matching_files(pattern, folder)
    except (OSError, ValueError) as error:
        raise UnreadableSource(
            f"it cannot be the pattern of a path: {error}.", "Correct it.", file=pattern
        ) from error
    if not files:
        raise UnreadableSource(
            "no file matches this pattern.", _near(pattern, folder), file=pattern
        )
    return files


def _near(pattern: str, folder: Path | None) -> str:
    parent = Path(pattern).parent
    place = parent if folder is None else folder / parent
    try:
        there = sorted(each.name for each in place.iterdir() if each.is_file())
    except OSError:
        return f"There is no folder '{parent}'. Correct the path."
    if not there:
        return f"The folder '{parent}' holds no files. Correct the path."
    near = nearest(Path(pattern).name, there) or there[0]
    return f"The folder '{parent}' holds {len(there)} files, such as '{near}'."
