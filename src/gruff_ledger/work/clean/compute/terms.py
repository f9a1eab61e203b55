"""The terms of `compute`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.formula.parse import parse
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.terms.declared import Formula, Terms


class ComputeTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    formula: Annotated[
        dict[str, Formula],
        Meta(
            description="A new field and its formula; one can use the fields computed "
            "before it."
        ),
    ]
    overwrite: Annotated[
        bool,
        Meta(
            description="Let a formula change a field that the list has; each change "
            "is journaled."
        ),
    ] = False
    first: Annotated[bool, Meta(description="Put the new fields first.")] = False
    after: Annotated[
        str | None, Meta(description="Put the new fields right after this one.")
    ] = None

    def __post_init__(self) -> None:
        """Refuse formulas that cannot be read."""
        if not self.formula:
            raise BadTerms(
                "no formula was given.",
                "Give one, as in fee=rate * length.",
                term="formula",
            )
        for formula in self.formula.values():
            with said_by("formula"):
                parse(formula)
