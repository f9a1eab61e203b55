"""The trail of a run: what `trace` needs, written as the run goes on.

The file ``trace.zip`` holds the cells of every source as they were read, and for each
entry what it changed, set aside, found and made, with the records it happened to. All
else can be told from these: nothing of a list that went on unchanged is written twice.
Its members are Arrow files, so that one record of a million is found without reading
the others; cells are packed (see `packed`). ``trail.json`` says what each of them is.

Records are told apart by their origin. Work that makes several records of one, or
figures of records, makes records that are new: they are numbered anew, as if the entry
were a source, and the trail keeps what they were made of.
"""

from __future__ import annotations

import contextlib
import queue
import threading
import zipfile
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any, BinaryIO

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
from msgspec import structs

from gruff_ledger.account.trail.packed import write_packed
from gruff_ledger.credentials import hidden_facts
from gruff_ledger.outcome import Change, Drawn, Finding, Note, Outcome, SetAside
from gruff_ledger.table import (
    Column,
    Origin,
    Table,
    constant_column,
    number_array,
    text_column,
)

TRAIL_FILE = "trace.zip"
TRAIL_INDEX = "trail.json"

# The version of the layout of the file. In the first, no cells were packed.
TRAIL_VERSION = 2

# Records in a piece of an Arrow file.
_PIECE_RECORDS = 1 << 16

# Parts that wait to be written; more would only hold memory.
_MOST_WAITING = 16


class Made(msgspec.Struct, frozen=True, eq=False):
    """
    Records that an entry made, n of them, under an identity of their own.

    Attributes
    ----------
    parent : Origin, n records
        The record that each was made of, or that stands for those it was made of.
    root : Origin, n records
        The same in terms of sources.
    """

    parent: Origin
    root: Origin


