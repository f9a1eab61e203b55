"""The lists of a run, and the books that are kept on them.

There are four: the account, which is for people; the control totals; the trail, for
`trace`; and the types of values, for outputs that have such. Each list that is read and
each entry that is done is told to all of them, so that none can miss a step.
"""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import msgspec

from gruff_ledger.account.balance import check_balance
from gruff_ledger.account.folded_groups import Groups, first_groups
from gruff_ledger.account.ledger import Account, Balance, Line
from gruff_ledger.account.trail.unwritten import Trail
from gruff_ledger.columns.pending import Pending
from gruff_ledger.columns.storage import storage
from gruff_ledger.credentials import make_facts_readable
from gruff_ledger.job.expand import Source
from gruff_ledger.job.job import Entry, Job, beside_name
from gruff_ledger.job.value_types import ValueTypes
from gruff_ledger.job.write import seen_from
from gruff_ledger.lists.address import parse_address
from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.reading import Reading, typed_numbers
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import check_same
from gruff_ledger.outcome import Note, Outcome
from gruff_ledger.problems import BadTerms, Problem
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import plain
from gruff_ledger.written.of_list import check_all_found, with_ways

if TYPE_CHECKING:
    from gruff_ledger.account.control import Control


class Books:
    """
    The lists of a run and the books on them, from the first list that is read on.

    Parameters
    ----------
    job : Job
        With each list that there is named once; see `gruff_ledger.job.expand`.
    account : Account
        Gains a line for each list and entry.
    trail : Trail

    Attributes
    ----------
    tables : dict of str to Table
        The lists that something still needs, by name.
    types : ValueTypes
    """

    def __init__(self, job: Job, account: Account, trail: Trail) -> None:
        self._job = job
        self._account = account
        self._control = _control_of(job.control)
        self._trail = trail
        self._used = count_uses(job)
        self.types = ValueTypes()
        # The fields that examples were given of, and those of them that lists have.
        self._written: set[str] = set()
        self._found: set[str] = set()
        self.tables: dict[str, Table] = {}
        account.uses = Counter(name for entry in job.entries for name in entry.lists)
        account.references = _only_referred_to(job)

    def read(
        self,
        sources: Mapping[str, Source],
        on_step: Callable[[str], None],
        *,
        hashed: bool,
    ) -> None:
        """
        Read all lists.

        Parameters
        ----------
        sources : mapping of str to Source
            By name.
        on_step : callable
            Told, before each list, that it is read.
        hashed : bool
            Whether the account needs their hashes.
        """
        for position, (name, source) in enumerate(sources.items()):
            on_step(f"reading {name}")
            self._enter_source(name, position, source, _read(source, position, hashed))
        headings = [name for each in self.tables.values() for name in each.headings]
        check_all_found(self._written, self._found, list(dict.fromkeys(headings)))

    def _enter_source(
        self, name: str, position: int, source: Source, reading: Reading
    ) -> None:
        written = source.listed.reading.written
        table, said, found = with_ways(
            reading.table,
            written,
            is_shared=source.listed.is_shared,
            numbers=typed_numbers(reading),
        )
        self._written.update(written)
        self._found.update(found)
        settled = _settled(self._job, name)
        notes = tuple(note for note in reading.notes if note.topic not in settled)
        heading_row = reading.source.heading_row
        table = msgspec.structs.replace(table, heading_row=heading_row)
        reading = msgspec.structs.replace(reading, table=table, notes=notes + said)
        line = _source_line(name, reading, source.listed.reading, source.opened.packing)
        self._account.sources.append(line)
        self.tables[name] = reading.table
        if self._control is not None:
            self._control.source(name, reading.table, reading.aside)
        self.types.source(name, position, reading)
        ledger, path = self._job.ledger, source.opened.path
        self._trail.source(
            name,
            reading.table,
            reading.aside,
            reading.findings,
            source.opened.address,
            None if ledger is None or path is None else seen_from(ledger, path),
        )

    def perform(self, entry: Entry) -> Outcome:
        """
        Do the work of an entry, check that it balances, and enter it in the books.

        Raises
        ------
        Problem
            Placed in the docket, at the entry.
        """
        given = [self._given(name) for name in entry.lists]
        references = {said: self._given(name) for said, name in entry.references}
        self._let_go(entry)
        try:
            outcome = _outcome(entry, given, references)
            check_balance(entry.place or entry.verb.name, given, outcome)
        except Problem as problem:
            docket = self._job.docket
            placed = problem.placed(file=docket, entry=entry.place, line=entry.line)
            raise placed from problem
        facts = _entry_facts(entry, outcome)
        label = f"{entry.number} {entry.verb.name}"
        self._enter_in_account(entry, label, given, outcome, facts)
        if self._control is not None:
            self._control.entry(label, entry.result, entry.lists, given, outcome)
        self.tables[entry.result] = self._trail.entry(
            label, entry.result, entry.lists, given, outcome, facts
        )
        self._make_beside(entry, label, outcome)
        self.types.entry(entry.result, entry.lists, outcome)
        return outcome

    def _given(self, name: str) -> Table:
        """Return a list as it is given to an entry: by its name in the docket."""
        return msgspec.structs.replace(
            self.tables[name], name=name, root=self._trail.root
        )

    def _let_go(self, entry: Entry) -> None:
        """Forget lists that nothing needs any more, before their successor is made."""
        for name in (*entry.lists, *(name for _, name in entry.references)):
            self._used[name] -= 1
            if not self._used[name]:
                self.tables.pop(name, None)

    def _enter_in_account(
        self,
        entry: Entry,
        label: str,
        given: list[Table],
        outcome: Outcome,
        facts: dict[str, Any],
    ) -> None:
        groups: tuple[Groups, ...] = ()
        if self._trail.is_kept:
            groups = first_groups(outcome.aside, given, self._trail.root)
        records_in = sum(map(len, given))
        told = self._trail.told(outcome)
        self._account.entries.append(
            Line.of(label, entry.result, records_in, told, facts, groups=groups)
        )

    def _make_beside(self, entry: Entry, label: str, outcome: Outcome) -> None:
        """Make the lists beside the result that something needs."""
        for each in entry.verb.beside:
            name = beside_name(entry.result, each.key)
            if not self._used[name]:
                continue
            if each.key not in outcome.beside:
                raise BadTerms(
                    f"{entry.verb.name} makes no list '{each.key}' with these terms.",
                    "Leave it out, or see in the help which terms it belongs to.",
                    term=each.key,
                    file=self._job.docket,
                    entry=entry.place,
                    line=entry.line,
                )
            listed = outcome.beside[each.key]()
            self.tables[name] = self._trail.beside(name, label, each.key, listed)
            self._account.beside[name] = len(listed)

    def close(self) -> Balance:
        """Strike the balance and the control totals; see `Account.strike_balance`."""
        balance = self._account.strike_balance()
        if self._control is not None:
            self._close_control(self._control)
        return balance

    def _close_control(self, control: Control) -> None:
        """Strike the control totals; a field that no list has is said."""
        account = self._account
        for out in self._job.outs:
            control.out(out.address, out.list_name, self.tables[out.list_name])
        control.close(account.uses, account.references)
        account.control = control.chains
        for chain in control.chains:
            if not (chain.sources or chain.entries):
                account.notes.append(
                    Note(
                        f"No list has a field '{chain.field}' for a control total.",
                        "Correct it in `control`.",
                        warning=True,
                    )
                )


