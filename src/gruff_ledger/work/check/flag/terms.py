"""The terms of `flag`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.work.rule_terms import RuleTerms


class FlagTerms(RuleTerms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    remarks: Annotated[
        str | None,
        Meta(
            description="The heading of a field, added last, that holds the messages "
            "on each record."
        ),
    ] = None
    set_aside_stops: Annotated[
        bool,
        Meta(description="Set aside the records with a finding of severity stop."),
    ] = False
