"""Putting files that are written in their places: all of them, or none.

A file that must not be there yet is put there in a way that fails where somebody else
was first. One that is replaced is kept by a second name until all
are in place, and comes back if one of the others cannot be put there.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Sequence
from pathlib import Path

import msgspec

from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.system.files import has_permissions, move_to_free_place

# What everybody may do with a new file, unless their own settings allow less.
_ALL_MAY = 0o666
_OWNER_MAY = 0o600
_GROUP_MAY = 0o060


class Staged(msgspec.Struct, frozen=True):
    """An output that is written: where it lies, where it belongs, how it was named."""

    here: Path
    place: Path
    shown: str


class NotPlaced(Exception):
    """
    One of several files could not be put in its place; none of them is.

    Parameters
    ----------
    error : OSError
    shown : str
        The one.
    left : sequence of str
        Those that are in their places all the same, because the system would not let
        them be taken back.
    """

    def __init__(self, error: OSError, shown: str, left: Sequence[str]) -> None:
        super().__init__(error, shown, left)
        self.error = error
        self.shown = shown
        self.left = tuple(left)


def place_all(staged: Sequence[Staged], *, replace: bool) -> None:
    """
    Put files in their places, and take that back if one cannot be.

    Parameters
    ----------
    staged : sequence of Staged
    replace : bool
        Whether files that are there may be replaced.

    Raises
    ------
    UnwritableOutput
        If one is there and may not be replaced.
    NotPlaced
        If the system refuses.
    """
    done: list[tuple[Staged, Path | None]] = []
    try:
        for each in staged:
            try:
                kept = _second_name(each) if replace else None
                done.append((each, kept))
                _put(each, replace=replace)
            except OSError as error:
                done.pop()
                left = _take_back(done)
                if isinstance(error, FileExistsError) and not (replace or left):
                    raise appeared(each.shown) from None
                raise NotPlaced(error, each.shown, left) from error
    finally:
        for _, kept in done:
            if kept is not None:
                with contextlib.suppress(OSError):
                    kept.unlink()


def appeared(shown: str) -> UnwritableOutput:
    """Word that somebody else made an output that must not be replaced."""
    return UnwritableOutput(
        "it appeared while the work was done, and was left as it is. No output was "
        "written.",
        "Write to another file, or add `replace true`.",
        file=shown,
    )


def _put(staged: Staged, *, replace: bool) -> None:
    if replace:
        staged.here.replace(staged.place)
    else:
        move_to_free_place(staged.here, staged.place)


def _second_name(staged: Staged) -> Path | None:
    """Keep the file that is there by another name, where the disk has links."""
    if not staged.place.exists():
        return None
    # Named as one that is unfinished, so that the next run removes it after a kill.
    kept = staged.here.with_suffix(".old.part")
    try:
        os.link(staged.place, kept)
    except OSError:
        return None
    return kept


def _take_back(done: Sequence[tuple[Staged, Path | None]]) -> list[str]:
    """Undo what was put in place; return what could not be undone."""
    left = []
    for each, kept in reversed(done):
        try:
            if kept is not None:
                kept.replace(each.place)
            else:
                each.place.unlink()
        except OSError:
            left.append(each.shown)
    return left


class Privacy(msgspec.Struct, frozen=True):
    """
    Who may read what is made of some files: nobody who may not read all of them.

    Attributes
    ----------
    mode : int
        The permissions that a new file may have at most (POSIX, `chmod`).
    group : int, optional
        The group whose members may read all of the files, by number; None where no
        group may, or all groups may.
    """

    mode: int = _ALL_MAY
    group: int | None = None

    def narrowed(self, mode: int, group: int) -> int:
        """
        Return the permissions that a file of some group may have.

        Parameters
        ----------
        mode : int
            The permissions it would have.
        group : int
        """
        allowed = self.mode
        if self.group is not None and group != self.group:
            allowed &= ~_GROUP_MAY
        return mode & (allowed | 0o111)


def privacy_of(paths: Sequence[Path]) -> Privacy:
    """Return who may read what is made of some files; Windows knows no such modes."""
    mode, groups = _ALL_MAY, set()
    if not has_permissions():
        return Privacy()
    for path in paths:
        with contextlib.suppress(OSError, ValueError):
            facts = path.stat()
            # Who may read is what counts; a source that nobody may write to makes no
            # output that nobody may write to.
            readable = facts.st_mode & 0o444
            mode &= _OWNER_MAY | readable | readable >> 1
            if not facts.st_mode & 0o004:
                groups.add(facts.st_gid)
    if len(groups) > 1:
        mode &= ~_GROUP_MAY
    return Privacy(mode, groups.pop() if len(groups) == 1 else None)
