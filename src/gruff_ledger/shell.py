"""Commands to be typed: written so that they run as they stand."""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable


def quoted(word: str, *, for_windows: bool | None = None) -> str:
    """
    Quote a word as the shell needs it: that of Windows, or else a POSIX shell.

    Examples
    --------
    >>> quoted("Paid on", for_windows=False), quoted('say "x"', for_windows=True)
    ("'Paid on'", '"say \\\\"x\\\\""')
    """
    if for_windows is None:
        for_windows = os.name == "nt"
    if not for_windows:
        return shlex.quote(word)
    if word and all(mark.isalnum() or mark in "_-./\\:#=" for mark in word):
        return word
    return '"' + word.replace('"', '\\"') + '"'


def command_line(words: Iterable[str]) -> str:
    """Return a command as it is typed."""
    return " ".join(map(quoted, words))
