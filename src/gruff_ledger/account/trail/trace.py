"""Tracing: where a record or a cell of a result came from, and where one went.

All is told from the trail of a run alone; no source and no result is opened. A cell is
followed back from the result, entry by entry: either an entry changed it, and was and
now are known; or an entry made it; or it went through, under the heading it had there.
"""

from __future__ import annotations

import csv
import functools
import hashlib
import io
from collections.abc import Callable, Iterator, Mapping, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar

import msgspec
import numpy as np

from gruff_ledger.account.trail.file import TrailFile, Who, Whos, several
from gruff_ledger.problems import UnknownField, UnreadableSource, nearest_or_all
from gruff_ledger.table import Indices

Asked = ParamSpec("Asked")
Answered = TypeVar("Answered")

# Records behind a figure that are told one by one.
SHOWN_PARTS = 20

# Records with a key that are looked at, where many have it.
_MOST_WITH_KEY = 200


class Place(msgspec.Struct, frozen=True):
    """
    A record of a source.

    Attributes
    ----------
    source, address : str
    record : int
        From 1 below the heading.
    row : int, optional
        Counted from 1 in the source with all rows, where its format knows rows.
    cells : dict of str to str
        As they were read, by heading.
    text : str
        The record as a line, with the delimiter of its source; as it was written,
        where its cells did not fit the headings.
    """

    source: str
    address: str
    record: int
    row: int | None = None
    cells: dict[str, str] = {}
    text: str = ""

    @property
    def brief(self) -> Place:
        """The same place, without what stands there."""
        return Place(self.source, self.address, self.record, self.row)


class Step(msgspec.Struct, frozen=True):
    """
    One step of the way of a cell, from its source to the result.

    Attributes
    ----------
    what : str
        ``source``, ``blank`` (the list has no such field), ``changed``, ``made``, or
        ``lost`` where the ledger is damaged.
    entry : str
        The entry that did it, such as ``2 scrub``; empty for a source.
    field : str
        As it was called there.
    was, now : str, optional
        None where that is not known.
    by : str
        More on how, such as the formula.
    place : Place, optional
        The record that the cell was read in, or was looked up in.
    """

    what: str
    entry: str = ""
    field: str = ""
    was: str | None = None
    now: str | None = None
    by: str = ""
    place: Place | None = None


class Part(msgspec.Struct, frozen=True):
    """A record that went into a figure: what it brought, and from which field."""

    place: Place
    field: str = ""
    value: str = ""


class Parts(msgspec.Struct, frozen=True):
    """
    What a figure was drawn from.

    Attributes
    ----------
    entry, figure : str
    count : int
        How many records there are; `shown` holds the first of them.
    total : str, optional
        The exact sum of what they brought, where numbers were added up.
    """

    entry: str
    figure: str
    count: int
    shown: tuple[Part, ...]
    total: str | None = None


class Cell(msgspec.Struct, frozen=True):
    """A cell of a result: its value, and the way it came, the first step first."""

    field: str
    value: str | None
    steps: tuple[Step, ...]
    parts: Parts | None = None


class Folded(msgspec.Struct, frozen=True):
    """A record that another one stands for: which entry did that, and why."""

    place: Place
    entry: str
    reason: str


class Remark(msgspec.Struct, frozen=True):
    """A finding on a record."""

    entry: str
    severity: str
    field: str
    message: str


class Traced(msgspec.Struct, frozen=True):
    """
    A record of a result, traced back.

    Attributes
    ----------
    result : str
        The address of the result.
    record : int
        Its number there, from 1.
    cells : tuple of Cell
    places : tuple of Place
        The records of sources that it is.
    folded : tuple of Folded
        The records that it stands for.
    parts : Parts, optional
        For figures: the records that are in them.
    remarks : tuple of Remark
    missing : tuple of str
        Parts of the ledger that were needed, and are missing or damaged.
    ledger, started : str
        The ledger that tells it, and when its run was begun.
    """

    result: str
    record: int
    cells: tuple[Cell, ...]
    places: tuple[Place, ...]
    folded: tuple[Folded, ...]
    parts: Parts | None
    remarks: tuple[Remark, ...]
    missing: tuple[str, ...] = ()
    ledger: str = ""
    started: str = ""


