"""Reading the file of a trail: its index, and its parts as arrays.

A part that is missing or damaged is not the end of it: it is noted, and what can be
told without it is.
"""

from __future__ import annotations

import contextlib
import threading
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from gruff_ledger.account.trail import TRAIL_FILE
from gruff_ledger.account.trail.format import (
    TRAIL_INDEX,
    TRAIL_VERSION,
    Counted,
    Rows,
    TrailIndex,
    Who,
    Whos,
)
from gruff_ledger.account.trail.packed import PackedCells, is_packed
from gruff_ledger.columns.threads import map_whole
from gruff_ledger.columns.types import Indices
from gruff_ledger.problems import Problem, UnreadableSource

# What stands before the name in a local header (APPNOTE.TXT 4.3.7).
_LOCAL_HEADER_BYTES = 30


# Each record of a source takes a byte at least, and what is made of it a few.
_RECORDS_A_BYTE = 64
_ALWAYS_RECORDS = 1 << 20

# Times that records are looked up for one question.
_MOST_ASKED = 2_000_000

_DOES_NOT_FIT = "what it says does not fit together: it is damaged, or was altered"

# What a part leads to that is not laid out as it should be.
DAMAGE = (
    LookupError,
    TypeError,
    ValueError,
    AttributeError,
    AssertionError,
    ArithmeticError,
    RuntimeError,
    pa.ArrowException,
)


class _Version(msgspec.Struct):
    """Of an index, the version of its layout alone."""

    trail: object = None


