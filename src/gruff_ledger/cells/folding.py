"""What the cells of a field have in common with all that match them, field by field.

`cells.match` folds one text. Here cells of plain ASCII are folded byte by byte, only
the others one by one, each distinct text once.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.distinct import rewritten, with_cells
from gruff_ledger.cells.match import key_at
from gruff_ledger.cells.pieces import text_array
from gruff_ledger.cells.strings import Chunk, text_chunks
from gruff_ledger.table import Column, Mask, filtered, mapped

_SMALL = np.arange(256, dtype=np.uint8)
_SMALL[ord("A") : ord("Z") + 1] += ord("a") - ord("A")

_SPACE = np.zeros(256, np.bool_)
_SPACE[[*b"\t\n\v\f\r \x1c\x1d\x1e\x1f"]] = True

# Bytes of cells that cannot be folded byte by byte.
_ODD = _SPACE.copy()
_ODD[ord(" ")] = False
_ODD[128:] = True

# Those of Unicode's categories P, which are left out at the level `letters`.
_PUNCTUATION = _ODD.copy()
_PUNCTUATION[[*b"!\"#%&'()*,-./:;?@[\\]_{}"]] = True


def folded(column: Column, level: str) -> Column:
    """
    Return the keys of the cells of a field: equal ones match at the level.

    Parameters
    ----------
    column : Column, n cells
    level : str
        One of `gruff_ledger.cells.match.LEVELS`.

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
    if level == "number":
        return rewritten(column, lambda text: key_at(level, text) or "").column
    odd = _ODD if level == "loose" else _PUNCTUATION
    found = mapped(lambda chunk: _of_chunk(chunk, odd), list(text_chunks(column)))
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
        some = rewritten(filtered(column, slow), lambda text: key_at(level, text) or "")
        result = with_cells(result, slow, some.column)
    return result


def _of_chunk(chunk: Chunk, odd: Mask) -> tuple[Any, Mask]:
    """Return cells in small letters, None if they were; and which need more work."""
    slow = np.zeros(len(chunk.array), np.bool_)
    data = chunk.bytes
    if not len(data):
        return None, slow
    space = _SPACE[data]
    marked = odd[data]
    marked[1:] |= space[1:] & space[:-1]
    filled = np.flatnonzero(np.diff(chunk.offsets))
    starts, ends = chunk.offsets[:-1][filled], chunk.offsets[1:][filled]
    slow[filled] = space[starts] | space[ends - 1]
    places = np.flatnonzero(marked)
    slow[np.searchsorted(chunk.offsets, places, side="right") - 1] = True
    small = _SMALL[data]
    if np.array_equal(small, data):
        return None, slow
    return text_array(small, np.diff(chunk.offsets)), slow
