"""A part of a docket: all that leads to one of its entries, and a drawing of it all."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import msgspec

from gruff_ledger.credentials import without_credentials
from gruff_ledger.job.job import Entry, Job, beside_name
from gruff_ledger.problems import BadTerms, nearest_or_all


def stopped_after(job: Job, said: str) -> Job:
    """
    Return the job that ends with one entry, and writes nothing.

    Only entries that lead to it are left.

    Parameters
    ----------
    job : Job
    said : str
        The number of the entry, or the name of its result.

    Raises
    ------
    BadTerms
        If there is no such entry.
    """
    last = next(
        (each for each in job.entries if said in (str(each.number), each.result)), None
    )
    if last is None:
        known = [
            name for each in job.entries for name in (str(each.number), each.result)
        ]
        raise BadTerms(
            f"the docket has no entry '{said}'.",
            nearest_or_all(said, dict.fromkeys(known), "entries"),
            file=job.docket,
            term="stop-after",
        )
    makers = _makers(job)
    wanted: dict[int, Entry] = {}
    open_ = [last]
    while open_:
        entry = open_.pop()
        if entry.number in wanted:
            continue
        wanted[entry.number] = msgspec.structs.replace(entry, further=())
        names = (*entry.lists, *(name for _, name in entry.references))
        open_ += [makers[name] for name in names if name in makers]
    return msgspec.structs.replace(
        job,
        entries=tuple(wanted[number] for number in sorted(wanted)),
        outs=(),
        ledger=None,
        aside=None,
        control=(),
    )


def _makers(job: Job) -> dict[str, Entry]:
    """Return the entry that makes each list, by the list's name."""
    makers = {}
    for entry in job.entries:
        makers[entry.result] = entry
        for each in entry.verb.beside:
            makers[beside_name(entry.result, each.key)] = entry
    return makers


def diagram(job: Job) -> Iterator[str]:
    """
    Draw a docket as text: lists, the entries that work on them, where results go.

    Entries that work on the result of the one before hang from it; any other begins a
    drawing of its own, with the lists it takes.

    Yields
    ------
    str
        One line each.
    """
    makers = _makers(job)
    addresses = {each.name: without_credentials(each.address) for each in job.lists}
    outs: dict[str, list[tuple[str, str]]] = {}
    for out in job.outs:
        maker = makers.get(out.list_name)
        key = out.list_name if maker is None else maker.result
        note = "" if key == out.list_name else f"  ({out.list_name})"
        outs.setdefault(key, []).append((out.address, note))
    for entry in job.entries:
        for further in entry.further:
            outs.setdefault(entry.result, []).append((further.address, ""))
    yield job.title
    in_hand: str | None = None
    for entry in job.entries:
        if in_hand is None or entry.lists != (in_hand,):
            yield ""
            yield from _taken(entry, addresses, makers)
        if entry.lists:
            yield "  │"
        yield f"  {_entry_line(entry, addresses, makers)}"
        ends = outs.pop(entry.result, [])
        follows = any(
            each.number == entry.number + 1 and each.lists == (entry.result,)
            for each in job.entries
        )
        for number, (address, note) in enumerate(ends, 1):
            corner = "├" if number < len(ends) or follows else "└"
            yield f"  {corner}─▶ {address}{note}"
        in_hand = entry.result
    for name, ends in outs.items():
        yield ""
        yield f"{name}   {addresses.get(name, '')}"
        for number, (address, note) in enumerate(ends, 1):
            yield f"  {'├' if number < len(ends) else '└'}─▶ {address}{note}"


def _taken(
    entry: Entry, addresses: Mapping[str, str], makers: Mapping[str, Entry]
) -> Iterator[str]:
    """Yield a line for each list that an entry takes."""
    width = max((len(name) for name in entry.lists), default=0)
    for name in entry.lists:
        yield f"{name:<{width}}   {_told(name, addresses, makers)}"


def _told(name: str, addresses: Mapping[str, str], makers: Mapping[str, Entry]) -> str:
    maker = makers.get(name)
    if maker is not None:
        return f"from {maker.number} {maker.verb.name}"
    return addresses.get(name, "")


def _entry_line(
    entry: Entry, addresses: Mapping[str, str], makers: Mapping[str, Entry]
) -> str:
    line = f"{entry.number} {entry.verb.name}"
    if entry.result != f"entry {entry.number}":
        line += f"  = {entry.result}"
    for said, name in entry.references:
        told = _told(name, addresses, makers)
        beside = "" if told in ("", without_credentials(said)) else f", {told}"
        line += f"  ◀ {without_credentials(said)}{beside}"
    for said, _ in entry.files:
        line += f"  ◀ {said}"
    return line
