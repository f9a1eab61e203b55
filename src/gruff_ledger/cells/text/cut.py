"""Cutting the cells of a field into parts: at delimiters, by widths, by a pattern.

Delimiters are found in the bytes of whole fields. Cells with quotes in them, and with
delimiters that overlap, are cut one by one, each distinct text once.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Sequence
from itertools import pairwise
from typing import Any, Literal, NamedTuple

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.blank import blank_mask, is_blank
from gruff_ledger.cells.keys.distinct import distinct, with_cells
from gruff_ledger.cells.text.weave import by_stretches, sliced
from gruff_ledger.cells.text_bytes import WIDE, Chunk, mask_of_kinds, text_chunks
from gruff_ledger.columns.arrays import (
    arrow_functions,
    concat_columns,
    filter_column,
    spread_column,
    text_column,
)
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms

Span = tuple[int, int]


class Cutting(NamedTuple):
    """
    Where to cut.

    Attributes
    ----------
    delimiters : tuple of str
        Any of them cuts; the longest first.
    which : str
        ``every``, ``first`` or ``last`` delimiter of a cell.
    respects_quotes : bool
        Whether a part in double quotes may have a delimiter in it.
    """

    delimiters: tuple[str, ...]
    which: Literal["every", "first", "last"] = "every"
    respects_quotes: bool = True


class Parts(NamedTuple):
    """
    The parts of n cells.

    Attributes
    ----------
    columns : list of Column, n cells each
        Empty cells where a part is missing.
    counts : ndarray of int64, shape (n,)
        How many parts each cell has; 0 for a blank cell.
    """

    columns: list[Column]
    counts: Indices


class Cuts(NamedTuple):
    """
    Where the cells of a field are cut.

    Attributes
    ----------
    starts, ends : list of ndarray, an array a chunk
        Of each delimiter, in the bytes of the chunk, in rising order.
    cells : list of ndarray, an array a chunk
        The cell of the chunk that each delimiter is in.
    counts : ndarray of int64, shape (n,)
        How many parts each cell has; 0 for a blank one.
    slow : ndarray of bool, shape (n,)
        The cells that are cut one by one; the arrays above have none of theirs.
    texts : list of (text, spans)
        The distinct slow cells, with the places of their delimiters.
    unquotes : bool
        Whether quotes around their parts are taken off.
    codes : ndarray of int64
        For each slow cell, which of the texts it is.
    """

    starts: list[Indices]
    ends: list[Indices]
    cells: list[Indices]
    counts: Indices
    slow: Mask
    texts: list[tuple[str, list[Span]]]
    unquotes: bool
    codes: Indices


def cuts_in(text: str, cutting: Cutting) -> list[Span]:
    """
    Return where one text is cut: start and end of each delimiter.

    Examples
    --------
    >>> cuts_in('A7; "pier; north";9', Cutting((";",)))
    [(2, 3), (17, 18)]
    """
    expression = _delimiter_expression(cutting.delimiters)
    quoted = cutting.respects_quotes and '"' in text
    found: list[Span] = []
    at = 0
    while True:
        after = _after_quoted(text, at, expression) if quoted else None
        match = expression.search(text, at if after is None else after)
        if match is None:
            break
        found.append(match.span())
        at = match.end()
    if cutting.which == "first":
        return found[:1]
    return found[-1:] if cutting.which == "last" else found


@functools.cache
def _delimiter_expression(delimiters: tuple[str, ...]) -> re.Pattern[str]:
    return re.compile("|".join(map(re.escape, delimiters)))


_OPENING = late_pattern(r'\s*"')


def _after_quoted(text: str, at: int, expression: re.Pattern[str]) -> int | None:
    """Return the end of a part in quotes that begins at `at`; None if none does."""
    opened = _OPENING.match(text, at)
    if opened is None:
        return None
    closed = opened.end()
    while (closed := text.find('"', closed)) >= 0:
        if text[closed + 1 : closed + 2] != '"':
            # Only white space may follow the closing quote.
            after = expression.search(text, closed + 1)
            behind = text[closed + 1 : after.start() if after else len(text)]
            return closed + 1 if is_blank(behind) else None
        closed += 2
    return None


def pieces_of(text: str, spans: Sequence[Span], *, unquote: bool = True) -> list[str]:
    """
    Return the parts of a text between delimiters, without quotes around them.

    Quotes stay where `unquote` is false.

    Examples
    --------
    >>> pieces_of('A7; "pier; north";9', [(2, 3), (17, 18)])
    ['A7', 'pier; north', '9']
    """
    starts = [0, *(end for _, end in spans)]
    ends = [*(start for start, _ in spans), len(text)]
    pieces = [text[start:end] for start, end in zip(starts, ends, strict=True)]
    return [_unquoted(piece) for piece in pieces] if unquote else pieces


def _unquoted(piece: str) -> str:
    bare = piece.strip()
    inner = bare[1:-1]
    if len(bare) < 2 or bare[0] != '"' or bare[-1] != '"':
        return piece
    return piece if '"' in inner.replace('""', "") else inner.replace('""', '"')


def _fitting(spans: list[Span], wanted: int, *, from_the_end: bool) -> list[Span]:
    """Leave out delimiters, so that there are no more than `wanted` parts."""
    if from_the_end:
        return spans[max(0, len(spans) - (wanted - 1)) :]
    return spans[: wanted - 1]


def find_cuts(column: Column, cutting: Cutting) -> Cuts:
    """Find where the cells of a field are cut."""
    chunks = list(text_chunks(column))
    found = mapped(lambda chunk: _cuts_of_chunk(chunk, cutting), chunks)
    slow = _concatenate([each[3] for each in found], np.bool_)
    counts = _concatenate([each[2] for each in found], np.int64)
    counts[blank_mask(column)] = 0
    texts: list[tuple[str, list[Span]]] = []
    codes = np.zeros(0, np.int64)
    if slow.any():
        values, codes = distinct(filter_column(column, slow))
        texts = [(text, cuts_in(text, cutting)) for text in values]
        numbers = [0 if is_blank(text) else len(spans) + 1 for text, spans in texts]
        counts[slow] = np.array(numbers, np.int64)[codes]
    starts = [each[0] for each in found]
    length = len(cutting.delimiters[0].encode("utf-8"))
    ends = [each + length for each in starts]
    cells = [each[1] for each in found]
    quotes = cutting.respects_quotes
    return Cuts(starts, ends, cells, counts, slow, texts, quotes, codes)


def _concatenate(parts: list[Any], kind: type) -> Any:
    return np.concatenate(parts) if parts else np.zeros(0, kind)


def _cuts_of_chunk(
    chunk: Chunk, cutting: Cutting
) -> tuple[Indices, Indices, Indices, Mask]:
    """Return starts, cells, counts of parts, and the cells to be cut one by one."""
    delimiters = [text.encode("utf-8") for text in cutting.delimiters]
    length = len(delimiters[0])
    n = len(chunk.array)
    at = _occurrences(chunk, delimiters)
    cells = _cells_at(chunk, at)
    slow = np.zeros(n, np.bool_)
    if len({len(text) for text in delimiters}) > 1 or (length > 1 < len(delimiters)):
        slow[cells] = True
    # One that reaches into the next cell is none.
    inside = at + length <= chunk.offsets[1:][cells]
    at, cells = at[inside], cells[inside]
    if len(at) > 1:
        overlap = (np.diff(at) < length) & (cells[1:] == cells[:-1])
        slow[cells[1:][overlap]] = True
    if cutting.respects_quotes:
        slow[_cells_at(chunk, np.flatnonzero(chunk.bytes == ord('"')))] = True
    if slow.any():
        fast = ~slow[cells]
        at, cells = at[fast], cells[fast]
    if cutting.which != "every" and len(at):
        edge = np.ones(len(at), np.bool_)
        differs = cells[1:] != cells[:-1]
        if cutting.which == "first":
            edge[1:] = differs
        else:
            edge[:-1] = differs
        at, cells = at[edge], cells[edge]
    return at, cells, np.bincount(cells, minlength=n) + 1, slow


def _cells_at(chunk: Chunk, at: Indices) -> Indices:
    """Return the cells that bytes belong to."""
    found: Indices = np.searchsorted(chunk.offsets, at, side="right") - 1
    return found


def _occurrences(chunk: Chunk, delimiters: Sequence[bytes]) -> Indices:
    """Return where, in rising order, a delimiter begins."""
    found = np.zeros(len(chunk.bytes), np.bool_)
    for text in delimiters:
        at = np.flatnonzero(chunk.bytes == text[0])
        at = at[at <= len(chunk.bytes) - len(text)]
        for place, byte in enumerate(text[1:], 1):
            at = at[chunk.bytes[at + place] == byte]
        found[at] = True
    return np.flatnonzero(found)


def cut(
    column: Column, cuts: Cuts, wanted: int, *, from_the_end: bool = False
) -> list[Column]:
    """
    Return the parts of all cells.

    Parameters
    ----------
    column : Column, n cells
    cuts : Cuts
    wanted : int
        How many columns to make. Further parts stay together, with their delimiters:
        in the last column, or in the first.
    from_the_end : bool
        Whether the first column has the further parts.
    """

    def of_chunk(place: int) -> list[pa.Array]:
        mine = cuts.starts[place], cuts.ends[place], cuts.cells[place]
        bounds = _bounds(chunks[place], *mine, wanted, from_the_end)
        return [sliced(chunks[place], low, high) for low, high in bounds]

    chunks = list(text_chunks(column))
    made = mapped(of_chunk, range(len(chunks)))
    columns = [_column_of([each[number] for each in made]) for number in range(wanted)]
    if cuts.slow.any():
        pieces = [
            pieces_of(
                text,
                _fitting(spans, wanted, from_the_end=from_the_end),
                unquote=cuts.unquotes,
            )
            for text, spans in cuts.texts
        ]
        filled = [each + [""] * (wanted - len(each)) for each in pieces]
        for number in range(wanted):
            now = spread_column([each[number] for each in filled], cuts.codes)
            columns[number] = with_cells(columns[number], cuts.slow, now)
    return columns


def _column_of(arrays: list[pa.Array]) -> Column:
    if not arrays:
        return text_column(())
    return concat_columns([pa.chunked_array([array]) for array in arrays])


def _bounds(
    chunk: Chunk,
    starts: Indices,
    ends: Indices,
    cells: Indices,
    wanted: int,
    from_the_end: bool,
) -> list[tuple[Indices, Indices]]:
    """Return for each new column where the part of each cell begins and ends."""
    low = chunk.offsets[:-1].astype(np.int64)
    high = chunk.offsets[1:].astype(np.int64)
    counts = np.bincount(cells, minlength=len(low))
    # The number of each delimiter in its cell.
    number = np.arange(len(cells)) - np.repeat(np.cumsum(counts) - counts, counts)
    if from_the_end:
        # The first delimiters are passed over.
        number -= np.repeat(np.maximum(counts - (wanted - 1), 0), counts)
    begins = [low, *(high.copy() for _ in range(wanted - 1))]
    stops = [high.copy() for _ in range(wanted)]
    for place in range(wanted - 1):
        here = number == place
        stops[place][cells[here]] = starts[here]
        begins[place + 1][cells[here]] = ends[here]
    return list(zip(begins, stops, strict=True))


def all_parts(column: Column, cuts: Cuts) -> tuple[Column, Indices]:
    """
    Return all parts of all cells end to end, and the cell that each is of.

    Parameters
    ----------
    column : Column, n cells
    cuts : Cuts

    Returns
    -------
    parts : Column, m cells
    cells : ndarray of int64, shape (m,)
        In rising order; each cell occurs at least once.
    """
    if cuts.slow.any():
        return _all_parts_one_by_one(column, cuts)
    arrays, owners, before = [], [np.zeros(0, np.int64)], 0
    for chunk, starts, ends, cells in zip(
        text_chunks(column), cuts.starts, cuts.ends, cuts.cells, strict=True
    ):
        size = len(chunk.array)
        # A part begins with its cell or behind a delimiter, and ends likewise.
        low = np.concatenate([chunk.offsets[:-1], ends])
        owner = np.concatenate([np.arange(size), cells])
        order = np.argsort(owner, kind="stable")
        high = np.concatenate([starts, chunk.offsets[1:]])
        ending = np.argsort(np.concatenate([cells, np.arange(size)]), kind="stable")
        arrays.append(sliced(chunk, low[order], high[ending]))
        owners.append(owner[order] + before)
        before += size
    return _column_of(arrays), np.concatenate(owners)


def _all_parts_one_by_one(column: Column, cuts: Cuts) -> tuple[Column, Indices]:
    """Do the same where some cells have quotes, which is rare, with Python's texts."""
    slow = [pieces_of(text, spans, unquote=cuts.unquotes) for text, spans in cuts.texts]
    codes = np.full(len(column), -1, np.int64)
    codes[cuts.slow] = cuts.codes
    most = int(cuts.counts.max(initial=1))
    fast = zip(*(each.to_pylist() for each in cut(column, cuts, most)), strict=True)
    counts = np.maximum(cuts.counts, 1).tolist()
    parts = [
        slow[code] if code >= 0 else list(cells[:count])
        for code, cells, count in zip(codes.tolist(), fast, counts, strict=True)
    ]
    lengths = np.fromiter(map(len, parts), np.int64, len(parts))
    flat = text_column(part for each in parts for part in each)
    return flat, np.repeat(np.arange(len(parts)), lengths)


