"""What `count` does."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal

import numpy as np

from gruff_ledger.cells.keys.same_key import first_with_same_key, key_groups
from gruff_ledger.cells.match.folded_fields import folded
from gruff_ledger.columns.arrays import (
    concat_columns,
    number_column,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.field_names import find_fields, make_headings
from gruff_ledger.outcome import Drawn, Lineage, Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import counted
from gruff_ledger.work.look.count.terms import CountTerms

# Spellings of one value that are named, the commonest first.
_NAMED_SPELLINGS = 8


def perform(terms: CountTerms, *tables: Table) -> Outcome:
    """
    Count the values of the lists.

    Parameters
    ----------
    terms : CountTerms
    *tables : Table

    Returns
    -------
    Outcome
        A record a value: the value, its count and share; in which lists, where there
        are several; its spellings, where they may differ.

    Raises
    ------
    UnknownField
        If a list does not have one of the fields.
    BadTerms
        If no fields are named, and the lists do not have the same ones.
    """
    columns, headings, notes = _key_columns(terms, tables)
    n = sum(map(len, tables))
    origin = Origin.concat([table.origin for table in tables])
    exact = first_with_same_key(columns) if n else np.zeros(0, np.int64)
    group = _folded(columns, exact, terms.match)
    groups = key_groups(group)
    inverse, counts = groups.numbers, groups.sizes
    firsts = groups.firsts
    if group is not exact:
        firsts = _commonest(exact, inverse, len(counts))
    order = _order(terms.order, counts, columns, firsts)
    order = order[counts[order] > terms.over]
    figures = _figures(terms, tables, columns, exact, inverse, counts, order, n)
    shown = tuple(taken(column, firsts[order]) for column in columns)
    # A field of the list can have the name of a figure.
    named, _ = make_headings((*headings, *figures))
    table = Table(
        named,
        (*shown, *figures.values()),
        origin.pick(firsts[order]),
        "the count",
    )
    notes += _said(terms, len(counts), len(order), counts, order, exact)

    def drawn() -> Drawn:
        rows = np.full(len(counts), -1, np.int64)
        rows[order] = np.arange(len(order))
        return Drawn(origin, rows[inverse], figure="count")

    return Outcome(
        table,
        notes=notes,
        measured=named[len(headings)],
        lineage=Lineage(summed=n, drawn=drawn),
    )


def _key_columns(
    terms: CountTerms, tables: Sequence[Table]
) -> tuple[list[Column], tuple[str, ...], tuple[Note, ...]]:
    """Return the fields to count by, end to end over the lists."""
    notes: tuple[Note, ...] = ()
    if not terms.by:
        headings = tables[0].headings
        for table in tables[1:]:
            if table.headings != headings:
                raise BadTerms(
                    f"{tables[0].name} and {table.name} do not have the same fields.",
                    "Name the fields to count in `by`.",
                    term="by",
                )
        found = [headings] * len(tables)
    else:
        found = []
        for table in tables:
            mine, said = find_fields(table, terms.by, "by")
            found.append(mine)
            notes += said
    columns = [
        concat_columns(
            [
                table.cells(mine[place])
                for table, mine in zip(tables, found, strict=True)
            ]
        )
        for place in range(len(found[0]))
    ]
    return columns, found[0], notes


def _folded(columns: Sequence[Column], exact: Indices, match: str) -> Indices:
    """For each record, return the first one that is the same at the match level."""
    if match == "exact" or not len(exact):
        return exact
    groups = key_groups(exact)
    firsts = groups.firsts
    keys = [folded(taken(column, firsts), match) for column in columns]
    return firsts[first_with_same_key(keys)][groups.numbers]


def _commonest(exact: Indices, inverse: Indices, count: int) -> Indices:
    """Return for each group the first record that is spelled as most of it are."""
    spellings = key_groups(exact)
    group = inverse[spellings.firsts]
    order = np.lexsort((spellings.firsts, -spellings.sizes, group))
    _, heads = np.unique(group[order], return_index=True)
    firsts = np.zeros(count, np.int64)
    firsts[group[order[heads]]] = spellings.firsts[order[heads]]
    return firsts


def _order(
    order: str, counts: Indices, columns: Sequence[Column], firsts: Indices
) -> Indices:
    if order == "appearance":
        return np.arange(len(counts))
    if order == "count":
        return np.argsort(-counts, kind="stable")
    texts = (taken(column, firsts).to_pylist() for column in columns)
    keys = list(zip(*texts, strict=True))
    return np.array(sorted(range(len(keys)), key=keys.__getitem__), np.int64)


def _figures(
    terms: CountTerms,
    tables: Sequence[Table],
    columns: Sequence[Column],
    exact: Indices,
    inverse: Indices,
    counts: Indices,
    order: Indices,
    n: int,
) -> dict[str, Column]:
    figures = {
        "count": number_column(counts[order]),
        "share": _shares(counts[order], n),
    }
    if len(tables) > 1:
        starts = np.cumsum([0, *(len(table) for table in tables)])
        per_list = np.stack(
            [
                np.bincount(inverse[start:end], minlength=len(counts))[order]
                for start, end in itertools.pairwise(starts)
            ]
        )
        names = [table.name for table in tables]
        rows = list(map(tuple, per_list.T.tolist()))
        words = {
            row: ", ".join(
                f"{name} {count}"
                for name, count in zip(names, row, strict=True)
                if count
            )
            for row in set(rows)
        }
        figures["lists"] = text_column(words[row] for row in rows)
    if terms.match != "exact":
        figures["spellings"] = _spellings(columns, exact, inverse, order)
    return figures


def _shares(counts: Indices, n: int) -> Column:
    """Return exact shares in per cent, rounded half up to a tenth."""
    tenth = Decimal("0.1")
    known = {
        count: f"{(Decimal(count) * 100 / n).quantize(tenth, ROUND_HALF_UP)}%"
        for count in set(counts.tolist())
    }
    return text_column(known[count] for count in counts.tolist())


def _spellings(
    columns: Sequence[Column], exact: Indices, inverse: Indices, order: Indices
) -> Column:
    """Return, for each value that has several spellings, how often each occurs."""
    groups = key_groups(exact)
    value_of = inverse[groups.firsts]
    is_one_of_several = np.bincount(value_of)[value_of] > 1
    spelt = groups.firsts[is_one_of_several]
    of_value: dict[int, list[tuple[int, str]]] = {}
    for value, count, *key in zip(
        value_of[is_one_of_several].tolist(),
        groups.sizes[is_one_of_several].tolist(),
        *(taken(column, spelt).to_pylist() for column in columns),
        strict=True,
    ):
        of_value.setdefault(value, []).append((count, " / ".join(key)))
    told = {}
    for value, spellings in of_value.items():
        mine = sorted(spellings, key=lambda each: -each[0])
        words = [f"'{text}' {count}" for count, text in mine[:_NAMED_SPELLINGS]]
        if len(mine) > _NAMED_SPELLINGS:
            words.append(f"and {len(mine) - _NAMED_SPELLINGS} more")
        told[value] = ", ".join(words)
    return text_column(told.get(value, "") for value in order.tolist())


def _said(
    terms: CountTerms,
    values: int,
    shown: int,
    counts: Indices,
    order: Indices,
    exact: Indices,
) -> tuple[Note, ...]:
    notes = [Note(f"{counted(values, 'distinct value')}.", is_headline=True)]
    if shown < values:
        rest = int(counts.sum() - counts[order].sum())
        notes.append(
            Note(
                f"{values - shown} of them occur {terms.over} times or less and are "
                f"not shown; they stand for {rest} record{'' if rest == 1 else 's'}.",
                "To show them, lower `over`.",
            )
        )
    if terms.match != "exact":
        spellings = int(np.count_nonzero(exact == np.arange(len(exact))))
        if spellings > values:
            notes.append(
                Note(f"Compared exactly, there would be {spellings} distinct values.")
            )
    return tuple(notes)
