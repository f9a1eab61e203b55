"""What `lookup` does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.distinct import with_cells
from gruff_ledger.columns.arrays import (
    concat_columns,
    filter_column,
    spread_column,
    taken,
    text_column,
)
from gruff_ledger.columns.pending import Held
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import find_field
from gruff_ledger.outcome import Change, Drawn, Finding, Lineage, Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import UNSAID, Table, Writing
from gruff_ledger.work.keys.groups import best_of_group, last_of_group
from gruff_ledger.work.keys.looser import loose_note
from gruff_ledger.work.keys.meeting import check_both_ways
from gruff_ledger.work.keys.pairs import (
    KeyPair,
    Keys,
    find_key_pairs,
    keys_of,
    loose_matches,
    match_keys,
)
from gruff_ledger.work.new_fields import changes_of, with_new_fields
from gruff_ledger.work.orders import ordering, parse_order
from gruff_ledger.work.together.lookup.bands import Banded, match_bands
from gruff_ledger.work.together.lookup.tell import (
    findings_on,
    note_on_undecided,
    note_on_unused,
    notes_on,
)
from gruff_ledger.work.together.lookup.terms import LookupTerms
from gruff_ledger.work.together.lookup.unmatched import (
    Unmatched,
    find_unmatched_keys,
    make_unmatched_table,
)
from gruff_ledger.written.way import READ_AS

__all__ = ["LookupTerms", "perform"]


_MATCHED, _NONE, _SEVERAL, _UNDECIDED = 0, 1, 2, 3
_STATUS = ("matched", "none", "several", "undecided")


class Matches(NamedTuple):
    """
    What each of n records has in the reference list of m.

    Attributes
    ----------
    found : ndarray of int64, shape (n,)
        The first record that matches, or -1.
    first : ndarray of int64, shape (m,)
        For each reference record, the first that any record with it matches too.
    sizes : ndarray of int64, shape (m,)
        How many have the same one as their first, at that one.
    counts : ndarray of int64, shape (n,)
        How many records match each of the n.
    """

    found: Indices
    first: Indices
    sizes: Indices
    counts: Indices


def perform(
    terms: LookupTerms, table: Table, references: Mapping[str, Table] | None = None
) -> Outcome:
    """
    Fill in fields from a reference list.

    Parameters
    ----------
    terms : LookupTerms
    table : Table, n records
    references : mapping
        The reference list, by its address.

    Returns
    -------
    Outcome
        With `every`, records with several matches are made of one. Beside its table:
        the keys that matched nothing, and the reference records that none has.

    Raises
    ------
    UnknownField
        If a list has not a field that is named.
    BadTerms
        If a field to be added is there already; if bands or an order are none.
    """
    reference = (references or {})[terms.in_]
    pairs, notes = find_key_pairs(terms.key, table, reference, terms.match, "key")
    levels = [pair.level for pair in pairs]
    mine = keys_of(table, [pair.mine for pair in pairs], levels) if pairs else None
    theirs = (
        keys_of(reference, [pair.theirs for pair in pairs], levels) if pairs else None
    )
    if terms.check:
        if mine is None or theirs is None:
            raise BadTerms(
                "bands have no keys to check.", "Name a field in `key`.", term="check"
            )
        result, said = check_both_ways(table, reference, pairs, mine, theirs)
        return Outcome(result, notes=notes + said, lineage=Lineage(summed=len(table)))
    matches, banded = _matches(terms, table, reference, mine, theirs)
    scores, is_last, findings, scored = _scores(terms, reference)
    counts = matches.counts
    has_key = _has_key(table, mine, banded)
    unmatched = _unmatched(table, reference, pairs, mine, theirs, banded, counts)
    if banded is not None:
        findings += banded.findings
        notes += banded.notes
    told = findings_on(terms, table, reference, pairs, banded, counts, unmatched)
    notes += notes_on(terms, table, reference, counts, has_key, unmatched, banded)
    if mine is not None and theirs is not None and banded is None:
        open_ = (counts == 0) & ~mine.left_out
        more = loose_matches(mine, theirs, levels, open_)
        notes += loose_note(more, "has", "have", f"a match in {reference.name}")
    chosen = _chosen(terms, matches, scores)
    undecided = np.zeros(len(table), np.bool_)
    if is_last is not None:
        undecided = (chosen >= 0) & is_last[chosen]
        chosen = np.where(undecided, -1, chosen)
        notes = scored + note_on_undecided(terms, table, reference, undecided) + notes
    which, at = _lay_out_rows(terms, matches, chosen)
    done = table if which is None else table.pick_records(which)
    status = np.where(counts == 0, _NONE, np.where(counts == 1, _MATCHED, _SEVERAL))
    status[undecided] = _UNDECIDED
    if which is not None:
        counts, status = counts[which], status[which]
    done, changes, said = _with_taken(terms, done, reference, at, counts)
    notes += said + _reading_notes(mine, theirs)
    if terms.status is not None:
        done = done.with_field(terms.status, spread_column(_STATUS, status))
    is_used = np.zeros(len(reference), np.bool_)
    is_used[matches.found[matches.found >= 0]] = True
    is_used = is_used[matches.first]
    notes += note_on_unused(reference, is_used)
    headings = [pair.mine for pair in pairs]

    def drawn() -> Drawn:
        row = np.flatnonzero(at >= 0)
        pairs, _ = _take_pairs(terms, reference)
        copied = {heading: theirs for theirs, heading in pairs}
        return Drawn(reference.origin.pick(at[row]), row, taken=copied)

    return Outcome(
        done,
        changes=changes,
        findings=findings + told,
        notes=notes,
        beside={
            "unmatched": lambda: make_unmatched_table(unmatched, table, headings),
            "unused": lambda: reference.keep_records(~is_used),
        },
        lineage=Lineage(made=len(done) - len(table), drawn=drawn),
    )


def _reading_notes(mine: Keys | None, theirs: Keys | None) -> tuple[Note, ...]:
    """Say how the key fields of both lists were read."""
    if mine is None or theirs is None:
        return ()
    known = {note.what for note in mine.notes}
    return mine.notes + tuple(note for note in theirs.notes if note.what not in known)


def _matches(
    terms: LookupTerms,
    table: Table,
    reference: Table,
    mine: Keys | None,
    theirs: Keys | None,
) -> tuple[Matches, Banded | None]:
    n, m = len(table), len(reference)
    if mine is None or theirs is None:
        found, first = np.zeros(n, np.int64), np.zeros(m, np.int64)
    else:
        found, first = match_keys(mine, theirs)
    banded = None
    if terms.band is not None:
        groups = first
        if theirs is not None:
            groups = np.where(theirs.left_out, -1, first)
        banded = match_bands(terms.band, table, reference, found, groups)
        found, first = banded.found, banded.first
    sizes = np.bincount(first, minlength=m)
    counts = np.zeros(n, np.int64)
    if m and int(sizes.max()) == 1:
        counts = (found >= 0).astype(np.int64)
    elif m:
        counts = np.where(found >= 0, sizes[found], 0)
    return Matches(found, first, sizes, counts), banded


def _has_key(table: Table, mine: Keys | None, banded: Banded | None) -> Mask:
    """Mark the records with a key, and a value for the bands."""
    has = np.ones(len(table), np.bool_)
    if mine is not None:
        has &= ~mine.left_out
    if banded is not None:
        has &= ~banded.without
    return has


def _scores(
    terms: LookupTerms,
    reference: Table,
) -> tuple[Indices | None, Mask | None, tuple[Finding, ...], tuple[Note, ...]]:
    """
    Return by how much each reference record is to be taken, where it is scored.

    Also which of them have nothing to be scored by: none of these is the greatest.
    """
    if terms.of is None:
        return None, None, (), ()
    (key,) = parse_order(terms.of, "of")
    _, ranked = ordering(reference, key, "of")
    scores = ranked.ranks if terms.which == "greatest" else -ranked.ranks
    lowest = int(scores.min(initial=0)) - 1
    notes = tuple(
        note for note in ranked.notes if note.warning or note.topic == READ_AS
    )
    scores = np.where(ranked.last, lowest, scores)
    return scores, ranked.last, ranked.findings, notes


def _chosen(terms: LookupTerms, matches: Matches, scores: Indices | None) -> Indices:
    """Return for each record the reference record that is taken, or -1."""
    found = matches.found
    hit = found >= 0
    if not hit.any() or int(matches.sizes.max()) == 1:
        return found
    if terms.which == "only":
        return np.where(hit & (matches.counts == 1), found, -1)
    if terms.which == "last":
        stand_in = last_of_group(matches.first)
    elif scores is not None:
        members = np.flatnonzero(matches.sizes[matches.first] > 1)
        stand_in = best_of_group(matches.first, members, scores[members])
    else:
        return found
    return np.where(hit, stand_in[found], -1)


def _lay_out_rows(
    terms: LookupTerms, matches: Matches, chosen: Indices
) -> tuple[Indices | None, Indices]:
    """Return the record that each result record is made of, and what it takes."""
    if terms.which != "every":
        return None, chosen
    counts = np.maximum(matches.counts, 1)
    which = np.repeat(np.arange(len(chosen)), counts)
    ends = np.cumsum(counts)
    nth = np.arange(len(which)) - np.repeat(ends - counts, counts)
    # The reference records, those with one key together and in order.
    order = np.argsort(matches.first, kind="stable")
    starts = np.zeros(len(matches.first), np.int64)
    starts[order[::-1]] = np.arange(len(order))[::-1]
    found = matches.found[which]
    if not len(order):
        return which, found
    at = order[np.minimum(starts[np.maximum(found, 0)] + nth, len(order) - 1)]
    return which, np.where(found >= 0, at, -1)


def _with_taken(
    terms: LookupTerms, table: Table, reference: Table, at: Indices, counts: Indices
) -> tuple[Table, tuple[Change, ...], tuple[Note, ...]]:
    """Put the fields that are taken into a list."""
    new: list[tuple[str, Column]] = []
    held: dict[str, Held] = dict(zip(table.headings, table.held, strict=True))
    changes: tuple[Change, ...] = ()
    headings, notes = _take_pairs(terms, reference)
    written: dict[str, Writing] = {}
    m = len(reference)

    places = np.where(at >= 0, at, np.where(counts == 0, m + 1, m))

    def cells(taken_from: tuple[str, str]) -> Column:
        theirs, heading = taken_from
        default = terms.default.get(heading, "")
        column = concat_columns([reference.cells(theirs), text_column(["", default])])
        return taken(column, places)

    columns = (mapped if len(table) > 10_000 else map)(cells, headings)
    for (theirs, heading), column in zip(headings, columns, strict=True):
        writing = UNSAID
        if m:
            writing = reference.spread_writing(theirs)
            writing = writing.pick(np.minimum(places, m - 1))
        if heading not in table.headings:
            new.append((heading, column))
            written[heading] = writing
            continue
        if terms.field_there == "refuse":
            raise BadTerms(
                f"{table.name} already has a field '{heading}'.",
                "Give it another heading, as in Rate=Tariff; or give "
                "`field-there fill` or `field-there overwrite`.",
                term="take",
            )
        was = table.cells(heading)
        put = ~blank_mask(column)
        if terms.field_there == "fill":
            put &= blank_mask(was)
        held[heading] = with_cells(was, put, filter_column(column, put))
        if put.any():
            written[heading] = _joined_ways(table.spread_writing(heading), writing, put)
        changes += changes_of(table, heading, held[heading])
    done = table.with_fields(table.headings, [held[h] for h in table.headings])
    done, _ = with_new_fields(done, new, len(table.headings), term="take")
    return done.with_writing(written), changes, notes


def _joined_ways(mine: Writing, theirs: Writing, put: Mask) -> Writing:
    """Return how a field is written of which some cells were put in from another."""
    n = len(put)
    both = Writing.concat([mine, theirs], [n, n])
    return both.pick(np.where(put, np.arange(n) + n, np.arange(n)))


def _take_pairs(
    terms: LookupTerms, reference: Table
) -> tuple[list[tuple[str, str]], tuple[Note, ...]]:
    """Return the fields that are taken: as the reference has them, and as called."""
    pairs = []
    notes: tuple[Note, ...] = ()
    for name, heading in terms.taken:
        theirs, said = find_field(reference, name, "take")
        pairs.append((theirs, theirs if heading == name else heading))
        notes += said
    return pairs, notes


def _unmatched(
    table: Table,
    reference: Table,
    pairs: Sequence[KeyPair],
    mine: Keys | None,
    theirs: Keys | None,
    banded: Banded | None,
    counts: Indices,
) -> Unmatched:
    """Return the keys that are not in the reference list at all."""
    if mine is None or theirs is None:
        return find_unmatched_keys([], np.zeros(0, np.bool_), [text_column(())])
    mask = (counts == 0) & ~mine.left_out
    if banded is not None:
        mask &= ~banded.below & ~banded.without
    return find_unmatched_keys(mine.raw, mask, theirs.raw)
