"""How a delimited list is written: its encoding, delimiter, titles and heading row.

Everything is decided on the head of the source, shown to the person, and can be pinned.
"""

from __future__ import annotations

import codecs
import csv
import io
import math
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

import msgspec

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.problems import BadTerms, UnreadableSource, nearest_or_all

# The delimiters lists are sent with, the commonest first: it wins when two fit alike.
DELIMITERS = (",", ";", "\t", "|")

# The standard module refuses cells over 128 KiB unless told otherwise; the greatest
# number that a C long holds on every system lifts that.
csv.field_size_limit(2**31 - 1)

# Longest first: the UTF-32 mark begins with the UTF-16 one.
_BYTE_ORDER_MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)

# First bytes of files that are not delimited text, what to call them, and the format
# that reads them.
_SIGNATURES = (
    (b"PK\x03\x04", "a workbook or another ZIP archive", "xlsx or ods"),
    (b"\xd0\xcf\x11\xe0", "a workbook of the old binary kind", ""),
    (b"%PDF", "a PDF document", ""),
    (b"\x89PNG", "a picture", ""),
    (b"\xff\xd8\xff", "a picture", ""),
    (b"GIF8", "a picture", ""),
    (b"\x1f\x8b", "a compressed file", ""),
    (b"SQLite format 3\x00", "a database", "sqlite"),
    (b"PAR1", "a Parquet file", "parquet"),
)

# A delimiter is believed when at least this share of the rows has the same cells.
_MIN_AGREEMENT = 0.6

# Rows looked at to judge a delimiter, and rows in which the heading is looked for.
_JUDGED_ROWS = 200
_HEADING_WITHIN_ROWS = 30

# The heading row is the first with at least this share of the cells filled.
_HEADING_FILLED = 0.6


class Encoding(msgspec.Struct, frozen=True):
    """A codec by name, the byte-order mark found, and whether it was a guess."""

    name: str
    bom: bytes = b""
    guessed: bool = False


def detect_encoding(head: bytes, pinned: str | None, file: str) -> Encoding:
    """
    Tell the encoding of a source from its head.

    A byte-order mark decides; else UTF-8 if the head is valid UTF-8; else the likeliest
    one-byte or Asian encoding by the letters it would give.

    Parameters
    ----------
    head : bytes
        The first part of the source; it may end within a character.
    pinned : str, optional
        The encoding the person states; only a byte-order mark of it is looked for.
    file : str
        The source, for messages.

    Raises
    ------
    BadTerms
        If the pinned encoding is not known.
    UnreadableSource
        If the source is not text.
    """
    marked = next(
        (mark for mark in _BYTE_ORDER_MARKS if head.startswith(mark[0])), None
    )
    if pinned is not None:
        name = _known_codec(pinned, file)
        if marked and name in (marked[1], marked[1].removesuffix("-le"), "utf-8-sig"):
            return Encoding(marked[1], marked[0])
        return Encoding("utf-8" if name == "utf-8-sig" else name)
    if marked:
        return Encoding(marked[1], marked[0])
    wide = _wide_encoding(head)
    if wide is not None:
        return Encoding(wide, guessed=True)
    _refuse_binary(head, file)
    if is_utf8(head):
        return Encoding("utf-8")
    return Encoding(guess_encoding(head), guessed=True)


def _wide_encoding(head: bytes) -> str | None:
    """Tell UTF-16 without a mark: mostly Latin text has every other byte zero."""
    pairs = len(head) // 2
    for name, zeros, letters in (
        ("utf-16-le", head[1::2], head[::2]),
        ("utf-16-be", head[::2], head[1::2]),
    ):
        if pairs and zeros.count(0) > 0.7 * pairs and not letters.count(0):
            return name
    return None


def _known_codec(name: str, file: str) -> str:
    try:
        found = codecs.lookup(name)
    except (LookupError, ValueError):
        found = None
    if found is None or not getattr(found, "_is_text_encoding", True):
        known = ("utf-8", "utf-16", "windows-1252", "windows-1250", "iso-8859-1")
        raise BadTerms(
            f"there is no encoding '{name}'.",
            nearest_or_all(name, known, "common encodings"),
            file=file,
            term="encoding",
        )
    return _common_name(found.name)


