"""What `flag` does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.keys.distinct import distinct
from gruff_ledger.columns.arrays import spread_column
from gruff_ledger.columns.types import Column
from gruff_ledger.outcome import Finding, Note, Outcome, SetAside, Severity
from gruff_ledger.problems import said_by
from gruff_ledger.rules.check import Checking, Found
from gruff_ledger.rules.rule import Rule
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.check.flag.terms import FlagTerms
from gruff_ledger.work.rule_terms import Stated
from gruff_ledger.written.of_list import examples_of, with_other_ways


class Checked(NamedTuple):
    """
    What a list was checked against.

    Attributes
    ----------
    name : str
        Of the list.
    headings : tuple of str
    rules : tuple of Rule
    written : dict of str to tuple of str
    """

    name: str
    headings: tuple[str, ...]
    rules: tuple[Rule, ...]
    written: dict[str, tuple[str, ...]]


def perform(
    terms: FlagTerms,
    table: Table,
    references: Mapping[str, Table] | None = None,
    files: Mapping[str, bytes | None] | None = None,
) -> Outcome:
    """
    Check cells and records against rules.

    Parameters
    ----------
    terms : FlagTerms
    table : Table, n records
    references : mapping, optional
        The lists that rules name, by their addresses.
    files : mapping, optional
        What is in the files that the terms name.

    Returns
    -------
    Outcome
        The findings, rule by rule; cells stay as they are. Its detail is `Checked`.

    Raises
    ------
    UnknownField
        If a rule names a field that the list does not have.
    BadTerms
        If a rule cannot be followed, or the remarks field is there already.
    """
    stated = terms.stated(files or {}, table.name, table.headings)
    table, said = with_other_ways(table, stated.in_file.written)
    checking = Checking(table, references or {})
    rules = [(term, checking.resolved(rule, term)) for term, rule in stated.rules]
    found = checking.check(rules)
    unread = checking.findings()
    result = table
    if terms.remarks is not None:
        with said_by("remarks"):
            result = table.with_field(terms.remarks, _remarks(found, len(table)))
    aside: tuple[SetAside, ...] = ()
    if terms.set_aside_stops:
        result, aside = _without_stops(result, found)
    notes = [*stated.in_file.notes, *said, *checking.notes]
    marked = [mask for _, mask in found]
    with_findings = int(np.count_nonzero(np.logical_or.reduce(marked))) if found else 0
    if with_findings or not unread:
        notes.append(_headline(stated, with_findings, len(table)))
    return Outcome(
        result,
        aside,
        findings=(*(each.finding for each in found), *unread),
        notes=tuple(notes),
        detail=Checked(
            table.name,
            table.headings,
            tuple(rule for _, rule in rules),
            examples_of(table),
        ),
    )


def _headline(stated: Stated, with_findings: int, n: int) -> Note:
    rules = counted(len(stated.rules), "rule was", "rules were")
    told = f"{rules} checked on {counted(n, 'record')}, and nothing was found."
    if with_findings:
        has = "has" if with_findings == 1 else "have"
        told = f"{with_findings:,} of {counted(n, 'record')} {has} findings."
    return Note(told, is_headline=True)


def _remarks(found: Sequence[Found], n: int) -> Column:
    """Return for each record the messages of its findings, one after the other."""
    # Records with the same findings share a remark: the distinct ones are few.
    codes = np.zeros(n, np.int64)
    remarks = [""]
    for finding, mask in found:
        said, mine = _messages(finding)
        seen = codes[mask] * len(said) + mine
        pairs, inverse = np.unique(seen, return_inverse=True)
        codes[mask] = len(remarks) + inverse
        for pair in pairs.tolist():
            before, now = remarks[pair // len(said)], said[pair % len(said)]
            parted = f"{before} " if before[-1:] in ".!?" else f"{before}; "
            remarks.append(parted + now if before else now)
    return spread_column(remarks, codes)


def _messages(finding: Finding) -> tuple[list[str], np.ndarray]:
    """Return the distinct messages of a finding, and a code for each record."""
    if finding.said is None and finding.unsaid_nearest is None:
        return [finding.message], np.zeros(len(finding.origin), np.int64)
    said, codes = distinct(finding.messages)
    if finding.unsaid_nearest is None:
        return said, codes
    nearest, more = distinct(finding.unsaid_nearest)
    both = [
        f"{one} Perhaps {near}?" if near else one for one in said for near in nearest
    ]
    return both, codes * len(nearest) + more


def _without_stops(
    table: Table, found: Sequence[Found]
) -> tuple[Table, tuple[SetAside, ...]]:
    """Set aside the records that a rule of severity stop found, by their first one."""
    out = np.zeros(len(table), np.bool_)
    aside: list[SetAside] = []
    for finding, mask in found:
        if finding.severity is Severity.STOP and (fresh := mask & ~out).any():
            aside.append(SetAside(finding.message, table.keep_records(fresh)))
            out |= fresh
    return (table.keep_records(~out), tuple(aside)) if aside else (table, ())
