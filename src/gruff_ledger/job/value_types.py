"""Types of JSON values, followed from the sources to the outputs of a run.

Cells are texts; that one was a number, a truth value or null in a list of JSON is told
by its record and field there. Fields are followed through the work by their headings.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.lists.reading import Kinds, Reading
from gruff_ledger.outcome import Outcome
from gruff_ledger.table import Table

# From a field of a list to the field it is of in each source, by position.
_Fields = dict[str, dict[int, str]]


_ALL_TEXTS = np.zeros(0, np.uint8)


class ValueTypes:
    """What the cells of the lists of a run were in their sources."""

    def __init__(self) -> None:
        self._kinds: dict[int, Kinds] = {}
        self._fields: dict[str, _Fields] = {}

    def source(self, name: str, position: int, reading: Reading) -> None:
        """Take note of a list that was read."""
        headings: Sequence[str] = ()
        if reading.source.format in ("json", "json-lines"):
            self._kinds[position] = reading.kinds
            headings = reading.table.headings
        self._fields[name] = {heading: {position: heading} for heading in headings}

    def entry(self, result: str, lists: Sequence[str], outcome: Outcome) -> None:
        """Take note of what became of the fields of some lists."""
        if not self._kinds:
            return
        fields: _Fields = {}
        there = set(outcome.table.headings)
        for at, name in enumerate(lists):
            renamed = (
                outcome.lineage.renamed[at] if at < len(outcome.lineage.renamed) else {}
            )
            for heading, sources in self._fields.get(name, {}).items():
                now = renamed.get(heading, heading)
                if now in there:
                    fields.setdefault(now, {}).update(sources)
        self._fields[result] = fields

    def of(self, name: str, table: Table) -> Kinds:
        """
        Return what the cells of a list were in its sources.

        Parameters
        ----------
        name : str
        table : Table, n records
            The list, its origins in terms of sources.

        Returns
        -------
        mapping of str to ndarray of uint8, shape (n,)
            Only of fields that come from JSON; see `gruff_ledger.lists.reading.Kinds`.
        """
        found: dict[str, np.ndarray[tuple[int], np.dtype[np.uint8]]] = {}
        origin = table.origin
        for heading, sources in self._fields.get(name, {}).items():
            if not table.has_field(heading):
                continue
            codes = np.zeros(len(table), np.uint8)
            for position, field in sources.items():
                known = self._kinds[position].get(field, _ALL_TEXTS)
                mine = np.flatnonzero(
                    (origin.source == position) & (origin.record < len(known))
                )
                codes[mine] = known[origin.record[mine]]
            found[heading] = codes
        return found
