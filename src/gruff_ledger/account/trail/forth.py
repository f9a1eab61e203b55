"""Tracing forth: what became of a record of a source, on each of its ways."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from gruff_ledger.account.trail.answers import Fate, Sent
from gruff_ledger.account.trail.figures import SHOWN_PARTS
from gruff_ledger.account.trail.format import EntryLine, Who
from gruff_ledger.account.trail.walk import OpenTrail
from gruff_ledger.problems import UnreadableSource


def trace_forth(trail: OpenTrail, source: int, record: int) -> Sent:
    """
    Tell what became of a record of a source.

    Raises
    ------
    UnreadableSource
        If the source had no such record.
    """
    line = trail.sources[source]
    who = Who(source, record)
    place = trail.place(who)
    fates: list[Fate] = []
    label = f"reading {line.name}"
    is_aside = False
    for aside in line.aside:
        if len(trail.file.rows_of(aside.part, who)):
            fates.append(Fate("aside", label, None, aside.reason))
            is_aside = True
    if not is_aside:
        if not len(trail.file.rows_of(line.records, who)):
            came_in = trail.account.sources[source].records_in
            raise UnreadableSource(
                f"it had no record {record} when it was read: {came_in} records came "
                "in.",
                "Records are counted from 1 below the heading; blank ones at the end "
                "do not count.",
                file=line.name,
            )
        fates += _onward(trail, line.name, who)
    fates += _find_drawn_from(trail, line.name, who)
    remarks = [*trail.remarks_on(line.findings, label, who)]
    for entry in trail.entries:
        remarks += trail.remarks_on(entry.findings, entry.label, who)
    return Sent(place, tuple(fates), tuple(remarks), tuple(trail.file.missing))


def _find_drawn_from(trail: OpenTrail, listed: str, who: Who) -> Iterator[Fate]:
    """Yield which entries copied cells of a record into others."""
    for entry in trail.entries:
        if entry.drawn is None or not entry.drawn.taken:
            continue
        count = len(trail.file.rows_of(entry.drawn.part, who))
        if count:
            yield Fate("drawn", entry.label, None, "", None, count)
        elif listed in trail.facts_of(entry).references.values():
            yield Fate("idle", entry.label)


def _onward(trail: OpenTrail, listed: str, who: Who) -> Iterator[Fate]:
    """Yield what became of a record of a list, on each of its ways."""
    is_used = False
    for out in trail.outs:
        if out.listed == listed:
            is_used = True
            for row in trail.file.rows_of(out.rows, who).tolist():
                yield Fate("out", out.address, row + 1)
    for entry in trail.entries:
        if listed in entry.lists:
            is_used = True
            yield from _through(trail, entry, who)
    referred = {
        name
        for entry in trail.entries
        for name in trail.facts_of(entry).references.values()
    }
    if not is_used and listed not in referred:
        yield Fate("end", listed)


def _through(trail: OpenTrail, entry: EntryLine, who: Who) -> Iterator[Fate]:
    for aside in entry.aside:
        for row in trail.file.rows_of(aside.part, who).tolist():
            if not aside.folded:
                yield Fate("aside", entry.label, None, aside.reason)
                return
            kept = trail.file.origins(aside.part, "kept ")
            other = Who(int(kept.source[row]), int(kept.record[row]))
            place = next(trail.places(other), None)
            yield Fate("folded", entry.label, None, aside.reason, place)
            for fate in _on_from(trail, entry, other):
                yield msgspec.structs.replace(fate, is_others=True)
            return
    yield from _on_from(trail, entry, who)


def _on_from(trail: OpenTrail, entry: EntryLine, who: Who) -> Iterator[Fate]:
    if entry.identity is None:
        yield from _onward(trail, entry.result, who)
        return
    rows = _children(trail, entry, who)
    kind = "made" if entry.summed is None else "figures"
    yield Fate(kind, entry.label, None, "", None, len(rows))
    for row in rows[:SHOWN_PARTS]:
        yield from _onward(trail, entry.result, Who(entry.identity, row + 1))


def _children(trail: OpenTrail, entry: EntryLine, who: Who) -> list[int]:
    """Return the rows, counted from 0, of what an entry made of a record."""
    drawn = entry.drawn
    if drawn is None or not drawn.figure:
        assert entry.parents is not None
        return [int(row) for row in trail.file.rows_of(entry.parents, who)]
    at = trail.file.rows_of(drawn.part, who)
    groups = {int(each) for each in trail.file.numbers(drawn.part, "row")[at]}
    if not drawn.rows:
        return sorted(group for group in groups if group >= 0)
    return [
        row
        for row, span in enumerate(drawn.rows)
        if span.code in groups and not span.first
    ]
