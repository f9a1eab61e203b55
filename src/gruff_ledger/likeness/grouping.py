"""Groups of records that are alike, so that chains of weak likeness join no strangers.

Pairs are joined from the most alike on. Two groups become one only if their records are
alike on the average, and no two of them are strangers; what a person decided holds.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from gruff_ledger.columns.types import Indices
from gruff_ledger.likeness.candidates import Pairs
from gruff_ledger.likeness.forest import Forest
from gruff_ledger.likeness.scoring import Scores

# Two records of one group may be so much less alike than what is asked.
_STRANGERS = 20.0

# A chain of more records is not looked at pair by pair.
_LARGEST_CHAIN = 60


def grouped(
    n: int,
    pairs: Pairs,
    scores: Scores,
    least: float,
    score: Callable[[Pairs], Scores],
    same: Iterable[tuple[int, int]] = (),
    different: Iterable[tuple[int, int]] = (),
) -> Indices:
    """
    Group records.

    Parameters
    ----------
    n : int
        How many records there are.
    pairs : Pairs
    scores : ndarray of float64
        Of the pairs.
    least : float
        What a pair must score to be joined.
    score : callable
        Scores further pairs.
    same, different : iterable of pairs of indices
        What a person decided: holds whatever the scores.

    Returns
    -------
    ndarray of int64, shape (n,)
        For each record, the first record of its group.
    """
    forest = Forest(n)
    for one, other in same:
        forest.join(one, other)
    apart = {(min(pair), max(pair)) for pair in different}
    good = scores >= least
    edges = Pairs(pairs.one[good], pairs.other[good])
    known = dict(
        zip(
            zip(edges.one.tolist(), edges.other.tolist(), strict=True),
            scores[good].tolist(),
            strict=True,
        )
    )
    _score_within_chains(n, edges, known, score)
    members: dict[int, list[int]] = {}
    for record in forest.moved():
        members.setdefault(forest.root(record), []).append(record)
    order = np.lexsort((edges.other, edges.one, -scores[good]))
    for place in order.tolist():
        one = forest.root(int(edges.one[place]))
        other = forest.root(int(edges.other[place]))
        if one == other:
            continue
        mine, theirs = members.get(one, [one]), members.get(other, [other])
        if _are_alike(mine, theirs, known, least, apart):
            forest.join(one, other)
            members[forest.root(one)] = mine + theirs
    return forest.firsts()


def _score_within_chains(
    n: int,
    edges: Pairs,
    known: dict[tuple[int, int], float],
    score: Callable[[Pairs], Scores],
) -> None:
    """Score the pairs that a chain of likeness joins and that were no candidates."""
    chains = Forest(n)
    for one, other in zip(edges.one.tolist(), edges.other.tolist(), strict=True):
        chains.join(one, other)
    groups: dict[int, list[int]] = {}
    for record in chains.moved():
        groups.setdefault(chains.root(record), []).append(record)
    missing = [
        (one, other)
        for group in groups.values()
        if 2 < len(group) <= _LARGEST_CHAIN
        for at, one in enumerate(group)
        for other in group[at + 1 :]
        if (one, other) not in known
    ]
    if missing:
        first, second = np.array(missing, np.int64).T
        found = score(Pairs(first, second)).tolist()
        known.update(zip(missing, found, strict=True))


def _are_alike(
    mine: list[int],
    theirs: list[int],
    known: dict[tuple[int, int], float],
    least: float,
    apart: set[tuple[int, int]],
) -> bool:
    pairs = [(min(a, b), max(a, b)) for a in mine for b in theirs]
    if any(pair in apart for pair in pairs):
        return False
    scores = [known.get(pair, 0.0) for pair in pairs]
    return sum(scores) >= least * len(scores) and min(scores) >= least - _STRANGERS
