"""The first records that were folded into others, with those that stand for them.

Kept for a page that shows them side by side: the lists themselves are gone by the time
an account is written.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from gruff_ledger.columns.types import Indices
from gruff_ledger.outcome import SetAside
from gruff_ledger.table import Origin, Table

# As many groups, and records of them, as anybody reads on a page.
MOST_GROUPS = 60
MOST_MEMBERS = 400


class Member(msgspec.Struct, frozen=True):
    """A record of a group: the position of its source, its number, and its cells."""

    source: int
    record: int
    cells: dict[str, str]


class Groups(msgspec.Struct, frozen=True):
    """
    Records that one entry folded into others for one reason.

    Attributes
    ----------
    reason : str
    headings : tuple of str
    groups : tuple of tuple of Member
        In each the record that stays comes first. Records are as they came in.
    shown, total : int
        How many records were folded that are here, and in all.
    """

    reason: str
    headings: tuple[str, ...]
    groups: tuple[tuple[Member, ...], ...]
    shown: int
    total: int


def first_groups(
    aside: Sequence[SetAside],
    given: Sequence[Table],
    root: Callable[[Origin], Origin],
) -> tuple[Groups, ...]:
    """
    Take the first groups of the records that were folded into others.

    Parameters
    ----------
    aside : sequence of SetAside
    given : sequence of Table
        The lists that the entry was given, with the records that stay.
    root : callable
        Returns origins in terms of sources.
    """
    return tuple(
        _groups_of(each, given, root) for each in aside if each.kept is not None
    )


def _places_of(wanted: Sequence[int], origin: Origin) -> tuple[Indices, Indices]:
    """Return where any of a few records stand, and which of them each is."""
    if not wanted:
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    known = np.sort(np.array(wanted, np.int64))
    # Their numbers lie near one another as a rule: few others are looked at closely.
    numbers = known & _RECORD_BITS
    near = np.flatnonzero(
        (origin.record >= numbers.min()) & (origin.record <= numbers.max())
    )
    keys = _keys(origin.pick(near))
    at = np.minimum(np.searchsorted(known, keys), len(known) - 1)
    met = known[at] == keys
    return near[met], keys[met]


def _groups_of(
    aside: SetAside, given: Sequence[Table], root: Callable[[Origin], Origin]
) -> Groups:
    assert aside.kept is not None
    head = aside.kept.pick(slice(0, 4 * MOST_MEMBERS))
    wanted = list(dict.fromkeys(_keys(head).tolist()))[:MOST_GROUPS]
    members, of = (each[:MOST_MEMBERS] for each in _places_of(wanted, aside.kept))
    folded = _members(aside.table, members, root)
    kept: dict[int, Member] = {}
    headings: dict[str, None] = {}
    for table in given:
        headings |= dict.fromkeys(table.headings)
        places, mine = _places_of(wanted, table.origin)
        kept |= dict(zip(mine.tolist(), _members(table, places, root), strict=True))
    by_kept: dict[int, list[Member]] = {key: [] for key in wanted}
    for key, member in zip(of.tolist(), folded, strict=True):
        by_kept[key].append(member)
    groups = tuple(
        (kept[key], *others)
        for key, others in by_kept.items()
        if others and key in kept
    )
    return Groups(
        aside.reason,
        tuple(headings),
        groups,
        sum(len(group) - 1 for group in groups),
        len(aside.kept),
    )


def _keys(origin: Origin) -> Indices:
    return (origin.source.astype(np.int64) << np.int64(40)) | origin.record


# What of a key is the number of the record.
_RECORD_BITS = (1 << 40) - 1


def _members(
    table: Table, places: Indices, root: Callable[[Origin], Origin]
) -> list[Member]:
    # They are among the first as a rule: the others need not be looked at.
    first = table.pick_first(int(places.max(initial=-1)) + 1)
    few = np.zeros(len(first), np.bool_)
    few[places] = True
    told = first.keep_records(few)
    origin = root(told.origin)
    return [
        Member(source, record, dict(zip(table.headings, cells, strict=True)))
        for source, record, cells in zip(
            origin.source.tolist(), origin.record.tolist(), told.records(), strict=True
        )
    ]
