"""The standard streams, whatever a shell makes of them.

A stream can be closed, its reader can leave, the disk behind it can be full. None of
that is a fault of the program, and none of it undoes what was done.
"""

from __future__ import annotations

import contextlib
import errno
import io
import os
import sys
from collections.abc import Iterator
from typing import Any

from gruff_ledger.system.files import is_broken_pipe


class _Closed(io.RawIOBase):
    """Standard output that nobody opened."""

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        raise OSError(errno.EBADF, "it is closed")


def make_ready() -> None:
    """
    Make the standard streams usable: closed ones, and those of other encodings.

    Without this a file that is opened later would take the number of a closed stream,
    and gain what is written there.
    """
    for number in range(3):
        try:
            os.fstat(number)
        except OSError:
            # The lowest number that is free is taken: this one.
            os.open(os.devnull, os.O_RDWR)
    if sys.stdin is None:
        sys.stdin = open(os.devnull, encoding="utf-8")  # noqa: PTH123, SIM115
    if sys.stdout is None:
        sys.stdout = io.TextIOWrapper(io.BufferedWriter(_Closed()), encoding="utf-8")
    if sys.stderr is None:
        sys.stderr = open(os.devnull, "w", encoding="utf-8")  # noqa: PTH123, SIM115
    for stream in (sys.stdout, sys.stderr):
        # A console that cannot show a letter must not end the run.
        with contextlib.suppress(AttributeError):
            stream.reconfigure(errors="backslashreplace")  # type: ignore[union-attr]


@contextlib.contextmanager
def reader_may_leave() -> Iterator[None]:
    """
    Show something to whoever reads on; where nobody does, go on without showing it.

    The status of the work is the same then.
    """
    try:
        yield
        sys.stdout.flush()
    except OSError as error:
        if not is_broken_pipe(error):
            raise
        show_no_more()


def show_no_more() -> None:
    """Let all that is still to be shown go nowhere: Python would complain of it."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    for stream in (sys.stdout, sys.stderr):
        with contextlib.suppress(OSError, ValueError, AttributeError):
            # What waits in it goes there too; the other one may well be read on.
            try:
                stream.flush()
            except OSError:
                os.dup2(nowhere, stream.fileno())
                stream.flush()
