"""What a long run is doing, on one line that goes when the run ends."""

from __future__ import annotations

import sys
import threading
from types import TracebackType
from typing import TYPE_CHECKING, Self

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

    def __init__(self, *, wanted: bool) -> None:
        self._wanted = wanted and sys.stderr.isatty()
        self._step = ""
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
            if self._bars is not None:
                (before,) = self._bars.task_ids
                self._bars.add_task(self._step, total=None, in_bytes=True)
                self._bars.remove_task(before)

    def on_read(self, done: int, total: int) -> None:
        """Take note of how far a reading or a fetch is, in bytes (0 for unknown)."""
        if self._bars is not None:
            with self._lock:
                (task,) = self._bars.task_ids
                self._bars.update(
                    task, completed=done, total=total or None, in_bytes=True
                )

    def on_share(self, what: str, done: int, total: int) -> None:
        """Take note of how many parts of a step are done."""
        if self._bars is None:
            return
        with self._lock:
            (task,) = self._bars.task_ids
            step = f"{self._step}: {what}" if what else self._step
            if not done:
                # Of another part of the step the speed tells nothing.
                self._bars.remove_task(task)
                task = self._bars.add_task(step, total=None, in_bytes=False)
            self._bars.update(task, completed=done, total=total or None, in_bytes=False)

    def _begin(self) -> None:
        with self._lock:
            if self._wanted:
                # It is loaded only where a run takes long.
                from gruff_ledger.cli.screen.bars import make_bars

                self._bars = make_bars()
                self._bars.add_task(self._step, total=None, in_bytes=True)
                self._bars.start()
