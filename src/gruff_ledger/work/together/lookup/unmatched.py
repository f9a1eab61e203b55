"""Keys that matched nothing: how often each occurs, and the nearest that is known."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.keys.same_key import first_with_same_key, key_groups
from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.arrays import (
    concat_columns,
    constant_column,
    filter_column,
    joined,
    number_column,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import free_heading
from gruff_ledger.rules.nearest import nearest_values
from gruff_ledger.table import Table

# Up to so many known keys, each unmatched one is compared with all of them.
_FEW_KNOWN = 20_000

# Of more, only some of those that begin or end alike, and only for the commonest
# unmatched keys.
_MOST_SOUGHT = 10
_MOST_LIKELY = 2_000
_ALIKE_BYTES = 3

_BETWEEN = " / "


class Unmatched(NamedTuple):
    """
    The distinct keys of some records that matched nothing.

    Attributes
    ----------
    records : ndarray of int64, shape (u,)
        Indices of the records, in order.
    codes : ndarray of int64, shape (u,)
        For each of them, which key it has.
    firsts : ndarray of int64, shape (k,)
        The first record of each key, the commonest key first.
    counts : ndarray of int64, shape (k,)
    texts : Column of k texts
        The keys as they are shown.
    nearest : Column of k texts
        For each key, the known one that may have been meant, or blank.
    """

    records: Indices
    codes: Indices
    firsts: Indices
    counts: Indices
    texts: Column
    nearest: Column


def find_unmatched_keys(
    keys: Sequence[Column], mask: Mask, known: Sequence[Column]
) -> Unmatched:
    """
    Count the keys of records that matched nothing.

    Parameters
    ----------
    keys : sequence of Column, n records each
    mask : ndarray of bool, shape (n,)
        The records that matched nothing.
    known : sequence of Column, m records each
        The keys of the reference list, as they are.
    """
    records = np.flatnonzero(mask)
    few = [joined(filter_column(column, mask)) for column in keys]
    if not len(records):
        none = np.zeros(0, np.int64)
        blank = text_column(())
        return Unmatched(records, none, none, none, blank, blank)
    first = first_with_same_key(few)
    groups = key_groups(first)
    heads, codes, counts = groups.firsts, groups.numbers, groups.sizes
    order = np.argsort(-counts, kind="stable")
    ranks = np.empty(len(order), np.int64)
    ranks[order] = np.arange(len(order))
    heads = heads[order]
    columns = [taken(column, heads) for column in few]
    texts = _texts(columns)
    return Unmatched(
        records,
        ranks[codes],
        records[heads],
        counts[order],
        texts,
        _nearest(texts, known),
    )


def _texts(columns: Sequence[Column]) -> Column:
    if len(columns) == 1:
        return columns[0]
    cells = (column.to_pylist() for column in columns)
    return text_column(_BETWEEN.join(each) for each in zip(*cells, strict=True))


def _nearest(texts: Column, known: Sequence[Column]) -> Column:
    """Return for each unmatched key the known one most like it."""
    n = len(texts)
    if not len(known[0]):
        return constant_column("", n)
    if len(known[0]) <= _FEW_KNOWN:
        return nearest_values(texts, _texts(known))
    found = [""] * min(n, _MOST_SOUGHT)
    for place, text in enumerate(texts.slice(0, _MOST_SOUGHT).to_pylist()):
        likely = _likely(text, known)
        if len(likely[0]):
            (found[place],) = nearest_values(
                text_column([text]), _texts(likely)
            ).to_pylist()
    return concat_columns([text_column(found), constant_column("", n - len(found))])


def _likely(text: str, known: Sequence[Column]) -> list[Column]:
    """Return known keys of nearly the length of one that begin or end as it does."""
    sizes = np.zeros(len(known[0]), np.int64)
    ends = np.zeros(len(known[0]), np.bool_)
    data = text.replace(_BETWEEN, "").encode()
    for place, column in enumerate(known):
        start = 0
        for chunk in text_chunks(column):
            lengths = np.diff(chunk.offsets)
            stop = start + len(lengths)
            sizes[start:stop] += lengths
            # Bytes before a cell and behind it belong to others: its length tells.
            pad = np.zeros(_ALIKE_BYTES, np.uint8)
            padded = np.concatenate([pad, chunk.bytes, pad])
            same = np.zeros((2, len(lengths)), np.bool_)
            same[0] = place == 0
            same[1] = place == len(known) - 1
            for byte in range(min(_ALIKE_BYTES, len(data))):
                at = chunk.offsets[:-1] + _ALIKE_BYTES + byte
                same[0] &= padded[at] == data[byte]
                at = chunk.offsets[1:] + _ALIKE_BYTES - 1 - byte
                same[1] &= padded[at] == data[-1 - byte]
            ends[start:stop] |= same[0] | same[1]
            start = stop
    likely = ends & (np.abs(sizes - len(data)) <= 1)
    places = np.flatnonzero(likely)[:_MOST_LIKELY]
    return [taken(column, places) for column in known]


def make_unmatched_table(
    unmatched: Unmatched, table: Table, headings: Sequence[str]
) -> Table:
    """
    Return the unmatched keys as a list, the commonest first.

    Parameters
    ----------
    unmatched : Unmatched
    table : Table
        The list that its records are in.
    headings : sequence of str
        The key fields.
    """
    own = [free_heading(each, headings) for each in ("records", "nearest known")]
    return Table(
        (*headings, *own),
        (
            *(taken(table.cells(heading), unmatched.firsts) for heading in headings),
            number_column(unmatched.counts),
            unmatched.nearest,
        ),
        table.origin.pick(unmatched.firsts),
        "keys that matched nothing",
    )
