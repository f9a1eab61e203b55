"""Parsing the records of delimited text, in one of two ways.

The fast one hands the bytes to Arrow, which takes out the records that have too few or
too many cells. The careful one goes row by row, for sources that Arrow refuses or would
not read to the character. Both give the same for any source that both accept; the tests
hold them to it.

What always holds: record numbers count every record below the heading, also the ragged
ones; a line without any character is a blank record.
"""

from __future__ import annotations

import codecs
import contextlib
import io
import itertools
from collections import deque
from collections.abc import Callable
from typing import Any

import msgspec
import pyarrow as pa
import pyarrow.csv as arrow_csv

from gruff_ledger.columns.arrays import joined, text_column
from gruff_ledger.columns.storage import Gathering, storage
from gruff_ledger.columns.threads import Threads, thread_count
from gruff_ledger.columns.types import Column
from gruff_ledger.lists.delimited.encoding import Encoding
from gruff_ledger.lists.delimited.layout import Layout
from gruff_ledger.lists.delimited.rows import cut_row, first_cells, read_rows
from gruff_ledger.lists.quote_watch import QuoteWatch
from gruff_ledger.lists.source import (
    HEAD_BYTES,
    TAIL_BYTES,
    Feed,
    Opened,
    Seen,
    Surprise,
)
from gruff_ledger.problems import UnreadableSource

# Arrow parses in blocks, and a record must fit in one. The second size is tried when a
# record does not fit in the first; beyond it the careful way reads on. A block becomes
# a chunk of each column: smaller ones make the work on columns slower, larger ones take
# more memory.
_BLOCK_BYTES = (1 << 21, 1 << 26)

# How much of the end is looked at to see whether a last line is ragged.
_LAST_BYTES = 4096

# Records read the careful way are turned into arrays in groups of this size.
_GROUP_RECORDS = 20_000

# Chunks of fewer records are joined.
_SHORT_CHUNK = 1 << 13


class Ragged(msgspec.Struct):
    """Records whose number of cells is not that of the headings."""

    numbers: list[int] = msgspec.field(default_factory=list)
    cells: list[list[str]] = msgspec.field(default_factory=list)
    texts: list[str] = msgspec.field(default_factory=list)

    def add(self, number: int, cells: list[str], text: str) -> None:
        """Take one more record: its number, cells, and text as written."""
        self.numbers.append(number)
        self.cells.append(cells)
        self.texts.append(text)

    def picked(self, wanted: list[bool]) -> Ragged:
        """Return some of the records."""
        return Ragged(
            list(itertools.compress(self.numbers, wanted)),
            list(itertools.compress(self.cells, wanted)),
            list(itertools.compress(self.texts, wanted)),
        )


class Plan(msgspec.Struct, frozen=True):
    """All that is settled before a source is parsed."""

    opened: Opened
    encoding: Encoding
    layout: Layout
    headings: tuple[str, ...]
    hashed: bool

    @property
    def width(self) -> int:
        """How many cells a record should have."""
        return len(self.headings)

    def feed(
        self, *, refuse_quotes: bool = False, watch: QuoteWatch | None = None
    ) -> Feed:
        """Begin a reading of the records."""
        return Feed(
            self.opened,
            encoding=self.encoding.name,
            bom=self.encoding.bom,
            skip=len(self.layout.prefix.encode("utf-8")),
            refuse_quotes=refuse_quotes,
            watch=watch,
            hashed=self.hashed,
        )


class Parsed(msgspec.Struct, frozen=True, eq=False):
    """
    Records as parsed: those that fit, in columns, and the ragged ones.

    Attributes
    ----------
    odd : list of int
        Numbers of the records with a cell whose quotes do not enclose all of it.
    """

    columns: list[Column]
    ragged: Ragged
    seen: Seen
    odd: list[int] = msgspec.field(default_factory=list)

    def __len__(self) -> int:
        return (len(self.columns[0]) if self.columns else 0) + len(self.ragged.numbers)


