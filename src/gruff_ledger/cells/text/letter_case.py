"""Letters written in capitals or small, over whole fields.

Cells of ASCII letters alone are changed byte by byte; the others one by one, each
distinct text once, because a letter of Unicode can become several.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.keys.distinct import Rewritten, rewrite_distinct
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text.weave import by_stretches, text_array
from gruff_ledger.cells.text_bytes import (
    DIGIT,
    KINDS,
    LOWER,
    UPPER,
    WIDE,
    Chunk,
    kinds_in,
    text_chunks,
)
from gruff_ledger.columns.arrays import filter_column, taken
from gruff_ledger.columns.types import Column, Indices, Mask

# What has a case: a letter of ASCII, or beyond it what is no sign, number or space for
# sure. A sign of currency has none.
_MAY_HAVE_CASE = r"[A-Za-z]|[^\x{00}-\x{7f}\p{Sc}\p{Sm}\p{Sk}\p{P}\p{Z}\p{Nd}\p{No}]"

Case = Literal["upper", "lower", "title", "sentence"]

# What begins a new word, beside white space.
_WORD_MARKS = "-\u2010\u2011/("

# What a byte before a letter says of it.
_OTHER, _IN_WORD, _PARTS_WORDS = range(3)
_ROLES = np.full(256, _OTHER, np.uint8)
_ROLES[(KINDS & (LOWER | UPPER | DIGIT)) != 0] = _IN_WORD
_ROLES[[*b"\t\n\v\f\r \x1c\x1d\x1e\x1f-/("]] = _PARTS_WORDS

_TO_UPPER = np.arange(256, dtype=np.uint8)
_TO_UPPER[ord("a") : ord("z") + 1] -= ord("a") - ord("A")
_TO_LOWER = np.arange(256, dtype=np.uint8)
_TO_LOWER[ord("A") : ord("Z") + 1] += ord("a") - ord("A")

_Bytes = npt.NDArray[np.uint8]


def title_case(text: str) -> str:
    """
    Write each word with a capital; words are parted by white space and hyphens.

    Examples
    --------
    >>> title_case("ANN-marie o'HARA")
    "Ann-Marie O'hara"
    """
    letters = list(text.lower())
    begins = True
    for place, mark in enumerate(letters):
        if begins and mark.isalpha():
            # One letter can become two: some have a title form of their own.
            letters[place] = mark.title()
            begins = False
        elif mark.isspace() or mark in _WORD_MARKS:
            begins = True
        elif mark.isalnum():
            begins = False
    return "".join(letters)


def sentence_case(text: str) -> str:
    """
    Write the first letter as a capital and the others small.

    Examples
    --------
    >>> sentence_case(" OLD otter")
    ' Old otter'
    """
    small = text.lower()
    for place, mark in enumerate(small):
        if mark.isalpha():
            return small[:place] + mark.title() + small[place + 1 :]
    return small


_ONE_BY_ONE: dict[Case, Callable[[str], str]] = {
    "upper": str.upper,
    "lower": str.lower,
    "title": title_case,
    "sentence": sentence_case,
}


def change_case(column: Column, case: Case) -> Rewritten:
    """
    Write the letters of a field in capitals or small.

    Parameters
    ----------
    column : Column, n cells
    case : str
        ``upper``, ``lower``, ``title`` or ``sentence``.
    """
    n = len(column)
    slow, changed = np.zeros(n, np.bool_), np.zeros(n, np.bool_)

    def of_stretch(chunks: list[Chunk], where: slice) -> list[Any]:
        (chunk,) = chunks
        new, odd = _bytes_recased(chunk, case)
        slow[where] = odd
        differs = np.flatnonzero(new != chunk.bytes)
        if not len(differs):
            return [chunk.array]
        cells = np.searchsorted(chunk.offsets, differs, side="right") - 1
        fast = ~odd[cells]
        changed[where.start + cells[fast]] = True
        if not fast.all():
            new[differs[~fast]] = chunk.bytes[differs[~fast]]
        return [text_array(new, np.diff(chunk.offsets))]

    (result,) = by_stretches([column], of_stretch)
    if slow.any():
        slow[slow] = matching(filter_column(result, slow), _MAY_HAVE_CASE)
    if not slow.any():
        return Rewritten(result, changed)
    again = rewrite_distinct(result, _ONE_BY_ONE[case], slow)
    return Rewritten(again.column, changed | again.changed)


def one_case_mask(column: Column) -> Mask:
    """Mark the cells whose letters are all capitals, or all small."""
    parts: list[Mask] = []
    for chunk in text_chunks(column):
        kinds = kinds_in(chunk) & (UPPER | LOWER | WIDE)
        parts.append((kinds == UPPER) | (kinds == LOWER))
        wide = np.flatnonzero((kinds & WIDE) != 0)
        # Beyond ASCII, each distinct text is asked.
        texts = taken(pa.chunked_array([chunk.array]), wide).to_pylist()
        known = {text: text.isupper() or text.islower() for text in set(texts)}
        parts[-1][wide] = [known[text] for text in texts]
    return np.concatenate(parts) if parts else np.zeros(0, np.bool_)


def _bytes_recased(chunk: Chunk, case: Case) -> tuple[_Bytes, Mask]:
    """Return the bytes of cells in another case, and the cells it is not true of."""
    odd = np.zeros(len(chunk.array), np.bool_)
    if not len(chunk.bytes):
        return chunk.bytes, odd
    if chunk.bytes.max() >= 128:
        odd = (kinds_in(chunk) & WIDE) != 0
    if case == "upper":
        return _TO_UPPER[chunk.bytes], odd
    new = _TO_LOWER[chunk.bytes]
    if case == "lower":
        return new, odd
    is_letter = (new >= ord("a")) & (new <= ord("z"))
    starts = chunk.offsets[:-1][np.diff(chunk.offsets) > 0]
    if case == "title":
        # What stands before a letter; at the start of a cell, as good as a space.
        before = np.empty(len(new), np.uint8)
        before[1:] = _ROLES[chunk.bytes[:-1]]
        before[starts] = _PARTS_WORDS
        capital = is_letter & (before == _PARTS_WORDS)
        # Behind another mark: whether a word begins lies further back.
        unclear: Indices = np.flatnonzero(is_letter & (before == _OTHER))
    else:
        capital = np.zeros(len(new), np.bool_)
        capital[starts] = is_letter[starts]
        # Of a cell that begins with no letter, the first one lies further on.
        unclear = starts[~is_letter[starts]].astype(np.int64)
    if len(unclear):
        odd[np.searchsorted(chunk.offsets, unclear, side="right") - 1] = True
    new -= capital * np.uint8(ord("a") - ord("A"))
    return new, odd