def parts_by_widths(
    column: Column, widths: Sequence[int], *, from_the_end: bool = False
) -> Parts:
    """
    Cut the cells of a field into parts of so many characters.

    What a cell has beyond them belongs to the last part; or, where the widths are
    counted from the end, to the first.
    """
    sizes = [np.diff(chunk.offsets) for chunk in text_chunks(column)]
    lengths = _concatenate(sizes, np.int64).astype(np.int64)
    wide = mask_of_kinds(column, WIDE)
    total, ends = sum(widths), np.cumsum(widths)[:-1].tolist()

    def bounds(low: Any, high: Any) -> list[Any]:
        surplus = np.maximum(high - low - total, 0) if from_the_end else 0
        return [low, *(np.minimum(low + surplus + end, high) for end in ends), high]

    def of_stretch(chunks: list[Chunk], where: slice) -> list[Any]:
        (chunk,) = chunks
        high = chunk.offsets[1:].astype(np.int64)
        # Of cells whose characters are not bytes nothing is taken here.
        low = np.where(wide[where], high, chunk.offsets[:-1])
        edges = bounds(low, high)
        return [sliced(chunk, start, end) for start, end in pairwise(edges)]

    columns = by_stretches([column], of_stretch, len(widths))
    if wide.any():
        texts, codes = distinct(filter_column(column, wide))
        lengths[wide] = np.array([len(text) for text in texts], np.int64)[codes]
        edges = [bounds(0, len(text)) for text in texts]
        for number in range(len(widths)):
            now = [
                text[each[number] : each[number + 1]]
                for text, each in zip(texts, edges, strict=True)
            ]
            columns[number] = with_cells(
                columns[number], wide, spread_column(now, codes)
            )
    counts = (lengths[:, None] > np.array([0, *ends])).sum(axis=1) + (lengths > total)
    counts[blank_mask(column)] = 0
    return Parts(columns, counts.astype(np.int64))


