"""The terms of `survey`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.terms.declared import Terms


class SurveyTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    fields: Annotated[
        tuple[str, ...],
        Meta(description="The fields to look at; all of them, unless named."),
    ] = ()
    null: Annotated[
        tuple[str, ...],
        Meta(description="Words that mean nothing, such as n/a: they are blank."),
    ] = ()

    @property
    def settles(self) -> frozenset[str]:
        """A row of totals is left out of the facts, and said."""
        return frozenset({"totals"})
