"""How the progress of a step is drawn: what it is, how much is done, how long it is."""

from __future__ import annotations

import datetime
import math
import sys
import time

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

# Of less than this nothing can be said about the rest.
_LEAST_SHARE = 0.02

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
        taken = time.monotonic() - task.fields["began"]
        if not task.total:
            return Text(_clock(int(taken)))
        share = task.completed / task.total
        if share < _LEAST_SHARE:
            return Text("")
        return Text(f"{_clock(math.ceil(taken / share - taken))} left")


def _clock(seconds: int) -> str:
    return str(datetime.timedelta(seconds=seconds)).removeprefix("0:")


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
