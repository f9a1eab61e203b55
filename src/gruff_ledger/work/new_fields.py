"""Putting new fields into a list: where they stand, and what they take the place of."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from gruff_ledger.columns.arrays import filter_column, unequal
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.field_names import find_field
from gruff_ledger.outcome import Change, Note
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table


def changes_of(
    table: Table, heading: str, now: Column, changed: Mask | None = None
) -> tuple[Change, ...]:
    """
    Journal that a field holds other cells than it did.

    Parameters
    ----------
    table : Table, n records
        As it was.
    heading : str
    now : Column, n cells
    changed : ndarray of bool, shape (n,), optional
        The cells that differ, where that is known.

    Returns
    -------
    tuple of Change
        One, or none where no cell differs.
    """
    was = table.cells(heading)
    differs = unequal(was, now) if changed is None else changed
    if not differs.any():
        return ()
    origin = table.origin.pick(differs)
    cells = filter_column(was, differs), filter_column(now, differs)
    return (Change(heading, origin, *cells),)


def with_new_fields(
    table: Table,
    fields: Sequence[tuple[str, Column]],
    at: int,
    dropped: Collection[str] = (),
    *,
    term: str,
) -> tuple[Table, tuple[Change, ...]]:
    """
    Put fields into a list, and take others out.

    Parameters
    ----------
    table : Table, n records
    fields : sequence of (heading, Column of n cells)
    at : int
        Position, among the fields as they are, before which the new ones stand.
    dropped : collection of str
        Fields that go; a new one may have the heading of one of them.
    term : str
        What named the new headings, for messages.

    Returns
    -------
    table : Table
    changes : tuple of Change
        Of new fields that have the heading of one that goes.

    Raises
    ------
    BadTerms
        If a heading is there already, is blank or is given twice.
    """
    new = [heading for heading, _ in fields]
    for place, heading in enumerate(new):
        if not heading.strip():
            raise BadTerms("a heading is blank.", "Give it a name.", term=term)
        if heading in new[:place]:
            raise BadTerms(
                f"the heading '{heading}' is given twice.",
                "Give each new field a heading of its own.",
                term=term,
            )
        if heading in table.headings and heading not in dropped:
            raise BadTerms(
                f"{table.name} already has a field '{heading}'.",
                "Choose another heading for the new field.",
                term=term,
            )
    changes = tuple(
        change
        for heading, column in fields
        if heading in dropped
        for change in changes_of(table, heading, column)
    )
    whole = list(zip(table.headings, table.held, strict=True))
    arranged = [
        *(field for field in whole[:at] if field[0] not in dropped),
        *fields,
        *(field for field in whole[at:] if field[0] not in dropped),
    ]
    headings = [heading for heading, _ in arranged]
    return table.with_fields(headings, [held for _, held in arranged]), changes


def chosen_place(
    table: Table, *, first: bool, after: str | None, otherwise: int
) -> tuple[int, tuple[Note, ...]]:
    """
    Return the position where a new field is to stand, as the person chose it.

    Raises
    ------
    UnknownField
        If `after` names a field that the list does not have.
    BadTerms
        If two places are chosen.
    """
    if first and after is not None:
        raise BadTerms(
            "a field cannot come first and after another.",
            "Choose one of `first` and `after`.",
            term="first",
        )
    if after is not None:
        heading, notes = find_field(table, after, "after")
        return table.headings.index(heading) + 1, notes
    return (0 if first else otherwise), ()
