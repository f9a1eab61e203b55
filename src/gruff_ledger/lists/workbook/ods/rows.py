"""The rows of a tab of an ODS workbook, as XML (ISO/IEC 26300-1, 9.1).

A text is a paragraph a line, with elements for the spaces and tabs that XML would drop;
a number stands there as it is written, a date as it is in ISO 8601. Rows are made a few
thousand at a time, column by column.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from xml.sax.saxutils import quoteattr

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.lists.joined_rows import (
    JOINED_RECORDS,
    choose,
    escaped_cells,
    filled_cells,
    join_rows,
)
from gruff_ledger.lists.typed_cells import DATE, TEXT, kind_codes
from gruff_ledger.lists.workbook.xlsx_rows import has_outer_space

_MARKS = np.zeros(256, np.bool_)
_MARKS[:32] = True
_MARKS[[ord("&"), ord("<"), ord(">")]] = True
_MARKS_AND_SPACES = _MARKS.copy()
_MARKS_AND_SPACES[ord(" ")] = True

# Spaces at the start of a paragraph, at its end, and each that follows another.
_SPACES = re.compile(r"^ +| +$|(?<= ) +")

_ROW, _ROW_END = "<table:table-row>", "</table:table-row>"
_GROUP, _GROUP_END = "<table:table-row-group>", "</table:table-row-group>"


class OdsField(msgspec.Struct, frozen=True, eq=False):
    """
    A field as a column of a tab.

    Attributes
    ----------
    column : Column, n cells
    kinds : ndarray of int8, shape (n,), optional
        See `typed_cells`; None where all are texts.
    styles : mapping
        The name of the style of each kind; empty where the column has it.
    marked : mapping
        The name of another style for some records, by their index.
    notes : mapping
        What is put beside the cells of some records.
    """

    column: Column
    kinds: npt.NDArray[np.int8] | None
    styles: Mapping[int, str]
    marked: Mapping[int, str]
    notes: Mapping[int, str]


def ods_rows(
    fields: Sequence[OdsField], count: int, beneath: Mask | None = None
) -> Iterator[bytes]:
    """
    Yield the rows of a tab below its heading.

    Parameters
    ----------
    fields : sequence of OdsField
    count : int
        How many records there are.
    beneath : ndarray of bool, shape (n,), optional
        The records that are detail of one above, and grouped.
    """
    starts = range(0, count, JOINED_RECORDS)
    for start in in_turn(starts, len(starts)):
        size = min(JOINED_RECORDS, count - start)
        opening, ending = [_ROW] * size, [_ROW_END] * size
        if beneath is not None:
            mine = beneath[start : start + size]
            before = np.concatenate([beneath[start - 1 : start], mine])[-size - 1 : -1]
            if len(before) < size:
                before = np.concatenate([[False], before])
            after = np.concatenate([mine[1:], beneath[start + size :][:1], [False]])
            opening = choose([_ROW, _GROUP + _ROW], mine & ~before)
            ending = choose([_ROW_END, _ROW_END + _GROUP_END], mine & ~after[:size])
        pieces: list[Sequence[str]] = [opening]
        for field in fields:
            pieces += _cells(field, start, size)
        pieces.append(ending)
        yield join_rows(pieces, size).encode("utf-8")


def _cells(field: OdsField, start: int, size: int) -> list[list[str]]:
    """Return the pieces of the cells of some records."""
    column = field.column.slice(start, size)
    filled = filled_cells(column)
    texts = _escaped(column)
    mine = None if field.kinds is None else field.kinds[start : start + size]
    codes, kinds = kind_codes(filled, mine)
    values: list[str] = [""] * size
    if mine is not None:
        # What is typed stands there twice: as the value, and as it is shown.
        values = list(texts)
        for place in np.flatnonzero((mine == TEXT) | ~filled).tolist():
            values[place] = ""
    begins, mids, ends = ["<table:table-cell/>"], [""], [""]
    for kind in kinds:
        begins.append(_opening(kind, field.styles[kind]))
        mids.append("<text:p>" if kind == TEXT else '"><text:p>')
        ends.append("</text:p></table:table-cell>")
    opened, between = choose(begins, codes), choose(mids, codes)
    closed = choose(ends, codes)
    for place in range(size) if field.marked or field.notes else ():
        record = start + place
        style, note = field.marked.get(record), field.notes.get(record, "")
        if style is None and not note:
            continue
        if not codes[place]:
            opened[place] = f"<table:table-cell{_styled(style or '')}>"
            closed[place] = f"{note}</table:table-cell>"
        else:
            kind = kinds[codes[place] - 1]
            opened[place] = _opening(kind, style or field.styles[kind])
            between[place] = between[place].replace("<text:p>", f"{note}<text:p>")
    for place in _with_returns(column):
        # A paragraph has no carriage returns: the value says what they are.
        plain = column[place].as_py()
        said = quoteattr(plain, {"\r": "&#13;", "\n": "&#10;", "\t": "&#9;"})
        opened[place] = f"{opened[place][:-1]} office:string-value={said}>"
    return [opened, values, between, texts, closed]


def _styled(style: str) -> str:
    return f' table:style-name="{style}"' if style else ""


def _opening(kind: int, style: str) -> str:
    """Return the tag of a cell, up to its value where it has one."""
    start = f"<table:table-cell{_styled(style)} office:value-type="
    if kind == TEXT:
        return f'{start}"string">'
    if kind == DATE:
        return f'{start}"date" office:date-value="'
    return f'{start}"float" office:value="'


def _escaped(column: Column) -> list[str]:
    has_spaces = has_outer_space(column) or any(
        b"  " in chunk.bytes.tobytes() for chunk in text_chunks(column)
    )
    marks = _MARKS_AND_SPACES if has_spaces else _MARKS
    return escaped_cells(column, marks, paragraphs)


def _with_returns(column: Column) -> list[int]:
    """Return which cells hold a carriage return."""
    found: list[int] = []
    start = 0
    for chunk in text_chunks(column):
        at = np.flatnonzero(chunk.bytes == ord("\r"))
        cells = np.unique(np.searchsorted(chunk.offsets, at, side="right") - 1)
        found += (cells + start).tolist()
        start += len(chunk.array)
    return found


def paragraphs(text: str) -> str:
    """
    Return a text as it stands between the tags of a paragraph.

    Examples
    --------
    >>> paragraphs("a  b & c")
    'a <text:s text:c="1"/>b &amp; c'
    """
    text = text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    lines = re.split(r"\r\n|\r|\n", text)
    shown = [
        _SPACES.sub(lambda match: f'<text:s text:c="{len(match[0])}"/>', line).replace(
            "\t", "<text:tab/>"
        )
        for line in lines
    ]
    return "</text:p><text:p>".join(shown)
