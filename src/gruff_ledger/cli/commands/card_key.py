"""Choosing the key of a card on a terminal, where none is given."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping
from typing import Any

import click

from gruff_ledger.cli.options import terms_from
from gruff_ledger.cli.screen.choose import choose
from gruff_ledger.cli.screen.paragraphs import screen
from gruff_ledger.job.engine import Run
from gruff_ledger.work.keys.fields import parse_key_fields
from gruff_ledger.work.together.card.terms import CardTerms


def can_choose(given: Mapping[str, Any]) -> bool:
    """Tell whether a key is to be chosen: none is given, and there is a terminal."""
    return not given.get("value") and all(
        stream.isatty() for stream in (sys.stdin, sys.stdout)
    )


def chosen_values(
    given: Mapping[str, Any], count: Callable[[Mapping[str, Any]], Run]
) -> list[str]:
    """
    Let a person choose a key from those of a list.

    Parameters
    ----------
    given : mapping
        The options of the card.
    count : callable
        Counts the values of the list, as the options that it is given say.

    Raises
    ------
    click.Abort
        If the person leaves.
    """
    fields = parse_key_fields(terms_from(CardTerms, given).key, "key")
    names = tuple(f'"{field.name}"' for field in fields)
    done = count({**given, "by": names, "order": "value", "over": None, "match": None})
    assert done.result is not None
    keys = [
        record[: len(fields)]
        for record in done.result.records()
        if all(cell.strip() for cell in record[: len(fields)])
    ]
    texts = [" / ".join(key) for key in keys]
    title = " / ".join(field.name for field in fields)
    at = choose(screen(sys.stdout), texts, f"{title}:")
    if at is None:
        raise click.Abort
    return list(keys[at])
