"""The hash of a source, found behind the reading of it."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path
from queue import Queue

from gruff_ledger.lists.early_hashing import claimed


class Hashing:
    """
    The SHA-256 of blocks (FIPS 180-4), found in a thread behind the reading.

    Parsing keeps every processor busy, and the work after it does not: so the blocks
    wait, and are hashed while the list is worked on. Only so many wait that memory
    stays bounded; from then on hashing keeps step with the reading.

    Parameters
    ----------
    path : Path, optional
        The file on the disk, all of whose bytes will be added. What was hashed of it
        while the program started is not hashed again.
    size_bytes : int
        Its size.
    stamp : int, optional
        The time it was changed last, in nanoseconds.
    """

    # With blocks of 2 MiB, as they are read for Arrow.
    _WAITING_BLOCKS = 8

    def __init__(self, path: Path | None, size_bytes: int, stamp: int | None) -> None:
        import hashlib

        self._size_bytes = size_bytes
        self._stamp = stamp
        self._ahead = claimed(path)
        self._sum = hashlib.sha256()
        self._blocks: Queue[bytes | None] = Queue(self._WAITING_BLOCKS)
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._wanted = True

    def add(self, block: bytes) -> None:
        """Take the next block."""
        if self._blocks.full():
            self._start()
        self._blocks.put(block)

    def finish(self) -> Callable[[], str]:
        """Take no more blocks; return what waits for the hash, in hexadecimal."""
        self._start()
        self._blocks.put(None)

        def result() -> str:
            self._thread.join()
            return self._sum.hexdigest()

        return result

    def give_up(self) -> None:
        """Let the thread end soon: nobody wants the hash."""
        self._wanted = False
        if self._thread.is_alive():
            self._blocks.put(None)

    def _start(self) -> None:
        if self._thread.ident is None:
            self._thread.start()

    def _run(self) -> None:
        done = 0
        if self._ahead is not None:
            found, done = self._ahead.taken(self._size_bytes, self._stamp)
            self._sum = found or self._sum
        while (block := self._blocks.get()) is not None:
            known = min(done, len(block))
            done -= known
            if self._wanted and known < len(block):
                self._sum.update(memoryview(block)[known:])
