"""Running a job: read, do the work, check the balance, write.

Nothing is written before all work is done and balances, and nothing is put in its place
before all of it is written.
"""

from __future__ import annotations

import contextlib
import datetime
import io
import os
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, BinaryIO

import msgspec

from gruff_ledger.account.balance import check_balance
from gruff_ledger.account.control import Control
from gruff_ledger.account.files import (
    ACCOUNT_FILE,
    account_facts,
    ledger_tables,
    set_aside_table,
)
from gruff_ledger.account.groups import first_groups
from gruff_ledger.account.ledger import Account, Balance, Line, Out
from gruff_ledger.account.trail import TRAIL_FILE, Trail
from gruff_ledger.docket.expand import Source, expanded
from gruff_ledger.docket.job import (
    Entry,
    FurtherOut,
    Job,
    OutToWrite,
    beside_name,
)
from gruff_ledger.lists.fetching import Fetching
from gruff_ledger.lists.formats import Format, read_list
from gruff_ledger.lists.outputs import (
    WritingTerms,
    check_output,
    guarded,
    write_parts,
)
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.whole import Outputs
from gruff_ledger.lists.writing import write_delimited
from gruff_ledger.outcome import Change, Finding, Note, Outcome
from gruff_ledger.problems import BadTerms, Problem, UnwritableOutput
from gruff_ledger.report.page import PAGE_FILE, account_page
from gruff_ledger.table import Table, give_back_memory_at_once
from gruff_ledger.terms import plain

LEDGER_FILES = (
    "set-aside.csv",
    "findings.csv",
    "changes.csv",
    TRAIL_FILE,
    PAGE_FILE,
    ACCOUNT_FILE,
)


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
    """

    account: Account
    balance: Balance
    result: Table | None
    measured: str = ""
    detail: Any = None
    beside: Mapping[str, Callable[[], Table]] = {}


def run(
    job: Job,
    *,
    replace: bool = False,
    hash_sources: bool = False,
    keep_result: bool = False,
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
    fetching = Fetching(job.fetch, folder=job.folder, on_progress=on_read)
    with contextlib.closing(fetching):
        job, sources = expanded(job, _uses(job, account), fetching, on_step, on_read)
        paths = [each.opened.path for each in sources.values() if each.opened.path]
        with (
            Outputs(paths, replace=replace) as outputs,
            contextlib.ExitStack() as stack,
        ):
            formats = _claim(job, outputs)
            if any(entry.verb.sums_up for entry in job.entries):
                give_back_memory_at_once()
            hashed = hash_sources or job.ledger is not None
            control = Control(job.control)
            trail = stack.enter_context(_begun_trail(job, list(sources), outputs))
            tables = _read_all(sources, account, on_step, control, trail, hashed=hashed)
            used = _uses(job)
            account.uses = Counter(
                name for entry in job.entries for name in entry.lists
            )
            account.references = _only_referred_to(job)
            measured, detail, details = "", None, []
            beside: Mapping[str, Callable[[], Table]] = {}
            for entry in job.entries:
                on_step(f"{entry.number} {entry.verb.name}")
                outcome = _perform(
                    entry, tables, used, account, control, trail, job.docket
                )
                measured, detail = outcome.measured, outcome.detail
                beside = outcome.beside
                details += [(each, detail) for each in entry.further]
            balance = account.strike_balance()
            _close_control(job, control, account, tables)
            on_step("writing")
            images = [
                (further.address, _write_further(further, facts, account, outputs))
                for further, facts in details
            ]
            _write(job, formats, tables, account, outputs, trail)
            _write_ledger(job, account, balance, outputs, trail, images)
            result = tables.get(_last_list(job)) if keep_result else None
            if result is not None:
                result = trail.rooted(result)
            outputs.commit()
    return Run(account, balance, result, measured, detail, beside)


def _begun_trail(job: Job, sources: Sequence[str], outputs: Outputs) -> Trail:
    """Return the trail of a run, which is written only where a ledger is kept."""
    sink = None
    if job.ledger is not None:
        sink = outputs.begin(job.ledger / TRAIL_FILE)
    return Trail(sink, sources)


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


def _claim(job: Job, outputs: Outputs) -> dict[Path, Format]:
    """Check all outputs before any work is done; return the formats of the lists'."""
    formats = {}
    for path, outs in _by_path(job).items():
        parts = [out.part for out in outs]
        if len({out.terms.format_ for out in outs}) > 1:
            raise UnwritableOutput(
                "outputs of different formats would be written to it.",
                "State the same `format` for all of them, or none.",
                file=str(path),
            )
        formats[path] = check_output(path, outs[0].terms, parts)
        outputs.claim(path)
    for entry in job.entries:
        for further in entry.further:
            outputs.claim(further.path)
    if job.aside is not None:
        formats[job.aside] = check_output(job.aside, WritingTerms(), [None])
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
    return formats


def _by_path(job: Job) -> dict[Path, list[OutToWrite]]:
    by_path: dict[Path, list[OutToWrite]] = {}
    for out in job.outs:
        by_path.setdefault(out.path, []).append(out)
    return by_path


