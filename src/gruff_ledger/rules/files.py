"""Files of rules: in TOML, or the W3C's metadata for tabular data in JSON."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Annotated, NamedTuple

import msgspec
from msgspec import Meta

from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms, toml_fault
from gruff_ledger.rules.rule import Rule
from gruff_ledger.rules.w3c_reading import Described, describe_tables, rules_of_tables
from gruff_ledger.terms.declared import Examples, Terms, read

RULES_VERSION = 1


class RuleSet(NamedTuple):
    """
    Rules, and what they say of a list.

    Attributes
    ----------
    rules : tuple of Rule
    written : dict of str to tuple of str
        How its fields are written, by examples.
    fields : tuple of str
        The headings that it should have, where that is said.
    notes : tuple of Note
    """

    rules: tuple[Rule, ...]
    written: Mapping[str, tuple[str, ...]] = MappingProxyType({})
    fields: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()


class RulesFileTerms(Terms, frozen=True, kw_only=True):
    """A file of rules in TOML."""

    rules: Annotated[int, Meta(description="The version of the file's layout: 1.")]
    title: Annotated[str, Meta(description="What the rules are for.")] = ""
    fields: Annotated[
        tuple[str, ...],
        Meta(description="The headings of such a list, in order; for `form`."),
    ] = ()
    rule: Annotated[tuple[Rule, ...], Meta(description="The rules.")] = ()
    written: Annotated[
        dict[str, Examples],
        Meta(
            description="How the numbers or dates of a field are written, by example; "
            "what is said of a list itself comes first."
        ),
    ] = msgspec.field(default_factory=dict)


def lists_named_in(path: str, data: bytes) -> tuple[str, ...]:
    """
    Return the addresses of lists that a file of rules names.

    Raises
    ------
    BadTerms
        If it is no file of rules.
    """
    if _is_json(path):
        described = describe_tables(path, _json(path, data))
        named = [
            rule.allowed_from for table in described for rule in table.rules_with_lists
        ]
    else:
        named = [rule.allowed_from for rule in _toml(path, data).rule]
    return tuple(dict.fromkeys(each for each in named if each is not None))


def rules_in_file(
    path: str, data: bytes, name: str = "", headings: Sequence[str] | None = None
) -> RuleSet:
    """
    Read a file of rules.

    Parameters
    ----------
    path : str
        As the person wrote it; its ending tells which kind of file it is.
    data : bytes
    name : str
        Of the list that the rules are for: a file of the W3C's can describe several.
    headings : sequence of str, optional
        Of that list, where there is one.

    Raises
    ------
    BadTerms
        If it is no file of rules, or has none for the list.
    """
    if _is_json(path):
        described = describe_tables(path, _json(path, data))
        table, notes = rules_of_tables(path, described, name, headings)
        return _of_description(table, notes)
    terms = _toml(path, data)
    return RuleSet(terms.rule, terms.written, terms.fields)


def _of_description(table: Described, notes: tuple[Note, ...]) -> RuleSet:
    return RuleSet(tuple(table.rules), table.written, tuple(table.fields), notes)


def _is_json(path: str) -> bool:
    return path.lower().endswith(".json")


def _json(path: str, data: bytes) -> object:
    try:
        return msgspec.json.decode(data.removeprefix(b"\xef\xbb\xbf"))
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise _bad(path, f"it is not JSON: {str(error).rstrip('.')}.") from error


def _toml(path: str, data: bytes) -> RulesFileTerms:
    try:
        said = tomllib.loads(data.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        raise _bad(path, "it is not written in UTF-8, as TOML must be.") from error
    except RecursionError as error:
        raise _bad(path, "its tables are nested too deeply.") from error
    except ValueError as error:
        raise _bad(path, toml_fault(error)) from error
    try:
        terms = read(RulesFileTerms, said)
    except BadTerms as problem:
        where = f"'{problem.term}': " if problem.term else ""
        raise _bad(path, f"{where}{problem.what}", problem.remedy) from problem
    if terms.rules != RULES_VERSION:
        raise _bad(
            path,
            f"its layout is version {terms.rules}; this program knows {RULES_VERSION}.",
            f"Write rules = {RULES_VERSION}, or use a newer program.",
        )
    return terms


def _bad(path: str, what: str, remedy: str = "Correct it.") -> BadTerms:
    return BadTerms(f"{path}: {what}", remedy, term="rules")
