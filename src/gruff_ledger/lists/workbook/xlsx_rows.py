"""The rows of a tab of an XLSX workbook, as XML (ISO/IEC 29500-1, 18.3.1.80).

A text stands in its cell (``inlineStr``), a number as it is written, a date as the
number of its day. Rows are made a few thousand at a time, column by column.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

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

_LIKE_ESCAPE = re.compile("_(?=x[0-9a-fA-F]{4}_)")
_CONTROL = re.compile(r"[\x00-\x08\x0b-\x1f]")

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
    starts = range(0, count, JOINED_RECORDS)
    for start in in_turn(starts, len(starts)):
        size = min(JOINED_RECORDS, count - start)
        numbers = [str(row) for row in range(start + 2, start + 2 + size)]
        opening = ['">'] * size
        if beneath is not None:
            opening = choose(['">', '" outlineLevel="1">'], beneath[start:][:size])
        pieces: list[Sequence[str]] = [['<row r="'] * size, numbers, opening]
        for head, field in zip(heads, fields, strict=True):
            pieces += _cells(head, field, start, numbers)
        pieces.append(["</row>"] * size)
        yield join_rows(pieces, size).encode("utf-8")


def _cells(
    head: str, field: TabField, start: int, numbers: list[str]
) -> list[list[str]]:
    """Return the pieces of the cells of some records; a blank cell has none."""
    size = len(numbers)
    column = field.column.slice(start, size)
    texts = _escaped(column)
    filled = filled_cells(column)
    opening = '" t="inlineStr"><is><t>'
    if has_outer_space(column):
        opening = '" t="inlineStr"><is><t xml:space="preserve">'
    mine = None if field.kinds is None else field.kinds[start : start + size]
    codes, kinds = kind_codes(filled, mine)
    if mine is not None and DATE in kinds:
        _number_days(texts, np.flatnonzero((mine == DATE) & filled).tolist())
    # Of a blank cell, and of each kind: behind its place, and behind its text.
    openings = ['"/>', *(opening if kind == TEXT else '"><v>' for kind in kinds)]
    begins, ends = [""], [""]
    for kind, said in zip(kinds, openings[1:], strict=True):
        style = field.styles[kind]
        begins.append(f'" s="{style}{said}' if style else said)
        ends.append("</t></is></c>" if kind == TEXT else "</v></c>")
    if len(kinds) == 1 and filled.all():
        mids, closings = [begins[1]] * size, [ends[1]] * size
        firsts = [head] * size
    else:
        mids, closings = choose(begins, codes), choose(ends, codes)
        firsts = choose(["", head], filled)
        numbers = [
            number if there else ""
            for number, there in zip(numbers, filled.tolist(), strict=True)
        ]
    if field.marked:
        numbers = list(numbers)
        for place in range(size):
            marked = field.marked.get(start + place)
            if marked is None:
                continue
            firsts[place], numbers[place] = head, str(start + place + 2)
            mids[place] = f'" s="{marked}{openings[codes[place]]}'
    return [firsts, numbers, mids, texts, closings]


def _number_days(texts: list[str], places: list[int]) -> None:
    """Put the number of its day in the place of each date."""
    known: dict[str, str] = {}
    for place in places:
        text = texts[place]
        number = known.get(text)
        if number is None:
            number = known[text] = str(day_number(text))
        texts[place] = number


def _escaped(column: Column) -> list[str]:
    has_escapes = any(b"_x" in chunk.bytes.tobytes() for chunk in text_chunks(column))
    return escaped_cells(column, _MARKS_AND_ESCAPES if has_escapes else _MARKS, escape)


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
