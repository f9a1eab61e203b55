"""How the keys of two lists meet, both ways, before anything is done by them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.cells.keys.same_key import group_sizes
from gruff_ledger.columns.types import Indices
from gruff_ledger.field_names import free_heading
from gruff_ledger.outcome import Note
from gruff_ledger.table import Table
from gruff_ledger.work.keys.pairs import (
    KeyPair,
    Keys,
    loose_matches,
    match_keys,
    pair_words,
)

_WHAT = "what is counted"


def check_both_ways(
    table: Table,
    other: Table,
    pairs: Sequence[KeyPair],
    mine: Keys,
    theirs: Keys,
) -> tuple[Table, tuple[Note, ...]]:
    """
    Count how the keys of two lists meet.

    Parameters
    ----------
    table, other : Table
    pairs : sequence of KeyPair
    mine, theirs : Keys
        Of both.

    Returns
    -------
    table : Table
        A record for each thing that is counted, with a number for each list.
    notes : tuple of Note
    """
    levels = [pair.level for pair in pairs]
    there, back = match_keys(mine, theirs), match_keys(theirs, mine)
    first, other_first = back.first, there.first
    ones = _counts(mine, there.found, first, other_first)
    others = _counts(theirs, back.found, other_first, first)
    open_ = (there.found < 0) & ~mine.left_out
    other_open = (back.found < 0) & ~theirs.left_out
    ones["records found only loosely"] = loose_matches(mine, theirs, levels, open_)
    others["records found only loosely"] = loose_matches(
        theirs, mine, levels, other_open
    )
    headings = [_WHAT, table.name]
    headings.append(free_heading(other.name, headings))
    rows = [(what, str(ones[what]), str(others[what])) for what in ones]
    result = Table.of_records(headings, rows, name="how the keys meet")
    found, several = ones["records found there"], ones["records found several times"]
    said = f"By {pair_words(pairs)}, {found} of {len(table)} records would be found in "
    said += f"{other.name}, {several} of them several times. Nothing was filled in."
    return result, (Note(said),)


def _counts(
    keys: Keys, found: Indices, first: Indices, other_first: Indices
) -> dict[str, int]:
    """Count what is known of one list's keys."""
    has = ~keys.left_out
    is_head = (first == np.arange(len(first))) & has
    hit = found >= 0
    sizes = np.bincount(other_first, minlength=max(1, len(other_first)))
    repeated = has & (group_sizes(first) > 1) if len(first) else has
    return {
        "records": len(first),
        "records with a blank key": int(np.count_nonzero(~has)),
        "distinct keys": int(np.count_nonzero(is_head)),
        "keys that occur more than once": int(np.count_nonzero(is_head & repeated)),
        "keys found there": int(np.count_nonzero(is_head & hit)),
        "keys not found there": int(np.count_nonzero(is_head & ~hit)),
        "records found there": int(np.count_nonzero(hit)),
        "records found several times": int(
            np.count_nonzero(sizes[found[hit]] > 1) if hit.any() else 0
        ),
        "records not found there": int(np.count_nonzero(has & ~hit)),
    }
