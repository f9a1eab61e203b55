"""What becomes of copies: set aside, marked, numbered, or shown."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.cells.keys.pairs import occurrences
from gruff_ledger.cells.keys.same_key import group_sizes
from gruff_ledger.columns.arrays import number_column, spread_column, taken, text_column
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.field_names import free_heading
from gruff_ledger.outcome import Finding, Outcome, SetAside, Severity
from gruff_ledger.table import Table
from gruff_ledger.work.check.duplicates.groups import Groups
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms
from gruff_ledger.work.keys.fields import KeyField
from gruff_ledger.work.keys.groups import differing, filled
from gruff_ledger.work.review.decisions import Recognised

_DEFAULT_HEADINGS = {
    "mark": "duplicate",
    "count": "copies",
    "number": "copy",
    "group": "group",
    "show": "group",
}


def set_aside(
    terms: DuplicatesTerms,
    table: Table,
    groups: Groups,
    kept: Indices,
    members: Indices,
    fields: Sequence[KeyField],
    decided: Recognised,
) -> Outcome:
    """
    Take out the records that surely repeat another, and fill those that stay.

    Parameters
    ----------
    terms : DuplicatesTerms
    table : Table, n records
    groups : Groups
    kept : ndarray of int64, shape (n,)
        The record that stays in the place of each.
    members : ndarray of int64
        The records that are not alone in their groups.
    fields : sequence of KeyField
    decided : Recognised
    """
    repeats = kept != np.arange(len(table))
    reason = "repeats another record in every field"
    if groups.words:
        reason = f"repeats another record by {groups.words}"
    if groups.near is not None:
        reason = "decided to be the same as another record"
    if terms.stays == "none":
        repeats = group_sizes(groups.sure) > 1
        aside = (
            (SetAside(reason, table.keep_records(repeats)),) if repeats.any() else ()
        )
        return Outcome(table.keep_records(~repeats) if aside else table, aside)
    if not repeats.any():
        return Outcome(table)
    aside = (
        SetAside(reason, table.keep_records(repeats), table.origin.pick(kept[repeats])),
    )
    if not terms.fill:
        return Outcome(table.keep_records(~repeats), aside)
    leave = [field.name for field in fields] if groups.near is None else []
    chosen = {
        (int(groups.sure[one]), field): value
        for one, other, field, value in decided.values
        if groups.sure[one] == groups.sure[other]
    }
    done = filled(table, groups.sure, kept, members, leave, chosen)
    return Outcome(
        done.table.keep_records(~repeats), aside, done.changes, done.findings
    )


def with_marks(
    terms: DuplicatesTerms, table: Table, groups: Groups, kept: Indices
) -> Outcome:
    """Add a field on the copies of each record."""
    heading = terms.field or _DEFAULT_HEADINGS[terms.treatment]
    sizes = group_sizes(groups.first)
    if terms.treatment == "count":
        return Outcome(table.with_field(heading, number_column(sizes)))
    if terms.treatment == "number":
        numbers = occurrences(groups.first) + 1
        return Outcome(table.with_field(heading, number_column(numbers)))
    if terms.treatment == "group":
        is_first = groups.first == np.arange(len(table))
        numbers = np.cumsum(is_first)[groups.first]
        return Outcome(table.with_field(heading, number_column(numbers)))
    marked = table.with_field(heading, _marks(terms, groups, kept))
    if groups.near is None:
        return Outcome(marked)
    return Outcome(_explain(marked, groups, kept, numbered=True))


def _marks(terms: DuplicatesTerms, groups: Groups, kept: Indices) -> Column:
    n = len(kept)
    in_group = group_sizes(groups.first) > 1
    repeats = kept != np.arange(n)
    is_sure = groups.sure == groups.sure[kept]
    if groups.near is not None and terms.same_from is not None:
        at = np.flatnonzero(repeats)
        is_sure[at] |= groups.near.scores_of(at, kept[at]) >= terms.same_from
    codes = np.where(repeats, np.where(is_sure, 2, 3), np.where(in_group, 1, 0))
    return spread_column(("", "kept", "repeats", "ask"), codes)


def _explain(table: Table, groups: Groups, kept: Indices, *, numbered: bool) -> Table:
    """Add how much each record is like the one kept and why; its group, if wanted."""
    assert groups.near is not None
    n = len(table)
    repeats = np.flatnonzero(kept != np.arange(n))
    scores = groups.near.scores_of(repeats, kept[repeats])
    said, why = [""] * n, [""] * n
    for place, other, score in zip(
        repeats.tolist(), kept[repeats].tolist(), scores.tolist(), strict=True
    ):
        said[place] = f"{score:.0f}"
        why[place] = groups.near.why(place, other)
    fields = [("likeness", text_column(said)), ("why", text_column(why))]
    if numbered:
        fields.insert(0, ("group", _numbers(groups.first)))
    for heading, column in fields:
        table = table.with_field(free_heading(heading, table.headings), column)
    return table


def _numbers(first: Indices) -> Column:
    """Number the groups of more than one record; others are blank."""
    in_group = group_sizes(first) > 1
    numbers = np.cumsum((first == np.arange(len(first))) & in_group)[first]
    words = ["", *map(str, range(1, int(numbers.max(initial=0)) + 1))]
    return spread_column(words, np.where(in_group, numbers, 0))


def shown(
    terms: DuplicatesTerms, table: Table, groups: Groups, kept: Indices
) -> Outcome:
    """Leave only the groups, together; cells that differ in one are findings."""
    first, in_group = groups.first, group_sizes(groups.first) > 1
    heading = terms.field or _DEFAULT_HEADINGS["show"]
    members = np.flatnonzero(in_group)
    together = members[np.argsort(first[members], kind="stable")]
    _, numbers = np.unique(first[together], return_inverse=True)
    marked = table
    if groups.near is not None:
        marked = table.with_field(
            free_heading("duplicate", table.headings), _marks(terms, groups, kept)
        )
        marked = _explain(marked, groups, kept, numbered=False)
    listed = marked.pick_records(together)
    unlike = differing(table, together, kept[together])
    names = [
        ", ".join(
            field
            for field, mask in zip(unlike.fields, unlike.masks, strict=True)
            if mask[place]
        )
        for place in range(len(together))
    ]
    listed = listed.with_field(heading, number_column(numbers + 1), at=0)
    listed = listed.with_field(
        free_heading("differs in", listed.headings), text_column(names)
    )
    aside: tuple[SetAside, ...] = ()
    if len(members) < len(table):
        aside = (SetAside("repeats no other record", table.keep_records(~in_group)),)
    findings = tuple(
        Finding(
            rule=f"copies agree in {field}",
            severity=Severity.NOTE,
            message=f"{field} is not as in the record kept of its group.",
            field=field,
            origin=table.origin.pick(together[mask]),
            value=taken(table.cells(field), together[mask]),
            # The field of what differs says it beside each record.
            is_noted=True,
        )
        for field, mask in zip(unlike.fields, unlike.masks, strict=True)
        if mask.any()
    )
    return Outcome(listed, aside, findings=findings)
