"""sort: records in order.

Fields are ordered as texts, numbers or dates, as they hold for the most part; that is
said, and can be stated: `berth AS CODE` orders A9 before A10. Of texts, case, accents
and stray spaces do not count. Blank cells stand last, up and down; so do cells that are
no number or date where most are. Records that are equal in all fields keep their order.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np
from msgspec import Meta

from gruff_ledger.cells.order import sorted_places
from gruff_ledger.formula.forms import FORM, FormTerms, forms_of
from gruff_ledger.outcome import Finding, Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.terms import Order, Terms
from gruff_ledger.work.order import ordering, parse_order, ways_note


class SortTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    by: Annotated[
        Order,
        Meta(
            description="The fields to order by, the first one first, as in 'quay, "
            "joined DESC, berth AS CODE'; AS TEXT, CODE, NUMBER or DATE states how."
        ),
    ]
    form: Annotated[tuple[FormTerms, ...], FORM] = ()

    def __post_init__(self) -> None:
        """Refuse orders that cannot be read."""
        parse_order(self.by, "by")


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