def parse_records(plan: Plan, *, careful: bool) -> Parsed:
    """
    Parse the records of a source.

    Parameters
    ----------
    plan : Plan
    careful : bool
        Take the careful way, also where Arrow would do.

    Raises
    ------
    UnreadableSource
        If the source ends inside an open quote.
    UnicodeDecodeError
        If it is not in the encoding of the plan.
    """
    parsed = None
    plain = plan.layout.quoting in ("double", "none")
    if not careful and plain and len(plan.layout.delimiter.encode("utf-8")) == 1:
        parsed = _parse_fast(plan)
    return _parse_careful(plan) if parsed is None else parsed


# The fast way ---------------------------------------------------------------------


def _parse_fast(plan: Plan) -> Parsed | None:
    """Parse with Arrow; None where only the careful way will do."""
    # Arrow is fastest when it may use threads, which only holds while no record is
    # ragged, because it then numbers none of them. Without quotes every line is a
    # record: then pieces of the text can be parsed in threads, and each of them numbers
    # its own records. With quotes only Arrow can find the ends of the records.
    with_quotes = plan.layout.quoted and _quote_in_head(plan)
    in_threads = not _ragged_at_end(plan)
    block = 0
    while block < len(_BLOCK_BYTES):
        size = _BLOCK_BYTES[block]
        try:
            if not with_quotes and not (in_threads and storage().holds_whole):
                return _in_pieces(plan, size)
            return _arrow(
                plan, with_quotes=with_quotes, in_threads=in_threads, block_bytes=size
            )
        except Surprise:
            with_quotes = True
        except _RaggedInThreads:
            in_threads = False
        except pa.ArrowInvalid:
            block += 1
    return None


def _in_pieces(plan: Plan, block_bytes: int) -> Parsed | None:
    """Parse a text without quotes, in pieces that end with a line, in threads."""
    from concurrent.futures import Future

    gathered = storage().gathering(plan.width)
    ragged = Ragged()
    done = 0

    def take(columns: list[Column], mine: Ragged) -> None:
        nonlocal done
        for number, cells, text in zip(
            mine.numbers, mine.cells, mine.texts, strict=True
        ):
            ragged.add(done + number, cells, text)
        done += len(columns[0]) + len(mine.numbers)
        gathered.add(columns)

    waiting: deque[Future[tuple[list[Column], Ragged]]] = deque()
    with (
        contextlib.closing(plan.feed(refuse_quotes=plan.layout.quoted)) as feed,
        Threads() as threads,
    ):
        rest = b""
        is_first = True
        try:
            while block := feed.read(block_bytes):
                if is_first and block.startswith(codecs.BOM_UTF8):
                    return None  # Arrow would take it for the mark of the file.
                is_first = False
                end = block.rfind(b"\n") + 1
                if not end:
                    rest += block
                    if len(rest) > block_bytes:
                        raise pa.ArrowInvalid("a line is longer than a block")
                    continue
                piece, rest = rest + block[:end], block[end:]
                waiting.append(threads.submit(_piece, plan, piece))
                # Parsed pieces are small beside their text: bounded, so is memory.
                if len(waiting) > 2 * thread_count():
                    take(*waiting.popleft().result())
            if rest:
                waiting.append(threads.submit(_piece, plan, rest))
            while waiting:
                take(*waiting.popleft().result())
        except BaseException:
            for each in waiting:
                each.cancel()
            raise
        seen = feed.finish()
    return Parsed(gathered.columns(), ragged, seen)


def _piece(plan: Plan, piece: bytes) -> tuple[list[Column], Ragged]:
    """Parse a piece of a text without quotes."""
    if piece.startswith(codecs.BOM_UTF8):
        # Not at the start of the file, it is a character of the first cell; Arrow
        # leaves one mark out.
        piece = codecs.BOM_UTF8 + piece
    ragged = Ragged()
    on_ragged = _ragged_handler(plan, ragged)
    table = arrow_csv.read_csv(
        pa.BufferReader(piece),
        read_options=_read_options(plan, len(piece) + 1, in_threads=False),
        parse_options=_parse_options(plan, on_ragged, with_quotes=False),
        convert_options=_convert_options(plan),
    )
    return list(table.columns), ragged


