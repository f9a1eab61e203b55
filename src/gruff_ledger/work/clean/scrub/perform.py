"""What `scrub` does."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask, is_blank
from gruff_ledger.cells.keys.distinct import (
    Rewritten,
    few_values,
    rewrite_distinct,
    with_cells,
)
from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.match.levels import key_at
from gruff_ledger.cells.numbers.amounts import read_amounts
from gruff_ledger.cells.numbers.forms import plain_cells
from gruff_ledger.cells.text.letter_case import Case, change_case, one_case_mask
from gruff_ledger.cells.text.spaces import (
    squeezable,
    squeeze,
    trimmed,
    without_invisible,
)
from gruff_ledger.cells.text_bytes import LOWER, UPPER, WIDE, mask_of_kinds
from gruff_ledger.columns.arrays import constant_column, filter_column, taken, unequal
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.field_names import find_fields, first_names
from gruff_ledger.formula.forms import Form, forms_of
from gruff_ledger.formula.readable import check_readable
from gruff_ledger.outcome import Change, Finding, Note, Outcome, Severity
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.clean.scrub.terms import PLAIN, ScrubTerms
from gruff_ledger.work.map_list import pairs_of
from gruff_ledger.work.new_fields import changes_of


class _Step(NamedTuple):
    """What one step did to a field; the cells that it could not read."""

    result: Rewritten
    unread: Mask | None = None


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
        If the map says two things of one cell, or a form is stated twice.
    """
    named, notes = find_fields(table, terms.fields, "fields")
    fields = named or table.headings
    forms, more = forms_of(terms.form, table, fields)
    pairs = _pairs(terms, references or {})
    held = dict(zip(table.headings, table.held, strict=True))
    changes: list[Change] = []
    findings: list[Finding] = []
    told = list(notes + more)
    used: set[str] = set()
    for heading in fields:
        was = table.cells(heading)
        form = forms.get(heading, Form())
        now, changed, unread = _scrub_field(
            was, terms, list(_steps(terms, form, pairs, used))
        )
        if unread.any():
            _refuse_unread(terms, table, heading, form, unread)
            findings.append(_finding(terms, table, heading, was, unread))
        if changed.any():
            held[heading] = now
            # A cell that two steps changed may be what it was.
            journal = changes_of(table, heading, now)
            changes += journal
            told += [_note(change, heading) for change in journal]
    if not changes:
        told.append(Note("No cell was changed."))
    unused = [was for was in pairs if was not in used]
    if unused:
        told.append(_unused_note(unused, pairs))
    result = table.with_fields(table.headings, [held[each] for each in table.headings])
    return Outcome(result, (), tuple(changes), tuple(findings), tuple(told))


def _scrub_field(
    column: Column, terms: ScrubTerms, steps: list[Callable[[Column], _Step]]
) -> tuple[Column, Mask, Mask]:
    """Return a field after all steps, the cells that changed, and those not read."""
    # Of a field with few values, each is scrubbed once; but what stands above a cell
    # is not to be told from its value.
    few = None if terms.above else few_values(column)
    now = column if few is None else few[0]
    changed, unread = np.zeros(len(now), np.bool_), np.zeros(len(now), np.bool_)
    for step in steps:
        done, bad = step(now)
        now, changed = done.column, changed | done.changed
        if bad is not None:
            unread |= bad
    if few is None:
        return now, changed, unread
    codes = few[1]
    if changed.any():
        now = taken(now, codes)
    return now, changed[codes], unread[codes]


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
    cells = "1 cell was" if count == 1 else f"{count} cells were"
    return Note(f"{heading}: {cells} changed, the first from '{was}' to '{now}'.")


def _unused_note(unused: list[str], pairs: Mapping[str, str]) -> Note:
    told = first_names(unused, 5)
    return Note(
        f"Of {len(pairs)} cells in the map, {len(unused)} were not met: {told}."
    )


def _refuse_unread(
    terms: ScrubTerms, table: Table, heading: str, form: Form, unread: Mask
) -> None:
    """Refuse to rewrite a field of which no cell can be read: nothing would be done."""
    column = table.cells(heading)
    filled = len(table) - int(np.count_nonzero(blank_mask(column)))
    if int(np.count_nonzero(unread)) < filled or not (terms.number or terms.date):
        return
    kind = "number" if terms.number else "date"
    if kind == "number" and read_amounts(column, form.number)[1].any():
        # Numbers, which do not fit the pattern.
        return
    check_readable(table, heading, unread, filled, kind, kind, "left as written")


def _finding(
    terms: ScrubTerms, table: Table, heading: str, was: Column, unread: Mask
) -> Finding:
    kind = "number" if terms.number else "date"
    if kind == "number" and terms.number != PLAIN and terms.rounding == "none":
        kind = f"number that fits {terms.number}"
    return Finding(
        f"{heading} is a {kind}",
        Severity.WARN,
        f"{heading} is not a {kind} in the form given; the cell was left as it is.",
        heading,
        table.origin.pick(unread),
        filter_column(was, unread),
    )


