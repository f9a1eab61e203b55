"""The terms of `compare`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Pair, Terms
from gruff_ledger.work.keys.fields import MATCH, Level
from gruff_ledger.work.keys.pairs import parse_key_pairs


class CompareTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    key: Annotated[
        tuple[Pair, ...],
        Meta(
            description="The fields that identify a record: Boat, or Boat=Vessel where "
            "the second list calls it so; Boat AS LOOSE sets the level. Without them "
            "whole records are compared."
        ),
    ] = ()
    match: Annotated[Level, MATCH] = "exact"
    fields: Annotated[
        tuple[Pair, ...],
        Meta(
            description="The fields to compare, Length or Length=Long; all that both "
            "lists have, unless named."
        ),
    ] = ()
    apart_from: Annotated[
        tuple[str, ...], Meta(description="Fields that are not compared.")
    ] = ()
    cells: Annotated[
        Literal["exact", "loose", "letters", "number", "date"],
        Meta(description="When two cells are the same; as for keys."),
    ] = "exact"
    give: Annotated[
        Literal["list", "changes", "numbers"],
        Meta(
            description="What the result is: list, the records that differ, each "
            "marked; changes, a record for each cell that changed; numbers."
        ),
    ] = "list"
    same: Annotated[
        bool, Meta(description="In the list, give the records too that are the same.")
    ] = False

    def __post_init__(self) -> None:
        """Refuse keys that cannot be read."""
        parse_key_pairs(self.key, "key")
        if self.fields and not self.key:
            raise BadTerms(
                "without a key whole records are compared.",
                "Name the key fields in `key`.",
                term="fields",
            )
