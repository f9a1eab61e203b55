"""Running a job: read, do the work, check the balance, write.

Nothing is written before all work is done and balances, and nothing is put in its place
before all of it is written.
"""

from __future__ import annotations

import contextlib
import datetime
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from gruff_ledger import __version__
from gruff_ledger.account.ledger import Account, Balance
from gruff_ledger.columns.shares import telling_shares
from gruff_ledger.job.books import Books, count_uses, hashes_of_files, last_list
from gruff_ledger.job.expand import Source, expand_lists
from gruff_ledger.job.job import Job, told_by
from gruff_ledger.job.write import Written, note_existing
from gruff_ledger.lists.address import is_file, is_pattern, parse_address
from gruff_ledger.lists.file_patterns import matching_files
from gruff_ledger.lists.outputs.commit import Outputs
from gruff_ledger.lists.packing.streams import likely_bytes
from gruff_ledger.lists.web.fetch import Fetching
from gruff_ledger.outcome import Note
from gruff_ledger.storage.files import Files, wants_files
from gruff_ledger.storage.folders import remove_left, scratch_root
from gruff_ledger.system.locks import only_one
from gruff_ledger.system.memory import give_back_memory_at_once, memory_to_use
from gruff_ledger.table import Table


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
    on_share: Callable[[str, float, int], None] = lambda what, done, total: None,
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
    on_share : callable
        Told, while a step is done, what part of it that is, and how many of its parts
        are done of how many.

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
        stack.enter_context(telling_shares(on_share))
        if job.docket is not None and job.ledger is not None:
            stack.enter_context(only_one(Path(job.docket)))
        fetching = Fetching(job.fetch, folder=job.folder, on_progress=on_read)
        stack.enter_context(contextlib.closing(fetching))
        patterns = _patterns(job)
        job, sources = expand_lists(
            job, count_uses(job, account), fetching, on_step, on_read
        )
        paths = [path for each in sources.values() if (path := each.opened.on_disk)]
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
        trail = stack.enter_context(written.begun_trail(list(sources)))
        books = Books(job, account, trail)
        books.read(sources, on_step, hashed=hashed)
        outcome, details = None, []
        for entry in job.entries:
            on_step(f"{entry.number} {entry.verb.name}")
            outcome = books.perform(entry)
            details += [(each, outcome.detail) for each in entry.further]
        balance = books.close()
        on_step("writing" if write else "adding up")
        written.lists(books.tables, trail, books.types, compared=since, write=write)
        images = [written.further(further, facts) for further, facts in details]
        written.ledger(balance, trail, images, _made_from(job, patterns, account))
        result = books.tables.get(last_list(job)) if keep_result else None
        if result is not None:
            result = trail.root_table(result)
        outputs.commit()
    if outcome is None:
        return Run(account, balance, result, paths=tuple(paths))
    return Run(
        account,
        balance,
        result,
        outcome.measured,
        outcome.detail,
        outcome.beside,
        tuple(paths),
    )


def _enter_scratch(
    stack: contextlib.ExitStack,
    job: Job,
    sources: Mapping[str, Source],
    account: Account,
) -> None:
    """Have lists that are too large for memory lie in temporary files, and say so."""
    room = job.room
    size = sum(likely_bytes(each.opened) for each in sources.values())
    memory = room.stated_bytes() or memory_to_use()
    beneath = Path(room.scratch) if room.scratch else None
    if not wants_files(size, memory):
        # What an earlier run was killed over must not lie there for long.
        remove_left(scratch_root(beneath))
        return
    scratch = stack.enter_context(Files(beneath))
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
            "are allowed, so the work went through temporary files, which have been "
            "removed.",
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
            said: digest
            for entry in job.entries
            for said, digest in hashes_of_files(entry).items()
        },
    }
