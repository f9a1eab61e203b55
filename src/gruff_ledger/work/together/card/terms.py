"""The terms of `card`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Item, Terms, Text
from gruff_ledger.words import counted
from gruff_ledger.work.keys.fields import MATCH, Level, parse_key_fields


class CardTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    key: Annotated[
        tuple[Item, ...],
        Meta(
            description="The fields to find a record by; Boat AS LOOSE matches that "
            "field at another level."
        ),
    ]
    value: Annotated[
        tuple[Text, ...],
        Meta(
            description="What is in the key fields, one value for each. On a terminal "
            "it can be left out, and is then chosen from what there is."
        ),
    ] = ()
    match: Annotated[Level, MATCH] = "exact"
    fields: Annotated[
        tuple[str, ...],
        Meta(description="The fields to show, in this order; all, unless named."),
    ] = ()
    lay: Annotated[
        Literal["down", "across"],
        Meta(
            description="Down, a line for each field and a column for each record; or "
            "across, as in the list."
        ),
    ] = "down"

    def __post_init__(self) -> None:
        """Refuse keys that cannot be read, and values that do not go with them."""
        keys = parse_key_fields(self.key, "key")
        if not keys:
            raise BadTerms(
                "no key field was given.",
                "Name it.",
                term="key",
            )
        if self.value and len(self.value) != len(keys):
            count = counted(len(self.value), "value is", "values are")
            raise BadTerms(
                f"{count} given for {counted(len(keys), 'field', 'fields')}.",
                "Give one for each field of `key`, in their order.",
                term="value",
            )
