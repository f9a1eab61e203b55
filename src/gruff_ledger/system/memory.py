"""How this process takes memory from the system, where that is ours to say.

For a program of its own, and not for a library: what is settled here holds for all of
the process.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import sys
import threading
from pathlib import Path
from typing import Any

import pyarrow as pa

# Parameters of mallopt(3), of the GNU C library.
_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3

# From this size on the C library gives back what is freed, unless it is told otherwise.
_USUAL_BYTES = 128 << 10

# Arrays of a stretch of records are well below the first, and those of a whole large
# list above it: these are still given back at once. No more than the second is kept.
_LARGE_BYTES = 1 << 22
_KEPT_BYTES = 1 << 24


def settle_memory() -> None:
    """
    Choose who hands out memory, and how much of what is freed is kept for next time.

    Arrow's default allocator holds on to memory longest: with these a job on a list of
    80 MB peaks a quarter lower, and is no slower. The GNU C library gives every array
    of more than 128 kB back as it is freed, and the system fills the next one with
    zeros: that was up to half of the time of work on numbers and dates.
    """
    try:
        pa.set_memory_pool(pa.jemalloc_memory_pool())
    except NotImplementedError:
        # There is none on Windows.
        pa.set_memory_pool(pa.system_memory_pool())
    GIVING_BACK.usual_bytes = _LARGE_BYTES
    _set_of_library(_MMAP_THRESHOLD, _LARGE_BYTES)
    _set_of_library(_TRIM_THRESHOLD, _KEPT_BYTES)


def _set_of_library(parameter: int, size_bytes: int) -> None:
    if sys.platform == "linux":
        # Other C libraries have no such call, or take no notice of it.
        with contextlib.suppress(OSError, AttributeError):
            ctypes.CDLL(None).mallopt(parameter, size_bytes)


class _GivingBack:
    """
    Has Arrow and the C library give back at once what is freed, while runs want it.

    Attributes
    ----------
    usual_bytes : int
        From which size on the C library does so otherwise.
    """

    def __init__(self) -> None:
        self.usual_bytes = _USUAL_BYTES
        self._guard = threading.Lock()
        self._runs = 0
        self._pool: Any = None

    def begin(self, size_bytes: int) -> None:
        """Begin with it from a size on, if no other run has."""
        with self._guard:
            self._runs += 1
            if self._runs == 1:
                self._pool = pa.default_memory_pool()
                pa.set_memory_pool(pa.system_memory_pool())
                _set_of_library(_MMAP_THRESHOLD, size_bytes)

    def end(self) -> None:
        """Leave all as it was, if no other run needs it."""
        with self._guard:
            self._runs -= 1
            if not self._runs:
                pa.set_memory_pool(self._pool)
                _set_of_library(_MMAP_THRESHOLD, self.usual_bytes)


GIVING_BACK = _GivingBack()


def give_back_memory_at_once() -> None:
    """
    Have Arrow give what it frees back to the system at once.

    That takes a little time, and leaves room for NumPy, which cannot use what Arrow
    keeps for later.
    """
    if pa.default_memory_pool().backend_name == "jemalloc":
        pa.jemalloc_set_decay_ms(0)


def memory_to_use() -> int:
    """Return how many bytes of memory a run may take, unless told: half of all."""
    return _memory_of_machine() // 2


def _memory_of_machine() -> int:
    """Return how much memory there is, in bytes, also where a container has less."""
    found = []
    if sys.platform == "win32":
        found.append(_memory_of_windows())
    else:
        with contextlib.suppress(OSError, ValueError):
            found.append(os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE"))
    for limit in (
        "/sys/fs/cgroup/memory.max",
        "/sys/fs/cgroup/memory/memory.limit_in_bytes",
    ):
        with contextlib.suppress(OSError, ValueError):
            found.append(int(Path(limit).read_text()))
    found += _limits_of_own_group()
    # Where nothing tells, a small machine is assumed.
    return min([each for each in found if each > 0], default=4 << 30)


def _limits_of_own_group() -> list[int]:
    """Return the memory limits of the control groups that this process is in."""
    found = []
    with contextlib.suppress(OSError, ValueError):
        for line in Path("/proc/self/cgroup").read_text().splitlines():
            _, kinds, path = line.split(":", 2)
            if kinds in ("", "memory"):
                root = Path("/sys/fs/cgroup", kinds)
                name = "memory.limit_in_bytes" if kinds else "memory.max"
                with contextlib.suppress(OSError, ValueError):
                    found.append(int((root / path.lstrip("/") / name).read_text()))
    return found


def _memory_of_windows() -> int:
    class Status(ctypes.Structure):
        _fields_ = (
            ("length", ctypes.c_ulong),
            ("load", ctypes.c_ulong),
            *((name, ctypes.c_ulonglong) for name in ("total", "free", "page_total")),
            *((name, ctypes.c_ulonglong) for name in ("page_free", "all", "all_free")),
            ("extended", ctypes.c_ulonglong),
        )

    status = Status()
    status.length = ctypes.sizeof(status)
    system: Any = ctypes
    system.windll.kernel32.GlobalMemoryStatusEx(ctypes.byref(status))
    return int(status.total)
