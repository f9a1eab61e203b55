"""For scripts in Python: the same work as on the command line, list by list.

Import it from the package itself::

    from gruff_ledger import do, read, write

    north = read("incoming/north-quay.csv")
    once = do("duplicates", north, by=["Boat", "Mooring no"])
    write(once.table, "clean.csv")

`Run` does it with a ledger. What a person can put right is a `Problem`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import msgspec

from gruff_ledger.account.balance import check_balance
from gruff_ledger.docket.load import load_docket
from gruff_ledger.field_names import free_heading
from gruff_ledger.job.engine import Run as Done
from gruff_ledger.job.engine import run as run_job
from gruff_ledger.job.job import Entry, Job, ListToRead, OutToWrite, files_of, referred
from gruff_ledger.job.part import stopped_after
from gruff_ledger.lists.address import list_name
from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.memory_terms import RoomTerms
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.outputs.commit import Outputs
from gruff_ledger.lists.outputs.prepare import (
    check_output,
    output_place,
    split_part,
    write_parts,
)
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.search import find_lists
from gruff_ledger.lists.web.fetch import Fetching
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import Problem, UnreadableSource
from gruff_ledger.script_calls import (
    SOURCES,
    check_count,
    find_verb,
    for_scripts,
    part_tables,
    terms_of,
)
from gruff_ledger.speakers import DOCKET, PYTHON
from gruff_ledger.table import Table
from gruff_ledger.written.of_list import with_ways


@for_scripts
def read(address: str | Path, **how: Any) -> Table:
    """
    Read a list.

    Parameters
    ----------
    address : str or Path
        As on the command line: a path, a part of a file (``book.xlsx#sheet=May``), a
        table of a database, an address on the web.
    **how
        How the list is written, where it is not to be detected: ``delimiter``,
        ``encoding``, ``skip_rows`` and so on, as the options of that name.

    Returns
    -------
    Table
        `Table.headings`, `Table.records` and ``len`` tell what is in it.

    Raises
    ------
    UnreadableSource
        If it is not there, damaged, or stands for several lists.
    BadTerms

    Notes
    -----
    What reading sets aside, finds and notes is not returned; a `Run` keeps account of
    it.
    """
    terms = terms_of(ReadingTerms, how)
    fetching = Fetching(FetchTerms())
    try:
        found = find_lists(
            str(address),
            name=list_name(str(address)),
            terms=terms,
            fetching=fetching,
        )
        if len(found) != 1:
            raise UnreadableSource(
                f"it stands for {len(found)} lists.",
                "Read them one by one.",
                file=str(address),
            )
        (one,) = found
        reading = read_list(
            one.opened, one.address, one.terms, source=next(SOURCES), hashed=False
        )
    finally:
        fetching.close()
    return with_ways(reading.table, one.terms.written)[0]


def make_list(
    headings: Sequence[str], records: Iterable[Sequence[str]], *, name: str = "the list"
) -> Table:
    """
    Make a list of records at hand.

    Parameters
    ----------
    headings : sequence of str
    records : iterable of sequence of str
        A text for each heading.
    name : str
        What messages call it.

    Raises
    ------
    ValueError
        If two headings are the same, or a record has not a text for each heading.

    Examples
    --------
    >>> boats = make_list(["Boat", "Berth"], [["Tern", "007"], ["Gull", "12"]])
    >>> boats.records()
    [('Tern', '007'), ('Gull', '12')]
    """
    if len(set(headings)) < len(headings):
        raise ValueError("two headings are the same")
    rows = [tuple(record) for record in records]
    for number, row in enumerate(rows, 1):
        if len(row) != len(headings):
            raise ValueError(
                f"record {number} has {len(row)} cells, and there are {len(headings)} "
                "headings"
            )
    return Table.of_records(headings, rows, name=name, source=next(SOURCES))


@for_scripts
def do(verb: str, *tables: Table, **terms: Any) -> Outcome:
    """
    Do the work of a verb, and check that it balances.

    Parameters
    ----------
    verb : str
        Such as ``duplicates``; see ``gruff --help``.
    *tables : Table
        The lists to work on: one, or several where the verb takes several.
    **terms
        As a docket writes them, with underscores: ``name_source="Quay"``. A name that
        is a word of Python ends with one: ``in_="tariff.csv"``. Where a term names a
        list, a `Table` will do.

    Returns
    -------
    Outcome
        `Outcome.table` is the result; `aside`, `changes`, `findings` and `notes` tell
        what happened.

    Raises
    ------
    BadTerms, UnknownField, OutOfBalance
        And whatever else the verb can meet.

    Examples
    --------
    >>> boats = make_list(["Boat"], [["Tern"], ["Gull"], ["Tern"]])
    >>> once = do("duplicates", boats, by=["Boat"])
    >>> once.table.records(), len(once.aside[0].table)
    ([('Tern',), ('Gull',)], 1)
    """
    known = find_verb(verb)
    check_count(known, len(tables))
    said, references = part_tables(terms)
    stated = terms_of(known.terms, said)
    files = files_of(stated, Path())
    for address in stated.lists_named(dict(files)):
        if address not in references:
            references[address] = read(address)
    more: dict[str, Any] = {"references": references} if references else {}
    if files:
        more["files"] = dict(files)
    outcome = known.perform(stated, *tables, **more)
    check_balance(known.name, tables, outcome)
    notes = tuple(
        msgspec.structs.replace(
            note,
            remedy=PYTHON.said(note.remedy),
        )
        for note in outcome.notes
    )
    return msgspec.structs.replace(outcome, notes=notes)


@for_scripts
def write(table: Table, path: str | Path, *, replace: bool = False, **how: Any) -> None:
    """
    Write a list, whole or not at all.

    Parameters
    ----------
    table : Table
    path : str or Path
        Its ending tells the format; ``book.xlsx#sheet=May`` names a tab.
    replace : bool
        Whether a file that exists may be replaced.
    **how
        How it is to be written: ``delimiter``, ``line_ends`` and so on.

    Raises
    ------
    UnwritableOutput
    """
    said, part = split_part(str(path))
    place = output_place(said, Path())
    terms = terms_of(WritingTerms, how)
    found = check_output(place, terms, [part])
    if not isinstance(place, Path):
        from gruff_ledger.lists.database.write_server import ServerWriting

        writing = ServerWriting(place, replace=replace)
        try:
            writing.claim([part])
            writing.write(str(part), table)
            writing.commit()
        finally:
            writing.abandon()
        return
    with Outputs(replace=replace) as outputs:
        outputs.claim(place)
        outputs.write(
            place, lambda sink: write_parts(place, found, [(part, table)], terms, sink)
        )
        outputs.commit()


@for_scripts
def run(
    docket: str | Path,
    *,
    answers: Mapping[str, str] | None = None,
    replace: bool = False,
    anywhere: bool = False,
    memory: str | None = None,
) -> Done:
    """
    Do the work of a docket.

    Parameters
    ----------
    docket : str or Path
    answers : mapping of str, optional
        To its questions, by name; the others have their defaults.
    replace : bool
        Whether outputs that exist may be replaced.
    anywhere : bool
        Whether the docket may write outside its own folder.
    memory : str, optional
        How much memory it may take, such as ``2 GB``.

    Returns
    -------
    Done
        With its account, balance and last list.
    """
    try:
        job = load_docket(Path(docket), answers=dict(answers or {}), anywhere=anywhere)
    except Problem as problem:
        problem.said_to(DOCKET)
        raise
    job = msgspec.structs.replace(job, room=RoomTerms(memory=memory))
    return run_job(job, replace=replace, keep_result=True)


class Listed:
    """
    A list of a `Run`: one of its sources, or the result of work.

    Parameters
    ----------
    of : Run
    name : str
        What the account calls it.
    """

    def __init__(self, of: Run, name: str) -> None:
        self._of = of
        self.name = name

    @property
    def table(self) -> Table:
        """The list itself; all that leads to it is done, and nothing is written."""
        return self._of._table(self.name)


class Run:
    """
    Work with an account: it is done, balanced and written all together at the end.

    As a context manager it ends with its block; where that fails, nothing is written.

    Parameters
    ----------
    title : str
        What the account is called.
    ledger : str or Path, optional
        The folder for the ledger.
    replace : bool
        Whether outputs that exist may be replaced.
    control : sequence of str
        Fields whose exact sums are carried through the work.
    memory : str, optional
        How much memory it may take, such as ``2 GB``.

    Attributes
    ----------
    done : Done, optional
        The account and balance, once it has ended.

    Examples
    --------
    ::

        with Run("Berths", ledger="ledger") as work:
            north = work.read("incoming/north-quay.csv")
            once = work.do("duplicates", north, by=["Boat", "Mooring no"])
            work.write(once, "clean.csv")
        print(work.done.balance.set_aside)
    """

    def __init__(
        self,
        title: str = "a script",
        *,
        ledger: str | Path | None = None,
        replace: bool = False,
        control: Sequence[str] = (),
        memory: str | None = None,
    ) -> None:
        self.done: Done | None = None
        self._replace = replace
        self._job = Job(
            title=title,
            folder=Path(),
            lists=(),
            entries=(),
            ledger=None if ledger is None else Path(ledger),
            control=tuple(control),
            room=RoomTerms(memory=memory),
        )
        self._beside: dict[str, ListToRead] = {}
        self._tables: dict[str, Table] = {}

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if error is None:
            self.end()

    @for_scripts
    def read(
        self, address: str | Path, *, name: str | None = None, **how: Any
    ) -> Listed:
        """
        Name a source; see `gruff_ledger.read`.

        An address can stand for several lists, for a verb that takes several.
        """
        own = free_heading(name or Path(str(address)).stem, self._names())
        listed = ListToRead(own, str(address), terms_of(ReadingTerms, how))
        self._job = msgspec.structs.replace(self._job, lists=(*self._job.lists, listed))
        return Listed(self, own)

    @for_scripts
    def do(
        self, verb: str, *lists: Listed, name: str | None = None, **terms: Any
    ) -> Listed:
        """
        Add work; see `gruff_ledger.do`.

        A term that names a list takes one of this run, or an address. `name` is what
        the account calls the result.

        Raises
        ------
        BadTerms
        """
        known = find_verb(verb)
        check_count(known, len(lists))
        said = {
            key: each.name if isinstance(each, Listed) else each
            for key, each in terms.items()
        }
        stated = terms_of(known.terms, said)
        files = files_of(stated, Path())
        named = stated.lists_named(dict(files))
        references = referred(named, self._names(), self._beside)
        number = len(self._job.entries) + 1
        result = free_heading(name or f"{verb} {number}", self._names())
        entry = Entry(
            number=number,
            verb=known,
            terms=stated,
            lists=tuple(each.name for each in lists),
            result=result,
            references=references,
            files=files,
        )
        self._job = msgspec.structs.replace(
            self._job, entries=(*self._job.entries, entry)
        )
        return Listed(self, result)

    @for_scripts
    def write(self, listed: Listed, path: str | Path, **how: Any) -> None:
        """Have a list written at the end; see `gruff_ledger.write`."""
        said, part = split_part(str(path))
        place = output_place(said, Path())
        terms = terms_of(WritingTerms, how)
        out = OutToWrite(place, str(path), listed.name, part, terms)
        self._job = msgspec.structs.replace(self._job, outs=(*self._job.outs, out))

    @for_scripts
    def end(self) -> Done:
        """
        Do all the work, check that it balances, and put all results in their places.

        Raises
        ------
        Problem
            Of any kind; nothing is then written.
        """
        self.done = run_job(self._whole(), replace=self._replace, keep_result=True)
        return self.done

    def _whole(self) -> Job:
        lists = (*self._job.lists, *self._beside.values())
        return msgspec.structs.replace(self._job, lists=lists)

    def _names(self) -> list[str]:
        return [
            *(each.name for each in self._job.lists),
            *(each.name for each in self._beside.values()),
            *(each.result for each in self._job.entries),
        ]

    @for_scripts
    def _table(self, name: str) -> Table:
        if name not in self._tables:
            job = self._whole()
            numbers = {each.result: str(each.number) for each in job.entries}
            if name in numbers:
                job = stopped_after(job, numbers[name])
            else:
                lists = tuple(each for each in job.lists if each.name == name)
                job = msgspec.structs.replace(
                    job, lists=lists, entries=(), outs=(), ledger=None, control=()
                )
            result = run_job(job, keep_result=True).result
            assert result is not None
            self._tables[name] = result
        return self._tables[name]
