"""What `compare` does."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from gruff_ledger.cells.keys.pairs import occurrences
from gruff_ledger.cells.match.folded_fields import folded
from gruff_ledger.cells.match.levels import loose
from gruff_ledger.columns.arrays import (
    concat_columns,
    number_column,
    spread_column,
    taken,
    text_column,
    unequal,
)
from gruff_ledger.columns.threads import map_whole
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import expand_names, find_field, free_heading, parse_pair
from gruff_ledger.outcome import Lineage, Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.keys.looser import loose_note
from gruff_ledger.work.keys.pairs import (
    KeyPair,
    Keys,
    find_key_pairs,
    keys_of,
    loose_matches,
    match_keys,
)
from gruff_ledger.work.together.compare.tell import (
    ONLY_FIRST,
    SAME,
    WAS,
    ComparedField,
    Pairs,
    findings_on,
    list_pairs,
    notes_on,
    numbers_of_fields,
)
from gruff_ledger.work.together.compare.terms import CompareTerms
from gruff_ledger.written.match import key_columns


def perform(terms: CompareTerms, *tables: Table) -> Outcome:
    """
    Compare two lists.

    Parameters
    ----------
    terms : CompareTerms
    *tables : Table
        Two: the first as it was, the second as it is now.

    Returns
    -------
    Outcome
        Its table says what differs; the cells that changed are findings of severity
        note, on the records of the second list.

    Raises
    ------
    BadTerms
        If there are not two lists, or they have no field in common.
    UnknownField
        If a list has not a field that is named.
    """
    if len(tables) != 2:
        raise BadTerms(
            f"two lists are compared, and {counted(len(tables), 'is', 'are')} named.",
            "Name the list as it was, then the list as it is now.",
        )
    one, other = tables
    pairs, notes = find_key_pairs(terms.key, one, other, terms.match, "key")
    named, said = _choose_compared_fields(terms, one, other, pairs)
    notes += said
    if not pairs:
        pairs = tuple(KeyPair(a, b, terms.cells) for a, b in named)
        named = []
    levels = [pair.level for pair in pairs]
    mine = _keys(one, [pair.mine for pair in pairs], levels, terms)
    theirs = _keys(other, [pair.theirs for pair in pairs], levels, terms)
    matched = _pair_records(mine, theirs)
    hit = matched.partner >= 0
    records, partners = np.flatnonzero(hit), matched.partner[hit]
    # Each thread compares a field of its own.
    differing = map_whole(
        lambda pair: _differs(one, other, *pair, records, partners, terms.cells), named
    )
    fields = [
        ComparedField(a, b, differs)
        for (a, b), differs in zip(named, differing, strict=True)
    ]
    changed = np.zeros(len(records), np.bool_)
    for field in fields:
        changed |= field.differs
    status = np.full(len(one), ONLY_FIRST, np.int64)
    status[records] = np.where(changed, WAS, SAME)
    notes += notes_on(terms, one, other, pairs, mine, theirs, matched, changed, fields)
    if terms.key:
        open_ = ~hit & ~mine.left_out
        more = loose_matches(mine, theirs, levels, open_)
        notes += loose_note(more, "has", "have", f"a match in {other.name}")

    def changes() -> Table:
        return _changes(one, other, pairs, fields, records, partners)

    made: dict[str, Callable[[], Table]] = {
        "list": lambda: list_pairs(terms, one, other, status, matched, fields, records),
        "changes": changes,
        "numbers": lambda: numbers_of_fields(
            one, other, mine, theirs, matched, changed, fields
        ),
    }
    return Outcome(
        made[terms.give](),
        findings=findings_on(one, other, fields, records, partners),
        notes=notes,
        beside={
            "only-first": lambda: one.keep_records(~hit),
            "only-second": lambda: other.keep_records(matched.lonely),
            "changed": changes,
        },
        lineage=Lineage(summed=len(one) + len(other)),
    )


def _choose_compared_fields(
    terms: CompareTerms, one: Table, other: Table, pairs: Sequence[KeyPair]
) -> tuple[list[tuple[str, str]], tuple[Note, ...]]:
    """Return the fields to compare, by their headings in both lists."""
    notes: tuple[Note, ...] = ()
    left: list[str] = []
    for name in expand_names(one.headings, terms.apart_from):
        heading, said = find_field(one, name, "apart-from")
        left.append(heading)
        notes += said
    keys = {pair.mine for pair in pairs}
    found: list[tuple[str, str]] = []
    if terms.fields:
        pairs_named = [
            (name, name) if mine == theirs == item else (mine, theirs)
            for item in terms.fields
            for mine, theirs in (parse_pair(item),)
            for name in (
                expand_names(one.headings, (item,)) if mine == theirs == item else ("",)
            )
        ]
        for mine, theirs in pairs_named:
            mine, said = find_field(one, mine, "fields")
            theirs, more = find_field(other, theirs, "fields")
            found.append((mine, theirs))
            notes += said + more
        return [each for each in found if each[0] not in left], notes
    folded_headings: dict[str, str] = {}
    for heading in other.headings:
        folded_headings.setdefault(loose(heading), heading)
    taken_there = {pair.theirs for pair in pairs}
    without = []
    for heading in one.headings:
        if heading in keys:
            continue
        theirs = heading
        if not other.has_field(heading):
            theirs = folded_headings.get(loose(heading), "")
        if not theirs or theirs in taken_there:
            without.append(heading)
            continue
        taken_there.add(theirs)
        if heading not in left:
            found.append((heading, theirs))
    for name, lacking, headings in (
        (one.name, other.name, without),
        (
            other.name,
            one.name,
            [each for each in other.headings if each not in taken_there],
        ),
    ):
        if headings:
            words = ", ".join(f"'{heading}'" for heading in headings)
            notes += (
                Note(
                    f"Not compared, as {lacking} does not have them: {words} of "
                    f"{name}.",
                    "To compare a field with one of another heading, write "
                    "Length=Long in `fields`.",
                ),
            )
    if not found and not pairs:
        raise BadTerms(
            f"{one.name} and {other.name} have no field in common.",
            "Name the fields in `key`, as in Boat=Vessel.",
        )
    return found, notes


def _keys(
    table: Table, headings: Sequence[str], levels: Sequence[str], terms: CompareTerms
) -> Keys:
    keys = keys_of(table, headings, levels, whole=not terms.key)
    if terms.key:
        return keys
    # As whole records blanks equal blanks, and what is no number its like.
    ready = [
        folded(column, level, or_text=True)
        for column, level in zip(keys.plain, levels, strict=True)
    ]
    return keys._replace(folded=ready, left_out=np.zeros(len(table), np.bool_))


def _pair_records(mine: Keys, theirs: Keys) -> Pairs:
    """Pair records with the same key, in order where there are several."""
    found, other_first = match_keys(mine, theirs)
    m = len(other_first)
    hit = found >= 0
    # How many records of each list have the key of each record of the second.
    askers = np.bincount(found[hit], minlength=m)
    sizes = np.bincount(other_first, minlength=m)
    several = (askers > 1) | ((sizes > 1) & (askers > 0))
    partner = found
    again = other_again = np.zeros(0, np.int64)
    if several.any():
        asking = np.flatnonzero(hit & several[np.maximum(found, 0)])
        theirs_too = np.flatnonzero(several[other_first])
        nth, other_nth = (
            occurrences(first) for first in (found[asking], other_first[theirs_too])
        )
        again, other_again = asking[nth > 0], theirs_too[other_nth > 0]
        # The records of the second list, those with one key together and in order.
        order = theirs_too[np.argsort(other_first[theirs_too], kind="stable")]
        starts = np.zeros(m, np.int64)
        starts[other_first[order[::-1]]] = np.arange(len(order))[::-1]
        key = found[asking]
        places = np.minimum(starts[key] + nth, len(order) - 1)
        partner = found.copy()
        partner[asking] = np.where(nth < sizes[key], order[places], -1)
    lonely = np.ones(m, np.bool_)
    lonely[partner[partner >= 0]] = False
    return Pairs(partner, lonely, (again, other_again))


def _differs(
    one: Table,
    other: Table,
    mine: str,
    theirs: str,
    records: Indices,
    partners: Indices,
    level: str,
) -> Mask:
    a = one.cells(mine)
    if 2 * len(records) < len(one):
        a, b = taken(a, records), taken(other.cells(theirs), partners)
        differs = unequal(a, b)
    else:
        # To compare a few in vain is less work than to take out the others.
        at = np.zeros(len(one), np.int64)
        at[records] = partners
        b = taken(other.cells(theirs), at)
        differs = unequal(a, b)[records]
    if level == "exact" or not differs.any():
        return differs
    # Only what is not the same to the character is looked at further.
    places = np.flatnonzero(differs)
    (first,), _ = key_columns(one, [mine], [level], whole=True)
    (second,), _ = key_columns(other, [theirs], [level], whole=True)
    a, b = taken(first, records[places]), taken(second, partners[places])
    differs[places] = unequal(*(folded(each, level, or_text=True) for each in (a, b)))
    return differs


def _changes(
    one: Table,
    other: Table,
    pairs: Sequence[KeyPair],
    fields: Sequence[ComparedField],
    records: Indices,
    partners: Indices,
) -> Table:
    """Return a record for each cell that changed, record by record."""
    counts = [int(np.count_nonzero(field.differs)) for field in fields]
    which = [np.flatnonzero(field.differs) for field in fields]
    places = np.concatenate([*which, np.zeros(0, np.int64)])
    numbers = np.repeat(np.arange(len(fields)), counts)
    order = np.lexsort((numbers, places))
    mine, theirs = records[places][order], partners[places][order]
    was = concat_columns(
        [
            taken(one.cells(field.mine), records[at])
            for field, at in zip(fields, which, strict=True)
        ]
        or [text_column(())]
    )
    now = concat_columns(
        [
            taken(other.cells(field.theirs), partners[at])
            for field, at in zip(fields, which, strict=True)
        ]
        or [text_column(())]
    )
    keys = [pair.mine for pair in pairs] if fields else []
    headings: list[str] = list(keys)
    before, now_at = _numbered(one, mine), _numbered(other, theirs)
    for own in ("field", "was", "now", f"{before[0]} before", f"{now_at[0]} now"):
        headings.append(free_heading(own, headings))
    return Table(
        tuple(headings),
        (
            *(taken(one.cells(heading), mine) for heading in keys),
            spread_column([field.mine for field in fields] or [""], numbers[order]),
            taken(was, order),
            taken(now, order),
            before[1],
            now_at[1],
        ),
        # That of the list before: findings are on the records of the other.
        one.origin.pick(mine),
        "changes",
    )


def _numbered(table: Table, at: Indices) -> tuple[str, Column]:
    """Return the rows of some records, as their source shows them, or their numbers."""
    numbers = table.places.record[at]
    if table.heading_row is None:
        return "record", number_column(numbers)
    return "row", number_column(numbers + table.heading_row)
