"""Writing delimited text (RFC 4180): a heading row, then a line a record.

UTF-8 without a byte-order mark, lines ended by a line feed. A cell is quoted only where
it must be: when it holds the delimiter, a double quote or a line end.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, BinaryIO, NamedTuple, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.csv as arrow_csv

from gruff_ledger.cells.text.weave import text_array
from gruff_ledger.cells.text_bytes import Chunk, cell_bytes, chunk_of, text_chunks
from gruff_ledger.columns.arrays import (
    arrow_functions,
    concat_columns,
    filter_column,
    taken,
)
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.storage import storage
from gruff_ledger.columns.threads import map_ahead
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.reading_terms import named_character
from gruff_ledger.storage.stretches import take_in_runs
from gruff_ledger.table import Table


class _Style(NamedTuple):
    """How lines are written."""

    delimiter: str
    line_end: str
    quote_all: bool


_T = TypeVar("_T")
_R = TypeVar("_R")

# Records formatted at a time: enough to keep threads busy, little enough that the
# text in hand stays small beside the list.
_STRETCH_RECORDS = 1 << 14

# Lines that are put in order lie in one array, whose offsets are 32-bit numbers.
_MOST_BYTES_IN_LINES = 1 << 30

# Cells looked at before all are, to see whether a column could be constant.
_FEW_CELLS = 10

_BYTE_ORDER_MARK = "\ufeff"


def write_list(output: Output, sink: BinaryIO) -> None:
    """Write an output as its terms say; tabs are between cells of .tsv and .tab."""
    terms = output.terms
    is_tabbed = output.path.suffix.lower() in (".tsv", ".tab")
    write_delimited(
        output.table,
        sink,
        named_character(terms.delimiter or ("tab" if is_tabbed else ",")),
        crlf=terms.line_ends == "crlf",
        byte_order_mark=terms.byte_order_mark,
        quote_all=terms.quote == "all",
    )


def write_delimited(
    table: Table,
    sink: BinaryIO,
    delimiter: str = ",",
    *,
    crlf: bool = False,
    byte_order_mark: bool = False,
    heading: bool = True,
    quote_all: bool = False,
) -> None:
    """
    Write a table as delimited text.

    Parameters
    ----------
    table : Table
    sink : binary file
    delimiter : str
        One ASCII character.
    crlf : bool
        End lines by a carriage return and a line feed; else by a line feed only.
    byte_order_mark : bool
        Put the mark in front by which some programs know UTF-8.
    heading : bool
        Whether to write the heading row; not when more of a list is added to it.
    quote_all : bool
        Put every cell in double quotes; else only those that need them.

    Notes
    -----
    Read back with the same delimiter, UTF-8 and its heading in the first row, the text
    gives the same cells, but for blank records at the end, which reading leaves out.
    """
    if byte_order_mark:
        sink.write(_BYTE_ORDER_MARK.encode("utf-8"))
    style = _Style(delimiter, "\r\n" if crlf else "\n", quote_all)
    if heading:
        sink.write(_heading_line(table.headings, style))
    if not table.headings:
        return
    for text in _in_turn(table, style):
        sink.write(text)


def _heading_line(headings: tuple[str, ...], style: _Style) -> bytes:
    cells = [_quote_if_needed(heading, style) for heading in headings]
    # A mark in front would be taken for the file's own, and a lone empty heading for
    # an empty file.
    if cells and (cells[0].startswith(_BYTE_ORDER_MARK) or cells == [""]):
        cells[0] = _quoted(headings[0])
    return (style.delimiter.join(cells) + style.line_end).encode("utf-8")


def _quote_if_needed(cell: str, style: _Style) -> str:
    if style.quote_all:
        return _quoted(cell)
    return (
        _quoted(cell)
        if any(mark in cell for mark in f'{style.delimiter}"\r\n')
        else cell
    )


def _quoted(cell: str) -> str:
    return '"' + cell.replace('"', '""') + '"'


def _in_turn(table: Table, style: _Style) -> Iterator[memoryview | bytes]:
    """
    Format the records.

    Of a sorted list the lines are put in order, and of one that a few records are left
    out of, the lines are left out: that is less work than on each field.
    """
    moved = table.before_order() if len(table) > _STRETCH_RECORDS else None
    if moved is not None:
        columns, order = moved
        if not storage().holds_whole:
            stretches = _stretches_of_lines(columns, style)
            for part in take_in_runs(concat_columns(stretches), order):
                yield chunk_of(part.chunk(0)).bytes.data
            return
        lines = _all_lines(columns, style)
        if lines is not None:
            yield from _reorder_lines(lines, order)
            return

    whole = table.before_keeping()
    if whole is not None and storage().holds_whole:
        bases, wanted = whole
        if len(table) * 4 >= len(wanted) * 3:
            yield from _filter_lines(bases, wanted, style)
            return

    def format_cells(stretch: Callable[[], list[Column]]) -> memoryview:
        columns = stretch()
        text = _without_quotes(columns, style)
        if text is None:
            return _lines_with_quotes(columns, style).bytes.data
        return text

    yield from _a_few_ahead(format_cells, table.stretches(_STRETCH_RECORDS), len(table))


def _all_lines(whole_columns: Sequence[Column], style: _Style) -> Column | None:
    """Return the lines of all records; None where they are too much for one array."""
    n = len(whole_columns[0])
    marks = len(whole_columns) - 1 + len(style.line_end)
    size = sum(map(cell_bytes, whole_columns)) + n * marks
    if size > _MOST_BYTES_IN_LINES:
        return None
    # Stretches are put in their places one by one, so that all of them are never there
    # twice. Only quotes take more room than was reckoned with.
    whole = np.empty(size, np.uint8)
    lengths, used = [], 0
    for data, mine in _lines_in_turn(whole_columns, style):
        if used + len(data) > len(whole):
            more = np.empty(len(whole) // 2 + len(data), np.uint8)
            whole = np.concatenate([whole[:used], more])
        whole[used : used + len(data)] = data
        used += len(data)
        lengths.append(mine)
    if used > _MOST_BYTES_IN_LINES:
        return None
    return pa.chunked_array([text_array(whole[:used], np.concatenate(lengths))])


def _lines_in_turn(
    whole_columns: Sequence[Column], style: _Style
) -> Iterator[tuple[npt.NDArray[np.uint8], npt.NDArray[np.integer]]]:
    """Yield the lines of all records, stretch by stretch: their bytes and lengths."""
    n = len(whole_columns[0])

    def lines_of(start: int) -> tuple[npt.NDArray[np.uint8], npt.NDArray[np.integer]]:
        columns = [column.slice(start, _STRETCH_RECORDS) for column in whole_columns]
        return _lines(columns, style)

    return _a_few_ahead(lines_of, range(0, n, _STRETCH_RECORDS), n)


def _lines(
    columns: list[Column], style: _Style
) -> tuple[npt.NDArray[np.uint8], npt.NDArray[np.integer]]:
    """Return the lines of a stretch: their bytes and lengths."""
    text = _without_quotes(columns, style)
    if text is None:
        lines = _lines_with_quotes(columns, style)
        return lines.bytes, np.diff(lines.offsets)
    # Without quotes a line is its cells and the marks between and behind them.
    marks = len(columns) - 1 + len(style.line_end)
    lengths = np.full(len(columns[0]), marks, np.int32)
    for column in columns:
        at = 0
        for chunk in text_chunks(column):
            mine = lengths[at : at + len(chunk.array)]
            mine += chunk.offsets[1:]
            mine -= chunk.offsets[:-1]
            at += len(mine)
    return np.frombuffer(text, np.uint8), lengths


def _filter_lines(
    columns: list[Column], wanted: Mask, style: _Style
) -> Iterator[memoryview | bytes]:
    """Yield the lines of the records that are wanted."""

    def of_stretch(start: int) -> memoryview | bytes:
        stretch = [column.slice(start, _STRETCH_RECORDS) for column in columns]
        data, lengths = _lines(stretch, style)
        mask = wanted[start : start + _STRETCH_RECORDS]
        if mask.all():
            return data.data
        if len(data) > _MOST_BYTES_IN_LINES:
            few = [filter_column(column, mask) for column in stretch]
            return _lines(few, style)[0].data if mask.any() else b""
        lines = filter_column(pa.chunked_array([text_array(data, lengths)]), mask)
        # Of one chunk there is one left, or none.
        return next((chunk.bytes.data for chunk in text_chunks(lines)), b"")

    n = len(wanted)
    return _a_few_ahead(of_stretch, range(0, n, _STRETCH_RECORDS), n)


def _stretches_of_lines(columns: Sequence[Column], style: _Style) -> Iterator[Column]:
    for data, lengths in _lines_in_turn(columns, style):
        yield pa.chunked_array([text_array(data, lengths)])


def _reorder_lines(lines: Column, order: Indices) -> Iterator[memoryview]:
    def stretch_of(places: Indices) -> memoryview:
        return chunk_of(taken(lines, places).combine_chunks()).bytes.data

    starts = range(0, len(order), _STRETCH_RECORDS)
    places = (order[start : start + _STRETCH_RECORDS] for start in starts)
    yield from _a_few_ahead(stretch_of, places, len(order))


def _a_few_ahead(
    work: Callable[[_T], _R], items: Iterable[_T], records: int
) -> Iterator[_R]:
    done = (map if records <= _STRETCH_RECORDS else map_ahead)(work, items)
    return in_turn(done, -(-records // _STRETCH_RECORDS))


def _without_quotes(columns: list[Column], style: _Style) -> memoryview | None:
    """Return the lines of some records, if no cell needs quotes."""
    if len(columns) < 2 or style.quote_all:
        return None
    names = [str(place) for place in range(len(columns))]
    options = arrow_csv.WriteOptions(
        include_header=False, delimiter=style.delimiter, quoting_style="none"
    )
    sink = pa.BufferOutputStream()
    try:
        part = pa.Table.from_arrays(columns, names=names)
        arrow_csv.write_csv(part, sink, options)
    except pa.ArrowInvalid:
        # Some cell needs quotes; Arrow would then quote every one.
        return None
    text = memoryview(sink.getvalue())
    if style.line_end == "\n":
        return text
    # Arrow ends lines by a line feed; no cell without quotes holds one.
    return memoryview(bytes(text).replace(b"\n", style.line_end.encode("ascii")))


def _lines_with_quotes(columns: list[Column], style: _Style) -> Chunk:
    ready = [_quote_column(pa.concat_arrays(each.chunks), style) for each in columns]
    if len(ready) == 1:
        # An empty line could be taken for no record at all.
        call = arrow_functions().call_function
        is_empty = call("equal", [ready[0], _text("")])
        line = call("if_else", [is_empty, _text('""'), ready[0]])
    else:
        line = _woven(*ready, _text(style.delimiter))
    # The line end is the delimiter between the line and an empty text after it.
    return chunk_of(_woven(line, _text(""), _text(style.line_end)))


def _text(text: str) -> Any:
    return pa.scalar(text, pa.string())


def _woven(*parts: Any) -> Any:
    """Join texts record by record; the last part is what stands between them."""
    functions = arrow_functions()
    options = functions.JoinOptions()
    return functions.call_function("binary_join_element_wise", list(parts), options)


def _is_constant(column: Any) -> bool:
    """Whether all cells are equal, as in a field of the ledger they often are."""
    chunk = chunk_of(column)
    lengths = np.diff(chunk.offsets)
    if (lengths != lengths[0]).any():
        return False
    rows = chunk.bytes.reshape(len(lengths), lengths[0])
    return bool((rows == rows[0]).all())


def _quote_column(column: Any, style: _Style) -> Any:
    data = chunk_of(column).bytes
    if not style.quote_all and not any(
        np.any(data == ord(mark)) for mark in f'{style.delimiter}"\r\n'
    ):
        return column
    if len(set(column.slice(0, _FEW_CELLS).to_pylist())) == 1 and _is_constant(column):
        cell = _quote_if_needed(column[0].as_py(), style)
        return pa.repeat(_text(cell), len(column))
    # By its number: before a letter, a backslash makes a class of characters.
    special = rf'[\x{{{ord(style.delimiter):x}}}"\r\n]'
    functions = arrow_functions()
    call = functions.call_function
    matching = functions.MatchSubstringOptions(special)
    needed = call("match_substring_regex", [column], matching)
    doubling = functions.ReplaceSubstringOptions('"', '""')
    doubled = call("replace_substring", [column], doubling)
    quoted = _woven(_text('"'), doubled, _text('"'), _text(""))
    if style.quote_all:
        return quoted
    return call("if_else", [needed, quoted, column])
