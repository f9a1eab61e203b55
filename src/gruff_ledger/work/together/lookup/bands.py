"""Bands: the record with the greatest value that is not above another's.

Tariffs by length, rates from a date: each record of the reference list begins a band
that goes on to the next one with the same key.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.numbers.amounts import Amounts, at_scale
from gruff_ledger.cells.order import number_ranks
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Indices, Mask
from gruff_ledger.field_names import find_field, parse_pair
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.orders import Key, ordering, parse_order
from gruff_ledger.written.read import read_numbers

_NOUNS = {"number": "numbers", "date": "dates"}


class Banded(NamedTuple):
    """
    The bands that n records fall in.

    Attributes
    ----------
    found : ndarray of int64, shape (n,)
        The first record of the reference list that begins the band, or -1.
    first : ndarray of int64, shape (m,)
        For each record of the reference list, the first with the same key and value.
    begins : ndarray of bool, shape (m,)
        Records that begin a band: with a key, and a value that can be read.
    below : ndarray of bool, shape (n,)
        Records below the first band of their key.
    without : ndarray of bool, shape (n,)
        Records without a value.
    words : str
    findings, notes : tuple
    """

    found: Indices
    first: Indices
    begins: Mask
    below: Mask
    without: Mask
    words: str
    findings: tuple[Finding, ...]
    notes: tuple[Note, ...]


def match_bands(
    band: str,
    table: Table,
    other: Table,
    groups: Indices,
    other_groups: Indices,
) -> Banded:
    """
    Find the band of each record.

    Parameters
    ----------
    band : str
        As a person states it: ``Length=From``.
    table, other : Table, n and m records
    groups, other_groups : ndarray of int64, shape (n,) and (m,)
        Equal where the keys match; -1 for what matches nothing.

    Raises
    ------
    UnknownField
        If a list has not the field.
    BadTerms
        If the bands are neither of numbers nor of dates.
    """
    mine, theirs = parse_pair(band)
    (key,) = parse_order(theirs, "band")
    if mine == band:
        mine = key.name
    heading, said = find_field(table, mine, "band")
    theirs, ranked = ordering(other, key, "band")
    way = ranked.way
    if way == "code" and key.way is None:
        way = "number"
    if way not in _NOUNS:
        raise BadTerms(
            f"'{theirs}' of {other.name} holds neither numbers nor dates.",
            "Name a field that begins bands, or show how it is written in `written`.",
            term="band",
        )
    _, here = ordering(table, Key(heading, way, False), "band")
    ranks, other_ranks = here.ranks, ranked.ranks
    if way == "number":
        ranks, other_ranks = _number_ranks(
            read_numbers(table, heading).amounts, read_numbers(other, theirs).amounts
        )
    begins = ~ranked.last & (other_groups >= 0)
    asks = ~here.last & (groups >= 0)
    found, first = _found(ranks, groups, asks, other_ranks, other_groups, begins)
    known = np.isin(groups, other_groups[begins])
    column = table.cells(heading)
    unread = here.last & ~blank_mask(column)
    findings = _find_unread(table, heading, unread, way)
    out = other.origin.pick(ranked.last)
    told = {note.what for note in ranked.notes}
    notes = said + ranked.notes
    notes += tuple(note for note in here.notes if note.what not in told)
    if len(out):
        count = f"{len(out)} records of {other.name} have"
        if len(out) == 1:
            count = f"1 record of {other.name} has"
        notes += (
            Note(f"{count} no {way} in '{theirs}': no band begins there.", "", out),
        )
    return Banded(
        found,
        first,
        begins,
        asks & (found < 0) & known,
        here.last,
        f"{heading} in bands of {theirs}",
        findings,
        notes,
    )


def _number_ranks(one: Amounts, other: Amounts) -> tuple[Indices, Indices]:
    """Rank the numbers of two lists together."""
    scale = max(one.scale, other.scale)
    values = [at_scale(each, scale).values for each in (one, other)]
    ranks = number_ranks(Amounts(np.concatenate(values), scale))
    return ranks[: len(values[0])], ranks[len(values[0]) :]


def _found(
    ranks: Indices,
    groups: Indices,
    asks: Mask,
    other_ranks: Indices,
    other_groups: Indices,
    begins: Mask,
) -> tuple[Indices, Indices]:
    """Return the first record that begins each one's band, and those that repeat it."""
    bands, asking = np.flatnonzero(begins), np.flatnonzero(asks)
    m = len(other_ranks)
    first = np.arange(m, dtype=np.int64)
    found = np.full(len(ranks), -1, np.int64)
    if not len(bands):
        return found, first
    all_groups = np.concatenate([other_groups[bands], groups[asking]])
    all_ranks = np.concatenate([other_ranks[bands], ranks[asking]])
    asks_at = np.arange(len(all_groups)) >= len(bands)
    # Of equal values those that begin a band stand first, so that they are not above.
    order = np.lexsort((asks_at, all_ranks, all_groups))
    is_band = ~asks_at[order]
    mine, value = all_groups[order], all_ranks[order]
    repeats = np.zeros(len(order), np.bool_)
    repeats[1:] = (
        is_band[1:] & is_band[:-1] & (mine[1:] == mine[:-1]) & (value[1:] == value[:-1])
    )
    at = np.arange(len(order))
    head = np.maximum.accumulate(np.where(is_band & ~repeats, at, -1))
    is_known = (head >= 0) & (mine[np.maximum(head, 0)] == mine)
    head_record = bands[np.where(is_known, order[np.maximum(head, 0)], 0)]
    first[bands[order[is_band]]] = head_record[is_band]
    asked = ~is_band
    places = asking[order[asked] - len(bands)]
    found[places] = np.where(is_known[asked], head_record[asked], -1)
    return found, first


def _find_unread(
    table: Table, heading: str, unread: Mask, way: str
) -> tuple[Finding, ...]:
    if not unread.any():
        return ()
    return (
        Finding(
            f"{heading} is a {way}",
            Severity.WARN,
            f"{heading} is no {way}, so that it lies in no band.",
            heading,
            table.origin.pick(unread),
            filter_column(table.cells(heading), unread),
        ),
    )
