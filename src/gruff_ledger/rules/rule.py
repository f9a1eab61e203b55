"""One rule: what it asks of a cell or a record, how bad a breach is, and what is said.

Names of what a field may hold are those of the W3C's metadata vocabulary for tabular
data (Recommendation of 17 December 2015), where it has them.
"""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.cells.dates.moments import DatePattern
from gruff_ledger.cells.match.levels import LEVELS
from gruff_ledger.cells.numbers.forms import number_pattern
from gruff_ledger.cells.text.templates import template_parts
from gruff_ledger.formula.parse import parse
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.terms.declared import (
    Formula,
    Heading,
    ListAddress,
    Plain,
    Terms,
    Text,
)

SEVERITY = Meta(
    description="How bad a finding is: note, warn, or stop, which ends the run with "
    "exit status 1."
)
MESSAGE = Meta(
    description="What a finding says, in words of your own: {value} stands for the "
    "cell, {nearest} for the allowed value most like it, {FIELD} for another cell of "
    "the record."
)

Level = Literal["exact", "loose", "letters", "number", "date"]

NUMBERS = ("number", "integer", "decimal")
DATES = ("date", "datetime")

assert LEVELS.keys() == set(Level.__args__)  # type: ignore[attr-defined]

# What a message may stand in braces beside headings.
VALUE, NEAREST = "value", "nearest"


