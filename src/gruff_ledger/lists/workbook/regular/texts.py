"""The texts of regular cells, cut out of XML by arrays: numbers, texts, shared ones.

What could mean something else than it looks is not taken: white space that XML may
drop, escapes of the format, entities that there are not, numbers that are rounded.
"""

from __future__ import annotations

import re
from xml.parsers import expat

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text.weave import cut_out
from gruff_ledger.cells.text_bytes import Chunk, chunk_of
from gruff_ledger.columns.arrays import (
    arrow_functions,
    concat_columns,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.workbook.cell_texts import number_text
from gruff_ledger.lists.workbook.regular.stretches import Bytes, Places

_SHARED = late_pattern(
    rb"<si>(?:<t>([^<]*)</t>|<t xml:space=\"preserve\">([^<]*)</t>|(<t/>)|(.*?))</si>",
    re.DOTALL,
)
_ENTITY = late_pattern(
    r"&(?:(amp|lt|gt|quot|apos)|#([0-9]{1,7})|#x([0-9a-fA-F]{1,6}));|(&)"
)
_NAMED = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}

# A number that is written as a person would copy it down; and any without exponent.
_SHORT = r"\A(?:0|-?[1-9][0-9]{0,14}|-?(?:0|[1-9][0-9]{0,14})\.[0-9]{0,13}[1-9])\z"
_NOTHING = r"\A-[0.]+\z"
_PLAIN = r"\A-?[0-9]{1,15}(?:\.[0-9]{1,18})?\z"
_DECIMAL = r"\A-?(?:0|[1-9][0-9]{0,14})\.[0-9]{1,14}\z"
_MOST_DIGITS = 15


class Texts:
    """The texts of cells, cut out of the XML."""

    def __init__(self, data: Bytes, starts: Places, ends: Places) -> None:
        self._data = data
        self._starts = starts
        self._ends = ends

    def numbers(self, which: Places, shown: Places) -> tuple[Places, Column]:
        """
        Return the numbers that can be told, and their texts.

        Parameters
        ----------
        which : ndarray of int
        shown : ndarray of int
            Of all cells, how many decimals their formats show; 0 for as many as are, -1
            for as many as are written.
        """
        if not len(which):
            return which, text_column(())
        texts = self.as_written(which)
        wanted = shown[which]
        digits, decimals = _digits_of(chunk_of(texts.chunk(0)))
        is_short = matching(texts, _SHORT) & (digits <= _MOST_DIGITS)
        is_plain = is_short
        if not is_short.all():
            is_plain = is_short | (matching(texts, _PLAIN) & (wanted == 0))
        if (wanted > 0).any() or (wanted.any() and not is_short.all()):
            # As it is shown, it is written; else it is left to the library.
            as_shown = matching(texts, _DECIMAL) & (digits <= _MOST_DIGITS)
            as_shown &= ~matching(texts, _NOTHING)
            is_short |= as_shown & (wanted < 0)
            is_short = np.where(wanted > 0, as_shown & (decimals == wanted), is_short)
            is_plain = np.where(wanted == 0, is_plain, is_short)
        if not is_plain.all():
            which, is_short = which[is_plain], is_short[is_plain]
            texts = self.as_written(which)
        if is_short.all():
            return which, texts
        cells = texts.to_pylist()
        known: dict[str, str] = {}
        for place in np.flatnonzero(~is_short).tolist():
            cell = cells[place]
            if cell not in known:
                known[cell] = number_text(float(cell))
            cells[place] = known[cell]
        return which, text_column(cells)

    def shared(
        self, which: Places, known: tuple[Column, Mask] | None
    ) -> tuple[Places, Column]:
        """Return the cells with plain texts that they share, and those."""
        if known is None or not len(which):
            return which[:0], text_column(())
        texts, is_plain = known
        lengths = self._ends[which] - self._starts[which]
        numbers = np.zeros(len(which), np.int64)
        is_number = (lengths > 0) & (lengths < 9)
        for place in range(8):
            inside = is_number & (place < lengths)
            at = np.where(inside, self._starts[which] + place, 0)
            digits = self._data[at].astype(np.int64) - ord("0")
            is_number &= ~inside | ((digits >= 0) & (digits < 10))
            numbers = np.where(inside, numbers * 10 + digits, numbers)
        good = is_number & (numbers < len(is_plain))
        good[good] = is_plain[numbers[good]]
        return which[good], taken(texts, numbers[good])

    def inline(self, which: Places, kept: Mask) -> tuple[Places, Column]:
        """Return the cells whose own text is plain, and those."""
        good, texts = _plain_texts(self.as_written(which), kept[which])
        return which[good], texts

    def as_written(self, which: Places) -> Column:
        """Return the texts of some cells as they stand in the XML."""
        cells = cut_out(self._data, self._starts[which], self._ends[which])
        return pa.chunked_array([cells], pa.string())


