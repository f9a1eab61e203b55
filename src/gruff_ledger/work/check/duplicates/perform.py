"""What `duplicates` does."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from gruff_ledger.outcome import Finding, Outcome
from gruff_ledger.table import Table
from gruff_ledger.work.check.duplicates.groups import (
    copies_note,
    groups_of,
    kept_of,
    members_of,
    note_undecided,
    scores_to_keep,
    undecided,
)
from gruff_ledger.work.check.duplicates.questions import (
    note_decided,
    open_questions,
    question_notes,
)
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms
from gruff_ledger.work.check.duplicates.treatments import set_aside, shown, with_marks
from gruff_ledger.work.keys.fields import find_key_fields, parse_key_fields
from gruff_ledger.work.review.decisions import Recognised, read_decisions, recognise
from gruff_ledger.work.review.questions import Questions

__all__ = ["DuplicatesTerms", "perform"]


def perform(
    terms: DuplicatesTerms,
    table: Table,
    files: Mapping[str, bytes | None] | None = None,
) -> Outcome:
    """
    Find the records that repeat another, and treat them as the terms say.

    Parameters
    ----------
    terms : DuplicatesTerms
    table : Table, n records
    files : mapping, optional
        What is in the file of decisions, by its path.

    Returns
    -------
    Outcome
        With `set-aside`, the repeats are set aside with the record kept; with `show`,
        the records that repeat nothing are; otherwise every record stays. Its detail
        is `Questions`.

    Raises
    ------
    UnknownField
        If `by` names a field that the list does not have.
    BadTerms
        If the field to add is there already, or the decisions cannot be read.
    """
    fields, notes = find_key_fields(table, parse_key_fields(terms.by, "by"), "by")
    decided = Recognised([], [], [], [])
    if terms.decisions is not None:
        known = read_decisions(terms.decisions, (files or {}).get(terms.decisions))
        decided = recognise(table, known, terms.apart_from)
    groups, more = groups_of(terms, table, fields, decided)
    notes += more
    findings: tuple[Finding, ...] = ()
    members = members_of(terms, groups.first)
    scores = scores_to_keep(terms, table, members)
    findings += scores.findings
    open_ = undecided(groups.first, members, scores)
    notes += note_undecided(terms, table, open_, groups.first, scores.heading)
    notes += scores.notes
    kept = kept_of(terms, groups.first, members, scores)
    if fields and groups.near is None and terms.stays != "none":
        notes += copies_note(table, kept, are_shown=terms.treatment == "show")
    notes += note_decided(terms, decided)
    questions = open_questions(terms, table, groups, kept, decided)
    notes += question_notes(terms, groups, questions)
    # A list that nothing is asked about need not stay in memory.
    asked_of = table if questions else table.cut_records(0, 0)
    detail = Questions(asked_of, questions, terms.decisions or "", terms.apart_from)
    if terms.treatment == "set-aside":
        kept_sure = kept
        if groups.sure is not groups.first:
            members = members_of(terms, groups.sure)
            scores = scores_to_keep(terms, table, members)
            open_ = undecided(groups.sure, members, scores)
            kept_sure = kept_of(terms, groups.sure, members, scores)
        if len(open_):
            # Where nothing is the greatest, nothing is filled.
            members = np.setdiff1d(members, open_)
        outcome = set_aside(terms, table, groups, kept_sure, members, fields, decided)
    elif terms.treatment == "show":
        outcome = shown(terms, table, groups, kept)
    else:
        outcome = with_marks(terms, table, groups, kept)
    return Outcome(
        outcome.table,
        outcome.aside,
        outcome.changes,
        findings + outcome.findings,
        notes + outcome.notes,
        detail=detail,
    )
