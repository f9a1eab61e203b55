"""Walking a trail: how a record came into each entry, and what its cells were.

All is told from the trail alone; no source and no result is opened. A record is known
by its identity (see `format`). From the result of an entry it is followed to one of the
lists that the entry was given, and so on until a source.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from gruff_ledger.account.trail.answers import Place, Remark
from gruff_ledger.account.trail.file import TrailFile
from gruff_ledger.account.trail.format import (
    AccountFacts,
    EntryFacts,
    EntryLine,
    FindingLine,
    OutLine,
    SourceFacts,
    SourceLine,
    Who,
)
from gruff_ledger.problems import UnknownField, nearest_or_all


class Stage(NamedTuple):
    """One entry on the way of a record back: as it came in, and as it went out."""

    entry: EntryLine
    given: int
    was: Who
    now: Who

    @property
    def list_before(self) -> str:
        """The name of the list in which it came in."""
        return self.entry.lists[self.given]

    def name_before(self, field: str) -> str | None:
        """Return what a field is called there, or None where that list has none."""
        return name_before(self.entry, self.given, field)


class OpenTrail:
    """
    The trail of a run, opened; see `gruff_ledger.account.trail.file.TrailFile`.

    Attributes
    ----------
    ledger : Path
    file : TrailFile
    sources, entries, outs : list
        The lines of its index.
    account : AccountFacts
    maker : dict
        The entry that made a list, by the name of the list.
    """

    def __init__(self, ledger: Path) -> None:
        self.ledger = ledger
        self.file = TrailFile(ledger)
        index = self.file.index
        self.sources: list[SourceLine] = index.sources
        self.entries: list[EntryLine] = index.entries
        self.outs: list[OutLine] = index.outs
        self.maker = {line.result: line for line in self.entries}
        self._source_named = {line.name: line for line in self.sources}
        self._made_by = {
            line.identity: line for line in self.entries if line.identity is not None
        }
        self._known: dict[Who, Place] = {}
        with self.file.answering():
            self.account = msgspec.convert(index.account, AccountFacts)
            self._facts = {
                line.result: msgspec.convert(line.facts, EntryFacts)
                for line in self.entries
            }
            self._check()

    def _check(self) -> None:
        """Refuse what no run writes: each entry works on what was there before it."""
        known = {line.name for line in self.sources}
        for line in self.entries:
            if line.result in known or not known.issuperset(line.lists):
                raise ValueError("an entry on what it makes itself")
            known.add(line.result)
        if len(self.account.sources) != len(self.sources):
            raise ValueError("an account of another run")

    def facts_of(self, entry: EntryLine) -> EntryFacts:
        """Return what the account says of an entry."""
        return self._facts[entry.result]

    def source_named(self, name: str) -> SourceLine:
        """Return the source of a name."""
        return self._source_named[name]

    def row_in(self, entry: EntryLine, who: Who) -> int | None:
        """Return the row of a record in the result of an entry, counted from 0."""
        if who.source == entry.identity:
            return who.record - 1
        if entry.rows is None:
            return None
        rows = self.file.rows_of(entry.rows, who)
        return int(rows[0]) if len(rows) else None

    def stage(self, entry: EntryLine, who: Who) -> Stage | None:
        """Return how a record came into an entry, or None where that is lost."""
        was = who
        if who.source == entry.identity:
            assert entry.parents is not None
            found = self.file.who_at(entry.parents, who.record - 1)
            if found is None:
                return None
            was = found
        for given, within in enumerate(entry.within):
            if was.source in within:
                return Stage(entry, given, was, who)
        return None

    def stages(self, listed: str, who: Who) -> Iterator[Stage]:
        """Yield the entries that a record went through, from the result back."""
        while (entry := self.maker.get(listed)) is not None:
            stage = self.stage(entry, who)
            if stage is None:
                return
            yield stage
            listed, who = stage.list_before, stage.was

    def place(self, who: Who) -> Place:
        """Return a record of a source, with its cells."""
        if who not in self._known:
            self._known[who] = self._find_place(who)
        return self._known[who]

    def _find_place(self, who: Who) -> Place:
        line = self.sources[who.source]
        facts = self.account.sources[who.source]
        row = None if facts.heading_row is None else facts.heading_row + who.record
        cells: dict[str, str] = {}
        text = ""
        for at in self.file.rows_of(line.records, who).tolist():
            cells = self._record(line.cells, line.headings, at)
        for aside in line.aside:
            assert aside.cells is not None
            assert aside.headings is not None
            assert aside.text is not None
            for at in self.file.rows_of(aside.part, who).tolist():
                cells = self._record(aside.cells, aside.headings, at)
                text = self.file.cell(aside.text, "text", at) or ""
        if not text and cells:
            text = _as_line(list(cells.values()), facts)
        return Place(line.name, line.address, who.record, row, cells, text)

    def _record(self, part: str, headings: Sequence[str], row: int) -> dict[str, str]:
        found = {heading: self.file.cell(part, heading, row) for heading in headings}
        return {key: text for key, text in found.items() if text is not None}

    def places(self, who: Who) -> Iterator[Place]:
        """Yield the records of sources that a record is."""
        for _ in self.entries:
            if who.source not in self._made_by:
                break
            entry = self._made_by[who.source]
            if entry.drawn is not None and entry.drawn.figure:
                # Figures are not one record: see their parts.
                return
            assert entry.parents is not None
            parent = self.file.who_at(entry.parents, who.record - 1)
            if parent is None or parent.record < 1:
                return
            who = parent
        if who.record > 0:
            yield self.place(who)

    def remarks_on(
        self, findings: Sequence[FindingLine], label: str, who: Who
    ) -> Iterator[Remark]:
        """Yield those of some findings that are on a record."""
        for each in findings:
            if len(self.file.rows_of(each.part, who)):
                yield Remark(label, each.severity, each.field, each.message)


def name_before(entry: EntryLine, given: int, field: str) -> str | None:
    """Return what a field is called in a list that an entry was given."""
    renamed = entry.renamed[given]
    for heading in entry.given[given]:
        if renamed.get(heading, heading) == field:
            return heading
    return None


def find_heading(headings: Sequence[str], field: str, *, file: str) -> str:
    """
    Return the heading that a person means.

    Raises
    ------
    UnknownField
        If there is none, or several are alike.
    """
    wanted = field.strip().casefold()
    alike = [each for each in headings if each.strip().casefold() == wanted]
    if field in headings:
        return field
    if len(alike) == 1:
        return alike[0]
    raise UnknownField(
        f"there is no field '{field}'.",
        nearest_or_all(field, headings, "fields"),
        file=file,
    )


def _as_line(cells: Sequence[str], facts: SourceFacts) -> str:
    """Write cells as a line with the delimiter of their source (RFC 4180)."""
    delimiter = facts.delimiter
    line = io.StringIO()
    if delimiter is None or len(delimiter) != 1:
        delimiter = ","
    csv.writer(line, delimiter=delimiter, lineterminator="").writerow(cells)
    return line.getvalue()
