"""How far a long step is: told by its outermost loop, and by no loop within that."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Iterator
from contextvars import ContextVar
from typing import TypeVar

_T = TypeVar("_T")

_tell: ContextVar[Callable[[str, int, int], None] | None] = ContextVar(
    "tell", default=None
)


@contextlib.contextmanager
def telling_shares(tell: Callable[[str, int, int], None]) -> Iterator[None]:
    """
    Have loops tell how far they are.

    Parameters
    ----------
    tell : callable
        Told what is done, how many parts of it are done, and how many there are; 0 of
        0 once all are.
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

    Loops within the work on an item tell nothing: one step has one measure.

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
    _tell.set(None)
    try:
        tell(what, 0, total)
        for number, item in enumerate(items, 1):
            yield item
            tell(what, number, total)
        # What comes next is not measured, and must not look done.
        tell("", 0, 0)
    finally:
        _tell.set(tell)
