"""What is written to one file: lists, and how they are to be written."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Literal, NamedTuple

from msgspec import Meta

from gruff_ledger.lists.known_formats import WRITTEN
from gruff_ledger.lists.reading import NO_KINDS, Kinds
from gruff_ledger.lists.reading_terms import named_character
from gruff_ledger.outcome import Finding
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import Terms, Width


class WritingTerms(Terms, frozen=True, kw_only=True):
    """How an output is written."""

    format_: Annotated[
        str | None,
        Meta(
            description="The format to write; the path's ending tells, unless given.",
            extra={"choices": WRITTEN},
        ),
    ] = None
    delimiter: Annotated[
        str | None,
        Meta(
            description="What to put between the cells of delimited text: one "
            "character, or 'tab'. A comma, unless given; a tab in .tsv and .tab files."
        ),
    ] = None
    line_ends: Annotated[
        Literal["lf", "crlf"],
        Meta(description="How lines of text end."),
    ] = "lf"
    byte_order_mark: Annotated[
        bool,
        Meta(
            description="Begin delimited text with a byte-order mark, by which some "
            "programs know UTF-8."
        ),
    ] = False
    quote: Annotated[
        Literal["needed", "all"],
        Meta(
            description="Which cells of delimited text go in double quotes: those "
            "that need them, or all."
        ),
    ] = "needed"
    widths: Annotated[
        tuple[Width, ...],
        Meta(
            description="Of text of fixed width, how many characters each column has; "
            "as many as its longest cell and two more, unless given."
        ),
    ] = ()
    guard_formulas: Annotated[
        bool,
        Meta(
            description="Put an apostrophe before text that a spreadsheet program "
            "would run as a formula; each is journaled as a change."
        ),
    ] = False

    typed: Annotated[
        bool,
        Meta(
            description="Write a field of numbers to Parquet as one of numbers also "
            "where their decimals differ, so that 1.5 may come back as 1.50."
        ),
    ] = False
    no_findings: Annotated[
        bool,
        Meta(
            description="Leave findings out of a workbook; else the cells found are "
            "coloured, with the message as a note, and a tab lists them."
        ),
    ] = False

    further_tabs: Annotated[
        bool,
        Meta(
            description="Where a list is longer than a tab of a workbook can be, go on "
            "in further tabs: Berths, Berths 2, …"
        ),
    ] = False

    def __post_init__(self) -> None:
        """Refuse a delimiter that could not be read back."""
        if self.delimiter is None:
            return
        character = named_character(self.delimiter)
        if len(character) != 1 or character in '"\r\n\0' or not character.isascii():
            raise BadTerms(
                f"'{self.delimiter}' cannot be written as a delimiter.",
                "Give `delimiter` one ASCII character that is no quote and no line "
                "end, or the word tab.",
                term="delimiter",
            )


class Output(NamedTuple):
    """
    What is written to one file.

    Attributes
    ----------
    parts : sequence of (name, Table)
        Its lists, by the names of the tabs or tables they are to be.
    terms : WritingTerms
    path : Path
        Where it will lie.
    findings : sequence of Finding
        On records that may be in the lists, for formats that can show them.
    source_names : sequence of str
        Of the sources that findings and records come from.
    kinds : mapping
        What values of the one list were in sources of JSON, for that format.
    """

    parts: Sequence[tuple[str, Table]]
    terms: WritingTerms = WritingTerms()
    path: Path = Path()
    findings: Sequence[Finding] = ()
    source_names: Sequence[str] = ()
    kinds: Kinds = NO_KINDS

    @property
    def table(self) -> Table:
        """The one list of a file that holds no more."""
        ((_, table),) = self.parts
        return table