def match_groups(column: Column, pattern: str) -> tuple[tuple[str, ...], Parts]:
    """
    Look for a pattern in every cell; its named groups are the parts.

    Parameters
    ----------
    column : Column, n cells
    pattern : str
        Of the RE2 dialect, which takes time in proportion to the text. It may match
        anywhere in a cell.

    Returns
    -------
    names : tuple of str
        Of the groups.
    parts : Parts
        A cell without a match has no parts; a group that took no part is empty.

    Raises
    ------
    BadTerms
        If the pattern is not of the dialect, or has groups without a name, or none.
    """
    functions = arrow_functions()
    options = functions.ExtractRegexOptions(pattern)

    def extracted(array: Any) -> Any:
        return functions.call_function("extract_regex", [array], options)

    try:
        kind = extracted(pa.array([""], pa.string())).type
    except pa.ArrowInvalid as error:
        reason = str(error).split("\n")[0].removeprefix("Invalid regular expression: ")
        unnamed = "named" in reason
        raise BadTerms(
            f"'{pattern}' cannot be used: "
            + ("a group has no name." if unnamed else f"{reason.rstrip('.')}."),
            "Name each group, as in (?P<pontoon>[A-Z]); (?:...) is none."
            if unnamed
            else "Correct the pattern; it is of the RE2 dialect.",
            term="pattern",
        ) from error
    names = tuple(kind.field(place).name for place in range(kind.num_fields))
    if not names:
        raise BadTerms(
            f"'{pattern}' has no named group.",
            "Name what is to be a field, as in (?P<pontoon>[A-Z]).",
            term="pattern",
        )
    arrays: list[list[Any]] = [[] for _ in names]
    hits = []
    for chunk in text_chunks(column):
        found = extracted(chunk.array)
        hits.append(found.is_valid().to_numpy(zero_copy_only=False).astype(np.bool_))
        for place, cells in enumerate(found.flatten()):
            arrays[place].append(cells.fill_null(""))
    counts = np.where(_concatenate(hits, np.bool_), len(names), 0).astype(np.int64)
    return names, Parts([_column_of(each) for each in arrays], counts)
