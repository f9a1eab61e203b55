"""The terms of `pick`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.formula.parse import parse
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.terms.declared import Formula, Order, Terms
from gruff_ledger.work.orders import parse_order


class PickTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    where: Annotated[
        Formula | None,
        Meta(
            description="The condition, a formula such as \"class = 'A' AND length > "
            '12".'
        ),
    ] = None
    top: Annotated[
        int | None,
        Meta(description="How many records to pick that come first in the order `by`."),
    ] = None
    by: Annotated[
        Order | None,
        Meta(
            description="The order for `top`, as in 'paid DESC' for the greatest; see "
            "the verb sort."
        ),
    ] = None
    per: Annotated[
        tuple[str, ...],
        Meta(
            description="Pick so many of each group with equal cells in these fields."
        ),
    ] = ()
    ties: Annotated[
        bool,
        Meta(description="Pick all records that tie for the last place."),
    ] = False

    def __post_init__(self) -> None:
        """Refuse terms that pick nothing in particular."""
        if self.where is None and self.top is None:
            raise BadTerms(
                "no condition and no number of records was given.",
                "Give a condition in `where`, or a number in `top` with `by`.",
                term="where",
            )
        if self.where is not None:
            with said_by("where"):
                parse(self.where)
        if self.top is not None and self.top < 1:
            raise BadTerms(
                f"{self.top} records cannot be picked.", "Give 1 or more.", term="top"
            )
        if (self.top is None) != (self.by is None):
            raise BadTerms(
                "no order was given to pick the first few by."
                if self.top is not None
                else "an order only applies with a number of records.",
                "Give `top` and `by` together.",
                term="by" if self.top is not None else "top",
            )
        if self.by is not None:
            parse_order(self.by, "by")
        if self.top is None and (self.per or self.ties):
            raise BadTerms(
                "groups and ties only apply where a number of records is picked.",
                "Give `top` and `by`.",
                term="per" if self.per else "ties",
            )
