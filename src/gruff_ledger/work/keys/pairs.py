"""Keys that two lists share: which field of one is which of the other, and at a level.

Written ``Boat``, or ``Boat=Vessel`` where the other list calls it so, each with
``AS LOOSE`` and the like where wanted.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.keys.pairs import Between, found_in
from gruff_ledger.cells.match.folded_fields import folded, without_key
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import find_field, parse_pair
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.table import Table
from gruff_ledger.work.keys.fields import KeyField, key_words, parse_key_fields
from gruff_ledger.work.keys.looser import looser_levels
from gruff_ledger.written.match import key_columns


class KeyPair(NamedTuple):
    """A key field by its headings in both lists, and the level to match at."""

    mine: str
    theirs: str
    level: str


class Keys(NamedTuple):
    """
    The key of n records, ready to be compared.

    Attributes
    ----------
    raw : list of Column
        The key fields as they are.
    plain : list of Column
        The same, with numbers and dates in the plain form where keys match by them.
    folded : list of Column
        Equal where the cells match.
    left_out : ndarray of bool, shape (n,)
        Records that match nothing.
    notes : tuple of Note
        How fields were read.
    """

    raw: list[Column]
    plain: list[Column]
    folded: list[Column]
    left_out: Mask
    notes: tuple[Note, ...] = ()


def parse_key_pairs(
    items: Sequence[str], term: str
) -> tuple[tuple[str, KeyField], ...]:
    """
    Read keys of two lists.

    Returns
    -------
    tuple of (str, KeyField)
        The name in the first list, and the field of the other with its level.

    Raises
    ------
    BadTerms
        If one cannot be read.

    Examples
    --------
    >>> parse_key_pairs(["Boat=Vessel AS LOOSE", "Berth"], "key")[0][0]
    'Boat'
    """
    pairs = []
    with said_by(term):
        for item in items:
            mine, theirs = parse_pair(item)
            (field,) = parse_key_fields([theirs], term)
            if field.weight is not None:
                raise BadTerms(
                    f"'{item}' has a weight, and no likeness is worked out here.",
                    "Leave the weight out.",
                )
            pairs.append((field.name if mine == item else mine, field))
    return tuple(pairs)


def find_key_pairs(
    items: Sequence[str], table: Table, other: Table, match: str, term: str
) -> tuple[tuple[KeyPair, ...], tuple[Note, ...]]:
    """
    Find the key fields in both lists.

    Raises
    ------
    UnknownField
        If a list has not the field.
    BadTerms
        If a field is named twice.
    """
    found: list[KeyPair] = []
    notes: tuple[Note, ...] = ()
    for mine, field in parse_key_pairs(items, term):
        heading, said = find_field(table, mine, term)
        theirs, more = find_field(other, field.name, term)
        if any(heading == each.mine or theirs == each.theirs for each in found):
            raise BadTerms(
                f"the field '{heading}' is named twice.", "Name it once.", term=term
            )
        found.append(KeyPair(heading, theirs, field.level or match))
        notes += said + more
    return tuple(found), notes


def keys_of(
    table: Table,
    headings: Sequence[str],
    levels: Sequence[str],
    *,
    whole: bool = False,
) -> Keys:
    """Return the keys of a list's records; see `key_columns`."""
    raw = [table.cells(heading) for heading in headings]
    plain, notes = key_columns(table, headings, levels, whole=whole)
    leveled = zip(plain, levels, strict=True)
    ready = [folded(column, level) for column, level in leveled]
    return Keys(raw, plain, ready, without_key(plain, levels), notes)


def match_keys(mine: Keys, theirs: Keys) -> Between:
    """Find the keys of one list among those of the other."""
    return found_in(mine.folded, theirs.folded, mine.left_out, theirs.left_out)


def loose_matches(mine: Keys, theirs: Keys, levels: Sequence[str], open_: Mask) -> int:
    """
    Count the records that would match at the level `loose` and do not as it is.

    Parameters
    ----------
    mine, theirs : Keys
    levels : sequence of str
    open_ : ndarray of bool, shape (n,)
        Records of the first list that match nothing, and have a key.
    """
    if "exact" not in levels or not open_.any():
        return 0
    looser = looser_levels(levels)
    raw = [filter_column(column, open_) for column in mine.plain]
    few = [folded(column, level) for column, level in zip(raw, looser, strict=True)]
    others = [
        folded(column, level)
        for column, level in zip(theirs.plain, looser, strict=True)
    ]
    pairs = zip([*few, *others], [*raw, *theirs.plain], strict=True)
    if all(one is other for one, other in pairs):
        return 0
    # The few are put in the table, and the many ask: that is less to put in it.
    found, first = found_in(others, few, theirs.left_out)
    is_found = np.zeros(len(first), np.bool_)
    is_found[found[found >= 0]] = True
    return int(np.count_nonzero(is_found[first]))


def pair_words(pairs: Sequence[KeyPair]) -> str:
    """Write the keys for a message, as the first list calls them."""
    return key_words([KeyField(each.mine, each.level, None) for each in pairs])


def key_texts(columns: Sequence[Column], records: Indices) -> list[str]:
    """Return the keys of a few records as they are shown."""
    from gruff_ledger.columns.arrays import taken

    cells = [taken(column, records).to_pylist() for column in columns]
    return [" / ".join(each) for each in zip(*cells, strict=True)]
