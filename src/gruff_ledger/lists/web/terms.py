"""How lists are fetched: the terms alone, so that a command can show them at once."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Terms


class FetchTerms(Terms, frozen=True, kw_only=True):
    """How lists are fetched from a network."""

    kept: Annotated[
        str | None,
        Meta(
            description="A folder for copies of fetched lists: what has not changed is "
            "then not fetched again."
        ),
    ] = None
    offline: Annotated[
        bool,
        Meta(description="Fetch nothing: use the kept copies, and say their age."),
    ] = False
    tries: Annotated[
        int, Meta(description="How often a fetch that fails is tried in all.")
    ] = 3
    time_limit: Annotated[
        int, Meta(description="Seconds that fetching one list may take.")
    ] = 300
    size_limit: Annotated[
        int, Meta(description="Megabytes that a fetched list may have.")
    ] = 4000

    def __post_init__(self) -> None:
        """Refuse limits under which nothing could be fetched."""
        for key, value in (
            ("tries", self.tries),
            ("time-limit", self.time_limit),
            ("size-limit", self.size_limit),
        ):
            if value < 1:
                raise BadTerms(f"{value} is too little.", "Give 1 or more.", term=key)
