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

from gruff_ledger.cells.amounts import read_amounts, to_column
from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.distinct import rewritten, with_cells
from gruff_ledger.cells.keys import blank_key_mask
from gruff_ledger.cells.match import key_at
from gruff_ledger.cells.pieces import text_array
from gruff_ledger.cells.strings import Chunk, text_chunks
from gruff_ledger.table import (
    Column,
    Mask,
    constant_column,
    filtered,
    mapped,
    unequal,
)

# What a byte is, in bits: white space; what a cell cannot be folded byte by byte for
# (`_PUNCTUATION` only at the level `letters`, where it is left out: the ASCII of
# Unicode's categories P); a capital, which has the bit that its small letter lacks.
_SPACE, _ODD, _PUNCTUATION, _CAPITAL = 1, 2, 4, 32
_KINDS = np.zeros(256, np.uint8)
_KINDS[[*b"\t\n\v\f\r\x1c\x1d\x1e\x1f"]] = _SPACE | _ODD
_KINDS[ord(" ")] = _SPACE
_KINDS[128:] = _ODD
_KINDS[[*b"!\"#%&'()*,-./:;?@[\\]_{}"]] = _PUNCTUATION
_KINDS[ord("A") : ord("Z") + 1] = _CAPITAL


def folded(column: Column, level: str, *, or_text: bool = False) -> Column:
    """
    Return the keys of the cells of a field: equal ones match at the level.

    Parameters
    ----------
    column : Column, n cells
    level : str
        One of `gruff_ledger.cells.match.LEVELS`.
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
    if level == "number":
        return _numbers(column, or_text=or_text)

    def fold(text: str) -> str:
        return key_at(level, text) or (text if or_text else "")

    odd = _ODD if level == "loose" else _ODD | _PUNCTUATION
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
        some = rewritten(filtered(column, slow), fold)
        result = with_cells(result, slow, some.column)
    return result


def _numbers(column: Column, *, or_text: bool) -> Column:
    """Return the keys of cells at the level of numbers; see `folded`."""
    amounts, is_number = read_amounts(column)
    if not is_number.any():
        return column if or_text else constant_column("", len(column))
    # In the plain form, without zeros at the end, equal numbers are equal texts.
    keys, _ = to_column(amounts)
    if not is_number.all():
        rest = column if or_text else constant_column("", len(column))
        keys = with_cells(rest, is_number, filtered(keys, is_number))
    return keys if unequal(keys, column).any() else column


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
        if level in ("letters", "number"):
            found = found | blank_mask(folded(column, level))
    return found


def _of_chunk(chunk: Chunk, odd: int) -> tuple[Any, Mask]:
    """Return cells in small letters, None if they were; and which need more work."""
    n = len(chunk.array)
    slow = np.zeros(n, np.bool_)
    # Figures stay as they are at any level, and are quickly told.
    if not (chunk.bytes - np.uint8(ord("0")) > 9).any():
        return None, slow
    kinds = _KINDS[chunk.bytes]
    if not kinds.any():
        return None, slow
    space = kinds & _SPACE
    if space.any():
        filled = np.flatnonzero(np.diff(chunk.offsets))
        starts, ends = chunk.offsets[:-1][filled], chunk.offsets[1:][filled]
        slow[filled] = (space[starts] | space[ends - 1]) != 0
    marked = (kinds & np.uint8(odd)) != 0
    marked[1:] |= (space[1:] & space[:-1]) != 0
    if marked.any():
        places = np.flatnonzero(marked)
        slow[np.searchsorted(chunk.offsets, places, side="right") - 1] = True
    capitals = kinds & _CAPITAL
    if not capitals.any():
        return None, slow
    small = np.bitwise_or(chunk.bytes, capitals, dtype=np.uint8)
    return text_array(small, np.diff(chunk.offsets)), slow