def _ragged_handler(
    plan: Plan, ragged: Ragged
) -> Callable[[arrow_csv.InvalidRow], str]:
    def on_ragged(row: arrow_csv.InvalidRow) -> str:
        found = first_cells(row.text, plan.layout.delimiter, plan.layout.quoting)
        ragged.add(row.number, found.cells, row.text)
        return "skip"

    return on_ragged


def _read_options(
    plan: Plan, block_bytes: int, *, in_threads: bool
) -> arrow_csv.ReadOptions:
    return arrow_csv.ReadOptions(
        column_names=_names(plan), block_size=block_bytes, use_threads=in_threads
    )


def _parse_options(
    plan: Plan,
    on_ragged: Callable[[arrow_csv.InvalidRow], str],
    *,
    with_quotes: bool,
) -> arrow_csv.ParseOptions:
    return arrow_csv.ParseOptions(
        delimiter=plan.layout.delimiter,
        quote_char='"' if with_quotes else False,
        newlines_in_values=with_quotes,
        ignore_empty_lines=False,
        invalid_row_handler=on_ragged,
    )


def _convert_options(plan: Plan) -> arrow_csv.ConvertOptions:
    return arrow_csv.ConvertOptions(
        column_types=dict.fromkeys(_names(plan), pa.string()),
        check_utf8=False,  # The feed has seen to it.
    )


def _names(plan: Plan) -> list[str]:
    return [str(place) for place in range(plan.width)]


def _quote_in_head(plan: Plan) -> bool:
    """Guess whether there are quoted cells; a wrong guess costs time only."""
    with plan.opened.start() as stream:
        return b'"' in stream.read(HEAD_BYTES)[len(plan.layout.prefix.encode()) :]


def _ragged_at_end(plan: Plan) -> bool:
    """Guess whether the last lines are ragged; a wrong guess costs time only."""
    if plan.opened.packing:
        return False
    with plan.opened.start() as stream:
        size = stream.seek(0, io.SEEK_END)
        if size <= HEAD_BYTES:
            return False  # Then it hardly matters.
        stream.seek(size - _LAST_BYTES)
        lines = stream.read().split(b"\n")[1:]
    delimiter = plan.layout.delimiter.encode("utf-8")
    return any(
        line.strip() and line.count(delimiter) + 1 != plan.width for line in lines
    )


class _RaggedInThreads(Exception):
    """A ragged record was met while Arrow could not tell its number."""


def _arrow(
    plan: Plan, *, with_quotes: bool, in_threads: bool, block_bytes: int
) -> Parsed | None:
    """Parse all of a text with Arrow; with quotes, cells may hold line ends."""
    ragged = Ragged()
    met_ragged = False
    take_ragged = _ragged_handler(plan, ragged)

    def on_ragged(row: arrow_csv.InvalidRow) -> str:
        nonlocal met_ragged
        if in_threads:
            # The rest need not be read for nothing.
            met_ragged = True
            feed.stop()
            return "error"
        return take_ragged(row)

    refuse_quotes = plan.layout.quoted and not with_quotes
    watch = QuoteWatch(plan.layout.delimiter.encode()) if with_quotes else None
    with contextlib.closing(
        plan.feed(refuse_quotes=refuse_quotes, watch=watch)
    ) as feed:
        first = feed.read(block_bytes)
        if not first:
            return Parsed([text_column(())] * plan.width, ragged, feed.finish())
        if first.startswith(codecs.BOM_UTF8):
            return None  # Arrow would take the first cell's character for a mark.
        feed.unread(first)
        try:
            # In one go is twice as fast, and holds the whole list.
            columns = (_at_once if storage().holds_whole else _in_batches)(
                plan,
                feed,
                read_options=_read_options(plan, block_bytes, in_threads=in_threads),
                parse_options=_parse_options(plan, on_ragged, with_quotes=with_quotes),
                convert_options=_convert_options(plan),
            )
        except pa.ArrowInvalid:
            if met_ragged:
                raise _RaggedInThreads from None
            if feed.surprised:
                raise Surprise from None
            if watch is not None and watch.is_odd:
                return None  # Arrow would drop the quotes without a word.
            raise
        seen = feed.finish()
    if watch is not None and watch.is_odd:
        return None
    parsed = Parsed(columns, ragged, seen)
    return parsed if not with_quotes or _end_is_sure(plan, parsed) else None


