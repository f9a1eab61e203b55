"""Running a job: read, do the work, check the balance, write.

Nothing is written before all work is done and balances, and nothing is put in its place
before all of it is written.
"""

from __future__ import annotations

import contextlib
import datetime
import hashlib
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from gruff_ledger import __version__
from gruff_ledger.account.balance import check_balance
from gruff_ledger.account.control import Control
from gruff_ledger.account.folded_groups import first_groups
from gruff_ledger.account.ledger import Account, Balance, Line
from gruff_ledger.account.trail.write import Trail
from gruff_ledger.credentials import hidden_facts
from gruff_ledger.job.expand import Source, expanded
from gruff_ledger.job.job import Entry, Job, beside_name, told_by
from gruff_ledger.job.value_types import ValueTypes
from gruff_ledger.job.write import Written, note_existing, seen_from
from gruff_ledger.lists.address import is_file, is_pattern, parse_address
from gruff_ledger.lists.file_patterns import matching_files
from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.outputs.commit import Outputs
from gruff_ledger.lists.reading import Reading, ReadingTerms
from gruff_ledger.lists.source import check_same
from gruff_ledger.lists.web.fetch import Fetching
from gruff_ledger.outcome import Note, Outcome
from gruff_ledger.problems import BadTerms, Problem
from gruff_ledger.storage.folders import remove_left, scratch_root
from gruff_ledger.storage.scratch import (
    Scratch,
    is_used,
    memory_to_use,
    stored_table,
    wants_scratch,
)
from gruff_ledger.system.locks import only_one
from gruff_ledger.table import Table, give_back_memory_at_once
from gruff_ledger.terms.declared import plain


class Run(msgspec.Struct, frozen=True):
    """
    A finished run.

    Attributes
    ----------
    account : Account
    balance : Balance
    result : Table, optional
        The last list it made.
    measured, detail, beside
        Of the last entry; see `Outcome`.
    paths : tuple of Path
        The files that its lists were read from.
    """

    account: Account
    balance: Balance
    result: Table | None
    measured: str = ""
    detail: Any = None
    beside: Mapping[str, Callable[[], Table]] = {}
    paths: tuple[Path, ...] = ()


def run(
    job: Job,
    *,
    replace: bool = False,
    hash_sources: bool = False,
    keep_result: bool = False,
    since: bool = False,
    write: bool = True,
    on_step: Callable[[str], None] = lambda step: None,
    on_read: Callable[[int, int], None] = lambda done, total: None,
) -> Run:
    """
    Run a job.

    Parameters
    ----------
    job : Job
    replace : bool
        Whether outputs that exist may be replaced.
    hash_sources : bool
        Whether the account needs the hashes of the sources; a ledger always has them.
    keep_result : bool
        Whether to hand over the last list made, for showing.
    since : bool
        Whether to compare each list with the output that is still there.
    write : bool
        False to do all the work, and to write nothing at all.
    on_step : callable
        Told, before each step, what is about to be done.
    on_read : callable
        Told, while a list is fetched or read, how many bytes have been, and of how
        many (0 where that is unknown).

    Returns
    -------
    Run

    Raises
    ------
    Problem
        Of any kind that reading, the work, the balance or writing can meet; nothing
        is then written or replaced.
    """
    started = datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds")
    account = Account(job.title, started.replace("+00:00", "Z"))
    if not write:
        job = _writing_nothing(job)
        note_existing(job, account)
    with contextlib.ExitStack() as stack:
        if job.docket is not None and job.ledger is not None:
            stack.enter_context(only_one(Path(job.docket)))
        fetching = Fetching(job.fetch, folder=job.folder, on_progress=on_read)
        stack.enter_context(contextlib.closing(fetching))
        patterns = _patterns(job)
        job, sources = expanded(job, _uses(job, account), fetching, on_step, on_read)
        paths = [each.opened.path for each in sources.values() if each.opened.path]
        _enter_scratch(stack, job, sources, account)
        outputs = stack.enter_context(
            Outputs(
                paths,
                replace=replace or not write,
                made_from=told_by(job),
                below=job.below,
            )
        )
        read = [
            (each.opened.server, each.address.fragment.table)
            for each in sources.values()
            if each.opened.server
        ]
        written = Written(job, outputs, account, read)
        if any(entry.verb.sums_up for entry in job.entries):
            give_back_memory_at_once()
        hashed = hash_sources or job.ledger is not None
        control = Control(job.control)
        trail = stack.enter_context(written.begun_trail(list(sources)))
        types = ValueTypes()
        tables = _read_all(
            job, sources, account, on_step, control, trail, types, hashed=hashed
        )
        used = _uses(job)
        account.uses = Counter(name for entry in job.entries for name in entry.lists)
        account.references = _only_referred_to(job)
        measured, detail, details = "", None, []
        beside: Mapping[str, Callable[[], Table]] = {}
        for entry in job.entries:
            on_step(f"{entry.number} {entry.verb.name}")
            outcome = _perform(entry, tables, used, account, control, trail, job.docket)
            types.entry(entry.result, entry.lists, outcome)
            measured, detail = outcome.measured, outcome.detail
            beside = outcome.beside
            details += [(each, detail) for each in entry.further]
        balance = account.strike_balance()
        _close_control(job, control, account, tables)
        on_step("writing" if write else "adding up")
        written.lists(tables, trail, types, compared=since, write=write)
        images = [written.further(further, facts) for further, facts in details]
        written.ledger(balance, trail, images, _made_from(job, patterns, account))
        result = tables.get(_last_list(job)) if keep_result else None
        if result is not None:
            result = trail.rooted(result)
        outputs.commit()
    return Run(account, balance, result, measured, detail, beside, tuple(paths))


