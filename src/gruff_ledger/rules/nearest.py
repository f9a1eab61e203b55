"""For a value that is not allowed, the allowed one that may have been meant."""

from __future__ import annotations

from collections.abc import Sequence

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.cells.keys.distinct import combinations
from gruff_ledger.cells.match.levels import key_at, letters
from gruff_ledger.columns.arrays import spread_column
from gruff_ledger.columns.types import Column

# A suggestion is worth giving from this likeness on, of 0 to 1.
_LEAST_LIKENESS = 0.5

# Pairs of a wrong value and an allowed one that are compared: a second's work.
_MOST_COMPARED = 5_000_000


def nearest_values(
    column: Column,
    allowed: Sequence[str] | Column,
    per: Sequence[Column] = (),
    allowed_per: Sequence[Column] = (),
    level: str = "exact",
) -> Column:
    """
    Return for each cell the allowed value most like it.

    Parameters
    ----------
    column : Column, n cells
        Values that are not allowed.
    allowed : sequence of str, or Column of m cells
    per : sequence of Column, n cells each
        Other cells of the records, that the values allowed depend on.
    allowed_per : sequence of Column, m cells each
        The same of the values allowed.
    level : str
        At which the cells of `per` match.

    Returns
    -------
    Column, n cells
        Blank where no value is much like the cell, and where there are so many that
        comparing them all would take long.
    """
    values = allowed if isinstance(allowed, Sequence) else allowed.to_pylist()
    # An order within, and no value twice.
    groups: dict[tuple[str | None, ...], dict[str, None]] = {}
    others = zip(*(each.to_pylist() for each in allowed_per), strict=True)
    keys = list(others) if allowed_per else [()] * len(values)
    for value, key in zip(values, keys, strict=True):
        if not is_blank(value):
            folded = tuple(key_at(level, each) for each in key)
            groups.setdefault(folded, {})[value] = None
    # Case and accents count for nothing: what differs in them alone is nearest.
    bare = {key: [letters(each) for each in group] for key, group in groups.items()}
    wrong, codes = combinations([column, *per])
    left = _MOST_COMPARED
    found = []
    for value, *others_of_it in wrong:
        key_of_it = tuple(key_at(level, each) for each in others_of_it)
        choices = bare.get(key_of_it, ())
        left -= len(choices)
        at = _nearest(letters(value), choices) if left >= 0 else None
        found.append("" if at is None else list(groups[key_of_it])[at])
    return spread_column(found, codes)


def _nearest(text: str, choices: Sequence[str]) -> int | None:
    """Return the position of the choice most like a text, the first of equals."""
    from rapidfuzz import process
    from rapidfuzz.distance import DamerauLevenshtein

    if text.isdecimal():
        # One figure of two makes another number: that is no likeness.
        choices = [each if len(each) == len(text) > 2 else "" for each in choices]
    found = process.extractOne(
        text,
        choices,
        scorer=DamerauLevenshtein.normalized_similarity,
        score_cutoff=_LEAST_LIKENESS,
    )
    return None if found is None else found[2]
