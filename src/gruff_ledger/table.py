"""Table and Origin: the one thing that flows through everything.

A Table is immutable. Work returns a new one that shares the columns it did not touch.
What always holds: every column is a chunked Arrow array of text without nulls, all are
as long as the origin, and headings are distinct.
"""

from __future__ import annotations

import functools
import itertools
import os
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, TypeGuard, TypeVar

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
from msgspec import structs

from gruff_ledger.problems import BadTerms

Mask = npt.NDArray[np.bool_]
Indices = npt.NDArray[np.int64]
Column = Any  # pa.ChunkedArray of pa.string(); pyarrow ships no types

_T = TypeVar("_T")
_R = TypeVar("_R")

# What a thread knows of itself; see `mapped_whole`.
_thread = threading.local()

# Below this many records a thread costs more than it saves.
_THREADED_FROM = 10_000

# Records taken out here and there at a time, in threads.
_TAKEN_RECORDS = 1 << 17

# The same, of a list that lies in files: each time much of it is gone through.
_SPREAD_RECORDS = 1 << 21

# Up to this many records Python is done before Arrow's functions on arrays are even
# loaded, which takes a sixth of the time of a whole small job.
_SMALL_RECORDS = 2_000


class Origin(msgspec.Struct, frozen=True, eq=False):
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


class Kept:
    """
    A column of which only some records are kept, taken out when they are looked at.

    Most work looks at a few fields and drops a few records; copying the others each
    time would cost more than the work. Writing takes the records out stretch by
    stretch, so that the list and what is left of it are never both in memory.

    Parameters
    ----------
    base : Column, n records
    wanted : ndarray of bool, shape (n,)
        Shared by all columns that were narrowed together.
    """

    __slots__ = ("base", "made", "wanted")

    def __init__(self, base: Column, wanted: Mask) -> None:
        self.base = base
        self.wanted = wanted
        self.made: Column | None = None

    def column(self) -> Column:
        """Return the kept records; from then on only they are held."""
        if self.made is None:
            self.made = filtered(self.base, self.wanted)
            self.base = None
        return self.made


class Moved:
    """
    A column in another order, put in it when it is looked at.

    To pick up the cells of a record here and there in memory is most of the work of a
    sort; a writer that makes lines of the records first, and then orders the lines,
    does it once a record rather than once a cell.

    Parameters
    ----------
    base : Column, n records
    order : ndarray of int64, shape (n,)
        Shared by all columns that were ordered together.
    """

    __slots__ = ("base", "made", "order")

    def __init__(self, base: Column, order: Indices) -> None:
        self.base = base
        self.order = order
        self.made: Column | None = None

    def column(self) -> Column:
        """Return the records in their order; from then on only they are held."""
        if self.made is None:
            self.made = taken(self.base, self.order)
            self.base = None
        return self.made


Held = Any  # a Column, or Kept or Moved

# What puts large columns elsewhere than in memory, as their parts come, where that is
# wanted.
_store: Callable[[Iterable[Column]], Column] | None = None
_take: Callable[[Column, npt.NDArray[np.integer]], Iterator[Column]] | None = None


def store_columns_by(
    store: Callable[[Iterable[Column]], Column] | None,
    take: Callable[[Column, npt.NDArray[np.integer]], Iterator[Column]] | None = None,
) -> None:
    """
    Have columns that are made from now on put together by something else.

    Parameters
    ----------
    store : callable, optional
        Returns columns end to end; None to have that done here again.
    take : callable, optional
        Yields the cells of a large column at indices, bit by bit.
    """
    global _store, _take
    _store, _take = store, take


# What each new thread does first, where that is wanted.
_begin_thread: Callable[[], None] | None = None


def begin_threads_by(begin: Callable[[], None] | None) -> None:
    """Have each thread of `thread_pool` do something first; None for nothing."""
    global _begin_thread
    _begin_thread = begin


def thread_pool() -> Any:
    """Return an executor with as many threads as array work is spread over."""
    from concurrent.futures import ThreadPoolExecutor

    return ThreadPoolExecutor(thread_count(), initializer=_begin_thread)


