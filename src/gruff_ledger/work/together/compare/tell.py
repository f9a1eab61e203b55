"""What is said of a comparison, and how it is listed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.columns.arrays import (
    concat_columns,
    constant_column,
    spread_column,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import free_heading
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import counted
from gruff_ledger.work.keys.pairs import KeyPair, Keys, pair_words
from gruff_ledger.work.together.compare.terms import CompareTerms

# Of more cells that changed it is not said at each what it was.
_MOST_SAID = 100_000


WAS, NOW, SAME, ONLY_FIRST, ONLY_SECOND = range(5)


_MARKS = ("was", "now", "same", "only first", "only second")


class Pairs(NamedTuple):
    """
    Records of two lists with the same key.

    Attributes
    ----------
    partner : ndarray of int64, shape (n,)
        For each record of the first list, that of the second, or -1.
    lonely : ndarray of bool, shape (m,)
        Records of the second list that have none.
    repeated : tuple of ndarray
        Records of both whose key occurs earlier in their own list, where the other
        list has it.
    """

    partner: Indices
    lonely: Mask
    repeated: tuple[Indices, Indices]


class ComparedField(NamedTuple):
    """A field compared: its headings, and which pairs differ in it."""

    mine: str
    theirs: str
    differs: Mask


def list_pairs(
    terms: CompareTerms,
    one: Table,
    other: Table,
    status: Indices,
    matched: Pairs,
    fields: Sequence[ComparedField],
    records: Indices,
) -> Table:
    """Return the records of both lists, each marked, in the order of the first."""
    mine = np.arange(len(one)) if terms.same else np.flatnonzero(status != SAME)
    was = np.flatnonzero(status == WAS)
    lonely = np.flatnonzero(matched.lonely)
    n = len(one)
    # Beside the record as it was stands the one it is now.
    theirs_too = np.concatenate([matched.partner[was], lonely])
    which = np.concatenate([mine, n + theirs_too])
    lists = one.pick_records(mine), other.pick_records(theirs_too)
    ranks = np.concatenate([2 * mine, 2 * was + 1, 2 * n + lonely])
    marks = np.concatenate(
        [status[mine], np.full(len(was), NOW), np.full(len(lonely), ONLY_SECOND)]
    )
    order = np.argsort(ranks, kind="stable")
    which, marks = which[order], marks[order]
    theirs = {field.mine: field.theirs for field in fields}
    headings = list(one.headings)
    columns = []
    for heading in headings:
        there = theirs.get(heading, heading)
        columns.append(_of_both(*lists, heading, there, order))
    used = {theirs.get(heading, heading) for heading in headings}
    for heading in other.headings:
        if heading not in used and not one.has_field(heading):
            headings.append(heading)
            columns.append(_of_both(*lists, heading, heading, order))
    told = np.zeros(len(one), object)
    told[:] = ""
    for field in fields:
        places = records[field.differs]
        told[places] = [
            f"{text}, {field.mine}" if text else field.mine for text in told[places]
        ]
    of_partner = np.zeros(len(other) + 1, np.int64)
    of_partner[matched.partner[was]] = was
    source = np.where(which < n, which, of_partner[np.maximum(which - n, 0)])
    is_pair = (marks == WAS) | (marks == NOW)
    texts: list[str] = [""] * len(which)
    if n:
        texts = np.where(is_pair, told[np.minimum(source, n - 1)], "").tolist()
    own = [free_heading("status", headings)]
    own.append(free_heading("differs in", [*headings, *own]))
    return Table(
        (own[0], *headings, own[1]),
        (
            spread_column(_MARKS, marks),
            *columns,
            text_column(texts),
        ),
        Origin.concat([each.origin for each in lists]).pick(order),
        "what differs",
    )


def _of_both(
    one: Table, other: Table, mine: str, theirs: str, order: Indices
) -> Column:
    """Put a field of both lists in one order, blank where one has it not."""
    parts = [
        table.cells(heading)
        if table.has_field(heading)
        else constant_column("", len(table))
        for table, heading in ((one, mine), (other, theirs))
    ]
    return taken(concat_columns(parts), order)


def findings_on(
    one: Table,
    other: Table,
    fields: Sequence[ComparedField],
    records: Indices,
    partners: Indices,
) -> tuple[Finding, ...]:
    """Return the cells that changed, on the records of the second list."""
    findings = []
    for field in fields:
        at = np.flatnonzero(field.differs)
        if not len(at):
            continue
        said = None
        if len(at) <= _MOST_SAID:
            was = taken(one.cells(field.mine), records[at]).to_pylist()
            said = text_column(f"{field.mine} was '{text}'." for text in was)
        findings.append(
            Finding(
                f"{field.mine} as before",
                Severity.NOTE,
                f"{field.mine} changed.",
                field.mine,
                other.origin.pick(partners[at]),
                taken(other.cells(field.theirs), partners[at]),
                said,
                is_noted=True,
            )
        )
    return tuple(findings)


def notes_on(
    terms: CompareTerms,
    one: Table,
    other: Table,
    pairs: Sequence[KeyPair],
    mine: Keys,
    theirs: Keys,
    matched: Pairs,
    changed: Mask,
    fields: Sequence[ComparedField],
) -> tuple[Note, ...]:
    """Say how the two lists differ."""
    count = int(np.count_nonzero(changed))
    only = int(np.count_nonzero(matched.partner < 0))
    same = len(changed) - count
    told = [
        f"{only} only in {one.name}",
        f"{int(np.count_nonzero(matched.lonely))} only in {other.name}",
    ]
    if terms.key:
        told.append(f"{count} changed")
    told.append(f"{same} the same")
    by = f"By {pair_words(pairs)}" if terms.key else "By the whole record"
    remedy = ""
    if terms.give == "list" and same and not terms.same:
        remedy = "To list those too, add `same true`."
    notes = [Note(f"{by}: {', '.join(told)}.", remedy, is_headline=True)]
    if count:
        by_field = sorted(
            (-int(np.count_nonzero(field.differs)), place, field.mine)
            for place, field in enumerate(fields)
        )
        words = ", ".join(f"{name} {-number}" for number, _, name in by_field if number)
        notes.append(Note(f"Changed by field: {words}."))
    for table, keys, again in (
        (one, mine, matched.repeated[0]),
        (other, theirs, matched.repeated[1]),
    ):
        blank = keys.left_out
        if blank.any():
            has = counted(int(blank.sum()), "record has", "records have")
            notes.append(
                Note(
                    f"{table.name}: {has} a blank key and no partner.",
                    "",
                    table.origin.pick(blank),
                    warning=True,
                )
            )
        if len(again) and terms.key:
            said = counted(len(again), "record repeats", "records repeat")
            notes.append(
                Note(
                    f"{table.name}: {said} the key of an earlier one; such are paired "
                    "in order.",
                    "To tell them apart, name more fields in `key`.",
                    table.origin.pick(again),
                    warning=True,
                )
            )
    return tuple(notes)


def numbers_of_fields(
    one: Table,
    other: Table,
    mine: Keys,
    theirs: Keys,
    matched: Pairs,
    changed: Mask,
    fields: Sequence[ComparedField],
) -> Table:
    """Return how many records there are of each kind, for both lists."""
    count, same = int(np.count_nonzero(changed)), int(np.count_nonzero(~changed))
    rows = [
        ("records", len(one), len(other)),
        (
            "only here",
            int(np.count_nonzero(matched.partner < 0)),
            int(np.count_nonzero(matched.lonely)),
        ),
        ("changed", count, count),
        ("the same", same, same),
        (
            "with a blank key",
            int(np.count_nonzero(mine.left_out)),
            int(np.count_nonzero(theirs.left_out)),
        ),
        (
            "with a key that occurs earlier",
            len(matched.repeated[0]),
            len(matched.repeated[1]),
        ),
    ]
    for field in fields:
        number = int(np.count_nonzero(field.differs))
        rows.append((f"changed in {field.mine}", number, number))
    headings = ["what is counted", one.name]
    headings.append(free_heading(other.name, headings))
    return Table.of_records(
        headings, [(what, str(a), str(b)) for what, a, b in rows], name="numbers"
    )
