"""Outputs that appear whole or not at all.

It goes in three steps. Outputs are claimed before any work is done: what would fail
for its name, its place or what is there already, fails then. Each is written beside its
place, in a hidden file with the mark of this run, and flushed to the disk as it grows.
Only when all outputs of a run are complete are they put in their places (`places`), and
so a run that fails or is killed while writing leaves every old file as it was. Signals
to end wait meanwhile, which takes a moment, and what was put in place is noted in
`PLACED`, so that whatever is said afterwards is true. What a killed run left beside
its places the next run on this machine removes, by that mark.
"""

from __future__ import annotations

import contextlib
import errno
import functools
import os
import stat
import zlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from types import TracebackType
from typing import BinaryIO, Protocol, Self

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.outputs.flush import Flushing, Writing
from gruff_ledger.lists.outputs.places import (
    NotPlaced,
    Privacy,
    Staged,
    appeared,
    place_all,
    privacy_of,
)
from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.system.files import is_running, machine_name
from gruff_ledger.system.signals import held_back

# What this process has put in place, for whoever must say so when it is interrupted.
PLACED: list[str] = []

_NO_SPACE = {errno.ENOSPC, errno.EFBIG, getattr(errno, "EDQUOT", errno.ENOSPC)}


# Names of files have up to 255 bytes on most disks; the mark takes some of them.
_MOST_NAME_BYTES = 180

# What `_run_mark` makes, and its ending.
_LEFT = late_pattern(r"([0-9a-f]{8})-([0-9]+)-[0-9a-f]{8}(?:\.old)?\.part")


class Joined(Protocol):
    """What is written elsewhere than in a file, all of it or nothing."""

    def commit(self) -> None:
        """Make what was written there for good."""

    def abandon(self) -> None:
        """Leave all as it was, unless it was made for good."""


