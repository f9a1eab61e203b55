"""Records joined to groups, one pair at a time."""

from __future__ import annotations

import numpy as np

from gruff_ledger.columns.types import Indices


class Forest:
    """
    Records joined to groups, of which each has a root.

    Parameters
    ----------
    n : int
        How many records there are; each begins as a group of its own.
    """

    def __init__(self, n: int) -> None:
        self._parent: dict[int, int] = {}
        self._n = n

    def root(self, record: int) -> int:
        """Return the root of a record's group: its first record."""
        found = record
        while (above := self._parent.get(found, found)) != found:
            found = above
        while (above := self._parent.get(record, record)) != found:
            self._parent[record] = found
            record = above
        return found

    def join(self, one: int, other: int) -> None:
        """Make one group of the groups of two records."""
        low, high = sorted((self.root(one), self.root(other)))
        self._parent.setdefault(low, low)
        self._parent[high] = low

    def moved(self) -> list[int]:
        """Return the records that were joined with any."""
        return sorted(self._parent)

    def firsts(self) -> Indices:
        """Return for each record the first of its group, an ndarray of int64."""
        first = np.arange(self._n, dtype=np.int64)
        for record in self._parent:
            first[record] = self.root(record)
        return first
