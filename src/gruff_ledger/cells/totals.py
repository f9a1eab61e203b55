"""Words by which rows and columns of totals are known."""

from __future__ import annotations

import re

from gruff_ledger.cells.match import loose

# Words that stand before totals, folded loosely, in the languages lists often come in.
_TOTAL_WORDS = (
    "total",
    "totals",
    "grand total",
    "subtotal",
    "sub total",
    "sub-total",
    "sum",
    "summe",
    "gesamt",
    "gesamtsumme",
    "zwischensumme",
    "insgesamt",
    "somme",
    "total général",
    "totale",
    "somma",
    "suma",
    "total general",
    "soma",
    "totaal",
    "som",
    "razem",
    "summa",
    "celkem",
    "összesen",
    "итого",
    "всего",
    "合計",
    "合计",
    "총계",
)
_LONGEST_FIRST = sorted(_TOTAL_WORDS, key=len, reverse=True)
_TOTAL_START = re.compile(rf"(?:{'|'.join(map(re.escape, _LONGEST_FIRST))})\b")

_LONGEST_LABEL = 40


def is_total_word(text: str) -> bool:
    """
    Tell whether a label is a word for a total, whatever its case.

    Examples
    --------
    >>> is_total_word(" TOTAL:"), is_total_word("Total length")
    (True, False)
    """
    return loose(text).rstrip(":. ") in _TOTAL_WORDS


def begins_as_total(text: str) -> bool:
    """Tell whether a short label begins with such a word, as in ``Total for May``."""
    label = loose(text).rstrip(":. ")
    return _TOTAL_START.match(label) is not None and len(label) < _LONGEST_LABEL
