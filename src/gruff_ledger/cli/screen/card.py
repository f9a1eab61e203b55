"""The page that `card` shows: one record, a line for each field."""

from __future__ import annotations

from rich import box
from rich.console import RenderableType
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.cli.screen.listing import Window
from gruff_ledger.cli.screen.page import Page
from gruff_ledger.job.engine import Run
from gruff_ledger.words import visible


class CardPage(Page):
    """The page of a card: it is read what it says, and not what was not looked at."""

    tells_balance = False

    def view(self, run: Run, window: Window) -> RenderableType:
        """Lay out a card that goes down, with nothing cut off."""
        width = window.width
        table = run.result
        assert table is not None
        if table.headings[0] != "field":
            return super().view(run, window)
        records = len(table.headings) - 1
        first = ScreenColumn(
            "", style="bold", overflow="fold", max_width=max(12, width // 3)
        )
        others = [
            ScreenColumn(Text(visible(heading)), overflow="fold")
            for heading in table.headings[1:]
        ]
        view = ScreenTable(
            first,
            *others,
            box=box.SIMPLE_HEAD if records > 1 else box.SIMPLE,
            show_header=records > 1,
            pad_edge=False,
        )
        for record in table.records():
            view.add_row(*(Text(visible(cell)) for cell in record))
        return view
