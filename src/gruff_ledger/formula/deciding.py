"""Deciding on the distinct texts that a function is given, and spreading the result."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from gruff_ledger.cells.keys.distinct import combinations, distinct
from gruff_ledger.columns.types import Indices
from gruff_ledger.formula.values import Texts


def decided(
    texts: Sequence[Texts], decide: Callable[..., Any]
) -> tuple[list[Any], Indices]:
    """
    Call a function once for all records that have the same texts.

    Parameters
    ----------
    texts : sequence of Texts
        Each of n cells, or of one that stands for all.
    decide : callable
        Takes a text from each.

    Returns
    -------
    results : list
        What the function returned for each distinct combination.
    codes : ndarray of int64, shape (n,) or (1,)
        For each record, which of the results is its.
    """
    size = max((len(text.column) for text in texts), default=1)
    if any(not len(text.column) for text in texts):
        return [decide(*("" for _ in texts))], np.zeros(0, np.int64)
    fixed = {
        place: text.column[0].as_py()
        for place, text in enumerate(texts)
        if len(text.column) == 1
    }
    if len(fixed) == len(texts) or size == 1:
        return [decide(*fixed.values())], np.zeros(1, np.int64)
    moving = [place for place in range(len(texts)) if place not in fixed]
    if len(moving) == 1:
        values, codes = distinct(texts[moving[0]].column)
        keys = [(value,) for value in values]
    else:
        keys, codes = combinations([texts[place].column for place in moving])  # type: ignore[assignment]
    results = []
    for key in keys:
        given = iter(key)
        results.append(
            decide(
                *(
                    fixed[place] if place in fixed else next(given)
                    for place in range(len(texts))
                )
            )
        )
    return results, codes
