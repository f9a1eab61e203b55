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

    Of a reading it shows how much is done and how long the rest may take; of other
    steps how long they have taken.

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
                self._bars.add_task(self._step, total=None)
                self._bars.remove_task(before)

    def on_read(self, done: int, total: int) -> None:
        """Take note of how far a reading or a fetch is, in bytes (0 for unknown)."""
        if self._bars is not None:
            with self._lock:
                (task,) = self._bars.task_ids
                self._bars.update(task, completed=done, total=total or None)

    def _begin(self) -> None:
        with self._lock:
            if self._wanted:
                # It is loaded only where a run takes long.
                from gruff_ledger.cli.screen.bars import make_bars

                self._bars = make_bars()
                self._bars.add_task(self._step, total=None)
                self._bars.start()
