"""How the progress of a step is drawn: what it is, how much is done, how long it is."""

from __future__ import annotations

import datetime
import sys

from rich.progress import (
    BarColumn,
    Progress,
    ProgressColumn,
    SpinnerColumn,
    Task,
    TaskProgressColumn,
    TextColumn,
)
from rich.text import Text
from rich.theme import Theme

from gruff_ledger.cli.screen.paragraphs import screen

_BAR_CELLS = 24

# Colour is for what needs attention; this needs none.
_PLAIN = Theme({"progress.percentage": "none", "progress.spinner": "none"})


class _Time(ProgressColumn):
    """How long the rest may take; or how long it has taken, where that is unknown."""

    def render(self, task: Task) -> Text:
        if task.total is None:
            return Text(_clock(task.elapsed or 0))
        left = task.time_remaining
        return Text("" if left is None else f"{_clock(left)} left")


def _clock(seconds: float) -> str:
    return str(datetime.timedelta(seconds=int(seconds))).removeprefix("0:")


def make_bars() -> Progress:
    """Return what draws the progress of steps on standard error, and removes it."""
    console = screen(sys.stderr)
    console.push_theme(_PLAIN)
    return Progress(
        SpinnerColumn(),
        TextColumn("{task.description}", markup=False),
        BarColumn(_BAR_CELLS, "grey74", "bold", "bold", "grey42"),
        TaskProgressColumn(),
        _Time(),
        console=console,
        transient=True,
    )