def _common_name(codec: str) -> str:
    """Return the name people know an encoding by (IANA's for the Windows ones)."""
    return re.sub(r"^cp(125\d)$", r"windows-\1", codec.replace("_", "-"))


def _refuse_binary(head: bytes, file: str) -> None:
    kind, read_as = next(
        (
            (kind, format_)
            for start, kind, format_ in _SIGNATURES
            if head.startswith(start)
        ),
        ("", ""),
    )
    if not kind and b"\x00" in head[:65536]:
        kind = "a file of a program's own (it holds bytes that no text has)"
    if kind:
        remedy = (
            f"Set its `format` to {read_as}; its ending tells another."
            if read_as
            else "Save it as delimited text, or, if it is text all the same, state its "
            "`encoding`."
        )
        raise UnreadableSource(
            f"it is not delimited text but {kind}.", remedy, file=file
        )


def is_utf8(head: bytes) -> bool:
    """Tell whether bytes are valid UTF-8, but for a character cut off at the end."""
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return False
    return True


def guess_encoding(data: bytes) -> str:
    """
    Name the likeliest encoding of bytes that are not UTF-8.

    Only the lines with bytes above 127 are weighed, up to 64 KiB of them. Windows-1252
    is taken when it reads the bytes without a fault and no other reads them clearly
    better, because most lists that are not UTF-8 are written in it.
    """
    from charset_normalizer import from_bytes

    lines = [line for line in data.splitlines(keepends=True) if not line.isascii()]
    sample = b"".join(lines)[:65536]
    ranked = list(from_bytes(sample))
    try:
        sample.decode("cp1252")
    except UnicodeDecodeError:
        return _common_name(ranked[0].encoding) if ranked else "iso-8859-1"
    western = [each for each in ranked if "cp1252" in each.could_be_from_charset]
    if not ranked or (western and western[0].chaos <= ranked[0].chaos + 0.02):
        return "windows-1252"
    return _common_name(ranked[0].encoding)


class Layout(msgspec.Struct, frozen=True):
    """
    Where things stand in the text of a delimited list.

    Attributes
    ----------
    delimiter : str
    quoted : bool
        Whether a double quote at the start of a cell opens a quoted one.
    titles : tuple of str
        The rows above the heading that are not blank, as they were written.
    heading : tuple of str
        The cells of the heading row as written; made up when there is none.
    heading_text : str
        The heading row as written, with its line end.
    heading_row : int
        Row of the heading, from 1; when there is none, the row before the first record.
    prefix : str
        All text before the first record.
    delimiter_pinned, heading_pinned : bool
        Whether the person stated them.
    """

    delimiter: str
    quoted: bool
    titles: tuple[str, ...]
    heading: tuple[str, ...]
    heading_text: str
    heading_row: int
    prefix: str
    delimiter_pinned: bool
    heading_pinned: bool


def detect_layout(
    text: str,
    *,
    whole: bool,
    delimiter: str | None,
    skip_rows: int | None,
    header_rows: int,
    quoted: bool,
) -> Layout | None:
    """
    Find the delimiter, the titles and the heading of a delimited list.

    Parameters
    ----------
    text : str
        The first part of the source.
    whole : bool
        Whether that is all of it; otherwise its last row may be cut off.
    delimiter, skip_rows : optional
        Pinned by the person: the delimiter, and how many rows stand above the heading.
    header_rows : int
        1, or 0 when the list has no heading row.
    quoted : bool
        Whether the list has quoted cells.

    Returns
    -------
    Layout, or None if the heading does not end within the text given, or the text holds
    no row that is not blank.
    """
    chosen = (
        delimiter if delimiter is not None else detect_delimiter(text, whole, quoted)
    )
    rows = list(
        _rows(text, chosen, quoted, _HEADING_WITHIN_ROWS + (skip_rows or 0), whole)
    )
    if skip_rows is None:
        place = _heading_place(rows, _usual_width(text, chosen, quoted, whole))
    else:
        place = skip_rows
    if place is None or place >= len(rows):
        return None
    titles = tuple(
        row.text.rstrip("\r\n") for row in rows[:place] if not _all_blank(row.cells)
    )
    prefix = "".join(row.text for row in rows[: place + header_rows])
    heading: tuple[str, ...]
    if header_rows:
        heading = tuple(rows[place].cells)
    else:
        width = max(_usual_width(text, chosen, quoted, whole), 1)
        heading = ("",) * width
    return Layout(
        delimiter=chosen,
        quoted=quoted,
        titles=titles,
        heading=heading,
        heading_text=rows[place].text,
        heading_row=place + header_rows,
        prefix=prefix,
        delimiter_pinned=delimiter is not None,
        heading_pinned=skip_rows is not None,
    )