class Trail:
    """
    Collects the trail of a run; use as a context manager.

    Parameters
    ----------
    sink : binary file, optional
        Where it is written; without one nothing is, and nothing is noted.
    sources : sequence of str
        The names of the sources, by position.
    """

    def __init__(self, sink: BinaryIO | None, sources: Sequence[str]) -> None:
        self._sink = sink
        self._writing = _Parts(sink) if sink is not None else None
        self._names = list(sources)
        self._made: list[Made] = []
        self._within: dict[str, frozenset[int]] = {}
        self._headings: dict[str, tuple[str, ...]] = {}
        self._sources: list[dict[str, Any]] = []
        self._entries: list[dict[str, Any]] = []
        self._outs: list[dict[str, Any]] = []
        self._order: tuple[Origin, Any] | None = None

    def __enter__(self) -> Trail:
        return self

    def __exit__(self, *error: object) -> None:
        if self._writing is not None:
            self._writing.give_up()

    @property
    def is_kept(self) -> bool:
        """Whether it is written."""
        return self._sink is not None

    @property
    def _parts(self) -> _Parts:
        assert self._writing is not None
        return self._writing

    @property
    def sink(self) -> BinaryIO:
        """Where it is written."""
        assert self._sink is not None
        return self._sink

    def source(
        self,
        name: str,
        table: Table,
        aside: Sequence[SetAside],
        findings: Sequence[Finding],
        address: str,
        path: str | None = None,
    ) -> None:
        """Take note of a list that was read: the next one by position."""
        if self._sink is None:
            return
        position = len(self._sources)
        self._within[name] = frozenset((position,))
        self._headings[name] = table.headings
        self._sources.append(
            {
                "name": name,
                "address": address,
                # As it is seen from the ledger, where it is a file.
                **({} if path is None else {"path": path}),
                "headings": list(table.headings),
                "cells": self._cells(f"sources/{position + 1}", table),
                "records": self._origins(f"sources/{position + 1}-records", table),
                "aside": [
                    self._aside(f"sources/{position + 1}-aside-{number}", each, True)
                    for number, each in enumerate(aside, 1)
                ],
                "findings": self._findings(f"sources/{position + 1}", findings),
            }
        )

    def entry(
        self,
        label: str,
        result: str,
        lists: Sequence[str],
        given: Sequence[Table],
        outcome: Outcome,
        facts: Mapping[str, Any],
    ) -> Table:
        """
        Take note of what an entry did.

        Returns
        -------
        Table
            Its result. Where records were made, they have an origin of their own.
        """
        table = outcome.table
        if self._sink is None:
            return table
        number = len(self._entries) + 1
        at = f"entries/{number}"
        sums = outcome.summed is not None
        is_mixed = _overlap([self._within[name] for name in lists])
        multiplies = bool(outcome.made) or is_mixed
        renamed = outcome.renamed or ({},) * len(given)
        known = {
            other.get(heading, heading)
            for each, other in zip(given, renamed, strict=True)
            for heading in each.headings
        }
        if sums or is_mixed:
            known = set()
        elif multiplies:
            # Records that were made of one may differ in what was changed.
            known -= {change.field for change in outcome.changes}
        made = [heading for heading in table.headings if heading not in known]
        line: dict[str, Any] = {
            "label": label,
            "result": result,
            "lists": list(lists),
            "within": [sorted(self._within[name]) for name in lists],
            "renamed": [dict(each) for each in renamed],
            "given": [list(each.headings) for each in given],
            "headings": list(table.headings),
            "facts": dict(facts),
            "made": made,
            "changes": [
                self._change(f"{at}-change-{place}", each)
                for place, each in enumerate(outcome.changes, 1)
            ],
            "aside": [
                self._aside(f"{at}-aside-{place}", each, False)
                for place, each in enumerate(outcome.aside, 1)
            ],
            "findings": self._findings(at, outcome.findings),
        }
        if made:
            cells = table.with_fields(made, [table.cells(h) for h in made])
            line["cells"] = self._cells(f"{at}-made", cells)
        drawn = outcome.drawn() if outcome.drawn is not None else None
        if drawn is not None:
            line["drawn"] = self._drawn(f"{at}-drawn", drawn)
        if sums:
            line["summed"] = outcome.summed
        if sums or multiplies:
            line["parents"] = self._origins(f"{at}-parents", table)
            table, line["identity"] = self._anew(table, label)
            self._within[result] = frozenset((line["identity"],))
        else:
            if made or drawn is not None:
                line["rows"] = self._rows(f"{at}-rows", table.origin)
            self._within[result] = frozenset().union(
                *(self._within[name] for name in lists)
            )
        self._headings[result] = table.headings
        self._entries.append(line)
        return table

    def beside(self, name: str, label: str, key: str, table: Table) -> Table:
        """Take note of a list that an entry made beside its result."""
        if self._sink is None:
            return table
        number = len(self._entries) + 1
        at = f"entries/{number}"
        line = {
            "label": label,
            "beside": key,
            "result": name,
            "lists": [],
            "within": [],
            "renamed": [],
            "given": [],
            "headings": list(table.headings),
            "facts": {},
            "made": list(table.headings),
            "changes": [],
            "aside": [],
            "findings": [],
            "cells": self._cells(f"{at}-made", table),
            "parents": self._origins(f"{at}-parents", table),
        }
        table, line["identity"] = self._anew(table, label)
        self._within[name] = frozenset((line["identity"],))
        self._headings[name] = table.headings
        self._entries.append(line)
        return table

    def out(
        self,
        address: str,
        path: str,
        name: str,
        table: Table,
        changes: Sequence[Change] = (),
    ) -> None:
        """Take note of a list as it is written; `path` is seen from the ledger."""
        at = f"outs/{len(self._outs) + 1}"
        self._outs.append(
            {
                "address": address,
                "path": path,
                "list": name,
                "headings": list(table.headings),
                "records": len(table),
                "rows": self._rows(f"{at}-rows", table.origin),
                "changes": [
                    self._change(f"{at}-change-{number}", each)
                    for number, each in enumerate(changes, 1)
                ],
            }
        )

    def close(self, account: Mapping[str, Any]) -> None:
        """
        Write what the parts are, with the account, and end.

        Raises
        ------
        OSError
            If anything could not be written.
        """
        index = {
            "trail": TRAIL_VERSION,
            "identities": [*self._names],
            "sources": self._sources,
            "entries": self._entries,
            "outs": self._outs,
            "account": account,
        }
        self._parts.end(TRAIL_INDEX, msgspec.json.encode(hidden_facts(index)))

    # In terms of sources ---------------------------------------------------------

    def root(self, origin: Origin) -> Origin:
        """Return where records come from, in terms of sources alone."""
        if not self._made or not len(origin):
            return origin
        first = len(self._names) - len(self._made)
        if int(origin.source.max()) < first:
            return origin
        source, record = origin.source.copy(), origin.record.copy()
        for number, made in enumerate(self._made):
            mine = origin.source == first + number
            if mine.any():
                root = made.root.pick(origin.record[mine] - 1)
                source[mine], record[mine] = root.source, root.record
        return Origin(source, record)

    def rooted(self, table: Table) -> Table:
        """Return a list with its records' origins in terms of sources."""
        origin = self.root(table.origin)
        return (
            table if origin is table.origin else structs.replace(table, origin=origin)
        )

    def told(self, outcome: Outcome) -> Outcome:
        """Return an outcome as the account tells it, in terms of sources."""
        if not self._made:
            return outcome

        def note(each: Note) -> Note:
            if each.origin is None:
                return each
            return structs.replace(each, origin=self.root(each.origin))

        def aside(each: SetAside) -> SetAside:
            kept = None if each.kept is None else self.root(each.kept)
            return structs.replace(each, table=self.rooted(each.table), kept=kept)

        def finding(each: Finding) -> Finding:
            return structs.replace(each, origin=self.root(each.origin))

        return structs.replace(
            outcome,
            aside=tuple(map(aside, outcome.aside)),
            changes=self.told_changes(outcome.changes),
            findings=tuple(map(finding, outcome.findings)),
            notes=tuple(map(note, outcome.notes)),
        )

    def told_changes(self, changes: Sequence[Change]) -> tuple[Change, ...]:
        """Return changes in terms of sources."""
        return tuple(
            structs.replace(each, origin=self.root(each.origin)) for each in changes
        )

    def _anew(self, table: Table, label: str) -> tuple[Table, int]:
        """Number the records of a list as new ones."""
        identity = len(self._names)
        self._made.append(Made(table.origin, self.root(table.origin)))
        self._names.append(label)
        origin = Origin.counted(identity, 1, len(table))
        return structs.replace(table, origin=origin), identity

    # Parts -----------------------------------------------------------------------

    def _cells(self, name: str, table: Table) -> str:
        columns = dict(zip(table.headings, table.all_cells, strict=True))
        return self._parts.add(name, columns, packed=True)

    def _rows(self, name: str, origin: Origin) -> Any:
        """Write which record stands in each row; in short where they are counted."""
        if self._order is not None and self._order[0] is origin:
            return self._order[1]
        said: Any = _counted(origin)
        if said is None:
            said = self._parts.add(name, _origin_columns(origin))
        self._order = (origin, said)
        return said

    def _origins(self, name: str, table: Table) -> Any:
        return self._rows(name, table.origin)

    def _change(self, name: str, change: Change) -> dict[str, Any]:
        columns = _origin_columns(change.origin)
        columns |= {"was": change.was, "now": change.now}
        return {"field": change.field, "part": self._parts.add(name, columns)}

    def _aside(self, name: str, aside: SetAside, with_cells: bool) -> dict[str, Any]:
        columns = _origin_columns(aside.table.origin)
        if aside.kept is not None:
            columns |= _origin_columns(aside.kept, "kept ")
        said = {
            "reason": aside.reason,
            "folded": aside.kept is not None,
            "part": self._parts.add(name, columns),
        }
        if with_cells:
            text = constant_column("", len(aside.table))
            if aside.text is not None:
                text = text_column(aside.text)
            said["text"] = self._parts.add(f"{name}-text", {"text": text})
            said["headings"] = list(aside.table.headings)
            said["cells"] = self._cells(f"{name}-cells", aside.table)
        return said

    def _findings(self, at: str, findings: Sequence[Finding]) -> list[dict[str, Any]]:
        return [
            {
                "rule": each.rule,
                "severity": str(each.severity),
                "field": each.field,
                "message": each.message,
                "part": self._parts.add(
                    f"{at}-finding-{number}", _origin_columns(each.origin)
                ),
            }
            for number, each in enumerate(findings, 1)
        ]

    def _drawn(self, name: str, drawn: Drawn) -> dict[str, Any]:
        columns = _origin_columns(drawn.origin)
        for key, codes in (
            ("row", drawn.row),
            ("column", drawn.column),
            ("part", drawn.part),
            ("field", drawn.field),
        ):
            if codes is not None:
                columns[key] = _narrow(codes)
        if drawn.values is not None:
            is_small = drawn.values.dtype != object
            columns["value"] = (
                _narrow(drawn.values)
                if is_small
                else pa.array([str(each) for each in drawn.values])
            )
        return {
            "part": self._parts.add(name, columns),
            "scale": drawn.scale,
            "fields": list(drawn.fields),
            "rows": [structs.astuple(each) for each in drawn.rows],
            "headings": {
                key: structs.astuple(each) for key, each in drawn.headings.items()
            },
            "taken": dict(drawn.taken),
            "figure": drawn.figure,
        }


