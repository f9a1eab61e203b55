"""Reading delimited text (RFC 4180, and the forms in which it really arrives).

What stands above the records is settled here, and what becomes of records with too few
or too many cells, and of blank ones at the end; `parsing` parses the records between.
"""

from __future__ import annotations

import codecs
from itertools import islice

import numpy as np

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.lists.detect import (
    Encoding,
    Layout,
    detect_encoding,
    detect_layout,
    guess_encoding,
)
from gruff_ledger.lists.parsing import (
    Parsed,
    Plan,
    is_open_at_end,
    open_quote,
    parse_records,
)
from gruff_ledger.lists.reading import Reading, ReadingTerms, Source
from gruff_ledger.lists.source import (
    HEAD_BYTES,
    Opened,
    Seen,
    changed_meanwhile,
)
from gruff_ledger.lists.swallowed import swallowed_notes
from gruff_ledger.naming import made_headings
from gruff_ledger.outcome import Finding, Note, SetAside, Severity
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.table import Origin, Table, concat_columns, text_column

_TOO_LONG = "more cells than headings"
_TOO_SHORT = "fewer cells than headings"


def read_delimited(
    opened: Opened,
    terms: ReadingTerms,
    *,
    source: int = 0,
    hashed: bool = False,
    careful: bool = False,
) -> Reading:
    """
    Read a delimited list into a table.

    Parameters
    ----------
    opened : Opened
    terms : ReadingTerms
        What the person pinned; the rest is detected.
    source : int
        Position of the source in the run's list of sources.
    hashed : bool
        Find the hash of the source on the way.
    careful : bool
        Read the careful way, also where Arrow would do.

    Returns
    -------
    Reading

    Raises
    ------
    UnreadableSource
        If it is not text, not in the stated encoding, has no heading, ends inside an
        open quote, or changes while it is read.
    BadTerms
        If the stated encoding is unknown.
    """
    head = _head(opened)
    encoding = detect_encoding(head, terms.encoding, opened.address)
    try:
        return _read_as(opened, terms, encoding, source, hashed, careful)
    except UnicodeError as error:
        if terms.encoding is not None or encoding.bom:
            raise _wrong_encoding(opened, encoding, error) from error
        # The head was UTF-8, or read as guessed, and something further on is not.
        guessed = _guess_from_all(opened)
        try:
            return _read_as(opened, terms, guessed, source, hashed, careful)
        except UnicodeError as again:
            raise _wrong_encoding(opened, guessed, again) from again


def _head(opened: Opened) -> bytes:
    with opened.start() as stream:
        return stream.read(HEAD_BYTES)


def _guess_from_all(opened: Opened) -> Encoding:
    with opened.start() as stream:
        lines = islice((line for line in stream if not line.isascii()), 2000)
        return Encoding(guess_encoding(b"".join(lines)), guessed=True)


def _read_as(
    opened: Opened,
    terms: ReadingTerms,
    encoding: Encoding,
    source: int,
    hashed: bool,
    careful: bool,
) -> Reading:
    layout = _layout(opened, terms, encoding)
    headings, made = made_headings(layout.heading)
    plan = Plan(opened, encoding, layout, headings, hashed)
    parsed = parse_records(plan, careful=careful)
    return _reading(plan, terms, made, parsed, source)


def _layout(opened: Opened, terms: ReadingTerms, encoding: Encoding) -> Layout:
    """Find titles and heading in the head, or in all of it if the head is too short."""
    for most in (HEAD_BYTES, -1):
        with opened.start() as stream:
            stream.read(len(encoding.bom))
            data = stream.read(most)
            whole = most < 0 or not stream.read(1)
        text = _decoded_start(data, encoding.name, whole)
        layout = detect_layout(
            text,
            whole=whole,
            delimiter=terms.delimiter_character or None,
            skip_rows=terms.skip_rows,
            header_rows=terms.header_rows,
            quoted=terms.quote == "double",
        )
        if layout is not None:
            if not layout.heading:
                raise UnreadableSource(
                    "this row, where the heading should stand, is empty.",
                    "Give `skip-rows` the number of rows above the heading.",
                    file=opened.address,
                    row=layout.heading_row,
                )
            if (
                layout.quoted
                and terms.header_rows
                and is_open_at_end(layout.heading_text, layout.delimiter)
            ):
                raise open_quote(opened, layout.heading_row, layout.heading[-1])
            return layout
        if whole:
            break
    if terms.skip_rows:
        raise UnreadableSource(
            f"it has no row {terms.skip_rows + 1}, where the heading should stand.",
            "Give `skip-rows` the number of rows above the heading.",
            file=opened.address,
        )
    raise UnreadableSource(
        "it holds nothing but blank rows: there is no heading.",
        "Send a list with headings.",
        file=opened.address,
    )


