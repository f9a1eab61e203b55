"""New cells out of the bytes of others: cut, put together, stretch by stretch.

The bytes of a column lie one cell after another. What is kept of them, or which source
each new byte comes from, is one mark a byte, made by repeating a mark for each piece by
the piece's length.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.text_bytes import Chunk, chunk_of
from gruff_ledger.columns.arrays import (
    arrow_functions,
    concat_columns,
    in_one,
    number_array,
    text_column,
)
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column

# Records worked on at a time: the bytes of a few fields stay in the processor's cache,
# no offset can overflow, and stretches are spread over threads.
STRETCH_RECORDS = 1 << 16

_Bytes = npt.NDArray[np.uint8]
_Lengths = npt.NDArray[np.integer]


# So many parts are put together in one go.
_MOST_WOVEN = 32


def text_array(data: _Bytes, lengths: _Lengths) -> pa.StringArray:
    """
    Return the Arrow array whose cells lie in `data` one after another.

    Parameters
    ----------
    data : ndarray of uint8
        UTF-8.
    lengths : ndarray of int, shape (n,)
        Bytes of each cell; together those of `data`.
    """
    offsets = np.zeros(len(lengths) + 1, np.int32)
    np.cumsum(lengths, out=offsets[1:])
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(np.ascontiguousarray(data))]
    return pa.Array.from_buffers(pa.string(), len(lengths), buffers)


def cut_out(data: _Bytes, starts: _Lengths, ends: _Lengths) -> pa.StringArray:
    """
    Return stretches of bytes as the cells of an Arrow array.

    Parameters
    ----------
    data : ndarray of uint8
    starts, ends : ndarray of int, shape (n,)
        In order: no stretch begins before the end of the one before. Each is UTF-8.
    """
    if not len(starts):
        return pa.array([], pa.string())
    # Between them lie cells that nobody takes.
    offsets = np.empty(2 * len(starts), np.int32)
    offsets[0::2] = starts
    offsets[1::2] = ends
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(data)]
    both = pa.Array.from_buffers(pa.string(), len(offsets) - 1, buffers)
    wanted = number_array(np.arange(0, len(both), 2))
    return arrow_functions().call_function("take", [both, wanted])


def sliced(chunk: Chunk, starts: _Lengths, ends: _Lengths) -> pa.StringArray:
    """
    Return a slice of each cell.

    Parameters
    ----------
    chunk : Chunk, n cells
    starts, ends : ndarray of int, shape (n,)
        Places in `chunk.bytes`, not before the cell's own start nor behind its end.
    """
    return cut_out(chunk.bytes, starts, ends)


def woven(parts: Sequence[tuple[_Bytes, _Lengths]]) -> pa.StringArray:
    """
    Return the cells of several sources put together, record by record.

    Parameters
    ----------
    parts : sequence of (data, lengths), each as for `text_array`
        All of n cells. The first is followed by the second, and so on.
    """
    while len(parts) > _MOST_WOVEN:
        # Each part is looked for among the bytes of all: many are put together first.
        groups = range(0, len(parts), _MOST_WOVEN)
        arrays = [woven(parts[at : at + _MOST_WOVEN]) for at in groups]
        parts = [bytes_of(chunk_of(array)) for array in arrays]
    lengths = np.stack([part[1] for part in parts], axis=1)
    numbers = np.arange(len(parts), dtype=np.uint8 if len(parts) < 256 else np.uint32)
    turns = np.tile(numbers, len(lengths))
    sources = np.repeat(turns, lengths.ravel())
    data = np.empty(len(sources), np.uint8)
    for number, (mine, _) in enumerate(parts):
        data[sources == number] = mine
    return text_array(data, lengths.sum(axis=1))


def repeated(text: str, times: npt.NDArray[np.bool_]) -> tuple[_Bytes, _Lengths]:
    """Return a text, as a part to be woven, in the records where `times` is true."""
    mark = np.frombuffer(text.encode("utf-8"), np.uint8)
    return np.tile(mark, int(np.count_nonzero(times))), times * np.int64(len(mark))


def bytes_of(chunk: Chunk) -> tuple[_Bytes, _Lengths]:
    """Return a chunk as a part to be woven."""
    return chunk.bytes, np.diff(chunk.offsets)


def by_stretches(
    columns: Sequence[Column],
    make: Callable[[list[Chunk], slice], list[pa.Array]],
    count: int = 1,
) -> list[Column]:
    """
    Make new columns from columns, a stretch of records at a time, in threads.

    Parameters
    ----------
    columns : sequence of Column, n cells each, at least one
    make : callable
        Given the stretch of each column and where it lies, it returns an array for
        each new column. It is not called for a list without records.
    count : int
        How many new columns there are.
    """
    n = len(columns[0])
    if not n:
        return [text_column(()) for _ in range(count)]
    starts = range(0, n, STRETCH_RECORDS)

    def of_stretch(start: int) -> list[pa.Array]:
        stretch = [column.slice(start, STRETCH_RECORDS) for column in columns]
        chunks = [chunk_of(in_one(part)) for part in stretch]
        return make(chunks, slice(start, min(n, start + STRETCH_RECORDS)))

    made = mapped(of_stretch, starts) if len(starts) > 1 else map(of_stretch, starts)
    return [
        concat_columns([pa.chunked_array([array]) for array in arrays])
        for arrays in zip(*made, strict=True)
    ]
