"""What becomes of records with too few or too many cells."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.columns.arrays import concat_columns, text_column
from gruff_ledger.columns.types import Column
from gruff_ledger.lists.bounds import heading_notes
from gruff_ledger.lists.delimited.parse import Parsed, Plan
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.outcome import Finding, Note, SetAside, Severity
from gruff_ledger.table import Origin, Table

_TOO_LONG = "more cells than headings"
_TOO_SHORT = "fewer cells than headings"

# Up to this many mended records are cut in among the others; each makes a chunk more.
_FEW_MENDED = 300


def settle_ragged(
    headings: tuple[str, ...], parsed: Parsed, name: str, source: int, total: int
) -> tuple[Table, list[int], tuple[SetAside, ...], list[int]]:
    """
    Put ragged records in their places, or set them aside.

    Returns
    -------
    table : Table
    too_short : list of int
        Numbers of the records that were filled with blanks and hold something.
    aside : tuple of SetAside
    extra_blank : list of int
        Numbers of the records that had cells too many, all of them blank.
    """
    ragged = parsed.ragged
    if not ragged.numbers:
        origin = Origin.counted(source, 1, total)
        return Table(headings, tuple(parsed.columns), origin, name), [], (), []
    width = len(headings)
    short: list[int] = []
    extra_blank: list[int] = []
    mended: list[list[str]] = []
    mended_at: list[int] = []
    long_at: list[int] = []
    long_cells: list[list[str]] = []
    long_texts: list[str] = []
    triples = zip(ragged.numbers, ragged.cells, ragged.texts, strict=True)
    for number, cells, text in triples:
        if any(not is_blank(cell) for cell in cells[width:]):
            long_at.append(number)
            long_cells.append(cells[:width])
            long_texts.append(text)
            continue
        if len(cells) > width:
            extra_blank.append(number)
        elif any(not is_blank(cell) for cell in cells):
            short.append(number)
        mended.append((cells + [""] * width)[:width])
        mended_at.append(number)
    table = _with_records_put_in(
        headings, parsed, mended, mended_at, long_at, name, source, total
    )
    if not long_at:
        return table, short, (), extra_blank
    numbers = np.array(long_at, np.int64)
    beyond = Table(
        headings,
        tuple(text_column(row[place] for row in long_cells) for place in range(width)),
        Origin(np.full(len(numbers), source, np.int32), numbers),
        name,
    )
    return (
        table,
        short,
        (SetAside(_TOO_LONG, beyond, text=tuple(long_texts)),),
        extra_blank,
    )


def _with_records_put_in(
    headings: tuple[str, ...],
    parsed: Parsed,
    mended: list[list[str]],
    mended_at: list[int],
    long_at: list[int],
    name: str,
    source: int,
    total: int,
) -> Table:
    """Return the records that fitted and the mended ones, in order of number."""
    is_ragged = np.zeros(total + 1, np.bool_)
    is_ragged[parsed.ragged.numbers] = True
    fitted_at = np.flatnonzero(~is_ragged[1:]) + 1
    if len(mended) <= _FEW_MENDED:
        # Cut in where they belong, without copying the others.
        numbers = np.sort(np.concatenate([fitted_at, np.array(mended_at, np.int64)]))
        cuts = np.searchsorted(fitted_at, mended_at).tolist()
        columns = tuple(
            _cut_in(column, [record[place] for record in mended], cuts)
            for place, column in enumerate(parsed.columns)
        )
        origin = Origin(np.full(len(numbers), source, np.int32), numbers)
        return Table(headings, columns, origin, name)
    numbers = np.concatenate([fitted_at, np.array(mended_at, np.int64)])
    columns = tuple(
        concat_columns([column, text_column(record[place] for record in mended)])
        for place, column in enumerate(parsed.columns)
    )
    origin = Origin(np.full(len(numbers), source, np.int32), numbers)
    table = Table(headings, columns, origin, name)
    return table.pick_records(np.argsort(numbers, kind="stable"))


def _cut_in(column: Column, cells: list[str], cuts: list[int]) -> Column:
    """Return a column with cells put in, each before the cell at its place."""
    parts: list[Column] = []
    done = 0
    for place, cell in zip(cuts, cells, strict=True):
        if place > done:
            parts.append(column.slice(done, place - done))
            done = place
        parts.append(text_column([cell]))
    parts.append(column.slice(done))
    return concat_columns(parts)


def findings_on_short(numbers: list[int], source: int) -> tuple[Finding, ...]:
    """Return a finding on records that were filled with blanks."""
    if not numbers:
        return ()
    at = np.array(numbers, np.int64)
    origin = Origin(np.full(len(at), source, np.int32), at)
    return (
        Finding(
            rule=_TOO_SHORT,
            severity=Severity.WARN,
            message="The record has fewer cells than headings; the missing ones are "
            "blank.",
            field="",
            origin=origin,
            value=text_column([""] * len(at)),
        ),
    )


def notes_on_ragged(
    plan: Plan,
    made: dict[int, str],
    terms: ReadingTerms,
    aside: tuple[SetAside, ...],
    extra_blank: int,
) -> tuple[Note, ...]:
    """Say what was made of records with too few or too many cells."""
    name, headings = plan.opened.name, plan.headings
    notes: list[Note] = []
    if plan.encoding.guessed:
        notes.append(
            Note(
                f"{name}: the text is not UTF-8 and was read as {plan.encoding.name}.",
                "If letters look wrong, give `encoding`.",
                warning=True,
            )
        )
    notes += heading_notes(
        name,
        plan.layout.titles,
        plan.layout.heading_row,
        headings,
        made,
        pinned=plan.layout.heading_pinned,
        has_heading=terms.header_rows > 0,
    )
    notes += [_aside_note(each) for each in aside]
    if extra_blank:
        notes.append(
            Note(
                f"{name}: {extra_blank} "
                f"{'record has' if extra_blank == 1 else 'records have'} more cells "
                f"than the {len(headings)} headings; all extra ones are blank and were "
                "left out."
            )
        )
    return tuple(notes)


def _aside_note(aside: SetAside) -> Note:
    count = len(aside.table)
    records = "1 record was" if count == 1 else f"{count} records were"
    return Note(
        f"{records} set aside with {aside.reason}.",
        "Correct them in the source; or, if the list uses another delimiter, give "
        "`delimiter`.",
        aside.table.origin,
        warning=True,
    )
