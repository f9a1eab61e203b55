"""What a looser way of matching would find: the level to try, and the note on it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.columns.types import Indices
from gruff_ledger.outcome import Note
from gruff_ledger.words import counted


def looser_levels(levels: Sequence[str]) -> list[str]:
    """Return the levels with `loose` in place of `exact`."""
    return ["loose" if level == "exact" else level for level in levels]


def count_more_repeats(first: Indices, alike: Indices) -> int:
    """
    Count the records that repeat another loosely, and do not as they are.

    Parameters
    ----------
    first, alike : ndarray of int, shape (n,)
        For each record the first one with the same key, as it is and loosely.
    """
    if alike is first:
        return 0
    own = np.arange(len(first))
    return int(np.count_nonzero(alike != own) - np.count_nonzero(first != own))


def loose_note(count: int, one: str, many: str, whom: str) -> tuple[Note, ...]:
    """
    Say how many more records would match loosely.

    Examples
    --------
    >>> loose_note(2, "repeats", "repeat", "another")[0].what
    'Matched loosely, 2 more records repeat another: spaces, case or Unicode differ.'
    >>> loose_note(0, "repeats", "repeat", "another")
    ()
    """
    if count <= 0:
        return ()
    records = counted(count, f"more record {one}", f"more records {many}")
    return (
        Note(
            f"Matched loosely, {records} {whom}: spaces, case or Unicode differ.",
            "To match so, give `match loose`.",
            warning=True,
        ),
    )
