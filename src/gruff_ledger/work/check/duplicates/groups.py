"""Which records may be copies of each other, and which surely are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.same_key import (
    first_at_levels,
    first_with_same_key,
    group_sizes,
)
from gruff_ledger.cells.match.folded_fields import folding, without_key
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.types import Indices, Mask
from gruff_ledger.likeness.forest import Forest
from gruff_ledger.outcome import Finding, Note
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms
from gruff_ledger.work.keys.fields import KeyField, key_words
from gruff_ledger.work.keys.groups import (
    best_of_group,
    differing,
    filled_cells,
    last_of_group,
)
from gruff_ledger.work.keys.looser import count_more_repeats, loose_note, looser_levels
from gruff_ledger.work.review.decisions import Recognised
from gruff_ledger.written.match import key_columns
from gruff_ledger.written.way import READ_AS

if TYPE_CHECKING:
    from gruff_ledger.work.check.duplicates.likeness import Near


# Copies are compared with the record kept only up to so many, to say where they differ:
# it would take long to say of all.
_MOST_COMPARED = 5_000


class Groups(NamedTuple):
    """
    Groups of n records.

    Attributes
    ----------
    first : ndarray of int64, shape (n,)
        The first record of each one's group, of all that may be copies.
    sure : ndarray of int64, shape (n,)
        The same, of those that are: by their keys, or by a decision.
    words : str
        What they have in common.
    near : Near, optional
    """

    first: Indices
    sure: Indices
    words: str
    near: Near | None = None


def groups_of(
    terms: DuplicatesTerms,
    table: Table,
    fields: Sequence[KeyField],
    decided: Recognised,
) -> tuple[Groups, tuple[Note, ...]]:
    """
    Group the records of a list.

    Parameters
    ----------
    terms : DuplicatesTerms
    table : Table, n records
    fields : sequence of KeyField
        The key fields, by their headings; the whole record without any.
    decided : Recognised

    Returns
    -------
    groups : Groups
    notes : tuple of Note
        How many there are, and what other choices would have given.

    Raises
    ------
    BadTerms
        If no field is left to be alike.
    """
    if terms.near:
        from gruff_ledger.work.check.duplicates.likeness import near_groups

        near = near_groups(
            table,
            fields,
            terms.ask_from,
            decided.same,
            decided.different,
        )
        sure = _joined(len(table), decided.same)
        words = f"alike in {key_words(near.fields)}"
        return Groups(near.first, sure, words, near), near.notes
    names = [field.name for field in fields] or list(table.headings)
    levels = [field.level or terms.match for field in fields] or [
        terms.match for _ in names
    ]
    columns, read = key_columns(table, names, levels, whole=not fields)
    if fields:
        blank = without_key(columns, levels)
    else:
        # Compared as a whole record, blanks equal blanks; but records that hold nothing
        # are no copies of one another.
        blank = np.ones(len(table), np.bool_)
        for column in columns:
            if blank.any():
                blank &= blank_mask(column)
        blank &= bool(columns)
    first, alike = first_at_levels(
        columns,
        [folding(level, or_text=not fields) for level in levels],
        [folding(level, or_text=not fields) for level in looser_levels(levels)],
        blank,
    )
    words = key_words(fields, terms.match) if fields else ""
    notes = _notes(terms, table, fields, blank, first, alike) + read
    if terms.decisions is None:
        return Groups(first, first, words), notes
    same = decided.same + _equal_pairs(table, first)
    sure = _joined(len(table), same)
    return Groups(_parted(first, sure, decided.different), sure, words), notes


def _joined(n: int, pairs: Sequence[tuple[int, int]]) -> Indices:
    forest = Forest(n)
    for one, other in pairs:
        forest.join(one, other)
    return forest.firsts()


def _equal_pairs(table: Table, first: Indices) -> list[tuple[int, int]]:
    """Return pairs that are equal in every field: they need no decision."""
    members = np.flatnonzero(group_sizes(first) > 1)
    if not len(members):
        return []
    columns = [taken(column, members) for column in table.all_cells]
    within = first_with_same_key(columns)
    repeats = np.flatnonzero(within != np.arange(len(members)))
    return list(
        zip(members[within[repeats]].tolist(), members[repeats].tolist(), strict=True)
    )


def _parted(
    first: Indices, sure: Indices, different: Sequence[tuple[int, int]]
) -> Indices:
    """Part groups so that no two records decided to be different are together."""
    apart = {int(first[one]) for one, other in different if first[one] == first[other]}
    if not apart:
        return first
    result = first.copy()
    pairs = {frozenset((int(sure[one]), int(sure[other]))) for one, other in different}
    for group in sorted(apart):
        parts: list[list[int]] = []
        for record in np.flatnonzero(first == group).tolist():
            mine = int(sure[record])
            for part in parts:
                if all(frozenset((mine, other)) not in pairs for other in part):
                    part.append(mine)
                    break
            else:
                part = [mine]
                parts.append(part)
            result[record] = part[0]
    return result


def members_of(terms: DuplicatesTerms, first: Indices) -> Indices:
    """Return the records that are not alone in their groups, where that is needed."""
    if not terms.fill and terms.stays in ("first", "last", "none"):
        return np.zeros(0, np.int64)
    return np.flatnonzero(group_sizes(first) > 1)


class Scores(NamedTuple):
    """
    By how much each of m records in groups is to be kept.

    Attributes
    ----------
    scores : ndarray of int64, shape (m,), optional
        None where the place decides.
    is_last : ndarray of bool, shape (m,)
        Those that have nothing to be scored by.
    """

    scores: Indices | None
    is_last: Mask
    findings: tuple[Finding, ...] = ()
    notes: tuple[Note, ...] = ()
    heading: str = ""


def undecided(first: Indices, members: Indices, scores: Scores) -> Indices:
    """Return the records of the groups in which no record has anything to score."""
    if not scores.is_last.any():
        return np.zeros(0, np.int64)
    has_one = np.zeros(len(first), np.bool_)
    has_one[first[members[~scores.is_last]]] = True
    return members[~has_one[first[members]]]


def note_undecided(
    terms: DuplicatesTerms, table: Table, open_: Indices, first: Indices, heading: str
) -> tuple[Note, ...]:
    """Say that in some groups nothing is the greatest, or the least."""
    if not len(open_):
        return ()
    groups = counted(len(np.unique(first[open_])), "group", "groups")
    stay = counted(len(open_), "record stays", "records stay")
    return (
        Note(
            f"In {groups} no record has anything to read in '{heading}': nothing is "
            f"the {terms.stays}, and {stay}.",
            "To keep one of each anyway, give `stays first`.",
            table.origin.pick(open_),
            warning=True,
        ),
    )


def scores_to_keep(
    terms: DuplicatesTerms,
    table: Table,
    members: Indices,
) -> Scores:
    """Return by how much each record in a group is to be kept."""
    none = np.zeros(len(members), np.bool_)
    if terms.stays == "fullest":
        return Scores(filled_cells(table, members), none)
    if terms.of is None:
        return Scores(None, none)
    from gruff_ledger.work.orders import ordering, parse_order

    (key,) = parse_order(terms.of, "of")
    if terms.stays in ("newest", "oldest") and key.way is None:
        key = key._replace(way="date")
    heading, ranked = ordering(table, key, "of")
    ranks = ranked.ranks[members]
    scores = ranks if terms.stays in ("greatest", "newest") else -ranks
    lowest = int(scores.min(initial=0)) - 1
    is_last = ranked.last[members]
    return Scores(
        np.where(is_last, lowest, scores),
        is_last,
        ranked.findings,
        tuple(note for note in ranked.notes if note.warning or note.topic == READ_AS),
        heading,
    )


def kept_of(
    terms: DuplicatesTerms, first: Indices, members: Indices, scores: Scores
) -> Indices:
    """
    Return for each record the one that stays of its group.

    Parameters
    ----------
    terms : DuplicatesTerms
    first : ndarray of int64, shape (n,)
        The first record of each one's group.
    members : ndarray of int64, shape (m,)
        The records that are not alone.
    scores : Scores, of m records
        Where none of a group can be scored, all of them stay.
    """
    if scores.scores is not None:
        kept = best_of_group(first, members, scores.scores)
        open_ = undecided(first, members, scores)
        kept[open_] = open_
        return kept
    return last_of_group(first) if terms.stays == "last" else first


def _notes(
    terms: DuplicatesTerms,
    table: Table,
    fields: Sequence[KeyField],
    blank: Mask,
    first: Indices,
    alike: Indices,
) -> tuple[Note, ...]:
    how = f"by {key_words(fields, terms.match)}" if fields else "by the whole record"
    repeats = first != np.arange(len(first))
    count = int(np.count_nonzero(repeats))
    is_head = np.zeros(len(table), np.bool_)
    is_head[first[repeats]] = True
    groups = int(np.count_nonzero(is_head))
    origin = table.origin.pick(repeats) if count else None
    said = f"{counted(count, 'record repeats', 'records repeat')} another {how}"
    said += f", in {counted(groups, 'group', 'groups')}." if count else "."
    remedy = "" if fields else "To compare chosen fields only, name them in `by`."
    notes = [Note(said, remedy, origin, is_headline=True)]
    more = count_more_repeats(first, alike)
    notes += loose_note(more, "repeats", "repeat", "another")
    if blank.any():
        number = counted(int(blank.sum()), "record has", "records have")
        match = "matches" if blank.sum() == 1 else "match"
        notes.append(
            Note(
                f"{number} a blank key and {match} nothing."
                if fields
                else f"{number} every field blank and {match} nothing.",
                "To compare them too, choose other fields in `by`."
                if fields
                else "To set them aside, use gruff merge.",
                table.origin.pick(blank),
                warning=True,
            )
        )
    return tuple(notes)


def copies_note(table: Table, kept: Indices, *, are_shown: bool) -> tuple[Note, ...]:
    """Say how many copies are such by the whole record, and where the others differ."""
    places = np.flatnonzero(kept != np.arange(len(kept)))
    if not len(places):
        return ()
    looked = places[:_MOST_COMPARED]
    unlike = differing(table, looked, kept[looked])
    same = looked[unlike.same]
    are = "is" if len(same) == 1 else "are"
    of = counted(len(looked), "record", "records")
    if len(looked) < len(places):
        of = f"the first {of}"
    said = f"{len(same)} of {of} that repeat another {are} the same in every field"
    if len(same):
        count = len(set(kept[same].tolist()))
        said += f", in {counted(count, 'group', 'groups')}"
    if len(same) == len(looked):
        return (Note(f"{said}."),)
    where = unlike.words(np.ones(len(looked), np.bool_))
    return (
        Note(
            f"{said}; the others differ from the record kept, in {where}.",
            "" if are_shown else "To see them side by side, give `treat show`.",
            table.origin.pick(looked[~unlike.same]),
        ),
    )
