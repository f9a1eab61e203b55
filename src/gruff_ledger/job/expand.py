"""From the lists a job names to the lists there are: patterns of files and of tabs.

A name of the job can stand for several lists. Entries that work on several take them
all, in order; an entry on one list refuses them.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping

import msgspec

from gruff_ledger.job.job import Entry, Job, ListToRead
from gruff_ledger.lists.address import Address, is_pattern, parse_address
from gruff_ledger.lists.formats import check_stated, format_to_read
from gruff_ledger.lists.search import FoundList, find_lists
from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.web.fetch import Fetching
from gruff_ledger.problems import BadTerms, Problem
from gruff_ledger.words import first_few


class Source(msgspec.Struct, frozen=True):
    """A list of the job that is there: how it is to be read, opened, and which part."""

    listed: ListToRead
    opened: Opened
    address: Address


def expand_lists(
    job: Job,
    used: Mapping[str, int],
    fetching: Fetching,
    on_step: Callable[[str], None],
    on_read: Callable[[int, int], None],
) -> tuple[Job, dict[str, Source]]:
    """
    Find all lists of a job, and name each one that there is.

    Parameters
    ----------
    job : Job
    used : mapping
        How often each list of the job is needed; the others are not looked for.
    fetching : Fetching
    on_step, on_read : callable
        Told what is about to be looked for, and how far the reading is.

    Returns
    -------
    job : Job
        With entries and outs that name the lists there are.
    sources : dict
        Each of them by its name, in order.

    Raises
    ------
    Problem
        If one is not there, or several stand where one is wanted.
    """
    found: dict[str, list[FoundList]] = {}
    for each in job.lists:
        if used.get(each.name):
            is_far = parse_address(each.address, job.folder).is_url
            on_step(f"{'fetching' if is_far else 'opening'} {each.name}")
            found[each.name] = find_lists(
                each.address,
                name=each.name,
                terms=each.reading,
                folder=job.folder,
                fetching=fetching,
                shared=each.is_shared,
            )
    _check_fit(job, found)
    names = _names(job, found)
    sources = {
        name: Source(
            msgspec.structs.replace(listed, reading=each.terms),
            msgspec.structs.replace(each.opened, name=name, on_read=on_read),
            each.address,
        )
        for listed in job.lists
        for name, each in zip(
            names.get(listed.name, ()), found.get(listed.name, ()), strict=True
        )
    }
    entries = tuple(_entry(entry, names, job) for entry in job.entries)
    outs = tuple(
        msgspec.structs.replace(
            out, list_name=_only(names, out.list_name, f"out '{out.address}'")
        )
        for out in job.outs
    )
    return msgspec.structs.replace(job, entries=entries, outs=outs), sources


def _check_fit(job: Job, found: Mapping[str, list[FoundList]]) -> None:
    """Refuse terms given for all lists that the format of none of them has."""
    shared = [
        each
        for listed in job.lists
        if listed.is_shared
        for each in found.get(listed.name, ())
    ]
    if shared and set.intersection(*(set(each.left_out) for each in shared)):
        first = shared[0]
        stated = next(each for each in job.lists if each.is_shared)
        format_ = format_to_read(first.opened, first.address.file_name, stated.reading)
        try:
            check_stated(format_, stated.reading)
        except BadTerms as problem:
            raise problem.placed(file=first.opened.address) from None


def _names(
    job: Job, found: Mapping[str, list[FoundList]]
) -> dict[str, tuple[str, ...]]:
    """Name each list that there is: by its file or tab, where a pattern found it."""
    wanted = {
        listed.name: tuple(
            each.label if _stands_for_several(job, listed) else listed.name
            for each in found[listed.name]
        )
        for listed in job.lists
        if listed.name in found
    }
    results = [entry.result for entry in job.entries]
    counts = Counter([*results, *(name for each in wanted.values() for name in each)])
    taken = set(results)
    names: dict[str, tuple[str, ...]] = {}
    for listed, labels in wanted.items():
        mine = []
        for label, each in zip(labels, found[listed], strict=True):
            name = label if counts[label] == 1 else f"{listed} {label}"
            if label == listed:
                name = label
            if name in taken:
                name = each.address.text
            number, stem = 1, name
            while name in taken:
                number += 1
                name = f"{stem} ({number})"
            taken.add(name)
            mine.append(name)
        names[listed] = tuple(mine)
    return names


def _stands_for_several(job: Job, listed: ListToRead) -> bool:
    address = parse_address(listed.address, job.folder)
    fragment = address.fragment
    named = (each or "" for each in (fragment.file, fragment.sheet, fragment.table))
    parts = (address.place, *named)
    # The marks of a pattern mean other things in a URL.
    return any(map(is_pattern, parts[1:] if address.is_elsewhere else parts))


def _entry(entry: Entry, names: Mapping[str, tuple[str, ...]], job: Job) -> Entry:
    try:
        references = tuple(
            (said, _only(names, listed, f"'{said}'"))
            for said, listed in entry.references
        )
        if entry.verb.several:
            lists = tuple(
                name for listed in entry.lists for name in names.get(listed, (listed,))
            )
        else:
            lists = tuple(
                _only(names, listed, entry.verb.name) for listed in entry.lists
            )
    except Problem as problem:
        raise problem.placed(
            file=job.docket, entry=entry.place, line=entry.line
        ) from None
    return msgspec.structs.replace(entry, lists=lists, references=references)


def _only(names: Mapping[str, tuple[str, ...]], listed: str, user: str) -> str:
    """Return the one list that a name stands for."""
    there = names.get(listed, (listed,))
    if len(there) > 1:
        told = first_few([f"'{name}'" for name in there], 5)
        raise BadTerms(
            f"{user} works on one list, and there are {len(there)}: {told}.",
            "Merge them first, or name one of them.",
        )
    return there[0]
