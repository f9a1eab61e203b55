"""Writing what a run made: its lists, what entries make beside them, its ledger.

All outputs are claimed before any work is done, and written after all of it is.
"""

from __future__ import annotations

import io
import os
import urllib.parse
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, BinaryIO

import msgspec

from gruff_ledger.account.files import (
    ACCOUNT_FILE,
    account_facts,
    ledger_tables,
    set_aside_table,
)
from gruff_ledger.account.ledger import Account, Balance, Out
from gruff_ledger.account.trail import TRAIL_FILE
from gruff_ledger.account.trail.unwritten import Trail
from gruff_ledger.columns.storage import storage
from gruff_ledger.credentials import make_facts_readable
from gruff_ledger.job.job import FurtherOut, Job, OutToWrite
from gruff_ledger.job.value_types import ValueTypes
from gruff_ledger.lists.address import Server, is_file
from gruff_ledger.lists.delimited.write import write_delimited
from gruff_ledger.lists.known_formats import Format
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.outputs.commit import Outputs
from gruff_ledger.lists.outputs.prepare import (
    check_output,
    guard,
    with_guarded_headings,
    write_parts,
)
from gruff_ledger.lists.reading import NO_KINDS, Kinds
from gruff_ledger.outcome import Change, Finding, Note
from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.table import Table

PAGE_FILE = "account.html"
SINCE_FILE = "since-last.csv"

LEDGER_FILES = (
    "set-aside.csv",
    "findings.csv",
    "changes.csv",
    SINCE_FILE,
    TRAIL_FILE,
    PAGE_FILE,
    ACCOUNT_FILE,
)


