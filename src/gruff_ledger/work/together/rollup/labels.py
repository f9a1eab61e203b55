"""The labels of both sides of a rollup: united, matched, put in order."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.keys.same_key import first_with_same_key, key_groups
from gruff_ledger.cells.match.folded_fields import folded
from gruff_ledger.cells.match.levels import LEVELS, loose
from gruff_ledger.cells.order import code_ranks, sort_places
from gruff_ledger.columns.arrays import (
    concat_columns,
    filter_column,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import first_few
from gruff_ledger.work.orders import Key, Ordering, ordering
from gruff_ledger.work.together.rollup.sources import Brought
from gruff_ledger.work.together.rollup.terms import RollupTerms


class Sides(NamedTuple):
    """
    The labels of the result.

    Attributes
    ----------
    down : list of Column, R labels each
    across : list of str, C labels
    rows : list of ndarray of int64
        For each list, the row of each of its labels down.
    columns : list of ndarray of int64
        For each list, the column of each of its labels across.
    """

    down: list[Column]
    across: list[str]
    rows: list[Indices]
    columns: list[Indices]


def unite_labels(terms: RollupTerms, brought: Sequence[Brought]) -> Sides:
    """Unite the labels of all lists, in order of appearance."""
    count = len(brought[0].labels)
    for each in brought:
        if len(each.labels) != count:
            raise BadTerms(
                f"{brought[0].name} has {count} label fields, and {each.name} has "
                f"{len(each.labels)}.",
                "Name the label fields in `down`.",
                term="down",
            )
    whole = [
        concat_columns([each.labels[place] for each in brought])
        for place in range(count)
    ]
    keys = [folded(column, terms.match, or_text=True) for column in whole]
    numbers = np.zeros(0, np.int64)
    down = whole
    if len(whole[0]):
        groups = key_groups(first_with_same_key(keys))
        numbers = groups.numbers
        down = [filter_column(column, groups.is_first) for column in whole]
    ends = np.cumsum([len(each.labels[0]) for each in brought])
    rows = np.split(numbers, ends[:-1])
    fold = LEVELS[terms.match]
    across: dict[str, int] = {}
    names: list[str] = []
    columns = []
    for each in brought:
        places = []
        for name in each.across:
            key = fold(name) or name
            if key not in across:
                across[key] = len(names)
                names.append(name)
            places.append(across[key])
        columns.append(np.array(places, np.int64))
    return Sides(down, names, list(rows), columns)


def notes_on_labels(brought: Sequence[Brought], sides: Sides) -> list[Note]:
    """Say which labels not all lists have, and which differ only loosely."""
    notes: list[Note] = []
    if sides.down and len(sides.down) == 1:
        notes += _loose_notes(sides.down[0].to_pylist(), "down")
    notes += _loose_notes(sides.across, "across")
    if len(brought) < 2:
        return notes
    for names, found, side in (
        (
            [" / ".join(each) for each in zip(*_texts(sides.down), strict=True)],
            sides.rows,
            "down",
        ),
        (sides.across, sides.columns, "across"),
    ):
        lacks = []
        for each, places in zip(brought, found, strict=True):
            there = np.zeros(len(names), np.bool_)
            there[places] = True
            out = np.flatnonzero(~there)
            if len(out):
                lacking = [f"'{names[at]}'" for at in out[:4].tolist()]
                words = first_few(lacking, 4, total=len(out))
                lacks.append(f"{each.name} lacks {words}")
        if lacks:
            notes.append(Note(f"Labels {side}: {'; '.join(lacks)}."))
    return notes


def _texts(columns: Sequence[Column]) -> list[list[str]]:
    return [column.to_pylist() for column in columns]


def _loose_notes(names: Sequence[str], side: str) -> list[Note]:
    """Say which labels differ only in case, spaces or Unicode."""
    by_key: dict[str, list[str]] = {}
    for name in names:
        by_key.setdefault(loose(name), []).append(name)
    pairs = [each for each in by_key.values() if len(each) > 1]
    if not pairs:
        return []
    said = [" and ".join(f"'{name}'" for name in each[:3]) for each in pairs]
    words = first_few(said, 3)
    return [
        Note(
            f"Labels {side} differ only in case, spaces or Unicode: {words}.",
            "To make one of them, give `match loose`.",
            warning=True,
        )
    ]


def unite_by_position(brought: list[Brought], findings: list[Finding]) -> Sides:
    """Put grids on each other cell by cell, and check that their labels agree."""
    first = brought[0]
    shape = len(first.table), len(first.numbers)
    for each in brought:
        if each.is_long and len(each.across) != len(each.numbers):
            raise BadTerms(
                f"{each.name} is a long list, and by position grids are added up.",
                "Leave `by-position` out.",
                term="by-position",
            )
        mine = len(each.table), len(each.numbers)
        if mine != shape:
            raise BadTerms(
                f"{each.name} has {mine[0]} rows and {mine[1]} columns of figures, and "
                f"{first.name} has {shape[0]} and {shape[1]}.",
                "By position all must have one shape; leave `by-position` out to match "
                "them by label, or see to totals with `leave-out-totals`.",
                term="by-position",
            )
    down = [taken(column, first.down) for column in first.labels]
    for place, each in enumerate(brought):
        findings += _disagreeing(first, each) if place else ()
        brought[place] = each._replace(down=np.arange(shape[0]))
    rows = [np.arange(shape[0])] * len(brought)
    columns = [np.arange(shape[1])] * len(brought)
    return Sides(down, list(first.across), rows, columns)


def _disagreeing(first: Brought, other: Brought) -> list[Finding]:
    """Find the labels of a grid that are not those of the first one."""
    findings = []
    for place, (mine, theirs) in enumerate(
        zip(first.labels, other.labels, strict=False)
    ):
        texts = taken(mine, first.down).to_pylist()
        others = taken(theirs, other.down).to_pylist()
        wrong = np.array(
            [loose(a) != loose(b) for a, b in zip(texts, others, strict=True)], np.bool_
        )
        if wrong.any():
            told = [
                f"'{b}' is where {first.name} has '{a}'."
                for a, b, out in zip(texts, others, wrong, strict=True)
                if out
            ]
            findings.append(
                Finding(
                    "labels down agree",
                    Severity.WARN,
                    "The label is not that of the first list.",
                    other.corner[place],
                    other.table.origin.pick(wrong),
                    filter_column(text_column(others), wrong),
                    text_column(told),
                )
            )
    for a, b in zip(first.across, other.across, strict=True):
        if loose(a) != loose(b):
            findings.append(
                Finding(
                    "labels across agree",
                    Severity.WARN,
                    f"The heading '{b}' is where {first.name} has '{a}'.",
                    b,
                    other.table.origin.pick(slice(0, 1)),
                    text_column([b] * min(1, len(other.table))),
                )
            )
    return findings


def sort_labels(terms: RollupTerms, sides: Sides) -> Sides:
    """Put labels in order, where that is asked."""
    down, across, rows, columns = sides
    if terms.order in ("sorted", "sorted-down"):
        places = sort_places([(*_ranks(column), False) for column in down])
        back = _inverse(places)
        down = [taken(column, places) for column in down]
        rows = [back[each] for each in rows]
    if terms.order in ("sorted", "sorted-across"):
        places = sort_places([(*_ranks(text_column(across)), False)])
        back = _inverse(places)
        across = [across[place] for place in places.tolist()]
        columns = [back[each] for each in columns]
    return Sides(down, across, rows, columns)


def _ranks(labels: Column) -> tuple[Indices, Mask]:
    """Rank labels as what they are: numbers, dates, or texts with numbers in them."""
    n = len(labels)
    if not n:
        return np.zeros(0, np.int64), np.zeros(0, np.bool_)
    listed = Table(("label",), (labels,), Origin.counted(0, 1, n))
    ranked: Ordering | None
    try:
        _, ranked = ordering(listed, Key("label", None, False), "order")
    except BadTerms:
        ranked = None
    if ranked is None or ranked.way == "text" or ranked.last.any():
        return code_ranks(labels), np.zeros(n, np.bool_)
    return ranked.ranks, ranked.last


def _inverse(places: Indices) -> Indices:
    back = np.empty(len(places), np.int64)
    back[places] = np.arange(len(places))
    return back
