"""Stretches of XML: of whole rows, equal ones, and those that are some bytes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.text.weave import cut_out
from gruff_ledger.columns.arrays import arrow_functions
from gruff_ledger.columns.types import Mask

Places = npt.NDArray[np.int64]
Bytes = npt.NDArray[np.uint8]


def blocks_of(
    xml: bytes, begin: int, end: int, row_end: bytes, size: int
) -> Iterator[tuple[int, int]]:
    """
    Yield where stretches of rows begin and end, so that arrays on them stay small.

    Parameters
    ----------
    xml : bytes
    begin, end : int
        Where the rows of a tab do.
    row_end : bytes
        The tag that ends a row.
    size : int
        From how many bytes on a stretch ends with the row that it has come to.
    """
    while begin < end:
        stop = xml.find(row_end, begin + size, end)
        stop = end if stop < 0 else stop + len(row_end)
        yield begin, stop
        begin = stop


def distinct_stretches(
    data: Bytes, starts: Places, ends: Places
) -> tuple[npt.NDArray[np.int32], list[bytes]]:
    """
    Tell which stretches of bytes are equal.

    Parameters
    ----------
    data : ndarray of uint8
    starts, ends : ndarray of int64, shape (n,)
        In order: no stretch begins before the end of the one before.

    Returns
    -------
    codes : ndarray of int32, shape (n,)
    stretches : list of bytes
        Each that there is, once; by codes.
    """
    cut = cut_out(data, starts, ends).view(pa.binary())
    encoded = arrow_functions().call_function("dictionary_encode", [cut])
    return np.asarray(encoded.indices), encoded.dictionary.to_pylist()


def are_at(data: Bytes, at: Places, text: bytes) -> Mask:
    """Whether some bytes stand at each place."""
    inside = at + len(text) <= len(data)
    at = np.where(inside, at, 0)
    result = inside
    for place, byte in enumerate(text):
        result = result & (data[np.minimum(at + place, len(data) - 1)] == byte)
    return result