def detect_delimiter(text: str, whole: bool, quoted: bool = True) -> str:
    """
    Return the delimiter by which most rows have the same number of cells.

    Among those that fit equally well the one that gives more cells is taken; when none
    fits, the list has one field and the comma is returned.
    """
    best, best_rank = DELIMITERS[0], (0.0, 0)
    for delimiter in DELIMITERS:
        widths = _widths(text, delimiter, quoted, whole)
        usual, rows = _most_common(widths)
        agreement = rows / len(widths) if widths else 0.0
        # To the nearest tenth: a stray title should not outweigh twice the cells.
        rank = (round(agreement, 1), usual)
        if usual > 1 and agreement >= _MIN_AGREEMENT and rank > best_rank:
            best, best_rank = delimiter, rank
    return best


class _Row(msgspec.Struct, frozen=True):
    """A row as written, with its line end, and its cells."""

    text: str
    cells: list[str]


def csv_records(
    lines: Iterable[str], delimiter: str, quoted: bool
) -> Iterator[list[str]]:
    """Return the cells of each record of delimited text, by the standard module."""
    if quoted:
        return csv.reader(lines, delimiter=delimiter)
    return csv.reader(lines, delimiter=delimiter, quoting=csv.QUOTE_NONE)


def _rows(
    text: str, delimiter: str, quoted: bool, most: int, whole: bool
) -> Iterator[_Row]:
    """Yield the first rows; one that may be cut off at the end is left out."""
    taken: list[str] = []
    used = 0

    def lines() -> Iterator[str]:
        for line in io.StringIO(text, newline=""):
            taken.append(line)
            yield line

    reader = csv_records(lines(), delimiter, quoted)
    for _, cells in zip(range(most), reader, strict=False):
        row = _Row("".join(taken), cells)
        taken.clear()
        used += len(row.text)
        if whole or used < len(text):
            yield row


def _widths(text: str, delimiter: str, quoted: bool, whole: bool) -> list[int]:
    rows = _rows(text, delimiter, quoted, _JUDGED_ROWS, whole)
    return [len(row.cells) for row in rows if not _all_blank(row.cells)]


def _usual_width(text: str, delimiter: str, quoted: bool, whole: bool) -> int:
    return _most_common(_widths(text, delimiter, quoted, whole))[0]


def _most_common(widths: list[int]) -> tuple[int, int]:
    """Return the commonest width and its count; the greatest among equals."""
    counts = Counter(widths).items()
    return max(counts, key=lambda each: (each[1], each[0]), default=(0, 0))


def _heading_place(rows: list[_Row], width: int) -> int | None:
    return heading_among(
        [sum(not is_blank(cell) for cell in row.cells) for row in rows], width
    )


def heading_among(filled: Sequence[int], width: int) -> int | None:
    """
    Tell which of the first rows of a list is its heading.

    Parameters
    ----------
    filled : sequence of int
        How many cells of each row are not blank.
    width : int
        How many fields the list seems to have.

    Returns
    -------
    int, or None if all rows are blank
        The first row that is filled well enough, or else the first that is not blank.
    """
    wanted = max(1, math.ceil(width * _HEADING_FILLED))
    for place, count in enumerate(filled[:_HEADING_WITHIN_ROWS]):
        if count >= wanted:
            return place
    return next((place for place, count in enumerate(filled) if count), None)


def _all_blank(cells: list[str]) -> bool:
    return all(is_blank(cell) for cell in cells)