class TrailFile:
    """
    The file of a trail, opened.

    Parameters
    ----------
    ledger : Path
        The folder of the ledger.

    Attributes
    ----------
    index : TrailIndex
        What its parts are.
    missing : list of str
        Parts that were asked for, and are missing or damaged.

    Raises
    ------
    UnreadableSource
        If there is no such file, or it is no trail of this layout.
    """

    def __init__(self, ledger: Path) -> None:
        self._path = ledger / TRAIL_FILE
        self.missing: list[str] = []
        self._tables: dict[str, Any] = {}
        self._lock = threading.Lock()
        self._asked = 0
        try:
            self._zip = zipfile.ZipFile(self._path)
            size = self._path.stat().st_size
            if self._zip.getinfo(TRAIL_INDEX).file_size > size:
                # It is not compressed.
                raise self._damaged(f"its part {TRAIL_INDEX} is not what was written")
            said = self._zip.read(TRAIL_INDEX)
            self._map_cells = pa.memory_map(str(self._path))
        except FileNotFoundError as error:
            raise UnreadableSource(
                f"the ledger has no file {TRAIL_FILE}, which holds what tracing needs.",
                "Run the job again, or put the file back.",
                file=str(ledger),
            ) from error
        except KeyError as error:
            raise self._damaged(f"its part {TRAIL_INDEX} is missing") from error
        except Problem:
            raise
        except Exception as error:  # Whatever a damaged archive can lead to.
            raise self._damaged(f"it cannot be read ({error})") from error
        self._most_records = _RECORDS_A_BYTE * size + _ALWAYS_RECORDS
        self.index = self._read_index(said)

    def _read_index(self, said: bytes) -> TrailIndex:
        try:
            version = msgspec.json.decode(said, type=_Version).trail
        except msgspec.DecodeError as error:
            raise self._damaged(
                f"its part {TRAIL_INDEX} is not what was written"
            ) from error
        if version not in range(1, TRAIL_VERSION + 1):
            raise self._damaged(
                f"its layout is version {version}, and this program knows those up to "
                f"{TRAIL_VERSION}"
            )
        try:
            return msgspec.json.decode(said, type=TrailIndex)
        except msgspec.DecodeError as error:
            raise self._damaged(_DOES_NOT_FIT) from error

    def _damaged(self, what: str) -> UnreadableSource:
        return UnreadableSource(
            f"{what}.", "Put back a copy, or run the job again.", file=str(self._path)
        )

    def part(self, name: str) -> PackedCells | pa.Table | None:
        """
        Return a part, or None where it is missing or damaged.

        Returns
        -------
        PackedCells, pyarrow.Table or None
            The first where it holds cells of a list.
        """
        if name not in self._tables:
            self._tables[name] = self._read(name)
            if self._tables[name] is None:
                self.missing.append(name)
        return self._tables[name]

    def read_ahead(self, names: Sequence[str]) -> None:
        """Read several parts, and check them, in threads: that is most of the work."""
        map_whole(self.part, [name for name in names if name not in self._tables])

    def _read(self, name: str) -> Any:
        from pyarrow import ipc

        try:
            known = self._zip.getinfo(name)
            with self._lock:
                self._map_cells.seek(known.header_offset)
                header = self._map_cells.read(_LOCAL_HEADER_BYTES)
                names = int.from_bytes(header[26:28], "little")
                extra = int.from_bytes(header[28:30], "little")
                start = known.header_offset + _LOCAL_HEADER_BYTES + names + extra
                self._map_cells.seek(start)
                data = self._map_cells.read_buffer(known.file_size)
            if len(data) != known.file_size or zlib.crc32(data) != known.CRC:
                return None
            table = ipc.open_file(pa.BufferReader(data)).read_all()
            # Right check sums can be made for wrong offsets.
            table.validate(full=True)
            return PackedCells(table) if is_packed(table) else table
        except (*DAMAGE, OSError, MemoryError):
            return None

    @contextlib.contextmanager
    def answering(self) -> Iterator[None]:
        """
        Answer one question: what does not fit in the trail is said as its damage.

        Raises
        ------
        UnreadableSource
        """
        self._asked = 0
        try:
            yield
        except Problem:
            raise
        except DAMAGE as error:
            raise self._damaged(_DOES_NOT_FIT) from error

    def _ask(self) -> None:
        """Count what is looked up; no question needs so much as a circle does."""
        self._asked += 1
        if self._asked > _MOST_ASKED:
            raise ValueError("a trail in circles")

    def numbers(self, name: str, key: str) -> Any:
        """Return a column of numbers of a part; empty where the part is missing."""
        part = self.part(name)
        if part is None:
            return np.zeros(0, np.int64)
        return np.asarray(part.column(key).to_numpy())

    def cell(self, name: str, field: str, row: int) -> str | None:
        """Return one cell of a part, or None where it is missing."""
        part = self.part(name)
        if part is None or not 0 <= row < len(part):
            return None
        if isinstance(part, PackedCells):
            return part.cell(field, row)
        text: str = part.column(field)[row].as_py()
        return text

    def origins(self, said: Rows, mark: str = "") -> Whos:
        """Return the records that a part is on, or that are said in short."""
        self._ask()
        if isinstance(said, Counted):
            if not 0 <= said.count <= self._most_records:
                raise ValueError("more records than can be")
            records = np.arange(said.first, said.first + said.count)
            return Whos(np.full(said.count, said.source, np.int64), records)
        return Whos(
            self.numbers(said, f"{mark}source"), self.numbers(said, f"{mark}record")
        )

    def who_at(self, said: Rows, row: int) -> Who | None:
        """Return the record in a row, counted from 0; None where there is none."""
        if isinstance(said, Counted):
            if not 0 <= row < said.count:
                return None
            return Who(said.source, said.first + row)
        origins = self.origins(said)
        if not 0 <= row < len(origins.record):
            return None
        return Who(int(origins.source[row]), int(origins.record[row]))

    def rows_of(self, said: Rows, who: Who, mark: str = "") -> Indices:
        """Return the rows, counted from 0, in which a record is."""
        self._ask()
        if isinstance(said, Counted):
            row = who.record - said.first
            is_there = who.source == said.source and 0 <= row < said.count
            return np.array([row] if is_there else [], np.int64)
        origins = self.origins(said, mark)
        # Records first: most of the others differ in them.
        found = np.flatnonzero(origins.record == who.record)
        return np.asarray(found[origins.source[found] == who.source], np.int64)

    def picked(self, said: Rows, rows: Indices) -> Whos:
        """Return the records in some rows."""
        origins = self.origins(said)
        return Whos(origins.source[rows], origins.record[rows])

    def rows_in(self, said: Rows, whos: Whos) -> Indices:
        """Return the rows, counted from 0, in which any of the records is."""
        mine = self.origins(said)
        return np.flatnonzero(np.isin(_joined(mine), _joined(whos)))

    def rows_with(self, name: str, field: str, text: str) -> Indices:
        """Return the rows, counted from 0, of a part that have a text in a field."""
        from gruff_ledger.columns.arrays import arrow_functions

        part = self.part(name)
        if part is None:
            return np.zeros(0, np.int64)
        call = arrow_functions().call_function
        equal = call("equal", [part.column(field), pa.scalar(text, pa.string())])
        return np.flatnonzero(np.asarray(equal.to_numpy(), np.bool_))


def _joined(whos: Whos) -> Indices:
    source = np.asarray(whos.source).astype(np.int64)
    return (source << np.int64(40)) | np.asarray(whos.record).astype(np.int64)


def several(parts: list[Whos]) -> Whos:
    """Return records end to end."""
    empty = np.zeros(0, np.int64)
    return Whos(
        np.concatenate([empty, *(np.asarray(part.source) for part in parts)]),
        np.concatenate([empty, *(np.asarray(part.record) for part in parts)]),
    )
