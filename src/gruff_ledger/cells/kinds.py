"""What a field holds: numbers, codes, dates or texts, by most of its cells."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np

from gruff_ledger.cells.dates.forms import DateForms, chunk_dates
from gruff_ledger.cells.dates.moments import read_moment
from gruff_ledger.cells.text_bytes import DIGIT, kinds_in, text_chunks
from gruff_ledger.columns.types import Column, Mask

Kind = Literal["number", "code", "date", "text", "blank"]


def kind_of(
    column: Column,
    blank: Mask,
    not_numbers: Callable[[], Mask],
    not_dates: Callable[[], Mask],
    *,
    number_is_stated: bool = False,
    date_is_stated: bool = False,
) -> Kind:
    """
    Tell what a field holds: what more than half of its filled cells are.

    Parameters
    ----------
    column : Column, n cells
    blank : ndarray of bool, shape (n,)
    not_numbers, not_dates : callable
        Return the filled cells that are no numbers, or no dates, where that is asked.
    number_is_stated, date_is_stated : bool
        Whether it was stated how numbers or dates are written: then it holds such.

    Returns
    -------
    str
        ``code`` for whole numbers of which some begin with a zero.
    """
    if number_is_stated:
        return "number"
    if date_is_stated:
        return "date"
    filled = int(np.count_nonzero(~blank))
    if not filled:
        return "blank"
    # No cell is both, so that either can be asked first: the likelier, as one shows.
    first = column[int(np.argmin(blank[: len(column)]))].as_py()
    kinds: list[tuple[Kind, Callable[[], Mask]]]
    kinds = [("number", not_numbers), ("date", not_dates)]
    if read_moment(first) is not None:
        kinds.reverse()
    for kind, others in kinds:
        if 2 * int(np.count_nonzero(others())) < filled:
            is_code = kind == "number" and _has_leading_zeros(column)
            return "code" if is_code else kind
    return "text"


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
