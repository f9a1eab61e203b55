"""Lists about the same things: records with one key become one record.

The record of the first list that has the key stays and takes cells from the others, as
precedence says; those are set aside, with the record they went into.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from msgspec import structs

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.distinct import with_cells
from gruff_ledger.cells.keys.same_key import first_at_levels, group_sizes, unlike
from gruff_ledger.cells.match.folded_fields import folding, without_key
from gruff_ledger.columns.arrays import (
    filter_column,
    spread_column,
    taken,
    text_column,
    unequal,
)
from gruff_ledger.columns.pending import column_of
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.outcome import Change, Finding, Note, Outcome, SetAside, Severity
from gruff_ledger.table import Table, Writing
from gruff_ledger.words import counted, first_few
from gruff_ledger.work.keys.fields import (
    KeyField,
    find_key_fields,
    key_words,
    parse_key_fields,
)
from gruff_ledger.work.keys.groups import ways_of_moved
from gruff_ledger.work.keys.looser import count_more_repeats, loose_note, looser_levels
from gruff_ledger.work.orders import ordering, parse_order
from gruff_ledger.work.review.decisions import Recognised, read_decisions, recognise
from gruff_ledger.work.review.questions import Question, Questions
from gruff_ledger.work.together.merge.tell import (
    CHANGED,
    MISSING,
    NEW,
    STATUS,
    UNTOUCHED,
    KeyedGroups,
    Stacked,
    names_of_lists,
    note_on_updates,
    notes_on_questions,
    notes_on_repeated,
    notes_on_status,
    status_column,
)
from gruff_ledger.work.together.merge.terms import MergeTerms
from gruff_ledger.written.match import key_columns

# Values of a conflict that a message names.
_NAMED_VALUES = 5


def merge_by_key(
    terms: MergeTerms, stacked: Stacked, files: Mapping[str, bytes | None]
) -> Outcome:
    """
    Make one record of those with the same key.

    Parameters
    ----------
    terms : MergeTerms
    stacked : Stacked
    files : mapping
        What is in the file of decisions, by its path.

    Returns
    -------
    Outcome
        Its detail is `Questions`: the values that lists differ in. Beside its table:
        records that are new, changed and missing, as seen from the first list.

    Raises
    ------
    UnknownField
        If a field is named that no list has.
    BadTerms
        If decisions or dates cannot be read.
    """
    table = stacked.table
    fields, notes = find_key_fields(table, parse_key_fields(terms.key, "key"), "key")
    groups, said, findings = _groups(terms, stacked, fields)
    notes += said
    decided = Recognised([], [], [], [])
    if terms.decisions is not None:
        known = read_decisions(terms.decisions, files.get(terms.decisions))
        decided = recognise(table, known)
    keys = [field.name for field in fields]
    done = _resolve_conflicts(terms, stacked, groups, keys, decided)
    is_head = groups.first == np.arange(len(table))
    status = status_column(stacked, groups, done.changed)
    result = done.table
    if terms.name_source is not None:
        names = names_of_lists(stacked, groups.first)
        result = result.with_field(terms.name_source, names)
        source = result.from_source | {terms.name_source}
        result = structs.replace(result, from_source=source)
    if terms.status is not None:
        result = result.with_field(terms.status, spread_column(STATUS, status))
    aside: tuple[SetAside, ...] = ()
    if not is_head.all():
        reason = (
            f"merged into the record with the same {key_words(fields, terms.match)}"
        )
        kept = table.origin.pick(groups.first[~is_head])
        aside = (SetAside(reason, table.keep_records(~is_head), kept),)
        result = result.keep_records(is_head)
    mine = status[is_head]
    notes += notes_on_status(terms, stacked, groups, mine)
    notes += notes_on_questions(terms, done.questions, decided)
    return Outcome(
        result,
        aside,
        done.changes,
        findings + done.findings,
        notes,
        detail=Questions(table, done.questions, terms.decisions or "", ()),
        beside={
            key: lambda which=which: result.keep_records(mine == which)  # type: ignore[misc]
            for key, which in (
                ("new", NEW),
                ("changed", CHANGED),
                ("untouched", UNTOUCHED),
                ("missing", MISSING),
            )
        },
    )


def _groups(
    terms: MergeTerms, stacked: Stacked, fields: Sequence[KeyField]
) -> tuple[KeyedGroups, tuple[Note, ...], tuple[Finding, ...]]:
    table = stacked.table
    levels = [field.level or terms.match for field in fields]
    columns, read = key_columns(table, [field.name for field in fields], levels)
    blank = without_key(columns, levels)
    first, alike = first_at_levels(
        columns,
        [folding(level) for level in levels],
        [folding(level) for level in looser_levels(levels)],
        blank,
        most_repeat=True,
    )
    notes: list[Note] = list(read)
    if blank.any():
        number = counted(int(blank.sum()), "record is", "records are")
        notes.append(
            Note(
                f"{number} merged with no other, with a blank in a key field.",
                "",
                table.origin.pick(blank),
                warning=True,
            )
        )
    more = count_more_repeats(first, alike)
    notes += loose_note(more, "has", "have", "the key of another")
    notes += notes_on_repeated(stacked, first, key_words(fields, terms.match))
    members = np.flatnonzero(group_sizes(first) > 1)
    ranks, findings, said_of = _precedence(terms, stacked, members)
    members = _by_group(members, first, ranks)
    starts = np.ones(len(members), np.bool_)
    starts[1:] = first[members[1:]] != first[members[:-1]]
    at = np.flatnonzero(starts)
    groups = KeyedGroups(first, members, at, np.arange(len(at)))
    return groups, (*notes, *said_of), findings


def _by_group(members: Indices, first: Indices, ranks: Indices) -> Indices:
    """Order records by group, in it by rank, and then as they stand."""
    heads = first[members]
    is_head = heads == members
    if 2 * np.count_nonzero(is_head) == len(members) and (np.diff(ranks) >= 0).all():
        # Two of each key, as where each list has it once: each pair has its place.
        ordered = np.empty(len(members), np.int64)
        ordered[0::2] = members[is_head]
        places = np.cumsum(is_head) - 1
        place_of = np.empty(len(first), np.int64)
        place_of[members[is_head]] = places[is_head]
        ordered[1 + 2 * place_of[heads[~is_head]]] = members[~is_head]
        return ordered
    by = heads * (int(ranks.max(initial=0)) + 1) + ranks
    return members[np.argsort(by, kind="stable")]


def _precedence(
    terms: MergeTerms, stacked: Stacked, members: Indices
) -> tuple[Indices, tuple[Finding, ...], tuple[Note, ...]]:
    """Return the rank of some records: of those with one key the least stands."""
    lists = stacked.list_of[members]
    if terms.update:
        # The later an update, the newer; the first list comes last.
        count = len(stacked.names)
        return np.where(lists == 0, count, count - lists), (), note_on_updates(stacked)
    if terms.of is None:
        return lists, (), ()
    (key,) = parse_order(terms.of, "of")
    _, ranked = ordering(stacked.table, key._replace(way=key.way or "date"), "of")
    dates = ranked.ranks[members]
    dates = np.where(ranked.last[members], int(dates.min(initial=0)) - 1, dates)
    # The newest first; of equal ones that of the earlier list.
    order = np.lexsort((lists, -dates))
    ranks = np.empty(len(members), np.int64)
    ranks[order] = np.arange(len(members))
    return ranks, ranked.findings, ranked.notes


class _Resolved(NamedTuple):
    """The list with its cells settled, and what that changed."""

    table: Table
    changes: tuple[Change, ...]
    findings: tuple[Finding, ...]
    questions: tuple[Question, ...]
    changed: Mask


def _resolve_conflicts(
    terms: MergeTerms,
    stacked: Stacked,
    groups: KeyedGroups,
    keys: Sequence[str],
    decided: Recognised,
) -> _Resolved:
    """Settle the cells of the records that stay."""
    table = stacked.table
    held = dict(zip(table.headings, table.held, strict=True))
    changes: list[Change] = []
    findings: list[Finding] = []
    questions: list[Question] = []
    changed = np.zeros(len(table), np.bool_)
    written: dict[str, Writing] = {}
    followers = np.flatnonzero(groups.first != np.arange(len(table)))
    place_of = np.full(len(table), -1, np.int64)
    place_of[groups.heads] = np.arange(len(groups.starts))
    for heading in table.headings if len(followers) else ():
        if heading in keys:
            continue
        decided_here = {
            int(place_of[groups.first[one]]): value
            for one, other, field, value in decided.values
            if field == heading
            and groups.first[one] == groups.first[other]
            and place_of[groups.first[one]] >= 0
        }
        # Where all members have the same cell, it stands, and nothing is in question.
        column = table.cells(heading)
        heads_of = groups.first[followers]
        differ = unlike(column, followers, heads_of)
        wanted = np.zeros(len(groups.starts), np.bool_)
        wanted[place_of[heads_of[differ]]] = True
        wanted[list(decided_here)] = True
        if not wanted.any():
            continue
        some = groups.picked(wanted)
        places = np.cumsum(wanted) - 1
        chosen = {int(places[at]): value for at, value in decided_here.items()}
        heads = some.heads
        lists = stacked.list_of[some.members]
        cells = taken(column, some.members)
        has = stacked.has[heading][lists]
        filled = has & ~blank_mask(cells)
        stands = filled
        if terms.precedence in ("list", "newest") and not terms.update:
            stands = has
        winners = _first_marked(stands, some)
        now = taken(cells, np.maximum(winners, 0))
        put = winners >= 0
        was = taken(column, heads)
        if chosen:
            texts = now.to_pylist()
            for group, value in chosen.items():
                texts[group] = value
                put[group] = True
            now = text_column(texts)
        differs = put & unequal(was, now)
        if differs.any():
            mask = np.zeros(len(table), np.bool_)
            mask[heads[differs]] = True
            order = np.argsort(heads[differs])
            new = taken(filter_column(now, differs), order)
            old = taken(filter_column(was, differs), order)
            changes.append(Change(heading, table.origin.pick(mask), old, new))
            held[heading] = with_cells(column_of(held[heading]), mask, new)
            moved = np.flatnonzero(mask).tolist()
            values = dict(zip(moved, new.to_pylist(), strict=True))
            written |= ways_of_moved(table, heading, groups.first, values)
            changed |= mask
        asked = filled & (lists > 0) if terms.update else filled
        finding, open_ = _conflicts(heading, table, some, cells, asked, winners, chosen)
        findings += finding
        questions += open_
    result = table.with_fields(table.headings, [held[h] for h in table.headings])
    result = result.with_writing(written)
    questions.sort(key=lambda each: each.group)
    return _Resolved(result, tuple(changes), tuple(findings), tuple(questions), changed)


def _first_marked(marked: Mask, groups: KeyedGroups) -> Indices:
    """Return for each group the place of its first marked member, or -1."""
    places = np.where(marked, np.arange(len(marked)), len(marked))
    first: Indices = np.minimum.reduceat(places, groups.starts)
    return np.where(first < len(marked), first, -1)


def _conflicts(
    heading: str,
    table: Table,
    groups: KeyedGroups,
    cells: Column,
    asked: Mask,
    winners: Indices,
    chosen: Mapping[int, str],
) -> tuple[list[Finding], list[Question]]:
    """Return what is found where filled cells of one key differ, and the questions."""
    group_of = groups.group_of
    # Who differs from the first that is asked of its group, is in conflict with it.
    first = _first_marked(asked, groups)[group_of]
    differs = asked & (first >= 0)
    differs[differs] = unequal(
        filter_column(cells, differs), taken(cells, first[differs])
    )
    in_conflict = np.flatnonzero(np.bincount(group_of[differs])).tolist()
    open_ = np.array([each for each in in_conflict if each not in chosen], np.int64)
    if not len(open_):
        return [], []
    ends = np.append(groups.starts[1:], len(groups.members))
    is_open = np.isin(group_of, open_)
    # Only the cells of these groups are looked at as texts.
    some = np.flatnonzero(is_open)
    texts_of = dict(zip(some.tolist(), taken(cells, some).to_pylist(), strict=True))
    said, stands, questions = [], [], []
    for number in open_.tolist():
        inside = range(int(groups.starts[number]), int(ends[number]))
        mine = [at for at in inside if asked[at]]
        winner = int(winners[number])
        # What stands is named first.
        there = texts_of[winner] if winner >= 0 else ""
        texts = dict.fromkeys([there, *(texts_of[at] for at in mine)])
        others = [f"'{text}'" for text in texts if text != there]
        also = first_few(others, _NAMED_VALUES)
        said.append(f"{heading} differs: '{there}' is kept; also {also}.")
        stands.append(there)
        choices = tuple(text for text in texts if text.strip())
        one, other = groups.members[mine[0]], groups.members[mine[1]]
        group = int(groups.numbers[number]) + 1
        questions.append(
            Question(group, int(one), int(other), field=heading, values=choices)
        )
    heads = groups.heads[open_]
    finding = Finding(
        f"lists agree in {heading}",
        Severity.WARN,
        f"{heading} differs among the lists.",
        heading,
        table.origin.pick(heads),
        text_column(stands),
        text_column(said),
    )
    return [finding], questions
