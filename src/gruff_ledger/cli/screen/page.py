"""What is shown of a verb's run on a screen: a table, unless the verb declares more.

A verb names a class of this kind in its declaration (`Verb.page`), as ``module:name``;
it is imported where a result is shown.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from gruff_ledger.cli.screen.remarks import page_lines
from gruff_ledger.speakers import COMMAND

if TYPE_CHECKING:
    from rich.console import RenderableType

    from gruff_ledger.job.engine import Run


class Page:
    """
    What is shown of a run.

    Attributes
    ----------
    tells_balance : bool
        Whether the summary says that the account balances.
    has_remarks : bool
        Whether its view has the remarks in it, which are then not said again.
    shows_found_only : bool
        Whether a table of its result shows only records with findings.
    """

    tells_balance = True
    has_remarks = False
    shows_found_only = False

    def view(self, run: Run, width: int) -> RenderableType | None:
        """Lay the result out for a window of that width; None for a table."""
        return None

    def facts(self, run: Run) -> object | None:
        """Return what ``--json`` gives; None for the account."""
        return None

    def remark_lines(self, run: Run, *, more: bool) -> Iterator[str]:
        """Yield what the work came to, what needs attention, and how it was read."""
        yield from page_lines(run.account, speaker=COMMAND, more=more)


def page_of(place: str) -> Page:
    """Return the page that a verb declares; an empty place means a table."""
    if not place:
        return Page()
    import importlib

    module, _, name = place.partition(":")
    page: Any = getattr(importlib.import_module(module), name)()
    assert isinstance(page, Page)
    return page