def _enter_scratch(
    stack: contextlib.ExitStack,
    job: Job,
    sources: Mapping[str, Source],
    account: Account,
) -> None:
    """Have lists that are too large for memory lie in temporary files, and say so."""
    room = job.room
    size = sum(each.opened.size_bytes for each in sources.values())
    memory = room.stated_bytes() or memory_to_use()
    beneath = Path(room.scratch) if room.scratch else None
    if not wants_scratch(size, memory):
        # What an earlier run was killed over must not lie there for long.
        remove_left(scratch_root(beneath))
        return
    scratch = stack.enter_context(Scratch(beneath))
    if not scratch.has_arrays:
        account.notes.append(
            Note(
                "This release of NumPy does not let arrays lie in files: they are in "
                "memory, and may take more of it than is allowed.",
                warning=True,
            )
        )
    account.notes.append(
        Note(
            f"The lists take {size / 1e6:.0f} MB and {memory / 1e6:.0f} MB of memory "
            "are allowed, so they lay in temporary files meanwhile; those are gone.",
            "To work in memory, allow more `memory`.",
        )
    )


def _writing_nothing(job: Job) -> Job:
    """Return a job that keeps no ledger and makes nothing beside its lists."""
    entries = tuple(msgspec.structs.replace(entry, further=()) for entry in job.entries)
    return msgspec.structs.replace(job, entries=entries, ledger=None, aside=None)


def _patterns(job: Job) -> list[dict[str, Any]]:
    """Return the patterns of files among the addresses, with what they match now."""
    found = []
    for each in job.lists:
        address = parse_address(each.address, job.folder)
        if address.is_elsewhere or not is_pattern(address.place):
            continue
        if not is_file(address.place, job.folder):
            files = matching_files(address.place, job.folder)
            found.append({"pattern": address.place, "files": files})
    return found


def _made_from(
    job: Job, patterns: Sequence[Mapping[str, Any]], account: Account
) -> dict[str, Any]:
    """Say what a job was made from; see `gruff_ledger.docket.again`."""
    is_bad = account.stops() or account.totals_differ()
    return {
        "program": __version__,
        "status": 1 if is_bad else 0,
        **job.made_from,
        "patterns": list(patterns),
        "files": {
            said: None if data is None else hashlib.sha256(data).hexdigest()
            for entry in job.entries
            for said, data in entry.files
        },
    }


def _last_list(job: Job) -> str:
    return job.entries[-1].result if job.entries else job.lists[0].name


def _uses(job: Job, account: Account | None = None) -> Counter[str]:
    """
    Count for each list how often it is still needed, by entries and outs.

    Lists that nothing needs are said in the account, where one is given.
    """
    needed = [name for entry in job.entries for name in entry.lists]
    needed += [name for entry in job.entries for _, name in entry.references]
    needed += [out.list_name for out in job.outs]
    used = Counter([*needed, _last_list(job)])
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


