"""Paragraphs for the screen: notes and findings, fitted to the window.

Everything here gives plain lines of text; `tables` lays out tables.
"""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING

from gruff_ledger.account.words import SourcePlaces, finding_text, note_text
from gruff_ledger.speakers import Speaker
from gruff_ledger.words import visible

if TYPE_CHECKING:
    from rich.console import Console

    from gruff_ledger.outcome import Finding, Note


def note_lines(
    notes: Sequence[Note], sources: SourcePlaces, *, speaker: Speaker
) -> Iterator[str]:
    """Yield a paragraph for each note: what, the first few records, the remedy."""
    for note in notes:
        text = note_text(note, sources, speaker=speaker)
        yield from paragraph(text, "! " if note.warning else "- ")


def finding_lines(findings: Sequence[Finding], sources: SourcePlaces) -> Iterator[str]:
    """Yield a paragraph for each rule that found something, the worst first."""
    from gruff_ledger.outcome import Severity

    for found in sorted(findings, key=lambda found: -found.severity.rank):
        mark = "- " if found.severity is Severity.NOTE else "! "
        yield from paragraph(finding_text(found, sources), mark)


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


def rows_taken(lines: Iterable[str], width: int | None) -> int:
    """Return how many rows of a window lines take that it wraps; lines without one."""
    return sum(max(1, -(-len(line) // width)) if width else 1 for line in lines)


def screen_width() -> int | None:
    """Return the window's width in characters, or None where there is no window."""
    if not sys.stderr.isatty():
        return None
    import shutil

    return min(100, shutil.get_terminal_size().columns)


def screen(stream: IO[str]) -> Console:
    """Return what shows things on a stream, fitted to its window."""
    from rich.console import Console

    # Without a window the layout must not depend on the machine.
    width = None if stream.isatty() else 100
    return Console(file=stream, width=width, highlight=False, markup=False, emoji=False)


def free_path(path: Path, taken: set[Path]) -> Path:
    """Return a path, or the first with a number that is not there yet, nor taken."""
    found, number = path, 1
    while found in taken or found.exists():
        number += 1
        found = path.with_stem(f"{path.stem}-{number}")
    taken.add(found)
    return found
