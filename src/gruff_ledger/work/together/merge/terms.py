"""The terms of `merge`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Heading, Item, Order, StorePath, Terms
from gruff_ledger.work.keys.fields import ALIASES, MATCH, Level, parse_key_fields
from gruff_ledger.work.orders import parse_order


class MergeTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    key: Annotated[
        tuple[Item, ...],
        Meta(
            description="The fields that identify a thing: records of all lists with "
            "the same key become one. Boat AS LOOSE matches that field at another "
            "level. Without a key lists are put end to end."
        ),
    ] = ()
    match: Annotated[Level, MATCH] = "exact"
    precedence: Annotated[
        Literal["list", "filled", "newest", "newest-filled"],
        Meta(
            description="By key, which list's cells are kept: list, the first list "
            "named that has the record and the field, blank or not; filled, the first "
            "that is not blank; newest, those of the record with the latest date in "
            "`of`; newest-filled, the latest that is not blank."
        ),
    ] = "list"
    of: Annotated[
        str | None,
        Meta(description="The field with the date of a record, such as Updated."),
    ] = None
    update: Annotated[
        bool,
        Meta(
            description="By key, the later lists bring the first one up to date: "
            "their filled cells are taken, those of the latest list before the "
            "others', and what is new, changed and missing is counted."
        ),
    ] = False
    status: Annotated[
        str | None,
        Meta(
            description="By key, the heading of a field, added last, that says new, "
            "changed, untouched or missing: as seen from the first list."
        ),
    ] = None
    name_source: Annotated[
        str | None,
        Meta(
            description="The heading of a field, added last, that names the list each "
            "record came from; by key, all of them."
        ),
    ] = None
    aliases: Annotated[dict[str, Heading], ALIASES] = {}  # noqa: RUF012  (copied)
    headings: Annotated[
        Literal["exact", "loose", "letters"],
        Meta(
            description="When headings are the same: exact; loose, but for letter case "
            "and spaces; letters, also but for punctuation and accents."
        ),
    ] = "loose"
    by_position: Annotated[
        bool,
        Meta(
            description="Put the first field of each list under the first heading, and "
            "so on, whatever it is called."
        ),
    ] = False
    shared_only: Annotated[
        bool, Meta(description="Keep only the fields that all lists have.")
    ] = False
    keep_blank: Annotated[
        bool, Meta(description="Keep records that are blank in every field.")
    ] = False
    sort: Annotated[
        Order | None,
        Meta(description="Put the result in order, as in 'Boat, Paid until DESC'."),
    ] = None
    decisions: Annotated[
        StorePath | None,
        Meta(
            description="By key, the file of decisions that gruff review keeps: which "
            "value is right where lists differ."
        ),
    ] = None

    def __post_init__(self) -> None:
        """Refuse terms that contradict each other."""
        parse_key_fields(self.key, "key")
        if self.sort is not None:
            parse_order(self.sort, "sort")
        by_key = {
            "precedence": self.precedence != "list",
            "update": self.update,
            "status": self.status is not None,
            "decisions": self.decisions is not None,
        }
        for term, is_set in by_key.items():
            if is_set and not self.key:
                raise BadTerms(
                    "it only applies with lists merged by key.",
                    "Name the key fields in `key`.",
                    term=term,
                )
        if (self.of is None) == self.precedence.startswith("newest"):
            raise BadTerms(
                "newest needs the field with the date, and none was given."
                if self.of is None
                else "it only applies with newest.",
                "Give `precedence` newest and `of` together.",
                term="of" if self.of is not None else "precedence",
            )
        if self.update and self.precedence != "list":
            raise BadTerms(
                "an update takes the filled cells of the later lists.",
                "Leave it out, or leave `update` out.",
                term="precedence",
            )
        if self.by_position and self.aliases:
            raise BadTerms(
                "fields that are put together by position need no other names.",
                "Leave it out, or leave `by-position` out.",
                term="aliases",
            )