class Outputs:
    """
    The outputs of one run, written together; use as a context manager.

    Parameters
    ----------
    sources : iterable of Path
        The files the run reads: none of them may be an output, and what is made of
        them is as private as they are.
    replace : bool
        Whether outputs that exist may be replaced.
    made_from : mapping of Path to str, optional
        What else the run is made from, with what that is: a docket, rules, decisions.
        None of them may be an output either.
    below : sequence of Path, optional
        The folders that outputs must lie below, links followed; none for anywhere.
    """

    def __init__(
        self,
        sources: Iterable[Path] = (),
        *,
        replace: bool = False,
        made_from: Mapping[Path, str] | None = None,
        below: Sequence[Path] = (),
    ) -> None:
        self._sources = tuple(sources)
        self._made_from = dict(made_from or {})
        self._below = tuple(_follow_links(each) for each in below)
        self._privacy = privacy_of([*self._sources, *self._made_from])
        self.may_replace = replace
        self._claimed: dict[Path, str] = {}
        self._staged: list[Staged] = []
        self._made: list[Path] = []
        self._open: list[BinaryIO] = []
        # Flushing waits for the disk, not for the processor: an output is flushed while
        # it and the next ones are made.
        self._flushing: list[Flushing] = []
        self._behind: list[Writing] = []
        self._joined: list[Joined] = []

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        for sink in self._open:
            with contextlib.suppress(OSError):
                sink.close()
        for writing in self._behind:
            # What it writes to is closed: it ends soon.
            writing.join()
        for each in self._joined:
            each.abandon()
        for flushing in self._flushing:
            flushing.give_up()
        for staged in self._staged:
            _remove(staged.here)
        for folder in reversed(self._made):
            with contextlib.suppress(OSError):
                folder.rmdir()

    def join(self, joined: Joined) -> None:
        """Have something else put in its place, or left as it is, with the outputs."""
        self._joined.append(joined)

    def claim(self, path: Path) -> None:
        """
        Check, before any work is done, that `path` may be written.

        Raises
        ------
        UnwritableOutput
            If it is a folder, one of the sources, claimed twice, or exists and may
            not be replaced.
        """
        shown = str(path)
        try:
            self._check(self._placed(path), shown)
        except OSError as error:
            raise _word_unwritable(error, shown) from error

    def _placed(self, path: Path) -> Path:
        """Follow links, and refuse a place outside the folders allowed."""
        place = _follow_links(path)
        if self._below and not any(place.is_relative_to(each) for each in self._below):
            raise UnwritableOutput(
                f"it is a link to '{place}', which lies outside the docket's folder, "
                "where a docket may not write.",
                "Remove the link, or allow it with `anywhere`.",
                file=str(path),
            )
        return place

    def _check(self, place: Path, shown: str) -> None:
        if place.is_dir():
            raise UnwritableOutput(
                "it is a folder, not a file.", "Name a file in it.", file=shown
            )
        for source in self._sources:
            if _same_file(place, source):
                raise UnwritableOutput(
                    "it is one of the sources; a source is never written to.",
                    "Write to another file.",
                    file=shown,
                )
        for made_from, what in self._made_from.items():
            if place == _follow_links(made_from) or _same_file(place, made_from):
                raise UnwritableOutput(
                    f"it is {what}: what a run is made from is never written to.",
                    "Write to another file.",
                    file=shown,
                )
        if place in self._claimed:
            raise UnwritableOutput(
                "two outputs would be written to it.",
                "Give each a file of its own.",
                file=shown,
            )
        if place.exists() and not self.may_replace and not _is_stream(place):
            raise UnwritableOutput(
                "it exists already.",
                "Write to another file, or add `replace true` to replace it.",
                file=shown,
            )
        self._claimed[place] = shown

    def write(self, path: Path, write: Callable[[BinaryIO], object]) -> None:
        """
        Write one output beside its place; `commit` puts it there.

        Raises
        ------
        UnwritableOutput
            If the folder is missing or not writable, or the disk is full.
        """
        self.end(path, self.begin(path), write)

    def write_behind(self, path: Path, write: Callable[[BinaryIO], object]) -> None:
        """
        Write one output in a thread, while the next ones are made; see `write`.

        What is wrong with it is raised by whatever looks at written outputs next:
        `staged`, `facts_of`, `commit` or another `write_behind`.
        """
        # One at a time: each uses all processors as far as it can.
        self._wait()
        sink = self.begin(path)
        self._behind.append(Writing(lambda: self.end(path, sink, write)))

    def _wait(self) -> None:
        """Wait for what is written in a thread, and raise what went wrong there."""
        while self._behind:
            self._behind[-1].join()
            error = self._behind.pop().error
            if error is not None:
                raise error

    def begin(self, path: Path) -> BinaryIO:
        """
        Open one output beside its place, to be written bit by bit until `end`.

        Raises
        ------
        UnwritableOutput
            If the folder is missing or not writable.
        """
        shown = str(path)
        place = self._placed(path)
        try:
            if _is_stream(place):
                sink = place.open("wb")
                self._open.append(sink)
                return sink
            self._make_folders(place.parent)
            _remove_left(place)
            beside = place.with_name(f"{_unfinished(place)}{_run_mark()}.part")
            self._staged.append(Staged(beside, place, shown))
            made = self._made_private(beside, place)
            self._open.append(made)
            self._flushing.append(Flushing(beside, shown, made))
            return made
        except OSError as error:
            raise _word_unwritable(error, shown) from error

    def _made_private(self, beside: Path, place: Path) -> BinaryIO:
        """Make a file that nobody may read who may not read what it is made of."""
        privacy = self._privacy
        # Before anything is in it: what only its owner may read must not lie open
        # meanwhile.
        mode = privacy.mode if privacy == Privacy() else 0o600
        flags = os.O_CREAT | os.O_EXCL | os.O_RDWR | getattr(os, "O_BINARY", 0)
        sink: BinaryIO = os.fdopen(os.open(beside, flags, mode), "wb")
        try:
            facts = beside.stat()
            if place.exists():
                wanted = stat.S_IMODE(place.stat().st_mode)
            elif privacy == Privacy():
                return sink
            else:
                wanted = 0o666 & ~_umask()
            beside.chmod(privacy.narrowed(wanted, facts.st_gid))
        except BaseException:
            sink.close()
            raise
        return sink

    def end(
        self, path: Path, sink: BinaryIO, write: Callable[[BinaryIO], object]
    ) -> None:
        """
        Write the rest of an output that was begun, and have it flushed to the disk.

        Raises
        ------
        UnwritableOutput
            If the disk is full, or writing fails in another way.
        """
        shown = str(path)
        try:
            write(sink)
            sink.close()
            self._open.remove(sink)
            for each in self._flushing:
                if each.sink is sink:
                    each.end()
        except OSError as error:
            raise _word_unwritable(error, shown) from error

    def facts_of(self, path: Path) -> dict[str, int]:
        """Return size and time of an output that was written, as it will lie there."""
        facts = self.staged(path).stat()
        return {"size_bytes": facts.st_size, "modified_ns": facts.st_mtime_ns}

    def staged(self, path: Path) -> Path:
        """Return where an output lies until it is put in its place."""
        self._wait()
        place = _follow_links(path)
        for staged in self._staged:
            if staged.place == place:
                return staged.here
        return place

    def commit(self) -> None:
        """
        Put all written outputs in their places, once all of them are on the disk.

        Raises
        ------
        UnwritableOutput
            If one cannot be flushed, has appeared meanwhile, or cannot be replaced.
        """
        self._wait()
        for flushing in self._flushing:
            flushing.join()
            if flushing.error is not None:
                raise _word_unwritable(
                    flushing.error, flushing.shown
                ) from flushing.error
        with held_back():
            for each in self._staged:
                if each.place.exists() and not self.may_replace:
                    raise appeared(each.shown)
            # What is more likely to fail than a renaming comes before it.
            for joined in self._joined:
                joined.commit()
            try:
                place_all(self._staged, replace=self.may_replace)
            except NotPlaced as refused:
                raise self._not_placed(refused) from refused.error
            except UnwritableOutput as problem:
                problem.what += self._also_written()
                raise
            # In the order in which they are thought of: the ledger last.
            claimed = [*self._claimed.values(), *(each.shown for each in self._staged)]
            placed = {each.shown for each in self._staged}
            PLACED.extend(each for each in dict.fromkeys(claimed) if each in placed)
            self._staged.clear()
            self._made.clear()

    def _not_placed(self, refused: NotPlaced) -> UnwritableOutput:
        problem = _word_unwritable(refused.error, refused.shown)
        problem.what += self._also_written()
        if refused.left:
            named = ", ".join(refused.left)
            problem.what += f" These were written all the same: {named}."
        return problem

    def _also_written(self) -> str:
        """Say what a failed run has made for good elsewhere."""
        return " The tables of the database were written." if self._joined else ""

    def _make_folders(self, folder: Path) -> None:
        missing = [each for each in (folder, *folder.parents) if not each.exists()]
        for each in reversed(missing):
            try:
                each.mkdir()
            except FileExistsError:
                # Another run may have made it just now.
                if not each.is_dir():
                    raise
                continue
            self._made.append(each)


