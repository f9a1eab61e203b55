"""Room on the disk for lists that are larger than memory.

While a `Scratch` is in use, two things lie in temporary files rather than in memory,
and the system reads and writes them as they are needed:

- Columns. Readers put what they have parsed into Arrow files (the IPC file format, an
  open one), and work on columns that are mapped from them. So does `stored` with every
  large column that work makes.
- Large arrays of NumPy. NumPy lets a program say where the memory of its arrays comes
  from (NEP 49, "Data allocation strategies"); large ones are mapped from files too.

All work is the same code as in memory, so that it gives the same result to the byte.
What is left in memory is what the threads have in hand, and what Python holds: the
records that are shown, distinct values, messages.

The files lie in a folder that only its owner may read. It is removed when the work
ends; what a killed run left there, the next one removes.
"""

from __future__ import annotations

import bisect
import contextlib
import ctypes
import itertools
import mmap
import os
import shutil
import tempfile
import threading
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import msgspec
import pyarrow as pa

from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.storage.folders import (
    make_folder,
    remove_folder,
    remove_left,
    scratch_root,
)
from gruff_ledger.storage.stretches import taken_in_runs
from gruff_ledger.table import (
    Column,
    Table,
    begin_threads_by,
    concat_columns,
    store_columns_by,
)

# Smaller columns stay in memory: a file costs more than it spares.
_LEAST_BYTES = 1 << 20

# How much of a column is made before it goes to a file.
_GATHERED_BYTES = 1 << 25

# From this size on arrays lie in files; the smaller ones of them share blocks.
_LEAST_MAPPED_BYTES = 1 << 16
_BLOCK_BYTES = 1 << 26

# A parameter of the GNU C library's memory (malloc.h); others do without.
_M_MMAP_THRESHOLD = -3

# What is left on the disk for others.
_SPARED_BYTES = 1 << 28

# Parsed records are gathered in files of about this size.
_FILE_BYTES = 1 << 28

# The work in memory takes up to so many times the size of a list, in all that was
# measured; see docs/speed.md.
_TIMES_IN_MEMORY = 5


def wants_scratch(size_bytes: int, memory_bytes: int) -> bool:
    """Tell whether lists of a size are too large to be worked on in memory."""
    return size_bytes * _TIMES_IN_MEMORY > memory_bytes


def memory_to_use() -> int:
    """Return how many bytes of memory a run may take, unless told: half of all."""
    return _memory_of_machine() // 2


