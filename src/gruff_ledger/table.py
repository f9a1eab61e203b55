"""Table and Origin: the one thing that flows through everything.

A Table is immutable. Work returns a new one that shares the columns it did not touch.
What always holds: every column is a chunked Arrow array of text without nulls, all are
as long as the origin, and headings are distinct.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.problems import BadTerms

Mask = npt.NDArray[np.bool_]
Indices = npt.NDArray[np.int64]
Column = Any  # pa.ChunkedArray of pa.string(); pyarrow ships no types

_T = TypeVar("_T")
_R = TypeVar("_R")

# Below this many records a thread costs more than it saves.
_THREADED_FROM = 50_000


@dataclass(frozen=True, slots=True)
class Origin:
    """
    Where each record of a table came from.

    Attributes
    ----------
    source : ndarray of int32, shape (n,)
        Position of the source in the run's list of sources.
    record : ndarray of int64, shape (n,)
        Record number in that source, from 1 below the heading.
    """

    source: npt.NDArray[np.int32]
    record: Indices

    def __len__(self) -> int:
        return len(self.record)

    @classmethod
    def counted(cls, source: int, first: int, n: int) -> Origin:
        """Return the origin of `n` records of one source, numbered from `first`."""
        return cls(
            np.full(n, source, np.int32), np.arange(first, first + n, dtype=np.int64)
        )

    @classmethod
    def concat(cls, origins: Sequence[Origin]) -> Origin:
        """Return the origins end to end."""
        if not origins:
            return cls.counted(0, 1, 0)
        return cls(
            np.concatenate([each.source for each in origins]),
            np.concatenate([each.record for each in origins]),
        )

    def pick(self, which: Mask | Indices | slice) -> Origin:
        """Return the origins at a mask, indices or slice."""
        return Origin(self.source[which], self.record[which])


@dataclass(frozen=True, slots=True)
class Table:
    """
    A list in memory: headings, one array of text a field, and each record's origin.

    Attributes
    ----------
    headings : tuple of str, distinct
    columns : tuple of pyarrow.ChunkedArray of string, without nulls
    origin : Origin, n records
    name : str
        What the person calls the list; used in messages.
    """

    headings: tuple[str, ...]
    columns: tuple[Column, ...]
    origin: Origin
    name: str = "the list"

    def __post_init__(self) -> None:
        assert len(self.headings) == len(self.columns)
        assert len(set(self.headings)) == len(self.headings)
        assert all(len(column) == len(self.origin) for column in self.columns)

    @classmethod
    def from_records(
        cls,
        headings: Sequence[str],
        records: Iterable[Sequence[str]],
        *,
        name: str = "the list",
        source: int = 0,
    ) -> Table:
        """Make a table of a few records given one by one, numbered from 1."""
        rows = list(records)
        columns = tuple(
            text_column(row[place] for row in rows) for place in range(len(headings))
        )
        return cls(tuple(headings), columns, Origin.counted(source, 1, len(rows)), name)

    def __len__(self) -> int:
        return len(self.origin)

    def column(self, heading: str) -> Column:
        """Return the array of a field, by its exact heading."""
        return self.columns[self.headings.index(heading)]

    def records(self, start: int = 0, stop: int | None = None) -> list[tuple[str, ...]]:
        """Return a few records as tuples of text, for showing and for tests."""
        length = max(0, (len(self) if stop is None else min(stop, len(self))) - start)
        if not self.columns:
            return [()] * length
        parts = [column.slice(start, length).to_pylist() for column in self.columns]
        return list(zip(*parts, strict=True))

    def filter(self, mask: Mask) -> Table:
        """Return the records where `mask`, a bool a record, is true."""
        wanted = pa.array(mask)
        return self._made_of(lambda column: column.filter(wanted), mask)

    def take(self, indices: Indices) -> Table:
        """Return the records at `indices`, in that order."""
        wanted = pa.array(indices)
        return self._made_of(lambda column: column.take(wanted), indices)

    def slice(self, start: int, stop: int) -> Table:
        """Return the records from `start` up to `stop`, without copying cells."""
        columns = tuple(column.slice(start, stop - start) for column in self.columns)
        return Table(
            self.headings, columns, self.origin.pick(slice(start, stop)), self.name
        )

    def with_field(self, heading: str, column: Column, at: int | None = None) -> Table:
        """
        Return the table with one field more, last unless `at` gives its position.

        Raises
        ------
        BadTerms
            If the list already has a field of that heading.
        """
        if heading in self.headings:
            raise BadTerms(
                f"the list already has a field '{heading}'.",
                "Choose another heading for the new field.",
                file=self.name,
                field=heading,
            )
        place = len(self.headings) if at is None else at
        return Table(
            (*self.headings[:place], heading, *self.headings[place:]),
            (*self.columns[:place], column, *self.columns[place:]),
            self.origin,
            self.name,
        )

    def renamed(self, name: str) -> Table:
        """Return the same list under another name."""
        return Table(self.headings, self.columns, self.origin, name)

    def _made_of(self, made: Callable[[Column], Column], which: Any) -> Table:
        work = mapped if len(self) >= _THREADED_FROM else _mapped_in_turn
        columns = tuple(work(made, self.columns))
        return Table(self.headings, columns, self.origin.pick(which), self.name)


def text_column(cells: Iterable[str]) -> Column:
    """Return an Arrow column of the given texts."""
    return pa.chunked_array([pa.array(list(cells), pa.string())])


def constant_column(text: str, n: int) -> Column:
    """Return a column that holds one text `n` times."""
    # Chunks bound the offsets, which a single array of long texts could overflow.
    step = 1 << 16
    if n == 0:
        return text_column(())
    whole = pa.repeat(pa.scalar(text, pa.string()), min(step, n))
    chunks = [whole.slice(0, min(step, n - start)) for start in range(0, n, step)]
    return pa.chunked_array(chunks)


def spread_column(distinct: Sequence[str], codes: npt.NDArray[np.integer]) -> Column:
    """Return the column whose record i holds ``distinct[codes[i]]``."""
    values = pa.array(list(distinct), pa.string())
    step = 1 << 20
    chunks = [
        values.take(pa.array(codes[start : start + step]))
        for start in range(0, len(codes), step)
    ]
    return pa.chunked_array(chunks, pa.string())


def number_column(numbers: npt.NDArray[np.integer]) -> Column:
    """Return whole numbers as a column of decimal text."""
    return pa.chunked_array([pa.array(numbers).cast(pa.string())])


def concat_columns(columns: Sequence[Column]) -> Column:
    """Return columns end to end, without copying cells."""
    chunks = [chunk for column in columns for chunk in column.chunks]
    return pa.chunked_array(chunks, pa.string())


def mapped(made: Callable[[_T], _R], items: Iterable[_T]) -> list[_R]:
    """Apply a function that releases the interpreter lock to all items, in threads."""
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(thread_count()) as threads:
        return list(threads.map(made, items))


def _mapped_in_turn(made: Callable[[_T], _R], items: Iterable[_T]) -> list[_R]:
    return [made(item) for item in items]


def thread_count() -> int:
    """Return how many threads array work is spread over."""
    return max(1, min(8, os.cpu_count() or 1))
