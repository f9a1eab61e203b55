"""A job: lists, work in order, and where results go.

A docket is loaded into a job, and so is a command: both are run by the same engine and
cannot differ.
"""

from __future__ import annotations

from pathlib import Path

import msgspec

from gruff_ledger.lists.fetching import FetchTerms
from gruff_ledger.lists.outputs import WritingTerms
from gruff_ledger.lists.reading import ReadingTerms
from gruff_ledger.terms import Terms
from gruff_ledger.work.registry import Further, Verb


class ListToRead(msgspec.Struct, frozen=True):
    """A list by its address, and what is pinned of how it is written."""

    name: str
    address: str
    reading: ReadingTerms = msgspec.field(default_factory=ReadingTerms)


class FurtherOut(msgspec.Struct, frozen=True):
    """What an entry writes beside its list, and the path it is written to."""

    what: Further
    path: Path
    address: str


class Entry(msgspec.Struct, frozen=True):
    """
    One piece of work.

    Attributes
    ----------
    number : int
        From 1, in the order of the work.
    lists : tuple of str
        Names of the lists it works on.
    result : str
        Name of the list it makes.
    place : str
        What to call it in a message: ``entry 2 (duplicates)``.
    line : int, optional
        Where it stands in the docket.
    further : tuple of FurtherOut
    """

    number: int
    verb: Verb
    terms: Terms
    lists: tuple[str, ...]
    result: str
    place: str | None = None
    line: int | None = None
    further: tuple[FurtherOut, ...] = ()


class OutToWrite(msgspec.Struct, frozen=True):
    """
    A list of the job, the path it is written to, and how.

    Attributes
    ----------
    part : str, optional
        The tab of a workbook or the table of a database.
    """

    path: Path
    address: str
    list_name: str
    part: str | None = None
    terms: WritingTerms = WritingTerms()


class Job(msgspec.Struct, frozen=True):
    """
    Everything a run needs to know.

    Attributes
    ----------
    folder : Path
        What relative addresses start from.
    docket : str, optional
        The docket as the person named it, for messages.
    lists : tuple of ListToRead
    entries : tuple of Entry
    outs : tuple of OutToWrite
    ledger : Path, optional
        The folder for the ledger.
    aside : Path, optional
        A file for the records set aside.
    fetch : FetchTerms
    """

    title: str
    folder: Path
    lists: tuple[ListToRead, ...]
    entries: tuple[Entry, ...]
    outs: tuple[OutToWrite, ...] = ()
    ledger: Path | None = None
    aside: Path | None = None
    docket: str | None = None
    fetch: FetchTerms = FetchTerms()
