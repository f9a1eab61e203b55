"""From declared terms to the options of a command, and back to terms.

Every check is made by `gruff_ledger.terms.declared.read`, as for dockets; the kind of a
term takes text apart into the values that a docket would hold.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Container, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

import click

from gruff_ledger.lists.address import is_server
from gruff_ledger.lists.memory_terms import RoomTerms
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.problems import BadTerms, Problem
from gruff_ledger.speakers import COMMAND
from gruff_ledger.terms.declared import Term, Terms, describe, read

T = TypeVar("T", bound=Terms)
P = TypeVar("P", bound=Problem)


class OutputPath(click.ParamType):  # type: ignore[type-arg]
    """
    The path of a file to be written.

    Parameters
    ----------
    tables : bool
        Whether it may be the address of a table on a server too, which stays text.
    """

    name = "path"

    def __init__(self, *, tables: bool = False) -> None:
        self._tables = tables

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: Any
    ) -> Path | str:
        """Return the path; one that can only be a folder's is refused."""
        text = str(value)
        if is_server(text):
            if not self._tables:
                self.fail("a database is named where a file is meant.", param, ctx)
            return text
        if not text or text.endswith(("/", os.sep)):
            self.fail(f"'{text}' names no file.", param, ctx)
        if text == "-":
            self.fail(
                "'-' names no file. To write to standard output, leave --to out.",
                param,
                ctx,
            )
        return Path(text)


def complete_address(
    ctx: click.Context, param: click.Parameter, incomplete: str
) -> list[Any]:
    """Return what an address could go on with: a path, a tab, a table."""
    from gruff_ledger.cli.completion import addresses

    return addresses(incomplete)


class _Completed(click.types.StringParamType):
    """Text that a shell can complete; see `gruff_ledger.cli.completion`."""

    def __init__(self, metavar: str, key: str, choices: Sequence[str]) -> None:
        self._metavar, self._key, self._choices = metavar, key, choices

    def shell_complete(
        self, ctx: click.Context, param: click.Parameter, incomplete: str
    ) -> list[Any]:
        """Return what the text could be."""
        from gruff_ledger.cli.completion import completed

        reading = None
        with contextlib.suppress(Problem):
            names = renamed_reading(ctx.params)
            reading = terms_from(ReadingTerms, ctx.params, names)
        value = (self._metavar, self._key, self._choices)
        return completed(ctx, *value, incomplete, reading)


# Where the kind says too little.
_PLACEHOLDERS = {
    "null": "WORD",
    "where": "CONDITION",
    "holds": "CONDITION",
    "of": "FIELD",
    "message": "MESSAGE",
    "by": "FIELD, …",
    "band": "FIELD=FIELD",
    "across": "FIELD",
    "sort": "FIELD, …",
    "corner": "HEADING",
    "name-source": "HEADING",
    "status": "HEADING",
    "default": "FIELD=VALUE",
    "encoding": "NAME",
    "field": "FIELD",
    "after": "FIELD",
    "parts": "HEADING, …",
    "heading": "HEADING",
    "number": "PATTERN",
    "date": "PATTERN",
    "pattern": "PATTERN",
    "template": "TEMPLATE",
    "kept": "DIR",
    "time-limit": "SECONDS",
    "size-limit": "MB",
    "delimiter": "CHARACTER",
    "memory": "SIZE",
    "scratch": "DIR",
}

_EXAMPLES = {
    "rule": " As in --{key} 'field=\"boat\", required=true'. May be repeated.",
    "form": ' As in --{key} \'fields=["fee"], decimal=","\'. May be repeated.',
    "map": ' As in --{key} "N. Pier=North pier". May be repeated.',
    "after": ' As in --{key} "Berth=Boat". May be repeated.',
    "default": ' As in --{key} "Rate=0". May be repeated.',
}


def options_of(
    declared: type[Terms], renamed: Mapping[str, str] = {}
) -> list[click.Option]:
    """
    Return an option for each term of a type.

    Parameters
    ----------
    declared : type of Terms
    renamed : mapping, optional
        Other names for the options of some terms, by key.
    """
    return [
        _option(term, renamed.get(term.key, term.key)) for term in describe(declared)
    ]


