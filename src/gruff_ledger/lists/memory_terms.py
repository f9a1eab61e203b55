"""How much memory a run may take: the terms alone, so that a command can show them."""

from __future__ import annotations

import re
from typing import Annotated

from msgspec import Meta

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Terms

_SIZE = late_pattern(r"\s*([0-9]{1,9})\s*(MB|GB|TB)\s*", re.IGNORECASE)
_UNITS = {"MB": 10**6, "GB": 10**9, "TB": 10**12}

# The program itself takes about 100 MB.
_LEAST_BYTES = 200 * 10**6


class RoomTerms(Terms, frozen=True, kw_only=True):
    """How much memory a run may take, and where larger lists lie meanwhile."""

    memory: Annotated[
        str | None,
        Meta(
            description="How much memory the work may take, such as 500 MB or 2 GB; "
            "larger lists go through temporary files. Half of the machine's, "
            "unless given."
        ),
    ] = None
    scratch: Annotated[
        str | None,
        Meta(
            description="The folder for those temporary files; that of the system, "
            "unless given."
        ),
    ] = None

    def __post_init__(self) -> None:
        """Refuse a size that is none, or too small for any work."""
        if self.memory is None:
            return
        if not _SIZE.fullmatch(self.memory):
            raise BadTerms(
                f"'{self.memory}' is not a size of memory.",
                "Write it as in 500 MB or 2 GB.",
                term="memory",
            )
        if self.stated_bytes() < _LEAST_BYTES:
            raise BadTerms(
                f"{self.memory} is too little for any work.",
                "Allow 200 MB or more.",
                term="memory",
            )

    def stated_bytes(self) -> int:
        """Return the memory that is stated, in bytes; 0 where none is."""
        match = _SIZE.fullmatch(self.memory or "")
        return int(match[1]) * _UNITS[match[2].upper()] if match else 0
