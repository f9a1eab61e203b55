"""The first records that were folded into others, with those that stand for them.

Kept for a page that shows them side by side: the lists themselves are gone by the time
an account is written.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from gruff_ledger.outcome import SetAside
from gruff_ledger.table import Indices, Origin, Table

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


def _places_of(wanted: Sequence[int], keys: Indices) -> Indices:
    """Return where any of a few keys stand; `numpy.isin` loads more than this needs."""
    known = np.sort(np.array(wanted, np.int64))
    if not len(known):
        return np.zeros(0, np.int64)
    at = np.minimum(np.searchsorted(known, keys), len(known) - 1)
    return np.flatnonzero(known[at] == keys)


def _groups_of(
    aside: SetAside, given: Sequence[Table], root: Callable[[Origin], Origin]
) -> Groups:
    assert aside.kept is not None
    keys = _keys(aside.kept)
    first = dict.fromkeys(keys[: 4 * MOST_MEMBERS].tolist())
    wanted = list(first)[:MOST_GROUPS]
    members = _places_of(wanted, keys)[:MOST_MEMBERS]
    folded = _members(aside.table, members, root)
    kept: dict[int, Member] = {}
    headings: dict[str, None] = {}
    for table in given:
        headings |= dict.fromkeys(table.headings)
        mine = _keys(table.origin)
        places = _places_of(wanted, mine)
        kept |= dict(
            zip(mine[places].tolist(), _members(table, places, root), strict=True)
        )
    by_kept: dict[int, list[Member]] = {key: [] for key in wanted}
    for key, member in zip(keys[members].tolist(), folded, strict=True):
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
        len(keys),
    )


def _keys(origin: Origin) -> Indices:
    return (origin.source.astype(np.int64) << np.int64(40)) | origin.record


def _members(
    table: Table, places: Indices, root: Callable[[Origin], Origin]
) -> list[Member]:
    # They are among the first as a rule: the others need not be looked at.
    first = table.take_first(int(places.max(initial=-1)) + 1)
    few = np.zeros(len(first), np.bool_)
    few[places] = True
    told = first.filter(few)
    origin = root(told.origin)
    return [
        Member(source, record, dict(zip(table.headings, cells, strict=True)))
        for source, record, cells in zip(
            origin.source.tolist(), origin.record.tolist(), told.records(), strict=True
        )
    ]
