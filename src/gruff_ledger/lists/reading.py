"""What reading a list gives: its table, and the account of its source."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.columns.types import Mask
from gruff_ledger.outcome import Finding, Note, SetAside
from gruff_ledger.table import Table


class Source(msgspec.Struct, frozen=True):
    """
    The account of one source: what it was and how it was read.

    Attributes
    ----------
    name, address : str
    size_bytes : int
    sha256 : callable, optional
        Returns the hash of all its bytes as they were when they were read; it may have
        to wait for it. None if no hash was asked for.
    modified : float or None
        When the file was last changed, in seconds since 1970 in UTC.
    format : str
    written : mapping
        How it is written, as read: ``encoding``, ``delimiter``, ``tab`` and the like.
        `pinned` holds the keys of what the person stated.
    heading_row : int, optional
        Row of the heading, from 1: record n stands in row ``heading_row + n``. None in
        formats that know no rows.
    titles : tuple of str
        The rows above the heading, as written.
    records_in : int
        Records that stand in the source, those set aside and the trailing blank
        ones among them.
    trailing_blank : int
        Blank records after the last one that holds anything; they are left out.
    """

    name: str
    address: str
    size_bytes: int
    sha256: Callable[[], str] | None
    modified: float | None
    format: str
    written: Mapping[str, Any]
    pinned: tuple[str, ...]
    heading_row: int | None
    titles: tuple[str, ...]
    records_in: int
    trailing_blank: int


# For some fields of a list, what its values were in a source that has types: codes by
# record number, from 0. A text is 0, also where nothing is known.
Kinds = Mapping[str, npt.NDArray[np.uint8]]
NUMBER, TRUTH, NULL, NESTED = 1, 2, 3, 4
NO_KINDS: Kinds = {}


class Reading(msgspec.Struct, frozen=True, eq=False):
    """
    A list as it was read, with the records that could not be and what was found.

    Attributes
    ----------
    kinds : mapping
        Of a list of JSON or a workbook, what its values were; see `Kinds`.
    """

    table: Table
    source: Source
    aside: tuple[SetAside, ...] = ()
    findings: tuple[Finding, ...] = ()
    notes: tuple[Note, ...] = ()
    kinds: Kinds = NO_KINDS


def typed_numbers(reading: Reading) -> dict[str, Mask]:
    """Return for each field with types which of its cells are numbers there."""
    found: dict[str, Mask] = {}
    records = reading.table.origin.record
    for heading, codes in reading.kinds.items():
        if reading.table.has_field(heading):
            known = np.zeros(int(records.max(initial=0)) + 1, np.uint8)
            known[: len(codes)] = codes[: len(known)]
            found[heading] = known[records] == NUMBER
    return found
