"""Reading delimited text (RFC 4180, and the forms in which it really arrives).

How a list is written is told before any record is: its encoding, by the letters that
each candidate gives (`encoding`); delimiter and quoting, by which all of the first rows
have the same number of cells (`delimiter`); titles and heading (`layout`). What a
person pins is not told. Then the records are parsed (`parse`), and what does not fit is
settled: records with too few or too many cells (`ragged`), blank ones at the end,
quotes that swallow line ends (`swallowed_lines`).

What always holds: each record below the heading is in the result, set aside with its
text, or counted among the blank ones at the end; and no cell differs by a character
from what stands in the source.
"""

from __future__ import annotations

import codecs

import msgspec

from gruff_ledger.field_names import make_headings
from gruff_ledger.lists.address import WHOLE, Fragment, Range
from gruff_ledger.lists.bounds import (
    Found,
    first_row,
    pick_aside,
    picked,
    rows_within,
    settled,
)
from gruff_ledger.lists.delimited.decoding import head_of, in_its_encoding
from gruff_ledger.lists.delimited.encoding import Encoding, detect_encoding
from gruff_ledger.lists.delimited.layout import Layout, detect_layout
from gruff_ledger.lists.delimited.parse import Parsed, Plan, open_quote, parse_records
from gruff_ledger.lists.delimited.quote_notes import note_quoting
from gruff_ledger.lists.delimited.ragged import (
    findings_on_short,
    notes_on_ragged,
    settle_ragged,
)
from gruff_ledger.lists.delimited.swallowed_lines import note_swallowed
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import HEAD_BYTES, Opened, Seen, word_changed_source
from gruff_ledger.problems import UnreadableSource


