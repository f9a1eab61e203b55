"""Words on the screen: text made safe to show, numbers with their nouns, notes.

Everything here gives plain lines of text; `tables` lays out tables.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gruff_ledger.outcome import Finding, Note
    from gruff_ledger.table import Origin

# Control characters, and those that change the direction of text around them: shown,
# they could move the cursor, colour the screen or disguise what stands there.
_UNSAFE = re.compile(
    "[\x00-\x1f\x7f-\x9f\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]"
)

_DELIMITER_NAMES = {
    ",": "commas",
    ";": "semicolons",
    "\t": "tabs",
    "|": "vertical bars",
}

_FORMAT_NAMES = {
    "xlsx": "XLSX",
    "ods": "ODS",
    "json": "JSON",
    "json-lines": "JSON Lines",
    "parquet": "Parquet",
    "sqlite": "SQLite",
}

# How many records a note or finding shows.
_SHOWN_RECORDS = 3


def visible(text: str) -> str:
    r"""
    Replace characters that would act on a terminal by a code that can be read.

    Examples
    --------
    >>> print(visible("red\x1b[31m\ttab"))
    red\x1b[31m\ttab
    """
    return _UNSAFE.sub(lambda found: found[0].encode("unicode_escape").decode(), text)


def counted(count: int, noun: str) -> str:
    """
    Return a number with its noun.

    Examples
    --------
    >>> counted(1, "record"), counted(0, "record")
    ('1 record', '0 records')
    """
    return f"{count} {noun if count == 1 else noun + 's'}"


def written_words(facts: Mapping[str, Any]) -> str:
    """Say how a source is written, from its facts in the account."""
    said = []
    if facts["format"] == "delimited":
        mark = " with a byte-order mark" if facts["byte_order_mark"] else ""
        said = [f"{facts['encoding']}{mark}", _delimiter_words(facts["delimiter"])]
    else:
        said = [_FORMAT_NAMES.get(facts["format"], facts["format"])]
    if "tab" in facts:
        hidden = "hidden tab" if facts.get("hidden") else "tab"
        said.append(f"{hidden} '{facts['tab']}'")
    if "table" in facts:
        said.append(f"table '{facts['table']}'")
    if "pointer" in facts:
        said.append(f"under {facts['pointer']}")
    if facts["heading_row"] is not None:
        row = facts["heading_row"]
        said.append(f"heading in row {row}" if row else "no heading")
    return ", ".join(said)


def _delimiter_words(delimiter: str) -> str:
    return _DELIMITER_NAMES.get(delimiter, f"'{delimiter}' between cells")


def places(
    origin: Origin, source_names: Sequence[str], values: Sequence[str] = ()
) -> str:
    """
    Name the first few: ``north record 3 'X', south record 4, and 12 more``.

    Values are given as they are to be shown.
    """
    said: list[str] = []
    for index in range(min(len(origin), _SHOWN_RECORDS)):
        name = source_names[int(origin.source[index])]
        value = f" {values[index]}" if values and values[index] else ""
        said.append(f"{name} record {origin.record[index]}{value}")
    if len(origin) > len(said):
        said.append(f"and {len(origin) - len(said)} more")
    return ", ".join(said)


def note_lines(
    notes: Sequence[Note], source_names: Sequence[str], *, in_docket: bool
) -> Iterator[str]:
    """Yield a paragraph for each note: what, the first few records, the remedy."""
    for note in notes:
        text = note_text(note, source_names, in_docket=in_docket)
        yield from paragraph(text, "! " if note.warning else "- ")


def note_text(note: Note, source_names: Sequence[str], *, in_docket: bool) -> str:
    """Return what a note says: what, the first few records, the remedy."""
    from gruff_ledger.problems import with_terms_named

    text = note.what
    if note.origin is not None and len(note.origin):
        text = f"{text.rstrip('.')}: {places(note.origin, source_names)}."
    if note.remedy:
        text = f"{text} {with_terms_named(note.remedy, in_docket=in_docket)}"
    return text


def finding_lines(
    findings: Sequence[Finding], source_names: Sequence[str]
) -> Iterator[str]:
    """Yield a paragraph for each rule that found something, the worst first."""
    from gruff_ledger.outcome import Severity

    rank = list(reversed(Severity))
    for found in sorted(findings, key=lambda found: rank.index(found.severity)):
        said = places(found.origin, source_names, shown_values(found))
        number = counted(len(found.origin), "record")
        yield from paragraph(
            f"{found.severity}: {finding_words(found).rstrip('.')}: {number}: {said}.",
            "- " if found.severity is Severity.NOTE else "! ",
        )


def finding_words(found: Finding) -> str:
    """Return what a finding says; of messages that differ, the first."""
    if found.said is None or not len(found.said):
        return found.message
    first, *others = found.said.slice(0, 2).to_pylist()
    return f"{first.rstrip('.')}, and the like" if others else str(first)


def shown_values(found: Finding) -> list[str]:
    """Return the first cells of a finding, each with the value perhaps meant."""
    values = found.value.slice(0, _SHOWN_RECORDS).to_pylist()
    nearest = [""] * len(values)
    if found.nearest is not None:
        nearest = found.nearest.slice(0, _SHOWN_RECORDS).to_pylist()
    return [
        f"'{value}'{f' (perhaps {near!r})' if near else ''}" if value else ""
        for value, near in zip(values, nearest, strict=True)
    ]


def paragraph(text: str, mark: str) -> Iterator[str]:
    """Yield the lines of a paragraph that hangs on its mark, fitted to the window."""
    width = screen_width()
    safe = visible(text)
    if width is None:
        yield mark + safe
        return
    import textwrap

    yield from textwrap.wrap(
        safe,
        max(40, width),
        initial_indent=mark,
        subsequent_indent=" " * len(mark),
        break_on_hyphens=False,
        break_long_words=False,
    )


def screen_width() -> int | None:
    """Return the window's width in characters, or None where there is no window."""
    if not sys.stderr.isatty():
        return None
    import shutil

    return min(100, shutil.get_terminal_size().columns)
