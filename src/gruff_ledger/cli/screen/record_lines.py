"""A list as lines: a line for each field of each record."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

import numpy as np
from rich import box
from rich.console import Group, RenderableType
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.words import SourcePlaces
from gruff_ledger.table import Table
from gruff_ledger.words import counted, visible

# Records that are laid out as lines, at the most: more are not read on a screen.
_MOST_DOWN = 200


def record_lines(table: Table, width: int, sources: SourcePlaces) -> RenderableType:
    """Lay out records, each as a line a field below where it stands."""
    return Group(*_cards(table, width, sources))


def _cards(table: Table, width: int, sources: SourcePlaces) -> Iterator[RenderableType]:
    headings = [visible(heading) for heading in table.headings]
    records = table.records(0, _MOST_DOWN)
    places = table.places.pick(np.arange(len(records)))
    for number, record in enumerate(islice(records, len(records))):
        source, place = int(places.source[number]), int(places.record[number])
        card = ScreenTable(
            ScreenColumn(
                sources.tell(source, place),
                style="bold",
                overflow="fold",
                max_width=width // 3,
            ),
            ScreenColumn("", overflow="fold"),
            box=box.SIMPLE_HEAD,
            pad_edge=False,
            header_style="",
        )
        for heading, cell in zip(headings, record, strict=True):
            card.add_row(Text(heading), Text(visible(cell)))
        yield card
    if len(table) > len(records):
        yield Text(counted(len(table) - len(records), "more record"))