def _read_all(
    sources: Mapping[str, Source],
    account: Account,
    on_step: Callable[[str], None],
    control: Control,
    trail: Trail,
    *,
    hashed: bool,
) -> dict[str, Table]:
    tables: dict[str, Table] = {}
    for position, (name, each) in enumerate(sources.items()):
        on_step(f"reading {name}")
        reading = read_list(
            each.opened,
            each.address,
            each.listed.reading,
            source=position,
            hashed=hashed,
        )
        account.sources.append(_source_line(name, reading))
        tables[name] = reading.table
        control.source(name, reading.table, reading.aside)
        trail.source(
            name,
            reading.table,
            reading.aside,
            reading.findings,
            each.opened.address,
        )
    return tables


def _source_line(name: str, reading: Reading) -> Line:
    source = reading.source
    facts = {
        "address": source.address,
        "size_bytes": source.size_bytes,
        # Still to be called, where there is one: it may take a while.
        "sha256": source.sha256,
        "modified": _iso(source.modified),
        "format": source.format,
        **source.written,
        "pinned": list(source.pinned),
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
        check_balance(entry.place or entry.verb.name, given, outcome)
    except Problem as problem:
        placed = problem.placed(file=docket, entry=entry.place, line=entry.line)
        raise placed from problem
    facts = {
        "do": entry.verb.name,
        "lists": list(entry.lists),
        **({"references": dict(entry.references)} if entry.references else {}),
        **({"files": _hashes(entry)} if entry.files else {}),
        "terms": plain(entry.terms),
        "headings": list(outcome.table.headings),
    }
    label = f"{entry.number} {entry.verb.name}"
    records_in = sum(map(len, given))
    told = trail.told(outcome)
    groups = first_groups(outcome.aside, given) if trail.is_kept else ()
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


def _write(
    job: Job,
    formats: Mapping[Path, Format],
    tables: Mapping[str, Table],
    account: Account,
    outputs: Outputs,
    trail: Trail,
) -> None:
    for path, outs in _by_path(job).items():
        parts = []
        for out in outs:
            table = tables[out.list_name]
            changes: tuple[Change, ...] = ()
            if out.terms.guard_formulas:
                table, changes = guarded(table)
            if job.ledger is not None:
                seen = _seen_from(job.ledger, path)
                trail.out(out.address, seen, out.list_name, table, changes)
            changes = trail.told_changes(changes)
            parts.append((out.part, trail.rooted(table)))
            account.outs.append(Out(out.address, out.list_name, len(table), changes))
        _write_parts(
            path,
            formats[path],
            parts,
            outs[0].terms,
            outputs,
            [found for line in account.lines() for found in line.findings],
            account.source_names,
        )
    if job.aside is not None:
        beside = [(None, set_aside_table(account))]
        _write_parts(job.aside, formats[job.aside], beside, WritingTerms(), outputs)


def _write_ledger(
    job: Job,
    account: Account,
    balance: Balance,
    outputs: Outputs,
    trail: Trail,
    images: Sequence[tuple[str, bytes]],
) -> None:
    if job.ledger is None:
        return
    for name, parts_of in ledger_tables(account).items():
        outputs.write(
            job.ledger / name,
            lambda sink, parts=parts_of: _write_in_turn(parts, sink),  # type: ignore[misc]
        )
    facts = account_facts(account, balance)
    trail_file = job.ledger / TRAIL_FILE
    outputs.end(trail_file, trail.sink, lambda sink: trail.close(facts))
    docket = None if job.docket is None else Path(job.docket).name
    page = account_page(account, balance, images, docket)
    outputs.write(job.ledger / PAGE_FILE, lambda sink: sink.write(page))
    text = _laid_out(facts)
    outputs.write(job.ledger / ACCOUNT_FILE, lambda sink: sink.write(text))


def _seen_from(ledger: Path, path: Path) -> str:
    """Return a path as seen from the ledger, or whole where it is on another disk."""
    try:
        return Path(os.path.relpath(path.resolve(), ledger.resolve())).as_posix()
    except ValueError:
        return path.resolve().as_posix()


def _write_in_turn(tables: Sequence[Table], sink: BinaryIO) -> None:
    for number, table in enumerate(tables):
        write_delimited(table, sink, heading=number == 0)


def _write_parts(
    path: Path,
    found: Format,
    parts: Sequence[tuple[str | None, Table]],
    terms: WritingTerms,
    outputs: Outputs,
    findings: Sequence[Finding] = (),
    source_names: Sequence[str] = (),
) -> None:
    outputs.write(
        path,
        lambda sink: write_parts(
            path, found, parts, terms, sink, findings, source_names
        ),
    )


def _write_further(
    further: FurtherOut, detail: Any, account: Account, outputs: Outputs
) -> bytes:
    """Write what an entry makes beside its list, and return it."""
    known = {line.result: line.facts for line in account.sources}
    made = io.BytesIO()
    further.what.write(detail, made, further.path.suffix.lower(), known)
    outputs.write(further.path, lambda sink: sink.write(made.getbuffer()))
    return made.getvalue()


def account_text(account: Account, balance: Balance) -> bytes:
    """Return the account as JSON (RFC 8259), laid out to be read by people too."""
    return _laid_out(account_facts(account, balance))


def _laid_out(facts: Mapping[str, Any]) -> bytes:
    return msgspec.json.format(msgspec.json.encode(facts), indent=2) + b"\n"
