"""Fields of few values, as a sample shows it: each value once, and a number a cell.

Arrow's dictionary encoding puts each chunk in a table of its own; what the tables hold
is then so little that it is encoded once more. Cells are compared to the character.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.keys.fingerprints import fingerprints
from gruff_ledger.cells.text_bytes import Chunk, map_chunks
from gruff_ledger.columns.arrays import arrow_functions
from gruff_ledger.columns.types import Column, Indices

# Records looked at, at three places of a list, to see whether it has few values.
_SAMPLE_RECORDS = 1000
_FEW_VALUES = 1500
_MOST_MET_ONCE = 300

# With more values than this in one chunk, or more keys of several fields, the sample
# was wrong: a table of them would not stay in the processor's cache.
_MOST_VALUES = 1 << 13
_MOST_KEYS = 1 << 20


def few_values(column: Column) -> tuple[Column, Indices] | None:
    """Return distinct values and codes, if a sample shows that there are few."""
    if not _seem_few(column):
        return None
    found = map_chunks(_encoded, column)
    if any(len(each.values) > _MOST_VALUES for each in found):
        return None
    # In order of first occurrence, as the values of each chunk are.
    met = pa.concat_arrays([each.values for each in found])
    whole = arrow_functions().call_function("dictionary_encode", [met])
    numbers = np.asarray(whole.indices).astype(np.int64)
    codes = np.empty(len(column), np.int64)
    at = known = 0
    for values, mine in found:
        codes[at : at + len(mine)] = numbers[known : known + len(values)][mine]
        at, known = at + len(mine), known + len(values)
    return pa.chunked_array([whole.dictionary]), codes


class _Encoded(NamedTuple):
    """The values of a chunk, and which of them each cell holds."""

    values: Any
    codes: Indices


def _encoded(chunk: Chunk) -> _Encoded:
    found = arrow_functions().call_function("dictionary_encode", [chunk.array])
    return _Encoded(found.dictionary, np.asarray(found.indices))


def _seem_few(column: Column) -> bool:
    n = len(column)
    if n < 4 * _SAMPLE_RECORDS:
        return False
    starts = (0, n // 2, n - _SAMPLE_RECORDS)
    sample = [column.slice(start, _SAMPLE_RECORDS) for start in starts]
    known, counts = np.unique(
        np.concatenate([fingerprints(part) for part in sample]), return_counts=True
    )
    # The share of what a sample met only once is that of what it did not meet (I. J.
    # Good): a chunk of many times as many records has so much more.
    return len(known) <= _FEW_VALUES and int((counts == 1).sum()) <= _MOST_MET_ONCE


def first_of_few(columns: Sequence[Column]) -> Indices | None:
    """For each record, return the first with its key, if all fields have few values."""
    if not all(map(_seem_few, columns)):
        return None
    codes: Indices | None = None
    keys = 1
    for column in columns:
        found = few_values(column)
        if found is None:
            return None
        values, mine = found
        keys *= len(values)
        if keys > _MOST_KEYS:
            return None
        codes = mine if codes is None else codes * len(values) + mine
    return None if codes is None else first_places(codes)[codes]


def first_places(codes: Indices) -> Indices:
    """Return where each code, counted from 0, occurs first; their count if nowhere."""
    found = np.full(int(codes.max(initial=-1)) + 1, len(codes), np.int64)
    # From the last to the first: of several in one place the first one stays.
    found[codes[::-1]] = np.arange(len(codes) - 1, -1, -1)
    return found
