"""What is shown of a verb's run on a screen: a table, unless the verb declares more.

A verb names a class of this kind in its declaration (`Verb.page`), as ``module:name``;
it is imported where a result is shown.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Literal

from gruff_ledger.account.words import source_places
from gruff_ledger.cli.screen.next_line import line_to_type
from gruff_ledger.cli.screen.remarks import page_lines
from gruff_ledger.speakers import COMMAND

if TYPE_CHECKING:
    from rich.console import Console, RenderableType

    from gruff_ledger.account.ledger import Account
    from gruff_ledger.cli.screen.listing import Window
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
    picks : str
        Which records a table shows where not all fit; see `listing.ListTerms`.
    """

    tells_balance = True
    has_remarks = False
    picks: Literal["first", "found", "both"] = "first"

    def view(self, run: Run, window: Window) -> RenderableType:
        """Lay the result out for a window: as a table, of what the work is about."""
        from gruff_ledger.cli.screen.listing import ListTerms, list_view

        assert run.result is not None
        account = run.account
        terms = ListTerms(
            first=fields_of_work(account, run.result.headings),
            measured=run.measured,
            findings=[each for line in account.lines() for each in line.findings],
            places=source_places(account.sources),
            picks=self.picks,
        )
        return list_view(run.result, window, terms)

    def look_through(self, run: Run, console: Console) -> bool:
        """Let a person look through a result that does not fit; False for no such."""
        return False

    def facts(self, run: Run) -> object | None:
        """Return what ``--json`` has beside list and account; None for nothing."""
        return None

    def remark_lines(self, run: Run, *, more: bool, below: int) -> Iterator[str]:
        """Yield what the work came to, what needs attention, and how it was read."""
        yield from page_lines(
            run.account,
            speaker=COMMAND,
            more=more,
            below=below,
            line_to_type=line_to_type,
        )


def fields_of_work(account: Account, headings: Sequence[str]) -> tuple[str, ...]:
    """
    Return the fields of a list that the last entry used, made, changed or found.

    A field counts as used where its heading stands in one of the terms as a word: that
    may be one too many, and is only for what comes first on a screen.
    """
    if not account.entries:
        return ()
    entry = account.entries[-1]
    given = {
        heading
        for line in account.lines()
        if line.result in entry.facts["lists"]
        for heading in line.facts["headings"]
    }
    said = "\n".join(_texts_in(entry.facts["terms"]))
    touched = {change.field for change in entry.changes}
    touched |= {found.field for found in entry.findings}
    return tuple(
        heading
        for heading in headings
        if heading not in given
        or heading in touched
        or re.search(rf"(?<!\w){re.escape(heading)}(?!\w)", said)
    )


def _texts_in(value: Any) -> Iterator[str]:
    """Yield the texts of terms as an account has them, with the keys of tables."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, Mapping):
        for key, each in value.items():
            yield str(key)
            yield from _texts_in(each)
    elif isinstance(value, Sequence):
        for each in value:
            yield from _texts_in(each)


def page_of(place: str) -> Page:
    """Return the page that a verb declares; an empty place means a table."""
    if not place:
        return Page()
    import importlib

    module, _, name = place.partition(":")
    page: Any = getattr(importlib.import_module(module), name)()
    assert isinstance(page, Page)
    return page
