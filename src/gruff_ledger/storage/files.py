"""Room on the disk for lists that are larger than memory.

While `Files` is in use, two things lie in temporary files rather than in memory,
and the system reads and writes them as they are needed:

- Columns. Readers put what they have parsed into Arrow files (the IPC file format, an
  open one), and work on columns that are mapped from them. So do all functions on
  whole columns, through `gathered`.
- Large arrays of NumPy; see `numpy_memory`.

All work is the same code as in memory, so that it gives the same result to the byte.
What is left in memory is what the threads have in hand, and what Python holds: the
records that are shown, distinct values, messages.

The files lie in a folder that only its owner may read. It is removed when the work
ends; what a killed run left there, the next one removes.
"""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any, Self, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.columns.storage import STORAGE, Gathering
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.storage.folders import (
    make_folder,
    remove_folder,
    remove_left,
    scratch_root,
)
from gruff_ledger.storage.numpy_memory import MappedArrays, Places
from gruff_ledger.storage.stretches import parted, take_in_runs
from gruff_ledger.system.files import can_remove_open_files
from gruff_ledger.system.memory import GIVING_BACK

_T = TypeVar("_T")
_R = TypeVar("_R")

# Smaller columns stay in memory: a file costs more than it spares.
_LEAST_BYTES = 1 << 20

# How much of a column is made before it goes to a file.
_GATHERED_BYTES = 1 << 25

# Parsed records are gathered in files of about this size.
_FILE_BYTES = 1 << 28

# The work in memory takes up to so many times the size of a list, in all that was
# measured; see docs/speed.md.
_TIMES_IN_MEMORY = 5

# Values looked at here and there at a time.
_PART_RECORDS = 1 << 20


def wants_files(size_bytes: int, memory_bytes: int) -> bool:
    """Whether lists of a size are too large to be worked on in memory."""
    return size_bytes * _TIMES_IN_MEMORY > memory_bytes


