"""The terms of `show`."""

from __future__ import annotations

import re
from typing import Annotated

from msgspec import Meta

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Terms

_RANGE = late_pattern(r"\s*([0-9]{1,15})\s*(?:[-\u2013\u2026]\s*([0-9]{1,15}|\*)?)?\s*")


class ShowTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    fields: Annotated[
        tuple[str, ...], Meta(description="Show only these fields, in this order.")
    ] = ()
    records: Annotated[
        tuple[str, ...],
        Meta(description="Show these records, such as 61, 10-20 or 100-*."),
    ] = ()
    rows: Annotated[
        tuple[str, ...],
        Meta(
            description="Show what stands in these rows of the source, as remarks cite "
            "them."
        ),
    ] = ()
    first: Annotated[
        int | None, Meta(description="Show so many records from the beginning.")
    ] = None
    last: Annotated[
        int | None, Meta(description="Show so many records from the end.")
    ] = None
    sample: Annotated[
        int | None,
        Meta(description="Show so many records, spread evenly over the list."),
    ] = None
    down: Annotated[
        bool,
        Meta(description="Show each record as lines, a field a line: for wide lists."),
    ] = False

    def __post_init__(self) -> None:
        """Refuse records that cannot be told."""
        self.ranges("records")
        self.ranges("rows")
        for term in ("first", "last", "sample"):
            count = getattr(self, term)
            if count is not None and count < 1:
                raise BadTerms(
                    f"{count} records cannot be shown.", "Give 1 or more.", term=term
                )

    def ranges(self, term: str) -> tuple[tuple[int, int | None], ...]:
        """
        Return what `records` or `rows` names: the first and the last, None for the end.

        Raises
        ------
        BadTerms
            If one is not a number, or a range of numbers.
        """
        found = []
        for each in getattr(self, term):
            match = _RANGE.fullmatch(each)
            first = int(match[1]) if match else 0
            is_range = re.search(r"[-\u2013\u2026]", each) is not None
            last = first
            if match and is_range:
                last = int(match[2]) if match[2] not in (None, "*") else 0
            if match is None or first < 1 or (last and last < first):
                raise BadTerms(
                    f"'{each}' does not name {term}.",
                    "Give a number, counted from 1, or two as in 10-20.",
                    term=term,
                )
            found.append((first, last or None))
        return tuple(found)