def _decoded_start(data: bytes, encoding: str, whole: bool) -> str:
    return codecs.getincrementaldecoder(encoding)().decode(data, final=whole)


def _reading(
    plan: Plan, terms: ReadingTerms, made: dict[int, str], parsed: Parsed, source: int
) -> Reading:
    opened, encoding, layout, headings = (
        plan.opened,
        plan.encoding,
        plan.layout,
        plan.headings,
    )
    _check_unchanged(opened, parsed.seen)
    total = len(parsed)
    table, too_short, aside, extra_blank = _settle(
        headings, parsed, opened.name, source, total
    )
    kept = _without_trailing_blank(table, aside, total)
    trailing = len(table) - len(kept)
    findings = _too_short_findings(too_short, source)
    account = Source(
        name=opened.name,
        address=opened.address,
        size_bytes=parsed.seen.size_bytes,
        sha256=parsed.seen.sha256,
        modified=opened.modified,
        encoding=encoding.name,
        byte_order_mark=bool(encoding.bom),
        delimiter=layout.delimiter,
        pinned=tuple(
            key
            for key, stated in (
                ("encoding", terms.encoding is not None),
                ("delimiter", layout.delimiter_pinned),
                ("skip-rows", layout.heading_pinned),
            )
            if stated
        ),
        heading_row=layout.heading_row,
        titles=layout.titles,
        records_in=total,
        trailing_blank=trailing,
    )
    notes = _notes(account, encoding, headings, made, terms, aside, extra_blank)
    if parsed.seen.has_quote and layout.quoted:
        notes += swallowed_notes(kept, parsed.ragged, layout, source)
    return Reading(kept, account, aside, findings, notes)


def _check_unchanged(opened: Opened, seen: Seen) -> None:
    # Only for files: the size of a stream is that of the bytes held in memory.
    if opened.path is not None and seen.size_bytes != opened.size_bytes:
        raise changed_meanwhile(opened.address)


def _settle(
    headings: tuple[str, ...], parsed: Parsed, name: str, source: int, total: int
) -> tuple[Table, list[int], tuple[SetAside, ...], int]:
    """
    Put ragged records in their places, or set them aside.

    Returns
    -------
    table : Table
    too_short : list of int
        Numbers of the records that were filled with blanks and hold something.
    aside : tuple of SetAside
    extra_blank : int
        How many records had cells too many that were all blank.
    """
    ragged = parsed.ragged
    if not ragged.numbers:
        origin = Origin.counted(source, 1, total)
        return Table(headings, tuple(parsed.columns), origin, name), [], (), 0
    width = len(headings)
    short: list[int] = []
    extra_blank = 0
    mended: list[list[str]] = []
    mended_at: list[int] = []
    long_at: list[int] = []
    long_cells: list[list[str]] = []
    long_texts: list[str] = []
    triples = zip(ragged.numbers, ragged.cells, ragged.texts, strict=True)
    for number, cells, text in triples:
        if any(not is_blank(cell) for cell in cells[width:]):
            long_at.append(number)
            long_cells.append(cells[:width])
            long_texts.append(text)
            continue
        if len(cells) > width:
            extra_blank += 1
        elif any(not is_blank(cell) for cell in cells):
            short.append(number)
        mended.append((cells + [""] * width)[:width])
        mended_at.append(number)
    table = _with_records_put_in(
        headings, parsed, mended, mended_at, long_at, name, source, total
    )
    if not long_at:
        return table, short, (), extra_blank
    numbers = np.array(long_at, np.int64)
    beyond = Table(
        headings,
        tuple(text_column(row[place] for row in long_cells) for place in range(width)),
        Origin(np.full(len(numbers), source, np.int32), numbers),
        name,
    )
    return (
        table,
        short,
        (SetAside(_TOO_LONG, beyond, text=tuple(long_texts)),),
        extra_blank,
    )


def _with_records_put_in(
    headings: tuple[str, ...],
    parsed: Parsed,
    mended: list[list[str]],
    mended_at: list[int],
    long_at: list[int],
    name: str,
    source: int,
    total: int,
) -> Table:
    """Return the records that fitted and the mended ones, in order of number."""
    is_ragged = np.zeros(total + 1, np.bool_)
    is_ragged[parsed.ragged.numbers] = True
    fitted_at = np.flatnonzero(~is_ragged[1:]) + 1
    numbers = np.concatenate([fitted_at, np.array(mended_at, np.int64)])
    columns = tuple(
        concat_columns([column, text_column(record[place] for record in mended)])
        for place, column in enumerate(parsed.columns)
    )
    origin = Origin(np.full(len(numbers), source, np.int32), numbers)
    table = Table(headings, columns, origin, name)
    if not mended:
        return table
    return table.take(np.argsort(numbers, kind="stable"))


