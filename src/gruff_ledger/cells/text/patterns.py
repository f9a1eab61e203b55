"""Patterns on whole fields. They are RE2's: their time is linear in the text."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa

from gruff_ledger.columns.arrays import arrow_functions
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Mask


def matching(column: Column, pattern: str) -> Mask:
    r"""
    Mark the cells in which a pattern matches anywhere.

    Parameters
    ----------
    column : Column, n cells
    pattern : str
        ``\A`` and ``\z`` stand for the ends of a cell.

    Raises
    ------
    pyarrow.ArrowInvalid
        If it is no pattern, whatever the column holds.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> matching(text_column(["B-07", "7"]), r"\A[A-Z]")
    array([ True, False])
    """
    functions = arrow_functions()
    options = functions.MatchSubstringOptions(pattern)

    def of_chunk(chunk: Any) -> Mask:
        found = functions.call_function("match_substring_regex", [chunk], options)
        return np.asarray(found.to_numpy(zero_copy_only=False), np.bool_)

    # Tried on one blank text, so that a pattern that is none is told at any length.
    of_chunk(pa.array([""], pa.string()))
    masks = mapped(of_chunk, column.chunks)
    return np.concatenate([np.zeros(0, np.bool_), *masks])