class Table(msgspec.Struct, frozen=True, eq=False):
    """
    A list in memory: headings, one array of text a field, and each record's origin.

    Attributes
    ----------
    headings : tuple of str, distinct
    held : tuple of Column (pyarrow.ChunkedArray of string, without nulls), or of Kept
        or Moved
        See `columns` for the arrays themselves.
    origin : Origin, n records
    name : str
        What the person calls the list; used in messages.
    from_source : frozenset of str
        Headings of fields that only tell which list a record came from.
    beneath : str
        The heading of a field that is filled in records which are detail of the one
        above; empty where there are none.
    figures : frozenset of str
        Headings of fields that hold figures which work made, and not cells of a source:
        a workbook can hold them as numbers.
    root : callable, optional
        Returns the origins of records in terms of sources, where records that work
        made are told apart by origins of their own.
    """

    headings: tuple[str, ...]
    held: tuple[Held, ...]
    origin: Origin
    name: str = "the list"
    from_source: frozenset[str] = frozenset()
    beneath: str = ""
    figures: frozenset[str] = frozenset()
    root: Callable[[Origin], Origin] | None = None

    def __post_init__(self) -> None:
        assert len(self.headings) == len(self.held)
        assert len(set(self.headings)) == len(self.headings)
        assert all(
            isinstance(held, Kept | Moved) or len(held) == len(self.origin)
            for held in self.held
        )

    @classmethod
    def of_records(
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

    @property
    def places(self) -> Origin:
        """The origins of the records in terms of sources, to be told to people."""
        return self.origin if self.root is None else self.root(self.origin)

    @property
    def all_cells(self) -> tuple[Column, ...]:
        """The array of each field, in the order of the headings."""
        is_work = any(isinstance(held, Kept | Moved) for held in self.held)
        if not is_work or len(self) < _THREADED_FROM:
            return tuple(map(column_of, self.held))
        return tuple(mapped(column_of, self.held))

    def cells(self, heading: str) -> Column:
        """Return the array of a field, by its exact heading."""
        return column_of(self.held[self.headings.index(heading)])

    def texts(self, heading: str) -> list[str]:
        """
        Return the cells of a field as texts, record by record.

        Parameters
        ----------
        heading : str
            To the letter.
        """
        found: list[str] = self.cells(heading).to_pylist()
        return found

    def records(self, start: int = 0, stop: int | None = None) -> list[tuple[str, ...]]:
        """Return a few records as tuples of text, for showing and for tests."""
        length = max(0, (len(self) if stop is None else min(stop, len(self))) - start)
        if not self.held:
            return [()] * length
        parts = [column.slice(start, length).to_pylist() for column in self.all_cells]
        return list(zip(*parts, strict=True))

    def stretches(self, size: int) -> Iterator[Callable[[], list[Column]]]:
        """
        Cut the list in stretches of at most `size` records, for work in threads.

        Yields
        ------
        callable
            Returns the columns of the stretch, in the order of the headings.
        """
        pending = [each for each in self.held if _is_pending(each)]
        if pending and len(self) * 4 < len(pending[0].wanted):
            # Of many records few are left: they are taken out at once, for stretches
            # of almost nothing would cost more than they spare.
            pending = []
        wanted = pending[0].wanted if pending else np.ones(len(self), np.bool_)
        # What is taken out in another way is so before threads could do it twice.
        others = [
            each
            for each in self.held
            if isinstance(each, Kept | Moved)
            and not (_is_pending(each) and each.wanted is wanted)
        ]
        work = mapped if len(others) > 1 else _mapped_in_turn
        work(column_of, others)
        done = 0
        for start in range(0, len(wanted), size):
            part = wanted[start : start + size]
            count = int(np.count_nonzero(part))
            if count:
                yield functools.partial(
                    self._stretch, wanted, slice(start, start + size), done, count
                )
            done += count

    def _stretch(
        self, wanted: Mask, base: slice, start: int, count: int
    ) -> list[Column]:
        """Return `count` records from `start`, which lie at `base` where pending."""
        mask = wanted[base]
        return [
            filtered(held.base.slice(base.start, len(mask)), mask)
            if _is_pending(held) and held.wanted is wanted
            else column_of(held).slice(start, count)
            for held in self.held
        ]

    def keep_records(self, mask: Mask) -> Table:
        """Return the records where `mask`, a bool a record, is true."""
        narrowed: dict[int, Mask] = {}

        def kept(held: Held) -> Kept:
            if not _is_pending(held):
                return Kept(column_of(held), mask)
            if id(held.wanted) not in narrowed:
                wanted = held.wanted.copy()
                wanted[wanted] = mask
                narrowed[id(held.wanted)] = wanted
            return Kept(held.base, narrowed[id(held.wanted)])

        held = tuple(kept(each) for each in self.held)
        return self._with(held, self.origin.pick(mask))

    def before_keeping(self) -> tuple[list[Column], Mask] | None:
        """Return the columns as they were before `filter`, and the mask; or None."""
        pending = [each for each in self.held if _is_pending(each)]
        if not pending or len(pending) < len(self.held):
            return None
        wanted = pending[0].wanted
        if any(each.wanted is not wanted for each in pending):
            return None
        return [each.base for each in pending], wanted

    def pick_records(self, indices: Indices) -> Table:
        """Return the records at `indices`, in that order."""
        if len(indices) * 4 < len(self):
            # Arrow joins all chunks before it takes from them; picking out the few
            # that are wanted, chunk by chunk, is much less work.
            few = np.zeros(len(self), np.bool_)
            few[indices] = True
            return self.keep_records(few).pick_records((np.cumsum(few) - 1)[indices])
        work = mapped if len(self) >= _THREADED_FROM else _mapped_in_turn
        columns = tuple(work(lambda held: taken(column_of(held), indices), self.held))
        return self._with(columns, self.origin.pick(indices))

    def pick_first(self, n: int) -> Table:
        """Return the first records, without taking out all where they are pending."""
        n = min(n, len(self))
        stops: dict[int, int] = {}

        def first(held: Held) -> Held:
            if not _is_pending(held):
                return column_of(held).slice(0, n)
            if id(held.wanted) not in stops:
                found = np.flatnonzero(held.wanted)[:n]
                stops[id(held.wanted)] = int(found[-1]) + 1 if n else 0
            stop = stops[id(held.wanted)]
            return Kept(held.base.slice(0, stop), held.wanted[:stop])

        return self._with(tuple(map(first, self.held)), self.origin.pick(slice(0, n)))

    def in_order(self, order: Indices) -> Table:
        """Return all records in another order, given by their indices."""
        held = tuple(Moved(column_of(each), order) for each in self.held)
        return self._with(held, self.origin.pick(order))

    def before_order(self) -> tuple[tuple[Column, ...], Indices] | None:
        """Return the columns as they were before `in_order`, and the order; or None."""
        orders = {
            id(each.order) if isinstance(each, Moved) and each.made is None else 0
            for each in self.held
        }
        if len(orders) != 1 or 0 in orders:
            return None
        return tuple(each.base for each in self.held), self.held[0].order

    def cut_records(self, start: int, stop: int) -> Table:
        """Return the records from `start` up to `stop`, without copying cells."""
        columns = tuple(column.slice(start, stop - start) for column in self.all_cells)
        return self._with(columns, self.origin.pick(slice(start, stop)))

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
                f"{self.name} already has a field '{heading}'.",
                "Choose another heading for the new field.",
            )
        place = len(self.headings) if at is None else at
        return Table(
            (*self.headings[:place], heading, *self.headings[place:]),
            (*self.held[:place], column, *self.held[place:]),
            self.origin,
            self.name,
            self.from_source,
            self.beneath,
            self.figures,
            self.root,
        )

    def with_fields(self, headings: Sequence[str], held: Sequence[Held]) -> Table:
        """Return a list of the same records with these fields and no others."""
        return Table(
            tuple(headings),
            tuple(held),
            self.origin,
            self.name,
            self.from_source,
            self.beneath,
            self.figures,
            self.root,
        )

    def _with(self, held: tuple[Held, ...], origin: Origin) -> Table:
        """Return other records of the same fields."""
        return Table(
            self.headings,
            held,
            origin,
            self.name,
            self.from_source,
            self.beneath,
            self.figures,
            self.root,
        )

    def renamed(self, name: str) -> Table:
        """Return the same list under another name."""
        return structs.replace(self, name=name)


