"""Folders for temporary files: made with our mark, and removed only by it.

What a killed run left, the next one removes. Whatever folder a person names for
temporary files may hold folders of their own, whatever those are called: so only one is
touched that has our mark and whose maker is gone, and in it only files that we make.
"""

from __future__ import annotations

import contextlib
import os
from pathlib import Path
from typing import BinaryIO

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.system.files import lock

_PREFIX = "gruff-scratch-"

# What tells where temporary files go, and where they do else; as `tempfile` has it.
_SYSTEM_FOLDERS = ("TMPDIR", "TEMP", "TMP")
_COMMON_FOLDER = "/tmp"

# A file in the folder, which its maker holds locked, and what is written in it.
_MARK = "in-use"
_MARK_TEXT = b"Temporary files of Gruff Ledger. The run that made them removes them.\n"

# The Arrow files that lists lie in, the mark itself, and what Python calls temporary
# files where it has to give them names.
_OWN_FILES = late_pattern(rf"[0-9]+\.arrow|{_MARK}|tmp[a-z0-9_]+")


def scratch_root(beneath: Path | None = None) -> Path:
    """
    Return where scratch folders are made: as given, or where the system has it.

    Every run looks there for what others left, and loading what Python has for it takes
    longer than a small list: mostly the system says it in a variable.
    """
    if beneath is not None:
        return beneath
    said = next(filter(None, map(os.environ.get, _SYSTEM_FOLDERS)), _COMMON_FOLDER)
    folder = Path(said).absolute()
    if folder.is_dir() and os.access(folder, os.W_OK | os.X_OK):
        return folder
    import tempfile

    return Path(tempfile.gettempdir())


def make_folder(root: Path) -> tuple[Path, BinaryIO]:
    """
    Make a folder with our mark.

    Returns
    -------
    folder : Path
        Only its owner may look into it.
    mark : binary file
        Locked until it is closed.

    Raises
    ------
    OSError
    """
    import tempfile

    folder = Path(tempfile.mkdtemp(prefix=_PREFIX, dir=root))
    mark = (folder / _MARK).open("x+b")
    try:
        lock(mark)
        # Whoever finds it unfinished finds no mark of ours, and leaves it.
        mark.write(_MARK_TEXT)
        mark.flush()
    except OSError:
        mark.close()
        raise
    return folder, mark


def remove_folder(folder: Path) -> None:
    """
    Remove a folder of ours, with the files that we make; what else is in it stays.

    The mark goes last: what stays because it is still open (as Windows has it) is
    removed by the next run.
    """
    with contextlib.suppress(OSError):
        for each in folder.iterdir():
            if each.name != _MARK and _OWN_FILES.fullmatch(each.name):
                with contextlib.suppress(OSError):
                    each.unlink()
        if [each.name for each in folder.iterdir()] == [_MARK]:
            (folder / _MARK).unlink()
            folder.rmdir()


def remove_left(root: Path) -> None:
    """Remove the folders that killed runs left beneath a folder."""
    for folder in root.glob(f"{_PREFIX}*"):
        with contextlib.suppress(OSError):
            if _is_left(folder):
                remove_folder(folder)


def _is_left(folder: Path) -> bool:
    """Whether a folder is ours, and its maker is gone."""
    if folder.is_symlink() or folder.stat().st_uid != _own():
        return False
    path = folder / _MARK
    # What could be a pipe must not be opened.
    if path.is_symlink() or not path.is_file():
        return False
    with path.open("r+b") as mark:
        if mark.read(len(_MARK_TEXT) + 1) != _MARK_TEXT:
            return False
        # Raises OSError where its maker, or another cleaner, holds it.
        lock(mark)
    return True


def _own() -> int:
    # Windows knows no such numbers, and gives 0 for every file.
    return os.getuid() if hasattr(os, "getuid") else 0
