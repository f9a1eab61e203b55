"""Writing the parts of a trail: Arrow files with numbers no wider than they need."""

from __future__ import annotations

import contextlib
import queue
from collections.abc import Callable, Mapping
from functools import partial
from typing import TYPE_CHECKING, Any, BinaryIO

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.account.trail.format import Counted
from gruff_ledger.account.trail.packed import write_packed
from gruff_ledger.columns.arrays import number_array
from gruff_ledger.columns.threads import begun_thread
from gruff_ledger.columns.types import Column
from gruff_ledger.table import Origin

if TYPE_CHECKING:
    import zipfile

# Records in a piece of an Arrow file.
_PIECE_RECORDS = 1 << 16

# Parts that wait to be written; more would only hold memory.
_MOST_WAITING = 16


def counted_through(origin: Origin) -> Counted | None:
    """Say origins that are counted through in short, or return None."""
    if not len(origin):
        return Counted(source=0, first=1, count=0)
    first, count = int(origin.record[0]), len(origin)
    if int(origin.record[-1]) - first != count - 1:
        return None
    source = int(origin.source[0])
    is_counted = (origin.source == source).all() and (np.diff(origin.record) == 1).all()
    return Counted(source=source, first=first, count=count) if is_counted else None


def origin_columns(origin: Origin, mark: str = "") -> dict[str, Any]:
    """Return origins as Arrow arrays of numbers no wider than they need."""
    return {
        f"{mark}source": narrow(origin.source),
        f"{mark}record": narrow(origin.record),
    }


def narrow(numbers: npt.NDArray[np.integer]) -> Any:
    """Return whole numbers as an Arrow array no wider than they need."""
    least, most = int(numbers.min(initial=0)), int(numbers.max(initial=0))
    kind = next(
        kind
        for kind in (np.uint8, np.int16, np.uint16, np.int32, np.uint32, np.int64)
        if np.iinfo(kind).min <= least and most <= np.iinfo(kind).max
    )
    return number_array(numbers.astype(kind))


class Parts:
    """Writes parts in a thread of its own: writing waits, and work need not."""

    def __init__(self, sink: BinaryIO) -> None:
        import zipfile

        self._zip = zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED, allowZip64=True)
        self._queue: queue.Queue[Callable[[], None] | None] = queue.Queue(_MOST_WAITING)
        self._error: BaseException | None = None
        self._thread = begun_thread(self._work)

    def add(
        self, name: str, columns: Mapping[str, Any], *, packed: bool = False
    ) -> str:
        """Have a part written, packed if it is cells of a list, and return its name."""
        member = f"{name}.arrow"
        write = write_packed if packed and columns else _write_arrays
        self._queue.put(lambda: self._write(member, partial(write, columns)))
        return member

    def end(self, name: str, data: bytes) -> None:
        """Write the last part, and wait until all is written."""
        self._queue.put(lambda: self._zip.writestr(_member(name), data))
        self._stop()
        if self._error is not None:
            raise self._error
        self._zip.close()

    def give_up(self) -> None:
        """End the thread, if it still works, before the file is closed."""
        if self._thread.is_alive():
            self._error = self._error or InterruptedError()
            self._stop()
        with contextlib.suppress(OSError, ValueError):
            self._zip.close()

    def _stop(self) -> None:
        self._queue.put(None)
        self._thread.join()

    def _work(self) -> None:
        while (job := self._queue.get()) is not None:
            if self._error is None:
                try:
                    job()
                except BaseException as error:
                    self._error = error

    def _write(self, member: str, write: Callable[[Any], None]) -> None:
        with self._zip.open(_member(member), "w", force_zip64=True) as target:
            write(pa.PythonFile(target, "w"))


def _write_arrays(columns: Mapping[str, Any], sink: Any) -> None:
    from pyarrow import ipc

    arrays = [_chunked(column) for column in columns.values()]
    fields = [
        pa.field(key, each.type) for key, each in zip(columns, arrays, strict=True)
    ]
    table = pa.Table.from_arrays(arrays, schema=pa.schema(fields))
    with ipc.new_file(sink, table.schema) as writer:
        writer.write_table(table, max_chunksize=_PIECE_RECORDS)


def _chunked(column: Column) -> Any:
    return column if isinstance(column, pa.ChunkedArray) else pa.chunked_array([column])


def _member(name: str) -> zipfile.ZipInfo:
    import zipfile

    # The time of day is in the account; members differ by what is in them alone.
    return zipfile.ZipInfo(name)
