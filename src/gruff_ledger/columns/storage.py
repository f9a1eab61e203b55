"""Where columns live that are made: in memory, unless a run puts them elsewhere.

All work asks `storage` for the place in use, and works in the same way whatever that
is, so that it gives the same result to the byte. There are two: `Memory` here, and
`gruff_ledger.storage.files.Files` for lists that are larger than it. Which of them is
in use belongs to the context of a run (PEP 567): threads copy it from whoever begins
them, and runs beside or within each other keep their own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextvars import ContextVar
from typing import Any, Protocol, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Indices

_T = TypeVar("_T")
_R = TypeVar("_R")


class Gathering(Protocol):
    """Records of a list that come in bit by bit."""

    def add(self, columns: Sequence[Column]) -> None:
        """Take the next records, field by field."""

    def columns(self) -> list[Column]:
        """Return all records, field by field."""


class Storage(Protocol):
    """
    A place for columns.

    Attributes
    ----------
    holds_whole : bool
        Whether copies of a whole list fit beside it. Where they do not, work goes
        through it part by part, from first to last.
    most_joined_bytes : int
        How large a column may be made of one piece.
    """

    holds_whole: bool
    most_joined_bytes: int

    def gathered(self, columns: Iterable[Column]) -> Column:
        """Return columns end to end; each is let go before the next but few is made."""

    def gathering(self, width: int) -> Gathering:
        """Begin to gather records with so many fields."""

    def kept(self, column: Column) -> Column:
        """Return a column as it lies here, for it will be needed for long."""

    def taken(
        self, column: Column, indices: npt.NDArray[np.integer]
    ) -> Iterator[Column] | None:
        """Yield the cells at indices bit by bit; None to have them picked at once."""

    def parted(
        self,
        values: npt.NDArray[Any],
        part_of: Callable[[npt.NDArray[Any], int], npt.NDArray[np.uint16]],
    ) -> Iterable[tuple[Indices, npt.NDArray[Any]]]:
        """
        Part values so that each part can be looked at here and there.

        Parameters
        ----------
        values : ndarray, shape (n,)
        part_of : callable
            Returns the number of the part for each of some values, of so many parts;
            equal values are in one part.

        Yields
        ------
        places : ndarray of int64
            Where the values of a part stand among all, in rising order.
        values : ndarray
        """

    def each(self, made: Callable[[_T], _R], items: Iterable[_T]) -> Iterable[_R]:
        """Apply a function that makes columns to all items: in threads, if they fit."""


class _GatheringInMemory:
    """Records that are held as they come."""

    def __init__(self, width: int) -> None:
        self._parts: list[list[Column]] = [[] for _ in range(width)]

    def add(self, columns: Sequence[Column]) -> None:
        """Take the next records."""
        for part, column in zip(self._parts, columns, strict=True):
            part.append(column)

    def columns(self) -> list[Column]:
        """Return all records."""
        return [storage().gathered(part) for part in self._parts]


class Memory:
    """Memory, which holds whole lists."""

    holds_whole = True

    # A chunk's offsets are 32-bit numbers; well below that limit one chunk will do.
    most_joined_bytes = 1 << 30

    def gathered(self, columns: Iterable[Column]) -> Column:
        """Return columns end to end, without copying cells."""
        chunks = [chunk for column in columns for chunk in column.chunks]
        return pa.chunked_array(chunks, pa.string())

    def gathering(self, width: int) -> Gathering:
        """Begin to gather records."""
        return _GatheringInMemory(width)

    def kept(self, column: Column) -> Column:
        """Return a column as it is."""
        return column

    def taken(
        self, column: Column, indices: npt.NDArray[np.integer]
    ) -> Iterator[Column] | None:
        """Have cells picked at once."""
        return None

    def parted(
        self,
        values: npt.NDArray[Any],
        part_of: Callable[[npt.NDArray[Any], int], npt.NDArray[np.uint16]],
    ) -> Iterable[tuple[Indices, npt.NDArray[Any]]]:
        """Return all values as one part."""
        return [(np.arange(len(values), dtype=np.int64), values)]

    def each(self, made: Callable[[_T], _R], items: Iterable[_T]) -> Iterable[_R]:
        """Apply a function to all items, in threads."""
        return mapped(made, items)


_MEMORY = Memory()

STORAGE: ContextVar[Storage] = ContextVar("storage")


def storage() -> Storage:
    """Return the place in use."""
    return STORAGE.get(_MEMORY)