def _steps(
    terms: ScrubTerms, form: Form, pairs: Mapping[str, str], used: set[str]
) -> Iterator[Callable[[Column], _Step]]:
    """Yield what is to be done with a field, in order."""
    if terms.null:
        yield lambda column: _clear_cells(column, terms.null)
    if terms.no_invisible:
        yield lambda column: _Step(
            rewrite_distinct(column, without_invisible, squeezable(column))
        )
    if terms.unicode:
        way = terms.unicode.upper()
        yield lambda column: _Step(
            rewrite_distinct(
                column,
                lambda text: unicodedata.normalize(way, text),  # type: ignore[arg-type]
                mask_of_kinds(column, WIDE),
            )
        )
    if terms.trim:
        yield lambda column: _Step(trimmed(column))
    if terms.squeeze:
        yield lambda column: _Step(
            rewrite_distinct(column, squeeze, squeezable(column))
        )
    if pairs:
        yield lambda column: _map_cells(column, pairs, terms.match, used)
    if terms.case:
        case = terms.case
        yield lambda column: _recased(column, case, odd_only=terms.odd_only)
    for write, quickly in (
        (terms.number_writer(), terms.number == PLAIN),
        (terms.date_writer(), False),
    ):
        if write is not None:
            rewriting = _rewriting(write, form)
            yield partial(_plain_together, form, rewriting) if quickly else rewriting
    if terms.above:
        yield _fill_from_above
    if terms.fill is not None:
        text = terms.fill
        yield lambda column: _fill_cells(column, text)


def _clear_cells(column: Column, words: tuple[str, ...]) -> _Step:
    found = index_in(column, list(words)) >= 0
    return _Step(rewrite_distinct(column, lambda text: "", found))


def _map_cells(
    column: Column, pairs: Mapping[str, str], level: str, used: set[str]
) -> _Step:
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
    return _Step(result)


def _recased(column: Column, case: Case, *, odd_only: bool) -> _Step:
    if not odd_only:
        return _Step(change_case(column, case))
    odd = one_case_mask(column)
    # Where most cells are in small letters, that is how the field is written.
    small = odd & ~mask_of_kinds(column, UPPER)
    with_letters = mask_of_kinds(column, UPPER | LOWER | WIDE)
    if 2 * np.count_nonzero(small) > np.count_nonzero(with_letters):
        return _Step(Rewritten(column, np.zeros(len(column), np.bool_)))
    if not odd.any():
        return _Step(Rewritten(column, odd))
    done = change_case(filter_column(column, odd), case)
    changed = odd.copy()
    changed[odd] = done.changed
    return _Step(Rewritten(with_cells(column, odd, done.column), changed))


def _rewriting(
    write: Callable[[Form, str], str | None], form: Form
) -> Callable[[Column], _Step]:
    def step(column: Column) -> _Step:
        unread: set[str] = set()

        def now(text: str) -> str:
            if is_blank(text):
                return text
            new = write(form, text)
            if new is None:
                unread.add(text)
                return text
            return new

        result = rewrite_distinct(column, now)
        mask = None
        if unread:
            mask = index_in(column, list(unread)) >= 0
        return _Step(result, mask)

    return step


def _plain_together(
    form: Form, one_by_one: Callable[[Column], _Step], column: Column
) -> _Step:
    """Write numbers in the plain form: most of them together, the others one by one."""
    usual, cells = plain_cells(column, form.number)
    if not usual.any():
        return one_by_one(column)
    changed = np.zeros(len(column), np.bool_)
    changed[usual] = unequal(filter_column(column, usual), cells)
    now = with_cells(column, usual, cells) if changed.any() else column
    if usual.all():
        return _Step(Rewritten(now, changed))
    rest = one_by_one(filter_column(column, ~usual))
    changed[~usual] = rest.result.changed
    if rest.result.changed.any():
        now = with_cells(now, ~usual, rest.result.column)
    unread = None
    if rest.unread is not None:
        unread = np.zeros(len(column), np.bool_)
        unread[~usual] = rest.unread
    return _Step(Rewritten(now, changed), unread)


def _fill_from_above(column: Column) -> _Step:
    blank = blank_mask(column)
    places = np.where(blank, -1, np.arange(len(column)))
    source = np.maximum.accumulate(places) if len(places) else places
    changed = blank & (source >= 0)
    source = np.where(source < 0, np.arange(len(column)), source)
    if not changed.any():
        return _Step(Rewritten(column, changed))
    return _Step(Rewritten(taken(column, source.astype(np.int64)), changed))


def _fill_cells(column: Column, text: str) -> _Step:
    blank = blank_mask(column)
    cells = constant_column(text, int(np.count_nonzero(blank)))
    return _Step(Rewritten(with_cells(column, blank, cells), blank))
