"""The rows of a tab of an ODS workbook, as XML (ISO/IEC 26300-1, 9.1).

A text is a paragraph a line, with elements for the spaces and tabs that XML would drop;
a number stands there as it is written, a date as it is in ISO 8601. Rows are made a few
thousand at a time, column by column.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any
from xml.sax.saxutils import quoteattr

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.text_bytes import are_filled, cells_at, chunk_of
from gruff_ledger.columns.arrays import in_one
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.threads import map_ahead
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.joined_rows import (
    Piece,
    choose,
    escaped_cells,
    in_each,
    join_rows,
    joined_records,
    select,
)
from gruff_ledger.lists.typed_cells import DATE, TEXT, kind_codes
from gruff_ledger.lists.workbook.xlsx_rows import has_outer_space

_MARKS = np.zeros(256, np.bool_)
_MARKS[:32] = True
_MARKS[[ord("&"), ord("<"), ord(">")]] = True
_MARKS_AND_SPACES = _MARKS.copy()
_MARKS_AND_SPACES[ord(" ")] = True

# Spaces at the start of a paragraph, at its end, and each that follows another.
_SPACES = late_pattern(r"^ +| +$|(?<= ) +")

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
    step = joined_records(len(fields))

    def rows(start: int) -> bytes:
        size = min(step, count - start)
        opening, ending = _ROW, _ROW_END
        if beneath is not None:
            mine = beneath[start : start + size]
            before = np.concatenate([beneath[start - 1 : start], mine])[-size - 1 : -1]
            if len(before) < size:
                before = np.concatenate([[False], before])
            after = np.concatenate([mine[1:], beneath[start + size :][:1], [False]])
            opening = choose([_ROW, _GROUP + _ROW], mine & ~before)
            ending = choose([_ROW_END, _ROW_END + _GROUP_END], mine & ~after[:size])
        pieces: list[Piece] = [opening]
        for field in fields:
            pieces += _cells(field, start, size)
        return join_rows([*pieces, ending], size)

    starts = range(0, count, step)
    yield from in_turn(map_ahead(rows, starts), len(starts))


def _cells(field: OdsField, start: int, size: int) -> list[Piece]:
    """Return the pieces of the cells of some records."""
    column = field.column.slice(start, size)
    filled = are_filled(column)
    cells = in_one(column)
    texts = _escaped(cells)
    mine = None if field.kinds is None else field.kinds[start : start + size]
    codes, kinds = kind_codes(filled, mine)
    # What is typed stands there twice: as the value, and as it is shown.
    values = "" if mine is None else select((mine != TEXT) & filled, texts, "")
    begins, mids, ends = ["<table:table-cell/>"], [""], [""]
    for kind in kinds:
        begins.append(_opening(kind, field.styles[kind]))
        mids.append("<text:p>" if kind == TEXT else '"><text:p>')
        ends.append("</text:p></table:table-cell>")
    pieces = [choose(words, codes) for words in (begins, mids, ends)]
    marked = [
        place
        for place in range(size if field.marked or field.notes else 0)
        if start + place in field.marked or field.notes.get(start + place)
    ]
    returns = np.flatnonzero(_with_returns(cells)).tolist()
    if marked or returns:
        opened, between, closed = (in_each(piece, size) for piece in pieces)
        for place in marked:
            style = field.marked.get(start + place)
            note = field.notes.get(start + place, "")
            if not codes[place]:
                opened[place] = f"<table:table-cell{_styled(style or '')}>"
                closed[place] = f"{note}</table:table-cell>"
            else:
                kind = kinds[codes[place] - 1]
                opened[place] = _opening(kind, style or field.styles[kind])
                between[place] = between[place].replace("<text:p>", f"{note}<text:p>")
        for place in returns:
            # A paragraph has no carriage returns: the value says what they are.
            plain = cells[place].as_py()
            said = quoteattr(plain, {"\r": "&#13;", "\n": "&#10;", "\t": "&#9;"})
            opened[place] = f"{opened[place][:-1]} office:string-value={said}>"
        pieces = [pa.array(each) for each in (opened, between, closed)]
    return [pieces[0], values, pieces[1], texts, pieces[2]]


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


def _escaped(cells: Any) -> Any:
    has_spaces = has_outer_space(pa.chunked_array([cells])) or (
        len(cells) and b"  " in chunk_of(cells).bytes.tobytes()
    )
    marks = _MARKS_AND_SPACES if has_spaces else _MARKS
    return escaped_cells(cells, marks, paragraphs)


def _with_returns(cells: Any) -> Mask:
    """Mark the cells that hold a carriage return."""
    if not len(cells):
        return np.zeros(0, np.bool_)
    chunk = chunk_of(cells)
    return cells_at(chunk, chunk.bytes == ord("\r"))


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
