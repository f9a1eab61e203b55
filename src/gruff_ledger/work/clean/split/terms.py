"""The terms of `split`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.cells.text.cut import Cutting
from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Terms, Text, Width
from gruff_ledger.words import counted

_NAMED = {"tab": "\t", "space": " ", "\\t": "\t", "\\n": "\n"}


class SplitTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    field: Annotated[
        str | None,
        Meta(description="The field to split; the only one, unless named."),
    ] = None
    at: Annotated[
        tuple[Text, ...],
        Meta(
            description="The delimiter: any text, 'space' or 'tab'. Of several, any "
            "one parts."
        ),
    ] = ()
    which: Annotated[
        Literal["every", "first", "last"],
        Meta(description="At which delimiters of a cell to split."),
    ] = "every"
    pattern: Annotated[
        str | None,
        Meta(
            description="A pattern (RE2) with named groups, as in "
            "'^(?P<pontoon>[A-Z])(?P<number>[0-9]+)$'; each group is a new field."
        ),
    ] = None
    widths: Annotated[
        tuple[Width, ...],
        Meta(description="How many characters each part has, as in '3, 5, 2'."),
    ] = ()
    parts: Annotated[
        tuple[str, ...], Meta(description="The headings of the new fields.")
    ] = ()
    records: Annotated[
        bool,
        Meta(description="Make one record a part, rather than one field a part."),
    ] = False
    surplus: Annotated[
        Literal["last", "first", "set-aside"],
        Meta(
            description="Where a cell has more parts than there are new fields: give "
            "the surplus to the last field, to the first, or set the record aside."
        ),
    ] = "last"
    missing: Annotated[
        Literal["last", "first"],
        Meta(
            description="Where a cell has fewer parts than there are new fields: "
            "whether the last fields are blank, or the first."
        ),
    ] = "last"
    keep: Annotated[
        bool, Meta(description="Keep the field; the new ones come after it.")
    ] = False
    untrimmed: Annotated[
        bool, Meta(description="Leave white space around the parts.")
    ] = False
    no_quoting: Annotated[
        bool,
        Meta(
            description="Take a double quote as a character like any other; else a "
            "part in double quotes may have the delimiter in it."
        ),
    ] = False

    def __post_init__(self) -> None:
        """Refuse terms that do not say one way of splitting."""
        ways = [bool(self.at), self.pattern is not None, bool(self.widths)]
        if sum(ways) != 1:
            raise BadTerms(
                "several ways of splitting were given."
                if sum(ways)
                else "no way to split was given.",
                "Give one of `at`, `pattern` and `widths`.",
                term="at",
            )
        if any(not text for text in self.at):
            raise BadTerms("a delimiter is empty.", "Give it a text.", term="at")
        if self.records and (not self.at or self.parts or self.which != "every"):
            raise BadTerms(
                "one record a part is made at every delimiter, in the field itself.",
                "Give `at`, and neither `parts` nor `which`.",
                term="records",
            )
        if self.widths and self.parts and len(self.parts) != len(self.widths):
            said = (
                f"{counted(len(self.widths), 'width', 'widths')}, "
                f"{counted(len(self.parts), 'heading', 'headings')}"
            )
            raise BadTerms(
                f"widths and headings do not go together: {said}.",
                "Give a heading for each width.",
                term="parts",
            )
        if self.missing == "first" and (self.pattern is not None or self.records):
            raise BadTerms(
                "parts are missing where cells are cut at delimiters or by widths.",
                "Leave it out.",
                term="missing",
            )
        if len(self.parts) == 1 and self.at:
            raise BadTerms(
                "a split needs two new fields or more.",
                "Name two or more.",
                term="parts",
            )

    @property
    def cutting(self) -> Cutting:
        """Where to cut, at delimiters."""
        texts = {_NAMED.get(text, text) for text in self.at}
        # The longest first, so that none hides a longer one.
        ordered = tuple(sorted(texts, key=lambda text: (-len(text), text)))
        return Cutting(ordered, self.which, respects_quotes=not self.no_quoting)
