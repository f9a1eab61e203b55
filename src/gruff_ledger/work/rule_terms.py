"""Rules as terms state them: in short, as tables, or in a file of rules."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, Literal, NamedTuple

from msgspec import Meta, structs

from gruff_ledger.formula.parse import parse
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.rules.files import RuleSet, lists_named_in, rules_in_file
from gruff_ledger.rules.rule import MESSAGE, SEVERITY, Level, Rule
from gruff_ledger.terms.declared import (
    FilePath,
    Formula,
    Heading,
    ListAddress,
    Plain,
    Terms,
    Text,
)


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
    allowed_from: Annotated[
        dict[str, ListAddress],
        Meta(description="For a field, the list whose values its cells may have."),
    ] = {}  # noqa: RUF012
    minimum: Annotated[
        dict[str, Plain],
        Meta(description="For a field, the least number or date that its cells hold."),
    ] = {}  # noqa: RUF012
    maximum: Annotated[
        dict[str, Plain],
        Meta(description="For a field, the greatest number or date."),
    ] = {}  # noqa: RUF012
    like: Annotated[
        dict[str, Plain],
        Meta(
            description="For a field, a value that shows how all are written: a letter "
            "stands for a letter, a figure for a figure, as in Berth=N-01."
        ),
    ] = {}  # noqa: RUF012
    match: Annotated[
        Level,
        Meta(
            description="When a value is an allowed one, or the same as another; as "
            "for keys."
        ),
    ] = "exact"
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

    def __post_init__(self) -> None:
        """Refuse terms without any rule."""
        if not self._in_short() and not self.rule and self.rules is None:
            raise BadTerms(
                "there is no rule to check.",
                "Give `required`, `allowed`, `allowed-from`, `minimum`, `maximum`, "
                "`like`, `unique`, `holds`, `rule` or `rules`.",
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
                    (
                        "allowed",
                        Rule(
                            field=field,
                            allowed=values,
                            match=self.match,
                            message=message,
                        ),
                    )
                    for field, values in self.allowed.items()
                ),
            ]
            if self.unique:
                rule = Rule(key=self.unique, match=self.match, message=message)
                found.append(("unique", rule))
            found += [
                ("holds", Rule(holds=Formula(each), message=message))
                for each in self.holds
            ]
        found += self._of_values()
        return [(term, _with_severity(rule, severity)) for term, rule in found]

    def _of_values(self) -> Iterator[tuple[str, Rule]]:
        """Yield the rules on lists, bounds and forms, each with its term."""
        message = self.message
        for field, said in self.allowed_from.items():
            theirs, address = _field_and_list(said)
            named = {field: Heading(theirs)} if theirs else {}
            yield (
                "allowed-from",
                Rule(
                    field=field,
                    allowed_from=ListAddress(address),
                    named=named,
                    match=self.match,
                    message=message,
                ),
            )
        for field, bound in self.minimum.items():
            yield "minimum", Rule(field=field, minimum=bound, message=message)
        for field, bound in self.maximum.items():
            yield "maximum", Rule(field=field, maximum=bound, message=message)
        for field, example in self.like.items():
            says = message or f"{field} is not written like {example}."
            yield "like", Rule(field=field, pattern=like_pattern(example), message=says)

    def lists_named(self, files: Mapping[str, bytes | None]) -> tuple[str, ...]:
        """Return the lists that rules name, those in a file of rules too."""
        named = super().lists_named(files)
        named += tuple(_field_and_list(said)[1] for said in self.allowed_from.values())
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
        return Stated(rules, in_file)


class Stated(NamedTuple):
    """The rules that terms state, and what a file says; see `RuleTerms.stated`."""

    rules: list[tuple[str, Rule]]
    in_file: RuleSet


def _field_and_list(said: str) -> tuple[str, str]:
    """Return the field and the list of ``Code IN tariff.csv``; the list alone else."""
    match = re.fullmatch(r"(.+?)\s+IN\s+(.+)", said.strip())
    return (match[1].strip('"'), match[2]) if match else ("", said.strip())


def like_pattern(example: str) -> str:
    r"""
    Return the pattern (RE2) of what is written like an example.

    Examples
    --------
    >>> print(like_pattern("Nb-01"))
    \p{Lu}\p{Ll}-[0-9]{2}
    """
    parts: list[list[str]] = []
    for mark in example:
        kind = f"\\{mark}" if mark in ".^$|?*+()[]{}\\" else mark
        if mark.isdigit():
            kind = "[0-9]"
        elif mark.isalpha():
            kind = r"\p{Lu}" if mark.isupper() else r"\p{Ll}"
            kind = kind if mark.isupper() or mark.islower() else r"\pL"
        if parts and parts[-1][0] == kind:
            parts[-1].append(kind)
        else:
            parts.append([kind])
    return "".join(
        run[0] if len(run) == 1 else f"{run[0]}{{{len(run)}}}" for run in parts
    )


def _with_severity(rule: Rule, severity: str) -> Rule:
    """Give a rule that has none of its own the severity of all."""
    return structs.replace(rule, severity=rule.severity or severity)
