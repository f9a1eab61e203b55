"""The terms of `fields`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Heading, ListAddress, Terms


class FieldsTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    keep: Annotated[
        tuple[str, ...],
        Meta(description="Only these fields stay, in this order."),
    ] = ()
    drop: Annotated[
        tuple[str, ...], Meta(description="These fields go, the others stay.")
    ] = ()
    first: Annotated[
        tuple[str, ...], Meta(description="These fields come first, in this order.")
    ] = ()
    last: Annotated[
        tuple[str, ...], Meta(description="These fields come last, in this order.")
    ] = ()
    after: Annotated[
        dict[str, Heading],
        Meta(description="A field, and the one it comes right after."),
    ] = {}  # noqa: RUF012  (copied for each by msgspec)
    rename: Annotated[
        dict[str, Heading], Meta(description="A heading as it is, and as it is to be.")
    ] = {}  # noqa: RUF012
    rename_by: Annotated[
        ListAddress | None,
        Meta(
            description="A list of two fields that says the same of many: the heading "
            "as it is, and as it is to be."
        ),
    ] = None

    def __post_init__(self) -> None:
        """Refuse terms that change nothing or contradict each other."""
        given = (self.keep, self.drop, self.first, self.last, self.after, self.rename)
        if not any(given) and self.rename_by is None:
            raise BadTerms(
                "no action was given for the fields.",
                "Give `keep`, `drop`, `first`, `last`, `after`, `rename` or "
                "`rename-by`.",
                term="keep",
            )
        if self.keep and self.drop:
            raise BadTerms(
                "fields are named to keep and to drop.",
                "Give one of `keep` and `drop`.",
                term="drop",
            )