def _at_once(plan: Plan, feed: Feed, **options: Any) -> list[Column]:
    read = arrow_csv.read_csv(feed, **options)
    columns: list[Column] = list(read.columns)
    if columns and len(read) < _SHORT_CHUNK * columns[0].num_chunks:
        # A wide list comes in chunks of a few records, each of which costs as much as
        # one of many.
        return [joined(column) for column in columns]
    return columns


def _in_batches(plan: Plan, feed: Feed, **options: Any) -> list[Column]:
    gathered = storage().gathering(plan.width)
    with arrow_csv.open_csv(feed, **options) as reader:
        for batch in reader:
            gathered.add([pa.chunked_array([each]) for each in batch.columns])
    return gathered.columns()


def _end_is_sure(plan: Plan, parsed: Parsed) -> bool:
    """
    Whether a source surely does not end inside an open quote.

    Arrow would let such an end pass. Where this cannot tell, the careful way can.
    """
    total = len(parsed)
    if not total:
        return True
    if parsed.ragged.numbers and parsed.ragged.numbers[-1] == total:
        text = parsed.ragged.texts[-1]
        return not cut_row(text, plan.layout.delimiter, "double").is_open
    last_cell = parsed.columns[-1][-1].as_py()
    return len(last_cell) * 4 < TAIL_BYTES and not _may_end_in_open_quote(
        parsed.seen.tail, last_cell
    )


def _may_end_in_open_quote(tail: bytes, last_cell: str) -> bool:
    """
    Tell from the end of a text and its last cell whether a quote may be open there.

    A quote opens only at the start of a cell, so the text then ends with a quote and
    all of the last cell. A cell of nothing but quotes is told by their number: an odd
    run of them at the end is still open.
    """
    cell = last_cell.replace('"', '""').encode("utf-8")
    if not cell.strip(b'"'):
        run = len(tail) - len(tail.rstrip(b'"'))
        return run % 2 == 1
    return tail.endswith(b'"' + cell)


# The careful way ------------------------------------------------------------------


def _parse_careful(plan: Plan) -> Parsed:
    width, delimiter, quoting = plan.width, plan.layout.delimiter, plan.layout.quoting
    ragged = Ragged()
    odd: list[int] = []
    groups = storage().gathering(width)
    with contextlib.closing(plan.feed()) as feed:
        lines = io.TextIOWrapper(io.BufferedReader(feed), "utf-8", newline="")
        fitting: list[list[str]] = []
        number, row = 0, None
        for number, row in enumerate(read_rows(lines, delimiter, quoting), 1):
            cells = row.cells
            if row.odd:
                odd.append(number)
            if len(cells) == width:
                fitting.append(cells)
                if len(fitting) == _GROUP_RECORDS:
                    _flush(fitting, groups, width)
            elif not cells:
                fitting.append([""] * width)
            else:
                ragged.add(number, cells, row.text.rstrip("\r\n"))
        _flush(fitting, groups, width)
        if row is not None and row.is_open:
            raise _open_at_end(plan, len(row.cells), number)
        seen = feed.finish()
    return Parsed(groups.columns(), ragged, seen, odd)


def _flush(records: list[list[str]], groups: Gathering, width: int) -> None:
    groups.add(
        [text_column(record[place] for record in records) for place in range(width)]
    )
    records.clear()


# Open quotes ----------------------------------------------------------------------


def _open_at_end(plan: Plan, cells: int, record: int) -> UnreadableSource:
    """Word that the last record stops inside a quoted cell."""
    name = plan.headings[min(cells, plan.width) - 1]
    row = plan.layout.heading_row + record
    return open_quote(plan.opened, row, name, record=record)


def open_quote(
    opened: Opened, row: int, field_name: str, record: int | None = None
) -> UnreadableSource:
    """Word that a quote is opened and never closed."""
    return UnreadableSource(
        "a double quote is opened here and never closed, up to the end of the list.",
        "Close it, or double it if it belongs to the text; or, if the list has no "
        "quoted cells at all, give `quote none`.",
        file=opened.address,
        record=record,
        row=row,
        field=field_name,
    )
