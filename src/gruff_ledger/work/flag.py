"""flag: rules on cells, and what they find.

A rule says that a field must not be blank, or that its cells must be among the allowed
values (compared exactly). A blank cell is only ever a finding of `required`.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np
from msgspec import Meta

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys import index_in
from gruff_ledger.naming import find_field, format_names
from gruff_ledger.outcome import Finding, Note, Outcome, SetAside, Severity
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Column, Mask, Table, filtered, spread_column
from gruff_ledger.terms import Terms

_SEVERITY = Meta(
    description="How bad a finding is: note, warn, or stop, which ends the run with "
    "exit status 1."
)
_MESSAGE = Meta(description="What a finding says, in words of your own.")


class Rule(Terms, frozen=True, kw_only=True):
    """One rule, as a table of its own."""

    field: Annotated[str, Meta(description="The field the rule is on.")]
    required: Annotated[
        bool, Meta(description="Whether a blank cell is a finding.")
    ] = False
    allowed: Annotated[
        tuple[str, ...],
        Meta(description="The values a cell may have; any other is a finding."),
    ] = ()
    severity: Annotated[Literal["note", "warn", "stop"], _SEVERITY] = "warn"
    message: Annotated[str | None, _MESSAGE] = None

    def __post_init__(self) -> None:
        """Refuse a rule that asks nothing."""
        if not self.required and not self.allowed:
            raise BadTerms(
                f"the rule on '{self.field}' asks nothing of its cells.",
                "Give it `required` or `allowed`.",
                term="rule",
            )


class FlagTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    required: Annotated[
        tuple[str, ...], Meta(description="The fields that must not be blank.")
    ] = ()
    allowed: Annotated[
        dict[str, tuple[str, ...]],
        Meta(description="For a field, the values its cells may have."),
    ] = {}  # noqa: RUF012  (copied for each by msgspec)
    severity: Annotated[Literal["note", "warn", "stop"], _SEVERITY] = "warn"
    message: Annotated[str | None, _MESSAGE] = None
    rule: Annotated[
        tuple[Rule, ...],
        Meta(
            description="A rule with a severity and a message of its own: a table "
            "with field, required, allowed, severity, message."
        ),
    ] = ()
    remarks: Annotated[
        str | None,
        Meta(
            description="The heading of a field, added last, that holds the messages "
            "on each record."
        ),
    ] = None
    set_aside_stops: Annotated[
        bool,
        Meta(description="Set aside the records with a finding of severity stop."),
    ] = False

    def __post_init__(self) -> None:
        """Refuse terms without any rule."""
        if not self.rules():
            raise BadTerms(
                "there is no rule to check.",
                "Give `required`, `allowed` or `rule`.",
                term="required",
            )

    def rules(self) -> list[tuple[str, Rule]]:
        """Return every rule with the term that states it; those in short come first."""
        severity, message = self.severity, self.message
        required = (
            Rule(field=field, required=True, severity=severity, message=message)
            for field in self.required
        )
        allowed = (
            Rule(field=field, allowed=values, severity=severity, message=message)
            for field, values in self.allowed.items()
        )
        return [
            *(("required", rule) for rule in required),
            *(("allowed", rule) for rule in allowed),
            *(("rule", rule) for rule in self.rule),
        ]


def perform(terms: FlagTerms, table: Table) -> Outcome:
    """
    Check cells against rules.

    Parameters
    ----------
    terms : FlagTerms
    table : Table, n records

    Returns
    -------
    Outcome
        The findings, rule by rule; cells stay as they are.

    Raises
    ------
    UnknownField
        If a rule names a field that the list does not have.
    BadTerms
        If the remarks field is there already.
    """
    findings: list[tuple[Finding, Mask]] = []
    notes: list[Note] = []
    for term, rule in terms.rules():
        heading, said = find_field(table, rule.field, term)
        notes.extend(each for each in said if each not in notes)
        findings.extend(_check(rule, heading, table))
    result = table
    if terms.remarks is not None:
        result = table.with_field(terms.remarks, _remarks(findings, len(table)))
    aside: tuple[SetAside, ...] = ()
    if terms.set_aside_stops:
        result, aside = _without_stops(result, findings)
    return Outcome(
        result,
        aside,
        findings=tuple(finding for finding, _ in findings),
        notes=tuple(notes),
    )


def _check(rule: Rule, heading: str, table: Table) -> list[tuple[Finding, Mask]]:
    """Return what a rule finds, each with a mark on the records concerned."""
    column = table.column(heading)
    blank = blank_mask(column)
    found: list[tuple[str, str, Mask]] = []
    if rule.required:
        says = rule.message or f"{heading} is blank."
        found.append((f"{heading} is required", says, blank))
    if rule.allowed:
        values = format_names(rule.allowed)
        says = rule.message or f"{heading} is not one of {values}."
        wrong = ~blank & (index_in(column, rule.allowed) < 0)
        found.append((f"{heading} is one of {values}", says, wrong))
    return [
        (_finding(rule, name, heading, says, mask, table), mask)
        for name, says, mask in found
        if mask.any()
    ]


def _finding(
    rule: Rule, name: str, heading: str, says: str, mask: Mask, table: Table
) -> Finding:
    return Finding(
        rule=name,
        severity=Severity(rule.severity),
        message=says,
        field=heading,
        origin=table.origin.pick(mask),
        value=filtered(table.column(heading), mask),
    )


def _remarks(findings: Sequence[tuple[Finding, Mask]], n: int) -> Column:
    """Return for each record the messages of its findings, parted by semicolons."""
    # Records with the same findings share a remark: the distinct ones are few.
    codes = np.zeros(n, np.int64)
    remarks = [""]
    for finding, mask in findings:
        seen = codes[mask]
        distinct, inverse = np.unique(seen, return_inverse=True)
        codes[mask] = len(remarks) + inverse
        for code in distinct.tolist():
            before = remarks[code]
            said = finding.message
            remarks.append(f"{before}; {said}" if before else said)
    return spread_column(remarks, codes)


def _without_stops(
    table: Table, findings: Sequence[tuple[Finding, Mask]]
) -> tuple[Table, tuple[SetAside, ...]]:
    """Set aside the records that a rule of severity stop found, by their first one."""
    out = np.zeros(len(table), np.bool_)
    aside: list[SetAside] = []
    for finding, mask in findings:
        if finding.severity is Severity.STOP and (fresh := mask & ~out).any():
            aside.append(SetAside(finding.message, table.filter(fresh)))
            out |= fresh
    return (table.filter(~out), tuple(aside)) if aside else (table, ())
