"""Looking here and there in lists that lie in files: part by part, run by run.

To pick up one cell here and one there, of a list that is larger than memory, would read
the disk again for each. Here all is read from first to last instead: values are parted
so that each part fits in memory, and cells in another order are put in order run by
run, and the runs merged. The time is that of the size.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.columns.arrays import arrow_functions, concat_columns, number_array
from gruff_ledger.columns.types import Column, Indices

# Values looked at a time.
_BLOCK = 1 << 20

# How much of a column is put in order at a time, and how many of the merged cells are
# made at a time.
_RUN_BYTES = 1 << 26
_MERGED_RECORDS = 1 << 16


def parted(
    values: npt.NDArray[Any],
    part_of: Callable[[npt.NDArray[Any]], npt.NDArray[np.uint16]],
    parts: int,
) -> Iterator[tuple[Indices, npt.NDArray[Any]]]:
    """
    Part values, each part in their order.

    Parameters
    ----------
    values : ndarray, shape (n,)
    part_of : callable
        Returns the number of the part for each of some values.
    parts : int
        How many parts there are.

    Yields
    ------
    places : ndarray of int64
        Where the values of a part stand among all.
    values : ndarray
        They themselves; empty parts come too.
    """
    n = len(values)
    starts = range(0, n, _BLOCK)
    numbers = [part_of(values[start : start + _BLOCK]) for start in starts]
    sizes = [np.bincount(each, minlength=parts) for each in numbers]
    counts = np.zeros(parts, np.int64)
    for size in sizes:
        counts += size
    ends = np.cumsum(counts)
    free = (ends - counts).tolist()
    places, together = np.empty(n, np.int64), np.empty(n, values.dtype)
    for start, number, size in zip(starts, numbers, sizes, strict=True):
        order = np.argsort(number, kind="stable")
        mine = values[start : start + _BLOCK][order]
        order += start
        at = 0
        for part in np.flatnonzero(size).tolist():
            count = int(size[part])
            here = slice(free[part], free[part] + count)
            places[here] = order[at : at + count]
            together[here] = mine[at : at + count]
            at += count
            free[part] += count
    for end, count in zip(ends.tolist(), counts.tolist(), strict=True):
        yield places[end - count : end], together[end - count : end]


def take_in_runs(column: Column, indices: npt.NDArray[np.integer]) -> Iterator[Column]:
    """
    Yield the cells of a column at `indices`, in that order, bit by bit.

    Parameters
    ----------
    column : Column, n cells
    indices : ndarray of int, shape (m,)
        In any order, any of them any number of times.
    """
    take = arrow_functions().call_function
    runs = list(_runs(column))
    starts = np.array([start for start, _ in runs], np.int64)

    def run_of(some: npt.NDArray[Any]) -> npt.NDArray[np.uint16]:
        found = np.searchsorted(starts, some, side="right") - 1
        return np.asarray(found, np.uint16)

    ordered = []
    for (start, run), (_, mine) in zip(
        runs, parted(indices, run_of, len(runs)), strict=True
    ):
        whole = pa.concat_arrays(run.chunks)
        blocks = (
            pa.chunked_array(
                [take("take", [whole, number_array(mine[at : at + _BLOCK] - start)])]
            )
            for at in range(0, len(mine), _BLOCK)
        )
        ordered.append(concat_columns(blocks))
    used = [0] * len(runs)
    for at in range(0, len(indices), _MERGED_RECORDS):
        number = run_of(indices[at : at + _MERGED_RECORDS])
        pieces = []
        counts = np.bincount(number, minlength=len(runs))
        for place in np.flatnonzero(counts).tolist():
            piece = ordered[place].slice(used[place], int(counts[place]))
            pieces += piece.chunks
            used[place] += int(counts[place])
        places = np.empty(len(number), np.int64)
        places[np.argsort(number, kind="stable")] = np.arange(len(number))
        merged = take("take", [pa.concat_arrays(pieces), number_array(places)])
        yield pa.chunked_array([merged])


def _runs(column: Column) -> Iterator[tuple[int, Column]]:
    """Cut a column in runs of whole chunks; yield where each begins, and its cells."""
    here: list[pa.Array] = []
    size = start = 0
    for chunk, after in itertools.zip_longest(column.chunks, column.chunks[1:]):
        here.append(chunk)
        size += chunk.nbytes
        if after is None or size + after.nbytes > _RUN_BYTES:
            run = pa.chunked_array(here)
            yield start, run
            start += len(run)
            here, size = [], 0