def _is_pending(held: Any) -> TypeGuard[Kept]:
    return isinstance(held, Kept) and held.made is None


def column_of(held: Held) -> Column:
    """Return the array of a field, however it is held."""
    return held.column() if isinstance(held, Kept | Moved) else held


def filtered(column: Column, wanted: Mask) -> Column:
    """Return the cells of a column where `wanted` is true."""
    if len(column) <= _SMALL_RECORDS:
        return text_column(itertools.compress(column.to_pylist(), wanted.tolist()))
    # Handed over as bits: Arrow's own conversion of an array loads a module for it.
    bits = pa.py_buffer(np.packbits(wanted, bitorder="little"))
    mask = pa.Array.from_buffers(pa.bool_(), len(wanted), [None, bits])
    call = arrow_functions().call_function
    if _store is None:
        return call("filter", [column, mask])

    def parts() -> Iterator[Column]:
        # A chunk at a time, so that no more of it than that is in memory.
        at = 0
        for chunk in column.chunks:
            part = call("filter", [chunk, mask.slice(at, len(chunk))])
            yield pa.chunked_array([part])
            at += len(chunk)

    return concat_columns(parts())


def taken(column: Column, indices: npt.NDArray[np.integer]) -> Column:
    """Return the cells of a column at `indices`, in that order."""
    if len(column) + len(indices) <= _SMALL_RECORDS:
        cells = column.to_pylist()
        return text_column(cells[index] for index in indices.tolist())
    if _is_few(len(indices), len(column)) and len(column.chunks) > 1:
        # Arrow joins all chunks before it takes from them.
        return concat_columns(
            _taken_here_and_there(column, indices[start : start + _SPREAD_RECORDS])
            for start in range(0, len(indices), _SPREAD_RECORDS)
        )
    at = number_array(indices.astype(np.int64, copy=False))
    take = arrow_functions().call_function
    whole = joined(column) if len(indices) > _TAKEN_RECORDS else column
    if _take is not None and len(whole.chunks) > 1:
        return concat_columns(_take(column, indices))
    if len(indices) <= _TAKEN_RECORDS or len(whole.chunks) != 1:
        return take("take", [column, at])
    (chunk,) = whole.chunks
    starts = range(0, len(indices), _TAKEN_RECORDS)

    def part(start: int) -> Column:
        places = at.slice(start, _TAKEN_RECORDS)
        return pa.chunked_array([take("take", [chunk, places])])

    return concat_columns(mapped_ahead(part, starts))


