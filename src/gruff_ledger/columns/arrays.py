"""What is done with whole columns: put together, taken apart, made of other things.

Arrow does it, chunk by chunk where lists are larger than memory; for a few records
Python does, which is done before Arrow's functions are even loaded.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.columns.storage import storage
from gruff_ledger.columns.threads import map_ahead
from gruff_ledger.columns.types import Column, Mask

# Records taken out here and there at a time, in threads.
_TAKEN_RECORDS = 1 << 17

# The same, of a list that lies in files: each time much of it is gone through.
_SPREAD_RECORDS = 1 << 21

# Up to this many records Python is done before Arrow's functions on arrays are even
# loaded, which takes a sixth of the time of a whole small job.
_SMALL_RECORDS = 2_000


def filter_column(column: Column, wanted: Mask) -> Column:
    """Return the cells of a column where `wanted` is true."""
    if len(column) <= _SMALL_RECORDS:
        return text_column(itertools.compress(column.to_pylist(), wanted.tolist()))
    mask = bits_of(wanted)
    call = arrow_functions().call_function
    if storage().holds_whole:
        return call("filter", [column, mask])

    def parts() -> Iterator[Column]:
        # A chunk at a time, so that no more of it than that is in memory.
        at = 0
        for chunk in column.chunks:
            part = call("filter", [chunk, mask.slice(at, len(chunk))])
            yield pa.chunked_array([part])
            at += len(chunk)

    return concat_columns(parts())


def bits_of(mask: Mask) -> Any:
    """Return a mask as Arrow's, whose own conversion of arrays loads a module."""
    bits = pa.py_buffer(np.packbits(mask, bitorder="little"))
    return pa.Array.from_buffers(pa.bool_(), len(mask), [None, bits])


def emptied(column: Column, mask: Mask) -> Column:
    """Return a column with empty cells where `mask` is true."""
    if len(column) <= _SMALL_RECORDS:
        cells = zip(column.to_pylist(), mask.tolist(), strict=True)
        return text_column("" if is_empty else cell for cell, is_empty in cells)
    bits, call = bits_of(mask), arrow_functions().call_function
    ends = list(itertools.accumulate(map(len, column.chunks)))

    def part(number: int) -> Column:
        chunk = column.chunk(number)
        mine = bits.slice(ends[number] - len(chunk), len(chunk))
        return pa.chunked_array([call("if_else", [mine, pa.scalar(""), chunk])])

    return concat_columns(map_ahead(part, range(column.num_chunks)))


def replaced(cells: Any, mask: Mask, texts: Sequence[str]) -> Any:
    """Return an array of text with other cells where `mask` is true, in order."""
    if not texts:
        return cells
    others = pa.array(texts, pa.string())
    call = arrow_functions().call_function
    return call("replace_with_mask", [cells, bits_of(mask), others])


def taken(column: Column, indices: npt.NDArray[np.integer]) -> Column:
    """Return the cells of a column at `indices`, in that order."""
    if len(column) + len(indices) <= _SMALL_RECORDS:
        cells = column.to_pylist()
        return text_column(cells[index] for index in indices.tolist())
    if _is_few(len(indices), len(column)) and len(column.chunks) > 1:
        # Arrow joins all chunks before it takes from them.
        return concat_columns(
            _take_scattered(column, indices[start : start + _SPREAD_RECORDS])
            for start in range(0, len(indices), _SPREAD_RECORDS)
        )
    at = number_array(indices.astype(np.int64, copy=False))
    take = arrow_functions().call_function
    whole = joined(column) if len(indices) > _TAKEN_RECORDS else column
    if len(whole.chunks) > 1:
        found = storage().taken(column, indices)
        if found is not None:
            return concat_columns(found)
    if len(indices) <= _TAKEN_RECORDS or len(whole.chunks) != 1:
        return take("take", [column, at])
    (chunk,) = whole.chunks
    starts = range(0, len(indices), _TAKEN_RECORDS)

    def part(start: int) -> Column:
        places = at.slice(start, _TAKEN_RECORDS)
        return pa.chunked_array([take("take", [chunk, places])])

    return concat_columns(map_ahead(part, starts))


def _is_few(taken: int, n: int) -> bool:
    """Whether cells are so few that the others had better not be touched."""
    return taken * 4 < n and (storage().holds_whole or taken <= _SPREAD_RECORDS)


def _take_scattered(column: Column, indices: npt.NDArray[np.integer]) -> Column:
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

    return concat_columns(map_ahead(part, range(0, len(numbers), _TAKEN_RECORDS)))


def concat_columns(columns: Iterable[Column]) -> Column:
    """
    Return columns end to end, without copying cells.

    Where columns are made one by one as this asks for them, no more than a few are in
    memory while lists lie in files.
    """
    return storage().gathered(columns)


def joined(column: Column) -> Column:
    """Return a column in chunks as few as can be."""
    # What is in one chunk already is not copied.
    if column.num_chunks == 1 or column.nbytes > storage().most_joined_bytes:
        return column
    return pa.chunked_array(
        [pa.concat_arrays(column.chunks or [pa.array([], "string")])]
    )


def in_one(column: Column) -> Any:
    """Return a column of a few records as one array."""
    return column.chunk(0) if column.num_chunks == 1 else column.combine_chunks()
