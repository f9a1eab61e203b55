"""Running a job: read, do the work, check the balance, write.

Nothing is written before all work is done and balances, and nothing is put in its place
before all of it is written.
"""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Callable, Mapping

import msgspec

from gruff_ledger.account.balance import check_balance
from gruff_ledger.account.files import (
    ACCOUNT_FILE,
    account_facts,
    ledger_tables,
    set_aside_table,
)
from gruff_ledger.account.ledger import Account, Balance, Line, Out
from gruff_ledger.docket.job import Entry, Job, ListToRead
from gruff_ledger.lists.address import open_address, read_list
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.whole import Outputs
from gruff_ledger.lists.writing import write_delimited
from gruff_ledger.outcome import Note, Outcome
from gruff_ledger.problems import Problem, UnwritableOutput
from gruff_ledger.table import Table
from gruff_ledger.terms import plain

LEDGER_FILES = ("set-aside.csv", "findings.csv", "changes.csv", ACCOUNT_FILE)


class Run(msgspec.Struct, frozen=True):
    """A finished run: its account, its balance, and the last list it made."""

    account: Account
    balance: Balance
    result: Table | None


def run(
    job: Job,
    *,
    replace: bool = False,
    hash_sources: bool = False,
    keep_result: bool = False,
    on_step: Callable[[str], None] = lambda step: None,
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
    on_step : callable
        Told, before each step, what is about to be done.

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
    used = _uses(job)
    opened = _open_all(job, used, account)
    paths = [each.path for each in opened.values() if each.path is not None]
    with Outputs(paths, replace=replace) as outputs:
        _claim(job, outputs)
        hashed = hash_sources or job.ledger is not None
        tables = _read_all(job, opened, account, on_step, hashed=hashed)
        account.uses = Counter(name for entry in job.entries for name in entry.lists)
        for entry in job.entries:
            on_step(f"{entry.number} {entry.verb.name}")
            _perform(entry, tables, used, account, job.docket)
        balance = account.strike_balance()
        on_step("writing")
        _write(job, tables, account, balance, outputs)
        result = tables.get(_last_list(job)) if keep_result else None
        outputs.commit()
    return Run(account, balance, result)


def _last_list(job: Job) -> str:
    return job.entries[-1].result if job.entries else job.lists[0].name


def _uses(job: Job) -> Counter[str]:
    """Count for each list how often it is still needed, by entries and outs."""
    needed = [name for entry in job.entries for name in entry.lists]
    needed += [out.list_name for out in job.outs]
    return Counter([*needed, _last_list(job)])


def _open_all(job: Job, used: Counter[str], account: Account) -> dict[str, Opened]:
    """Look at every source before any is read, so that a missing one is told early."""
    unused = [each.name for each in job.lists if not used[each.name]]
    if unused:
        names = ", ".join(f"'{name}'" for name in unused)
        account.notes.append(
            Note(f"No entry works on {names}; it was not read.", warning=True)
        )
    return {
        each.name: open_address(each.address, name=each.name, folder=job.folder)
        for each in job.lists
        if used[each.name]
    }


def _claim(job: Job, outputs: Outputs) -> None:
    for out in job.outs:
        outputs.claim(out.path)
    if job.aside is not None:
        outputs.claim(job.aside)
    if job.ledger is not None:
        for name in LEDGER_FILES:
            outputs.claim(job.ledger / name)
        if job.ledger.is_file():
            raise UnwritableOutput(
                "the ledger is a folder, and this is a file.",
                "Name another folder for the ledger.",
                file=str(job.ledger),
            )


def _read_all(
    job: Job,
    opened: Mapping[str, Opened],
    account: Account,
    on_step: Callable[[str], None],
    *,
    hashed: bool,
) -> dict[str, Table]:
    tables: dict[str, Table] = {}
    to_read = [each for each in job.lists if each.name in opened]
    for position, each in enumerate(to_read):
        on_step(f"reading {each.name}")
        reading = read_list(
            opened[each.name], each.reading, source=position, hashed=hashed
        )
        account.sources.append(_source_line(each, reading))
        tables[each.name] = reading.table
    return tables


def _source_line(listed: ListToRead, reading: Reading) -> Line:
    source = reading.source
    facts = {
        "address": source.address,
        "size_bytes": source.size_bytes,
        # Still to be called, where there is one: it may take a while.
        "sha256": source.sha256,
        "modified": _iso(source.modified),
        "encoding": source.encoding,
        "byte_order_mark": source.byte_order_mark,
        "delimiter": source.delimiter,
        "pinned": list(source.pinned),
        "heading_row": source.heading_row,
        "titles": list(source.titles),
        "headings": list(reading.table.headings),
    }
    outcome = Outcome(
        reading.table, reading.aside, findings=reading.findings, notes=reading.notes
    )
    return Line.of(
        f"reading {listed.name}",
        listed.name,
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
    docket: str | None,
) -> None:
    given = [tables[name].renamed(name) for name in entry.lists]
    # A list that nothing needs any more must not stay in memory beside its successor.
    for name in entry.lists:
        used[name] -= 1
        if not used[name]:
            tables.pop(name, None)
    try:
        outcome = entry.verb.perform(entry.terms, *given)
        check_balance(entry.place or entry.verb.name, given, outcome)
    except Problem as problem:
        placed = problem.placed(file=docket, entry=entry.place, line=entry.line)
        raise placed from problem
    facts = {
        "do": entry.verb.name,
        "lists": list(entry.lists),
        "terms": plain(entry.terms),
        "headings": list(outcome.table.headings),
    }
    account.entries.append(
        Line.of(
            f"{entry.number} {entry.verb.name}",
            entry.result,
            sum(map(len, given)),
            outcome,
            facts,
        )
    )
    tables[entry.result] = outcome.table


def _write(
    job: Job,
    tables: Mapping[str, Table],
    account: Account,
    balance: Balance,
    outputs: Outputs,
) -> None:
    for out in job.outs:
        table = tables[out.list_name]
        outputs.write(out.path, lambda sink, table=table: write_delimited(table, sink))  # type: ignore[misc]
        account.outs.append(Out(out.address, out.list_name, len(table)))
    if job.aside is not None:
        beside = set_aside_table(account)
        outputs.write(job.aside, lambda sink: write_delimited(beside, sink))
    if job.ledger is None:
        return
    for name, table in ledger_tables(account).items():
        outputs.write(
            job.ledger / name,
            lambda sink, table=table: write_delimited(table, sink),  # type: ignore[misc]
        )
    text = account_text(account, balance)
    outputs.write(job.ledger / ACCOUNT_FILE, lambda sink: sink.write(text))


def account_text(account: Account, balance: Balance) -> bytes:
    """Return the account as JSON (RFC 8259), laid out to be read by people too."""
    facts = msgspec.json.encode(account_facts(account, balance))
    return msgspec.json.format(facts, indent=2) + b"\n"
