"""Finding records of results and sources by what stands in their cells."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from gruff_ledger.account.trail.back import MadeWords, trace_cell
from gruff_ledger.account.trail.file import several
from gruff_ledger.account.trail.format import Whos
from gruff_ledger.account.trail.walk import OpenTrail, find_heading, name_before

# Records with a key that are looked at, where many have it.
_MOST_WITH_KEY = 200


def find_records(
    trail: OpenTrail, result: int, wanted: Mapping[str, str], made_words: MadeWords
) -> tuple[list[int], bool]:
    """Find the records of a result that have certain cells; see `Tracing`."""
    out = trail.outs[result]
    named = {
        find_heading(out.headings, field, file=out.address): text
        for field, text in wanted.items()
    }
    first, text = next(iter(named.items()))
    trail.file.read_ahead([line.cells for line in trail.sources])
    whos = _holders(trail, out.listed, first, text)
    rows = trail.file.rows_in(out.rows, whos).tolist()
    for change in out.changes:
        if change.field == first:
            at = trail.file.rows_with(change.part, "now", text)
            more = trail.file.picked(change.part, at)
            rows = sorted({*rows, *trail.file.rows_in(out.rows, more).tolist()})
    found: list[int] = []
    for looked, row in enumerate(rows):
        if looked >= _MOST_WITH_KEY:
            return found, False
        who = trail.file.who_at(out.rows, row)
        assert who is not None
        if all(
            trace_cell(trail, out, heading, who, made_words).value == value
            for heading, value in named.items()
        ):
            found.append(row + 1)
    return found, True


def find_records_of_source(
    trail: OpenTrail, source: int, wanted: Mapping[str, str]
) -> list[int]:
    """Find the records of a source that had certain cells."""
    line = trail.sources[source]
    found: set[int] = set()
    for number, (field, text) in enumerate(wanted.items()):
        heading = find_heading(line.headings, field, file=line.name)
        rows = trail.file.rows_with(line.cells, heading, text)
        mine = {int(each) for each in trail.file.picked(line.records, rows).record}
        for aside in line.aside:
            if aside.cells is not None and heading in (aside.headings or ()):
                rows = trail.file.rows_with(aside.cells, heading, text)
                whos = trail.file.picked(aside.part, rows)
                mine |= {int(each) for each in whos.record}
        found = found & mine if number else mine
    return sorted(found)


def _holders(trail: OpenTrail, listed: str, field: str, text: str) -> Whos:
    """Return the records of a list that may have a text in a field."""
    entry = trail.maker.get(listed)
    if entry is None:
        line = trail.source_named(listed)
        rows = trail.file.rows_with(line.cells, field, text)
        return trail.file.picked(line.records, rows)
    if field in entry.made:
        assert entry.cells is not None
        rows = trail.file.rows_with(entry.cells, field, text)
        if entry.identity is not None:
            return Whos(np.full(len(rows), entry.identity, np.int64), rows + 1)
        assert entry.rows is not None
        return trail.file.picked(entry.rows, rows)
    found = []
    for given, name in enumerate(entry.lists):
        before = name_before(entry, given, field)
        if before is not None:
            found.append(_holders(trail, name, before, text))
        elif not text:
            # Every record of a list without the field is blank there.
            found.append(_all_of(trail, name))
    for change in entry.changes:
        if change.field == field:
            at = trail.file.rows_with(change.part, "now", text)
            found.append(trail.file.picked(change.part, at))
    whos = several(found)
    if entry.identity is None:
        return whos
    assert entry.parents is not None
    rows = trail.file.rows_in(entry.parents, whos)
    return Whos(np.full(len(rows), entry.identity, np.int64), rows + 1)


def _all_of(trail: OpenTrail, listed: str) -> Whos:
    """Return all records that may be in a list."""
    entry = trail.maker.get(listed)
    if entry is None:
        return trail.file.origins(trail.source_named(listed).records)
    if entry.identity is not None:
        assert entry.parents is not None
        count = len(trail.file.origins(entry.parents).record)
        return Whos(np.full(count, entry.identity), np.arange(1, count + 1))
    return several([_all_of(trail, name) for name in entry.lists])
