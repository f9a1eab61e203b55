"""The pages of verbs that show more than a table of their result, or other records.

What draws them takes longer to load than a small job takes: it is, where a page is
looked at.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from gruff_ledger.account.words import source_places
from gruff_ledger.cli.screen.page import Page

if TYPE_CHECKING:
    from rich.console import Console, RenderableType

    from gruff_ledger.cli.screen.listing import Window
    from gruff_ledger.job.engine import Run


class ShowPage(Page):
    """The page of a list that is looked at: a table, or each record as lines."""

    def view(self, run: Run, window: Window) -> RenderableType:
        """Lay records out as lines, where that was asked for."""
        if run.result is None or not run.detail.is_down:
            return super().view(run, window)
        from gruff_ledger.cli.screen.record_lines import record_lines

        places = source_places(run.account.sources)
        return record_lines(run.result, window.width, places)

    def look_through(self, run: Run, console: Console) -> bool:
        """Let a person look through a list of more records than fit."""
        from gruff_ledger.cli.screen.listing import Window, records_in

        table = run.result
        window = Window(console.width, console.height)
        if table is None or run.detail.is_down or len(table) <= records_in(window):
            return False
        from gruff_ledger.cli.screen.pager import look_through

        look_through(console, table)
        return True


class ChangesPage(Page):
    """The page of a list whose cells were put right: what they were, and are now."""

    def view(self, run: Run, window: Window) -> RenderableType:
        """Lay out the changes of each field, those that are alike once."""
        changes = run.account.entries[-1].changes if run.account.entries else ()
        if not any(len(each.origin) for each in changes):
            return super().view(run, window)
        from gruff_ledger.cli.screen.changes import changes_view

        return changes_view(changes, source_places(run.account.sources), window)


class FlagPage(Page):
    """The page of a list that was checked: the clean records are only counted."""

    picks = "found"


class LookupPage(Page):
    """The page of a list that was filled in: what was found, and what was not."""

    picks = "both"
