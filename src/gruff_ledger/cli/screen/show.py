"""The page that `show` shows: a table, or each record as lines."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

import numpy as np
from rich import box
from rich.console import Console, Group, RenderableType
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.words import SourcePlaces, source_places
from gruff_ledger.cli.screen.listing import Window, records_in
from gruff_ledger.cli.screen.page import Page
from gruff_ledger.job.engine import Run
from gruff_ledger.table import Table
from gruff_ledger.words import counted, visible

# Records that are laid out as lines, at the most: more are not read on a screen.
_MOST_DOWN = 200


class ShowPage(Page):
    """The page of a list that is looked at."""

    def view(self, run: Run, window: Window) -> RenderableType:
        """Lay records out as lines, where that was asked for."""
        if run.result is None or not run.detail.is_down:
            return super().view(run, window)
        places = source_places(run.account.sources)
        return Group(*_cards(run.result, window.width, places))

    def look_through(self, run: Run, console: Console) -> bool:
        """Let a person look through a list of more records than fit."""
        table = run.result
        window = Window(console.width, console.height)
        if table is None or run.detail.is_down or len(table) <= records_in(window):
            return False
        from gruff_ledger.cli.screen.pager import look_through

        look_through(console, table)
        return True


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
