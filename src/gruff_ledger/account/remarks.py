"""What is said of a run, in the order in which it is to be read; for any page."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import msgspec

from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.account.words import finding_text, note_text, source_places
from gruff_ledger.outcome import LAYOUT, Finding, Note, Severity
from gruff_ledger.speakers import Speaker, terms_given
from gruff_ledger.table import Origin


class Remark(NamedTuple):
    """
    Something that is said of a run.

    Attributes
    ----------
    text : str
    severity : str
        ``stop`` or ``warn`` where it needs attention, else ``note``.
    origin : Origin, optional
        The records that it is about.
    given : tuple of (str, str)
        The terms that its remedy gives, with their values.
    """

    text: str
    severity: Severity
    origin: Origin | None = None
    given: tuple[tuple[str, str], ...] = ()

    @property
    def mark(self) -> str:
        """What stands before it."""
        return "- " if self.severity is Severity.NOTE else "! "


class Remarks(NamedTuple):
    """
    All that is said of a run, in the order in which it is to be read.

    Attributes
    ----------
    headlines : tuple of Remark
        What the work came to.
    attention : tuple of Remark
        What needs attention, the worst first.
    notes : tuple of Remark
    """

    headlines: tuple[Remark, ...]
    attention: tuple[Remark, ...]
    notes: tuple[Remark, ...]


def remarks_of(
    account: Account, *, speaker: Speaker, with_labels: bool = False, all_: bool = False
) -> Remarks:
    """
    Return all that is said of a run.

    Parameters
    ----------
    account : Account
    speaker : Speaker
    with_labels : bool
        Whether each says which entry it is of.
    all_ : bool
        Whether findings that a note says too are among them, and notes on what a list's
        own line says.
    """
    sources = source_places(account.sources)
    headlines: list[Remark] = []
    attention: list[tuple[int, Remark]] = []
    notes: list[Remark] = []
    parts = [
        (line.label, tuple(_open_notes(account, line)), line.findings)
        for line in account.lines()
    ]
    entries = {line.label for line in account.entries} if with_labels else set()
    read = {line.label for line in account.sources}
    for name, said, findings in [*parts, ("", tuple(account.notes), ())]:
        # What could be wrong with a reading is less than what the work found.
        rank = -1 if name in read else 1
        label = f"{name}: " if name in entries else ""
        for note in said:
            severity = Severity.WARN if note.warning else Severity.NOTE
            text = label + note_text(note, sources, speaker=speaker)
            given = tuple(terms_given(note.remedy))
            remark = Remark(text, severity, note.origin, given)
            if note.is_headline:
                headlines.append(remark)
            elif note.warning:
                attention.append((rank, remark))
            elif all_ or note.topic != LAYOUT:
                notes.append(remark)
        for found in findings:
            if not all_ and _is_said_by_note(found):
                continue
            text = label + finding_text(found, sources)
            remark = Remark(text, found.severity, found.origin)
            if found.severity is Severity.NOTE:
                notes.append(remark)
            else:
                attention.append((2 * (found.severity is Severity.STOP), remark))
    attention.sort(key=lambda each: -each[0])
    # Two rules on one field can say the same of a cell: it is said once.
    once: dict[str, Remark] = {}
    for _, remark in attention:
        once.setdefault(remark.text, remark)
    return Remarks(tuple(headlines), tuple(once.values()), tuple(notes))


def _open_notes(account: Account, line: Line) -> Iterator[Note]:
    """Yield the notes of a line, without a remedy that was taken already."""
    there = [
        name.removeprefix(f"{line.result}.")
        for name in account.beside
        if name.startswith(f"{line.result}.")
    ]
    for note in line.notes:
        if any(f"`{key} " in note.remedy for key in there):
            note = msgspec.structs.replace(note, remedy="")
        yield note


def _is_said_by_note(found: Finding) -> bool:
    """Whether a finding needs no words of its own; one that stops a run always does."""
    return found.is_noted and found.severity is not Severity.STOP