class Fate(msgspec.Struct, frozen=True):
    """
    What became of a record of a source, on one of its ways.

    Attributes
    ----------
    what : str
        ``out``, ``aside``, ``folded``, ``figures``, ``made``, ``drawn``, ``idle`` (it
        was looked into, and drawn for none) or ``end``.
    at : str
        The entry, or the address of the result.
    record : int, optional
        Its number there, or that of the record it was folded into.
    reason : str
    place : Place, optional
        The record that it was folded into.
    count : int
        How many records were made of it, or drawn from it.
    is_others : bool
        Whether it became of the record that this one was folded into, and not of
        itself.
    """

    what: str
    at: str
    record: int | None = None
    reason: str = ""
    place: Place | None = None
    count: int = 1
    is_others: bool = False


class Sent(msgspec.Struct, frozen=True):
    """A record of a source, and all that became of it."""

    place: Place
    fates: tuple[Fate, ...]
    remarks: tuple[Remark, ...]
    missing: tuple[str, ...] = ()
    ledger: str = ""
    started: str = ""


class _Stage(msgspec.Struct, frozen=True):
    """One entry on the way of a record back: as it came in, and as it went out."""

    entry: Mapping[str, Any]
    given: int
    was: Who
    now: Who


def _as_one_answer(
    method: Callable[Concatenate[Tracing, Asked], Answered],
) -> Callable[Concatenate[Tracing, Asked], Answered]:
    """Say what does not fit in a damaged trail as a problem, whatever is asked."""

    @functools.wraps(method)
    def answer(self: Tracing, *asked: Asked.args, **more: Asked.kwargs) -> Answered:
        with self._file.answering():
            answered: Any = method(self, *asked, **more)
            if isinstance(answered, msgspec.Struct):
                # What was altered may be of another kind than all that was written.
                answered = msgspec.convert(
                    msgspec.to_builtins(answered), type(answered)
                )
            return answered  # type: ignore[no-any-return]

    return answer  # type: ignore[return-value]


