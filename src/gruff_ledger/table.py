"""Table and Origin: the one thing that flows through everything.

A Table is immutable. Work returns a new one that shares the columns it did not touch.
What always holds: every column is a chunked Arrow array of text without nulls, all are
as long as the origin, and headings are distinct.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TypeVar

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec import structs

from gruff_ledger.columns.arrays import filter_column, taken, text_column
from gruff_ledger.columns.pending import Held, Pending, column_of, is_narrowed
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.problems import BadTerms

_T = TypeVar("_T")
_R = TypeVar("_R")

# From so many fields on their positions are kept, as each field asks for its own.
_WIDE_FROM = 100
_known_places: list[tuple[tuple[str, ...], dict[str, int]]] = []
_MOST_KNOWN = 8


def _places_of(headings: tuple[str, ...]) -> dict[str, int]:
    """Return the position of each heading; lists in hand share one tuple of them."""
    for known, places in _known_places:
        if known is headings:
            return places
    places = {heading: place for place, heading in enumerate(headings)}
    _known_places.insert(0, (headings, places))
    del _known_places[_MOST_KNOWN:]
    return places


# Below this many records a thread costs more than it saves.
_THREADED_FROM = 10_000


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


# The way of cells that are found out together, whatever lists their records are of.
TOGETHER = "together"


class Writing(msgspec.Struct, frozen=True, eq=False):
    """
    How the cells of one field are written, which can differ from record to record.

    Attributes
    ----------
    ways : tuple
        What is known of each way: what a person said of it (`gruff_ledger.written`),
        `TOGETHER` where it is to be found out from the cells of that way alone, or None
        where that is so for the cells of each source by themselves.
    codes : ndarray of int64, shape (n,), optional
        The way of each record, by its place; None where there is one.
    """

    ways: tuple[object, ...]
    codes: Indices | None = None

    def pick(self, which: Mask | Indices | slice) -> Writing:
        """Return the ways of the records at a mask, indices or slice."""
        if self.codes is None:
            return self
        return Writing(self.ways, self.codes[which])

    @classmethod
    def concat(cls, writings: Sequence[Writing], lengths: Sequence[int]) -> Writing:
        """Return the ways of lists end to end, each with so many records."""
        ways: list[object] = []
        parts = []
        for writing, length in zip(writings, lengths, strict=True):
            numbers = []
            for way in writing.ways:
                # What is found out is so for each list by itself.
                if way is None or way == TOGETHER or way not in ways:
                    ways.append(way)
                    numbers.append(len(ways) - 1)
                else:
                    numbers.append(ways.index(way))
            codes = writing.codes
            if codes is None:
                codes = np.zeros(length, np.int64)
            parts.append(np.array(numbers, np.int64)[codes])
        if len(ways) == 1:
            return cls(tuple(ways))
        return cls(tuple(ways), np.concatenate(parts))


# A field of which nobody said how it is written.
UNSAID = Writing((None,))


class Table(msgspec.Struct, frozen=True, eq=False):
    """
    A list in memory: headings, one array of text a field, and each record's origin.

    Attributes
    ----------
    headings : tuple of str, distinct
    held : tuple of Column (pyarrow.ChunkedArray of string, without nulls), or Pending
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
    written : dict of str to Writing
        How fields are written, where more is known than what their cells show.
    heading_row : int, optional
        The row of the heading in the one source that all records are of; None where
        they are of several, or of a format that knows no rows.
    """

    headings: tuple[str, ...]
    held: tuple[Held, ...]
    origin: Origin
    name: str = "the list"
    from_source: frozenset[str] = frozenset()
    beneath: str = ""
    figures: frozenset[str] = frozenset()
    root: Callable[[Origin], Origin] | None = None
    written: dict[str, Writing] = {}
    heading_row: int | None = None

    def __post_init__(self) -> None:
        assert len(self.headings) == len(self.held)
        assert len(set(self.headings)) == len(self.headings)
        assert all(
            isinstance(held, Pending) or len(held) == len(self.origin)
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
        is_work = any(isinstance(held, Pending) for held in self.held)
        if not is_work or len(self) < _THREADED_FROM:
            return tuple(map(column_of, self.held))
        return tuple(mapped(column_of, self.held))

    def cells(self, heading: str) -> Column:
        """Return the array of a field, by its exact heading."""
        return column_of(self.held[self.place_of(heading)])

    def place_of(self, heading: str) -> int:
        """Return the position of a field, by its exact heading."""
        if len(self.headings) < _WIDE_FROM:
            return self.headings.index(heading)
        return _places_of(self.headings)[heading]

    def has_field(self, heading: str) -> bool:
        """Whether there is a field of exactly this heading."""
        if len(self.headings) < _WIDE_FROM:
            return heading in self.headings
        return heading in _places_of(self.headings)

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
        pending = [each for each in self.held if is_narrowed(each)]
        if pending and len(self) * 4 < len(pending[0].which):
            # Of many records few are left: they are taken out at once, for stretches
            # of almost nothing would cost more than they spare.
            pending = []
        wanted = pending[0].which if pending else np.ones(len(self), np.bool_)
        # What is taken out in another way is so before threads could do it twice.
        others = [
            each
            for each in self.held
            if isinstance(each, Pending)
            and not (is_narrowed(each) and each.which is wanted)
        ]
        work = mapped if len(others) > 1 else _in_turn
        work(column_of, others)
        done = 0
        starts = range(0, len(wanted), size)
        for start in in_turn(starts, len(starts)):
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
            filter_column(held.base.slice(base.start, len(mask)), mask)
            if is_narrowed(held) and held.which is wanted
            else column_of(held).slice(start, count)
            for held in self.held
        ]

    def keep_records(self, mask: Mask) -> Table:
        """Return the records where `mask`, a bool a record, is true."""
        narrowed: dict[int, Mask] = {}

        def kept(held: Held) -> Pending:
            if not is_narrowed(held):
                return Pending(column_of(held), mask)
            if id(held.which) not in narrowed:
                wanted = held.which.copy()
                wanted[wanted] = mask
                narrowed[id(held.which)] = wanted
            return Pending(held.base, narrowed[id(held.which)])

        held = tuple(kept(each) for each in self.held)
        return self._with(held, mask)

    def before_keeping(self) -> tuple[list[Column], Mask] | None:
        """Return the columns as they were before `filter`, and the mask; or None."""
        pending = [each for each in self.held if is_narrowed(each)]
        if not pending or len(pending) < len(self.held):
            return None
        wanted = pending[0].which
        if any(each.which is not wanted for each in pending):
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
        work = mapped if len(self) >= _THREADED_FROM else _in_turn
        columns = tuple(work(lambda held: taken(column_of(held), indices), self.held))
        return self._with(columns, indices)

    def pick_first(self, n: int) -> Table:
        """Return the first records, without taking out all where they are pending."""
        n = min(n, len(self))
        stops: dict[int, int] = {}

        def first(held: Held) -> Held:
            if not is_narrowed(held):
                return column_of(held).slice(0, n)
            if id(held.which) not in stops:
                found = np.flatnonzero(held.which)[:n]
                stops[id(held.which)] = int(found[-1]) + 1 if n else 0
            stop = stops[id(held.which)]
            return Pending(held.base.slice(0, stop), held.which[:stop])

        return self._with(tuple(map(first, self.held)), slice(0, n))

    def in_order(self, order: Indices) -> Table:
        """Return all records in another order, given by their indices."""
        held = tuple(Pending(column_of(each), order) for each in self.held)
        return self._with(held, order)

    def before_order(self) -> tuple[tuple[Column, ...], Indices] | None:
        """Return the columns as they were before `in_order`, and the order; or None."""
        orders = {id(each.which) if _is_moved(each) else 0 for each in self.held}
        if len(orders) != 1 or 0 in orders:
            return None
        return tuple(each.base for each in self.held), self.held[0].which

    def cut_records(self, start: int, stop: int) -> Table:
        """Return the records from `start` up to `stop`, without copying cells."""
        columns = tuple(column.slice(start, stop - start) for column in self.all_cells)
        return self._with(columns, slice(start, stop))

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
        return structs.replace(
            self,
            headings=(*self.headings[:place], heading, *self.headings[place:]),
            held=(*self.held[:place], column, *self.held[place:]),
        )

    def with_fields(self, headings: Sequence[str], held: Sequence[Held]) -> Table:
        """Return a list of the same records with these fields and no others."""
        there = set(headings)
        written = {name: way for name, way in self.written.items() if name in there}
        return structs.replace(
            self, headings=tuple(headings), held=tuple(held), written=written
        )

    def with_writing(self, written: Mapping[str, Writing]) -> Table:
        """Return the same list, of which more is known how its fields are written."""
        return structs.replace(self, written={**self.written, **written})

    def writing(self, heading: str) -> Writing:
        """Return how a field is written, as far as that is known."""
        return self.written.get(heading, UNSAID)

    def spread_writing(self, heading: str) -> Writing:
        """
        Return how a field is written, so that it still holds of cells that move.

        Where it is to be found out for the records of each source, there is a way for
        each source.
        """
        writing = self.writing(heading)
        codes, sources = writing.codes, self.origin.source
        is_one = not len(sources) or bool(np.all(sources == sources[0]))
        if codes is None and (is_one or writing.ways[0] is not None):
            return Writing((writing.ways[0] or TOGETHER,))
        if codes is None:
            codes = np.zeros(len(self), np.int64)
        # A number for each pair of way and source, and of those a few are met.
        is_open = np.array([way is None for way in writing.ways], np.bool_)
        count = int(sources.max(initial=0)) + 1
        pairs = codes * count + np.where(is_open[codes], sources, 0)
        is_met = np.zeros(len(writing.ways) * count, np.bool_)
        is_met[pairs] = True
        met = np.flatnonzero(is_met)
        ways = tuple(writing.ways[pair // count] or TOGETHER for pair in met.tolist())
        numbers = np.zeros(len(is_met), np.int64)
        numbers[met] = np.arange(len(met))
        return Writing(ways or (TOGETHER,), numbers[pairs] if len(ways) > 1 else None)

    def with_headings(self, headings: Sequence[str]) -> Table:
        """Return the same fields under other headings."""
        names = dict(zip(self.headings, headings, strict=True))
        written = {names[name]: way for name, way in self.written.items()}
        return structs.replace(self, headings=tuple(headings), written=written)

    def _with(self, held: tuple[Held, ...], which: Mask | Indices | slice) -> Table:
        """Return other records of the same fields."""
        return structs.replace(
            self,
            held=held,
            origin=self.origin.pick(which),
            written={name: way.pick(which) for name, way in self.written.items()},
        )

    def renamed(self, name: str) -> Table:
        """Return the same list under another name."""
        return structs.replace(self, name=name)


def _is_moved(held: Held) -> bool:
    """Whether a field is still to be put in another order."""
    return isinstance(held, Pending) and held.made is None and not held.is_narrowed


def _in_turn(made: Callable[[_T], _R], items: Iterable[_T]) -> list[_R]:
    return [made(item) for item in items]
