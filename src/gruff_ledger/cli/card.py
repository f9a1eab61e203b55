"""A card on the screen, and choosing its key where none is given."""

from __future__ import annotations

import sys
from collections.abc import Mapping, Sequence
from typing import Any

import click
from rich import box
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.cli.choose import choose
from gruff_ledger.cli.show import screen
from gruff_ledger.cli.words import visible
from gruff_ledger.docket.engine import run
from gruff_ledger.table import Table
from gruff_ledger.work.registry import VERBS


def can_choose(given: Mapping[str, Any]) -> bool:
    """Tell whether a key is to be chosen: none is given, and there is a terminal."""
    return not given.get("value") and all(
        stream.isatty() for stream in (sys.stdin, sys.stdout)
    )


def chosen_values(addresses: Sequence[str], given: Mapping[str, Any]) -> list[str]:
    """
    Let a person choose a key from those of a list.

    Raises
    ------
    click.Abort
        If the person leaves.
    """
    from gruff_ledger.cli.options import terms_from
    from gruff_ledger.cli.verb import job_of_verb
    from gruff_ledger.work.card import CardTerms
    from gruff_ledger.work.keyfields import parse_key_fields

    fields = parse_key_fields(terms_from(CardTerms, given).key, "key")
    names = tuple(f'"{field.name}"' for field in fields)
    asked = {**given, "by": names, "order": "value", "over": None, "match": None}
    done = run(job_of_verb(VERBS["count"], addresses, asked), keep_result=True)
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


def card_view(table: Table, width: int) -> ScreenTable:
    """Lay out a card: a line for each field, nothing cut off."""
    records = len(table.headings) - 1
    view = ScreenTable(
        ScreenColumn("", style="bold", overflow="fold", max_width=max(12, width // 3)),
        *(
            ScreenColumn(Text(visible(heading)), overflow="fold")
            for heading in table.headings[1:]
        ),
        box=box.SIMPLE_HEAD if records > 1 else box.SIMPLE,
        show_header=records > 1,
        pad_edge=False,
    )
    for record in table.records():
        view.add_row(*(Text(visible(cell)) for cell in record))
    return view
