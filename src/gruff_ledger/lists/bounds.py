"""What is settled of any list once its records are known: block, end, totals.

Every reader hands its records over as a `Found`; here the rows and columns that the
address states are picked, blank records at the end are left out and counted, and a last
record that looks like a row of totals is pointed out.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from typing import Any

import msgspec
import numpy as np

from gruff_ledger.cells.blank import end_of_filled, is_blank
from gruff_ledger.cells.totals_rows import end_of_records, totals_place
from gruff_ledger.columns.types import Mask
from gruff_ledger.lists.address import Fragment, Range
from gruff_ledger.lists.reading import NO_KINDS, Kinds, Reading, Source
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened
from gruff_ledger.outcome import LAYOUT, Finding, Note, SetAside
from gruff_ledger.problems import UnreadableSource, nearest_or_all
from gruff_ledger.table import Table
from gruff_ledger.words import first_few

_TOTALS_REASON = "looks like a row of totals"

# How many headings that were made up are named.
_TOLD_HEADINGS = 12


class Found(msgspec.Struct, frozen=True):
    """
    A list as its reader found it, before anything is left out.

    Attributes
    ----------
    table : Table
        The records, those set aside excepted; `Origin.record` numbers them from 1 below
        the heading with the ones set aside among them.
    total : int
        How many records there are, with those set aside.
    heading_row : int, optional
        Row of the heading, from 1; None in formats that know no rows.
    written : mapping
        How it is written, for the account: ``encoding``, ``tab`` and the like.
    """

    table: Table
    total: int
    format: str
    heading_row: int | None
    written: Mapping[str, Any]
    size_bytes: int
    sha256: Callable[[], str] | None
    titles: tuple[str, ...] = ()
    pinned: tuple[str, ...] = ()
    aside: tuple[SetAside, ...] = ()
    findings: tuple[Finding, ...] = ()
    notes: tuple[Note, ...] = ()
    kinds: Kinds = NO_KINDS


def settled(
    found: Found, opened: Opened, fragment: Fragment, terms: ReadingTerms
) -> Reading:
    """
    Settle what becomes of the records of a list.

    Parameters
    ----------
    found : Found
    opened : Opened
    fragment : Fragment
        The rows and columns that the address states.
    terms : ReadingTerms

    Returns
    -------
    Reading

    Raises
    ------
    UnreadableSource
        If the list has none of the rows or columns stated.
    """
    table, aside, findings, total = (
        found.table,
        found.aside,
        found.findings,
        found.total,
    )
    heading_row = found.heading_row
    if fragment.rows is not None and heading_row is not None:
        _check_reach(opened, "row", fragment.rows, heading_row + total)
        within = rows_within(fragment.rows, heading_row)
        table, aside = picked(table, within), pick_aside(aside, within)
        found_within = [_pick_finding(part, within) for part in findings]
        findings = tuple(part for part in found_within if len(part.origin))
        total = int(np.count_nonzero(within(np.arange(1, total + 1))))
    if fragment.cols is not None:
        columns = _choose_columns(opened, fragment.cols, len(table.headings))
        table = _with_columns(table, columns)
        aside = tuple(
            msgspec.structs.replace(part, table=_with_columns(part.table, columns))
            for part in aside
        )
    kept = without_trailing_blank(table, aside)
    trailing = len(table) - len(kept)
    place = totals_place(kept)
    notes = found.notes + _notes_below(kept, heading_row, place)
    kept, totals, more = _without_totals(kept, place, terms)
    if totals:
        # A blank record above the totals is now at the end.
        left = without_trailing_blank(kept, aside)
        trailing += len(kept) - len(left)
        kept = left
    account = Source(
        name=opened.name,
        address=opened.address,
        size_bytes=found.size_bytes,
        sha256=found.sha256,
        modified=opened.modified,
        format=found.format,
        written=found.written,
        pinned=found.pinned,
        heading_row=heading_row,
        titles=found.titles,
        records_in=total,
        trailing_blank=trailing,
    )
    return Reading(
        kept,
        account,
        aside + totals,
        findings,
        notes + more + opened.notes,
        found.kinds,
    )


def heading_notes(
    name: str,
    titles: tuple[str, ...],
    heading_row: int,
    headings: tuple[str, ...],
    made: Mapping[int, str],
    *,
    pinned: bool,
    has_heading: bool,
) -> list[Note]:
    """Say which titles stand above the heading, and which headings were made up."""
    notes: list[Note] = []
    if titles:
        rows = "row" if len(titles) == 1 else "rows"
        notes.append(
            Note(
                f"{name}: {len(titles)} title {rows} above the heading in row "
                f"{heading_row}: '{'; '.join(titles)}'.",
                "" if pinned else "If the heading is another row, give `skip-rows`.",
                topic=LAYOUT,
            )
        )
    if not has_heading:
        notes.append(Note(f"{name}: no heading row; the fields are numbered."))
    else:
        notes += note_made_up(name, headings, made)
    return notes


def note_made_up(
    name: str, headings: tuple[str, ...], made: Mapping[int, str]
) -> tuple[Note, ...]:
    """Say which headings were made up, for what; see `field_names.made_headings`."""
    if not made:
        return ()
    first = [
        f"'{headings[place]}' for "
        + (f"a second '{written}'" if not is_blank(written) else "a blank heading")
        for place, written in itertools.islice(made.items(), _TOLD_HEADINGS)
    ]
    told = first_few(first, _TOLD_HEADINGS, total=len(made), comma=",")
    return (Note(f"{name}: headings made up: {told}.", warning=True),)


def first_row(fragment: Fragment) -> int | None:
    """Return the row that a stated block begins in, which is that of its heading."""
    return fragment.rows[0][0] if fragment.rows else None


def rows_within(rows: tuple[Range, ...], heading_row: int) -> Callable[[Any], Mask]:
    """Return what marks the record numbers that lie in the rows stated."""

    def within(numbers: Any) -> Mask:
        at = np.asarray(numbers, np.int64) + heading_row
        inside = np.zeros(len(at), np.bool_)
        for first, last in rows:
            inside |= (at >= first) & (at <= (np.inf if last is None else last))
        return inside

    return within


def picked(table: Table, within: Callable[[Any], Mask]) -> Table:
    """Return the records that lie in the rows stated."""
    mask = within(table.origin.record)
    return table if mask.all() else table.keep_records(mask)


def pick_aside(
    aside: tuple[SetAside, ...], within: Callable[[Any], Mask]
) -> tuple[SetAside, ...]:
    """Return the records set aside that lie in the rows stated."""
    parts = []
    for part in aside:
        mask = within(part.table.origin.record)
        text = part.text and tuple(itertools.compress(part.text, mask.tolist()))
        parts.append(
            SetAside(part.reason, part.table.keep_records(mask), part.kept, text)
        )
    return tuple(part for part in parts if len(part.table))


def _pick_finding(part: Finding, within: Callable[[Any], Mask]) -> Finding:
    from gruff_ledger.columns.arrays import filter_column

    mask = within(part.origin.record)
    return msgspec.structs.replace(
        part, origin=part.origin.pick(mask), value=filter_column(part.value, mask)
    )


def _check_reach(
    opened: Opened, noun: str, ranges: tuple[Range, ...], count: int
) -> None:
    beyond = [first for first, _ in ranges if first > count]
    if beyond:
        nouns = {"row": "rows", "column": "columns"}[noun]
        raise UnreadableSource(
            f"it has no {noun} {beyond[0]}: its {nouns} are 1 to {count}.",
            f"State {nouns} among them.",
            file=opened.address,
        )


def _choose_columns(
    opened: Opened, cols: tuple[Range, ...], width: int
) -> tuple[int, ...]:
    _check_reach(opened, "column", cols, width)
    return tuple(
        place
        for first, last in cols
        for place in range(first - 1, min(width, last or width))
    )


def _with_columns(table: Table, places: tuple[int, ...]) -> Table:
    return Table(
        tuple(table.headings[place] for place in places),
        tuple(table.held[place] for place in places),
        table.origin,
        table.name,
    )


def without_trailing_blank(table: Table, aside: tuple[SetAside, ...]) -> Table:
    """Leave out the blank records at the end of a list, below any set aside."""
    last_aside = max((int(part.table.origin.record[-1]) for part in aside), default=0)
    kept = int(np.searchsorted(table.origin.record, last_aside, side="right"))
    end = max(kept, end_of_filled(table.all_cells, len(table)))
    return table if end == len(table) else table.cut_records(0, end)


# Below the records ----------------------------------------------------------------


def _notes_below(
    table: Table, heading_row: int | None, totals: int | None
) -> tuple[Note, ...]:
    """Point out a few cells below a blank record: notes, more often than records."""
    start, width = end_of_records(table), len(table.headings)
    below = [place for place in range(start, len(table)) if place != totals]
    if not below or heading_row is None:
        return ()
    above = heading_row + int(table.origin.record[start - 1]) - 1
    first = heading_row if heading_row else 1
    are = "1 record is" if len(below) == 1 else f"{len(below)} records are"
    return (
        Note(
            f"{table.name}: {are} below a blank one at the end, with few of the "
            f"{width} fields filled.",
            f"If that is not a record, end the list above it: #row={first}-{above}.",
            table.origin.pick(np.array(below)),
            warning=True,
        ),
    )


def _without_totals(
    table: Table, place: int | None, terms: ReadingTerms
) -> tuple[Table, tuple[SetAside, ...], tuple[Note, ...]]:
    """Point out a last record that looks like totals; take it out where asked."""
    if place is None:
        return table, (), ()
    mask = np.zeros(len(table), np.bool_)
    mask[place] = True
    said = f"{table.name}: the last record looks like a row of totals"
    if terms.no_totals:
        aside = SetAside(_TOTALS_REASON, table.keep_records(mask))
        note = Note(f"{said} and was set aside.", "", table.origin.pick(mask))
        return table.keep_records(~mask), (aside,), (note,)
    # Whether it counts is for the work to say.
    remedy = "To set it aside, give `no-totals`."
    origin = table.origin.pick(mask)
    return table, (), (Note(f"{said}.", remedy, origin, warning=True, topic="totals"),)


def unknown_part(
    opened: Opened, kind: str, name: str, known: list[str]
) -> UnreadableSource:
    """Word that a file has no such tab or table, with the nearest that it has."""
    return UnreadableSource(
        f"it has no {kind} '{name}'.",
        nearest_or_all(name, known, f"{kind}s"),
        file=opened.address,
    )
