"""How far a long step is: told by its loops and parts, the inner within the outer."""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextvars import ContextVar
from typing import TypeVar

_T = TypeVar("_T")

# Told what is done, how many parts of it are done, and how many there are.
Tell = Callable[[str, float, int], None]


# What the first loop within a part is taken for, of the part; and the next one of the
# rest. How many there are is not known, and none may take back what was told.
_FIRST_LOOP = 0.9


class _Within:
    """Parts of an outer loop: what is done in one counts as a share of that part."""

    def __init__(self, tell: Tell, what: str, ends: Sequence[int]) -> None:
        self._tell = tell
        self._what = what
        # Where each part begins, and where the last one ends.
        self._ends = ends
        self.done = 0
        self._share = self._base = 0.0

    def finish(self) -> None:
        """Tell that another part is done."""
        self.done = min(self.done + 1, len(self._ends) - 1)
        self._share = 0.0
        self._tell(self._what, self._ends[self.done], self._ends[-1])

    def __call__(self, what: str, done: float, total: int) -> None:
        if not done:
            self._base = self._share
            return
        if self.done == len(self._ends) - 1:
            # All is done already: items may be made in a loop of their own.
            return
        rest = (1 - self._base) * _FIRST_LOOP
        self._share = self._base + min(done / total, 1.0) * rest
        start, end = self._ends[self.done : self.done + 2]
        at = start + self._share * (end - start)
        self._tell(what or self._what, at, self._ends[-1])


_tell: ContextVar[Tell | None] = ContextVar("tell", default=None)


@contextlib.contextmanager
def telling_shares(tell: Tell | None) -> Iterator[None]:
    """
    Have loops tell how far they are.

    Parameters
    ----------
    tell : callable, optional
        Told what is done, how many parts of it are done, and how many there are; 0 of
        0 once all are. With None nothing is told.
    """
    before = _tell.get()
    _tell.set(tell)
    try:
        yield
    finally:
        _tell.set(before)


def in_turn(items: Iterable[_T], total: int, what: str = "") -> Iterator[_T]:
    """
    Yield items, and tell after each how far they are.

    Loops within the work on an item tell of a share of that item: one step has one
    measure.

    Parameters
    ----------
    items : iterable
    total : int
        How many there are.
    what : str
        What is done with them, such as ``comparing``; empty where the step says it.
    """
    tell = _tell.get()
    if tell is None or total < 2:
        yield from items
        return
    within = _Within(tell, what, range(total + 1))
    # An item is made, and what is done with it is done, within its own part.
    _tell.set(within)
    try:
        tell(what, 0, total)
        for item in items:
            yield item
            within.finish()
        # What comes next is not measured, and must not look done.
        tell("", 0, 0)
    finally:
        _tell.set(tell)


@contextlib.contextmanager
def in_parts(*weights: int) -> Iterator[None]:
    """
    Have a step that is several operations, one after the other, tell how far it is.

    `part_is_done` says that one of them is; loops within one tell of a share of it. A
    function can be marked with this, too.

    Parameters
    ----------
    *weights : int
        How long each operation takes beside the others, as measured on large lists.
        Some may be left out.
    """
    tell = _tell.get()
    if tell is None:
        yield
        return
    ends = (0, *itertools.accumulate(weights))
    _tell.set(_Within(tell, "", ends))
    try:
        tell("", 0, ends[-1])
        yield
        tell("", ends[-1], ends[-1])
        tell("", 0, 0)
    finally:
        _tell.set(tell)


def part_is_done() -> None:
    """Tell that an operation of what is `in_parts` is done."""
    within = _tell.get()
    if isinstance(within, _Within):
        within.finish()
