"""What files can do on one system and not on another, and nothing else of them.

Windows locks bytes and not files, never renames over a file that is there, keeps a file
that is open or mapped from being removed, knows no permissions as POSIX does, and tells
a pipe whose reader has left in its own way. Whoever works with files asks here; no
other module does one thing for Windows and another elsewhere.
"""

from __future__ import annotations

import contextlib
import errno
import os
import sys
from pathlib import Path
from typing import BinaryIO

# Windows locks bytes, and keeps others from reading them: one far beyond any end.
_FAR_BYTE = 1 << 40

# Of the Windows API (processthreadsapi.h, winerror.h).
_SYNCHRONIZE = 0x00100000
_ACCESS_DENIED = 5


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


def is_running(process: int) -> bool:
    """Whether a process of this machine, by its number, still runs."""
    if sys.platform == "win32":
        import ctypes

        kernel = ctypes.windll.kernel32
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


def machine_name() -> str:
    """Return what tells this machine from others that share a folder with it."""
    if sys.platform == "win32":
        return os.environ.get("COMPUTERNAME", "")
    return os.uname().nodename


def move_to_free_place(here: Path, place: Path) -> None:
    """
    Move a file to where none is.

    Raises
    ------
    FileExistsError
        If a file is there, also where it came this moment; it is left as it is.
    OSError
    """
    if sys.platform == "win32":
        # There a file is never renamed over another.
        here.rename(place)
        return
    try:
        # A link, unlike a name, is refused where a file is (POSIX, `link`).
        os.link(here, place)
    except FileExistsError:
        raise
    except OSError:
        # The disk has no links: what is made first, and empty, keeps others out.
        os.close(os.open(place, os.O_CREAT | os.O_EXCL | os.O_WRONLY))
        here.replace(place)
    else:
        with contextlib.suppress(OSError):
            here.unlink()


def can_remove_open_files() -> bool:
    """Whether a file can be removed while it is open, and is there until it is not."""
    return sys.platform != "win32"


def has_permissions() -> bool:
    """Whether the mode of a file tells who may read it (POSIX, `chmod`)."""
    return sys.platform != "win32"


def is_broken_pipe(error: OSError) -> bool:
    """Whether an error says that the reader of a pipe has left."""
    if isinstance(error, BrokenPipeError):
        return True
    is_of_stream = error.errno == errno.EINVAL and error.filename is None
    return sys.platform == "win32" and is_of_stream