def _is_few(taken: int, n: int) -> bool:
    """Tell whether cells are so few that the others had better not be touched."""
    return taken * 4 < n and (_take is None or taken <= _SPREAD_RECORDS)


def _taken_here_and_there(column: Column, indices: npt.NDArray[np.integer]) -> Column:
    """Return cells of a column, chunk by chunk, without joining the chunks."""
    take = arrow_functions().call_function
    order = np.argsort(indices)
    rising = indices[order]
    ends = np.cumsum([len(chunk) for chunk in column.chunks])
    cuts = np.searchsorted(rising, ends)
    # Only the chunks that hold some of them are looked at.
    parts = []
    starts = np.concatenate([[0], cuts[:-1]])
    for number in np.flatnonzero(cuts > starts).tolist():
        chunk = column.chunk(number)
        mine = rising[starts[number] : cuts[number]] - (ends[number] - len(chunk))
        parts.append(take("take", [chunk, number_array(mine)]))
    places = np.empty(len(order), np.int64)
    places[order] = np.arange(len(order))
    whole = pa.concat_arrays(parts or [pa.array([], pa.string())])
    return pa.chunked_array([take("take", [whole, number_array(places)])])


def unequal(one: Column, other: Column) -> Mask:
    """Mark where two columns of equal length do not hold the same text."""
    if len(one) <= _SMALL_RECORDS:
        pairs = zip(one.to_pylist(), other.to_pylist(), strict=True)
        return np.fromiter((a != b for a, b in pairs), np.bool_, len(one))
    found = arrow_functions().call_function("not_equal", [one, other])
    return np.asarray(found.to_numpy(), np.bool_)


def arrow_functions() -> Any:
    """
    Return what calls Arrow's functions on arrays.

    `pyarrow.compute` makes a Python function of each of them when it is loaded, which
    is a twentieth of the time of a whole job on a million records. They lead here.
    """
    try:
        import pyarrow._compute as functions
    except ImportError:
        import pyarrow.compute as functions
    return functions


def number_array(numbers: npt.NDArray[np.number[Any]]) -> Any:
    """
    Return an Arrow array of whole numbers, of the same width.

    Arrow's own conversion loads a module of NumPy's that takes 10 ms, to see whether
    the array is a masked one.
    """
    there = pa.py_buffer(np.ascontiguousarray(numbers))
    kind = pa.from_numpy_dtype(numbers.dtype)
    return pa.Array.from_buffers(kind, len(numbers), [None, there])


def text_column(cells: Iterable[str]) -> Column:
    """Return an Arrow column of the given texts."""
    return pa.chunked_array([pa.array(list(cells), pa.string())])


def made_of_texts(column: Column, made: Callable[[str], str]) -> Column:
    """Return a column of what is made of each cell, by Python, a stretch at a time."""
    starts = range(0, len(column), _TAKEN_RECORDS)
    return concat_columns(
        text_column(map(made, column.slice(start, _TAKEN_RECORDS).to_pylist()))
        for start in starts
    )


