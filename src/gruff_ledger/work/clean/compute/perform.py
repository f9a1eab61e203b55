"""What `compute` does."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.formula.context import rounded_words
from gruff_ledger.formula.evaluate import Evaluation
from gruff_ledger.formula.nodes import BadFormula
from gruff_ledger.formula.parse import parse
from gruff_ledger.formula.values import KINDS, Span, column_of
from gruff_ledger.outcome import Change, Finding, Note, Outcome
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.table import UNSAID, Table
from gruff_ledger.words import counted, number_words
from gruff_ledger.work.clean.compute.terms import ComputeTerms
from gruff_ledger.work.new_fields import changes_of, chosen_place, with_new_fields


def perform(terms: ComputeTerms, table: Table) -> Outcome:
    """
    Compute fields from formulas, one after the other.

    Parameters
    ----------
    terms : ComputeTerms
    table : Table, n records

    Returns
    -------
    Outcome
        With a finding for each field that has cells not fit for its use.

    Raises
    ------
    UnknownField
        If a formula names a field that the list does not have.
    BadTerms
        If a formula cannot be followed, or a new field is there already.
    """
    place, said = chosen_place(
        table, first=terms.first, after=terms.after, otherwise=len(table.headings)
    )
    notes: list[Note] = list(said)
    changes: list[Change] = []
    findings: list[Finding] = []
    result = table
    for heading, formula in terms.formula.items():
        evaluation = Evaluation(result, f"{heading} is blank")
        with said_by("formula"):
            column = _computed(evaluation, formula, heading)
        evaluation.check_readable("formula")
        findings += evaluation.findings()
        notes += [note for note in evaluation.notes if note not in notes]
        filled = len(table) - int(np.count_nonzero(blank_mask(column)))
        what = f"{heading} has a value in {number_words(filled)} of "
        notes.append(Note(f"{what}{counted(len(table), 'record')}.", is_headline=True))
        if heading in result.headings and terms.overwrite:
            changes += changes_of(result, heading, column)
            held = list(result.held)
            held[result.headings.index(heading)] = column
            result = result.with_fields(result.headings, held)
            # What was known of the field was true of what stood there.
            result = result.with_writing({heading: UNSAID})
            continue
        try:
            result, _ = with_new_fields(
                result, [(heading, column)], place, term="formula"
            )
        except BadTerms as problem:
            if heading in result.headings:
                problem.remedy = "Choose another heading, or allow it with `overwrite`."
            raise
        place += 1
    return Outcome(
        result, changes=tuple(changes), findings=tuple(findings), notes=tuple(notes)
    )


def _computed(evaluation: Evaluation, formula: str, heading: str) -> object:
    node = parse(formula)
    value = evaluation.value(node)
    if isinstance(value, Span):
        raise BadFormula(
            f"the result is {KINDS[Span]}, which no cell can hold.",
            "Add it to a date.",
            node.place,
        )
    column, rounded = column_of(value, evaluation.n)
    count = int(np.count_nonzero(rounded))
    if count:
        evaluation.say(
            f"{heading}: {rounded_words(count)}.",
            "To round differently, write ROUND(..., digits, mode).",
        )
    return column
