"""How much alike two cells are, and why: slips, swapped words, abbreviations, digits.

A likeness is 0 to 1. Figures are either the same number or another one: a changed or
swapped digit is the only slip that is forgiven in them.
"""

from __future__ import annotations

import functools
import unicodedata
from collections.abc import Sequence
from typing import NamedTuple

from rapidfuzz.distance import OSA

from gruff_ledger.cells.match.levels import loose
from gruff_ledger.late_patterns import late_pattern

# Marks within a word, and all others, which part words.
_WITHIN = late_pattern(r"['’.`´]")
_PARTING = late_pattern(r"[\W_]+")
_FIGURES = late_pattern(r"[0-9]+")

# What is left of a likeness for each kind of difference.
_ONE_SLIP = 0.92
_SWAPPED = 0.97
_INITIAL = 0.85
_SHORTENED = 0.9
_DIGIT = 0.7
_TWO_DIGITS = 0.35
_LEAST_WORD = 0.6

# What a word that the other cell has not counts, of its letters.
_DROPPED = 0.6


class Likeness(NamedTuple):
    """How much alike two cells are, of 0 to 1, and what differs in words."""

    value: float
    why: str


@functools.lru_cache(maxsize=1 << 18)
def words_of(text: str) -> tuple[str, ...]:
    """
    Return the words of a cell: small letters without accents and marks, and figures.

    Examples
    --------
    >>> words_of("O'Hara-Lindström, J.")
    ('ohara', 'lindstrom', 'j')
    """
    folded = unicodedata.normalize("NFKD", loose(text))
    bare = "".join(mark for mark in folded if not unicodedata.combining(mark))
    bare = bare.replace("ß", "ss").replace("ø", "o").replace("æ", "ae")
    return tuple(_PARTING.sub(" ", _WITHIN.sub("", bare)).split())


def likeness(one: str, other: str) -> Likeness:
    """
    Tell how much alike two filled cells are.

    Examples
    --------
    >>> likeness("Quay Street 12", "12 Quay St.")
    Likeness(value=0.921, why='words swapped, shortened')
    >>> likeness("73500", "73600")
    Likeness(value=0.7, why='one digit differs')
    """
    if one == other:
        return Likeness(1.0, "")
    mine, theirs = words_of(one), words_of(other)
    if mine == theirs:
        return Likeness(1.0, "")
    if not mine or not theirs:
        return Likeness(0.0, "differs")
    figures = "".join(mine), "".join(theirs)
    if figures[0] == figures[1]:
        return Likeness(_SWAPPED, "split differently")
    if all(_FIGURES.fullmatch(each) for each in figures):
        return _of_figures(*figures)
    found = _of_words(mine, theirs)
    if _numbers_in(mine) != _numbers_in(theirs):
        # As a slip of letters another number would seem much the same.
        return found
    whole = OSA.normalized_similarity(" ".join(mine), " ".join(theirs))
    if whole > found.value:
        slips = OSA.distance(" ".join(mine), " ".join(theirs))
        why = "one slip" if slips == 1 else f"{slips} slips"
        return Likeness(round(whole, 3), why)
    return found


def _numbers_in(words: Sequence[str]) -> list[str]:
    return sorted(word for word in words if word.isdigit())


def _of_figures(one: str, other: str) -> Likeness:
    distance = OSA.distance(one, other)
    least = min(len(one), len(other))
    # Of a short number every other digit is another number.
    if distance == 1 and least >= 3:
        if len(one) != len(other):
            return Likeness(_DIGIT, "one digit more or less")
        if sorted(one) == sorted(other):
            return Likeness(_DIGIT, "two digits swapped")
        return Likeness(_DIGIT, "one digit differs")
    if distance == 2 and least >= 6:
        return Likeness(_TWO_DIGITS, "two digits differ")
    return Likeness(0.0, "differs")


def _of_words(mine: Sequence[str], theirs: Sequence[str]) -> Likeness:
    """Pair the words of two cells, the most alike first."""
    pairs = sorted(
        (
            (_of_word(a, b), -abs(i - j), i, j)
            for i, a in enumerate(mine)
            for j, b in enumerate(theirs)
        ),
        key=lambda pair: (-pair[0].value, -pair[1], pair[2], pair[3]),
    )
    used: dict[int, int] = {}
    total = matched = 0.0
    reasons: list[str] = []
    for found, _, i, j in pairs:
        if found.value < _LEAST_WORD or i in used or j in used.values():
            continue
        used[i] = j
        # An initial stands for a whole word.
        size = max(len(mine[i]), len(theirs[j]))
        total += size
        matched += size * found.value
        if found.why:
            reasons.append(found.why)
    left = [word for i, word in enumerate(mine) if i not in used]
    left += [word for j, word in enumerate(theirs) if j not in used.values()]
    if not used:
        return Likeness(0.0, "differs")
    for word in left:
        # A number that is not there says more than a word.
        total += len(word) * (1.0 if word[0].isdigit() else _DROPPED)
    order = [used[i] for i in sorted(used)]
    value = matched / total
    if order != sorted(order):
        value *= _SWAPPED
        reasons.insert(0, "words swapped")
    if left:
        reasons.append(f"{'a word' if len(left) == 1 else f'{len(left)} words'} more")
    return Likeness(round(value, 3), ", ".join(dict.fromkeys(reasons)))


@functools.lru_cache(maxsize=1 << 18)
def _of_word(one: str, other: str) -> Likeness:
    if one == other:
        return Likeness(1.0, "")
    if _FIGURES.fullmatch(one) and _FIGURES.fullmatch(other):
        return _of_figures(one, other)
    short, long = sorted((one, other), key=len)
    if long.startswith(short):
        if len(short) == 1:
            return Likeness(_INITIAL, "an initial")
        return Likeness(_SHORTENED, "shortened")
    distance = OSA.distance(one, other)
    if distance == 1 and len(short) >= 4:
        return Likeness(_ONE_SLIP, "one slip")
    value = 1 - distance / len(long)
    if value < _LEAST_WORD and _is_shortened(short, long):
        return Likeness(_SHORTENED - 0.05, "shortened")
    why = "one slip" if distance == 1 else f"{distance} slips"
    return Likeness(value if value >= _LEAST_WORD else 0.0, why)


def _is_shortened(short: str, long: str) -> bool:
    """Whether a word is the other with letters left out, as in rd for road."""
    if len(short) < 2 or short[0] != long[0] or 2 * len(short) > len(long) + 2:
        return False
    if short[-1] != long[-1] or not short.isalpha():
        return False
    rest = iter(long)
    return all(letter in rest for letter in short)
