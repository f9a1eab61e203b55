"""flag: rules on cells and records, and what they find.

A blank cell is only ever a finding of `required`. Cells stay as they are; what is
wrong with them is counted, listed in the ledger, and coloured in a workbook.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal, NamedTuple

import numpy as np
from msgspec import Meta, structs

from gruff_ledger.cells.distinct import distinct
from gruff_ledger.formula.forms import FORM, FormTerms, forms_of
from gruff_ledger.formula.parse import parse
from gruff_ledger.outcome import Finding, Note, Outcome, SetAside, Severity
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.rules.check import Checking, Found
from gruff_ledger.rules.files import RuleSet, lists_named_in, rules_in_file
from gruff_ledger.rules.rule import MESSAGE, SEVERITY, Rule
from gruff_ledger.table import Column, Table, spread_column
from gruff_ledger.terms import FilePath, Formula, Terms, Text


class RuleTerms(Terms, frozen=True, kw_only=True):
    """Rules, however they are stated."""

    required: Annotated[
        tuple[str, ...], Meta(description="The fields that must not be blank.")
    ] = ()
    allowed: Annotated[
        dict[str, tuple[str, ...]],
        Meta(description="For a field, the values its cells may have."),
    ] = {}  # noqa: RUF012  (copied for each by msgspec)
    unique: Annotated[
        tuple[str, ...],
        Meta(description="The fields that together no two records may have the same."),
    ] = ()
    holds: Annotated[
        tuple[Text, ...],
        Meta(
            description="A condition that must not fail, such as Departed >= Arrived."
        ),
    ] = ()
    severity: Annotated[Literal["note", "warn", "stop"], SEVERITY] = "warn"
    message: Annotated[str | None, MESSAGE] = None
    rule: Annotated[
        tuple[Rule, ...],
        Meta(
            description="A rule of its own: a table with field, required, datatype, "
            "format, minimum, maximum, length, pattern, allowed, allowed-from, per, "
            "unique, key, holds, where, severity, message and more."
        ),
    ] = ()
    rules: Annotated[
        FilePath | None,
        Meta(
            description="A file of rules: [[rule]] tables in a .toml file, or the "
            "W3C's metadata for tabular data in a .json file."
        ),
    ] = None
    form: Annotated[tuple[FormTerms, ...], FORM] = ()

    def __post_init__(self) -> None:
        """Refuse terms without any rule."""
        if not self._in_short() and not self.rule and self.rules is None:
            raise BadTerms(
                "there is no rule to check.",
                "Give `required`, `allowed`, `unique`, `holds`, `rule` or `rules`.",
                term="required",
            )
        for condition in self.holds:
            with said_by("holds"):
                parse(condition)

    def _in_short(self) -> list[tuple[str, Rule]]:
        severity, message = self.severity, self.message
        with said_by("message"):
            found: list[tuple[str, Rule]] = [
                *(
                    ("required", Rule(field=field, required=True, message=message))
                    for field in self.required
                ),
                *(
                    ("allowed", Rule(field=field, allowed=values, message=message))
                    for field, values in self.allowed.items()
                ),
            ]
            if self.unique:
                found.append(("unique", Rule(key=self.unique, message=message)))
            found += [
                ("holds", Rule(holds=Formula(each), message=message))
                for each in self.holds
            ]
        return [(term, _with_severity(rule, severity)) for term, rule in found]

    def lists_named(self, files: Mapping[str, bytes | None]) -> tuple[str, ...]:
        """Return the lists that rules name, those in a file of rules too."""
        named = super().lists_named(files)
        if self.rules is not None:
            named += lists_named_in(self.rules, files[self.rules] or b"")
        return tuple(dict.fromkeys(named))

    def stated(
        self,
        files: Mapping[str, bytes | None],
        name: str = "",
        headings: Sequence[str] | None = None,
    ) -> Stated:
        """
        Return every rule with the term that states it; those in short come first.

        Parameters
        ----------
        files : mapping
            What is in the files that the terms name.
        name, headings
            Of the list that the rules are for; see `rules_in_file`.
        """
        in_file = RuleSet(())
        if self.rules is not None:
            data = files[self.rules] or b""
            in_file = rules_in_file(self.rules, data, name, headings)
        rules = [
            *self._in_short(),
            *(("rule", rule) for rule in self.rule),
            *(("rules", _with_severity(rule, self.severity)) for rule in in_file.rules),
        ]
        return Stated(rules, (*self.form, *in_file.forms), in_file)


class Stated(NamedTuple):
    """The rules that terms state, and the forms of fields; see `RuleTerms.stated`."""

    rules: list[tuple[str, Rule]]
    forms: tuple[FormTerms, ...]
    in_file: RuleSet


def _with_severity(rule: Rule, severity: str) -> Rule:
    """Give a rule that has none of its own the severity of all."""
    if severity == "warn" or rule.severity != "warn":
        return rule
    return structs.replace(rule, severity=severity)


class FlagTerms(RuleTerms, frozen=True, kw_only=True):
    """The terms of `perform`."""

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


class Checked(NamedTuple):
    """
    What a list was checked against.

    Attributes
    ----------
    name : str
        Of the list.
    headings : tuple of str
    rules : tuple of Rule
    forms : tuple of FormTerms
    """

    name: str
    headings: tuple[str, ...]
    rules: tuple[Rule, ...]
    forms: tuple[FormTerms, ...]


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
    forms, said = forms_of(stated.forms, table, ())
    checking = Checking(table, forms, references or {})
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
    if not found and not unread:
        notes.append(_all_kept(stated, len(table)))
    return Outcome(
        result,
        aside,
        findings=(*(each.finding for each in found), *unread),
        notes=tuple(notes),
        detail=Checked(
            table.name,
            table.headings,
            tuple(rule for _, rule in rules),
            stated.forms,
        ),
    )


def _all_kept(stated: Stated, n: int) -> Note:
    rules = (
        "1 rule was" if len(stated.rules) == 1 else f"{len(stated.rules)} rules were"
    )
    records = "1 record" if n == 1 else f"{n} records"
    return Note(f"{rules} checked on {records}, and nothing was found.")


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
    if finding.said is None and finding.nearest is None:
        return [finding.message], np.zeros(len(finding.origin), np.int64)
    said, codes = distinct(finding.messages)
    if finding.nearest is None:
        return said, codes
    nearest, more = distinct(finding.nearest)
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
            aside.append(SetAside(finding.message, table.filter(fresh)))
            out |= fresh
    return (table.filter(~out), tuple(aside)) if aside else (table, ())
