"""Being told to stop: what cannot wait in the middle waits until it can.

A signal asks a process to end (POSIX, "Signal Concepts"). While outputs are put in
their places it is held back, for seconds at most: then it is carried out, and what is
said of the outputs is true.
"""

from __future__ import annotations

import _thread
import contextlib
import os
import signal
import sys
import threading
from collections.abc import Iterator
from types import FrameType
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from sys import UnraisableHookArgs

# Windows has no SIGHUP; closing a window there cannot be held back.
_ENDING = tuple(
    getattr(signal, name)
    for name in ("SIGINT", "SIGTERM", "SIGHUP", "SIGBREAK")
    if hasattr(signal, name)
)

_SECONDS_UNTIL_RAISED = 0.02


@contextlib.contextmanager
def held_back() -> Iterator[None]:
    """
    Hold signals to end back while a block runs, and carry the first one out after it.

    Raises
    ------
    KeyboardInterrupt
        After the block, if a person asked for an end meanwhile.

    Notes
    -----
    Python lets only the main thread settle what signals do. In another thread nothing
    is held back; a KeyboardInterrupt never reaches one.
    """
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    received: list[int] = []

    def note(number: int, frame: FrameType | None) -> None:
        received.append(number)

    before = {}
    for each in _ENDING:
        handler = signal.getsignal(each)
        # What nobody listens to stays so; None is a handler that is not Python's.
        if handler not in (signal.SIG_IGN, None):
            before[each] = signal.signal(each, note)
    try:
        yield
    finally:
        for each, handler in before.items():
            signal.signal(each, handler)
    for number in received:
        handler = before[signal.Signals(number)]
        if callable(handler):
            handler(number, None)
        else:
            os.kill(os.getpid(), number)


def hear_swallowed_interruptions() -> None:
    """
    Have an interruption sent again that Python would only show a traceback of.

    While an object is taken down, nothing can be raised out of it: what Ctrl-C raises
    just then is dropped (Python's data model, 3.3.1), and the run would go on.
    """
    tell = sys.unraisablehook

    def hook(lost: UnraisableHookArgs, /) -> None:
        if isinstance(lost.exc_value, KeyboardInterrupt):
            # Not from here: raised in this function it would be dropped as well.
            threading.Timer(_SECONDS_UNTIL_RAISED, _interrupt_main_thread).start()
        else:
            tell(lost)

    sys.unraisablehook = hook


def _interrupt_main_thread() -> None:
    main = threading.main_thread().ident
    if hasattr(signal, "pthread_kill") and main is not None:
        # This ends what waits for the system, too.
        signal.pthread_kill(main, signal.SIGINT)
    else:
        _thread.interrupt_main()
