"""Groups of records that are alike, for `duplicates`: found, scored and explained."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.distinct import distinct
from gruff_ledger.cells.keys.same_key import group_sizes
from gruff_ledger.cells.match.folded_fields import folded
from gruff_ledger.columns.types import Indices, Mask
from gruff_ledger.likeness.candidates import Pairs, candidates
from gruff_ledger.likeness.grouping import grouped
from gruff_ledger.likeness.scoring import Scores, Scoring
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.keys.fields import KeyField

# Pairs that score so much less than what is asked are counted, to say what another
# choice would have given.
_JUST_BELOW = 8


class Near(NamedTuple):
    """
    Groups of records that are alike.

    Attributes
    ----------
    first : ndarray of int64, shape (n,)
        For each record, the first record of its group.
    fields : tuple of KeyField
        What was compared.
    scoring : Scoring
    notes : tuple of Note
    """

    first: Indices
    fields: tuple[KeyField, ...]
    scoring: Scoring
    notes: tuple[Note, ...]

    def scores_of(self, ones: Indices, others: Indices) -> Scores:
        """Return the scores of some pairs of records."""
        return self.scoring.scores(Pairs(ones, others))

    def why(self, one: int, other: int) -> str:
        """Return the score of a pair field by field, where something differs."""
        said = [
            f"{each.field} {each.score} ({each.why})"
            for each in self.scoring.explained(one, other)
            if each.why
        ]
        return "; ".join(said) or "alike in all"


def near_groups(
    table: Table,
    stated: Sequence[KeyField],
    ask_from: int,
    same: Sequence[tuple[int, int]],
    different: Sequence[tuple[int, int]],
) -> Near:
    """
    Group the records that are alike.

    Parameters
    ----------
    table : Table
    stated : sequence of KeyField
        All fields, if none. Those with a level must match at it.
    ask_from : int
        What a pair must score.
    same, different : sequence of pairs of indices
        What was decided.

    Raises
    ------
    BadTerms
        If no field is left to be compared.
    """
    names = [heading for heading in table.headings if heading not in table.from_source]
    fields = tuple(stated) or tuple(KeyField(name, None, None) for name in names)
    compared = tuple(field for field in fields if field.level is None)
    if not compared:
        raise BadTerms(
            "every field must match at a level, and none is left to be alike.",
            "Leave AS out for those that need only be alike.",
            term="by",
        )
    columns = [table.cells(field.name) for field in compared]
    scoring = Scoring(
        [field.name for field in compared], columns, [f.weight for f in compared]
    )
    if not len(table):
        return Near(np.zeros(0, np.int64), compared, scoring, ())
    pairs = candidates(columns)
    for field in fields:
        if field.level is not None:
            pairs = _matching(pairs, table, field)
    least = max(1, ask_from - _JUST_BELOW)
    pairs = scoring.quick(pairs, least)
    scores = scoring.scores(pairs)
    first = grouped(
        len(table), pairs, scores, ask_from, scoring.scores, same, different
    )
    notes = _notes(table, first, scoring, scores, ask_from, least)
    return Near(first, compared, scoring, notes)


def _matching(pairs: Pairs, table: Table, field: KeyField) -> Pairs:
    """Return the pairs whose cells match at a field's level; a blank never does."""
    assert field.level is not None
    keys = folded(table.cells(field.name), field.level)
    _, codes = distinct(keys)
    filled: Mask = ~blank_mask(keys)
    good = (codes[pairs.one] == codes[pairs.other]) & filled[pairs.one]
    return Pairs(pairs.one[good], pairs.other[good])


def _notes(
    table: Table,
    first: Indices,
    scoring: Scoring,
    scores: Scores,
    ask_from: int,
    least: int,
) -> tuple[Note, ...]:
    in_group = group_sizes(first) > 1
    records = int(np.count_nonzero(in_group))
    groups = int(np.count_nonzero(in_group & (first == np.arange(len(first)))))
    total = sum(scoring.weights)
    shares = ", ".join(
        f"{heading} {100 * weight / total:.0f}"
        for heading, weight in zip(scoring.headings, scoring.weights, strict=True)
    )
    said = "1 record is" if records == 1 else f"{records} records are"
    held = "1 group" if groups == 1 else f"{groups} groups"
    notes = [
        Note(
            f"{said} alike, in {held}, with a score of {ask_from} or more.",
            "",
            table.origin.pick(in_group) if records else None,
            is_headline=True,
        ),
        Note(
            f"The score of 100 is made up of: {shares}.",
            "To weigh them differently, write a field in `by` as in Phone WEIGHT 5.",
        ),
    ]
    below = int(np.count_nonzero((scores >= least) & (scores < ask_from)))
    if below:
        pairs = "1 pair more scores" if below == 1 else f"{below} pairs more score"
        notes.append(
            Note(
                f"{pairs} from {least} up to {ask_from}.",
                "To look at them too, lower `ask-from`.",
            )
        )
    return tuple(notes)
