"""A job: lists, work in order, and where results go.

A docket is loaded into a job, and so is a command: both are run by the same engine and
cannot differ.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from gruff_ledger.credentials import readable, without_credentials
from gruff_ledger.lists.address import Server, list_name
from gruff_ledger.lists.memory_terms import RoomTerms
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import unreadable
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.problems import BadTerms, UnreadableSource
from gruff_ledger.terms.declared import Terms
from gruff_ledger.work.verb import Further, Verb


class ListToRead(msgspec.Struct, frozen=True):
    """
    A list by its address, and what is pinned of how it is written.

    Attributes
    ----------
    is_shared : bool
        Whether that is pinned for all lists of a command, of whatever format.
    """

    name: str
    address: str
    reading: ReadingTerms = msgspec.field(default_factory=ReadingTerms)
    is_shared: bool = False


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
    references : tuple of (said, name)
        The lists that its terms name beside those it works on: as they say it, and
        the name of the list.
    files : tuple of (said, bytes or None)
        What is in the files that its terms name; None in one that is not there yet.
    """

    number: int
    verb: Verb
    terms: Terms
    lists: tuple[str, ...]
    result: str
    place: str | None = None
    line: int | None = None
    further: tuple[FurtherOut, ...] = ()
    references: tuple[tuple[str, str], ...] = ()
    files: tuple[tuple[str, bytes | None], ...] = ()


class OutToWrite(msgspec.Struct, frozen=True):
    """
    A list of the job, the path it is written to, and how.

    Attributes
    ----------
    path : Path or Server
    part : str, optional
        The tab of a workbook or the table of a database.
    key : tuple of str
        The fields that tell its records apart, to see what changed from run to run.
    """

    path: Path | Server
    address: str
    list_name: str
    part: str | None = None
    terms: WritingTerms = WritingTerms()
    key: tuple[str, ...] = ()


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
    room : RoomTerms
    guards : bool
        Whether what is written beside the lists is guarded against formulas too.
    control : tuple of str
        Fields whose exact sums are carried through the work.
    untouched : mapping of Path to str
        Files that are no sources and must not be written to either, with what they
        are: the docket.
    below : tuple of Path
        The folders that outputs must lie below; none for anywhere.
    made_from : dict
        Of a docket its hash and the answers to its questions; see
        `gruff_ledger.docket.again`.
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
    room: RoomTerms = RoomTerms()
    guards: bool = False
    control: tuple[str, ...] = ()
    untouched: dict[Path, str] = {}
    below: tuple[Path, ...] = ()
    made_from: dict[str, Any] = {}


def told_by(job: Job) -> dict[Path, str]:
    """Return the files that a job is told by, which are no lists, and what they are."""
    named = {
        job.folder / said: "one of the files that say how the work is done"
        for entry in job.entries
        for said in entry.terms.files_named()
    }
    return named | job.untouched


def beside_name(result: str, key: str) -> str:
    """Return what a list that an entry makes beside its result is called."""
    return f"{result}.{key}"


def files_of(terms: Terms, folder: Path) -> tuple[tuple[str, bytes | None], ...]:
    """
    Read the files that an entry's terms name.

    Parameters
    ----------
    terms : Terms
    folder : Path
        What relative paths start from.

    Returns
    -------
    tuple of (said, bytes or None)

    Raises
    ------
    UnreadableSource
        If one cannot be read; or is not there, and must be.
    """
    found: list[tuple[str, bytes | None]] = []
    for said, must_be_there in terms.files_named().items():
        path = folder / said
        try:
            found.append((said, path.read_bytes()))
        except FileNotFoundError as error:
            if must_be_there:
                raise unreadable(error, path, str(path)) from error
            found.append((said, None))
        except OSError as error:
            raise unreadable(error, path, str(path)) from error
        except ValueError as error:
            raise UnreadableSource(
                "no file can have this name.", "Correct the path.", file=repr(said)
            ) from error
    return tuple(found)


def further_outs(
    said: Mapping[str, Any], verb: Verb, folder: Path
) -> tuple[FurtherOut, ...]:
    """
    Take the paths of all that an entry writes beside its list.

    Parameters
    ----------
    said : mapping
        What is said, by key; other keys are passed over.
    verb : Verb
    folder : Path
        What relative paths start from.

    Raises
    ------
    BadTerms
        If one is no path, or has an ending that cannot be written; or if a verb that
        writes nothing else is given none.
    """
    found = tuple(
        further_out(each, said[each.key], folder)
        for each in verb.further
        if said.get(each.key) is not None
    )
    if verb.writes_itself and not found:
        raise BadTerms(
            "no output path was given.",
            "Give a path that ends in .xlsx.",
            term="to",
        )
    return found


def further_out(what: Further, said: Any, folder: Path) -> FurtherOut:
    """
    Take the path of what an entry writes beside its list.

    Raises
    ------
    BadTerms
        If it is no path, or one with an ending that cannot be written.
    """
    if not isinstance(said, str) or not said:
        raise BadTerms("it should be a path.", what.description, term=what.key)
    path = folder / said
    if path.suffix.lower() not in what.endings:
        raise BadTerms(
            f"'{said}' does not end in {' or '.join(what.endings)}.",
            "The ending tells what is to be written.",
            term=what.key,
        )
    return FurtherOut(what, path, said)


def referred(
    addresses: Sequence[str],
    known: Collection[str],
    added: dict[str, ListToRead],
    taken: Collection[str] = (),
    reading: ReadingTerms | None = None,
) -> tuple[tuple[str, str], ...]:
    """
    Name the lists that an entry's terms refer to.

    Parameters
    ----------
    addresses : sequence of str
        As the terms say them; see `Terms.lists_named`.
    known : collection of str
        Names of lists; what is none of them is an address.
    added : dict
        Gains a list, by its address, for each address that is not in it yet.
    taken : collection of str, optional
        More names that no added list can have.
    reading : ReadingTerms, optional
        How added lists are written, where a command says it of all its lists.

    Returns
    -------
    tuple of (said, name)
        For each address the name of its list.
    """
    references = []
    for said in addresses:
        if said not in known:
            if said not in added:
                names = {*known, *taken, *(each.name for each in added.values())}
                name = list_name(said)
                shown = readable(without_credentials(said))
                # An address is no other's name, however much files are named alike.
                added[said] = ListToRead(
                    shown if name in names else name,
                    said,
                    reading or ReadingTerms(),
                    is_shared=reading is not None,
                )
            references.append((said, added[said].name))
        else:
            references.append((said, said))
    return tuple(references)
