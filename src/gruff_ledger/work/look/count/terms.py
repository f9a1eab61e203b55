"""The terms of `count`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Terms


class CountTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    by: Annotated[
        tuple[str, ...],
        Meta(
            description="The fields whose values are counted, together where there are "
            "several; without them, whole records are."
        ),
    ] = ()
    match: Annotated[
        Literal["exact", "loose", "letters"],
        Meta(
            description="When two values are the same: exact, to the character; loose, "
            "but for letter case and spaces; letters, also but for punctuation and "
            "accents. The spellings are then listed."
        ),
    ] = "exact"
    order: Annotated[
        Literal["count", "value", "appearance"],
        Meta(
            description="The most frequent first; or in the order of the values; or as "
            "they appear."
        ),
    ] = "count"
    over: Annotated[
        int,
        Meta(description="Show only what occurs more often than this."),
    ] = 0

    def __post_init__(self) -> None:
        """Refuse a limit that means nothing."""
        if self.over < 0:
            raise BadTerms(
                f"{self.over} is too little.", "Give 0 or more.", term="over"
            )
