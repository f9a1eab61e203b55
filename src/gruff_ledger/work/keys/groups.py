"""Groups of copies: which records are in them, which one stays, what it is given."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.distinct import distinct, with_cells
from gruff_ledger.columns.arrays import filter_column, taken, text_column, unequal
from gruff_ledger.columns.pending import column_of
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.outcome import Change, Finding, Severity
from gruff_ledger.table import Table, Writing
from gruff_ledger.words import first_few

# Values of the copies that a message names.
_NAMED_VALUES = 5


def last_of_group(first: Indices) -> Indices:
    """For each record, return the index of the last record of its group."""
    last = np.arange(len(first), dtype=np.int64)
    np.maximum.at(last, first, np.arange(len(first), dtype=np.int64))
    return last[first]


def best_of_group(first: Indices, members: Indices, scores: Indices) -> Indices:
    """
    For each record, return the record of its group with the greatest score.

    Parameters
    ----------
    first : ndarray of int64, shape (n,)
    members : ndarray of int64, shape (m,)
        The records that are not alone in their groups.
    scores : ndarray of int64, shape (m,)
        Of two equal ones the earlier record is meant.
    """
    order = np.lexsort((members, -scores, first[members]))
    groups = first[members][order]
    starts = np.ones(len(order), np.bool_)
    starts[1:] = groups[1:] != groups[:-1]
    best = np.arange(len(first), dtype=np.int64)
    best[groups[starts]] = members[order[starts]]
    return best[first]


def filled_cells(table: Table, members: Indices) -> Indices:
    """Count the filled cells of some records."""
    counts = np.zeros(len(members), np.int64)
    for column in table.all_cells:
        counts += ~blank_mask(taken(column, members))
    return counts


class Differing(NamedTuple):
    """
    Cells of copies that are not as in the record kept.

    Attributes
    ----------
    fields : tuple of str
    masks : list of ndarray of bool, shape (m,)
        For each field, which of m records differ there from the record kept.
    """

    fields: tuple[str, ...]
    masks: list[Mask]

    @property
    def same(self) -> Mask:
        """Which records differ nowhere."""
        found: Mask = ~np.logical_or.reduce(self.masks)
        return found

    def words(self, which: Mask) -> str:
        """Name the fields in which some records differ, with how many do."""
        counts = [
            (int(np.count_nonzero(mask & which)), field)
            for field, mask in zip(self.fields, self.masks, strict=True)
        ]
        counts = sorted((each for each in counts if each[0]), key=lambda x: -x[0])
        return first_few(
            [f"{field} ({count})" for count, field in counts], _NAMED_VALUES
        )


def differing(table: Table, records: Indices, kept: Indices) -> Differing:
    """Compare some records with those kept in their place, cell by cell."""
    # Only the part of the list that they lie in is looked at.
    end = int(max(records.max(initial=-1), kept.max(initial=-1))) + 1
    masks = [
        unequal(taken(column.slice(0, end), records), taken(column.slice(0, end), kept))
        for column in table.all_cells
    ]
    return Differing(table.headings, masks)


class Filled(NamedTuple):
    """What was done to the records kept: the new list, changes and conflicts."""

    table: Table
    changes: tuple[Change, ...]
    findings: tuple[Finding, ...]


def filled(
    table: Table,
    first: Indices,
    kept: Indices,
    members: Indices,
    leave: Sequence[str],
    chosen: Mapping[tuple[int, str], str] = {},
) -> Filled:
    """
    Fill blanks of the records kept from their copies.

    Parameters
    ----------
    table : Table, n records
    first, kept : ndarray of int64, shape (n,)
        Each record's group, and the record kept of it.
    members : ndarray of int64, shape (m,)
        The records that are not alone in their groups.
    leave : sequence of str
        Headings of fields that are left alone.
    chosen : mapping, optional
        By group and heading, the value that a person chose.

    Returns
    -------
    Filled
        A finding for each field in which copies have different values.
    """
    held = dict(zip(table.headings, table.held, strict=True))
    changes: list[Change] = []
    findings: list[Finding] = []
    written: dict[str, Writing] = {}
    group_of = first[members]
    order = np.lexsort((members, group_of))
    members, group_of = members[order], group_of[order]
    for heading in table.headings:
        if heading in leave:
            continue
        settled = _Settled(table.cells(heading), members, group_of, kept)
        mine = {
            group: value for (group, field), value in chosen.items() if field == heading
        }
        values = settled.values(mine)
        if values:
            places = np.array(sorted(values), np.int64)
            mask = np.zeros(len(table), np.bool_)
            mask[places] = True
            now = text_column(values[place] for place in places.tolist())
            was = filter_column(table.cells(heading), mask)
            changes.append(Change(heading, table.origin.pick(mask), was, now))
            held[heading] = with_cells(table.cells(heading), mask, now)
            written |= ways_of_moved(table, heading, first, values)
        conflicts = settled.conflicts(mine)
        if conflicts:
            column = column_of(held[heading])
            findings.append(_conflict(table, heading, column, conflicts))
    result = table.with_fields(table.headings, [held[h] for h in table.headings])
    result = result.with_writing(written)
    return Filled(result, tuple(changes), tuple(findings))


def ways_of_moved(
    table: Table, heading: str, first: Indices, values: Mapping[int, str]
) -> dict[str, Writing]:
    """
    Return how a field is written after cells of its groups were put into others.

    Parameters
    ----------
    table : Table, n records
        As it was before.
    heading : str
    first : ndarray of int64, shape (n,)
    values : mapping of int to str
        By record, the cell that it has now; it is written in the way of the first
        record of the group that had it.

    Returns
    -------
    dict
        Empty where all cells of the field are written in one way.
    """
    writing = table.spread_writing(heading)
    if writing.codes is None:
        return {}
    codes = writing.codes.copy()
    column = table.cells(heading)
    for place, value in values.items():
        mates = np.flatnonzero(first == first[place])
        had = [mate for mate in mates.tolist() if column[mate].as_py() == value]
        if had:
            codes[place] = writing.codes[had[0]]
    return {heading: Writing(writing.ways, codes)}


class _Settled:
    """One field of all copies, group by group."""

    def __init__(
        self, column: Column, members: Indices, group_of: Indices, kept: Indices
    ) -> None:
        cells = taken(column, members)
        self._is_filled = ~blank_mask(cells)
        self._values, self._codes = distinct(cells)
        self._members, self._group_of, self._kept = members, group_of, kept
        self._starts = np.flatnonzero(
            np.concatenate([[True], group_of[1:] != group_of[:-1]])
            if len(group_of)
            else np.zeros(0, np.bool_)
        )
        self._ends = np.append(self._starts[1:], len(group_of))

    def values(self, chosen: Mapping[int, str]) -> dict[int, str]:
        """Return what is put into records kept, by their index."""
        found: dict[int, str] = {}
        at_kept = self._kept[self._members] == self._members
        for start, end in self._groups(self._is_blank_where_kept() | self._in(chosen)):
            group = int(self._group_of[start])
            (place,) = np.flatnonzero(at_kept[start:end])
            was = self._values[self._codes[start + place]]
            now = was
            if group in chosen:
                now = chosen[group]
            elif self._is_filled[start:end].any():
                now = self._values[
                    self._codes[start + np.argmax(self._is_filled[start:end])]
                ]
            if now != was:
                found[int(self._members[start + place])] = now
        return found

    def conflicts(self, settled: Collection[int]) -> dict[int, list[str]]:
        """
        Return the different values of groups, that of the record kept first.

        Parameters
        ----------
        settled : collection of int
            Groups that are left out.

        Returns
        -------
        dict
            By the index of the record kept.
        """
        found: dict[int, list[str]] = {}
        top = len(self._values)
        low = np.where(self._is_filled, self._codes, top)
        high = np.where(self._is_filled, self._codes, -1)
        if not len(self._starts):
            return found
        least = np.minimum.reduceat(low, self._starts)
        greatest = np.maximum.reduceat(high, self._starts)
        at_kept = self._kept[self._members] == self._members
        for number in np.flatnonzero((least < greatest) & (greatest >= 0)).tolist():
            start, end = int(self._starts[number]), int(self._ends[number])
            if int(self._group_of[start]) in settled:
                continue
            inside = slice(start, end)
            here = np.flatnonzero(self._is_filled[inside])
            kept_first = sorted(here.tolist(), key=lambda at: not at_kept[start + at])
            values = dict.fromkeys(
                self._values[self._codes[start + at]] for at in kept_first
            )
            (place,) = np.flatnonzero(at_kept[inside])
            found[int(self._members[start + place])] = list(values)
        return found

    def _is_blank_where_kept(self) -> Mask:
        at_kept = self._kept[self._members] == self._members
        blank: Mask = at_kept & ~self._is_filled
        return blank

    def _in(self, chosen: Mapping[int, str]) -> Mask:
        found: Mask = np.isin(self._group_of, list(chosen))
        return found

    def _groups(self, marked: Mask) -> list[tuple[int, int]]:
        """Return where the groups begin and end that have a marked record."""
        if not len(self._starts):
            return []
        which = np.flatnonzero(np.logical_or.reduceat(marked, self._starts))
        return [(int(self._starts[at]), int(self._ends[at])) for at in which]


def _conflict(
    table: Table, heading: str, column: Column, conflicts: Mapping[int, list[str]]
) -> Finding:
    """Return the finding that copies differ; `column` is what the field holds now."""
    places = np.array(sorted(conflicts), np.int64)
    said = []
    for place in places.tolist():
        kept, *others = (f"'{value}'" for value in conflicts[place])
        told = first_few(others, _NAMED_VALUES)
        said.append(f"{heading} differs among the copies: {kept} stays; also {told}.")
    return Finding(
        rule=f"copies agree in {heading}",
        severity=Severity.WARN,
        message=f"{heading} differs among the copies.",
        field=heading,
        origin=table.origin.pick(places),
        value=taken(column, places),
        said=text_column(said),
    )
