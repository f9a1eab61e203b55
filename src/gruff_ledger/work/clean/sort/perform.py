"""What `sort` does."""

from __future__ import annotations

from gruff_ledger.outcome import Outcome
from gruff_ledger.table import Table
from gruff_ledger.work.clean.sort.terms import SortTerms
from gruff_ledger.work.orders import in_order


def perform(terms: SortTerms, table: Table) -> Outcome:
    """
    Put records in order.

    Parameters
    ----------
    terms : SortTerms
    table : Table, n records

    Raises
    ------
    UnknownField
        If the order names a field that the list does not have.
    BadTerms
        If a field is named twice, or holds dates that could be read both ways.
    """
    table, findings, notes = in_order(table, terms.by, "by")
    return Outcome(table, findings=findings, notes=notes)
