"""What `scrub` does."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Mapping, Sequence

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.distinct import Rewritten, rewrite_distinct, with_cells
from gruff_ledger.cells.keys.few_values import few_values
from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.match.levels import key_at
from gruff_ledger.cells.text.letter_case import Case, change_case, one_case_mask
from gruff_ledger.cells.text.spaces import (
    squeezable,
    squeeze,
    trimmed,
    without_invisible,
)
from gruff_ledger.cells.text_bytes import LOWER, UPPER, WIDE, mask_of_kinds
from gruff_ledger.columns.arrays import constant_column, filter_column, taken
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.field_names import find_fields, first_names
from gruff_ledger.outcome import Change, Finding, Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table, Writing
from gruff_ledger.words import counted
from gruff_ledger.work.clean.scrub.terms import ScrubTerms
from gruff_ledger.work.clean.scrub.values import rewrite_values
from gruff_ledger.work.map_list import pairs_of
from gruff_ledger.work.new_fields import changes_of, with_new_fields


def perform(
    terms: ScrubTerms, table: Table, references: Mapping[str, Table] | None = None
) -> Outcome:
    """
    Put cells in order.

    Parameters
    ----------
    terms : ScrubTerms
    table : Table, n records
    references : mapping, optional
        By its address, the list of what cells are and are to be.

    Returns
    -------
    Outcome
        With every changed cell, and a finding for numbers and dates that could not be
        read.

    Raises
    ------
    UnknownField
        If a field is named that the list does not have.
    BadTerms
        If the map says two things of one cell, or a form is given twice.
    """
    named, notes = find_fields(table, terms.fields, "fields")
    fields = named or table.headings
    pairs = _pairs(terms, references or {})
    held = dict(zip(table.headings, table.held, strict=True))
    changes: list[Change] = []
    findings: list[Finding] = []
    told = list(notes)
    used: set[str] = set()
    written: dict[str, Writing] = {}
    made: list[tuple[str, Column]] = []
    for heading in in_turn(fields, len(fields)):
        was = table.cells(heading)
        before, after = _steps(terms, pairs, used)
        now, changed = _scrub_field(was, terms, before)
        unread = np.zeros(len(table), np.bool_)
        if terms.number or terms.date:
            done = rewrite_values(terms, table, heading, now)
            told += done.notes
            changed, unread = changed | done.changed, done.unread
            now = done.column
            written[heading] = done.writing
            made += done.made
            if unread.any():
                findings.append(done.finding)
        if after:
            now, more = _scrub_field(now, terms, after)
            changed |= more
        if changed.any():
            held[heading] = now
            # A cell that two steps changed may be what it was.
            journal = changes_of(table, heading, now)
            changes += journal
            told += [_note(change, heading) for change in journal]
    if not changes:
        told.append(Note("No cell was changed.", is_headline=True))
    unused = [was for was in pairs if was not in used]
    if unused:
        told.append(_unused_note(unused, pairs))
    result = table.with_fields(table.headings, [held[each] for each in table.headings])
    result = result.with_writing(written)
    if made:
        place = table.headings.index(fields[0]) + 1
        result, _ = with_new_fields(result, made, place, term="currency-to")
    return Outcome(result, (), tuple(changes), tuple(findings), tuple(told))


def _scrub_field(
    column: Column, terms: ScrubTerms, steps: Sequence[Callable[[Column], Rewritten]]
) -> tuple[Column, Mask]:
    """Return a field after some steps, and the cells that changed."""
    # Of a field with few values, each is scrubbed once; but what stands above a cell
    # is not to be told from its value.
    few = None if terms.above else few_values(column)
    now = column if few is None else few[0]
    changed = np.zeros(len(now), np.bool_)
    for step in steps:
        now, mine = step(now)
        changed |= mine
    if few is None:
        return now, changed
    codes = few[1]
    return taken(now, codes) if changed.any() else column, changed[codes]


def _pairs(terms: ScrubTerms, references: Mapping[str, Table]) -> dict[str, str]:
    pairs = dict(terms.map)
    if terms.map_by is not None:
        for was, now in pairs_of(references[terms.map_by], "map-by").items():
            pairs.setdefault(was, now)
    keys: dict[str, str] = {}
    for was, now in pairs.items():
        key = key_at(terms.match, was)
        if key is None:
            raise BadTerms(
                f"'{was}' can match no cell at the level '{terms.match}'.",
                "Leave it out, or choose another `match`; blanks are filled by `fill`.",
                term="map" if was in terms.map else "map-by",
            )
        other = keys.setdefault(key, was)
        if pairs[other] != now:
            raise BadTerms(
                f"the map says two things of one cell at the level '{terms.match}': "
                f"'{other}' is to be '{pairs[other]}', and '{was}' '{now}'.",
                "Leave one of them, or choose a stricter `match`.",
                term="map" if was in terms.map else "map-by",
            )
    return pairs


def _note(change: Change, heading: str) -> Note:
    count = len(change.origin)
    was, now = change.was[0].as_py(), change.now[0].as_py()
    cells = counted(count, "cell was", "cells were")
    told = f"{heading}: {cells} changed, the first from '{was}' to '{now}'."
    return Note(told, is_headline=True)


def _unused_note(unused: list[str], pairs: Mapping[str, str]) -> Note:
    told = first_names(unused, 5)
    return Note(
        f"Of {len(pairs)} cells in the map, {len(unused)} were not met: {told}."
    )


def _steps(
    terms: ScrubTerms, pairs: Mapping[str, str], used: set[str]
) -> tuple[list[Callable[[Column], Rewritten]], list[Callable[[Column], Rewritten]]]:
    """Return what is to be done with a field, before and after values are rewritten."""
    before: list[Callable[[Column], Rewritten]] = []
    if terms.null:
        before.append(lambda column: _clear_cells(column, terms.null))
    if terms.no_invisible:
        before.append(
            lambda column: rewrite_distinct(
                column, without_invisible, squeezable(column)
            )
        )
    if terms.unicode:
        way = terms.unicode.upper()
        before.append(
            lambda column: rewrite_distinct(
                column,
                lambda text: unicodedata.normalize(way, text),  # type: ignore[arg-type]
                mask_of_kinds(column, WIDE),
            )
        )
    if terms.trim:
        before.append(trimmed)
    if terms.squeeze:
        before.append(
            lambda column: rewrite_distinct(column, squeeze, squeezable(column))
        )
    if pairs:
        before.append(lambda column: _map_cells(column, pairs, terms.match, used))
    if terms.case:
        case = terms.case
        before.append(lambda column: _recased(column, case, odd_only=terms.odd_only))
    after: list[Callable[[Column], Rewritten]] = []
    if terms.above:
        after.append(_fill_from_above)
    if terms.fill is not None:
        text = terms.fill
        after.append(lambda column: _fill_cells(column, text))
    return before, after


def _clear_cells(column: Column, words: tuple[str, ...]) -> Rewritten:
    found = index_in(column, list(words)) >= 0
    return rewrite_distinct(column, lambda text: "", found)


def _map_cells(
    column: Column, pairs: Mapping[str, str], level: str, used: set[str]
) -> Rewritten:
    candidates = None
    if level == "exact":
        candidates = index_in(column, list(pairs)) >= 0
    by_key = {key_at(level, was): (was, now) for was, now in pairs.items()}

    def now(text: str) -> str:
        key = key_at(level, text)
        if key is None or key not in by_key:
            return text
        was, new = by_key[key]
        used.add(was)
        return new

    result = rewrite_distinct(column, now, candidates)
    # Of two that match one another, both are met.
    met = {key_at(level, was) for was in used}
    used.update(was for was in pairs if key_at(level, was) in met)
    return result


def _recased(column: Column, case: Case, *, odd_only: bool) -> Rewritten:
    if not odd_only:
        return change_case(column, case)
    odd = one_case_mask(column)
    # Where most cells are in small letters, that is how the field is written.
    small = odd & ~mask_of_kinds(column, UPPER)
    with_letters = mask_of_kinds(column, UPPER | LOWER | WIDE)
    if 2 * np.count_nonzero(small) > np.count_nonzero(with_letters):
        return Rewritten(column, np.zeros(len(column), np.bool_))
    if not odd.any():
        return Rewritten(column, odd)
    done = change_case(filter_column(column, odd), case)
    changed = odd.copy()
    changed[odd] = done.changed
    return Rewritten(with_cells(column, odd, done.column), changed)


def _fill_from_above(column: Column) -> Rewritten:
    blank = blank_mask(column)
    places = np.where(blank, -1, np.arange(len(column)))
    source = np.maximum.accumulate(places) if len(places) else places
    changed = blank & (source >= 0)
    source = np.where(source < 0, np.arange(len(column)), source)
    if not changed.any():
        return Rewritten(column, changed)
    return Rewritten(taken(column, source.astype(np.int64)), changed)


def _fill_cells(column: Column, text: str) -> Rewritten:
    blank = blank_mask(column)
    cells = constant_column(text, int(np.count_nonzero(blank)))
    return Rewritten(with_cells(column, blank, cells), blank)
