"""What `sort` does."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.cells.order import sorted_places
from gruff_ledger.formula.forms import FormTerms, forms_of
from gruff_ledger.outcome import Finding, Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.clean.sort.terms import SortTerms
from gruff_ledger.work.orders import ordering, parse_order, ways_note


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
    table, findings, notes = in_order(table, terms.by, terms.form, "by")
    return Outcome(table, findings=findings, notes=notes)


def in_order(
    table: Table, by: str, form: Sequence[FormTerms], term: str
) -> tuple[Table, tuple[Finding, ...], tuple[Note, ...]]:
    """
    Put the records of a list in order.

    Parameters
    ----------
    table : Table, n records
    by : str
        The order, as a person states it.
    form : sequence of FormTerms
    term : str
        What states the order, for messages.

    Raises
    ------
    UnknownField, BadTerms
        As `perform` does.
    """
    keys = parse_order(by, term)
    forms, notes = forms_of(form, table, ())
    found = [ordering(table, key, forms, term) for key in keys]
    headings = [heading for heading, _ in found]
    for place, heading in enumerate(headings):
        if heading in headings[:place]:
            raise BadTerms(
                f"the field '{heading}' is named twice.", "Name it once.", term=term
            )
    orderings = [each for _, each in found]
    places = sorted_places(
        [
            (each.ranks, each.last, key.descending)
            for each, key in zip(orderings, keys, strict=True)
        ]
    )
    findings: list[Finding] = []
    said: list[Note] = list(notes)
    for each in orderings:
        findings += each.findings
        said += each.notes
    said += ways_note(headings, orderings, keys)
    in_order = bool((np.diff(places) == 1).all()) if len(places) else True
    if in_order:
        said.append(Note("The records were in this order already."))
    result = table if in_order else table.in_order(places)
    return result, tuple(findings), tuple(said)
