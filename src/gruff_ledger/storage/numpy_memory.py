"""Having NumPy take the memory of its large arrays from files.

NumPy lets a program say where the memory of its arrays comes from (NEP 49, "Data
allocation strategies"); only by its C API, which is reached by `ctypes` here, and
nowhere else. The handler belongs to the context (PEP 567), so that threads must work in
a copy of it; see `gruff_ledger.columns.threads`. When it is begun, it is tried; a NumPy
that is not known, or that fails, keeps its arrays in memory.
"""

from __future__ import annotations

import bisect
import ctypes
import mmap
import threading
from pathlib import Path
from typing import Any

import numpy as np

# From this size on arrays lie in files; the smaller ones of them share blocks.
_LEAST_MAPPED_BYTES = 1 << 16
_BLOCK_BYTES = 1 << 26

# What is left on the disk for others.
_SPARED_BYTES = 1 << 28

# Positions in the table of NumPy's C API; they do not change within a major version
# (numpy/_core/code_generators/numpy_api.py).
_SET_HANDLER, _GET_HANDLER = 304, 305
_KNOWN_NUMPY = "2"

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


def _is_known() -> bool:
    """Whether this is a NumPy whose table of functions is known."""
    return np.__version__.partition(".")[0] == _KNOWN_NUMPY


class Places:
    """Where mapped files lie in memory."""

    def __init__(self) -> None:
        self._starts: list[int] = []
        self._ends: dict[int, int] = {}
        self._guard = threading.RLock()

    def add(self, start: int, size: int) -> None:
        """Take note of a file that is mapped there."""
        with self._guard:
            bisect.insort(self._starts, start)
            self._ends[start] = start + size

    def remove(self, start: int) -> None:
        """Forget a file that is mapped no more."""
        with self._guard:
            self._starts.remove(start)
            del self._ends[start]

    def __contains__(self, address: int) -> bool:
        with self._guard:
            at = bisect.bisect_right(self._starts, address)
            return bool(at) and address < self._ends[self._starts[at - 1]]


class MappedArrays:
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
        self.places = Places()
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
        if not _is_known():
            return False
        try:
            self._take_over()
        except (AttributeError, TypeError, ValueError):
            return False
        if self._works():
            return True
        self.end()
        return False

    def _works(self) -> bool:
        """Test that large arrays lie in files, hold what is put there, and leave."""
        array = np.arange(_LEAST_MAPPED_BYTES, dtype=np.int64)
        place = int(array.ctypes.data)
        grown = np.concatenate([array, array])
        is_right = place in self.places and bool((grown[-len(array) :] == array).all())
        zeros = np.zeros(len(array), np.int64)
        is_right &= int(zeros.ctypes.data) in self.places and not zeros.any()
        del array, grown, zeros
        return is_right and not self._sizes

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

    def end(self) -> None:
        """Give the arrays made from now on back to the usual handler."""
        if self._before is not None:
            self._set(self._before)
            self._before = None

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
        import shutil
        import tempfile

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
