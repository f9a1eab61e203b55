"""Which stretches of bytes are equal, of very many of which few differ."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import words_at
from gruff_ledger.columns.arrays import arrow_functions, number_array

Places = npt.NDArray[np.int64]
Bytes = npt.NDArray[np.uint8]

# What must stand behind the last stretch, so that words can be read at its end.
PADDING = 8

_FACTOR = np.uint64(0x9E3779B97F4A7C15)
# Of a word, the bytes that belong to a stretch that has so many left.
_INSIDE = np.array([(1 << 8 * n) - 1 for n in range(9)], np.uint64)


def distinct_stretches(
    data: Bytes, starts: Places, ends: Places
) -> tuple[npt.NDArray[np.int32], list[bytes]] | None:
    """
    Tell which stretches of bytes are equal.

    Parameters
    ----------
    data : ndarray of uint8
        With `PADDING` bytes behind the last stretch.
    starts, ends : ndarray of int64, shape (n,)

    Returns
    -------
    codes : ndarray of int32, shape (n,)
    stretches : list of bytes
        Each that there is, once; by codes.

    None where two that differ look alike, which hardly ever happens by chance.
    """
    lengths = ends - starts
    if not len(lengths):
        return np.zeros(0, np.int32), []
    words = []
    keys = lengths.astype(np.uint64)
    for at in range(0, int(lengths.max()), 8):
        which = np.flatnonzero(lengths > at)
        left = np.minimum(lengths[which] - at, 8)
        found = words_at(data, starts[which] + at) & _INSIDE[left]
        words.append((which, found))
        keys[which] = (keys[which] ^ found) * _FACTOR
    keys ^= keys >> np.uint64(29)
    encoded = arrow_functions().call_function("dictionary_encode", [number_array(keys)])
    codes = np.asarray(encoded.indices)
    first = np.zeros(len(encoded.dictionary), np.int64)
    first[codes[::-1]] = np.arange(len(codes) - 1, -1, -1)
    if (lengths[first][codes] != lengths).any():
        return None
    whole = np.zeros(len(lengths), np.uint64)
    for which, found in words:
        # The one that each is said to be equal to has a word where it has one.
        whole[which] = found
        if (whole[first[codes[which]]] != found).any():
            return None
    return codes, [data[starts[at] : ends[at]].tobytes() for at in first.tolist()]
