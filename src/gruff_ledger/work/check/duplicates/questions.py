"""What is open after records were found to be alike: for a person to decide."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from gruff_ledger.cells.keys.same_key import group_sizes
from gruff_ledger.columns.types import Indices
from gruff_ledger.outcome import Note
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.check.duplicates.groups import Groups
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms
from gruff_ledger.work.review.decisions import Recognised
from gruff_ledger.work.review.questions import Question


def open_questions(
    terms: DuplicatesTerms,
    table: Table,
    groups: Groups,
    kept: Indices,
    decided: Recognised,
) -> tuple[Question, ...]:
    """Return what is open: records in a group that are not surely the same."""
    if groups.sure is groups.first:
        return ()
    numbers = np.cumsum(
        (groups.first == np.arange(len(table))) & (group_sizes(groups.first) > 1)
    )
    open_ = np.flatnonzero(groups.sure != groups.sure[kept])
    # Of records that are the same, one is asked about.
    _, places = np.unique(
        np.stack([groups.first[open_], groups.sure[open_]]), axis=1, return_index=True
    )
    open_ = open_[np.sort(places)]
    asked: list[Question] = []
    scores = np.zeros(len(open_))
    if groups.near is not None:
        scores = groups.near.scores_of(open_, kept[open_])
    for other, score in zip(open_.tolist(), scores.tolist(), strict=True):
        if terms.same_from is not None and score >= terms.same_from:
            continue
        one = int(kept[other])
        group = int(numbers[groups.first[other]])
        if groups.near is None:
            asked.append(Question(group, one, other))
        else:
            why = groups.near.why(other, one)
            asked.append(Question(group, one, other, score, why))
    order = sorted(asked, key=lambda q: (q.group, -(q.score or 0), q.other))
    return (*order, *_conflicts(terms, table, groups, decided))


def _conflicts(
    terms: DuplicatesTerms, table: Table, groups: Groups, decided: Recognised
) -> tuple[Question, ...]:
    """Return the values that are open where copies that are the same differ."""
    if not terms.fill:
        return ()
    settled = {
        (int(groups.sure[one]), field)
        for one, other, field, _ in decided.values
        if groups.sure[one] == groups.sure[other]
    }
    found = []
    members = np.flatnonzero(group_sizes(groups.sure) > 1)
    is_other = _differs_in_words if groups.near is not None else _differs
    by_group: dict[int, list[int]] = {}
    for record in members.tolist():
        by_group.setdefault(int(groups.sure[record]), []).append(record)
    for number, (group, records) in enumerate(by_group.items(), 1):
        rows = [table.records(record, record + 1)[0] for record in records]
        for place, field in enumerate(table.headings):
            values = dict.fromkeys(row[place] for row in rows if row[place].strip())
            if is_other(values) and (group, field) not in settled:
                one, other = records[0], records[1]
                found.append(
                    Question(number, one, other, field=field, values=tuple(values))
                )
    return tuple(found)


def _differs(values: Collection[str]) -> bool:
    return len(values) > 1


def _differs_in_words(values: Collection[str]) -> bool:
    """Whether texts differ in more than how they are written."""
    from gruff_ledger.likeness.words import words_of

    return len({"".join(sorted(words_of(value))) for value in values}) > 1


def note_decided(terms: DuplicatesTerms, decided: Recognised) -> tuple[Note, ...]:
    """Say which decisions are on records that are not there as they were."""
    if terms.decisions is None or not decided.stale:
        return ()
    count = len(decided.stale)
    said = "1 decision is" if count == 1 else f"{count} decisions are"
    return (
        Note(
            f"{terms.decisions}: {said} on records that are not there as they were "
            "then; they were not applied.",
            "They stay in the file, for when the records come again.",
            warning=True,
        ),
    )


def question_notes(
    terms: DuplicatesTerms, groups: Groups, questions: Sequence[Question]
) -> tuple[Note, ...]:
    """Say how much waits for a decision."""
    if groups.sure is groups.first:
        return ()
    pairs = sum(not question.field for question in questions)
    values = len(questions) - pairs
    if not questions:
        return (Note("Nothing is left to be decided."),)
    told = []
    if pairs:
        told.append(counted(pairs, "pair of records waits", "pairs of records wait"))
    if values:
        told.append(counted(values, "value waits", "values wait"))
    remedy = "To decide, run gruff review on the docket, or with the same terms."
    if terms.decisions is None:
        remedy = "To decide, name a file in `decisions`, and run gruff review with it."
    return (Note(f"{' and '.join(told)} for a decision.", remedy, warning=True),)
