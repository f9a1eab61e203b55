"""Rows of text made column by column: the pieces of many cells, joined at once.

A format that writes each cell between marks of its own (XML, JSON) makes pieces, some
the same in every row and some an array of texts, one a row, and has Arrow join them:
that is some thirty times as fast as to make each cell by itself.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.text_bytes import cells_at, chunk_of
from gruff_ledger.columns.arrays import (
    arrow_functions,
    bits_of,
    number_array,
    replaced,
)
from gruff_ledger.columns.types import Mask

# Records whose pieces are joined at a time; of many fields fewer, but for a few.
JOINED_RECORDS = 1 << 13
_MOST_CELLS, _LEAST_RECORDS = 1 << 17, 1 << 6

# Offsets of texts are 32-bit numbers; rows that may take more are joined in halves.
_MOST_BYTES = 1 << 30

_FIRST_PRINTED = ord(" ")

Codes = npt.NDArray[np.intp]

# A text that is the same in every row, or a StringArray of one a row.
Piece = Any


def joined_records(fields: int) -> int:
    """Return how many records of so many fields are joined at a time."""
    of_many = max(_MOST_CELLS // max(fields, 1), _LEAST_RECORDS)
    return min(JOINED_RECORDS, of_many)


def join_rows(pieces: Sequence[Piece], count: int) -> bytes:
    """
    Join the pieces of rows.

    Parameters
    ----------
    pieces : sequence of str, or of pyarrow.StringArray of `count` cells
        In the order in which they stand in a row.
    count : int
        How many rows there are.

    Returns
    -------
    bytes
        UTF-8.

    Examples
    --------
    >>> join_rows(["<", pa.array(["a", "b"]), ">", "\\n"], 2)
    b'<a>\\n<b>\\n'
    """
    merged: list[Piece] = []
    for piece in pieces:
        if isinstance(piece, str) and merged and isinstance(merged[-1], str):
            merged[-1] += piece
        else:
            merged.append(piece)
    lengths = (
        len(piece.encode()) * count if isinstance(piece, str) else _bytes_in(piece)
        for piece in merged
    )
    if sum(lengths) > _MOST_BYTES and count > 1:
        half = count // 2
        first = [_rows(piece, 0, half) for piece in merged]
        rest = [_rows(piece, half, count - half) for piece in merged]
        return join_rows(first, half) + join_rows(rest, count - half)
    if all(isinstance(piece, str) for piece in merged):
        return "".join(merged).encode() * count
    functions = arrow_functions()
    options = functions.JoinOptions()
    parts = [_scalar(each) if isinstance(each, str) else each for each in merged]
    call = functions.call_function
    lines = call("binary_join_element_wise", [*parts, _scalar("")], options)
    return chunk_of(lines).bytes.tobytes() if count else b""


def _scalar(text: str) -> Any:
    return pa.scalar(text, pa.string())


def _bytes_in(array: Any) -> int:
    return len(chunk_of(array).bytes) if len(array) else 0


def _rows(piece: Piece, start: int, count: int) -> Piece:
    return piece if isinstance(piece, str) else piece.slice(start, count)


def choose(words: Sequence[str], codes: Codes | Mask) -> Piece:
    """
    Return for each record the word of its code.

    Examples
    --------
    >>> choose(["", "x"], np.array([True, False])).to_pylist()
    ['x', '']
    >>> choose(["", "x"], np.array([True, True]))
    'x'
    """
    if len(codes) and (codes == codes[0]).all():
        return words[int(codes[0])]
    table = pa.array(words, pa.string())
    at = number_array(codes.astype(np.int64))
    return arrow_functions().call_function("take", [table, at])


def in_each(piece: Piece, count: int) -> list[str]:
    """Return what a piece has in each of `count` rows, to be changed here and there."""
    texts: list[str] = [piece] * count if isinstance(piece, str) else piece.to_pylist()
    return texts


def select(mask: Mask, one: Piece, other: Piece) -> Piece:
    """
    Return one piece where a mask is true, and another elsewhere.

    Examples
    --------
    >>> select(np.array([True, False]), pa.array(["a", "b"]), "-").to_pylist()
    ['a', '-']
    """
    if mask.all():
        return one
    call = arrow_functions().call_function
    both = [_scalar(each) if isinstance(each, str) else each for each in (one, other)]
    return call("if_else", [bits_of(mask), *both])


def escaped_cells(
    cells: Any,
    marks: Mask,
    escape: Callable[[str], str],
    spared: Mask | None = None,
) -> Any:
    """
    Return cells, escaped where they hold some byte.

    Parameters
    ----------
    cells : pyarrow.StringArray
    marks : ndarray of bool, shape (256,)
        Which bytes of UTF-8 make a cell one to escape.
    escape : callable
        From a cell to what is written for it.
    spared : ndarray of bool, optional
        Cells that stay as they are.
    """
    if not _bytes_in(cells):
        return cells
    chunk = chunk_of(cells)
    are_marks = _are_marks(chunk.bytes, marks)
    if are_marks is None:
        return cells
    mask = cells_at(chunk, are_marks)
    if spared is not None:
        mask &= ~spared
    return remade(cells, mask, escape)


def _are_marks(data: npt.NDArray[np.uint8], marks: Mask) -> Mask | None:
    """Mark the bytes that are marks; None where there are none."""
    if int(data.min()) < _FIRST_PRINTED:
        return marks.take(data)
    text = data.tobytes()
    # Few others are marks: to search for them is some fifty times as fast as to look
    # up what each byte is.
    others = np.flatnonzero(marks[_FIRST_PRINTED:]) + _FIRST_PRINTED
    found = [data == mark for mark in others.tolist() if mark in text]
    return functools.reduce(np.bitwise_or, found) if found else None


def remade(cells: Any, mask: Mask, make: Callable[[str], str]) -> Any:
    """
    Return cells, those of a mask as something is made of them.

    Examples
    --------
    >>> remade(pa.array(["a", "b"]), np.array([False, True]), str.upper).to_pylist()
    ['a', 'B']
    """
    found = arrow_functions().call_function("filter", [cells, bits_of(mask)])
    return replaced(cells, mask, list(map(make, found.to_pylist())))
