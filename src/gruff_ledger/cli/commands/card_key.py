"""Choosing the key of a card on a terminal, where none is given."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import click
from rich.cells import cell_len

from gruff_ledger.cli.options import terms_from
from gruff_ledger.cli.screen.choose import choose
from gruff_ledger.cli.screen.paragraphs import screen
from gruff_ledger.job.engine import Run
from gruff_ledger.table import Table
from gruff_ledger.work.keys.fields import parse_key_fields
from gruff_ledger.work.together.card.terms import CardTerms

# The options of `show` by which it hands over all records.
_WHOLE = {
    "fields": (),
    "records": (),
    "first": None,
    "last": None,
    "sample": None,
    "down": False,
}

# A key is padded so that what stands beside it is below each other, up to this width.
_KEY_WIDTH = 28

_TRIED_RECORDS = 500


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
    listed = do("show", address, {**given, **_WHOLE}).result
    assert listed is not None
    texts = texts_of_keys(keys, listed, [field.name for field in fields])
    title = " / ".join(field.name for field in fields)
    at = choose(screen(sys.stdout), texts, f"{title}:")
    if at is None:
        raise click.Abort
    return {**given, "value": list(keys[at])}


def texts_of_keys(
    keys: Sequence[tuple[str, ...]], table: Table, fields: Sequence[str]
) -> list[str]:
    """
    Return what is shown of each key: it, and what tells a person whose it is.

    That is the first other field that is filled for the most part, and differs: of the
    first record with the key.
    """
    texts = [" / ".join(key) for key in keys]
    named = {name.casefold() for name in fields}
    own = [
        heading
        for name in fields
        for heading in table.headings
        if heading.casefold() == name.casefold()
    ]
    beside = next(
        (
            heading
            for heading in table.headings
            if heading.casefold() not in named and _tells(table, heading)
        ),
        None,
    )
    if beside is None or len(own) != len(fields):
        return texts
    first: dict[tuple[str, ...], str] = {}
    columns = [table.cells(heading).to_pylist() for heading in own]
    for *key, cell in zip(*columns, table.cells(beside).to_pylist(), strict=True):
        if cell.strip():
            first.setdefault(tuple(key), cell)
    width = min(_KEY_WIDTH, max(map(cell_len, texts), default=0))
    return [
        f"{text}{' ' * (width - cell_len(text))}   {first.get(key, '')}".rstrip()
        for text, key in zip(texts, keys, strict=True)
    ]


def _tells(table: Table, heading: str) -> bool:
    """Whether a field is filled for the most part, and not always the same."""
    cells = table.cells(heading).slice(0, _TRIED_RECORDS).to_pylist()
    filled = [cell for cell in cells if cell.strip()]
    return 2 * len(filled) > len(cells) and len(set(filled)) > 1
