"""What was met on reading and found by the work, as lines for the screen."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import IO

from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.account.words import write_words
from gruff_ledger.cli.screen.paragraphs import (
    finding_lines,
    note_lines,
    paragraph,
    screen,
)
from gruff_ledger.outcome import Finding
from gruff_ledger.speakers import Speaker
from gruff_ledger.words import counted

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


def remark_lines(account: Account, stream: IO[str], *, speaker: Speaker) -> list[str]:
    """Return the notes and findings of a run, in the order of the work."""
    names = account.source_names
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


def _findings_lines(
    line: Line, names: tuple[str, ...], stream: IO[str]
) -> Iterator[str]:
    """Yield the lines of a table of findings, with its colours."""
    from gruff_ledger.cli.screen.tables import findings_view

    console = screen(stream)
    with console.capture() as captured:
        console.print(findings_view(line.findings, names))
    yield from captured.get().rstrip("\n").split("\n")
