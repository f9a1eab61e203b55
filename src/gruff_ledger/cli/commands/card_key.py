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


def ask_for_key(
    address: str,
    given: Mapping[str, Any],
    do: Callable[[str, str, Mapping[str, Any]], Run],
) -> Mapping[str, Any]:
    """
    Let a person choose a key from those of a list, if none is given.

    Parameters
    ----------
    address : str
    given : mapping
        The options of the card.
    do : callable
        Does the work of a verb on an address, as the options that it is given say.

    Returns
    -------
    mapping
        The options, with the values of the key; as they were, without a terminal.

    Raises
    ------
    click.Abort
        If the person leaves.
    """
    is_asked = not given.get("value") and all(
        stream.isatty() for stream in (sys.stdin, sys.stdout)
    )
    if not is_asked:
        return given
    fields = parse_key_fields(terms_from(CardTerms, given).key, "key")
    names = tuple(f'"{field.name}"' for field in fields)
    asked = {**given, "by": names, "order": "value", "over": None, "match": None}
    done = do("count", address, asked)
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
    return {**given, "value": list(keys[at])}