class Tracing:
    """
    The trail of a run, for questions.

    Parameters
    ----------
    ledger : Path
        The folder of the ledger.

    Raises
    ------
    UnreadableSource
        If it holds no trail.
    """

    def __init__(self, ledger: Path) -> None:
        self._file = TrailFile(ledger)
        self._ledger = ledger
        with self._file.answering():
            self._take_index(self._file.index)

    def _take_index(self, index: Mapping[str, Any]) -> None:
        self._sources: list[dict[str, Any]] = index["sources"]
        self._entries: list[dict[str, Any]] = index["entries"]
        self._outs: list[dict[str, Any]] = index["outs"]
        self._account: dict[str, Any] = index["account"]
        self._maker = {line["result"]: line for line in self._entries}
        self._source_at = {line["name"]: at for at, line in enumerate(self._sources)}
        self._known: dict[Who, Place] = {}
        self._made_by = {
            line["identity"]: line for line in self._entries if "identity" in line
        }
        # Each entry works on what was there before it: no way leads in a circle.
        said = [line["name"] for line in self._sources]
        said += [each["address"] for each in (*self._sources, *self._outs)]
        if not all(isinstance(each, str) for each in said):
            raise TypeError("a name that is not a text")
        known = {line["name"] for line in self._sources}
        for line in self._entries:
            if line["result"] in known or not known.issuperset(line["lists"]):
                raise ValueError("an entry on what it makes itself")
            known.add(line["result"])
        if len(self._account["sources"]) != len(self._sources):
            raise ValueError("an account of another run")

    # What there is ---------------------------------------------------------------

    @property
    def started(self) -> str:
        """When the run was begun."""
        return str(self._account.get("started", ""))

    @property
    def results(self) -> list[str]:
        """The addresses of the results."""
        return [out["address"] for out in self._outs]

    @property
    def sources(self) -> list[str]:
        """The names of the sources."""
        return [line["name"] for line in self._sources]

    @property
    def place(self) -> Path:
        """The folder of the ledger."""
        return self._ledger

    @_as_one_answer
    def lying_at(self, said: str) -> list[tuple[str, int]]:
        """Return the results and sources that lie where an address says."""
        lines = [
            (kind, at, line)
            for kind, some in (("result", self._outs), ("source", self._sources))
            for at, line in enumerate(some)
        ]
        found = [(kind, at) for kind, at, line in lines if self._is_there(said, line)]
        if not found and "#" not in said:
            # The only part of the file that there is.
            found = [
                (kind, at)
                for kind, at, line in lines
                if self._is_there(f"{said}#{line['address'].partition('#')[2]}", line)
            ]
            found = found if len(found) == 1 else []
        return found

    @_as_one_answer
    def is_unchanged(self, kind: str, position: int, path: Path) -> bool:
        """Tell whether the file of a result or source is as the run left it."""
        try:
            facts = path.stat()
        except (OSError, ValueError):
            return False
        if kind == "source":
            line = self._account["sources"][position]
            return bool(facts.st_size == line["size_bytes"]) and (
                self.sha256_of(position) in ("", sha256_of_file(path))
            )
        out = self._out_facts(position)
        return out is not None and (facts.st_size, facts.st_mtime_ns) == (
            out["size_bytes"],
            out["modified_ns"],
        )

    @_as_one_answer
    def of_size(self, size_bytes: int) -> list[tuple[str, int, str]]:
        """Return kind, position and address of the lists of a size."""
        found: list[tuple[str, int, str]] = []
        for at, line in enumerate(self._outs):
            out = self._out_facts(at)
            if out is not None and out["size_bytes"] == size_bytes:
                found.append(("result", at, line["address"]))
        for at, line in enumerate(self._account["sources"]):
            if line["size_bytes"] == size_bytes:
                found.append(("source", at, line["address"]))
        return found

    @_as_one_answer
    def sha256_of(self, source: int) -> str:
        """Return the hash of a source; empty where it is not known."""
        return str(self._account["sources"][source].get("sha256") or "")

    @_as_one_answer
    def is_copy(self, result: int, path: Path) -> bool:
        """
        Tell whether a file of the size of a result is a copy of it.

        A copy has its time, or the result still lies where it was and is the same.
        """
        out = self._out_facts(result)
        if out is None:
            return False
        if path.stat().st_mtime_ns == out["modified_ns"]:
            return True
        there = self._ledger / out["path"]
        return self.is_unchanged("result", result, there) and (
            sha256_of_file(there) == sha256_of_file(path)
        )

    def _out_facts(self, result: int) -> dict[str, Any] | None:
        """Return size and time of a result as the run left it, where it is a file."""
        outs = (self._account.get("made_from") or {}).get("outs", ())
        path = self._outs[result].get("path")
        return next((each for each in outs if each["path"] == path), None)

    @_as_one_answer
    def find(self, said: str) -> tuple[str, int]:
        """
        Find what is meant by an address or a name.

        Returns
        -------
        kind : str
            ``result`` or ``source``.
        position : int

        Raises
        ------
        UnreadableSource
            If the run knows no such list, or several.
        """
        for same in (self._is_there, self._is_said, self._has_name):
            found = [
                ("result", at) for at, out in enumerate(self._outs) if same(said, out)
            ]
            found += [
                ("source", at)
                for at, line in enumerate(self._sources)
                if same(said, line)
            ]
            if len(found) == 1:
                return found[0]
            if found:
                kinds = [
                    self._outs[at]["address"]
                    if kind == "result"
                    else self._sources[at]["name"]
                    for kind, at in found
                ]
                raise UnreadableSource(
                    f"several lists of the run are meant: {', '.join(kinds)}.",
                    "Name one of them so.",
                    file=said,
                )
        known = [*self.results, *self.sources]
        raise UnreadableSource(
            "the run of this ledger neither read nor wrote it.",
            nearest_or_all(said, known, "lists it knows"),
            file=said,
        )

    def _is_there(self, said: str, line: Mapping[str, Any]) -> bool:
        """Tell whether a result or source lies where an address says."""
        place, _, part = said.partition("#")
        theirs, _, their_part = str(line["address"]).partition("#")
        if part != their_part:
            return False
        if "://" in theirs:
            return bool(line.get("path", theirs) == place)
        # Ledgers of before tell no path of sources: they lay beside the docket.
        path = line.get("path", f"../{theirs}")
        try:
            return bool((self._ledger / path).resolve() == Path(place).resolve())
        except (OSError, ValueError):
            return False

    def _is_said(self, said: str, line: Mapping[str, Any]) -> bool:
        return said in (line["address"], line.get("name"))

    def _has_name(self, said: str, line: Mapping[str, Any]) -> bool:
        """Tell whether the name of the file is the same, wherever it lies."""
        place, _, part = said.partition("#")
        theirs, _, their_part = str(line["address"]).partition("#")
        return Path(place).name == Path(theirs).name and part in ("", their_part)

    # Back ------------------------------------------------------------------------

    @_as_one_answer
    def back(self, result: int, record: int, fields: Sequence[str] = ()) -> Traced:
        """
        Trace a record of a result back.

        Parameters
        ----------
        result : int
            The position of the result.
        record : int
            Its number, from 1.
        fields : sequence of str
            Headings of cells to trace; all, unless named.

        Raises
        ------
        UnreadableSource
            If the result has no such record.
        UnknownField
            If it has no such field.
        """
        out = self._outs[result]
        headings = [self._heading(out, field) for field in fields] or out["headings"]
        if not 1 <= record <= out["records"]:
            raise UnreadableSource(
                f"it has no record {record}: it had {out['records']} when it was "
                "written.",
                "Records are counted from 1 below the heading.",
                file=out["address"],
            )
        who = self._file.who_at(out["rows"], record - 1)
        if who is None:
            raise UnreadableSource(
                f"the part {out['rows']} of the trail is missing or damaged, which "
                "says where its records came from.",
                "Put back a copy of the ledger, or run the job again.",
                file=out["address"],
            )
        listed = out["list"]
        cells = tuple(self._out_cell(out, heading, who) for heading in headings)
        return Traced(
            out["address"],
            record,
            cells,
            tuple(self._places(who)),
            tuple(self._folded(listed, who)),
            self._parts(listed, who),
            tuple(self._remarks(listed, who)),
            tuple(self._file.missing),
        )

    @_as_one_answer
    def records_with(
        self, result: int, wanted: Mapping[str, str]
    ) -> tuple[list[int], bool]:
        """
        Find the records of a result that have certain cells.

        Returns
        -------
        records : list of int
            Their numbers, in order.
        is_all : bool
            False where there are more, which were not looked at.

        Raises
        ------
        UnknownField
            If the result has no such field.
        """
        out = self._outs[result]
        named = {self._heading(out, field): text for field, text in wanted.items()}
        first, text = next(iter(named.items()))
        self._file.read_ahead([line["cells"] for line in self._sources])
        whos = self._holders(out["list"], first, text)
        rows = self._file.rows_in(out["rows"], whos).tolist()
        for change in out["changes"]:
            if change["field"] == first:
                at = self._file.rows_with(change["part"], "now", text)
                origins = self._file.origins(change["part"])
                more = Whos(origins.source[at], origins.record[at])
                rows = sorted({*rows, *self._file.rows_in(out["rows"], more).tolist()})
        found: list[int] = []
        for looked, row in enumerate(rows):
            if looked >= _MOST_WITH_KEY:
                return found, False
            who = self._file.who_at(out["rows"], row)
            assert who is not None
            if all(
                self._out_cell(out, heading, who).value == value
                for heading, value in named.items()
            ):
                found.append(row + 1)
        return found, True

    @_as_one_answer
    def records_of_source(
        self, source: int, wanted: Mapping[str, str]
    ) -> tuple[list[int], bool]:
        """Find the records of a source that had certain cells; see `records_with`."""
        line = self._sources[source]
        named = {
            self._heading({**line, "address": line["name"]}, field): text
            for field, text in wanted.items()
        }
        found: set[int] = set()
        for number, (field, text) in enumerate(named.items()):
            rows = self._file.rows_with(line["cells"], field, text)
            mine = {int(each) for each in self._picked(line["records"], rows).record}
            for aside in line["aside"]:
                if field in aside["headings"]:
                    rows = self._file.rows_with(aside["cells"], field, text)
                    whos = self._picked(aside["part"], rows)
                    mine |= {int(each) for each in whos.record}
            found = found & mine if number else mine
        return sorted(found), True

    def _heading(self, out: Mapping[str, Any], field: str) -> str:
        headings: list[str] = out["headings"]
        alike = [
            each
            for each in headings
            if each.strip().casefold() == field.strip().casefold()
        ]
        if field in headings:
            return field
        if len(alike) == 1:
            return alike[0]
        raise UnknownField(
            f"there is no field '{field}'.",
            nearest_or_all(field, headings, "fields"),
            file=out["address"],
        )

    def _out_cell(self, out: Mapping[str, Any], heading: str, who: Who) -> Cell:
        steps = self._steps(out["list"], heading, who)
        label = f"writing {out['address']}"
        steps += self._changed(out, label, heading, who, steps)
        parts = self._parts(out["list"], who, heading)
        return Cell(heading, steps[-1].now, tuple(steps), parts)

    def _steps(self, listed: str, field: str, who: Who) -> list[Step]:
        """Return the way of a cell up to a list, from its source on."""
        entry = self._maker.get(listed)
        if entry is None:
            return [self._source_step(listed, field, who)]
        if field in entry["made"]:
            return [self._made_step(entry, field, who)]
        stage = self._stage(entry, who)
        if stage is None:
            return [Step("lost", entry["label"], field)]
        before = self._name_before(entry, stage.given, field)
        if before is None:
            steps = [Step("blank", entry["label"], field, None, "")]
        else:
            steps = self._steps(entry["lists"][stage.given], before, stage.was)
        return steps + self._changed(entry, entry["label"], field, stage.was, steps)

    def _changed(
        self,
        line: Mapping[str, Any],
        label: str,
        field: str,
        who: Who,
        steps: Sequence[Step],
    ) -> list[Step]:
        found: list[Step] = []
        for change in line["changes"]:
            if change["field"] != field:
                continue
            for row in self._file.rows_of(change["part"], who).tolist():
                was = self._file.cell(change["part"], "was", row)
                now = self._file.cell(change["part"], "now", row)
                found.append(Step("changed", label, field, was, now))
        return found

    def _source_step(self, listed: str, field: str, who: Who) -> Step:
        place = self._place(who)
        value = place.cells.get(field)
        return Step("source", "", field, None, value, "", place.brief)

    def _made_step(self, entry: Mapping[str, Any], field: str, who: Who) -> Step:
        row = self._row_in(entry, who)
        value = None if row is None else self._file.cell(entry["cells"], field, row)
        by = _made_words(entry, field)
        place = None
        drawn = entry.get("drawn")
        if drawn and field in drawn["taken"] and row is not None:
            at = np.flatnonzero(self._file.numbers(drawn["part"], "row") == row)
            theirs = drawn["taken"][field]
            if len(at):
                found = self._file.who_at(drawn["part"], int(at[0]))
                assert found is not None
                place = next(iter(self._places(found)), None)
                by = f"from {theirs}"
            else:
                by = "nothing was found for it"
        return Step("made", entry["label"], field, None, value, by, place)

    def _row_in(self, entry: Mapping[str, Any], who: Who) -> int | None:
        """Return the row of a record in the result of an entry, counted from 0."""
        if who.source == entry.get("identity"):
            return who.record - 1
        if "rows" not in entry:
            return None
        rows = self._file.rows_of(entry["rows"], who)
        return int(rows[0]) if len(rows) else None

    def _stage(self, entry: Mapping[str, Any], who: Who) -> _Stage | None:
        """Return how a record came into an entry, or None where that is lost."""
        was = who
        if who.source == entry.get("identity"):
            found = self._file.who_at(entry["parents"], who.record - 1)
            if found is None:
                return None
            was = found
        for given, within in enumerate(entry["within"]):
            if was.source in within:
                return _Stage(entry, given, was, who)
        return None

    def _stages(self, listed: str, who: Who) -> Iterator[_Stage]:
        """Yield the entries that a record went through, from the result back."""
        while (entry := self._maker.get(listed)) is not None:
            stage = self._stage(entry, who)
            if stage is None:
                return
            yield stage
            listed, who = entry["lists"][stage.given], stage.was

    @staticmethod
    def _name_before(entry: Mapping[str, Any], given: int, field: str) -> str | None:
        """Return what a field is called in a list that an entry was given."""
        renamed = entry["renamed"][given]
        for heading in entry["given"][given]:
            if renamed.get(heading, heading) == field:
                return str(heading)
        return None

    # Records of sources ----------------------------------------------------------

    def _place(self, who: Who) -> Place:
        """Return a record of a source, with its cells."""
        if who not in self._known:
            self._known[who] = self._found_place(who)
        return self._known[who]

    def _found_place(self, who: Who) -> Place:
        line = self._sources[who.source]
        facts = self._account["sources"][who.source]
        heading_row = facts.get("heading_row")
        row = None if heading_row is None else heading_row + who.record
        cells: dict[str, str] = {}
        text = ""
        for at in self._file.rows_of(line["records"], who).tolist():
            cells = self._record(line["cells"], line["headings"], at)
        for aside in line["aside"]:
            for at in self._file.rows_of(aside["part"], who).tolist():
                cells = self._record(aside["cells"], aside["headings"], at)
                text = self._file.cell(aside["text"], "text", at) or ""
        if not text and cells:
            text = _as_line(list(cells.values()), facts)
        return Place(line["name"], line["address"], who.record, row, cells, text)

    def _record(self, part: str, headings: Sequence[str], row: int) -> dict[str, str]:
        found = {heading: self._file.cell(part, heading, row) for heading in headings}
        return {key: text for key, text in found.items() if text is not None}

    def _places(self, who: Who) -> Iterator[Place]:
        """Yield the records of sources that a record is."""
        for _ in self._entries:
            if who.source not in self._made_by:
                break
            entry = self._made_by[who.source]
            if "drawn" in entry and entry["drawn"]["figure"]:
                # Figures are not one record: see their parts.
                return
            parent = self._file.who_at(entry["parents"], who.record - 1)
            if parent is None or parent.record < 1:
                return
            who = parent
        if who.record > 0:
            yield self._place(who)

    def _folded(self, listed: str, who: Who) -> Iterator[Folded]:
        """Yield the records that a record stands for."""
        for stage in self._stages(listed, who):
            for aside in stage.entry["aside"]:
                if not aside["folded"]:
                    continue
                for row in self._file.rows_of(aside["part"], stage.was, "kept "):
                    gone = self._file.who_at(aside["part"], int(row))
                    assert gone is not None
                    label, reason = stage.entry["label"], aside["reason"]
                    for place in self._places(gone):
                        yield Folded(place, label, reason)
                    before = self._list_before(stage.entry, gone)
                    if before is not None:
                        yield from self._folded(before, gone)

    @staticmethod
    def _list_before(entry: Mapping[str, Any], who: Who) -> str | None:
        for name, within in zip(entry["lists"], entry["within"], strict=True):
            if who.source in within:
                return str(name)
        return None

    def _parts(self, listed: str, who: Who, field: str | None = None) -> Parts | None:
        """Return what a figure, or a record of figures, was drawn from."""
        entry = self._maker.get(listed)
        while entry is not None and (
            "drawn" not in entry or not entry["drawn"]["figure"]
        ):
            stage = self._stage(entry, who)
            if stage is None:
                return None
            if field is not None:
                if field in entry["made"]:
                    return None
                field = self._name_before(entry, stage.given, field)
                if field is None:
                    return None
            who = stage.was
            entry = self._maker.get(entry["lists"][stage.given])
        if entry is None:
            return None
        drawn = entry["drawn"]
        if field is not None and drawn["headings"] and field not in drawn["headings"]:
            # A label, and no figure.
            return None
        at, before = self._drawn_at(drawn, who.record - 1, field)
        total = self._sum(drawn, at, before)
        shown = tuple(
            part for row in at[:SHOWN_PARTS].tolist() for part in self._part(drawn, row)
        )
        figure = drawn["figure"] if before is None else f"change of {drawn['figure']}"
        return Parts(entry["label"], figure, len(at), shown, total)

    def _drawn_at(
        self, drawn: Mapping[str, Any], row: int, field: str | None
    ) -> tuple[Indices, int | None]:
        """
        Return which of the parts are in a record of figures, or in one field of it.

        Where the figure is a change, the list from which it is counted is told too.
        """
        part = drawn["part"]
        rows = self._file.numbers(part, "row")
        if not drawn["rows"]:
            return np.flatnonzero(rows == row), None
        mask = np.ones(len(rows), np.bool_)
        before: int | None = None
        spans = [("row", drawn["rows"][row])]
        if field is not None and field in drawn["headings"]:
            spans.append(("column", drawn["headings"][field]))
        lists_of = self._file.numbers(part, "part")
        for key, (group, first, last, is_change) in spans:
            if group >= 0:
                mask &= self._file.numbers(part, key) == group
            mask &= (lists_of >= first) & (lists_of <= last)
            before = first if is_change else before
        return np.flatnonzero(mask), before

    def _sum(
        self, drawn: Mapping[str, Any], at: Indices, before: int | None
    ) -> str | None:
        """Add up what parts brought; those of the list before are taken off."""
        from gruff_ledger.account.control import decimal_words

        if drawn["figure"] != "sum":
            return None
        values = self._file.part(drawn["part"]).column("value").to_numpy()[at]
        numbers = [int(each) for each in values.tolist()]
        if before is not None:
            lists_of = self._file.numbers(drawn["part"], "part")[at].tolist()
            numbers = [
                -number if listed == before else number
                for number, listed in zip(numbers, lists_of, strict=True)
            ]
        return decimal_words(Fraction(sum(numbers), 10 ** drawn["scale"]))

    def _part(self, drawn: Mapping[str, Any], row: int) -> Iterator[Part]:
        who = self._file.who_at(drawn["part"], row)
        assert who is not None
        field = value = ""
        if drawn["fields"]:
            from gruff_ledger.account.control import decimal_words

            field = drawn["fields"][
                int(self._file.numbers(drawn["part"], "field")[row])
            ]
            amount = self._file.part(drawn["part"]).column("value")[row].as_py()
            value = decimal_words(Fraction(int(amount), 10 ** drawn["scale"]))
        for place in self._places(who):
            yield Part(place, field, value)

    def _remarks(self, listed: str, who: Who) -> Iterator[Remark]:
        """Yield the findings on a record, in the order of the work."""
        found: list[Remark] = []
        last = who
        for stage in self._stages(listed, who):
            found = [
                *self._remarks_of(stage.entry, stage.entry["label"], stage.was),
                *found,
            ]
            last = stage.was
        if last.source < len(self._sources):
            line = self._sources[last.source]
            label = f"reading {line['name']}"
            found = [*self._remarks_of(line, label, last), *found]
        yield from found

    def _remarks_of(
        self, line: Mapping[str, Any], label: str, who: Who
    ) -> Iterator[Remark]:
        for each in line["findings"]:
            if len(self._file.rows_of(each["part"], who)):
                yield Remark(label, each["severity"], each["field"], each["message"])

    # By key ----------------------------------------------------------------------

    def _holders(self, listed: str, field: str, text: str) -> Whos:
        """Return the records of a list that may have a text in a field."""
        entry = self._maker.get(listed)
        if entry is None:
            line = self._sources[self._source_at[listed]]
            rows = self._file.rows_with(line["cells"], field, text)
            return self._picked(line["records"], rows)
        if field in entry["made"]:
            rows = self._file.rows_with(entry["cells"], field, text)
            if "identity" in entry:
                return Whos(np.full(len(rows), entry["identity"], np.int64), rows + 1)
            return self._picked(entry["rows"], rows)
        found = []
        for given, name in enumerate(entry["lists"]):
            before = self._name_before(entry, given, field)
            if before is not None:
                found.append(self._holders(name, before, text))
            elif not text:
                # Every record of a list without the field is blank there.
                found.append(self._all_of(name))
        for change in entry["changes"]:
            if change["field"] == field:
                at = self._file.rows_with(change["part"], "now", text)
                found.append(self._picked(change["part"], at))
        whos = several(found)
        if "identity" not in entry:
            return whos
        rows = self._file.rows_in(entry["parents"], whos)
        return Whos(np.full(len(rows), entry["identity"], np.int64), rows + 1)

    def _all_of(self, listed: str) -> Whos:
        """Return all records that may be in a list."""
        entry = self._maker.get(listed)
        if entry is None:
            return self._file.origins(self._sources[self._source_at[listed]]["records"])
        if "identity" in entry:
            parents = self._file.origins(entry["parents"])
            count = len(parents.record)
            return Whos(np.full(count, entry["identity"]), np.arange(1, count + 1))
        return several([self._all_of(name) for name in entry["lists"]])

    def _picked(self, said: Any, rows: Indices) -> Whos:
        origins = self._file.origins(said)
        return Whos(origins.source[rows], origins.record[rows])

    # Forth -----------------------------------------------------------------------

    @_as_one_answer
    def forth(self, source: int, record: int) -> Sent:
        """
        Tell what became of a record of a source.

        Raises
        ------
        UnreadableSource
            If the source had no such record.
        """
        line = self._sources[source]
        who = Who(source, record)
        place = self._place(who)
        fates: list[Fate] = []
        label = f"reading {line['name']}"
        is_aside = False
        for aside in line["aside"]:
            if len(self._file.rows_of(aside["part"], who)):
                fates.append(Fate("aside", label, None, aside["reason"]))
                is_aside = True
        if not is_aside:
            if not len(self._file.rows_of(line["records"], who)):
                facts = self._account["sources"][source]
                raise UnreadableSource(
                    f"it had no record {record} when it was read: "
                    f"{facts['records_in']} records came in.",
                    "Records are counted from 1 below the heading; blank ones at the "
                    "end are no records of the list.",
                    file=line["name"],
                )
            fates += self._onward(line["name"], who)
        fates += self._drawn_from(line["name"], who)
        remarks = [*self._remarks_of(line, label, who)]
        for entry in self._entries:
            remarks += self._remarks_of(entry, entry["label"], who)
        return Sent(place, tuple(fates), tuple(remarks), tuple(self._file.missing))

    def _drawn_from(self, listed: str, who: Who) -> Iterator[Fate]:
        """Yield which entries copied cells of a record into others."""
        for entry in self._entries:
            drawn = entry.get("drawn")
            if not drawn or not drawn["taken"]:
                continue
            count = len(self._file.rows_of(drawn["part"], who))
            if count:
                yield Fate("drawn", entry["label"], None, "", None, count)
            elif listed in entry["facts"].get("references", {}).values():
                yield Fate("idle", entry["label"])

    def _onward(self, listed: str, who: Who) -> Iterator[Fate]:
        """Yield what became of a record of a list, on each of its ways."""
        is_used = False
        for out in self._outs:
            if out["list"] == listed:
                is_used = True
                for row in self._file.rows_of(out["rows"], who).tolist():
                    yield Fate("out", out["address"], row + 1)
        for entry in self._entries:
            if listed in entry["lists"]:
                is_used = True
                yield from self._through(entry, who)
        referred = [
            name
            for entry in self._entries
            for name in entry["facts"].get("references", {}).values()
        ]
        if not is_used and listed not in referred:
            yield Fate("end", listed)

    def _through(self, entry: Mapping[str, Any], who: Who) -> Iterator[Fate]:
        label = entry["label"]
        for aside in entry["aside"]:
            for row in self._file.rows_of(aside["part"], who).tolist():
                if not aside["folded"]:
                    yield Fate("aside", label, None, aside["reason"])
                    return
                kept = self._file.origins(aside["part"], "kept ")
                other = Who(int(kept.source[row]), int(kept.record[row]))
                place = next(self._places(other), None)
                yield Fate("folded", label, None, aside["reason"], place)
                for fate in self._on_from(entry, other):
                    yield msgspec.structs.replace(fate, is_others=True)
                return
        yield from self._on_from(entry, who)

    def _on_from(self, entry: Mapping[str, Any], who: Who) -> Iterator[Fate]:
        if "identity" not in entry:
            yield from self._onward(entry["result"], who)
            return
        rows = self._children(entry, who)
        kind = "figures" if "summed" in entry else "made"
        yield Fate(kind, entry["label"], None, "", None, len(rows))
        for row in rows[:SHOWN_PARTS]:
            yield from self._onward(entry["result"], Who(entry["identity"], row + 1))

    def _children(self, entry: Mapping[str, Any], who: Who) -> list[int]:
        """Return the rows, counted from 0, of what an entry made of a record."""
        drawn = entry.get("drawn")
        if not drawn or not drawn["figure"]:
            return [int(row) for row in self._file.rows_of(entry["parents"], who)]
        at = self._file.rows_of(drawn["part"], who)
        groups = {int(each) for each in self._file.numbers(drawn["part"], "row")[at]}
        if not drawn["rows"]:
            return sorted(group for group in groups if group >= 0)
        return [
            row
            for row, (group, first, *_) in enumerate(drawn["rows"])
            if group in groups and not first
        ]


def sha256_of_file(path: Path) -> str:
    """Return the SHA-256 of a file, in hexadecimal."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _as_line(cells: Sequence[str], facts: Mapping[str, Any]) -> str:
    """Write cells as a line with the delimiter of their source (RFC 4180)."""
    delimiter = facts.get("delimiter")
    line = io.StringIO()
    if not isinstance(delimiter, str) or len(delimiter) != 1:
        delimiter = ","
    csv.writer(line, delimiter=delimiter, lineterminator="").writerow(cells)
    return line.getvalue()


def _made_words(entry: Mapping[str, Any], field: str) -> str:
    """Say how an entry made a field, as far as its terms tell."""
    terms = entry["facts"].get("terms", {})
    do = entry["facts"].get("do")
    if do == "compute" and field in terms.get("formula", {}):
        return f"{field} = {terms['formula'][field]}"
    if do == "merge" and field == terms.get("name-source"):
        return "the name of the list"
    if do == "split" and terms.get("field"):
        return f"part of {terms['field']}"
    if do == "join" and terms.get("fields"):
        return f"of {', '.join(terms['fields'])}"
    return ""
