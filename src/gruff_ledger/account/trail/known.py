"""Which lists a trail knows: by where they lie, by what they are called, by content."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

from gruff_ledger.account.trail.format import OutFacts, OutLine, SourceLine
from gruff_ledger.account.trail.walk import OpenTrail
from gruff_ledger.problems import UnreadableSource, nearest_or_all

# A list of a run: ``result`` or ``source``, and its position.
KnownList = tuple[str, int]


def lists_lying_at(trail: OpenTrail, said: str) -> list[KnownList]:
    """Return the results and sources that lie where an address says."""
    found = _those(trail, lambda line: _is_there(trail, said, line))
    if not found and "#" not in said:
        # The only part of the file that there is.
        found = _those(
            trail,
            lambda line: _is_there(
                trail, f"{said}#{line.address.partition('#')[2]}", line
            ),
        )
        found = found if len(found) == 1 else []
    return found


def find_list(trail: OpenTrail, said: str) -> KnownList:
    """
    Find what is meant by an address or a name.

    Raises
    ------
    UnreadableSource
        If the run knows no such list, or several.
    """
    tests: tuple[Callable[[OutLine | SourceLine], bool], ...] = (
        lambda line: _is_there(trail, said, line),
        lambda line: said in (line.address, getattr(line, "name", None)),
        lambda line: _has_name(said, line),
    )
    for test in tests:
        found = _those(trail, test)
        if len(found) == 1:
            return found[0]
        if found:
            kinds = [
                trail.outs[at].address if kind == "result" else trail.sources[at].name
                for kind, at in found
            ]
            raise UnreadableSource(
                f"several lists of the run are meant: {', '.join(kinds)}.",
                "Name one of them so.",
                file=said,
            )
    known = [line.address for line in trail.outs]
    known += [line.name for line in trail.sources]
    raise UnreadableSource(
        "the run of this ledger neither read nor wrote it.",
        nearest_or_all(said, known, "lists it knows"),
        file=said,
    )


def is_unchanged(trail: OpenTrail, kind: str, position: int, path: Path) -> bool:
    """Whether the file of a result or source is as the run left it."""
    try:
        facts = path.stat()
    except (OSError, ValueError):
        return False
    if kind == "source":
        source = trail.account.sources[position]
        return facts.st_size == source.size_bytes and (
            not source.sha256 or source.sha256 == sha256_of_file(path)
        )
    out = _out_facts(trail, position)
    return out is not None and (facts.st_size, facts.st_mtime_ns) == (
        out.size_bytes,
        out.modified_ns,
    )


def is_copy(trail: OpenTrail, result: int, path: Path) -> bool:
    """
    Whether a file of the size of a result is a copy of it.

    A copy has its time, or the result still lies where it was and is the same.
    """
    out = _out_facts(trail, result)
    if out is None:
        return False
    if path.stat().st_mtime_ns == out.modified_ns:
        return True
    there = trail.ledger / out.path
    return is_unchanged(trail, "result", result, there) and (
        sha256_of_file(there) == sha256_of_file(path)
    )


def lists_of_size(trail: OpenTrail, size_bytes: int) -> list[tuple[str, int, str]]:
    """Return kind, position and address of the lists of a size."""
    found: list[tuple[str, int, str]] = []
    for at, line in enumerate(trail.outs):
        out = _out_facts(trail, at)
        if out is not None and out.size_bytes == size_bytes:
            found.append(("result", at, line.address))
    for at, source in enumerate(trail.sources):
        if trail.account.sources[at].size_bytes == size_bytes:
            found.append(("source", at, source.address))
    return found


def sha256_of_file(path: Path) -> str:
    """Return the SHA-256 of a file, in hexadecimal."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _those(
    trail: OpenTrail, test: Callable[[OutLine | SourceLine], bool]
) -> list[KnownList]:
    found = [("result", at) for at, out in enumerate(trail.outs) if test(out)]
    found += [("source", at) for at, line in enumerate(trail.sources) if test(line)]
    return found


def _out_facts(trail: OpenTrail, result: int) -> OutFacts | None:
    """Return size and time of a result as the run left it, where it is a file."""
    if trail.account.made_from is None:
        return None
    path = trail.outs[result].path
    outs = trail.account.made_from.outs
    return next((each for each in outs if each.path == path), None)


def _is_there(trail: OpenTrail, said: str, line: OutLine | SourceLine) -> bool:
    """Whether a result or source lies where an address says."""
    place, _, part = said.partition("#")
    theirs, _, their_part = line.address.partition("#")
    if part != their_part:
        return False
    if "://" in theirs:
        return (line.path or theirs) == place
    # Ledgers of before tell no path of sources: they lay beside the docket.
    path = f"../{theirs}" if line.path is None else line.path
    try:
        return (trail.ledger / path).resolve() == Path(place).resolve()
    except (OSError, ValueError):
        return False


def _has_name(said: str, line: OutLine | SourceLine) -> bool:
    """Whether the name of the file is the same, wherever it lies."""
    place, _, part = said.partition("#")
    theirs, _, their_part = line.address.partition("#")
    return Path(place).name == Path(theirs).name and part in ("", their_part)