def last_list(job: Job) -> str:
    """Return the name of the list that a job comes to."""
    return job.entries[-1].result if job.entries else job.lists[0].name


def count_uses(job: Job, account: Account | None = None) -> Counter[str]:
    """
    Count for each list how often it is still needed, by entries and outs.

    Lists that nothing needs are said in the account, where one is given.
    """
    needed = [name for entry in job.entries for name in entry.lists]
    needed += [name for entry in job.entries for _, name in entry.references]
    needed += [out.list_name for out in job.outs]
    used = Counter([*needed, last_list(job)])
    unused = [each.name for each in job.lists if not used[each.name]]
    if unused and account is not None:
        names = ", ".join(f"'{name}'" for name in unused)
        account.notes.append(
            Note(f"No entry works on {names}; it was not read.", warning=True)
        )
    return used


def _only_referred_to(job: Job) -> frozenset[str]:
    """Return the lists that entries look into, and that go nowhere themselves."""
    there = {name for entry in job.entries for name in (*entry.lists, entry.result)}
    there |= {out.list_name for out in job.outs}
    named = {name for entry in job.entries for _, name in entry.references}
    return frozenset(named - there)


def _settled(job: Job, name: str) -> frozenset[str]:
    """Return the topics of notes on a list that all entries on it settle."""
    topics = [entry.terms.settles for entry in job.entries if name in entry.lists]
    return frozenset.intersection(*topics) if topics else frozenset()