def _memory_of_machine() -> int:
    """Return how much memory there is, in bytes, also where a container has less."""
    found = []
    with contextlib.suppress(AttributeError, OSError, ValueError):
        found.append(os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE"))
    if os.name == "nt":
        found.append(_memory_of_windows())
    for limit in (
        "/sys/fs/cgroup/memory.max",
        "/sys/fs/cgroup/memory/memory.limit_in_bytes",
    ):
        with contextlib.suppress(OSError, ValueError):
            found.append(int(Path(limit).read_text()))
    found += _limits_of_own_group()
    # Where nothing tells, a small machine is assumed.
    return min([each for each in found if each > 0], default=4 << 30)


def _limits_of_own_group() -> list[int]:
    """Return the memory limits of the control groups that this process is in."""
    found = []
    with contextlib.suppress(OSError, ValueError):
        for line in Path("/proc/self/cgroup").read_text().splitlines():
            _, kinds, path = line.split(":", 2)
            if kinds in ("", "memory"):
                root = Path("/sys/fs/cgroup", kinds)
                name = "memory.limit_in_bytes" if kinds else "memory.max"
                with contextlib.suppress(OSError, ValueError):
                    found.append(int((root / path.lstrip("/") / name).read_text()))
    return found


def _memory_of_windows() -> int:
    class Status(ctypes.Structure):
        _fields_ = (
            ("length", ctypes.c_ulong),
            ("load", ctypes.c_ulong),
            *((name, ctypes.c_ulonglong) for name in ("total", "free", "page_total")),
            *((name, ctypes.c_ulonglong) for name in ("page_free", "all", "all_free")),
            ("extended", ctypes.c_ulonglong),
        )

    status = Status()
    status.length = ctypes.sizeof(status)
    system: Any = ctypes
    system.windll.kernel32.GlobalMemoryStatusEx(ctypes.byref(status))
    return int(status.total)


class Scratch:
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

    Raises
    ------
    UnwritableOutput
        If no file can be made there.
    """

    def __init__(self, beneath: Path | None = None) -> None:
        root = scratch_root(beneath)
        try:
            remove_left(root)
            self.folder, self._mark = make_folder(root)
        except OSError as error:
            raise _unwritable(error, root) from error
        self._numbers = itertools.count(1)
        self._arrays = _MappedArrays(self.folder)
        self.has_arrays = False
        self._places = _Places()

    def __enter__(self) -> Self:
        _used.append(self)
        self.has_arrays = self._arrays.begin()
        # It gives what is freed back to the system at once, if it is told to.
        self._pool = pa.default_memory_pool()
        pa.set_memory_pool(pa.system_memory_pool())
        with contextlib.suppress(AttributeError, OSError, TypeError):
            ctypes.CDLL(None).mallopt(_M_MMAP_THRESHOLD, _LEAST_BYTES)
        store_columns_by(self.gathered, taken_in_runs)
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        _used.remove(self)
        store_columns_by(None)
        pa.set_memory_pool(self._pool)
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

    def _written(self, chunks: Sequence[Any]) -> list[Any]:
        """Write chunks to a file, and return them as they are there, joined."""
        whole = pa.concat_arrays(chunks)
        with self._file([whole.type]) as (writer, path):
            writer.write_batch(_batch([whole]))
        found: list[Any] = self._mapped(path).column(0).chunks
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
            raise _unwritable(error, self.folder) from error

    def _mapped(self, path: Path) -> Any:
        from pyarrow import ipc

        try:
            mapped = pa.memory_map(str(path), "r")
        except OSError as error:
            raise _unwritable(error, self.folder) from error
        whole = mapped.read_buffer()
        self._places.add(whole.address, whole.size)
        if os.name != "nt":
            # What is mapped stays; so nothing is left of it after a kill either.
            path.unlink()
        return ipc.open_file(pa.BufferReader(whole)).read_all()


class Gathering:
    """
    Records of a list that come in bit by bit.

    Parameters
    ----------
    width : int
        How many fields they have.
    """

    def __init__(self, width: int) -> None:
        self._parts: list[list[Column]] = [[] for _ in range(width)]

    def add(self, columns: Sequence[Column]) -> None:
        """Take the next records, field by field."""
        for part, column in zip(self._parts, columns, strict=True):
            part.append(column)

    def columns(self) -> list[Column]:
        """Return all records, field by field."""
        return [concat_columns(part) for part in self._parts]


class _GatheringInFiles(Gathering):
    """Records that go to files as they come."""

    def __init__(self, scratch: Scratch, width: int) -> None:
        super().__init__(width)
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
            raise _unwritable(error, self._scratch.folder) from error
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
            self._files.append(self._scratch._mapped(self._path))
            self._open, self._bytes = None, 0


def gathering(width: int) -> Gathering:
    """Begin to gather records: in the scratch in use, or in memory."""
    return _GatheringInFiles(_used[-1], width) if _used else Gathering(width)


def is_used() -> bool:
    """Tell whether lists lie in files rather than in memory."""
    return bool(_used)


def stored_table(table: Table) -> Table:
    """Return a list with its large columns in files, where a scratch is in use."""
    if not _used:
        return table
    scratch = _used[-1]

    def kept(held: Any) -> Any:
        return scratch.gathered([held]) if isinstance(held, pa.ChunkedArray) else held

    return msgspec.structs.replace(table, held=tuple(map(kept, table.held)))


# The scratch in use, if there is one.
_used: list[Scratch] = []


def _place(array: Any) -> int:
    """Return where the bytes of an array lie."""
    buffer = array.buffers()[-1]
    return 0 if buffer is None else int(buffer.address)


def _batch(arrays: Sequence[Any]) -> Any:
    return pa.RecordBatch.from_arrays(arrays, list(map(str, range(len(arrays)))))


def _unwritable(error: OSError, folder: Path) -> UnwritableOutput:
    return UnwritableOutput(
        "the lists are larger than memory, and temporary files cannot be written here: "
        f"{error.strerror or error}.",
        "Free some space, name another folder in `scratch`, or allow more `memory`.",
        file=str(folder),
    )


class _Places:
    """Where mapped files lie in memory."""

    def __init__(self) -> None:
        self._starts: list[int] = []
        self._ends: dict[int, int] = {}
        self._guard = threading.RLock()

    def add(self, start: int, size: int) -> None:
        with self._guard:
            bisect.insort(self._starts, start)
            self._ends[start] = start + size

    def remove(self, start: int) -> None:
        with self._guard:
            self._starts.remove(start)
            del self._ends[start]

    def __contains__(self, address: int) -> bool:
        with self._guard:
            at = bisect.bisect_right(self._starts, address)
            return bool(at) and address < self._ends[self._starts[at - 1]]


# Arrays of NumPy in files -----------------------------------------------------------

# Positions in the table of NumPy's C API; they do not change within a major version
# (numpy/_core/code_generators/numpy_api.py).
_SET_HANDLER, _GET_HANDLER = 304, 305

# Python's own kind of function: called with the interpreter's lock held, as NumPy's
# functions expect it.
_Malloc = ctypes.PYFUNCTYPE(ctypes.c_void_p, ctypes.c_void_p, ctypes.c_size_t)
_Calloc = ctypes.PYFUNCTYPE(
    ctypes.c_void_p, ctypes.c_void_p, ctypes.c_size_t, ctypes.c_size_t
)
_Realloc = ctypes.PYFUNCTYPE(
    ctypes.c_void_p, ctypes.c_void_p, ctypes.c_void_p, ctypes.c_size_t
)
_Free = ctypes.PYFUNCTYPE(None, ctypes.c_void_p, ctypes.c_void_p, ctypes.c_size_t)


class _Handler(ctypes.Structure):
    """PyDataMem_Handler of NumPy's C API, with its PyDataMemAllocator."""

    _fields_ = (
        ("name", ctypes.c_char * 127),
        ("version", ctypes.c_uint8),
        ("context", ctypes.c_void_p),
        ("malloc", _Malloc),
        ("calloc", _Calloc),
        ("realloc", _Realloc),
        ("free", _Free),
    )


class _MappedArrays:
    """
    Has NumPy take the memory of large arrays from files.

    An array keeps the handler that made it, so arrays may outlive this; what they need
    is kept for good.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._before: Any = None
        # Python may free an array in the middle of anything, also while this is held.
        self._guard = threading.RLock()
        self.places = _Places()
        self._maps: dict[int, tuple[mmap.mmap, Any]] = {}
        # How much room each array has, what arrays of a size left, and what is left of
        # the last block: its start and size.
        self._sizes: dict[int, int] = {}
        self._spare: dict[int, list[int]] = {}
        self._left = (0, 0)
        self._blocks: list[Any] = []

    def begin(self) -> bool:
        """
        Take over from the handler that NumPy has.

        Returns
        -------
        bool
            False where this NumPy has no such handlers, and arrays stay in memory.
        """
        try:
            self._take_over()
        except (AttributeError, TypeError, ValueError):
            return False
        begin_threads_by(self.begin_thread)
        return True

    def _take_over(self) -> None:
        # NumPy 1 keeps its table elsewhere, and is not supported.
        import numpy._core as core

        api = core._multiarray_umath._ARRAY_API  # type: ignore[attr-defined]
        python = ctypes.pythonapi
        pointer = python.PyCapsule_GetPointer
        pointer.restype = ctypes.c_void_p
        pointer.argtypes = [ctypes.py_object, ctypes.c_char_p]
        table = ctypes.cast(
            pointer(api, None),
            ctypes.POINTER(ctypes.c_void_p),
        )
        self._set = ctypes.PYFUNCTYPE(ctypes.py_object, ctypes.py_object)(
            table[_SET_HANDLER] or 0
        )
        get = ctypes.PYFUNCTYPE(ctypes.py_object)(table[_GET_HANDLER] or 0)
        usual = _Handler.from_address(pointer(get(), b"mem_handler"))
        self._usual = usual
        handler = _Handler(
            b"gruff_ledger",
            1,
            usual.context,
            _Malloc(self._malloc),
            _Calloc(self._calloc),
            _Realloc(self._realloc),
            _Free(self._free),
        )
        new = python.PyCapsule_New
        new.restype = ctypes.py_object
        new.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_void_p]
        # Arrays may still refer to it when all else of the program is gone.
        self._handler = handler
        python.Py_IncRef(ctypes.py_object(self))
        capsule = new(ctypes.addressof(handler), b"mem_handler", None)
        self._capsule = capsule
        self._before = self._set(capsule)

    def begin_thread(self) -> None:
        """Take over in a thread: each has a handler of its own."""
        self._set(self._capsule)

    def end(self) -> None:
        """Give the arrays made from now on back to the usual handler."""
        begin_threads_by(None)
        if self._before is not None:
            self._set(self._before)

    def _malloc(self, context: int, size: int) -> int:
        if size < _LEAST_MAPPED_BYTES:
            return self._usual.malloc(context, size) or 0
        return self._take(size, zeros=False)

    def _calloc(self, context: int, count: int, size: int) -> int:
        if count * size < _LEAST_MAPPED_BYTES:
            return self._usual.calloc(context, count, size) or 0
        return self._take(count * size, zeros=True)

    def _realloc(self, context: int, place: int, size: int) -> int:
        held = self._sizes.get(place)
        if held is None:
            return self._usual.realloc(context, place, size) or 0
        new = self._malloc(context, size)
        if new:
            ctypes.memmove(new, place, min(held, size))
            self._free(context, place, held)
        return new

    def _free(self, context: int, place: int, size: int) -> None:
        # Also called when Python ends, and the names of this module are gone already:
        # all that is needed here hangs on `self`.
        with self._guard:
            held = self._sizes.pop(place, None)
            if held is not None and place not in self._maps:
                self._spare[held].append(place)
                return
            mapped, view = self._maps.pop(place, (None, None))
            if mapped is not None:
                self.places.remove(place)
        if mapped is None:
            self._usual.free(context, place, size)
            return
        del view
        try:
            mapped.close()
        except BufferError:
            return

    def _take(self, size: int, *, zeros: bool) -> int:
        """Return room for an array; 0, at which NumPy raises MemoryError, for none."""
        if size > _BLOCK_BYTES // 8:
            with self._guard:
                place = self._map(size)
                if place:
                    self._sizes[place] = size
            # A new file holds zeros.
            return place
        # Smaller ones share blocks, in sizes that are powers of two: what one array
        # leaves, the next of that size takes.
        size = 1 << (size - 1).bit_length()
        with self._guard:
            spare = self._spare.setdefault(size, [])
            is_new = not spare
            if is_new and self._left[1] < size:
                block = self._map(_BLOCK_BYTES)
                if not block:
                    return 0
                # The first array in it lies where it begins: it must not be taken for
                # an array with a file of its own.
                self._blocks.append(self._maps.pop(block))
                self._left = (block, _BLOCK_BYTES)
            if is_new:
                start, left = self._left
                spare.append(start)
                self._left = (start + size, left - size)
            place = spare.pop()
            self._sizes[place] = size
        if zeros and not is_new:
            ctypes.memset(place, 0, size)
        return place

    def _map(self, size: int) -> int:
        """Map a new file; 0 where there is no room for one."""
        try:
            # A file with holes would be cut off in the middle of work on a full disk.
            if shutil.disk_usage(self._folder).free < size + _SPARED_BYTES:
                return 0
            with tempfile.TemporaryFile(dir=self._folder) as file:
                file.truncate(size)
                mapped = mmap.mmap(file.fileno(), size)
        except (OSError, ValueError):
            return 0
        view = ctypes.c_char.from_buffer(mapped)
        place = ctypes.addressof(view)
        self._maps[place] = (mapped, view)
        self.places.add(place, size)
        return place
