"""What the calls of scripts have in common: terms, problems, numbers of sources."""

from __future__ import annotations

import functools
import itertools
from collections.abc import Callable, Mapping
from typing import Any, ParamSpec, TypeVar

from gruff_ledger.field_names import free_heading
from gruff_ledger.problems import BadTerms, Problem, nearest_or_all
from gruff_ledger.speakers import PYTHON
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import Terms
from gruff_ledger.terms.declared import read as read_terms
from gruff_ledger.work.registry import VERBS
from gruff_ledger.work.verb import Verb

T = TypeVar("T", bound=Terms)
Asked = ParamSpec("Asked")
Answered = TypeVar("Answered")

# No two lists of a script have records of the same origin.
SOURCES = itertools.count()


def for_scripts(call: Callable[Asked, Answered]) -> Callable[Asked, Answered]:
    """Have problems name terms as the parameters that a script gives."""

    @functools.wraps(call)
    def called(*args: Asked.args, **more: Asked.kwargs) -> Answered:
        try:
            return call(*args, **more)
        except Problem as problem:
            problem.said_to(PYTHON)
            raise

    return called


def find_verb(name: str) -> Verb:
    """Return the verb of a name, or raise a problem with the nearest."""
    if name not in VERBS:
        raise BadTerms(
            f"there is no verb '{name}'.", nearest_or_all(name, VERBS, "verbs")
        )
    return VERBS[name]


def check_count(verb: Verb, count: int) -> None:
    """Refuse several lists for a verb that takes one."""
    if count > 1 and not verb.several:
        raise BadTerms(
            f"{verb.name} works on one list, and {count} are given.",
            "Merge them first, or give one.",
        )
    if not count and verb.needs_list:
        raise BadTerms(f"{verb.name} works on a list, and none is given.", "Give one.")


def terms_of(declared: type[T], said: Mapping[str, Any]) -> T:
    """Make terms of keywords, whose names have underscores for hyphens."""
    given = {key.rstrip("_").replace("_", "-"): each for key, each in said.items()}
    return read_terms(
        declared,
        {
            key: list(each) if isinstance(each, tuple) else each
            for key, each in given.items()
            if each is not None
        },
    )


def part_tables(
    terms: Mapping[str, Any],
) -> tuple[dict[str, Any], dict[str, Table]]:
    """Name the tables among terms, as terms name lists."""
    said: dict[str, Any] = {}
    references: dict[str, Table] = {}
    for key, each in terms.items():
        if isinstance(each, Table):
            name = free_heading(each.name, references)
            references[name] = each
            said[key] = name
        else:
            said[key] = each
    return said, references
