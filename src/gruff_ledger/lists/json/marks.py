"""The marks that make the structure of JSON (RFC 8259), found by array work.

JSON that is valid is told by few characters: quotes, brackets, colons and commas, and
reverse solidi within texts. Whoever looks for them must know that it is valid.
"""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.columns.types import Mask

Places = npt.NDArray[np.int64]
Bytes = npt.NDArray[np.uint8]

QUOTE, COLON, COMMA, SLASH = (ord(mark) for mark in '":,\\')
OPEN, CLOSE, OPEN_ARRAY, CLOSE_ARRAY = (ord(mark) for mark in "{}[]")

# In this bit alone brackets of both kinds differ.
_CURVED = OPEN ^ OPEN_ARRAY


class Marks(msgspec.Struct, frozen=True, eq=False):
    """
    The marks of a stretch of JSON that are not within its texts.

    Attributes
    ----------
    data : ndarray of uint8
        The stretch.
    places : ndarray of int64, shape (n,)
        Where each colon, comma or bracket stands.
    kinds : ndarray of uint8, shape (n,)
        Which of them it is.
    levels : ndarray of int32, shape (n,)
        In how many brackets it is, those that it opens or closes included.
    quotes : ndarray of int64
        Where texts begin and end, in turn.
    quotes_before : ndarray of int32, shape (n,)
        How many of them stand before each mark.
    slashes : ndarray of int64
        Where reverse solidi stand.
    """

    data: Bytes
    places: Places
    kinds: Bytes
    levels: npt.NDArray[np.int32]
    quotes: Places
    quotes_before: npt.NDArray[np.int32]
    slashes: Places

    def at(self, numbers: slice | Places) -> Marks:
        """Return some of them, with all that is no mark."""
        return Marks(
            self.data,
            self.places[numbers],
            self.kinds[numbers],
            self.levels[numbers],
            self.quotes,
            self.quotes_before[numbers],
            self.slashes,
        )


def marks_of(text: bytes) -> Marks:
    """
    Find the marks of a stretch of JSON.

    Parameters
    ----------
    text : bytes
        Of valid JSON, from outside of any text on; it may end anywhere.
    """
    data = np.frombuffer(text, np.uint8)
    at = np.flatnonzero(_are_marks(data))
    kinds = data.take(at)
    is_quote = kinds == QUOTE
    slashes = np.zeros(0, np.int64)
    if b"\\" in text:
        slashes = np.flatnonzero(data == SLASH)
        is_plain = np.ones(len(data) + 1, np.bool_)
        is_plain[_escaped(slashes)] = False
        is_quote &= is_plain.take(at)
    counts = np.cumsum(is_quote, dtype=np.int32)
    # A text begins with every quote of an odd number, and ends with the next.
    outside = np.flatnonzero(~is_quote & (counts & 1 == 0))
    places, kinds = at.take(outside), kinds.take(outside)
    curved = kinds | _CURVED
    closes = curved == CLOSE
    step = (curved == OPEN).view(np.int8) - closes.view(np.int8)
    levels = np.cumsum(step, dtype=np.int32) + closes
    quotes = at.take(np.flatnonzero(is_quote))
    before = counts.take(outside)
    return Marks(data, places, kinds, levels, quotes, before, slashes)


def _are_marks(data: Bytes) -> Mask:
    curved = data | _CURVED
    found: Mask = data == QUOTE
    for these in (data == COLON, data == COMMA, curved == OPEN, curved == CLOSE):
        found |= these
    return found


def _escaped(slashes: Places) -> Places:
    """Return the places of what stands escaped behind a reverse solidus."""
    begins = np.ones(len(slashes), np.bool_)
    begins[1:] = np.diff(slashes) != 1
    run = slashes[begins][np.cumsum(begins) - 1]
    # In a row of them the first escapes the second, the third the fourth.
    escaping: Places = slashes[(slashes - run) % 2 == 0]
    return escaping + 1
