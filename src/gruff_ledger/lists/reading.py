"""What reading a list gives, and the terms that pin how it is read.

The words are those of the W3C's metadata vocabulary for tabular data (CSV on the Web):
encoding, delimiter, skip rows, header rows.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Annotated, Any, Literal

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec import Meta

from gruff_ledger.columns.types import Mask
from gruff_ledger.lists.known_formats import READ
from gruff_ledger.outcome import Finding, Note, SetAside
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import Examples, Terms, Width

# What a person types for a delimiter that a shell or an editor makes hard to type.
_NAMED_DELIMITERS = {
    "tab": "\t",
    "\\t": "\t",
    "comma": ",",
    "semicolon": ";",
    "space": " ",
    "pipe": "|",
}


class ReadingTerms(Terms, frozen=True, kw_only=True):
    """How a list is written; what is not stated is detected, and shown."""

    format_: Annotated[
        str | None,
        Meta(
            description="The format of the list; its ending tells, unless given.",
            extra={"choices": READ},
        ),
    ] = None
    delimiter: Annotated[
        str | None,
        Meta(description="What separates the cells: one character, or 'tab'."),
    ] = None
    encoding: Annotated[
        str | None,
        Meta(description="The encoding of the text, such as utf-8 or windows-1252."),
    ] = None
    quote: Annotated[
        Literal["double", "backslash", "spaced", "none"] | None,
        Meta(
            description="How cells with delimiters or line ends are quoted: double, in "
            'double quotes; backslash, in such with \\" for a quote inside; spaced, '
            "with spaces around quotes; none, a quote is a character like any other."
        ),
    ] = None
    skip_rows: Annotated[
        int | None,
        Meta(description="How many rows are above the heading row."),
    ] = None
    header_rows: Annotated[
        int,
        Meta(description="1 if there is a heading row above the records, 0 if not."),
    ] = 1
    widths: Annotated[
        tuple[Width, ...],
        Meta(
            description="Of text of fixed width, how many characters each column has, "
            "as in '8, 20, 10'; the last one has the rest of the line."
        ),
    ] = ()
    no_totals: Annotated[
        bool,
        Meta(description="Set aside a last record that looks like a row of totals."),
    ] = False

    written: Annotated[
        dict[str, Examples],
        Meta(
            description="How the numbers or dates of a field are written, by example "
            "or by a pattern (LDML); found out from its cells, unless given.",
        ),
    ] = msgspec.field(default_factory=dict)

    def __post_init__(self) -> None:
        """Refuse terms that no list could be read by."""
        if self.written:
            from gruff_ledger.written.examples import way_of

            for field, examples in self.written.items():
                way_of(examples, field)
        if self.delimiter is not None and (
            len(self.delimiter_character) != 1 or self.delimiter in '"\r\n\0'
        ):
            raise BadTerms(
                f"'{self.delimiter}' cannot be a delimiter.",
                "Give `delimiter` one character other than a quote or a line end, or "
                "the word tab.",
                term="delimiter",
            )
        if self.skip_rows is not None and self.skip_rows < 0:
            raise BadTerms(
                f"{self.skip_rows} rows cannot be skipped.",
                "Give `skip-rows` 0 or more.",
                term="skip-rows",
            )
        if self.header_rows not in (0, 1):
            raise BadTerms(
                f"a list has 0 or 1 heading rows, not {self.header_rows}.",
                "Give `header-rows` 0 or 1.",
                term="header-rows",
            )

    @property
    def delimiter_character(self) -> str:
        """The delimiter itself, where it may have been given by name."""
        return named_character(self.delimiter or "")


def named_character(given: str) -> str:
    """Return the character that a delimiter's name stands for, or what was given."""
    return _NAMED_DELIMITERS.get(given.lower(), given)


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