class Rule(Terms, frozen=True, kw_only=True):
    """A rule, as a table of its own."""

    field: Annotated[
        str | None, Meta(description="The field whose cells the rule is on.")
    ] = None
    required: Annotated[
        bool, Meta(description="Whether a blank cell is a finding.")
    ] = False
    datatype: Annotated[
        Literal[
            "string",
            "number",
            "decimal",
            "integer",
            "boolean",
            "date",
            "datetime",
            "time",
        ]
        | None,
        Meta(description="What a cell must hold."),
    ] = None
    format_: Annotated[
        str | None,
        Meta(
            description="How it must be written: a pattern (LDML) for numbers and "
            "dates, such as 000 or dd/MM/yyyy; yes|no, in words of your own, for "
            "booleans."
        ),
    ] = None
    minimum: Annotated[
        Plain | None, Meta(description="The least number or date allowed.")
    ] = None
    maximum: Annotated[
        Plain | None, Meta(description="The greatest number or date allowed.")
    ] = None
    min_exclusive: Annotated[
        Plain | None, Meta(description="What a number or date must be above.")
    ] = None
    max_exclusive: Annotated[
        Plain | None, Meta(description="What a number or date must be below.")
    ] = None
    length: Annotated[
        int | None, Meta(description="How many characters a cell must have.")
    ] = None
    min_length: Annotated[
        int | None, Meta(description="How many characters it must have at least.")
    ] = None
    max_length: Annotated[
        int | None, Meta(description="How many characters it may have at most.")
    ] = None
    pattern: Annotated[
        str | None,
        Meta(description="A regular expression (RE2) that all of a cell must match."),
    ] = None
    allowed: Annotated[
        tuple[str, ...],
        Meta(description="The values a cell may have; any other is a finding."),
    ] = ()
    allowed_from: Annotated[
        ListAddress | None,
        Meta(
            description="A list of the values a cell may have: in its field of the "
            "same heading, or its only one."
        ),
    ] = None
    allowed_for: Annotated[
        dict[str, tuple[str, ...]],
        Meta(
            description="The values allowed for each value of the field that `per` "
            "names."
        ),
    ] = {}  # noqa: RUF012  (copied for each by msgspec)
    per: Annotated[
        tuple[str, ...],
        Meta(
            description="The other fields of the record that the values allowed "
            "depend on."
        ),
    ] = ()
    named: Annotated[
        dict[str, Heading],
        Meta(
            description="How a field of the record is headed in `allowed-from`, where "
            "it has another heading."
        ),
    ] = {}  # noqa: RUF012
    unique: Annotated[
        bool, Meta(description="Whether no two records may have the same cell.")
    ] = False
    key: Annotated[
        tuple[str, ...],
        Meta(description="Fields that together no two records may have the same."),
    ] = ()
    match: Annotated[
        Level,
        Meta(
            description="How values are compared: exact; loose (spaces, case and "
            "Unicode do not count); letters (nor punctuation and accents); number "
            "(equal value)."
        ),
    ] = "exact"
    holds: Annotated[
        Formula | None,
        Meta(
            description="A condition that must not fail, such as Departed >= Arrived; "
            "where a blank leaves it open, it does not fail."
        ),
    ] = None
    where: Annotated[
        Formula | None,
        Meta(description="A condition: the rule is only on records that meet it."),
    ] = None
    null: Annotated[
        tuple[Text, ...],
        Meta(description="A word in the field that counts as blank, such as n/a."),
    ] = ()
    severity: Annotated[Literal["note", "warn", "stop"] | None, SEVERITY] = None
    message: Annotated[str | None, MESSAGE] = None
    hint: Annotated[
        str | None,
        Meta(description="What a form tells whoever is about to fill in the cell."),
    ] = None

    def __post_init__(self) -> None:
        """Refuse a rule that asks nothing, or that cannot be followed."""
        if not self._asks_of_cells() and not self.key and self.holds is None:
            raise _bad(
                f"the rule on '{self.field or '?'}' asks nothing of its cells.",
                "Give it 'required', 'datatype', 'allowed' or another term.",
            )
        if self.field is None and self._asks_of_cells():
            raise _bad("the rule names no field.", "Name it in 'field'.")
        self._check_values()
        self._check_sizes()
        for formula in (self.holds, self.where):
            if formula is not None:
                with said_by("rule"):
                    parse(formula)
        with said_by("rule"):
            template_parts(self.message or "", "rule")

    def _asks_of_cells(self) -> bool:
        asks = (self.required, self.datatype, self.pattern, self.allowed, self.unique)
        more = (self.allowed_from, self.allowed_for)
        numbers = (self.length, self.min_length, self.max_length)
        return any((*asks, *more)) or any(
            each is not None for each in (*numbers, *self.bounds())
        )

    def bounds(self) -> tuple[str | None, ...]:
        """Return minimum, maximum, and the two that are exclusive."""
        return self.minimum, self.maximum, self.min_exclusive, self.max_exclusive

    def _check_values(self) -> None:
        """Refuse values that depend on a field and do not, or the other way round."""
        if self.per and self.allowed_from is None and not self.allowed_for:
            raise _bad(
                "'per' names what the values allowed depend on, and there are none.",
                "Give 'allowed-from' or 'allowed-for'.",
            )
        if self.allowed_for and len(self.per) != 1:
            raise _bad(
                "'allowed-for' says values for each value of one other field.",
                "Name that field in 'per'.",
            )
        if sum(map(bool, (self.allowed, self.allowed_from, self.allowed_for))) > 1:
            raise _bad(
                "the values allowed are said twice.",
                "Give one of 'allowed', 'allowed-from' and 'allowed-for'.",
            )
        if self.named and self.allowed_from is None:
            raise _bad(
                "'named' is about the fields of a list, and there is none.",
                "Give 'allowed-from'.",
            )

    def _check_sizes(self) -> None:
        """Refuse a format of nothing, and lengths that no text has."""
        lengths = (self.length, self.min_length, self.max_length)
        if any(each is not None and each < 0 for each in lengths):
            raise _bad("a length is below 0.", "Correct it.")
        if any(self.bounds()) and self.datatype in ("string", "boolean", "time"):
            raise _bad(
                "only numbers and dates have a least and a greatest.",
                "Give another 'datatype', or leave them out.",
            )
        if self.format_ is None:
            return
        with said_by("rule"):
            if self.datatype in DATES:
                DatePattern(self.format_)
            elif self.datatype in NUMBERS:
                number_pattern(self.format_)
            elif self.datatype == "boolean":
                self.truths()
            else:
                raise _bad(
                    "'format' is for numbers, dates and booleans.",
                    "Give 'datatype' too; for other text, give 'pattern'.",
                )

    def truths(self) -> tuple[str, ...]:
        """Return the words that a boolean may be written in."""
        if self.format_ is None:
            return ("true", "false", "1", "0")
        words = tuple(word.strip() for word in self.format_.split("|"))
        if len(words) != 2 or not all(words) or words[0] == words[1]:
            raise _bad(
                f"'{self.format_}' is not two words for yes and no.",
                "Write them as in yes|no.",
            )
        return words


def _bad(what: str, remedy: str) -> BadTerms:
    return BadTerms(what, remedy, term="rule")