def _without_trailing_blank(
    table: Table, aside: tuple[SetAside, ...], total: int
) -> Table:
    """Leave out the blank records at the end of the list."""
    if aside and int(aside[-1].table.origin.record[-1]) == total:
        return table
    last_aside = int(aside[-1].table.origin.record[-1]) if aside else 0
    end = len(table)
    while end and int(table.origin.record[end - 1]) > last_aside:
        start = max(0, end - 1000)
        records = table.records(start, end)
        numbers = table.origin.record
        while records and all(map(is_blank, records[-1])):
            if int(numbers[end - 1]) <= last_aside:
                break
            records.pop()
            end -= 1
        if records:
            break
    return table if end == len(table) else table.slice(0, end)


def _too_short_findings(numbers: list[int], source: int) -> tuple[Finding, ...]:
    if not numbers:
        return ()
    at = np.array(numbers, np.int64)
    origin = Origin(np.full(len(at), source, np.int32), at)
    return (
        Finding(
            rule=_TOO_SHORT,
            severity=Severity.WARN,
            message="The record has fewer cells than headings; the missing ones are "
            "blank.",
            field="",
            origin=origin,
            value=text_column([""] * len(at)),
        ),
    )


def _notes(
    account: Source,
    encoding: Encoding,
    headings: tuple[str, ...],
    made: dict[int, str],
    terms: ReadingTerms,
    aside: tuple[SetAside, ...],
    extra_blank: int,
) -> tuple[Note, ...]:
    name = account.name
    notes: list[Note] = []
    if encoding.guessed:
        notes.append(
            Note(
                f"{name}: the text is not UTF-8 and was read as {account.encoding}.",
                "If letters look wrong, state its `encoding`.",
                warning=True,
            )
        )
    if account.titles:
        rows = "row" if len(account.titles) == 1 else "rows"
        notes.append(
            Note(
                f"{name}: {len(account.titles)} title {rows} above the heading in row "
                f"{account.heading_row}: '{'; '.join(account.titles)}'.",
                ""
                if "skip-rows" in account.pinned
                else "If the heading is another row, state `skip-rows`.",
            )
        )
    if terms.header_rows == 0:
        notes.append(Note(f"{name}: no heading row; the fields are numbered."))
    elif made:
        told = ", ".join(
            f"'{headings[place]}' for "
            + (f"a second '{written}'" if not is_blank(written) else "a blank heading")
            for place, written in made.items()
        )
        notes.append(Note(f"{name}: headings made up: {told}.", warning=True))
    notes += [_aside_note(each) for each in aside]
    if extra_blank:
        notes.append(
            Note(
                f"{name}: {extra_blank} "
                f"{'record has' if extra_blank == 1 else 'records have'} more cells "
                f"than the {len(headings)} headings; all extra ones are blank and were "
                "left out."
            )
        )
    return tuple(notes)


def _aside_note(aside: SetAside) -> Note:
    count = len(aside.table)
    records = "1 record was" if count == 1 else f"{count} records were"
    return Note(
        f"{records} set aside with {aside.reason}.",
        "Correct them in the source; or, if the list is parted otherwise, state its "
        "`delimiter`.",
        aside.table.origin,
        warning=True,
    )


# Problems -------------------------------------------------------------------------


def _wrong_encoding(
    opened: Opened, encoding: Encoding, error: UnicodeError
) -> UnreadableSource:
    with opened.start() as stream:
        line, found = _first_undecodable_line(stream.read(), encoding.name)
    byte = "" if found is None else f" (byte {found:02X})"
    return UnreadableSource(
        f"it is not written in {encoding.name}: a character{byte} cannot be read so.",
        "State its true `encoding`, or leave `encoding` out to have it detected.",
        file=opened.address,
        line=line,
    )


def _first_undecodable_line(
    data: bytes, encoding: str
) -> tuple[int | None, int | None]:
    try:
        data.decode(encoding)
    except UnicodeDecodeError as error:
        start, byte = error.start, data[error.start]
    except UnicodeError:
        return None, None  # Some codecs do not tell where.
    else:
        return None, None
    try:
        return data[:start].decode(encoding).count("\n") + 1, byte
    except UnicodeError:
        return None, byte
