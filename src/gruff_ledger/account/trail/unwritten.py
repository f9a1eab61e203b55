"""Where the records of a run come from, in terms of its sources.

A run that keeps no ledger makes no record anew: all of them keep the origin that they
were read with. `write` follows those of a run that keeps one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from gruff_ledger.outcome import Change, Finding, Outcome, SetAside
from gruff_ledger.table import Origin, Table


class Trail:
    """The trail of a run that keeps no ledger: nothing is noted."""

    # Whether it is written.
    is_kept = False

    def __enter__(self) -> Trail:
        return self

    def __exit__(self, *error: object) -> None:
        """End it, whether the run did what it should or not."""

    def source(
        self,
        name: str,
        table: Table,
        aside: Sequence[SetAside],
        findings: Sequence[Finding],
        address: str,
        path: str | None = None,
    ) -> None:
        """Take note of a list that was read: the next one by position."""

    def entry(
        self,
        label: str,
        result: str,
        lists: Sequence[str],
        given: Sequence[Table],
        outcome: Outcome,
        facts: Mapping[str, Any],
    ) -> Table:
        """
        Take note of what an entry did.

        Returns
        -------
        Table
            Its result. Where records were made, and it is kept, they have an origin of
            their own.
        """
        return outcome.table

    def beside(self, name: str, label: str, key: str, table: Table) -> Table:
        """Take note of a list that an entry made beside its result."""
        return table

    def out(
        self,
        address: str,
        path: str,
        name: str,
        table: Table,
        changes: Sequence[Change] = (),
    ) -> None:
        """Take note of a list as it is written; `path` is seen from the ledger."""

    def close(self, account: Mapping[str, Any]) -> None:
        """
        Write what is kept, with the account, and end.

        Raises
        ------
        OSError
            If anything could not be written.
        """

    def root(self, origin: Origin) -> Origin:
        """Return where records come from, in terms of sources alone."""
        return origin

    def root_table(self, table: Table) -> Table:
        """Return a list with its records' origins in terms of sources."""
        return table

    def told(self, outcome: Outcome) -> Outcome:
        """Return an outcome as the account tells it, in terms of sources."""
        return outcome

    def tell_changes(self, changes: Sequence[Change]) -> tuple[Change, ...]:
        """Return changes in terms of sources."""
        return tuple(changes)
