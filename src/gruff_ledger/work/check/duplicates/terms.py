"""The terms of `duplicates`, which `review` takes too."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Item, StorePath, Terms
from gruff_ledger.work.keys.fields import MATCH, Level, parse_key_fields

# What stays by a field of its own.
_BY_FIELD = ("newest", "oldest", "greatest", "least")


class DuplicatesTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    by: Annotated[
        tuple[Item, ...],
        Meta(
            description="The fields that identify a record; without them the whole "
            "record does. Boat AS LOOSE matches that field at another level; for "
            "`near`, Boat WEIGHT 5 gives it a weight."
        ),
    ] = ()
    match: Annotated[Level, MATCH] = "exact"
    near: Annotated[
        bool,
        Meta(
            description="Find records that are only alike: slips, swapped and "
            "shortened words, changed digits. A field with AS must match at that level."
        ),
    ] = False
    ask_from: Annotated[
        int,
        Meta(description="From which score on, of 0 to 100, records are alike."),
    ] = 72
    same_from: Annotated[
        int | None,
        Meta(
            description="From which score on alike records are marked as the same, "
            "and not asked about."
        ),
    ] = None
    stays: Annotated[
        Literal[
            "first", "last", "fullest", "newest", "oldest", "greatest", "least", "none"
        ],
        Meta(
            description="Which record of a group stays and stands for it: fullest has "
            "the most filled cells; newest and oldest are by the date in `of`, "
            "greatest and least by what is in `of`."
        ),
    ] = "first"
    of: Annotated[
        str | None,
        Meta(
            description="The field that decides for `stays` which record is the "
            "newest or oldest, greatest or least, such as Paid until."
        ),
    ] = None
    fill: Annotated[
        bool,
        Meta(
            description="Fill blanks of the record kept from its copies; where their "
            "values differ, that is a finding."
        ),
    ] = False
    treat: Annotated[
        Literal["set-aside", "mark", "number", "count", "group", "show"] | None,
        Meta(
            description="What to do: set-aside takes out all but the kept record of "
            "a group; mark adds a field that says kept, repeats or ask; number counts "
            "the copies, 1, 2 and so on; count gives their number; group gives each "
            "record its group; show leaves only the groups, brought together. "
            "set-aside, unless given; mark for `near`."
        ),
    ] = None
    field: Annotated[
        str | None,
        Meta(
            description="The heading of the field that is added (otherwise duplicate, "
            "copy, copies or group)."
        ),
    ] = None
    decisions: Annotated[
        StorePath | None,
        Meta(
            description="The file of decisions that gruff review keeps: what is "
            "decided holds, and nothing else is set aside."
        ),
    ] = None
    apart_from: Annotated[
        tuple[str, ...],
        Meta(
            description="Fields that do not count when a decision is recognised, "
            "beside those that name the source."
        ),
    ] = ()

    def __post_init__(self) -> None:
        """Refuse terms that contradict each other."""
        parse_key_fields(self.by, "by")
        if self.field is not None and self.treatment == "set-aside":
            raise BadTerms(
                "setting aside adds no field to the list.",
                "Leave it out, or give `treat mark`, number, count, group or show.",
                term="field",
            )
        if (self.of is None) == (self.stays in _BY_FIELD):
            raise BadTerms(
                f"which record is the {self.stays} is told by a field."
                if self.of is None
                else f"it only applies where one of {', '.join(_BY_FIELD)} stays.",
                "Name the field in `of`."
                if self.of is None
                else "Give one of them in `stays`, or leave this out.",
                term="of" if self.of is not None else "stays",
            )
        if self.fill and (self.stays == "none" or self.treatment != "set-aside"):
            raise BadTerms(
                "the record that is kept is filled, and all stay as they are here."
                if self.stays != "none"
                else "no record is kept that could be filled.",
                "Leave it out, or set the copies aside.",
                term="fill",
            )
        self._check_scores()

    def _check_scores(self) -> None:
        for term, score in (("ask-from", self.ask_from), ("same-from", self.same_from)):
            if score is not None and not 1 <= score <= 100:
                raise BadTerms(
                    f"{score} is not a score.", "Give one from 1 to 100.", term=term
                )
        if self.same_from is not None and self.same_from < self.ask_from:
            raise BadTerms(
                f"{self.same_from} is less than `ask-from`, {self.ask_from}.",
                "Give as much or more.",
                term="same-from",
            )
        if self.same_from is not None and not self.near:
            raise BadTerms(
                "scores only apply with records that are alike.", "Give `near` too.",
                term="same-from",
            )  # fmt: skip

    @property
    def treatment(self) -> str:
        """What is done."""
        return self.treat or ("mark" if self.near else "set-aside")
