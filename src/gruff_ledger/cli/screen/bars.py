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
    TextColumn,
)
from rich.text import Text
from rich.theme import Theme

from gruff_ledger.cli.screen.paragraphs import screen

_BAR_CELLS = 24

# Colour is for what needs attention; this needs none.
_PLAIN = Theme({"progress.spinner": "none"})


class _Share(ProgressColumn):
    """How much is done, of how much; nothing where that is unknown."""

    def render(self, task: Task) -> Text:
        if task.total is None:
            return Text(_size(task.completed) if task.completed else "")
        whole = f" of {_size(task.total)}" if task.fields["in_bytes"] else ""
        return Text(f"{task.percentage:.0f}%{whole}")


def _size(count: float) -> str:
    return f"{count / 1e6:.0f} MB" if count >= 1e6 else f"{count / 1e3:.0f} kB"


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
        _Share(),
        _Time(),
        console=console,
        transient=True,
    )
