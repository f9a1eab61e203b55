"""How this process takes memory from the system, where that is ours to say.

For a program of its own, and not for a library: what is settled here holds for all of
the process.
"""

from __future__ import annotations

import contextlib
import ctypes
import sys

import pyarrow as pa

# Parameters of mallopt(3), of the GNU C library.
_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3

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
    if sys.platform == "linux":
        # Other C libraries have no such call, or take no notice of it.
        with contextlib.suppress(OSError, AttributeError):
            settle = ctypes.CDLL(None).mallopt
            settle(_MMAP_THRESHOLD, _LARGE_BYTES)
            settle(_TRIM_THRESHOLD, _KEPT_BYTES)
