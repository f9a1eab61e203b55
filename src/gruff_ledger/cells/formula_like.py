"""Texts that a spreadsheet program would run as a formula, or might.

A sign at the start makes a formula (OWASP, CSV injection); programs pass over white
space, characters that are not seen and line ends before it, and read the wide forms of
signs as the signs.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.blank import BLANK_CHARACTERS
from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.cells.text_bytes import Chunk, text_chunks
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern

_SIGNS = "=+\\-@\uff1d\uff0b\uff0d\uff20"
_MAY_RUN = late_pattern(f"[{BLANK_CHARACTERS}]*[{_SIGNS}]|[\t\r]")

# A number as people write it, whatever its marks: with a sign in front it is no
# formula. Only short texts are tried.
_LONGEST_AMOUNT = 60
_AMOUNT = late_pattern(
    r"[+-]?\s*[^\W\d_]{0,3}\s*[\d.,'’\s]*\d[\d.,'’\s]*[%€$£]?\s*[A-Z]{0,3}"
)

# Bytes that can begin such a text in UTF-8.
_FIRST = np.zeros(256, np.bool_)
_FIRST[
    [*b"=+-@\t\r\n\v\f ", 0xC2, 0xCD, 0xD8, *range(0xE1, 0xE4), 0xEF, 0xF0, 0xF3]
] = True


def may_run(text: str) -> bool:
    """
    Whether a spreadsheet program might run a text; numbers are none.

    Examples
    --------
    >>> [may_run(text) for text in ("=1+1", " @x", "-", "-12.50", "a=b")]
    [True, True, True, False, False]
    """
    return _MAY_RUN.match(text) is not None and number_of(text) is None


def would_run(text: str) -> bool:
    """
    Whether a spreadsheet program would run a text, as far as can be told.

    A sign alone, an amount in whatever form and a name behind an ``@`` are shown.

    Examples
    --------
    >>> [would_run(text) for text in ("=1+1", "-", "-566,000", "@name", "@SUM(1)")]
    [True, False, False, False, True]
    """
    if not may_run(text):
        return False
    bare = text.strip().lstrip("\u200b\ufeff")
    if bare[:1] in "@\uff20":
        return "(" in bare
    if bare[:1] in "+-\uff0b\uff0d":
        rest = bare[1:]
        if not rest or rest[:1].isspace():
            return False
        return len(bare) > _LONGEST_AMOUNT or _AMOUNT.fullmatch(bare) is None
    return len(bare) > 1


def formula_mask(column: Column) -> Mask:
    """Mark the cells that a spreadsheet program might run; see `may_run`."""
    masks = [formula_mask_of(chunk) for chunk in text_chunks(column)]
    return np.concatenate([np.zeros(0, np.bool_), *masks])


def formula_mask_of(chunk: Chunk) -> Mask:
    """Mark the cells of a chunk that a spreadsheet program might run."""
    mask: Mask = _FIRST[chunk.bytes_at_start()]
    at = np.flatnonzero(mask)
    if len(at):
        texts = taken(pa.chunked_array([chunk.array]), at).to_pylist()
        known = {text: may_run(text) for text in set(texts)}
        mask[at] = [known[text] for text in texts]
    return mask
