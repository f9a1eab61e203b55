"""What the regular cells of ODS tabs say, cut out of the XML by array work."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.columns.arrays import concat_columns, filter_column, text_column
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.lists.workbook.ods.heads import (
    BLANK,
    DATE,
    LEFT,
    NUMBER,
    PERCENT,
    TAG_TEXT,
    TEXT,
    TRUTH,
)
from gruff_ledger.lists.workbook.ods.structure import FoundCells
from gruff_ledger.lists.workbook.regular.stretches import Bytes, Places, are_at
from gruff_ledger.lists.workbook.regular.texts import Texts, meant_texts

# A day, and a time of it; a leap second the library takes for the one before.
_DAY = r"[0-9]{4}-[0-9]{2}-[0-9]{2}"
_TIME = r"[0-9]{2}:[0-9]{2}:[0-5][0-9]"


def texts_of(data: Bytes, cells: FoundCells, as_written: bool) -> tuple[Places, Column]:
    """Return the cells whose values are as they look, and their texts."""
    kinds = cells.kinds
    in_tag = (kinds != TEXT) & (kinds != LEFT) & (kinds != BLANK)
    starts = np.where(in_tag, cells.value_starts, cells.text_starts)
    ends = np.where(in_tag, cells.value_ends, cells.text_ends)
    _leave_doubtful(data, cells, starts, ends)
    texts = Texts(data, starts, ends)
    shown = np.full(len(kinds), -1 if as_written else 0)
    numbers = np.flatnonzero((kinds == NUMBER) | (kinds == PERCENT))
    found = [texts.numbers(numbers, shown)]
    for kind, read in _READ.items():
        which = np.flatnonzero(kinds == kind)
        if len(which):
            good, column = read(texts.as_written(which))
            found.append((which[good], column))
    chosen = np.concatenate([each for each, _ in found])
    return chosen, concat_columns([column for _, column in found])


def _leave_doubtful(
    data: Bytes, cells: FoundCells, starts: Places, ends: Places
) -> None:
    """Leave cells to the library with marks beside their texts that may be no XML."""

    def cells_around(at: Places) -> Places:
        return np.searchsorted(cells.starts, at, side="right") - 1

    kinds = cells.kinds
    if int(data.min()) < 32:
        is_low = (data < 32) & (data != ord("\n")) & (data != ord("\t"))
        around = cells_around(np.flatnonzero(is_low))
        kinds[around[around >= 0]] = LEFT
    at = np.flatnonzero(data == ord("&"))
    if len(at):
        # In the text of a cell they are read, elsewhere nothing else looks at them.
        around = cells_around(at)
        at, around = at[around >= 0], around[around >= 0]
        is_unread = (at < starts[around]) | (at >= ends[around])
        at, around = at[is_unread], around[is_unread]
        is_known = np.zeros(len(at), np.bool_)
        for entity in (b"&amp;", b"&lt;", b"&gt;", b"&quot;", b"&apos;"):
            is_known |= are_at(data, at, entity)
        kinds[around[~is_known]] = LEFT


def _in_tag(texts: Column) -> tuple[Mask, Column]:
    # In a tag, other white space stands for spaces (XML 1.0, 3.3.3).
    good = ~matching(texts, r"[\t\n]")
    has_meaning, meant = meant_texts(
        texts if good.all() else filter_column(texts, good)
    )
    good[good] = has_meaning
    return good, meant


def _days(texts: Column) -> tuple[Mask, Column]:
    # What is no day of the calendar the library takes for a text, which is the same.
    good = matching(texts, rf"\A{_DAY}(?:T{_TIME})?\z")
    return good, texts if good.all() else filter_column(texts, good)


def _truths(texts: Column) -> tuple[Mask, Column]:
    is_true, is_false = matching(texts, r"\Atrue\z"), matching(texts, r"\Afalse\z")
    good = is_true | is_false
    words = ("TRUE" if each else "FALSE" for each in is_true[good].tolist())
    return good, text_column(words)


# Of each kind but numbers: which of its texts are as they look, and what those say.
_READ = {TEXT: meant_texts, TAG_TEXT: _in_tag, DATE: _days, TRUTH: _truths}
