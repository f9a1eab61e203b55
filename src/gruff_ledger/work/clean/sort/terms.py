"""The terms of `sort`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.terms.declared import Order, Terms
from gruff_ledger.work.orders import parse_order


class SortTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    by: Annotated[
        Order,
        Meta(
            description="The fields to order by, the first one first, as in 'quay, "
            "joined DESC, berth AS CODE'; AS TEXT, CODE, NUMBER or DATE says how."
        ),
    ]

    def __post_init__(self) -> None:
        """Refuse orders that cannot be read."""
        parse_order(self.by, "by")
