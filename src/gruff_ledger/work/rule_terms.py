"""Rules as terms state them: in short, as tables, or in a file of rules."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal, NamedTuple

from msgspec import Meta, structs

from gruff_ledger.formula.forms import FORM, FormTerms
from gruff_ledger.formula.parse import parse
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.rules.files import RuleSet, lists_named_in, rules_in_file
from gruff_ledger.rules.rule import MESSAGE, SEVERITY, Rule
from gruff_ledger.terms.declared import FilePath, Formula, Terms, Text


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
            *(("rule", _with_severity(rule, self.severity)) for rule in self.rule),
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
    return structs.replace(rule, severity=rule.severity or severity)
