"""The rows of a tab of an XLSX workbook, as XML (ISO/IEC 29500-1, 18.3.1.80).

A text stands in its cell (``inlineStr``), a number as it is written, a date as the
number of its day. Rows are made a few thousand at a time, column by column.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.text_bytes import are_filled, chunk_of, text_chunks
from gruff_ledger.columns.arrays import in_one, number_column
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
    remade,
    select,
)
from gruff_ledger.lists.typed_cells import DATE, TEXT, day_number, kind_codes
from gruff_ledger.lists.workbook.places import letters_of

# What has a meaning of its own in XML, or cannot be in it (ISO/IEC 29500-1, 22.9.2.19,
# ST_Xstring); an underscore only where it could begin such an escape.
_MARKS = np.zeros(256, np.bool_)
_MARKS[:32] = True
_MARKS[[ord("\t"), ord("\n")]] = False
_MARKS[[ord("&"), ord("<"), ord(">")]] = True
_MARKS_AND_ESCAPES = _MARKS.copy()
_MARKS_AND_ESCAPES[ord("_")] = True

_LIKE_ESCAPE = late_pattern("_(?=x[0-9a-fA-F]{4}_)")
_CONTROL = late_pattern(r"[\x00-\x08\x0b-\x1f]")

_SPACE = 0x20


class TabField(msgspec.Struct, frozen=True, eq=False):
    """
    A field as a column of a tab.

    Attributes
    ----------
    column : Column, n cells
    kinds : ndarray of int8, shape (n,), optional
        See `typed_cells`; None where all are texts.
    styles : mapping
        The number of the format of each kind.
    marked : mapping
        The number of another format for some records, by their index.
    """

    column: Column
    kinds: npt.NDArray[np.int8] | None
    styles: Mapping[int, int]
    marked: Mapping[int, int]


def sheet_rows(
    fields: Sequence[TabField], count: int, beneath: Mask | None = None
) -> Iterator[bytes]:
    """
    Yield the rows of a tab below its heading.

    Parameters
    ----------
    fields : sequence of TabField
    count : int
        How many records there are.
    beneath : ndarray of bool, shape (n,), optional
        The records that are detail of one above, and on a level of their own.
    """
    heads = [f'<c r="{letters_of(place)}' for place in range(1, len(fields) + 1)]
    step = joined_records(len(fields))

    def rows(start: int) -> bytes:
        size = min(step, count - start)
        numbers = in_one(number_column(np.arange(start + 2, start + 2 + size)))
        opening = '">'
        if beneath is not None:
            opening = choose(['">', '" outlineLevel="1">'], beneath[start:][:size])
        pieces: list[Piece] = ['<row r="', numbers, opening]
        for head, field in zip(heads, fields, strict=True):
            pieces += _cells(head, field, start, numbers)
        return join_rows([*pieces, "</row>"], size)

    starts = range(0, count, step)
    yield from in_turn(map_ahead(rows, starts), len(starts))


def _cells(head: str, field: TabField, start: int, numbers: Any) -> list[Piece]:
    """Return the pieces of the cells of some records; a blank cell has none."""
    size = len(numbers)
    column = field.column.slice(start, size)
    filled = are_filled(column)
    opening = '" t="inlineStr"><is><t>'
    if has_outer_space(column):
        opening = '" t="inlineStr"><is><t xml:space="preserve">'
    mine = None if field.kinds is None else field.kinds[start : start + size]
    codes, kinds = kind_codes(filled, mine)
    texts = _escaped(in_one(column))
    if mine is not None and DATE in kinds:
        texts = remade(texts, (mine == DATE) & filled, _number_of_day())
    # Of a blank cell, and of each kind: behind its place, and behind its text.
    openings = ['"/>', *(opening if kind == TEXT else '"><v>' for kind in kinds)]
    begins, ends = [""], [""]
    for kind, said in zip(kinds, openings[1:], strict=True):
        style = field.styles[kind]
        begins.append(f'" s="{style}{said}' if style else said)
        ends.append("</t></is></c>" if kind == TEXT else "</v></c>")
    firsts, mids = choose(["", head], filled), choose(begins, codes)
    places = select(filled, numbers, "")
    marked = [
        place
        for place in range(size if field.marked else 0)
        if start + place in field.marked
    ]
    if marked:
        firsts, places, mids = (in_each(each, size) for each in (firsts, places, mids))
        for place in marked:
            firsts[place], places[place] = head, str(start + place + 2)
            mids[place] = f'" s="{field.marked[start + place]}{openings[codes[place]]}'
        firsts, places, mids = map(pa.array, (firsts, places, mids))
    return [firsts, places, mids, texts, choose(ends, codes)]


def _number_of_day() -> Callable[[str], str]:
    """Return what gives the number of a date, and works out each but once."""
    return functools.cache(lambda text: str(day_number(text)))


def _escaped(cells: Any) -> Any:
    has_escapes = len(cells) and b"_x" in chunk_of(cells).bytes.tobytes()
    return escaped_cells(cells, _MARKS_AND_ESCAPES if has_escapes else _MARKS, escape)


def escape(text: str) -> str:
    """
    Return a text as it stands in a cell.

    Examples
    --------
    >>> escape("a & b_x0041_")
    'a &amp; b_x005F_x0041_'
    """
    if "_x" in text:
        text = _LIKE_ESCAPE.sub("_x005F_", text)
    if not text.isprintable():
        text = _CONTROL.sub(lambda match: f"_x{ord(match[0]):04X}_", text)
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def has_outer_space(column: Column) -> bool:
    """Whether some cell begins or ends with white space, which XML would drop."""
    for chunk in text_chunks(column):
        lengths = np.diff(chunk.offsets)
        begins = chunk.offsets[:-1][lengths > 0]
        ends = chunk.offsets[1:][lengths > 0] - 1
        if (chunk.bytes[begins] <= _SPACE).any() or (chunk.bytes[ends] <= _SPACE).any():
            return True
    return False
