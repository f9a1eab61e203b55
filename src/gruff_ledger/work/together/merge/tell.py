"""What is said of a merge by key."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.columns.arrays import spread_column, text_column
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.outcome import Note
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.review.decisions import Recognised
from gruff_ledger.work.review.questions import Question
from gruff_ledger.work.together.merge.terms import MergeTerms

STATUS = ("untouched", "changed", "new", "missing")


UNTOUCHED, CHANGED, NEW, MISSING = range(4)


# Up to so many lists, those that have a key are told by the bits of a number.
_MOST_AS_BITS = 40


class Stacked(NamedTuple):
    """
    Lists end to end.

    Attributes
    ----------
    table : Table, n records
    list_of : ndarray of int64, shape (n,)
        Which list each record is from.
    names : tuple of str
    has : dict
        For each heading, which of the lists have it: ndarray of bool.
    """

    table: Table
    list_of: Indices
    names: tuple[str, ...]
    has: dict[str, Mask]


class KeyedGroups(NamedTuple):
    """
    Records with the same key.

    Attributes
    ----------
    first : ndarray of int64, shape (n,)
        The first record of each one's group: the one that stays.
    members : ndarray of int64, shape (m,)
        Records that are not alone, group by group, in the order of precedence.
    starts : ndarray of int64, shape (g,)
        Where each group begins among the members.
    numbers : ndarray of int64, shape (g,)
        The number of each group among all, from 0.
    """

    first: Indices
    members: Indices
    starts: Indices
    numbers: Indices

    @property
    def heads(self) -> Indices:
        """The records that stay, group by group."""
        return self.first[self.members[self.starts]]

    @property
    def sizes(self) -> Indices:
        """How many members each group has."""
        return np.diff(np.append(self.starts, len(self.members)))

    @property
    def group_of(self) -> Indices:
        """For each member the place of its group among these."""
        return np.repeat(np.arange(len(self.starts)), self.sizes)

    def picked(self, wanted: Mask) -> KeyedGroups:
        """Return some of the groups."""
        # Few of many, mostly: only those are gone through.
        which = np.flatnonzero(wanted)
        begins = self.starts[which]
        is_last = which == len(self.starts) - 1
        ends = self.starts[np.minimum(which + 1, len(self.starts) - 1)]
        sizes = np.where(is_last, len(self.members), ends) - begins
        starts = np.cumsum(sizes) - sizes
        at = np.arange(int(sizes.sum())) + np.repeat(begins - starts, sizes)
        return KeyedGroups(self.first, self.members[at], starts, self.numbers[which])


def notes_on_repeated(stacked: Stacked, first: Indices, words: str) -> list[Note]:
    """Say where a list has a key several times: its records become one too."""
    if not len(first):
        return []
    earliest = np.empty(len(first), np.int64)
    notes = []
    for number, name in enumerate(stacked.names):
        records = np.flatnonzero(stacked.list_of == number)
        heads = first[records]
        # From the last to the first: of several in one place the first one stays.
        earliest[heads[::-1]] = records[::-1]
        mine = records[earliest[heads] != records]
        if len(mine):
            said = counted(len(mine), "record repeats", "records repeat")
            notes.append(
                Note(
                    f"{said} an earlier {words} of {name} itself; they were merged "
                    "too.",
                    "To settle them first, use duplicates.",
                    stacked.table.origin.pick(mine),
                    warning=True,
                )
            )
    return notes


def note_on_updates(stacked: Stacked) -> tuple[Note, ...]:
    """Say in which order several lists update the first."""
    if len(stacked.names) < 3:
        return ()
    last = stacked.names[-1]
    return (
        Note(
            "Where several updates fill the same cell, the later list is taken: "
            f"{last} before all others."
        ),
    )


def status_column(stacked: Stacked, groups: KeyedGroups, changed: Mask) -> Indices:
    """Tell for each record what became of it, as seen from the first list."""
    in_others = np.zeros(len(groups.first), np.bool_)
    in_others[groups.first[stacked.list_of > 0]] = True
    is_mine = stacked.list_of == 0
    status = np.where(changed, CHANGED, UNTOUCHED)
    status = np.where(is_mine, np.where(in_others, status, MISSING), NEW)
    return np.asarray(status, np.int64)


def names_of_lists(stacked: Stacked, first: Indices) -> Column:
    """Name for each record the lists that have its key, with `` + `` between."""
    names = stacked.names
    codes = np.zeros(len(first), np.int64)
    for number in range(len(names)):
        there = np.zeros(len(first), np.int64)
        there[first[stacked.list_of == number]] = 1
        codes = codes * 2 + there if len(names) <= _MOST_AS_BITS else codes
    if len(names) <= _MOST_AS_BITS:
        kinds, places = np.unique(codes, return_inverse=True)
        texts = [
            " + ".join(
                name
                for number, name in enumerate(names)
                if kind >> (len(names) - 1 - number) & 1
            )
            for kind in kinds.tolist()
        ]
        return spread_column(texts, places)
    by_group: dict[int, dict[str, None]] = {}
    for group, number in zip(first.tolist(), stacked.list_of.tolist(), strict=True):
        by_group.setdefault(group, {})[names[number]] = None
    return text_column(" + ".join(by_group[group]) for group in first.tolist())


def notes_on_status(
    terms: MergeTerms, stacked: Stacked, groups: KeyedGroups, status: Indices
) -> tuple[Note, ...]:
    """Say how many records are new, changed, untouched and missing."""
    counts = np.bincount(status, minlength=4).tolist()
    merged = len(groups.first) - len(status)
    said = counted(merged, "record was", "records were")
    told = f"{said} merged into others; {len(status)} are left."
    notes = [Note(told, is_headline=True)]
    if len(stacked.names) > 1:
        notes.append(
            Note(
                f"As seen from {stacked.names[0]}, the first list: {counts[NEW]} new, "
                f"{counts[CHANGED]} changed, {counts[UNTOUCHED]} untouched, "
                f"{counts[MISSING]} missing in the others.",
                "To list them, add `new new.csv`, `changed changed.csv` and so on.",
            )
        )
    return tuple(notes)


def notes_on_questions(
    terms: MergeTerms, questions: Sequence[Question], decided: Recognised
) -> tuple[Note, ...]:
    """Say which values wait for a decision."""
    notes = []
    if questions:
        said = counted(len(questions), "value differs", "values differ")
        remedy = "To decide, name a file in `decisions`, and run gruff review."
        if terms.decisions is not None:
            remedy = "To decide, run gruff review on the docket."
        notes.append(Note(f"{said} among the lists.", remedy, warning=True))
    if decided.stale:
        said = counted(len(decided.stale), "decision is", "decisions are")
        notes.append(
            Note(
                f"{terms.decisions}: {said} on records that are not there as they "
                "were then; they were not applied.",
                "They stay in the file, for when the records come again.",
                warning=True,
            )
        )
    return tuple(notes)