def _digits_of(chunk: Chunk) -> tuple[Places, Places]:
    """Return how many digits numbers have, and how many behind the point."""
    signs = chunk.bytes_at_start() == ord("-")
    points = np.flatnonzero(chunk.bytes == ord("."))
    of_cell = np.searchsorted(chunk.offsets, points, side="right") - 1
    decimals = np.zeros(len(chunk.array), np.int64)
    decimals[of_cell] = chunk.offsets[1:][of_cell] - points - 1
    counted = np.bincount(of_cell, minlength=len(chunk.array))
    return np.diff(chunk.offsets) - signs - counted, decimals


def shared_texts(strings: bytes) -> tuple[Column, Mask] | None:
    """Return the texts that cells share, and which of them are plain."""
    try:
        # What is no XML is for the library to refuse.
        expat.ParserCreate().Parse(strings, True)
    except expat.ExpatError:
        return None
    found = _SHARED.findall(strings)
    if not found or strings.count(b"<si") != len(found) or not is_utf8(strings):
        return None
    raw = [plain or kept for plain, kept, _, _ in found]
    is_kept = np.array([bool(kept) for _, kept, _, _ in found])
    is_rich = np.array([bool(rich) for _, _, _, rich in found])
    column = pa.chunked_array([pa.array(raw, pa.binary()).cast(pa.string())])
    good, texts = _plain_texts(column, is_kept)
    is_plain = good & ~is_rich
    if good.all():
        return texts, is_plain
    # Of those that are not, none is asked for.
    places = np.zeros(len(good), np.int64)
    places[good] = np.arange(int(good.sum()))
    return taken(concat_columns([texts, text_column([""])]), places), is_plain


def _plain_texts(column: Column, is_kept: Mask) -> tuple[Mask, Column]:
    """
    Tell which texts of XLSX mean what they are, and return what those mean.

    Parameters
    ----------
    column : Column, n texts as they stand in XML
    is_kept : ndarray of bool, shape (n,)
        Whether white space around each is said to count.
    """
    good = ~(matching(column, r"\A[ \t\n]|[ \t\n]\z") & ~is_kept)
    good &= ~matching(column, r"_x|[\x00-\x08\x0b-\x1f]")
    texts = column if good.all() else column.filter(pa.array(good))
    has_meaning, meant = meant_texts(texts)
    if meant is not texts:
        # An escape of the format can be written by entities as well.
        is_plain = ~matching(meant, "_x")
        if not is_plain.all():
            meant = meant.filter(pa.array(is_plain))
            has_meaning[has_meaning] = is_plain
    good[good] = has_meaning
    return good, meant


def meant_texts(column: Column) -> tuple[Mask, Column]:
    """
    Tell which texts of XML mean something, and return what those mean.

    Parameters
    ----------
    column : Column, n texts as they stand in XML

    Returns
    -------
    good : ndarray of bool, shape (n,)
        False where an entity is none (XML 1.0, 4.1, 4.6).
    texts : Column, a cell for each that is; `column` itself where there are no entities
    """
    good = np.ones(len(column), np.bool_)
    marked = np.flatnonzero(matching(column, "&"))
    if not len(marked):
        return good, column
    meant = taken(column, marked)
    for name, mark in _NAMED.items():
        meant = _with(meant, f"&{name};", mark) if name != "amp" else meant
    # Which most that are left are.
    others = np.flatnonzero(matching(_with(meant, "&amp;", ""), "&"))
    cells = taken(column, marked[others]).to_pylist()
    meant = _with(meant, "&amp;", "&")
    texts = [_unescaped(cell) for cell in cells]
    good[marked[others]] = [text is not None for text in texts]
    # What is in the place of each.
    places = np.arange(len(column))
    places[marked] = np.arange(len(column), len(column) + len(marked))
    places[marked[others]] = np.arange(len(others)) + len(column) + len(marked)
    found = [column, meant, text_column(text or "" for text in texts)]
    return good, taken(concat_columns(found), places[good])


def _with(column: Column, text: str, other: str) -> Column:
    functions = arrow_functions()
    options = functions.ReplaceSubstringOptions(text, other)
    return functions.call_function("replace_substring", [column], options)


def _unescaped(text: str) -> str | None:
    """Return what a text with entities means (XML 1.0, 4.1, 4.6); None if nothing."""
    parts: list[str] = []
    at = 0
    for match in _ENTITY.finditer(text):
        parts.append(text[at : match.start()])
        at = match.end()
        if match[1]:
            parts.append(_NAMED[match[1]])
        elif match[4]:
            return None
        else:
            code = int(match[2]) if match[2] else int(match[3], 16)
            if code < 32 or code > 0x10FFFF or 0xD800 <= code < 0xE000:
                return None
            parts.append(chr(code))
    return "".join([*parts, text[at:]])


def is_utf8(xml: bytes) -> bool:
    """Whether XML is UTF-8, and says nothing else of itself."""
    if not says_utf8(xml):
        return False
    try:
        xml.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def says_utf8(xml: bytes) -> bool:
    """Whether XML says of itself that it is UTF-8, or says nothing."""
    head = xml[:200].lower()
    return b"encoding=" not in head or b"utf-8" in head
