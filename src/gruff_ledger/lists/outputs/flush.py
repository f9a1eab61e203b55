"""Writing an output, and flushing it to the disk, beside other work."""

from __future__ import annotations

import contextvars
import os
import threading
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

# How much of a file is written before the disk is made to begin with it, and how often
# that is looked at.
_FLUSHED_BYTES = 1 << 24
_LOOK_SECONDS = 0.03


class Writing(threading.Thread):
    """The writing of an output in a thread of its own."""

    def __init__(self, write: Callable[[], object]) -> None:
        super().__init__(daemon=True)
        self._write = write
        # Lists may lie elsewhere than in memory; see `columns.storage`.
        self._context = contextvars.copy_context()
        self.error: BaseException | None = None
        self.start()

    def run(self) -> None:
        """Do the work of the thread."""
        try:
            self._context.run(self._write)
        except BaseException as error:
            self.error = error


class Flushing(threading.Thread):
    """
    The flushing of a file to the disk, in a thread of its own.

    It begins while the file is written, so that little is left to wait for at the end.

    Parameters
    ----------
    path : Path
    shown : str
        How the person named it.
    sink : binary file
        What is written to it.

    Raises
    ------
    OSError
        If the file may not be written to.
    """

    def __init__(self, path: Path, shown: str, sink: BinaryIO) -> None:
        super().__init__(daemon=True)
        self.sink = sink
        self.shown = shown
        self.error: OSError | None = None
        self._is_complete = threading.Event()
        self._is_wanted = True
        # The disk's refusal is told once to each who has the file open by then.
        self._file = path.open("rb+")
        self.start()

    def end(self) -> None:
        """Take note that all of the file is written."""
        self._is_complete.set()

    def give_up(self) -> None:
        """Wait until the file is let go of: nobody wants it, or it is flushed."""
        self._is_wanted = False
        self._is_complete.set()
        self.join()

    def run(self) -> None:
        """Do the work of the thread."""
        flushed = 0
        try:
            with self._file as written:
                number = written.fileno()
                while not self._is_complete.wait(_LOOK_SECONDS):
                    size = os.fstat(number).st_size
                    if size - flushed >= _FLUSHED_BYTES:
                        os.fsync(number)
                        flushed = size
                if self._is_wanted:
                    os.fsync(number)
        except OSError as error:
            self.error = error