def _read_all(
    job: Job,
    sources: Mapping[str, Source],
    account: Account,
    on_step: Callable[[str], None],
    control: Control,
    trail: Trail,
    types: ValueTypes,
    *,
    hashed: bool,
) -> dict[str, Table]:
    tables: dict[str, Table] = {}
    for position, (name, each) in enumerate(sources.items()):
        on_step(f"reading {name}")
        try:
            reading = read_list(
                each.opened,
                each.address,
                each.listed.reading,
                source=position,
                hashed=hashed,
            )
        except Problem:
            # What is wrong with half a list is of no use to anybody.
            check_same(each.opened, lambda: "")
            raise
        check_same(each.opened, reading.source.sha256)
        settled = _settled(job, name)
        notes = tuple(note for note in reading.notes if note.topic not in settled)
        reading = msgspec.structs.replace(reading, notes=notes)
        account.sources.append(_source_line(name, reading, each.listed.reading))
        tables[name] = reading.table
        control.source(name, reading.table, reading.aside)
        types.source(name, position, reading)
        trail.source(
            name,
            reading.table,
            reading.aside,
            reading.findings,
            each.opened.address,
            None
            if job.ledger is None or each.opened.path is None
            else seen_from(job.ledger, each.opened.path),
        )
    return tables


def _source_line(name: str, reading: Reading, terms: ReadingTerms) -> Line:
    source = reading.source
    own = parse_address(source.address).fragment.reading
    facts = {
        "address": source.address,
        "size_bytes": source.size_bytes,
        # Still to be called, where there is one: it may take a while.
        "sha256": source.sha256,
        "modified": _iso(source.modified),
        "format": source.format,
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


def _perform(
    entry: Entry,
    tables: dict[str, Table],
    used: Counter[str],
    account: Account,
    control: Control,
    trail: Trail,
    docket: str | None,
) -> Outcome:
    given = [_given(tables[name], name, trail) for name in entry.lists]
    beside = {
        said: _given(tables[name], name, trail) for said, name in entry.references
    }
    # A list that nothing needs any more must not stay in memory beside its successor.
    for name in (*entry.lists, *(name for _, name in entry.references)):
        used[name] -= 1
        if not used[name]:
            tables.pop(name, None)
    try:
        more: dict[str, Any] = {"references": beside} if beside else {}
        if entry.files:
            more["files"] = dict(entry.files)
        outcome = entry.verb.perform(entry.terms, *given, **more)
        if is_used():
            kept = stored_table(outcome.table)
            outcome = msgspec.structs.replace(outcome, table=kept)
        check_balance(entry.place or entry.verb.name, given, outcome)
    except Problem as problem:
        placed = problem.placed(file=docket, entry=entry.place, line=entry.line)
        raise placed from problem
    facts: dict[str, Any] = hidden_facts(
        {
            "do": entry.verb.name,
            "lists": list(entry.lists),
            **({"references": dict(entry.references)} if entry.references else {}),
            **({"files": _hashes(entry)} if entry.files else {}),
            "terms": plain(entry.terms),
            "headings": list(outcome.table.headings),
        }
    )
    label = f"{entry.number} {entry.verb.name}"
    records_in = sum(map(len, given))
    told = trail.told(outcome)
    groups = first_groups(outcome.aside, given, trail.root) if trail.is_kept else ()
    account.entries.append(
        Line.of(label, entry.result, records_in, told, facts, groups=groups)
    )
    control.entry(label, entry.result, entry.lists, given, outcome)
    tables[entry.result] = trail.entry(
        label, entry.result, entry.lists, given, outcome, facts
    )
    for each in entry.verb.beside:
        name = beside_name(entry.result, each.key)
        if used[name] and each.key not in outcome.beside:
            raise BadTerms(
                f"{entry.verb.name} makes no list '{each.key}' with these terms.",
                "Leave it out, or see in the help which terms it belongs to.",
                term=each.key,
                file=docket,
                entry=entry.place,
                line=entry.line,
            )
        if used[name]:
            listed = outcome.beside[each.key]()
            tables[name] = trail.beside(name, label, each.key, listed)
            account.beside[name] = len(listed)
    return outcome


def _given(table: Table, name: str, trail: Trail) -> Table:
    """Return a list as it is given to an entry: by its name in the docket."""
    return msgspec.structs.replace(table, name=name, root=trail.root)


def _close_control(
    job: Job, control: Control, account: Account, tables: Mapping[str, Table]
) -> None:
    """Strike the control totals; a field that no list has is said."""
    if not job.control:
        return
    for out in job.outs:
        control.out(out.address, out.list_name, tables[out.list_name])
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


def _hashes(entry: Entry) -> dict[str, str | None]:
    """Return the SHA-256 of each file that an entry's terms name, where it is there."""
    import hashlib

    return {
        said: None if data is None else hashlib.sha256(data).hexdigest()
        for said, data in entry.files
    }
