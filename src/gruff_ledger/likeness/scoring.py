"""Scores of pairs of records: 0 to 100, explained field by field.

A field counts by its weight: unless one is stated, by how well the field tells records
apart in this list (the bits of information in its values). A blank says little either
way: its field counts a quarter, and against the pair.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.cells.keys.distinct import distinct
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.likeness.candidates import Pairs, information
from gruff_ledger.likeness.words import Likeness, likeness, words_of

Scores = npt.NDArray[np.float64]

# What a field counts where a cell is blank.
_BLANK_SHARE = 0.25

# A likeness is worth nothing up to the first, and all from the second on.
_NOTHING, _ALL = 0.5, 1.0

# A quick look knows no shortened words: a cell may be so much more alike than it seems.
_QUICK_MORE = 0.15


class FieldScore(NamedTuple):
    """What one field says of a pair: its likeness of 0 to 100, its weight, and why."""

    field: str
    score: int
    weight: float
    why: str


class Scoring:
    """
    The scoring of pairs of records.

    Parameters
    ----------
    headings : sequence of str
    columns : sequence of Column, n cells each
    weights : sequence of int or None
        As they are stated.
    """

    def __init__(
        self,
        headings: Sequence[str],
        columns: Sequence[Column],
        weights: Sequence[int | None],
    ) -> None:
        self.headings = tuple(headings)
        self._values: list[list[str]] = []
        self._codes: list[Indices] = []
        self._blank: list[npt.NDArray[np.bool_]] = []
        found = []
        for column in columns:
            values, codes = distinct(column)
            self._values.append(values)
            self._codes.append(codes)
            self._blank.append(np.array([is_blank(v) for v in values], np.bool_))
            found.append(information(codes, self._blank[-1]))
        self.weights = [
            bits if stated is None else float(stated)
            for bits, stated in zip(found, weights, strict=True)
        ]
        self._known: list[dict[tuple[int, int], Likeness]] = [{} for _ in columns]

    def quick(self, pairs: Pairs, least: float) -> Pairs:
        """Return the pairs that may score as much as `least`, and few others."""
        from rapidfuzz import fuzz, process

        total = np.zeros(len(pairs.one))
        weight = np.zeros(len(pairs.one))
        fields = zip(self._values, self._codes, self._blank, self.weights, strict=True)
        for values, codes, blank, mine in in_turn(
            fields, len(self.weights), "comparing"
        ):
            a, b = codes[pairs.one], codes[pairs.other]
            filled = ~(blank[a] | blank[b])
            like = (a == b).astype(np.float64)
            look = np.flatnonzero(filled & (a != b))
            if len(look):
                # Each pair of values is compared once.
                both, at = np.unique(
                    a[look] * len(values) + b[look], return_inverse=True
                )
                bare = [" ".join(words_of(value)) for value in values]
                found = process.cpdist(
                    [bare[code] for code in (both // len(values)).tolist()],
                    [bare[code] for code in (both % len(values)).tolist()],
                    scorer=fuzz.token_sort_ratio,
                    workers=-1,
                )
                like[look] = (found / 100)[at]
            worth = np.clip((like + _QUICK_MORE - _NOTHING) / (_ALL - _NOTHING), 0, 1)
            total += mine * np.where(filled, worth, 0)
            weight += mine * np.where(filled, 1, _BLANK_SHARE)
        score = 100 * total / np.maximum(weight, 1e-9)
        good = score >= least
        return Pairs(pairs.one[good], pairs.other[good])

    def scores(self, pairs: Pairs) -> Scores:
        """Return the score of each pair."""
        total = np.zeros(len(pairs.one))
        weight = np.zeros(len(pairs.one))
        fields = enumerate(self.weights)
        for place, mine in in_turn(fields, len(self.weights), "scoring"):
            codes, blank = self._codes[place], self._blank[place]
            a, b = codes[pairs.one], codes[pairs.other]
            filled = ~(blank[a] | blank[b])
            like = np.zeros(len(a))
            like[filled & (a == b)] = 1
            look = np.flatnonzero(filled & (a != b))
            # A loop over pairs, but only over those that a quick look left.
            like[look] = [
                _worth(self._likeness(place, x, y).value)
                for x, y in zip(a[look].tolist(), b[look].tolist(), strict=True)
            ]
            total += mine * like
            weight += mine * np.where(filled, 1, _BLANK_SHARE)
        return np.round(100 * total / np.maximum(weight, 1e-9), 1)

    def explained(self, one: int, other: int) -> list[FieldScore]:
        """Return what each field says of a pair."""
        found = []
        for place, (heading, weight) in enumerate(
            zip(self.headings, self.weights, strict=True)
        ):
            a, b = int(self._codes[place][one]), int(self._codes[place][other])
            if self._blank[place][a] or self._blank[place][b]:
                found.append(FieldScore(heading, 0, weight * _BLANK_SHARE, "blank"))
                continue
            like = Likeness(1.0, "") if a == b else self._likeness(place, a, b)
            score = round(100 * _worth(like.value))
            why = like.why if a == b or like.why else "written differently"
            found.append(FieldScore(heading, score, weight, why))
        return found

    def _likeness(self, place: int, a: int, b: int) -> Likeness:
        known = self._known[place]
        pair = (a, b) if a <= b else (b, a)
        if pair not in known:
            values = self._values[place]
            known[pair] = likeness(values[pair[0]], values[pair[1]])
        return known[pair]


def _worth(value: float) -> float:
    return max(0.0, (value - _NOTHING) / (_ALL - _NOTHING))
