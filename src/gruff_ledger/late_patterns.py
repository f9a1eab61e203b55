"""Patterns that are compiled when they are first asked for.

Modules have some 150, of which a command uses a few; to compile them all takes longer
than to work on a small list.
"""

from __future__ import annotations

import re
from typing import Any, AnyStr, cast


class _Late:
    """Stands for a pattern until something is asked of it, and then has all of it."""

    def __init__(self, pattern: Any, flags: int) -> None:
        self._made_from = (pattern, flags)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        found = getattr(re.compile(*self._made_from), name)
        # Asked for once more it is there.
        setattr(self, name, found)
        return found


def late_pattern(pattern: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """
    Return a pattern as `re.compile` would; it is compiled when it is first used.

    Examples
    --------
    >>> late_pattern("[a-z]+").fullmatch("quay") is not None
    True
    """
    return cast("re.Pattern[AnyStr]", _Late(pattern, flags))
