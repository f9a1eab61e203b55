"""What the cells of a field have in common with all that match them, field by field.

`cells.match` folds one text. Here cells of plain ASCII are folded byte by byte, only
the others one by one, each distinct text once.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.distinct import rewrite_distinct, with_cells
from gruff_ledger.cells.keys.same_key import blank_key_mask
from gruff_ledger.cells.match.levels import MAY_FOLD, key_at
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text.weave import text_array
from gruff_ledger.cells.text_bytes import Chunk, text_chunks
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Mask

# What a byte is, in bits: white space; what a cell cannot be folded byte by byte for;
# what the level `letters` leaves out (the ASCII of Unicode's categories P); a capital,
# which has the bit that its small letter lacks.
_SPACE, _ODD, _PUNCTUATION, _CAPITAL = 1, 2, 4, 32
_KINDS = np.zeros(256, np.uint8)
_KINDS[[*b"\t\n\v\f\r\x1c\x1d\x1e\x1f"]] = _SPACE | _ODD
_KINDS[ord(" ")] = _SPACE
_KINDS[[*b"!\"#%&'()*,-./:;?@[\\]_{}"]] = _PUNCTUATION
_KINDS[ord("A") : ord("Z") + 1] = _CAPITAL


def folded(column: Column, level: str, *, or_text: bool = False) -> Column:
    """
    Return the keys of the cells of a field: equal ones match at the level.

    Parameters
    ----------
    column : Column, n cells
    level : str
        One of `gruff_ledger.cells.match.levels.LEVELS`.
    or_text : bool
        Whether what has no key at the level, such as a text for a number, stays as it
        is, to match its like.

    Returns
    -------
    Column, n cells
        Blank where a cell can match nothing. The column itself where folding changes
        no cell.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> folded(text_column([" Old  Otter", "Élodie"]), "letters").to_pylist()
    ['old otter', 'elodie']
    """
    if level == "exact":
        return column
    if level in ("number", "date"):
        # Most keys match as texts, and nothing that reads others is loaded.
        from gruff_ledger.cells.match import meant

        keys_of = meant.number_keys if level == "number" else meant.date_keys
        return keys_of(column, or_text=or_text)

    def fold(text: str) -> str:
        return key_at(level, text) or (text if or_text else "")

    found = mapped(lambda chunk: _of_chunk(chunk, level), list(text_chunks(column)))
    if all(array is None and not slow.any() for array, slow in found):
        return column
    result = pa.chunked_array(
        [
            chunk.array if array is None else array
            for chunk, (array, _) in zip(text_chunks(column), found, strict=True)
        ]
    )
    slow = np.concatenate([mask for _, mask in found])
    if slow.any():
        some = rewrite_distinct(filter_column(column, slow), fold)
        result = with_cells(result, slow, some.column)
    return result


def folding(level: str, *, or_text: bool = False) -> Callable[[Column], Column]:
    """Return what folds a field at a level; see `folded`."""
    return functools.partial(folded, level=level, or_text=or_text)


def without_key(columns: Sequence[Column], levels: Sequence[str]) -> Mask:
    """
    Mark the records that can match nothing, field by field.

    Parameters
    ----------
    columns : sequence of Column, n records each
    levels : sequence of str

    Returns
    -------
    ndarray of bool, shape (n,)
        True where a cell is blank, or has no key at its level, such as a text for a
        number.
    """
    found = blank_key_mask(columns)
    for column, level in zip(columns, levels, strict=True):
        if level in ("letters", "number", "date"):
            found = found | blank_mask(folded(column, level))
    return found


def _of_chunk(chunk: Chunk, level: str) -> tuple[Any, Mask]:
    """Return cells folded, None if they were; and which need more work."""
    n = len(chunk.array)
    slow = np.zeros(n, np.bool_)
    data, offsets = chunk.bytes, chunk.offsets
    # Figures stay as they are at any level, and are quickly told.
    if not (data - np.uint8(ord("0")) > 9).any():
        return None, slow
    if data.max() >= 128:
        slow |= matching(pa.chunked_array([chunk.array]), MAY_FOLD)
    kinds = _KINDS[data]
    if level == "letters":
        kept = (kinds & _PUNCTUATION) == 0
        if not kept.all():
            ends = np.zeros(len(kept) + 1, np.int32)
            np.cumsum(kept, out=ends[1:])
            data, kinds, offsets = data[kept], kinds[kept], ends[offsets]
            slow |= (np.diff(offsets) == 0) & (np.diff(chunk.offsets) > 0)
    space = kinds & _SPACE
    marked = (kinds & _ODD) != 0
    if space.any():
        filled = np.flatnonzero(np.diff(offsets))
        starts, ends = offsets[:-1][filled], offsets[1:][filled]
        slow[filled] |= (space[starts] | space[ends - 1]) != 0
        marked[1:] |= (space[1:] & space[:-1]) != 0
    if marked.any():
        places = np.flatnonzero(marked)
        slow[np.searchsorted(offsets, places, side="right") - 1] = True
    capitals = kinds & _CAPITAL
    if capitals.any():
        data = np.bitwise_or(data, capitals, dtype=np.uint8)
    if data is chunk.bytes:
        return None, slow
    return text_array(data, np.diff(offsets)), slow
