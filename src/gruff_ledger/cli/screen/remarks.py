"""What was met on reading and found by the work, as lines for the screen.

A page (`page_lines`) says first what the work came to, then what needs attention, the
worst first, then notes, and last how the lists are written, where that is not plain. Of
what is many, the first are shown; ``--more`` shows all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import IO

from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.account.remarks import Remark, remarks_of
from gruff_ledger.account.words import (
    SourcePlaces,
    source_places,
    source_words,
    write_words,
)
from gruff_ledger.cli.screen.paragraphs import (
    finding_lines,
    note_lines,
    paragraph,
    rows_taken,
    screen,
    screen_width,
)
from gruff_ledger.outcome import Finding, Severity
from gruff_ledger.speakers import Speaker
from gruff_ledger.words import counted, visible

# What a page shows of each, without ``--more``.
_MOST_HEADLINES = 3
_MOST_TO_ATTEND_TO = 5
_MOST_NOTES = 4
_MOST_SOURCES = 3

# So many lines a page has, with those that end it: what is less pressing gives way.
_MOST_LINES = 12
_MOST_OF_DOCKET = 8

_PLAINLY_WRITTEN = {
    "utf-8, commas, heading in row 1",
    "utf-8 with a byte-order mark, commas, heading in row 1",
}

# From so many findings of one entry on, a table of them is easier to read than lines.
_TABLED_FINDINGS = 3


def page_lines(
    account: Account,
    *,
    speaker: Speaker,
    more: bool,
    below: int = 2,
    line_to_type: Callable[[str, str], str | None] = lambda key, value: None,
) -> list[str]:
    """
    Return the remarks of a page, in the order in which they are to be read.

    Parameters
    ----------
    account : Account
    speaker : Speaker
    more : bool
        Whether all are shown, and not the first of each kind.
    below : int
        How many lines of the page come after them.
    line_to_type : callable
        From a term and a value to the whole command with it, where there is one. It is
        shown beneath the worst remark that a term settles; with `more` each.
    """
    remarks = remarks_of(account, speaker=speaker, all_=more)
    heads = [(each, each.mark.replace("- ", "")) for each in remarks.headlines]
    sources = [
        (Remark(source_words(source), Severity.NOTE), "")
        for source in account.sources
        if more or not _is_plain(source)
    ]
    # Of each kind so many, as far as there is room; and whether the first of them is
    # there in any case. A line is kept for how lists were read.
    kinds = (
        (heads, _MOST_HEADLINES, True),
        (_marked(remarks.attention), _MOST_TO_ATTEND_TO, True),
        (_marked(remarks.notes), _MOST_NOTES, False),
        (sources, _MOST_SOURCES, True),
    )
    # One line is kept for how many more there are.
    room = _MOST_LINES - 1 - below - bool(sources)
    shown: list[str] = []
    hidden = 0
    has_line = False
    for parts, most, has_first in kinds:
        room += parts is sources and bool(sources)
        for number, (remark, mark) in enumerate(parts):
            lines = list(paragraph(remark.text, mark))
            if parts is kinds[1][0] and (more or not has_line):
                typed = _typed_lines(remark, line_to_type)
                has_line |= bool(typed)
                lines += typed
            is_kept = has_first and number == 0
            rows = rows_taken(lines, screen_width())
            if more or is_kept or (number < most and rows <= room):
                shown += lines
                room -= rows
            else:
                hidden += 1
    return shown + _more_lines(hidden)


def _typed_lines(
    remark: Remark, line_to_type: Callable[[str, str], str | None]
) -> list[str]:
    # Of several ways the first, for a person to change.
    line = line_to_type(*remark.given[0]) if remark.given else None
    # In one piece, as it is to be copied.
    return [f"  {visible(line)}"] if line else []


def attention_lines(account: Account, *, speaker: Speaker) -> list[str]:
    """
    Return what needs attention of a run of many entries, the worst first.

    Each says which entry it is of; how many more remarks there are comes last.
    """
    remarks = remarks_of(account, speaker=speaker, with_labels=True)
    own = {note.what for note in account.notes if not note.warning}
    told = list(remarks.attention[:_MOST_OF_DOCKET])
    told += [each for each in remarks.notes if each.text.startswith(tuple(own))]
    shown = [line for each in told for line in paragraph(each.text, each.mark)]
    return shown + _more_lines(sum(map(len, remarks)) - len(told))


def _marked(remarks: Sequence[Remark]) -> list[tuple[Remark, str]]:
    return [(each, each.mark) for each in remarks]


def _more_lines(hidden: int) -> list[str]:
    if hidden <= 0:
        return []
    return [f"{counted(hidden, 'more remark')}: add --more to see all."]


def _is_plain(source: Line) -> bool:
    """Whether nothing has to be said of how a list is written."""
    return write_words(source.facts) in _PLAINLY_WRITTEN


def remark_lines(account: Account, stream: IO[str], *, speaker: Speaker) -> list[str]:
    """Return the notes and findings of a run, in the order of the work."""
    names = source_places(account.sources)
    lines: list[str] = []
    for line in account.lines():
        lines += note_lines(line.notes, names, speaker=speaker)
        if _are_many_notes(line.findings) and stream.isatty():
            from gruff_ledger.cli.screen.tables import findings_title

            told = f"{findings_title(line.findings)} Each is in the ledger's findings."
            lines += paragraph(told, "- ")
        elif len(line.findings) >= _TABLED_FINDINGS and stream.isatty():
            lines += _findings_lines(line, names, stream)
        else:
            lines += finding_lines(line.findings, names)
    return lines + list(note_lines(account.notes, names, speaker=speaker))


def _are_many_notes(findings: Sequence[Finding]) -> bool:
    """Whether there is much that needs no look at each."""
    return len(findings) >= _TABLED_FINDINGS and all(
        found.severity == "note" for found in findings
    )


def _findings_lines(line: Line, names: SourcePlaces, stream: IO[str]) -> Iterator[str]:
    """Yield the lines of a table of findings, with its colours."""
    from gruff_ledger.cli.screen.tables import findings_view

    console = screen(stream)
    with console.capture() as captured:
        console.print(findings_view(line.findings, names))
    yield from captured.get().rstrip("\n").split("\n")
