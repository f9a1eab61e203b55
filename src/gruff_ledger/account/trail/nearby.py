"""Which ledger near a list tells about it.

Two runs can have read or written files of one name. A ledger knows a file by the whole
path, or by what is in it; a name alone counts only for a list that is not there any
more, and only where no two ledgers know one of that name.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import msgspec

from gruff_ledger.account.trail import TRAIL_FILE
from gruff_ledger.account.trail.back import MadeWords
from gruff_ledger.account.trail.known import sha256_of_file
from gruff_ledger.account.trail.trace import Tracing
from gruff_ledger.problems import Problem, UnreadableSource, nearest_or_all

# Ledgers that a message names.
_TOLD_LEDGERS = 5


class Answer(msgspec.Struct, frozen=True, eq=False):
    """
    The ledger that knows a list, and which of its lists that is.

    Attributes
    ----------
    tracing : Tracing
    kind : str
        ``result`` or ``source``.
    position : int
    note : str
        What is to be said of how it was recognised.
    """

    tracing: Tracing
    kind: str
    position: int
    note: str = ""


def find_answer(
    said: str, ledger: Path | None = None, *, made_words: MadeWords
) -> Answer:
    """
    Find the ledger that knows a list.

    Parameters
    ----------
    said : str
        The path or address of a result or a source, or its name in the account.
    ledger : Path, optional
        The folder to look in; else those near the list.
    made_words : callable
        As `Tracing` takes it.

    Raises
    ------
    UnreadableSource
        If no ledger knows it, or several do and nothing tells which is meant.
    """
    path = Path(said.partition("#")[0])
    folders = [[ledger]] if ledger is not None else list(_near_ledgers(path))
    damaged: list[Problem] = []
    levels = [
        sorted(
            _opened(level, damaged, made_words),
            key=lambda each: each.started,
            reverse=True,
        )
        for level in folders
    ]
    tracings = [tracing for level in levels for tracing in level]
    if not tracings and damaged:
        raise damaged[0]
    if not tracings:
        raise UnreadableSource(
            "no ledger is near it.",
            "Name the folder of the ledger with `ledger`.",
            file=said,
        )
    return (
        _by_place(said, tracings)
        or (_by_content(path, tracings) if _is_file(path) else None)
        or _by_name(said, levels, is_given=ledger is not None, path=path)
    )


def _opened(
    folders: Iterable[Path], damaged: list[Problem], made_words: MadeWords
) -> Iterator[Tracing]:
    """Yield ledgers; one that is damaged must not hide what the others tell."""
    for folder in folders:
        try:
            yield Tracing(folder, made_words)
        except Problem as problem:
            damaged.append(problem)


def _by_place(said: str, tracings: list[Tracing]) -> Answer | None:
    """Find the last run that read or wrote the file that lies there, best as it is."""
    found = [
        (tracing, kind, at)
        for tracing in tracings
        for kind, at in tracing.lying_at(said)
    ]
    path = Path(said.partition("#")[0])
    for tracing, kind, at in found:
        if tracing.is_unchanged(kind, at, path):
            return Answer(tracing, kind, at)
    for tracing, kind, at in found[:1]:
        note = f"{said} was changed since that run; this is how it was then."
        return Answer(tracing, kind, at, note if _is_file(path) else "")
    return None


def _by_content(path: Path, tracings: list[Tracing]) -> Answer | None:
    """Find a list with just this content, such as one that was copied elsewhere."""
    size = path.stat().st_size
    digest = ""
    for tracing in tracings:
        for kind, at, address in tracing.of_size(size):
            if kind == "source":
                digest = digest or sha256_of_file(path)
                is_same = tracing.sha256_of(at) == digest
            else:
                is_same = tracing.is_copy(at, path)
            if is_same:
                return Answer(tracing, kind, at, f"{path} is a copy of {address}.")
    return None


def _by_name(
    said: str, levels: list[list[Tracing]], *, is_given: bool, path: Path
) -> Answer:
    """Find the list of a name in the ledgers that lie nearest, if just one has it."""
    problem: Problem | None = None
    found: list[Answer] = []
    tracings = [tracing for level in levels for tracing in level]
    for level in levels:
        for tracing in level:
            try:
                kind, at = tracing.find(said)
            except Problem as unknown:
                problem = problem or unknown
                continue
            found.append(Answer(tracing, kind, at))
        if found:
            break
    known = [name for each in tracings for name in (*each.results, *each.sources)]
    if _is_file(path):
        raise UnreadableSource(
            "the run of this ledger neither read nor wrote this file."
            if is_given
            else "no ledger near it is from a run that read or wrote this file.",
            nearest_or_all(said, known, "lists known")
            if not found
            else "Name the ledger of its run with `ledger`, or the list by the path it "
            "had then.",
            file=said,
        )
    if not found:
        assert problem is not None
        raise problem
    if len(found) > 1:
        told = "; ".join(
            f"{each.tracing.place} (made {each.tracing.started})"
            for each in found[:_TOLD_LEDGERS]
        )
        raise UnreadableSource(
            f"{len(found)} ledgers know a list of this name: {told}.",
            "Name one of them with `ledger`, or give the whole path of the list.",
            file=said,
        )
    return found[0]


def _is_file(path: Path) -> bool:
    try:
        return path.is_file()
    except (OSError, ValueError):
        return False


def _near_ledgers(place: Path) -> Iterator[list[Path]]:
    """Yield folders that hold a trail, level by level, the nearest to a file first."""
    seen = set()
    start = place.absolute().parent
    for folder in (start, Path.cwd(), *list(start.parents)[:3]):
        try:
            beneath = sorted(each for each in folder.iterdir() if each.is_dir())
        except OSError:
            beneath = []
        is_near = folder in (start, Path.cwd())
        within = [each / "ledger" for each in beneath] if is_near else []
        level = []
        for each in (folder / "ledger", folder, *beneath, *within):
            if each not in seen and (each / TRAIL_FILE).is_file():
                level.append(each)
            seen.add(each)
        yield level