def _option(term: Term, key: str) -> click.Option:
    kind = term.kind
    text = COMMAND.said(term.description)
    if kind.example:
        example = _EXAMPLES.get(term.key, kind.example)
        text = text.rstrip(".") + "." + example.format(key=key)
    if term.default not in (None, (), {}, False):
        text = f"{text} [default: {term.default}]"
    names = [f"--{key}", _attribute(term, key)]
    if kind.is_flag:
        return click.Option(names, is_flag=True, help=text)
    placeholder = kind.placeholder
    # `after` names one field, or a field for each field.
    if not (kind.choices or (term.key == "after" and kind.is_repeated)):
        placeholder = _PLACEHOLDERS.get(term.key, placeholder)
    return click.Option(
        names,
        metavar=placeholder,
        multiple=kind.is_repeated,
        help=text,
        type=_Completed(placeholder, term.key, kind.choices),
    )


def _attribute(term: Term, key: str) -> str:
    return term.attribute if key == term.key else key.replace("-", "_")


def renamed_reading(given: Container[str]) -> dict[str, str]:
    """
    Return the names of the options on reading that are called otherwise in a command.

    They are where a verb has a term of the same name, such as the widths of `split`.

    Parameters
    ----------
    given : container of str
        The attributes of the command's options.
    """
    keys = [term.key for term in describe(ReadingTerms)]
    return {key: f"list-{key}" for key in keys if f"list_{key}" in given}


def terms_from(
    declared: type[T], given: Mapping[str, Any], renamed: Mapping[str, str] = {}
) -> T:
    """
    Make terms of what the options of a command hold.

    Parameters
    ----------
    declared : type of Terms
    given : mapping
        By attribute, as Click gives them; other keys are passed over.
    renamed : mapping, optional
        As for `options_of`.

    Raises
    ------
    BadTerms
    """
    said = {}
    for term in describe(declared):
        value = given.get(_attribute(term, renamed.get(term.key, term.key)))
        if value is not None and value != () and value is not False:
            try:
                said[term.key] = term.kind.of_option(value)
            except BadTerms as problem:
                problem.term = term.key
                raise with_options_named(problem, renamed) from None
    try:
        return read(declared, said)
    except BadTerms as problem:
        raise with_options_named(problem, renamed) from None


def with_options_named(problem: P, renamed: Mapping[str, str]) -> P:
    """Speak of a term by the name of its option."""
    for each in problem.every():
        if isinstance(each, BadTerms):
            each.term = renamed.get(each.term or "", each.term)
        for key, name in renamed.items():
            each.remedy = each.remedy.replace(f"`{key}`", f"`{name}`")
    return problem


def reading_words(said: Mapping[str, Any]) -> list[str]:
    """Return the options that say how a list is read, as they are typed."""
    words = []
    for key, value in said.items():
        text = ",".join(map(str, value)) if isinstance(value, list) else str(value)
        words += [f"--{key}"] if value is True else [f"--{key}", text]
    return words


def ledger_options() -> list[click.Option]:
    """Return the options that verbs and dockets share."""
    return [
        click.Option(
            ["--ledger"],
            type=click.Path(path_type=Path),
            metavar="DIR",
            help="Keep the ledger of this run in this folder.",
        ),
        click.Option(["--replace"], is_flag=True, help="Replace outputs that exist."),
        click.Option(
            ["--json", "as_json"],
            is_flag=True,
            help="Give the page as JSON on standard output: list, remarks and account.",
        ),
        click.Option(["--quiet"], is_flag=True, help="Give no summary."),
        click.Option(
            ["--more"],
            is_flag=True,
            help="Show all remarks, and how each list is written; of a docket, the "
            "whole account.",
        ),
        *options_of(RoomTerms),
    ]


def fetching_options() -> list[click.Option]:
    """Return the options on lists from a network, which verbs and dockets share."""
    return options_of(FetchTerms)