def _run_mark() -> str:
    """Return what tells the unfinished outputs of this run from those of others."""
    return f"{_machine()}-{os.getpid()}-{os.urandom(4).hex()}"


@functools.cache
def _machine() -> str:
    # A folder can be shared by machines, whose processes have numbers in common.
    return f"{zlib.crc32(machine_name().encode()):08x}"


def _remove_left(place: Path) -> None:
    """Remove what a killed run on this machine left beside an output."""
    with contextlib.suppress(OSError):
        for each in place.parent.iterdir():
            name = each.name
            begin = _unfinished(place)
            if not (name.startswith(begin) and name.endswith(".part")):
                continue
            left = _LEFT.fullmatch(name.removeprefix(begin))
            if left and left[1] == _machine() and not is_running(int(left[2])):
                _remove(each)


def _unfinished(place: Path) -> str:
    """Return how the names of an output's unfinished files begin."""
    name = place.name
    if len(os.fsencode(name)) > _MOST_NAME_BYTES:
        # With what is added to it, it would be too long for a disk.
        name = f"{zlib.crc32(os.fsencode(name)):08x}"
    return f".{name}."


def _follow_links(path: Path) -> Path:
    """Follow links, so that a linked file is replaced and not the link to it."""
    try:
        return path.resolve()
    except (OSError, RuntimeError, ValueError) as error:
        raise UnwritableOutput(
            f"its path cannot be followed ({error}).", "Name another.", file=str(path)
        ) from error


def _same_file(one: Path, other: Path) -> bool:
    with contextlib.suppress(OSError):
        return one.samefile(other)
    return False


def _umask() -> int:
    """Return what the person's settings take from the permissions of new files."""
    # There is no asking without setting; nothing else makes files meanwhile that
    # could be read by more than it leaves.
    mask = os.umask(0o077)
    os.umask(mask)
    return mask


def _is_stream(path: Path) -> bool:
    """Tell a device or pipe, which is written straight to, from a file."""
    return path.exists() and not path.is_file()


def _remove(path: Path) -> None:
    with contextlib.suppress(OSError):
        path.unlink()


def _word_unwritable(error: OSError, shown: str) -> UnwritableOutput:
    if error.errno in _NO_SPACE:
        return UnwritableOutput(
            "there is no room left to write it. Nothing was replaced.",
            "Free some space, or write to another disk.",
            file=shown,
        )
    if isinstance(error, PermissionError):
        return UnwritableOutput(
            "it may not be written: permission is denied, or another program has it "
            "open.",
            "Close it there, or write to a folder of your own.",
            file=shown,
        )
    if isinstance(error, NotADirectoryError | FileExistsError):
        return UnwritableOutput(
            "a part of its path is a file, not a folder.",
            "Correct the path.",
            file=shown,
        )
    return UnwritableOutput(
        f"it cannot be written: {error.strerror or error}.",
        "Correct the path, or write elsewhere.",
        file=shown,
    )
