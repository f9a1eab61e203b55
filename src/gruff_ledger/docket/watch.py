"""Watching a docket: which files to look at, and when they have come to rest.

Whether anything changed is told by content (see `again`); events of the file system
only say when to look. A file that is still being written is waited for by its size and
time alone, and never by the clock: they must stay the same for a while.
"""

from __future__ import annotations

import fnmatch
import time
import tomllib
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

from gruff_ledger.docket.again import answered, filled, read_account
from gruff_ledger.lists.address import is_pattern
from gruff_ledger.lists.file_patterns import matching_files

_LOOK_SECONDS = 0.2

# Size and time, in nanoseconds, of files.
Stamps = dict[Path, tuple[int, int]]


class Watched(NamedTuple):
    """
    What a docket is made from, as far as it lies on this machine.

    Attributes
    ----------
    files : set of Path
    patterns : tuple of str
        Patterns of files, each from the root.
    """

    files: frozenset[Path]
    patterns: tuple[str, ...]

    def has(self, path: Path) -> bool:
        """Whether a file is one of them."""
        if path in self.files:
            return True
        return any(fnmatch.fnmatch(str(path), each) for each in self.patterns)

    @property
    def folders(self) -> set[Path]:
        """The folders that they lie in, and that are there."""
        found = {each.parent for each in self.files}
        for pattern in self.patterns:
            base = Path(pattern)
            while is_pattern(str(base)):
                base = base.parent
            found.add(base)
        return {each for each in found if each.is_dir()}

    @property
    def is_deep(self) -> bool:
        """Whether folders beneath those must be watched too."""
        return any(is_pattern(str(Path(each).parent)) for each in self.patterns)

    def stamps(self) -> Stamps:
        """Return size and time of each file that is there."""
        paths = set(self.files)
        for pattern in self.patterns:
            paths |= set(map(Path, matching_files(pattern, None)))
        found = {}
        for path in paths:
            try:
                facts = path.stat()
            except OSError:
                continue
            found[path] = (facts.st_size, facts.st_mtime_ns)
        return found


def watched(
    docket: Path, *, answers: Mapping[str, str], ledger: Path | None = None
) -> Watched:
    """
    Find what a docket is made from.

    Parameters
    ----------
    docket : Path
    answers : mapping of str
        The answers to its questions that are given.
    ledger : Path, optional
        Another folder for the ledger than the docket names.

    Returns
    -------
    Watched
        What its lists name, and what its last run read; the docket itself, always.
    """
    docket = docket.absolute()
    folder = docket.parent
    said: list[str] = []
    try:
        raw = tomllib.loads(docket.read_text(encoding="utf-8-sig"))
        given = answered(raw, answers)
        tables = raw.get("lists", {}).values()
        said = [filled(str(each.get("from", "")), given) for each in tables]
        account = read_account(docket, raw, given, ledger)
        said += [source["address"] for source in account["sources"]]
        said += account["made_from"]["files"]
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        # The run says what is wrong with it; until then the docket is watched.
        pass
    files, patterns = {docket}, []
    for each in said:
        place = each.partition("#")[0]
        if not place or place in ("-", "standard input") or "://" in place:
            continue
        if is_pattern(place) and not (folder / place).exists():
            patterns.append(str(folder / place))
        else:
            files.add(folder / place)
    return Watched(frozenset(files), tuple(dict.fromkeys(patterns)))


def settled(
    seen: Watched,
    *,
    quiet_seconds: float,
    is_over: Callable[[], bool],
    clock: Callable[[], float] = time.monotonic,
) -> bool:
    """
    Wait until no file has changed for a while.

    Parameters
    ----------
    seen : Watched
    quiet_seconds : float
        How long sizes and times must stay as they are.
    is_over : callable
        Tells that nobody waits any more.
    clock : callable
        A clock that cannot be set, in seconds.

    Returns
    -------
    bool
        False if nobody waits any more.
    """
    stamps, since = seen.stamps(), clock()
    while clock() - since < quiet_seconds:
        if is_over():
            return False
        time.sleep(_LOOK_SECONDS)
        now = seen.stamps()
        if now != stamps:
            stamps, since = now, clock()
    return True
