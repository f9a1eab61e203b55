"""When a cell is blank: empty, or nothing but white space and invisible characters.

White space is the Unicode property White_Space; invisible are the characters with the
property Default_Ignorable_Code_Point (zero-width spaces and joiners, soft hyphen,
byte-order mark, direction marks, variation selectors): Unicode Character Database,
PropList.txt and DerivedCoreProperties.txt. Words for "nothing", such as ``n/a``, are
not blank.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.text_bytes import Chunk, text_chunks
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern

# Records at the end of a list that are looked at in one go.
_LOOKED_AT_RECORDS = 1000

WHITE_SPACE = "\t-\r \x85\xa0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000"
INVISIBLE = (
    "\xad\u034f\u061c\u115f\u1160\u17b4\u17b5\u180b-\u180f\u200b-\u200f"
    "\u202a-\u202e\u2060-\u206f\u3164\ufe00-\ufe0f\ufeff\uffa0\ufff0-\ufff8"
    "\U0001bca0-\U0001bca3\U0001d173-\U0001d17a\U000e0000-\U000e0fff"
)
# Inside brackets of a regular expression.
BLANK_CHARACTERS = WHITE_SPACE + INVISIBLE


def listed(marks: str) -> str:
    """Return the characters that the brackets of a regular expression name."""
    return "".join(
        chr(code)
        for low, high in re.findall("(.)(?:-(.))?", marks, re.DOTALL)
        for code in range(ord(low), ord(high or low) + 1)
    )


_WHITE = listed(WHITE_SPACE)
_BLANK = late_pattern(f"[{BLANK_CHARACTERS}]*")


def _first_bytes() -> Mask:
    """Mark the bytes with which a blank character can begin in UTF-8."""
    marks = np.zeros(256, np.bool_)
    for low, high in re.findall("(.)(?:-(.))?", WHITE_SPACE + INVISIBLE, re.DOTALL):
        # First bytes rise with the characters.
        marks[low.encode()[0] : (high or low).encode()[0] + 1] = True
    return marks


_CAN_BEGIN_BLANK = _first_bytes()

# Text in Latin letters and figures begins between these, with no such byte.
_NEVER_FROM = int(np.flatnonzero(_CAN_BEGIN_BLANK[:128])[-1]) + 1
_NEVER_BELOW = 128


def strip_space(text: str) -> str:
    r"""
    Take white space off both ends of a text: that of Unicode, and no control codes.

    Examples
    --------
    >>> strip_space("\u00a0 7\t"), strip_space("7\x1f")
    ('7', '7\x1f')
    """
    return text.strip(_WHITE)


def is_blank(text: str) -> bool:
    """
    Whether one cell is blank.

    Examples
    --------
    >>> is_blank(" \\u00a0\\u200b"), is_blank("-"), is_blank("0")
    (True, False, False)
    """
    return _BLANK.fullmatch(text) is not None


def blank_mask(column: Column) -> Mask:
    """
    Mark the blank cells of a field.

    Parameters
    ----------
    column : Column, n cells

    Returns
    -------
    ndarray of bool, shape (n,)
    """
    chunks = list(text_chunks(column))
    if len(chunks) < 2:
        return _blank_in_chunk(chunks[0]) if chunks else np.zeros(0, np.bool_)
    return np.concatenate(mapped(_blank_in_chunk, chunks))


def end_of_filled(columns: Sequence[Column], end: int) -> int:
    """
    Return where the blank records at the end of a list begin.

    Parameters
    ----------
    columns : sequence of Column
        The fields of the list.
    end : int
        Records from here on are not looked at.

    Returns
    -------
    int
        One more than the index of the last record that holds something; 0 where none
        does.
    """
    while end and columns:
        start = max(0, end - _LOOKED_AT_RECORDS)
        last = start
        # A field that is filled to the end, as most are, spares all others.
        for column in columns:
            filled = np.flatnonzero(~blank_mask(column.slice(last, end - last)))
            last += int(filled[-1]) + 1 if len(filled) else 0
            if last == end:
                return end
        if last > start:
            return last
        end = start
    return 0


def _blank_in_chunk(chunk: Chunk) -> Mask:
    lengths = np.diff(chunk.offsets)
    blank: Mask = lengths == 0
    if not len(chunk.bytes):
        return blank
    first = chunk.bytes.take(np.minimum(chunk.offsets[:-1], len(chunk.bytes) - 1))
    if first.min() >= _NEVER_FROM and first.max() < _NEVER_BELOW:
        return blank
    doubtful = np.flatnonzero(_CAN_BEGIN_BLANK[first] & ~blank)
    if len(doubtful):
        # Each distinct text is decided on once.
        texts = taken(pa.chunked_array([chunk.array]), doubtful).to_pylist()
        decided = {text: is_blank(text) for text in set(texts)}
        blank[doubtful] = [decided[text] for text in texts]
    return blank