class Written:
    """
    The outputs of one run, from their claim to what is told of them.

    Parameters
    ----------
    job : Job
    outputs : Outputs
    account : Account
    read : sequence of (place, table)
        The tables of databases on servers that the run reads.

    Raises
    ------
    UnwritableOutput
        If one of the outputs may not be written.
    """

    def __init__(
        self,
        job: Job,
        outputs: Outputs,
        account: Account,
        read: Sequence[tuple[str, str | None]] = (),
    ) -> None:
        self._job = job
        self._outputs = outputs
        self._account = account
        self._formats = _claim(job, outputs)
        self._servers = _claim_tables(job, outputs, read)

    def begun_trail(self, sources: Sequence[str]) -> Trail:
        """Return the trail of the run; it is written only where a ledger is kept."""
        if self._job.ledger is None:
            return Trail()
        from gruff_ledger.account.trail.write import WrittenTrail

        self._trail_sink = self._outputs.begin(self._job.ledger / TRAIL_FILE)
        return WrittenTrail(self._trail_sink, sources)

    def lists(
        self,
        tables: Mapping[str, Table],
        trail: Trail,
        types: ValueTypes,
        *,
        compared: bool,
        write: bool = True,
    ) -> None:
        """
        Write the lists of the job, and note them in the account and the trail.

        Parameters
        ----------
        tables : mapping
            The lists by name.
        trail : Trail
        types : ValueTypes
        compared : bool
            Whether to tell what is new, gone and changed since the outputs that are
            still there were written.
        write : bool
            False to note them only.
        """
        job, account = self._job, self._account
        for path, outs in _by_path(job).items():
            parts: list[tuple[str | None, Table]] = []
            kinds = NO_KINDS
            for out in outs:
                table = tables[out.list_name]
                changes: tuple[Change, ...] = ()
                if out.terms.guard_formulas:
                    table, changes = guard(table)
                    account.notes += _heading_notes(out.address, table)
                if job.ledger is not None:
                    seen = seen_from(job.ledger, path)
                    trail.out(out.address, seen, out.list_name, table, changes)
                changes = trail.tell_changes(changes)
                table = trail.root_table(table)
                kinds = types.of(out.list_name, table)
                if out.terms.guard_formulas:
                    table = with_guarded_headings(table)
                parts.append((out.part, table))
                listed = Out(out.address, out.list_name, len(table), changes)
                account.outs.append(listed)
            if write and isinstance(path, Server):
                self._write_tables(path, outs, parts, compared=compared)
            elif write and isinstance(path, Path):
                self._write_parts(path, parts, outs[0].terms, account, kinds)
            if compared and write and not isinstance(path, Server):
                from gruff_ledger.job.since import since_last

                now = self._outputs.staged(path)
                account.since += [
                    since_last(out, self._formats[path], now) for out in outs
                ]
        if job.aside is not None and write:
            beside = [(None, self._safe(set_aside_table(account)))]
            self._write_parts(job.aside, beside, WritingTerms(), None)

    def _safe(self, table: Table) -> Table:
        """Guard a list of the ledger where lists of the run are guarded."""
        job = self._job
        if not (job.guards or any(out.terms.guard_formulas for out in job.outs)):
            return table
        return with_guarded_headings(guard(table)[0])

    def further(self, further: FurtherOut, detail: Any) -> tuple[str, bytes]:
        """Write what an entry makes beside its list; return its address and bytes."""
        known = {line.result: line.facts for line in self._account.sources}
        made = io.BytesIO()
        further.what.write(detail, made, further.path.suffix.lower(), known)
        self._outputs.write(further.path, lambda sink: sink.write(made.getbuffer()))
        return further.address, made.getvalue()

    def ledger(
        self,
        balance: Balance,
        trail: Trail,
        images: Sequence[tuple[str, bytes]],
        made_from: Mapping[str, Any],
    ) -> None:
        """
        Write the ledger, where one is kept.

        Parameters
        ----------
        balance : Balance
        trail : Trail
        images : sequence of (str, bytes)
            The charts, for the page.
        made_from : mapping
            What the run was made from; see `gruff_ledger.docket.again`.
        """
        job, account, outputs = self._job, self._account, self._outputs
        if job.ledger is None:
            return
        # What needs no facts of the lists comes first: they may be written still.
        listed = ledger_tables(account)
        if account.since or (job.ledger / SINCE_FILE).is_file():
            # An old comparison must not stand beside a new account.
            from gruff_ledger.job.since import since_table

            listed[SINCE_FILE] = [since_table(account.since)]
        for name, whole in listed.items():
            parts_of = [self._safe(part) for part in whole]
            outputs.write(
                job.ledger / name,
                lambda sink, parts=parts_of: _write_in_turn(parts, sink),  # type: ignore[misc]
            )
        from gruff_ledger.report.page import account_page

        docket = None if job.docket is None else Path(job.docket).name
        links = {
            out.address: link
            for out in job.outs
            if isinstance(out.path, Path)
            for link in [_link(job.ledger, out.path)]
            if link
        }
        page = account_page(account, balance, images, docket, links)
        outputs.write(job.ledger / PAGE_FILE, lambda sink: sink.write(page))
        paths: dict[Path | Server, None]
        paths = dict.fromkeys([out.path for out in job.outs])
        paths |= dict.fromkeys(each.path for e in job.entries for each in e.further)
        facts = {
            **account_facts(account, balance),
            "made_from": make_facts_readable(
                {
                    **made_from,
                    "outs": [
                        {"path": seen_from(job.ledger, path), **_facts(path, outputs)}
                        for path in paths
                    ],
                }
            ),
        }
        trail_file = job.ledger / TRAIL_FILE
        outputs.end(trail_file, self._trail_sink, lambda _: trail.close(facts))
        text = _format_json(facts)
        outputs.write(job.ledger / ACCOUNT_FILE, lambda sink: sink.write(text))

    def _write_tables(
        self,
        server: Server,
        outs: Sequence[OutToWrite],
        parts: Sequence[tuple[str | None, Table]],
        *,
        compared: bool,
    ) -> None:
        """Write tables of a database, in the transaction that ends with the run."""
        writing = self._servers[server]
        for out, (name, table) in zip(outs, parts, strict=True):
            before = writing.before(str(name)) if compared else None
            self._account.notes += writing.write(str(name), table)
            if compared:
                from gruff_ledger.job.since import since_table_before

                now = writing.written(str(name))
                self._account.since.append(since_table_before(out, before, now))

    def _write_parts(
        self,
        path: Path,
        parts: Sequence[tuple[str | None, Table]],
        terms: WritingTerms,
        account: Account | None,
        kinds: Kinds = NO_KINDS,
    ) -> None:
        found = self._formats[path]
        findings: list[Finding] = []
        names: tuple[str, ...] = ()
        if account is not None:
            findings = [found for line in account.lines() for found in line.findings]
            names = account.source_names
        # In files, lists take no more memory than is allowed only one after the other.
        whole = storage().holds_whole
        write = self._outputs.write_behind if whole else self._outputs.write
        write(
            path,
            lambda sink: write_parts(
                path, found, parts, terms, sink, findings, names, kinds
            ),
        )