def _read(source: Source, position: int, hashed: bool) -> Reading:
    try:
        reading = read_list(
            source.opened,
            source.address,
            source.listed.reading,
            source=position,
            hashed=hashed,
        )
    except Problem:
        # What is wrong with half a list is of no use to anybody.
        check_same(source.opened, lambda: "")
        raise
    check_same(source.opened, reading.source.sha256)
    return reading


def _source_line(
    name: str, reading: Reading, terms: ReadingTerms, packing: str
) -> Line:
    source = reading.source
    own = parse_address(source.address).fragment.reading
    facts = {
        "address": source.address,
        "size_bytes": source.size_bytes,
        # Still to be called, where there is one: it may take a while.
        "sha256": source.sha256,
        "modified": _iso(source.modified),
        "format": source.format,
        **({"packing": packing} if packing else {}),
        **source.written,
        "pinned": list(source.pinned),
        # What was said of how to read it, beside its address.
        "reading": {
            key: value for key, value in plain(terms).items() if key not in dict(own)
        },
        "heading_row": source.heading_row,
        "titles": list(source.titles),
        "headings": list(reading.table.headings),
    }
    outcome = Outcome(
        reading.table, reading.aside, findings=reading.findings, notes=reading.notes
    )
    return Line.of(
        f"reading {name}",
        name,
        source.records_in,
        outcome,
        facts,
        left_out=source.trailing_blank,
    )


def _iso(seconds: float | None) -> str | None:
    if seconds is None:
        return None
    moment = datetime.datetime.fromtimestamp(seconds, datetime.UTC)
    return moment.isoformat(timespec="seconds").replace("+00:00", "Z")


def _control_of(fields: Sequence[str]) -> Control | None:
    """Return what carries control totals, where some are asked for."""
    if not fields:
        return None
    from gruff_ledger.account.control import Control

    return Control(fields)


def _outcome(
    entry: Entry, given: list[Table], references: Mapping[str, Table]
) -> Outcome:
    more: dict[str, Any] = {"references": references} if references else {}
    if entry.files:
        more["files"] = dict(entry.files)
    outcome = entry.verb.perform(entry.terms, *given, **more)
    place = storage()
    held = tuple(
        each if isinstance(each, Pending) else place.kept(each)
        for each in outcome.table.held
    )
    table = msgspec.structs.replace(outcome.table, held=held)
    return msgspec.structs.replace(outcome, table=table)


def _entry_facts(entry: Entry, outcome: Outcome) -> dict[str, Any]:
    """Return what the account says of an entry, beside its figures."""
    facts: dict[str, Any] = make_facts_readable(
        {
            "do": entry.verb.name,
            "lists": list(entry.lists),
            **({"references": dict(entry.references)} if entry.references else {}),
            **({"files": hashes_of_files(entry)} if entry.files else {}),
            "terms": plain(entry.terms),
            "headings": list(outcome.table.headings),
        }
    )
    return facts


def hashes_of_files(entry: Entry) -> dict[str, str | None]:
    """Return the SHA-256 of each file that an entry's terms name, where it is there."""
    if not entry.files:
        return {}
    import hashlib

    return {
        said: None if data is None else hashlib.sha256(data).hexdigest()
        for said, data in entry.files
    }
