"""The check that every record is accounted for.

Records in = records out + records set aside, for every entry. It is checked twice over:
by number, and by a sum over the origins of the records, which would tell if a record
had been lost and another doubled. Work that makes several records of one says how many
more there are; then each origin is to be found there at least once. Where the result
holds figures on records, and not the records, the records in the figures stand in the
place of those that go out.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from gruff_ledger.columns.threads import mapped
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import OutOfBalance
from gruff_ledger.table import Origin, Table

# Odd constants with well-spread bits, so that sums over different sets of records
# differ but for one chance in 2**64.
_SOURCE_SPREAD = np.uint64(0x9E3779B97F4A7C15)
_RECORD_SPREAD = np.uint64(0xBF58476D1CE4E5B9)
_SHIFT = np.uint64(31)

# Records summed at a time, so that the numbers stay in the processor's cache.
_STRETCH_RECORDS = 1 << 16


def check_balance(entry: str, tables: Sequence[Table], outcome: Outcome) -> None:
    """
    Check that an entry neither lost, doubled nor invented a record.

    Parameters
    ----------
    entry : str
        The entry as the person knows it, for the message.
    tables : sequence of Table
        The lists it was given.
    outcome : Outcome

    Raises
    ------
    OutOfBalance
        If records in are not records out and set aside.
    """
    aside = [each.table.origin for each in outcome.aside]
    went_in = [table.origin for table in tables]
    records_in = sum(map(len, went_in))
    records_out = (
        len(outcome.table) if outcome.lineage.summed is None else outcome.lineage.summed
    )
    records_aside = sum(map(len, aside))
    if records_in + outcome.lineage.made != records_out + records_aside:
        made = f", {outcome.lineage.made} were made" if outcome.lineage.made else ""
        raise OutOfBalance(
            f"the records do not balance: {records_in} came in{made}, {records_out} "
            f"went out and {records_aside} were set aside. Nothing was written.",
            _REMEDY,
            entry=entry,
        )
    if outcome.lineage.summed is not None:
        return
    there = [outcome.table.origin, *aside]
    if outcome.lineage.made:
        there = [_distinct(Origin.concat(there))]
    if len(there) == len(went_in) == 1 and there[0] is went_in[0]:
        # The very same numbers: no record was touched.
        return
    if _sum_over(went_in) != _sum_over(there):
        raise OutOfBalance(
            f"the records do not balance: {records_in} came in and as many went on, "
            "but they are not the same records. Nothing was written.",
            _REMEDY,
            entry=entry,
        )


_REMEDY = "This is a fault of the program and not of the lists: please report it."


def _distinct(origin: Origin) -> Origin:
    """Return each origin once."""
    order = np.lexsort((origin.record, origin.source))
    ordered = origin.pick(order)
    is_first = np.ones(len(order), np.bool_)
    is_first[1:] = (np.diff(ordered.record) != 0) | (np.diff(ordered.source) != 0)
    return ordered.pick(is_first)


def _sum_over(origins: Iterable[Origin]) -> int:
    stretches = [
        (origin, start)
        for origin in origins
        for start in range(0, len(origin), _STRETCH_RECORDS)
    ]
    return sum(mapped(_sum_of_stretch, stretches)) % 2**64


def _sum_of_stretch(stretch: tuple[Origin, int]) -> int:
    origin, start = stretch
    part = origin.pick(slice(start, start + _STRETCH_RECORDS))
    mixed = part.record.astype(np.uint64)
    mixed *= _RECORD_SPREAD
    mixed ^= mixed >> _SHIFT
    mixed += (part.source.astype(np.uint64) + np.uint64(1)) * _SOURCE_SPREAD
    mixed *= mixed | np.uint64(1)
    return int(mixed.sum(dtype=np.uint64))
