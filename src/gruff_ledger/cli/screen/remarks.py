"""What was met on reading and found by the work, as lines for the screen.

A page (`page_lines`) says first what the work came to, then what needs attention, the
worst first, then notes, and last how the lists are written, where that is not plain. Of
what is many, the first are shown; ``--more`` shows all.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import IO

from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.account.words import (
    SourcePlaces,
    note_text,
    source_places,
    write_words,
)
from gruff_ledger.cli.screen.paragraphs import (
    finding_lines,
    finding_text,
    note_lines,
    paragraph,
    screen,
)
from gruff_ledger.outcome import Finding, Severity
from gruff_ledger.speakers import Speaker
from gruff_ledger.words import counted

# What a page shows of each, without ``--more``.
_MOST_HEADLINES = 3
_MOST_TO_ATTEND_TO = 5
_MOST_NOTES = 4
_MOST_SOURCES = 3
_MOST_OF_DOCKET = 8

_PLAINLY_WRITTEN = "utf-8, commas, heading in row 1"

# From so many findings of one entry on, a table of them is easier to read than lines.
_TABLED_FINDINGS = 3


def source_words(line: Line) -> str:
    """Say how large a source is, and how it is written."""
    facts = line.facts
    fields = counted(len(facts["headings"]), "field")
    blank = f", {line.left_out} of them blank at the end" if line.left_out else ""
    return (
        f"{facts['address']}: {counted(line.records_in, 'record')}{blank}, {fields} "
        f"({write_words(facts)})."
    )


def page_lines(account: Account, *, speaker: Speaker, more: bool) -> list[str]:
    """
    Return the remarks of a page, in the order in which they are to be read.

    Parameters
    ----------
    account : Account
    speaker : Speaker
    more : bool
        Whether all are shown, and not the first of each kind.
    """
    names = source_places(account.sources)
    notes = [note for line in account.lines() for note in line.notes]
    notes += account.notes
    found = [each for line in account.lines() for each in line.findings]
    found.sort(key=lambda each: -each.severity.rank)
    grave = [each for each in found if each.severity is not Severity.NOTE]
    headlines = [note for note in notes if note.is_headline]
    warnings = [note for note in notes if note.warning and not note.is_headline]
    plain = [note for note in notes if not (note.warning or note.is_headline)]
    mild = [each for each in found if each.severity is Severity.NOTE]
    heads = [
        list(
            paragraph(
                note_text(note, names, speaker=speaker), "! " if note.warning else ""
            )
        )
        for note in headlines
    ]
    stops = [each for each in grave if each.severity is Severity.STOP]
    rest = [each for each in grave if each.severity is not Severity.STOP]
    attention = [
        *(list(finding_lines([each], names)) for each in stops),
        *(list(note_lines([note], names, speaker=speaker)) for note in warnings),
        *(list(finding_lines([each], names)) for each in rest),
    ]
    others = [
        *(list(note_lines([note], names, speaker=speaker)) for note in plain),
        *(list(finding_lines([each], names)) for each in mild),
    ]
    sources = [
        list(paragraph(source_words(source), ""))
        for source in account.sources
        if more or not _is_plain(source)
    ]
    shown: list[str] = []
    hidden = 0
    for parts, most in (
        (heads, _MOST_HEADLINES),
        (attention, _MOST_TO_ATTEND_TO),
        (others, _MOST_NOTES),
        (sources, _MOST_SOURCES),
    ):
        most = len(parts) if more else most
        shown += [line for part in parts[:most] for line in part]
        hidden += max(0, len(parts) - most)
    if hidden:
        shown.append(f"{counted(hidden, 'more remark')}: add --more to see all.")
    return shown


def attention_lines(account: Account, *, speaker: Speaker) -> list[str]:
    """
    Return what needs attention of a run of many entries, the worst first.

    Each says which entry it is of; how many more remarks there are comes last.
    """
    places = source_places(account.sources)
    told: list[tuple[int, str]] = []
    count = 0
    for line in account.lines():
        label = f"{line.label}: " if line in account.entries else ""
        count += len(line.notes) + len(line.findings)
        told += [
            (1, f"{label}{note_text(note, places, speaker=speaker)}")
            for note in line.notes
            if note.warning
        ]
        told += [
            (2 if each.severity is Severity.STOP else 0, f"{label}{text}")
            for each in line.findings
            if each.severity is not Severity.NOTE
            for text in [finding_text(each, places)]
        ]
    told.sort(key=lambda each: -each[0])
    shown = [
        line for _, text in told[:_MOST_OF_DOCKET] for line in paragraph(text, "! ")
    ]
    shown += note_lines(account.notes, places, speaker=speaker)
    rest = count - min(len(told), _MOST_OF_DOCKET)
    if rest:
        shown.append(f"{counted(rest, 'more remark')}: add --more to see all.")
    return shown


def _is_plain(source: Line) -> bool:
    """Whether nothing has to be said of how a list is written."""
    return not source.left_out and write_words(source.facts) == _PLAINLY_WRITTEN


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
