"""What a long run is doing, on one line that goes when the run ends."""

from __future__ import annotations

import sys
import threading
import time
from types import TracebackType
from typing import TYPE_CHECKING, NamedTuple, Self

from gruff_ledger.words import visible

if TYPE_CHECKING:
    from rich.progress import Progress as Bars

# Work that takes longer than this says what it is doing.
_QUIET_SECONDS = 1.0


class Progress:
    """
    Says what a long run is doing, where standard error is a terminal.

    It shows how much of a step is done and how long the rest may take; where a step
    cannot tell that, how long it has taken.

    Parameters
    ----------
    wanted : bool
        Whether anything may be shown.
    """

    class _Now(NamedTuple):
        """What is done, since when, and how much of how much, in bytes or parts."""

        step: str
        began: float
        done: float = 0
        total: int = 0
        in_bytes: bool = False

    def __init__(self, *, wanted: bool) -> None:
        self._wanted = wanted and sys.stderr.isatty()
        self._step = ""
        self._now = self._Now("", time.monotonic())
        self._lock = threading.Lock()
        self._bars: Bars | None = None
        self._timer = threading.Timer(_QUIET_SECONDS, self._begin)
        self._timer.daemon = True

    def __enter__(self) -> Self:
        if self._wanted:
            self._timer.start()
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._timer.cancel()
        with self._lock:
            self._wanted = False
            if self._bars is not None:
                self._bars.stop()

    def on_step(self, step: str) -> None:
        """Take note of the step that begins."""
        with self._lock:
            self._step = visible(step)
            self._now = self._Now(self._step, time.monotonic())
            self._show()

    def on_read(self, done: int, total: int) -> None:
        """Take note of how far a reading or a fetch is, in bytes (0 for unknown)."""
        with self._lock:
            self._now = self._now._replace(done=done, total=total, in_bytes=True)
            self._show()

    def on_share(self, what: str, done: float, total: int) -> None:
        """Take note of how many parts of a step are done."""
        with self._lock:
            step = f"{self._step}: {what}" if what else self._step
            # Of another part of the step the time taken so far tells nothing.
            began = self._now.began if done else time.monotonic()
            self._now = self._Now(step, began, done, total)
            self._show()

    def _show(self) -> None:
        if self._bars is not None:
            (task,) = self._bars.task_ids
            if not self._now.total:
                # A total that is there cannot be taken back.
                self._bars.remove_task(task)
                task = self._bars.add_task("", total=None)
            self._bars.update(
                task,
                description=self._now.step,
                completed=self._now.done,
                total=self._now.total or None,
                began=self._now.began,
                in_bytes=self._now.in_bytes,
            )

    def _begin(self) -> None:
        with self._lock:
            if self._wanted:
                # It is loaded only where a run takes long.
                from gruff_ledger.cli.screen.bars import make_bars

                self._bars = make_bars()
                self._bars.add_task("", total=None)
                # Of a step that began before anything was shown, too.
                self._show()
                self._bars.start()
