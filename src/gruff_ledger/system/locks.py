"""One at a time: a lock on a file that the system gives up when its holder ends.

Nothing is written and nothing stays behind, also after a kill.
"""

from __future__ import annotations

import contextlib
import errno
from collections.abc import Iterator
from pathlib import Path

from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.system.files import lock

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
