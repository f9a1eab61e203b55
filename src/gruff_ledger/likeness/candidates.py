"""Pairs of records worth comparing, found without comparing all.

Records that share something are put in blocks: a field in its words sorted, its
beginning, its end, its longest words; one field alone, where few share it, and two
fields together. One slip leaves the beginning or the end of a cell as it was, and most
copies have fields without one. Blocks of many records tell nothing and are passed over.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.keys.distinct import distinct
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.likeness.words import words_of

# A block of more records than this is passed over.
_LARGEST_BLOCK = 12

# Records looked at on either side of each, in the order of their one field.
_WINDOW = 6

# How much of a cell is its beginning or its end.
_LEAST_PART, _MOST_PART = 3, 6

# A pair of records that share fewer things is passed over, where fields are many.
_LEAST_SHARED = 2

# What two fields should tell beyond what it takes to tell all records apart.
_MORE_BITS = 1.0

# In more fields than this, only the most telling ones are combined.
_MOST_COMBINED = 8

_NONE = -1


class Pairs(NamedTuple):
    """Pairs of records by their indices, the first less than the second."""

    one: Indices
    other: Indices


class _Signs(NamedTuple):
    """
    Numbers for what the cells of a field share; -1 for nothing.

    Attributes
    ----------
    strong : list of ndarray of int64, shape (n,)
        All words sorted, the beginning, the end.
    single : list of ndarray of int64, shape (n,)
        The longest word and the next.
    bits : float
        How well the field tells records apart; see `information`.
    """

    strong: list[Indices]
    single: list[Indices]
    bits: float


def candidates(columns: Sequence[Column]) -> Pairs:
    """
    Return the pairs of records worth comparing.

    Parameters
    ----------
    columns : sequence of Column, n cells each
        The fields to be compared.

    Returns
    -------
    Pairs
        In order, each once.
    """
    n = len(columns[0])
    signs = sorted((_signs_of(column) for column in columns), key=lambda s: -s.bits)
    blocks = list(_sharing(signs, n))
    if len(signs) == 1:
        blocks.append(_neighbours(columns[0]))
    found = np.concatenate([np.zeros(0, np.int64), *blocks])
    found.sort()
    starts = np.flatnonzero(np.concatenate([[True], found[1:] != found[:-1]]))
    times = np.diff(np.append(starts, len(found)))
    # Copies share many things; who shares but one, does so by chance.
    least = _LEAST_SHARED if len(signs) > 2 else 1
    found = found[starts[: len(times)][times >= least]]
    return Pairs(found // max(n, 1), found % max(n, 1))


def _signs_of(column: Column) -> _Signs:
    values, codes = distinct(column)
    known: dict[str, int] = {}
    rows = np.full((len(values), 5), _NONE, np.int64)
    for place, value in enumerate(values):
        words = words_of(value)
        if not words:
            continue
        compact = "".join(sorted(words))
        part = min(max(_LEAST_PART, len(compact) // 2), _MOST_PART)
        longest = sorted(words, key=len, reverse=True)[:2]
        said = [compact, f"<{compact[:part]}", f"{compact[-part:]}>", *longest]
        for number, text in enumerate(said):
            rows[place, number] = known.setdefault(text, len(known))
    spread = rows[codes] if len(values) else rows
    strong = [spread[:, number].copy() for number in range(3)]
    single = [spread[:, number].copy() for number in (3, 4)]
    blank = np.array([not words_of(value) for value in values], np.bool_)
    return _Signs(strong, single, information(codes, blank))


def _sharing(signs: Sequence[_Signs], n: int) -> Iterator[Indices]:
    """Yield pairs of records as one number each, block by block."""
    for sign in signs:
        for codes in (*sign.strong, *sign.single):
            yield _within_blocks(codes, n)
    # Where two fields together do not tell records apart, who shares them does so by
    # chance; unless there is nothing better.
    pairs = list(combinations(signs[:_MOST_COMBINED], 2))
    enough = min(
        np.log2(max(n, 2)) + _MORE_BITS,
        max((one.bits + other.bits for one, other in pairs), default=0.0),
    )
    for one, other in pairs:
        if one.bits + other.bits < enough:
            continue
        for a in one.strong:
            for b in other.strong:
                both = a * (int(b.max(initial=0)) + 1) + b
                both[(a == _NONE) | (b == _NONE)] = _NONE
                yield _within_blocks(both, n)


def _within_blocks(codes: Indices, n: int) -> Indices:
    """Return the pairs of records with the same number."""
    order = np.argsort(codes, kind="stable")
    order = order[np.searchsorted(codes[order], 0) :]
    ordered = codes[order]
    starts = np.flatnonzero(np.concatenate([[True], ordered[1:] != ordered[:-1]]))
    sizes = np.diff(np.append(starts, len(ordered)))
    good = np.repeat((sizes > 1) & (sizes <= _LARGEST_BLOCK), sizes)
    order, ordered = order[good], ordered[good]
    parts = [np.zeros(0, np.int64)]
    for step in range(1, _LARGEST_BLOCK):
        same = ordered[step:] == ordered[:-step]
        if not same.any():
            break
        parts.append(_number_pairs(order[:-step][same], order[step:][same], n))
    return np.concatenate(parts)


def _number_pairs(
    one: npt.NDArray[np.int64], other: npt.NDArray[np.int64], n: int
) -> Indices:
    return np.minimum(one, other) * n + np.maximum(one, other)


def _neighbours(column: Column) -> Indices:
    """Return records that stand next to each other when ordered from either end."""
    values, codes = distinct(column)
    texts = ["".join(sorted(words_of(value))) for value in values]
    n = len(codes)
    parts = [np.zeros(0, np.int64)]
    for reading in (texts, [text[::-1] for text in texts]):
        order = sorted(range(len(reading)), key=reading.__getitem__)
        ranks = np.empty(len(order), np.int64)
        ranks[order] = np.arange(len(order))
        records = np.argsort(ranks[codes], kind="stable")
        records = records[[bool(texts[code]) for code in codes[records].tolist()]]
        for step in range(1, _WINDOW + 1):
            parts.append(_number_pairs(records[:-step], records[step:], n))
    return np.unique(np.concatenate(parts))


def information(codes: Indices, blank: npt.NDArray[np.bool_]) -> float:
    """
    Return how many bits tell two filled cells of a field apart.

    That is the collision entropy: the binary logarithm of how many pairs there are for
    each pair of equal cells.

    Parameters
    ----------
    codes : ndarray of int64, shape (n,)
        A number for the value of each cell.
    blank : ndarray of bool
        For each number, whether the value is blank.

    Examples
    --------
    >>> information(np.array([0, 1, 2, 3] * 100), np.zeros(4, np.bool_)) > 1.9
    True
    """
    counts = np.bincount(codes, minlength=len(blank))[~blank].astype(np.float64)
    total = counts.sum()
    if total < 2:
        return 1.0
    # Copies must not make a telling field seem a poor one: a pair by chance counts.
    same = max(float((counts * (counts - 1)).sum() / (total * (total - 1))), 1 / total)
    return float(max(0.5, -np.log2(same)))