def constant_column(text: str, n: int) -> Column:
    """Return a column that holds one text `n` times."""
    # Chunks bound the offsets, which a single array of long texts could overflow.
    step = 1 << 16
    if n == 0:
        return text_column(())
    whole = pa.repeat(pa.scalar(text, pa.string()), min(step, n))
    chunks = [whole.slice(0, min(step, n - start)) for start in range(0, n, step)]
    return pa.chunked_array(chunks)


def spread_column(
    distinct: Sequence[str] | Column, codes: npt.NDArray[np.integer]
) -> Column:
    """Return the column whose record i holds ``distinct[codes[i]]``."""
    values = (
        distinct if isinstance(distinct, pa.ChunkedArray) else text_column(distinct)
    )
    # In steps, so that the offsets of no chunk can overflow.
    step = 1 << 20
    starts = range(0, len(codes), step)
    return concat_columns(taken(values, codes[at : at + step]) for at in starts)


def number_column(numbers: npt.NDArray[np.integer]) -> Column:
    """Return whole numbers as a column of decimal text."""
    if len(numbers) <= _SMALL_RECORDS:
        return text_column(map(str, numbers.tolist()))
    functions = arrow_functions()
    as_text = functions.CastOptions(pa.string())

    def part(start: int) -> Column:
        mine = numbers[start : start + _TAKEN_RECORDS]
        array = number_array(mine.astype(np.int64, copy=False))
        return pa.chunked_array([functions.call_function("cast", [array], as_text)])

    return concat_columns(mapped_ahead(part, range(0, len(numbers), _TAKEN_RECORDS)))


def concat_columns(columns: Iterable[Column]) -> Column:
    """
    Return columns end to end, without copying cells.

    Where columns are made one by one as this asks for them, no more than a few are in
    memory while lists lie in files; see `gruff_ledger.storage.scratch`.
    """
    if _store is not None:
        return _store(columns)
    chunks = [chunk for column in columns for chunk in column.chunks]
    return pa.chunked_array(chunks, pa.string())


def joined(column: Column) -> Column:
    """Return a column in chunks as few as can be."""
    # A chunk's offsets are 32-bit numbers; well below that limit one chunk will do.
    # What is in one chunk already is not copied.
    if column.num_chunks == 1 or column.nbytes > (
        1 << 30 if _store is None else 1 << 22
    ):
        return column
    return pa.chunked_array(
        [pa.concat_arrays(column.chunks or [pa.array([], "string")])]
    )


def mapped(made: Callable[[_T], _R], items: Iterable[_T]) -> list[_R]:
    """Apply a function that releases the interpreter lock to all items, in threads."""
    is_one = isinstance(items, Sequence) and len(items) < 2
    if is_one or getattr(_thread, "is_busy_with_its_own", False):
        return _mapped_in_turn(made, items)
    with thread_pool() as threads:
        return list(threads.map(made, items))


def mapped_ahead(made: Callable[[_T], _R], items: Iterable[_T]) -> Iterator[_R]:
    """Apply a function to items in threads, a few ahead of the one that is wanted."""
    from collections import deque

    is_one = isinstance(items, Sequence) and len(items) < 2
    if is_one or getattr(_thread, "is_busy_with_its_own", False):
        yield from map(made, items)
        return
    waiting: deque[Any] = deque()
    with thread_pool() as threads:
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


def mapped_whole(made: Callable[[_T], _R], items: Sequence[_T]) -> list[_R]:
    """
    Apply a function to all items in threads, each of which does all of its own work.

    Where there are as many items as threads, that is better than to spread the work on
    each of them over all threads in turn.
    """
    if len(items) < thread_count():
        return _mapped_in_turn(made, items)

    def alone(item: _T) -> _R:
        _thread.is_busy_with_its_own = True
        try:
            return made(item)
        finally:
            _thread.is_busy_with_its_own = False

    return mapped(alone, items)


def _mapped_in_turn(made: Callable[[_T], _R], items: Iterable[_T]) -> list[_R]:
    return [made(item) for item in items]


def give_back_memory_at_once() -> None:
    """
    Have Arrow give what it frees back to the system at once.

    That takes a little time, and leaves room for NumPy, which cannot use what Arrow
    keeps for later.
    """
    if pa.default_memory_pool().backend_name == "jemalloc":
        pa.jemalloc_set_decay_ms(0)


def thread_count() -> int:
    """Return how many threads array work is spread over."""
    return max(1, min(8, os.cpu_count() or 1))
