"""One at a time: a lock on a file that the system gives up when its holder ends.

Nothing is written and nothing stays behind, also after a kill.
"""

from __future__ import annotations

import contextlib
import errno
import os
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

from gruff_ledger.problems import UnwritableOutput

# Windows locks bytes, and keeps others from reading them: one far beyond any end.
_FAR_BYTE = 1 << 40

# Of the Windows API (processthreadsapi.h, winerror.h).
_SYNCHRONIZE = 0x00100000
_ACCESS_DENIED = 5

_HELD = {errno.EACCES, errno.EAGAIN, errno.EDEADLK}


class Busy(UnwritableOutput):
    """Another run works on the same."""


@contextlib.contextmanager
def only_one(path: Path) -> Iterator[None]:
    """
    Hold the lock on a file while a block runs.

    Parameters
    ----------
    path : Path
        A file that is there, such as a docket; it is not changed.

    Raises
    ------
    Busy
        If another process holds it.

    Notes
    -----
    Where the file system knows no locks, the block runs without one.
    """
    try:
        # A pipe must not be opened a second time: nobody would write to it.
        stream = path.open("rb") if path.is_file() else None
    except OSError:
        stream = None
    if stream is None:
        # Whoever reads the file will say what is wrong with it.
        yield
        return
    with stream:
        try:
            lock(stream)
        except OSError as error:
            if error.errno in _HELD:
                raise Busy(
                    "another run of it is at work. Nothing was done.",
                    "Wait until it has ended, and run again.",
                    file=str(path),
                ) from None
        yield


def is_running(process: int) -> bool:
    """Whether a process of this machine, by its number, still runs."""
    if os.name == "nt":
        import ctypes

        system: Any = ctypes
        kernel = system.windll.kernel32
        handle = kernel.OpenProcess(_SYNCHRONIZE, False, process)
        if not handle:
            return bool(kernel.GetLastError() == _ACCESS_DENIED)
        ended = kernel.WaitForSingleObject(handle, 0) == 0
        kernel.CloseHandle(handle)
        return not ended
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def lock(stream: BinaryIO) -> None:
    """Lock an open file until it is closed, or raise OSError at once."""
    if sys.platform == "win32":
        import msvcrt

        stream.seek(_FAR_BYTE)
        msvcrt.locking(stream.fileno(), msvcrt.LK_NBLCK, 1)
        stream.seek(0)
    else:
        import fcntl

        fcntl.flock(stream.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
