"""Tracing back: where a record or a cell of a result came from.

A cell is followed back from the result, entry by entry: either an entry changed it, and
was and now are known; or an entry made it; or it went through, under the heading it had
there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import numpy as np

from gruff_ledger.account.trail.answers import Cell, Folded, Remark, Step, Traced
from gruff_ledger.account.trail.figures import find_parts
from gruff_ledger.account.trail.format import ChangeLine, EntryLine, OutLine, Who
from gruff_ledger.account.trail.walk import OpenTrail, find_heading
from gruff_ledger.problems import UnreadableSource

# Says how a verb made a field: takes the name of the verb, its terms as the account has
# them, and the heading of the field.
MadeWords = Callable[[str, Mapping[str, Any], str], str]


def trace_back(
    trail: OpenTrail,
    result: int,
    record: int,
    fields: Sequence[str],
    made_words: MadeWords,
) -> Traced:
    """
    Trace a record of a result back; see `Tracing.back`.

    Raises
    ------
    UnreadableSource
        If the result has no such record.
    UnknownField
        If it has no such field.
    """
    out = trail.outs[result]
    headings = [find_heading(out.headings, each, file=out.address) for each in fields]
    if not 1 <= record <= out.records:
        raise UnreadableSource(
            f"it has no record {record}: it had {out.records} when it was written.",
            "Records are counted from 1 below the heading.",
            file=out.address,
        )
    who = trail.file.who_at(out.rows, record - 1)
    if who is None:
        raise UnreadableSource(
            f"the part {out.rows} of the trail is missing or damaged, which says where "
            "its records came from.",
            "Put back a copy of the ledger, or run the job again.",
            file=out.address,
        )
    return Traced(
        out.address,
        record,
        tuple(
            trace_cell(trail, out, heading, who, made_words)
            for heading in headings or out.headings
        ),
        tuple(trail.places(who)),
        tuple(_folded(trail, out.listed, who)),
        find_parts(trail, out.listed, who),
        tuple(_remarks(trail, out.listed, who)),
        tuple(trail.file.missing),
    )


def trace_cell(
    trail: OpenTrail, out: OutLine, heading: str, who: Who, made_words: MadeWords
) -> Cell:
    """Return a cell of a result, with the way it came."""
    steps = _steps(trail, out.listed, heading, who, made_words)
    label = f"writing {out.address}"
    steps += _changed(trail, out.changes, label, heading, who)
    parts = find_parts(trail, out.listed, who, heading)
    return Cell(heading, steps[-1].now, tuple(steps), parts)


def _steps(
    trail: OpenTrail, listed: str, field: str, who: Who, made_words: MadeWords
) -> list[Step]:
    """Return the way of a cell up to a list, from its source on."""
    entry = trail.maker.get(listed)
    if entry is None:
        place = trail.place(who)
        value = place.cells.get(field)
        return [Step("source", "", field, None, value, "", place.brief)]
    if field in entry.made:
        return [_made_step(trail, entry, field, who, made_words)]
    stage = trail.stage(entry, who)
    if stage is None:
        return [Step("lost", entry.label, field)]
    before = stage.name_before(field)
    if before is None:
        steps = [Step("blank", entry.label, field, None, "")]
    else:
        steps = _steps(trail, stage.list_before, before, stage.was, made_words)
    return steps + _changed(trail, entry.changes, entry.label, field, stage.was)


def _changed(
    trail: OpenTrail, changes: Sequence[ChangeLine], label: str, field: str, who: Who
) -> list[Step]:
    found: list[Step] = []
    for change in changes:
        if change.field != field:
            continue
        for row in trail.file.rows_of(change.part, who).tolist():
            was = trail.file.cell(change.part, "was", row)
            now = trail.file.cell(change.part, "now", row)
            found.append(Step("changed", label, field, was, now))
    return found


def _made_step(
    trail: OpenTrail, entry: EntryLine, field: str, who: Who, made_words: MadeWords
) -> Step:
    row = trail.row_in(entry, who)
    assert entry.cells is not None
    value = None if row is None else trail.file.cell(entry.cells, field, row)
    facts = trail.facts_of(entry)
    by = made_words(facts.do, facts.terms, field)
    place = None
    drawn = entry.drawn
    if drawn is not None and field in drawn.taken and row is not None:
        at = np.flatnonzero(trail.file.numbers(drawn.part, "row") == row)
        if len(at):
            found = trail.file.who_at(drawn.part, int(at[0]))
            assert found is not None
            place = next(iter(trail.places(found)), None)
            by = f"from {drawn.taken[field]}"
        else:
            by = "nothing was found for it"
    return Step("made", entry.label, field, None, value, by, place)


def _folded(trail: OpenTrail, listed: str, who: Who) -> Iterator[Folded]:
    """Yield the records that a record stands for."""
    for stage in trail.stages(listed, who):
        for aside in stage.entry.aside:
            if not aside.folded:
                continue
            for row in trail.file.rows_of(aside.part, stage.was, "kept "):
                gone = trail.file.who_at(aside.part, int(row))
                assert gone is not None
                for place in trail.places(gone):
                    yield Folded(place, stage.entry.label, aside.reason)
                before = _list_with(stage.entry, gone)
                if before is not None:
                    yield from _folded(trail, before, gone)


def _list_with(entry: EntryLine, who: Who) -> str | None:
    """Return which of the lists that an entry was given has a record."""
    for name, within in zip(entry.lists, entry.within, strict=True):
        if who.source in within:
            return name
    return None


def _remarks(trail: OpenTrail, listed: str, who: Who) -> Iterator[Remark]:
    """Yield the findings on a record, in the order of the work."""
    found: list[Remark] = []
    last = who
    for stage in trail.stages(listed, who):
        entry = stage.entry
        found = [*trail.remarks_on(entry.findings, entry.label, stage.was), *found]
        last = stage.was
    if last.source < len(trail.sources):
        line = trail.sources[last.source]
        label = f"reading {line.name}"
        found = [*trail.remarks_on(line.findings, label, last), *found]
    yield from found
