"""Writing delimited text (RFC 4180): a heading row, then a line a record.

UTF-8 without a byte-order mark, lines ended by a line feed. A cell is quoted only where
it must be: when it holds the delimiter, a double quote or a line end.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from typing import Any, BinaryIO

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv

from gruff_ledger.cells.strings import chunk_of
from gruff_ledger.table import Column, Table, thread_count

# Records formatted at a time: enough to keep threads busy, little enough that the
# text in hand stays small beside the list.
_STRETCH_RECORDS = 1 << 14

_BYTE_ORDER_MARK = "\ufeff"


def write_delimited(
    table: Table,
    sink: BinaryIO,
    delimiter: str = ",",
    *,
    crlf: bool = False,
    byte_order_mark: bool = False,
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

    Notes
    -----
    Read back with the same delimiter, UTF-8 and its heading in the first row, the text
    gives the same cells, but for blank records at the end, which reading leaves out.
    """
    if byte_order_mark:
        sink.write(_BYTE_ORDER_MARK.encode("utf-8"))
    line_end = "\r\n" if crlf else "\n"
    sink.write(_heading_line(table.headings, delimiter, line_end))
    if not table.headings:
        return
    for text in _in_order(table, delimiter, line_end):
        sink.write(text)


def _heading_line(headings: tuple[str, ...], delimiter: str, line_end: str) -> bytes:
    cells = [_quoted_if_needed(heading, delimiter) for heading in headings]
    # A mark in front would be taken for the file's own, and a lone empty heading for
    # an empty file.
    if cells and (cells[0].startswith(_BYTE_ORDER_MARK) or cells == [""]):
        cells[0] = _quoted(headings[0])
    return (delimiter.join(cells) + line_end).encode("utf-8")


def _quoted_if_needed(cell: str, delimiter: str) -> str:
    return _quoted(cell) if any(mark in cell for mark in f'{delimiter}"\r\n') else cell


def _quoted(cell: str) -> str:
    return '"' + cell.replace('"', '""') + '"'


def _in_order(table: Table, delimiter: str, line_end: str) -> Iterator[memoryview]:
    """Format stretches in threads, a few ahead of the one being written."""
    stretches = table.stretches(_STRETCH_RECORDS)
    if len(table) <= _STRETCH_RECORDS:
        for stretch in stretches:
            yield _formatted(stretch, delimiter, line_end)
        return
    from concurrent.futures import Future, ThreadPoolExecutor

    waiting: deque[Future[memoryview]] = deque()
    with ThreadPoolExecutor(thread_count()) as threads:
        for stretch in stretches:
            waiting.append(threads.submit(_formatted, stretch, delimiter, line_end))
            if len(waiting) > 2 * thread_count():
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()


def _formatted(
    stretch: Callable[[], list[Column]], delimiter: str, line_end: str
) -> memoryview:
    """Return the lines of some records."""
    columns = stretch()
    if len(columns) > 1:
        names = [str(place) for place in range(len(columns))]
        options = arrow_csv.WriteOptions(
            include_header=False, delimiter=delimiter, quoting_style="none"
        )
        sink = pa.BufferOutputStream()
        try:
            part = pa.Table.from_arrays(columns, names=names)
            arrow_csv.write_csv(part, sink, options)
        except pa.ArrowInvalid:
            pass  # Some cell needs quotes; Arrow would then quote every one.
        else:
            text = memoryview(sink.getvalue())
            if line_end == "\n":
                return text
            # Arrow ends lines by a line feed; no cell without quotes holds one.
            return memoryview(bytes(text).replace(b"\n", line_end.encode("ascii")))
    return _formatted_with_quotes(columns, delimiter, line_end)


def _formatted_with_quotes(
    columns: list[Column], delimiter: str, line_end: str
) -> memoryview:
    import pyarrow.compute as compute

    ready = [
        _quoted_column(pa.concat_arrays(each.chunks), delimiter) for each in columns
    ]
    if len(ready) == 1:
        # An empty line could be taken for no record at all.
        joined = compute.if_else(compute.equal(ready[0], ""), '""', ready[0])
    else:
        joined = compute.binary_join_element_wise(*ready, delimiter)
    # The line end is the delimiter between the line and an empty text after it.
    lines = chunk_of(compute.binary_join_element_wise(joined, "", line_end))
    return lines.bytes.data


def _quoted_column(column: Any, delimiter: str) -> Any:
    import pyarrow.compute as compute

    data = chunk_of(column).bytes
    if not any(np.any(data == ord(mark)) for mark in f'{delimiter}"\r\n'):
        return column
    special = f'[{"".join(chr(92) + mark for mark in delimiter)}"\\r\\n]'
    needed = compute.match_substring_regex(column, special)
    doubled = compute.replace_substring(column, '"', '""')
    quoted = compute.binary_join_element_wise('"', doubled, '"', "")
    return compute.if_else(needed, quoted, column)
