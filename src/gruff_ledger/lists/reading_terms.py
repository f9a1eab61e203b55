"""The terms that pin how a list is read.

The words are those of the W3C's metadata vocabulary for tabular data (CSV on the Web):
encoding, delimiter, skip rows, header rows.
"""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from gruff_ledger.lists.known_formats import READ
from gruff_ledger.problems import BadTerms
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
