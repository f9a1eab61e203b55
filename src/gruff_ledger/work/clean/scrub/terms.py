"""The terms of `scrub`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.cells.dates.moments import DatePattern
from gruff_ledger.cells.numbers.forms import number_pattern
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.terms.declared import ListAddress, Terms, Text

PLAIN, ISO = "plain", "iso"


class ScrubTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    fields: Annotated[
        tuple[str, ...], Meta(description="The fields to scrub; all, unless named.")
    ] = ()
    trim: Annotated[
        bool, Meta(description="Take white space off both ends of cells.")
    ] = False
    squeeze: Annotated[
        bool,
        Meta(description="Write every run of white space in a cell as one space."),
    ] = False
    no_invisible: Annotated[
        bool,
        Meta(
            description="Take out invisible characters: zero-width spaces, soft "
            "hyphens, direction marks."
        ),
    ] = False
    unicode: Annotated[
        Literal["nfc", "nfkc"] | None,
        Meta(
            description="Write what looks alike in one way: nfc unifies accents, nfkc "
            "also wide letters, ligatures and raised digits."
        ),
    ] = None
    null: Annotated[
        tuple[Text, ...],
        Meta(description="A word that means nothing, such as n/a: it becomes blank."),
    ] = ()
    map: Annotated[
        dict[str, str], Meta(description="A cell as it is, and as it is to be.")
    ] = {}  # noqa: RUF012  (copied for each by msgspec)
    map_by: Annotated[
        ListAddress | None,
        Meta(
            description="A list of two fields that says the same of many: a cell as it "
            "is, and as it is to be."
        ),
    ] = None
    match: Annotated[
        Literal["exact", "loose", "letters", "number"],
        Meta(
            description="How a cell must be like one of the map: exact; loose (spaces, "
            "case and Unicode do not count); letters (nor punctuation and accents); "
            "number (equal value)."
        ),
    ] = "exact"
    case: Annotated[
        Literal["upper", "lower", "title", "sentence"] | None,
        Meta(
            description="Write letters in capitals, small, each word with a capital, "
            "or only the first."
        ),
    ] = None
    odd_only: Annotated[
        bool,
        Meta(
            description="Change the case only of cells that are all in capitals or all "
            "in small letters; a field mostly in small letters is left as it is."
        ),
    ] = False
    number: Annotated[
        str | None,
        Meta(
            description="Rewrite numbers: plain, or by a pattern (LDML) such as "
            "#,##0.00. With `date`, too, each field is rewritten as what it holds."
        ),
    ] = None
    rounding: Annotated[
        Literal[
            "none",
            "half-up",
            "half-even",
            "half-down",
            "up",
            "down",
            "ceiling",
            "floor",
        ],
        Meta(
            description="How to round a number with more decimals than the pattern; "
            "with none it is left as it is."
        ),
    ] = "none"
    date: Annotated[
        str | None,
        Meta(description="Rewrite dates: iso, or by a pattern (LDML)."),
    ] = None
    currency_to: Annotated[
        str | None,
        Meta(
            description="Put the currency of amounts in a field of this name; for "
            "`number`."
        ),
    ] = None
    fill: Annotated[
        str | None, Meta(description="Fill blank cells with this, such as 0.")
    ] = None
    above: Annotated[
        bool, Meta(description="Fill a blank cell from the cell above it.")
    ] = False

    def __post_init__(self) -> None:
        """Refuse terms that do nothing or cannot be followed."""
        asked = (self.trim, self.squeeze, self.no_invisible, self.unicode, self.null)
        more = (self.map, self.map_by, self.case, self.number, self.date, self.above)
        if not any(asked) and not any(more) and self.fill is None:
            raise BadTerms(
                "no action was given for the cells.",
                "Give `trim`, `squeeze`, `map`, `case`, `number`, `date`, `fill` or "
                "another of its terms.",
                term="trim",
            )
        if (self.number or self.date) and not self.fields:
            raise BadTerms(
                "numbers and dates are rewritten in fields that are named.",
                "Name them in `fields`.",
                term="fields",
            )
        if self.odd_only and self.case is None:
            raise BadTerms(
                "it only applies with a change of letter case.",
                "Give `case` too.",
                term="odd-only",
            )
        if self.fill is not None and is_blank(self.fill):
            raise BadTerms(
                "blanks would be filled with a blank.", "Give a value.", term="fill"
            )
        if self.currency_to is not None and (not self.number or len(self.fields) > 1):
            raise BadTerms(
                "the currency of one field of numbers is put in a field of its own.",
                "Give `number` too, and name one field in `fields`.",
                term="currency-to",
            )
        with said_by("number"):
            if self.number and self.number != PLAIN:
                number_pattern(self.number)
        with said_by("date"):
            if self.date and self.date != ISO:
                DatePattern(self.date)