def read_delimited(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment = WHOLE,
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
    fragment : Fragment
        The rows and columns that the address states.
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
    # A block begins with its heading: the rows above it are no part of the list.
    start = first_row(fragment)
    pinned = terms
    if start is not None:
        skipped = start - 1 + (terms.skip_rows or 0)
        pinned = msgspec.structs.replace(terms, skip_rows=skipped)
    found = _found(opened, pinned, fragment.rows, source, hashed, careful)
    if start is not None:
        found = msgspec.structs.replace(found, titles=())
    return settled(found, opened, fragment, terms)


def read_headings(opened: Opened, terms: ReadingTerms) -> tuple[str, ...]:
    """
    Return the headings of a delimited list, from its beginning alone.

    Raises
    ------
    UnreadableSource
    """
    encoding = detect_encoding(head_of(opened), terms.encoding, opened.address)
    headings, _ = make_headings(_layout(opened, terms, encoding).heading)
    return headings


def _found(
    opened: Opened,
    terms: ReadingTerms,
    rows: tuple[Range, ...] | None,
    source: int,
    hashed: bool,
    careful: bool,
) -> Found:
    return in_its_encoding(
        opened,
        terms.encoding,
        lambda encoding: _read_as(
            opened, terms, rows, encoding, source, hashed, careful
        ),
    )


def _read_as(
    opened: Opened,
    terms: ReadingTerms,
    rows: tuple[Range, ...] | None,
    encoding: Encoding,
    source: int,
    hashed: bool,
    careful: bool,
) -> Found:
    layout = _layout(opened, terms, encoding)
    headings, made = make_headings(layout.heading)
    plan = Plan(opened, encoding, layout, headings, hashed)
    parsed = parse_records(plan, careful=careful)
    return _as_found(plan, terms, rows, made, parsed, source)


def _layout(opened: Opened, terms: ReadingTerms, encoding: Encoding) -> Layout:
    """Find titles and heading in the head, or in all of it if the head is too short."""
    for most in (HEAD_BYTES, -1):
        with opened.start() as stream:
            stream.read(len(encoding.bom))
            data = stream.read(most)
            whole = most < 0 or not stream.read(1)
        text = _decode_start(data, encoding.name, whole)
        layout = detect_layout(
            text,
            whole=whole,
            delimiter=terms.delimiter_character or None,
            skip_rows=terms.skip_rows,
            header_rows=terms.header_rows,
            quoting=terms.quote,
            expected=_expected_delimiter(opened),
        )
        if layout is not None:
            if not layout.heading:
                raise UnreadableSource(
                    "this row, where the heading should be, is empty.",
                    "Give `skip-rows` the number of rows above the heading.",
                    file=opened.address,
                    row=layout.heading_row,
                )
            if terms.header_rows and layout.is_open:
                raise open_quote(opened, layout.heading_row, layout.heading[-1])
            return layout
        if whole:
            break
    if terms.skip_rows:
        raise UnreadableSource(
            f"it has no row {terms.skip_rows + 1}, where the heading should be: it "
            f"ends with row {len(text.splitlines())}.",
            "Give a row among those, by `skip-rows` or in the address.",
            file=opened.address,
        )
    raise UnreadableSource(
        "it holds nothing but blank rows: there is no heading.",
        "Send a list with headings.",
        file=opened.address,
    )


def _expected_delimiter(opened: Opened) -> str:
    """Return the delimiter that the ending or the media type speaks for."""
    place = str(opened.path) if opened.path else opened.address
    ending = place.partition("#")[0].lower().endswith((".tsv", ".tab"))
    # The type is registered with the IANA.
    served = opened.media_type.startswith("text/tab-separated-values")
    return "\t" if ending or served else ""


def _decode_start(data: bytes, encoding: str, whole: bool) -> str:
    return codecs.getincrementaldecoder(encoding)().decode(data, final=whole)


def _as_found(
    plan: Plan,
    terms: ReadingTerms,
    rows: tuple[Range, ...] | None,
    made: dict[int, str],
    parsed: Parsed,
    source: int,
) -> Found:
    opened, encoding, layout, headings = (
        plan.opened,
        plan.encoding,
        plan.layout,
        plan.headings,
    )
    _check_unchanged(opened, parsed.seen)
    total = len(parsed)
    odd = parsed.odd
    table, too_short, aside, extra_blank = settle_ragged(
        headings, parsed, opened.name, source, total
    )
    ragged = parsed.ragged
    if rows is not None:
        # What is said of records is said of those in the block.
        within = rows_within(rows, layout.heading_row)
        table, aside = picked(table, within), pick_aside(aside, within)
        extra_blank = [each for each in extra_blank if within([each])[0]]
        ragged = ragged.picked(within(ragged.numbers).tolist())
        odd = [each for each in odd if within([each])[0]]
    notes = notes_on_ragged(plan, made, terms, aside, len(extra_blank))
    notes += note_quoting(table, layout, source, odd, has_quote=parsed.seen.has_quote)
    if parsed.seen.has_quote and layout.quoted:
        notes += note_swallowed(table, ragged, layout, source)
    return Found(
        table,
        total,
        "delimited",
        layout.heading_row,
        {
            "encoding": encoding.name,
            "byte_order_mark": bool(encoding.bom),
            "delimiter": layout.delimiter,
            **({} if layout.quoting == "double" else {"quote": layout.quoting}),
        },
        parsed.seen.size_bytes,
        parsed.seen.sha256,
        layout.titles,
        tuple(
            key
            for key, stated in (
                ("encoding", terms.encoding is not None),
                ("delimiter", layout.delimiter_pinned),
                ("skip-rows", layout.heading_pinned),
                ("quote", layout.quoting_pinned),
            )
            if stated
        ),
        aside,
        findings_on_short(too_short, source),
        notes,
    )


def _check_unchanged(opened: Opened, seen: Seen) -> None:
    # Only for files: the size of a stream is that of the bytes held in memory.
    if opened.path is not None and seen.size_bytes != opened.size_bytes:
        raise word_changed_source(opened.address)
