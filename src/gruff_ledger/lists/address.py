"""Addresses: where a list comes from."""

from __future__ import annotations

import sys
from pathlib import Path

from gruff_ledger.lists.delimited import read_delimited
from gruff_ledger.lists.reading import Reading, ReadingTerms
from gruff_ledger.lists.source import Opened, open_bytes, open_path
from gruff_ledger.problems import UnreadableSource

STANDARD_INPUT = "-"


def open_address(address: str, *, name: str, folder: Path | None = None) -> Opened:
    """
    Find what an address means.

    Parameters
    ----------
    address : str
        A path, or ``-`` for standard input.
    name : str
        What the person calls the list.
    folder : Path, optional
        What a relative path starts from; the working directory by default.

    Raises
    ------
    UnreadableSource
        If there is nothing readable there.
    """
    if not address:
        raise UnreadableSource("the address of a list is empty.", "Name a file.")
    if address == STANDARD_INPUT:
        return open_bytes(sys.stdin.buffer.read(), name=name, address="standard input")
    path = Path(address) if folder is None else folder / address
    return open_path(path, name=name, address=address)


def read_list(
    opened: Opened, terms: ReadingTerms, *, source: int, hashed: bool
) -> Reading:
    """Read a list in the format it has; see `read_delimited`."""
    return read_delimited(opened, terms, source=source, hashed=hashed)


def list_name(address: str) -> str:
    """Return what to call a list that has no name of its own: its file's name."""
    if address == STANDARD_INPUT:
        return "standard input"
    return Path(address).stem or address