def _heading_notes(address: str, table: Table) -> tuple[Note, ...]:
    """Say which headings an output has that begin with an apostrophe now."""
    safe = with_guarded_headings(table).headings
    changed = [now for was, now in zip(table.headings, safe, strict=True) if was != now]
    if not changed:
        return ()
    named = ", ".join(changed)
    return (Note(f"{address}: headings that could be run were guarded: {named}."),)


def note_existing(job: Job, account: Account) -> None:
    """Note which outputs are there already: to replace them must be said."""
    there = [
        out.address
        for out in job.outs
        # What cannot be the path of a file is told when it is to be written.
        if isinstance(out.path, Path) and is_file(str(out.path))
    ]
    if there:
        named = ", ".join(dict.fromkeys(there))
        account.notes.append(
            Note(f"There already: {named}.", "To replace them, add `replace true`.")
        )


def _claim_tables(
    job: Job, outputs: Outputs, read: Sequence[tuple[str, str | None]]
) -> dict[Server, Any]:
    """Check the tables of databases on servers; return what writes to each."""
    servers = {}
    for place, outs in _by_path(job).items():
        if isinstance(place, Server):
            from gruff_ledger.lists.database.write_server import ServerWriting

            servers[place] = ServerWriting(place, replace=outputs.may_replace)
            servers[place].claim([out.part for out in outs], read)
            outputs.join(servers[place])
    return servers


def _claim(job: Job, outputs: Outputs) -> dict[Path | Server, Format]:
    """Check all outputs before any work is done; return the formats of the lists'."""
    formats: dict[Path | Server, Format] = {}
    for path, outs in _by_path(job).items():
        parts = [out.part for out in outs]
        if len({out.terms.format_ for out in outs}) > 1:
            raise UnwritableOutput(
                "outputs of different formats would be written to it.",
                "Give the same `format` for all of them, or none.",
                file=str(path),
            )
        formats[path] = check_output(path, outs[0].terms, parts)
        if isinstance(path, Path):
            _claim_file(path, outputs)
    for entry in job.entries:
        for further in entry.further:
            _claim_file(further.path, outputs)
    if job.aside is not None:
        formats[job.aside] = check_output(job.aside, WritingTerms(), [None])
        _claim_file(job.aside, outputs)
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


def _claim_file(path: Path, outputs: Outputs) -> None:
    """Claim a file that is not one of this run's ledger."""
    folder = path.parent
    others = (folder / name for name in LEDGER_FILES if name != ACCOUNT_FILE)
    is_ledger = (folder / ACCOUNT_FILE).is_file() and any(map(Path.is_file, others))
    if is_ledger and path.name in LEDGER_FILES:
        raise UnwritableOutput(
            "it belongs to the ledger of an earlier run, which tells what was done.",
            "Write to another file.",
            file=str(path),
        )
    outputs.claim(path)


def _by_path(job: Job) -> dict[Path | Server, list[OutToWrite]]:
    by_path: dict[Path | Server, list[OutToWrite]] = {}
    for out in job.outs:
        by_path.setdefault(out.path, []).append(out)
    return by_path


def _facts(path: Path | Server, outputs: Outputs) -> dict[str, int]:
    return {} if isinstance(path, Server) else outputs.facts_of(path)


def seen_from(folder: Path, path: Path | Server) -> str:
    """Return a path as seen from a folder, or whole where it is on another disk."""
    if isinstance(path, Server):
        return str(path)
    try:
        return Path(os.path.relpath(path.resolve(), folder.resolve())).as_posix()
    except ValueError:
        return path.resolve().as_posix()


def _write_in_turn(tables: Sequence[Table], sink: BinaryIO) -> None:
    for number, table in enumerate(tables):
        write_delimited(table, sink, heading=number == 0)


def _link(ledger: Path, path: Path) -> str:
    """Return how a page in the ledger's folder refers to a file (RFC 3986)."""
    try:
        relative = os.path.relpath(path, ledger)
    except ValueError:
        # On another drive.
        return ""
    # Of a name that is not text, an address has the bytes.
    return urllib.parse.quote(Path(relative).as_posix(), errors="surrogateescape")


def _format_json(facts: Mapping[str, Any]) -> bytes:
    return msgspec.json.format(msgspec.json.encode(facts), indent=2) + b"\n"
