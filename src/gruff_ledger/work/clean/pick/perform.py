"""What `pick` does."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.keys.same_key import first_with_same_key
from gruff_ledger.cells.order import sort_places
from gruff_ledger.columns.types import Indices, Mask
from gruff_ledger.field_names import find_fields, format_names
from gruff_ledger.formula.evaluate import Evaluation
from gruff_ledger.formula.parse import parse
from gruff_ledger.outcome import Finding, Note, Outcome, SetAside
from gruff_ledger.problems import said_by
from gruff_ledger.table import Table
from gruff_ledger.words import counted, number_words
from gruff_ledger.work.clean.pick.terms import PickTerms
from gruff_ledger.work.orders import Key, Ordering, ordering, parse_order, ways_note


def perform(terms: PickTerms, table: Table) -> Outcome:
    """
    Pick records; the others are set aside with their reason.

    Parameters
    ----------
    terms : PickTerms
    table : Table, n records

    Raises
    ------
    UnknownField
        If a field is named that the list does not have.
    BadTerms
        If the condition is none, or an order cannot be followed.
    """
    notes: list[Note] = []
    findings: list[Finding] = []
    aside: list[SetAside] = []
    stays: Mask = np.ones(len(table), np.bool_)
    if terms.where is not None:
        holds, unknown, evaluation = _condition(terms.where, table)
        findings += evaluation.findings()
        notes += evaluation.notes
        fails = ~holds & ~unknown
        for reason, mask in (
            (f"does not meet: {terms.where}", fails),
            (f"cannot be told for a blank or unread cell: {terms.where}", unknown),
        ):
            if mask.any():
                aside.append(SetAside(reason, table.keep_records(mask)))
        notes.append(_condition_note(terms.where, holds, fails, unknown))
        stays = holds
    if terms.top is not None:
        assert terms.by is not None
        chosen, orderings = _first_ones(terms, table, stays)
        for each in orderings:
            findings += each.findings
            notes += each.notes
        notes += _tie_notes(terms, chosen)
        out = stays & ~chosen.mask
        group = f" of each {format_names(terms.per)}" if terms.per else ""
        picked = counted(
            int(np.count_nonzero(chosen.mask)), "record was", "records were"
        )
        what = f"{picked} picked: the first {terms.top}{group} by {terms.by}."
        notes.insert(0, Note(what, is_headline=True))
        if out.any():
            reason = f"not among the first {terms.top}{group} by {terms.by}"
            aside.append(SetAside(reason, table.keep_records(out)))
        stays = chosen.mask
        keys = parse_order(terms.by, "by")
        notes += ways_note([key.name for key in keys], orderings, keys)
    result = table.keep_records(stays) if aside else table
    return Outcome(result, tuple(aside), findings=tuple(findings), notes=tuple(notes))


def _condition(where: str, table: Table) -> tuple[Mask, Mask, Evaluation]:
    """Return where a condition holds, and where that cannot be told."""
    node = parse(where)
    evaluation = Evaluation(table, "it cannot be told whether the condition holds")
    with said_by("where"):
        truths = evaluation.truths(evaluation.value(node), node.place)
    evaluation.check_readable("where")
    n = len(table)
    return (
        np.broadcast_to(truths.true & ~truths.blank, n),
        np.broadcast_to(truths.blank, n),
        evaluation,
    )


def _condition_note(where: str, holds: Mask, fails: Mask, unknown: Mask) -> Note:
    held, failed, unsure = (
        number_words(int(np.count_nonzero(x))) for x in (holds, fails, unknown)
    )
    said = f"The condition holds in {held} of {counted(len(holds), 'record')}"
    if not unknown.any():
        return Note(f"{said}.", is_headline=True)
    return Note(
        f"{said}, and fails in {failed}. In {unsure} it cannot be told, for cells that "
        "are blank or not read.",
        f"To pick those too, give `where ({where}) IS NOT FALSE`.",
        is_headline=True,
    )


class _Chosen:
    """The records that come first, and how many tied for the last place."""

    def __init__(self, mask: Mask, ties: int) -> None:
        self.mask = mask
        self.ties = ties


def _first_ones(
    terms: PickTerms, table: Table, stays: Mask
) -> tuple[_Chosen, list[Ordering]]:
    assert terms.by is not None and terms.top is not None
    keys = parse_order(terms.by, "by")
    orderings = [ordering(table, key, "by")[1] for key in keys]
    groups = _groups(terms, table)
    sort_keys = [
        (each.ranks, each.last, key.descending)
        for each, key in zip(orderings, keys, strict=True)
    ]
    none = np.zeros(len(table), np.bool_)
    order = sort_places([(groups, none, False), *sort_keys])
    order = order[stays[order]]
    mine = groups[order]
    place = _places_within(mine)
    wanted = place < terms.top
    equal = _equal_to_before(order, keys, orderings) & (place > 0)
    # A record ties when it is equal to all before it, back to one that is picked.
    runs = np.cumsum(~equal)
    last_runs = np.unique(runs[wanted & (place == terms.top - 1)])
    tied = ~wanted & np.isin(runs, last_runs)
    if terms.ties:
        wanted |= tied
    mask = np.zeros(len(table), np.bool_)
    mask[order[wanted]] = True
    return _Chosen(mask, int(np.count_nonzero(tied))), orderings


def _groups(terms: PickTerms, table: Table) -> Indices:
    if not terms.per or not len(table):
        return np.zeros(len(table), np.int64)
    headings, _ = find_fields(table, terms.per, "per")
    return first_with_same_key([table.cells(heading) for heading in headings])


def _places_within(groups: Indices) -> Indices:
    """Count from 0 the records of each run of equal groups."""
    places = np.arange(len(groups))
    starts = np.ones(len(groups), np.bool_)
    starts[1:] = groups[1:] != groups[:-1]
    return places - np.maximum.accumulate(np.where(starts, places, 0))


def _equal_to_before(
    order: Indices, keys: tuple[Key, ...], orderings: list[Ordering]
) -> Mask:
    equal = np.ones(len(order), np.bool_)
    equal[:1] = False
    for each in orderings:
        last = each.last[order]
        ranks = np.where(last, 0, each.ranks[order])
        equal[1:] &= (ranks[1:] == ranks[:-1]) & (last[1:] == last[:-1])
    return equal


def _tie_notes(terms: PickTerms, chosen: _Chosen) -> list[Note]:
    if not chosen.ties:
        return []
    number = "1 record ties" if chosen.ties == 1 else f"{chosen.ties} records tie"
    was = "was" if chosen.ties == 1 else "were"
    if terms.ties:
        return [Note(f"{number} for the last place, and {was} picked too.")]
    return [
        Note(
            f"{number} for the last place, and {was} set aside, coming later.",
            "To pick them too, add `ties true`.",
            warning=True,
        )
    ]