class Files:
    """
    Room on the disk for columns and arrays, while it is used as a context.

    Parameters
    ----------
    beneath : Path, optional
        The folder to make its own folder in; else that of the system for temporary
        files.

    Attributes
    ----------
    has_arrays : bool
        Whether large arrays lie in files too, while it is in use.

    Notes
    -----
    See `gruff_ledger.columns.storage.Storage` for what it does for columns.

    Raises
    ------
    UnwritableOutput
        If no file can be made there.
    """

    holds_whole = False
    most_joined_bytes = 1 << 22

    def __init__(self, beneath: Path | None = None) -> None:
        root = scratch_root(beneath)
        try:
            remove_left(root)
            self.folder, self._mark = make_folder(root)
        except OSError as error:
            raise _word_unwritable(error, root) from error
        self._numbers = itertools.count(1)
        self._arrays = MappedArrays(self.folder)
        self.has_arrays = False
        self._places = Places()

    def __enter__(self) -> Self:
        self.has_arrays = self._arrays.begin()
        GIVING_BACK.begin(_LEAST_BYTES)
        self._token = STORAGE.set(self)
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        STORAGE.reset(self._token)
        GIVING_BACK.end()
        self._arrays.end()
        self.close()

    def close(self) -> None:
        """Remove the folder; what is mapped from it stays as long as it is used."""
        self._mark.close()
        remove_folder(self.folder)

    def gathered(self, columns: Iterable[Column]) -> Column:
        """Return columns end to end; what is large and in memory goes to files."""
        chunks: list[Any] = []
        here: list[Any] = []
        size = 0
        before: Any = None

        def put() -> None:
            nonlocal here, size
            chunks.extend(self._written(here) if size > _LEAST_BYTES else here)
            here, size = [], 0

        for column in columns:
            for chunk in column.chunks:
                # Chunks of one text all over share their bytes.
                is_shared = before is not None and _place(before) == _place(chunk)
                before = chunk
                if self._lies_in_file(chunk) or is_shared:
                    put()
                    chunks.append(chunk)
                    continue
                here.append(chunk)
                size += chunk.nbytes
                if size > _GATHERED_BYTES:
                    put()
        put()
        return pa.chunked_array(chunks, pa.string())

    def gathering(self, width: int) -> Gathering:
        """Begin to gather records, which go to files as they come."""
        return _GatheringInFiles(self, width)

    def kept(self, column: Column) -> Column:
        """Return a column with what is large of it in files."""
        return self.gathered([column])

    def taken(
        self, column: Column, indices: npt.NDArray[np.integer]
    ) -> Iterator[Column] | None:
        """Yield the cells at indices, run by run."""
        return take_in_runs(column, indices)

    def parted(
        self,
        values: npt.NDArray[Any],
        part_of: Callable[[npt.NDArray[Any], int], npt.NDArray[np.uint16]],
    ) -> Iterable[tuple[Indices, npt.NDArray[Any]]]:
        """Yield as many parts as are needed for each to fit in memory."""
        if len(values) <= _PART_RECORDS:
            return [(np.arange(len(values), dtype=np.int64), values)]
        parts = 1 << min(16, (len(values) // _PART_RECORDS).bit_length())
        return parted(values, lambda some: part_of(some, parts), parts)

    def each(self, made: Callable[[_T], _R], items: Iterable[_T]) -> Iterable[_R]:
        """Apply a function to all items, one after the other."""
        return map(made, items)

    def _written(self, chunks: Sequence[Any]) -> list[Any]:
        """Write chunks to a file, and return them as they are there, joined."""
        whole = pa.concat_arrays(chunks)
        with self._file([whole.type]) as (writer, path):
            writer.write_batch(_batch([whole]))
        found: list[Any] = self._map_file(path).column(0).chunks
        return found

    def _lies_in_file(self, array: Any) -> bool:
        buffer = array.buffers()[-1]
        if buffer is None:
            return True
        return buffer.address in self._places or buffer.address in self._arrays.places

    @contextlib.contextmanager
    def _file(self, kinds: Sequence[Any]) -> Iterator[tuple[Any, Path]]:
        from pyarrow import ipc

        path = self.folder / f"{next(self._numbers)}.arrow"
        schema = pa.schema([(str(place), kind) for place, kind in enumerate(kinds)])
        try:
            with pa.OSFile(str(path), "wb") as sink, ipc.new_file(sink, schema) as into:
                yield into, path
        except OSError as error:
            raise _word_unwritable(error, self.folder) from error

    def _map_file(self, path: Path) -> Any:
        from pyarrow import ipc

        try:
            mapped = pa.memory_map(str(path), "r")
        except OSError as error:
            raise _word_unwritable(error, self.folder) from error
        whole = mapped.read_buffer()
        self._places.add(whole.address, whole.size)
        if can_remove_open_files():
            # What is mapped stays; so nothing is left of it after a kill either.
            path.unlink()
        return ipc.open_file(pa.BufferReader(whole)).read_all()


class _GatheringInFiles:
    """Records that go to files as they come."""

    def __init__(self, scratch: Files, width: int) -> None:
        self._scratch = scratch
        self._kinds = [pa.string()] * width
        self._files: list[Any] = []
        self._open: Any = None
        self._bytes = 0

    def add(self, columns: Sequence[Column]) -> None:
        """
        Take the next records.

        Raises
        ------
        UnwritableOutput
            If the disk is full.
        """
        if not columns or not len(columns[0]):
            return
        if self._open is None:
            self._open = self._scratch._file(self._kinds)
            self._writer, self._path = self._open.__enter__()
        table = pa.Table.from_arrays(columns, names=list(map(str, range(len(columns)))))
        try:
            self._writer.write_table(table)
        except OSError as error:
            raise _word_unwritable(error, self._scratch.folder) from error
        self._bytes += table.nbytes
        if self._bytes > _FILE_BYTES:
            self._end_file()

    def columns(self) -> list[Column]:
        """Return all records, field by field."""
        self._end_file()
        return [
            pa.chunked_array(
                [chunk for each in self._files for chunk in each.column(place).chunks],
                kind,
            )
            for place, kind in enumerate(self._kinds)
        ]

    def _end_file(self) -> None:
        if self._open is not None:
            self._open.__exit__(None, None, None)
            self._files.append(self._scratch._map_file(self._path))
            self._open, self._bytes = None, 0


def _place(array: Any) -> int:
    """Return where the bytes of an array lie."""
    buffer = array.buffers()[-1]
    return 0 if buffer is None else int(buffer.address)


def _batch(arrays: Sequence[Any]) -> Any:
    return pa.RecordBatch.from_arrays(arrays, list(map(str, range(len(arrays)))))


def _word_unwritable(error: OSError, folder: Path) -> UnwritableOutput:
    return UnwritableOutput(
        "the lists are larger than memory, and temporary files cannot be written here: "
        f"{error.strerror or error}.",
        "Free some space, name another folder in `scratch`, or allow more `memory`.",
        file=str(folder),
    )