def _overlap(within: Sequence[frozenset[int]]) -> bool:
    """Tell whether records of one source are in several of the lists."""
    return sum(map(len, within)) > len(frozenset().union(*within))


def _counted(origin: Origin) -> dict[str, int] | None:
    """Say origins that are counted through in short, or return None."""
    if not len(origin):
        return {"source": 0, "first": 1, "count": 0}
    first, count = int(origin.record[0]), len(origin)
    if int(origin.record[-1]) - first != count - 1:
        return None
    source = int(origin.source[0])
    is_counted = (origin.source == source).all() and (np.diff(origin.record) == 1).all()
    return {"source": source, "first": first, "count": count} if is_counted else None


def _origin_columns(origin: Origin, mark: str = "") -> dict[str, Any]:
    """Return origins as Arrow arrays of numbers no wider than they need."""
    return {
        f"{mark}source": _narrow(origin.source),
        f"{mark}record": _narrow(origin.record),
    }


def _narrow(numbers: npt.NDArray[np.integer]) -> Any:
    """Return whole numbers as an Arrow array no wider than they need."""
    least, most = int(numbers.min(initial=0)), int(numbers.max(initial=0))
    kind = next(
        kind
        for kind in (np.uint8, np.int16, np.uint16, np.int32, np.uint32, np.int64)
        if np.iinfo(kind).min <= least and most <= np.iinfo(kind).max
    )
    return number_array(numbers.astype(kind))


class _Parts:
    """Writes parts in a thread of its own: writing waits, and work need not."""

    def __init__(self, sink: BinaryIO) -> None:
        self._zip = zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED, allowZip64=True)
        self._queue: queue.Queue[Callable[[], None] | None] = queue.Queue(_MOST_WAITING)
        self._error: BaseException | None = None
        self._thread = threading.Thread(target=self._work, daemon=True)
        self._thread.start()

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
    # The time of day is in the account; members differ by what is in them alone.
    return zipfile.ZipInfo(name)
