"""Threads that array work is spread over; each works in the context it was begun in."""

from __future__ import annotations

import contextvars
import os
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any, ParamSpec, TypeVar

from gruff_ledger.columns.shares import in_turn, telling_shares

_T = TypeVar("_T")
_R = TypeVar("_R")
_P = ParamSpec("_P")

# What a thread knows of itself; see `map_whole`.
_thread = threading.local()


class Threads(ThreadPoolExecutor):
    """As many threads as array work is spread over."""

    def __init__(self) -> None:
        super().__init__(thread_count())

    def submit(
        self, fn: Callable[_P, _T], /, *args: _P.args, **kwargs: _P.kwargs
    ) -> Future[_T]:
        """Have a function called, in a copy of the context here, telling no shares."""

        def work() -> _T:
            # Several at once, which would tell different things.
            with telling_shares(None):
                return fn(*args, **kwargs)

        return super().submit(contextvars.copy_context().run, work)


def begun_thread(work: Callable[[], None]) -> threading.Thread:
    """Begin a thread of its own for some work, in a copy of the context here."""
    context = contextvars.copy_context()
    thread = threading.Thread(target=context.run, args=(work,), daemon=True)
    thread.start()
    return thread


def mapped(made: Callable[[_T], _R], items: Iterable[_T]) -> list[_R]:
    """Apply a function that releases the interpreter lock to all items, in threads."""
    is_one = isinstance(items, Sequence) and len(items) < 2
    if is_one or getattr(_thread, "is_busy_with_its_own", False):
        return _map_in_turn(made, items)
    with Threads() as threads:
        return list(threads.map(made, items))


def map_telling(
    made: Callable[[_T], _R],
    items: Sequence[_T],
    what: str = "",
    *,
    threaded: bool = True,
) -> list[_R]:
    """Apply a function to all items, in threads or not, and tell how many are done."""
    done = map_ahead(made, items) if threaded else map(made, items)
    return list(in_turn(done, len(items), what))


def map_ahead(made: Callable[[_T], _R], items: Iterable[_T]) -> Iterator[_R]:
    """Apply a function to items in threads, a few ahead of the one that is wanted."""
    from collections import deque

    is_one = isinstance(items, Sequence) and len(items) < 2
    if is_one or getattr(_thread, "is_busy_with_its_own", False):
        yield from map(made, items)
        return
    waiting: deque[Any] = deque()
    with Threads() as threads:
        try:
            for item in items:
                waiting.append(threads.submit(made, item))
                if len(waiting) > 2 * thread_count():
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            # Whoever asked may have had enough.
            for each in waiting:
                each.cancel()


def map_whole(made: Callable[[_T], _R], items: Sequence[_T]) -> list[_R]:
    """
    Apply a function to all items in threads, each of which does all of its own work.

    Where there are as many items as threads, that is better than to spread the work on
    each of them over all threads in turn. How many are done is told.
    """
    if len(items) < thread_count():
        return _map_in_turn(made, items)

    def alone(item: _T) -> _R:
        _thread.is_busy_with_its_own = True
        try:
            return made(item)
        finally:
            _thread.is_busy_with_its_own = False

    with Threads() as threads:
        return list(in_turn(threads.map(alone, items), len(items)))


def _map_in_turn(made: Callable[[_T], _R], items: Iterable[_T]) -> list[_R]:
    return [made(item) for item in items]


def thread_count() -> int:
    """Return how many threads array work is spread over."""
    return max(1, min(8, os.cpu_count() or 1))
