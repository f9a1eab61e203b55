"""duplicates: records whose key occurs in another record.

A record with a blank in a key field never matches anything. Without key fields the
whole record is the key, and then a blank cell equals only a cell of the same text.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np
from msgspec import Meta

from gruff_ledger.cells.keys import blank_key_mask, first_with_same_key, group_sizes
from gruff_ledger.naming import find_fields, format_names
from gruff_ledger.outcome import Note, Outcome, SetAside
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import (
    Column,
    Indices,
    Mask,
    Table,
    filtered,
    number_column,
    spread_column,
)
from gruff_ledger.terms import Terms

_DEFAULT_HEADINGS = {"mark": "duplicate", "count": "copies", "show": "group"}


class DuplicatesTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    by: Annotated[
        tuple[str, ...],
        Meta(
            description="The fields that identify a record; without them the whole "
            "record does."
        ),
    ] = ()
    keep: Annotated[
        Literal["first", "last"],
        Meta(description="Which record of a group stands for it."),
    ] = "first"
    treat: Annotated[
        Literal["set-aside", "mark", "count", "show"],
        Meta(
            description="What to do: set-aside takes out all but the kept record of "
            "a group; mark adds a field that says kept or repeats; count adds a field "
            "with the number of copies; show leaves only the groups, brought together "
            "and numbered."
        ),
    ] = "set-aside"
    field: Annotated[
        str | None,
        Meta(
            description="The heading of the field that mark, count and show add "
            "(otherwise duplicate, copies and group)."
        ),
    ] = None

    def __post_init__(self) -> None:
        """Refuse a field heading where no field is added."""
        if self.field is not None and self.treat == "set-aside":
            raise BadTerms(
                "setting aside adds no field to the list.",
                "Leave it out, or set `treat` to mark, count or show.",
                term="field",
            )


def perform(terms: DuplicatesTerms, table: Table) -> Outcome:
    """
    Find the records that repeat another, and treat them as the terms say.

    Parameters
    ----------
    terms : DuplicatesTerms
    table : Table, n records

    Returns
    -------
    Outcome
        With `set-aside`, the repeats are set aside with the record kept; with `show`,
        the records that repeat nothing are; otherwise every record stays.

    Raises
    ------
    UnknownField
        If `by` names a field that the list does not have.
    BadTerms
        If the field to add is there already.
    """
    by, notes = find_fields(table, terms.by, "by")
    columns = [table.column(heading) for heading in by or table.headings]
    # Compared as a whole record, blanks equal blanks: then none is left out.
    blank = blank_key_mask(columns) if by else np.zeros(len(table), np.bool_)
    first = _first_of_group(columns, blank)
    kept = first if terms.keep == "first" else _last_of_group(first)
    repeats = kept != np.arange(len(table))
    notes += _notes(table, by, blank, first, repeats)
    heading = terms.field or _DEFAULT_HEADINGS.get(terms.treat, "")
    if terms.treat == "mark":
        grouped = group_sizes(first) > 1
        codes = np.where(repeats, 2, np.where(grouped, 1, 0))
        marked = spread_column(("", "kept", "repeats"), codes)
        return Outcome(table.with_field(heading, marked), notes=notes)
    if terms.treat == "count":
        counts = number_column(group_sizes(first))
        return Outcome(table.with_field(heading, counts), notes=notes)
    if terms.treat == "show":
        return _shown(table, first, heading, notes)
    aside: tuple[SetAside, ...] = ()
    if repeats.any():
        reason = (
            f"repeats another record by {format_names(by)}"
            if by
            else ("repeats another record in every field")
        )
        aside = (
            SetAside(reason, table.filter(repeats), table.origin.pick(kept[repeats])),
        )
    remaining = table.filter(~repeats) if aside else table
    return Outcome(remaining, aside, notes=notes)


def _first_of_group(columns: Sequence[Column], blank: Mask) -> Indices:
    """Return each record's first equal; one with a blank key has only itself."""
    first = np.arange(len(blank), dtype=np.int64)
    if not len(blank) or not columns:
        return first
    if not blank.any():
        return first_with_same_key(columns)
    places = np.flatnonzero(~blank)
    narrowed = [filtered(column, ~blank) for column in columns]
    if len(places):
        first[places] = places[first_with_same_key(narrowed)]
    return first


def _last_of_group(first: Indices) -> Indices:
    """For each record, return the index of the last record with the same key."""
    last = np.arange(len(first), dtype=np.int64)
    np.maximum.at(last, first, np.arange(len(first), dtype=np.int64))
    return last[first]


def _shown(
    table: Table, first: Indices, heading: str, notes: tuple[Note, ...]
) -> Outcome:
    grouped = group_sizes(first) > 1
    members = np.flatnonzero(grouped)
    together = members[np.argsort(first[members], kind="stable")]
    _, numbers = np.unique(first[together], return_inverse=True)
    groups = table.take(together).with_field(heading, number_column(numbers + 1), at=0)
    aside: tuple[SetAside, ...] = ()
    if len(members) < len(table):
        aside = (SetAside("repeats no other record", table.filter(~grouped)),)
    return Outcome(groups, aside, notes=notes)


def _notes(
    table: Table,
    by: tuple[str, ...],
    blank: Mask,
    first: Indices,
    repeats: Mask,
) -> tuple[Note, ...]:
    how = f"by {format_names(by)}" if by else "by the whole record"
    count = int(repeats.sum())
    kept = np.zeros(len(table), np.bool_)
    kept[first[repeats]] = True
    groups = int(np.count_nonzero(kept))
    origin = table.origin.pick(repeats) if count else None
    said = f"{_number(count, 'record repeats', 'records repeat')} another {how}"
    said += f", in {_number(groups, 'group', 'groups')}." if count else "."
    remedy = "" if by else "To compare chosen fields only, name them in `by`."
    notes = [Note(said, remedy, origin)]
    if blank.any():
        number = _number(int(blank.sum()), "record matches", "records match")
        notes.append(
            Note(
                f"{number} nothing, with a blank in a key field.",
                "To compare them too, choose other fields in `by`.",
                table.origin.pick(blank),
                warning=True,
            )
        )
    return tuple(notes)


def _number(count: int, one: str, many: str) -> str:
    return f"{count} {one if count == 1 else many}"
