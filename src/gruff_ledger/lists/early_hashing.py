"""Hashing that begins before a source is read, while the program still starts.

Loading Python's packages keeps one processor busy for longer than it takes to hash a
list of usual size, and the others idle. So the files that a command line is sure to
name as sources are read once in a thread meanwhile. Whoever reads a source then goes
on from where that thread had come to; see `gruff_ledger.lists.source.Hashing`.

Nothing but the standard library is imported here, and little of that.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterable
from typing import Any

# Below this there is nothing to gain.
_LEAST_BYTES = 1 << 20

# A thread must wait for its turn after each block, as long as another one is in Python.
_BLOCK_BYTES = 1 << 23

# What is hashed ahead is read twice: no more of a file than the system surely still has
# in memory when the reading comes to it.
_MOST_BYTES = 1 << 28

# A file can change again without its time telling, if it changed just now: times are
# kept to 2 seconds on some disks (FAT).
_SETTLED_SECONDS = 3.0

# What is read as text; the readers of other formats hash in their own ways.
_ENDINGS = (".csv", ".tsv", ".tab", ".txt")

_begun: dict[str, Ahead] = {}


class Ahead:
    """
    The SHA-256 of the first bytes of a file, found ahead of its reading.

    Parameters
    ----------
    path : str
    """

    def __init__(self, path: str) -> None:
        self._path = path
        self._sum: Any = None
        self._count = 0
        self._facts = (-1, -1)
        self._is_claimed = False
        self._is_free = threading.Event()

    def work(self) -> None:
        """Hash until `claim` is called, or as much of the file as is worth it."""
        try:
            self._hash()
        except OSError:
            # Whoever reads it will say what is wrong with it.
            self._sum = None
        finally:
            self._is_free.set()

    def claim(self) -> None:
        """Have the hashing stop after the block in hand: the file is read now."""
        self._is_claimed = True

    def taken(self, size_bytes: int, stamp: int | None) -> tuple[Any, int]:
        """
        Return what was hashed, once the block in hand is; only after `claim`.

        Parameters
        ----------
        size_bytes : int
        stamp : int, optional
            The time of the file as it is read now, in nanoseconds.

        Returns
        -------
        sum : hash object or None
            None where there is nothing that holds of the file as it is now.
        count : int
            How many bytes of the file are in it.
        """
        self._is_free.wait()
        if self._sum is None or self._facts != (size_bytes, stamp):
            return None, 0
        return self._sum, self._count

    def _hash(self) -> None:
        if self._is_claimed:
            return
        import hashlib

        found = hashlib.sha256()
        with open(self._path, "rb", buffering=0) as stream:  # noqa: PTH123
            facts = os.fstat(stream.fileno())
            if abs(time.time() - facts.st_mtime) < _SETTLED_SECONDS:
                return
            block = memoryview(bytearray(min(_BLOCK_BYTES, facts.st_size)))
            while not self._is_claimed and self._count < _MOST_BYTES:
                size = stream.readinto(block)
                if not size:
                    break
                found.update(block[:size])
                self._count += size
        self._facts = (facts.st_size, facts.st_mtime_ns)
        self._sum = found


def hash_ahead(addresses: Callable[[], Iterable[str]]) -> None:
    """
    Begin to hash files in a thread, one after the other.

    Parameters
    ----------
    addresses : callable
        Called in the thread: returns what are surely sources. What is no file of a fair
        size that is read as text is passed over.
    """

    def work() -> None:
        started = []
        for address in addresses():
            path = os.path.abspath(address)  # noqa: PTH100
            if path.lower().endswith(_ENDINGS) and path not in _begun:
                try:
                    if os.path.getsize(path) < _LEAST_BYTES:  # noqa: PTH202
                        continue
                except (OSError, ValueError):
                    continue
                _begun[path] = Ahead(path)
                started.append(_begun[path])
        for each in started:
            each.work()

    threading.Thread(target=work, daemon=True).start()


def claimed(path: str | os.PathLike[str] | None) -> Ahead | None:
    """Return what was begun for a file that is read now; at most once for each."""
    if path is None or not _begun:
        return None
    ahead = _begun.pop(os.path.abspath(path), None)  # noqa: PTH100
    if ahead is not None:
        ahead.claim()
    return ahead
