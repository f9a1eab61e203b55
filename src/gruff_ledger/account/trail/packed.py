"""Cells packed close, as the trail holds those of lists.

An Arrow array of text tells with four bytes a cell where it ends, which for short cells
is a third of the whole. Packed, a field of some records is two runs of bytes: those of
the cells one after another, and how many each cell has, of one byte each where none has
more than 255. The first run is compressed (LZ4 frame format) where that makes it much
smaller, as in fields whose values repeat.

A file of packed cells is an Arrow file (Arrow IPC file format). Each of its records is
a piece of the list: how many records are in it, and for each field the two runs. What
is in ``metadata`` of a field's first run tells its heading and how it is compressed.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.text_bytes import chunk_of
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column

# Records in a piece: as many as stand in a chunk of each column, so that nothing need
# be copied; but not fewer than the first, where more follow, nor more than the second.
_LEAST_RECORDS = 1 << 12
_MOST_RECORDS = 1 << 16

# A field is compressed where a piece of at least so many bytes shrinks to this part.
_LEAST_BYTES = 1 << 15
_SHRUNK_TO = 0.6

# LZ4 makes at most so many bytes of one; and what Arrow's arrays of text can hold.
_MOST_TIMES_PACKED = 256
_MOST_PIECE_BYTES = (1 << 31) - 1

_CODEC = "lz4"
_HEADING, _COMPRESSED = b"heading", b"compressed"


class _Run(NamedTuple):
    """The cells of one field in a piece: their bytes, and how many each has."""

    data: Any
    lengths: npt.NDArray[np.unsignedinteger[Any]]


def write_packed(columns: Mapping[str, Column], sink: Any) -> None:
    """
    Write the cells of a list.

    Parameters
    ----------
    columns : mapping of str to Column, all of n records
        By heading.
    sink : pyarrow.NativeFile
    """
    from pyarrow import ipc

    pieces = _pieces(list(columns.values()))
    first = next(pieces, None)
    fields = [pa.field("records", pa.int64(), nullable=False)]
    codecs = []
    for place, heading in enumerate(columns):
        codec = _codec_for(first[place].data) if first is not None else None
        codecs.append(codec)
        said = {_HEADING: heading.encode("utf-8")}
        if codec is not None:
            said[_COMPRESSED] = codec.name.encode("ascii")
        fields.append(pa.field("bytes", pa.large_binary(), metadata=said))
        fields.append(pa.field("lengths", pa.large_binary()))
    schema = pa.schema(fields)
    with ipc.new_file(sink, schema) as writer:
        for piece in itertools.chain([first] if first is not None else [], pieces):
            arrays = [pa.array([len(piece[0].lengths)], pa.int64())]
            for run, codec in zip(piece, codecs, strict=True):
                data = run.data if codec is None else codec.compress(run.data)
                arrays += [_binary(data), _binary(pa.py_buffer(run.lengths))]
            writer.write_batch(pa.RecordBatch.from_arrays(arrays, schema=schema))


def _pieces(columns: Sequence[Column]) -> Iterator[list[_Run]]:
    """Yield the cells piece by piece, of each column in turn."""
    n = len(columns[0]) if columns else 0
    ends = [np.cumsum([len(chunk) for chunk in column.chunks]) for column in columns]
    at = 0
    while at < n:
        left = min(int(each[np.searchsorted(each, at, side="right")]) for each in ends)
        count = left - at if left - at >= _LEAST_RECORDS else n - at
        count = min(count, _MOST_RECORDS)
        yield [_run(column.slice(at, count)) for column in columns]
        at += count


def _run(column: Column) -> _Run:
    filled = [chunk for chunk in column.chunks if len(chunk)]
    chunk = chunk_of(filled[0] if len(filled) == 1 else pa.concat_arrays(filled))
    lengths = np.diff(chunk.offsets)
    longest = int(lengths.max())
    kind = "<u1" if longest < 1 << 8 else "<u2" if longest < 1 << 16 else "<u4"
    return _Run(pa.py_buffer(chunk.bytes), lengths.astype(kind))


def _codec_for(data: Any) -> Any:
    """Return what compresses a field like a piece of it, where that is of use."""
    if data.size < _LEAST_BYTES or not pa.Codec.is_available(_CODEC):
        return None
    codec = pa.Codec(_CODEC)
    return codec if codec.compress(data).size <= data.size * _SHRUNK_TO else None


def _binary(data: Any) -> Any:
    """Return an Arrow array of one run of bytes, without a copy."""
    offsets = np.array([0, data.size], np.int64)
    buffers = [None, pa.py_buffer(offsets), data]
    return pa.Array.from_buffers(pa.large_binary(), 1, buffers)


def is_packed(table: Any) -> bool:
    """Whether an Arrow table, as it was read, holds packed cells."""
    fields = iter(table.schema)
    next(fields, None)
    second = next(fields, None)
    return second is not None and _HEADING in (second.metadata or {})


class PackedCells:
    """
    Cells that were packed, of n records; unpacked field by field as they are asked for.

    Parameters
    ----------
    table : pyarrow.Table
        What `write_packed` wrote.

    Raises
    ------
    ValueError
        If it is not laid out so.
    """

    def __init__(self, table: Any) -> None:
        self._table = table
        self._sizes = np.asarray(table.column(0).to_numpy())
        if self._sizes.dtype != np.int64 or (self._sizes < 1).any():
            raise ValueError("pieces of no records")
        self._places: dict[str, int] = {}
        self._codecs: dict[int, Any] = {}
        for place in range(1, table.num_columns, 2):
            said = table.schema.field(place).metadata
            heading = (said or {}).get(_HEADING)
            kinds = {table.schema.field(at).type for at in (place, place + 1)}
            if heading is None or kinds != {pa.large_binary()}:
                raise ValueError("a field without its two runs")
            self._places[heading.decode("utf-8")] = place
            if _COMPRESSED in said:
                self._codecs[place] = pa.Codec(said[_COMPRESSED].decode("ascii"))

    def __len__(self) -> int:
        return int(self._sizes.sum())

    def column(self, heading: str) -> Column:
        """
        Return the cells of a field.

        Raises
        ------
        KeyError
            If there is no such field.
        ValueError
            If its runs do not fit each other.
        """
        place = self._places[heading]
        pieces = range(len(self._sizes))
        cells = mapped(lambda piece: self._unpacked(place, piece), pieces)
        return pa.chunked_array(cells, pa.string())

    def cell(self, heading: str, row: int) -> str:
        """Return one cell; `row` counts from 0."""
        ends = np.cumsum(self._sizes)
        piece = int(np.searchsorted(ends, row, side="right"))
        before = int(ends[piece] - self._sizes[piece])
        cells = self._unpacked(self._places[heading], piece)
        cell: str = cells[row - before].as_py()
        return cell

    def _unpacked(self, place: int, piece: int) -> Any:
        n = int(self._sizes[piece])
        data = self._table.column(place)[piece].as_buffer()
        said = self._table.column(place + 1)[piece].as_buffer()
        # Whatever a file says of itself, nothing beyond its bytes is looked at.
        if said.size not in (n, 2 * n, 4 * n):
            raise ValueError("lengths that do not fit")
        lengths = np.frombuffer(said, f"<u{said.size // n}")
        ends = np.cumsum(lengths, dtype=np.int64)
        total = int(ends[-1])
        if place in self._codecs:
            if total > data.size * _MOST_TIMES_PACKED:
                raise ValueError("more cells than can be packed so")
            data = self._codecs[place].decompress(data, total)
        if data.size != total or total > _MOST_PIECE_BYTES:
            raise ValueError("cells that do not fit")
        offsets = np.zeros(n + 1, np.int32)
        offsets[1:] = ends
        array = pa.Array.from_buffers(
            pa.string(), n, [None, pa.py_buffer(offsets), data]
        )
        array.validate(full=True)
        return array
