"""The terms of `form`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.work.rule_terms import RuleTerms

_DEFAULT_ROWS = 1000


_MOST_ROWS = 100_000


class FormTerms(RuleTerms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    fields: Annotated[
        tuple[str, ...],
        Meta(
            description="The headings, in order; those of the list or of the rules "
            "unless named."
        ),
    ] = ()
    empty: Annotated[
        bool, Meta(description="Leave the records of the list out; take its headings.")
    ] = False
    rows: Annotated[int, Meta(description="How many rows can be filled in.")] = (
        _DEFAULT_ROWS
    )

    def __post_init__(self) -> None:
        """Refuse a number of rows that a form cannot have."""
        RuleTerms.__post_init__(self)
        if not 1 <= self.rows <= _MOST_ROWS:
            raise BadTerms(
                f"a form cannot have {self.rows} rows to fill in.",
                f"Give a number from 1 to {_MOST_ROWS}.",
                term="rows",
            )
