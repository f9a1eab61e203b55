"""What a field holds: numbers, codes, dates or texts, by most of its cells."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np

from gruff_ledger.cells.dates.forms import DateForms, chunk_dates
from gruff_ledger.cells.dates.shapes import date_shape
from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.cells.numbers.shapes import shape_of
from gruff_ledger.cells.text_bytes import DIGIT, kinds_in, text_chunks
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms

# So many cells are looked at first; where fewer than one in so many are numbers, or
# dates, the field does not hold such.
_SAMPLED = 512
_LEAST_SHARE = 5

_PLAIN = late_pattern(r"-?[0-9]+(?:\.[0-9]+)?")

Kind = Literal["number", "code", "date", "text", "blank"]


def kind_of(
    column: Column,
    blank: Mask,
    not_numbers: Callable[[], Mask],
    not_dates: Callable[[], Mask],
    *,
    said: str = "",
) -> Kind:
    """
    Tell what a field holds: what more than half of its filled cells are.

    Parameters
    ----------
    column : Column, n cells
    blank : ndarray of bool, shape (n,)
    not_numbers, not_dates : callable
        Return the filled cells that are no numbers, or no dates, where that is asked;
        they may raise `BadTerms` where cells could be two values.
    said : str
        What a person said that it holds, ``number`` or ``date``, or nothing.

    Returns
    -------
    str
        ``code`` for whole numbers of which some begin with a zero.
    """
    if said == "number":
        return "number"
    if said == "date":
        return "date"
    filled = int(np.count_nonzero(~blank))
    if not filled:
        return "blank"
    # A few cells show what is worth looking for in all of them.
    some = np.flatnonzero(~blank)
    some = some[np.linspace(0, filled - 1, min(filled, _SAMPLED)).astype(np.int64)]
    texts = taken(column, some).to_pylist()
    ways: tuple[tuple[Kind, Callable[[str], bool], Callable[[], Mask]], ...] = (
        ("number", _looks_like_number, not_numbers),
        ("date", _looks_like_date, not_dates),
    )
    for kind, looks_so, others in ways:
        count = sum(map(looks_so, texts))
        if _LEAST_SHARE * count < len(texts):
            continue
        try:
            is_most = 2 * int(np.count_nonzero(others())) < filled
        except BadTerms:
            if 2 * count <= len(texts):
                continue
            raise
        if is_most:
            is_code = kind == "number" and _has_leading_zeros(column)
            return "code" if is_code else kind
    return "text"


def _looks_like_number(text: str) -> bool:
    """Whether a text is a number, and not a code or a telephone number in groups."""
    if _PLAIN.fullmatch(text):
        # Most are, and need no look at how they are written.
        return True
    shape = shape_of(text)
    if shape is None:
        return number_of(text) is not None
    return shape.group not in (" ", "'") or bool(shape.decimal or shape.currency)


def _looks_like_date(text: str) -> bool:
    return date_shape(text) is not None


def _has_leading_zeros(column: Column) -> bool:
    """Whether some numbers of a field have a zero in front that means nothing."""
    for chunk in text_chunks(column):
        lengths = np.diff(chunk.offsets)
        places = np.flatnonzero((chunk.bytes_at_start() == ord("0")) & (lengths > 1))
        second = chunk.bytes[chunk.offsets[:-1][places] + 1]
        if ((second >= ord("0")) & (second <= ord("9"))).any():
            return True
    return False


def dates_in_figures(column: Column) -> DateForms:
    """Return the dates of a field in figures, such as 1/5/2026, by their forms."""
    forms = DateForms()
    start = 0
    for chunk in text_chunks(column):
        candidates = np.flatnonzero(kinds_in(chunk) & DIGIT)
        chunk_dates(chunk, candidates, start, forms)
        start += len(chunk.array)
    return forms
