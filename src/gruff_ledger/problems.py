"""The errors a person can meet, and put right.

A `Problem` says what is wrong, where (file, record, field) and what to do next. It is
raised where the fault is found and gains its place as it climbs, with `placed`. One
place in `cli` catches it, writes one paragraph and exits with status 2.

The name of a term stands in backquotes in ``remedy``; who speaks of it is in
`speakers`. Backquotes in ``what`` are left alone, because ``what`` may quote data.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator
from typing import Self

from gruff_ledger.credentials import hide_credentials, without_credentials
from gruff_ledger.speakers import COMMAND, DOCKET, Speaker
from gruff_ledger.words import first_few, visible


class Problem(Exception):
    """
    Something a person can put right; it stops the work.

    Parameters
    ----------
    what : str
        What is wrong, with the value found and the value expected.
    remedy : str
        What to do next; names of terms stand in backquotes.
    file, entry, field : str, optional
        Where: the file or list as the person named it, the docket's entry, the heading.
    record, row, line : int, optional
        Record number (from 1 below the heading), row (from 1, RFC 7111), line of text.
    """

    def __init__(
        self,
        what: str,
        remedy: str = "",
        *,
        file: str | None = None,
        entry: str | None = None,
        record: int | None = None,
        row: int | None = None,
        line: int | None = None,
        field: str | None = None,
    ) -> None:
        super().__init__(what, remedy)
        self.what = what
        self.remedy = remedy
        self.file = file
        self.entry = entry
        self.record = record
        self.row = row
        self.line = line
        self.field = field
        self.speaker: Speaker = COMMAND
        # What else is wrong, where several things are.
        self.also: tuple[Problem, ...] = ()
        # Lines to be shown beneath the paragraph, such as a formula with carets.
        self.excerpt = ""

    def placed(
        self,
        *,
        file: str | None = None,
        entry: str | None = None,
        line: int | None = None,
    ) -> Self:
        """Add what the caller knows of the place, where nothing is known yet."""
        self.file = self.file or file
        self.entry = self.entry or entry
        self.line = self.line or line
        return self

    def place(self) -> str:
        """Say where, from the file down to the field; empty when nothing is known."""
        parts = [
            without_credentials(self.file or ""),
            hide_credentials(self.entry or ""),
        ]
        if self.record is not None:
            row = "" if self.row is None else f" (row {self.row})"
            parts.append(f"record {self.record}{row}")
        elif self.row is not None:
            parts.append(f"row {self.row}")
        if self.line is not None:
            parts.append(f"line {self.line}")
        if self.field is not None:
            parts.append(f"field '{self.field}'")
        return ", ".join(part for part in parts if part)

    def paragraph(self) -> str:
        """Where, what is wrong and what to do, as one paragraph without passwords."""
        place = self.place()
        said = f"{place}: {self.what}" if place else self.what
        remedy = self.speaker.said(self.remedy)
        # Data that is quoted may hold line ends.
        return visible(hide_credentials(f"{said} {remedy}".strip()))

    def every(self) -> list[Problem]:
        """Return this problem and all others that were found with it."""
        return [self, *(each for other in self.also for each in other.every())]

    def said_to(self, speaker: Speaker) -> Self:
        """Have a docket, or Python, speak of terms, here and in what else is wrong."""
        for each in self.every():
            each.speaker = (
                speaker.within(each.speaker)
                if speaker is DOCKET
                else each.speaker.within(speaker)
            )
        return self

    def __str__(self) -> str:
        return " ".join(each.paragraph() for each in self.every())


class UnreadableSource(Problem):
    """A source that is not there, may not be read, or is not what it should be."""


class UnwritableOutput(Problem):
    """A place that cannot be written to, or must not be."""


class UnknownField(Problem):
    """A heading that the list does not have, or has in several likenesses."""


class BadTerms(Problem):
    """
    Terms of a verb, or of reading, that cannot be followed.

    Parameters
    ----------
    term : str, optional
        The term's key, such as ``name-source``; the other parameters as in `Problem`.
    """

    def __init__(
        self, what: str, remedy: str = "", *, term: str | None = None, **place: object
    ) -> None:
        super().__init__(what, remedy, **place)  # type: ignore[arg-type]
        self.term = term

    def place(self) -> str:
        """Say where, from the file down to the term."""
        if self.term is None:
            return super().place()
        named = self.speaker.place(self.term)
        return ", ".join(part for part in (super().place(), named) if part)


class BadDocket(BadTerms):
    """A docket that cannot be followed as it is written."""


class OutOfBalance(Problem):
    """A run in which records came in that neither went out nor were set aside."""


@contextlib.contextmanager
def said_by(term: str) -> Iterator[None]:
    """Name the term that stated what is found wrong with terms, where none is named."""
    try:
        yield
    except BadTerms as problem:
        problem.term = problem.term or term
        raise


def nearest(name: str, known: Iterable[str]) -> str | None:
    """
    Return the known name most like `name`, or None when none is much like it.

    Case and surrounding space do not count against a likeness; among equals the
    earliest is taken.
    """
    import difflib

    folded: dict[str, str] = {}
    for candidate in known:
        folded.setdefault(candidate.strip().casefold(), candidate)
    found = difflib.get_close_matches(name.strip().casefold(), folded, n=1, cutoff=0.65)
    return folded[found[0]] if found else None


def nearest_or_all(name: str, known: Iterable[str], kind: str) -> str:
    """Word the way out of a misspelt name: the nearest, or the names there are."""
    names = list(known)
    near = nearest(name, names)
    if near is not None:
        return f"Did you mean '{near}'?"
    if not names:
        return f"There are no {kind}."
    shown = first_few([f"'{each}'" for each in names], 12)
    return f"The {kind} are {shown}."


def toml_fault(error: ValueError) -> str:
    """Word why a text could not be read as TOML."""
    import tomllib

    if isinstance(error, tomllib.TOMLDecodeError):
        return f"it is not TOML: {str(error).rstrip('.')}."
    # All else that Python refuses is a number with thousands of digits.
    return "a number in it has too many digits."
