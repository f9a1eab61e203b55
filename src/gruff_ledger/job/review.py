"""What a person has to decide in a job, and keeping what is decided."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec

from gruff_ledger.account.words import SourcePlaces, source_places
from gruff_ledger.job.engine import run
from gruff_ledger.job.job import Entry, Job, files_of, told_by
from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.outputs.commit import Outputs
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.search import find_lists
from gruff_ledger.lists.web.fetch import Fetching
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.review.decisions import (
    Decision,
    added,
    read_decisions,
    without,
    write_decisions,
)
from gruff_ledger.work.review.questions import Questions


class Review:
    """
    The review of one entry of a job.

    Parameters
    ----------
    job : Job
    entry : Entry
        One that names a file of decisions.
    on_step : callable, optional
        Told, before each step, what is about to be done.

    Attributes
    ----------
    path : Path
        Of the file of decisions.
    sources : SourcePlaces
        Where the records of the lists are, once there are questions.
    paths : tuple of Path
        The files that they were read from.
    """

    def __init__(
        self, job: Job, entry: Entry, on_step: Callable[[str], None] = lambda step: None
    ) -> None:
        self._job = job
        self._entry = entry
        self._on_step = on_step
        self.path = job.folder / _decisions_of(entry)
        self.sources = SourcePlaces()
        self.paths: tuple[Path, ...] = ()

    def questions(self) -> Questions:
        """Do the work up to the entry, and return what is open."""
        entry = msgspec.structs.replace(
            self._entry,
            further=(),
            files=files_of(self._entry.terms, self._job.folder),
        )
        before = [each for each in self._job.entries if each.number < entry.number]
        shorter = msgspec.structs.replace(
            self._job, entries=(*before, entry), outs=(), ledger=None, aside=None
        )
        done = run(shorter, keep_result=True, on_step=self._on_step)
        self.sources = source_places(done.account.sources)
        self.paths = done.paths
        questions: Questions = done.detail
        return questions

    def keep(self, decisions: Sequence[Decision]) -> int:
        """
        Add decisions to those in the file, and return how many there are then.

        The file is read anew each time, so that nothing that others decided meanwhile
        is lost.
        """
        if not decisions:
            return len(self._known())
        return self._write(added(self._known(), decisions))

    def take_back(self, decisions: Sequence[Decision]) -> int:
        """Take decisions out of the file, and return how many there are then."""
        return self._write(without(self._known(), decisions))

    def _write(self, kept: Sequence[Decision]) -> int:
        job = self._job
        with Outputs(
            self.paths, replace=True, made_from=job.untouched, below=job.below
        ) as outputs:
            outputs.claim(self.path)
            text = write_decisions(kept)
            outputs.write(self.path, lambda sink: sink.write(text))
            outputs.commit()
        return len(kept)

    def outputs_beside(self, *, replace: bool) -> Outputs:
        """Return what writes beside all that the review reads."""
        return Outputs(self.paths, replace=replace, made_from=told_by(self._job))

    def _known(self) -> list[Decision]:
        data = self.path.read_bytes() if self.path.exists() else None
        return read_decisions(str(self.path), data)


def reviews(job: Job, on_step: Callable[[str], None]) -> list[Review]:
    """
    Return a review for each entry of a job that names a file of decisions.

    Raises
    ------
    BadTerms
        If there is none.
    """
    found = [
        Review(job, entry, on_step) for entry in job.entries if _decisions_of(entry)
    ]
    if not found:
        raise BadTerms(
            "nothing in it names a file of decisions.",
            'Give a duplicates or merge entry decisions = "decided.jsonl".'
            if job.docket
            else "Name one in `decisions`: answers are kept there.",
            term="decisions",
        )
    return found


def _decisions_of(entry: Entry) -> str:
    """Return the file of decisions that an entry names, or nothing."""
    return getattr(entry.terms, "decisions", None) or ""


def filled_list(address: str) -> Table:
    """Read a list of questions that was filled in, at an address."""
    terms = ReadingTerms()
    fetching = Fetching()
    try:
        (found, *_) = find_lists(
            address, name=Path(address).name, terms=terms, fetching=fetching
        )
        reading = read_list(
            found.opened, found.address, found.terms, source=0, hashed=False
        )
    finally:
        fetching.close()
    return reading.table


def now() -> str:
    """Return the time, ISO 8601 in UTC."""
    moment = datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds")
    return moment.replace("+00:00", "Z")
