"""What was said of the fields of a list, put to the list."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

import numpy as np

from gruff_ledger.cells.dates.shapes import ISO, date_shape
from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.cells.numbers.shapes import shape_of
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Mask
from gruff_ledger.field_names import find_field
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnknownField
from gruff_ledger.table import Table, Writing
from gruff_ledger.written.way import ListWay, Way, kind_said

# So many cells of a list are looked at, and so many at least of a field, in stretches
# all over it; of lists with very many fields none.
_SAMPLED = 2048
_LEAST_SAMPLED = 32
_STRETCHES = 8

# Plain numbers, with one that could have a group told apart, and days of ISO 8601.
_PLAIN_CELL = late_pattern(
    r"[-+]?(?:(?P<lone>[1-9][0-9]{0,2}\.[0-9]{3})|[0-9]*\.?[0-9]*)"
    r"|[0-9]{4}-[0-9]{2}-[0-9]{2}"
)
# How numbers and dates begin: with a figure, behind a sign or a short word for a
# currency, or with the name of a month or day.
_MAY_BE_WRITTEN = late_pattern(
    r"[\s(+\-\u2212]*"
    r"(?:[^\W\d_]{0,4}[^\w\s]{0,2}\s?|[^\W\d_]{2,12}[.,]*\s*)"
    r"[-.,]?[0-9]"
)
_MOST_FIELDS = 2000


def with_ways(
    table: Table,
    written: Mapping[str, Sequence[str]],
    *,
    is_shared: bool = False,
    numbers: Mapping[str, Mask] = MappingProxyType({}),
) -> tuple[Table, tuple[Note, ...], frozenset[str]]:
    """
    Return a list of which it is known how its fields are written.

    Parameters
    ----------
    table : Table
    written : mapping of str to sequence of str
        Examples for each field; see `way_of`.
    is_shared : bool
        Whether they were given for several lists, not all of which have the fields.
    numbers : mapping of str to ndarray of bool, optional
        The cells that a source with types says are numbers: they are never in doubt.

    Returns
    -------
    table : Table
    notes : tuple of Note
    found : frozenset of str
        Which of the names are fields of this list.

    Raises
    ------
    UnknownField
        If the list does not have a field, and the examples are its own.
    BadTerms
        If an example is no number and no date, or could be two.
    """
    known = _ways_to_find(table, numbers)
    notes: tuple[Note, ...] = ()
    found = set()
    for name, examples in written.items():
        try:
            heading, said = find_field(table, name, "written")
        except UnknownField:
            if is_shared:
                continue
            raise
        notes += said
        found.add(name)
        from gruff_ledger.written.examples import way_of

        known[heading] = Writing((way_of(examples, heading),))
    return table.with_writing(known), notes, frozenset(found)


def _ways_to_find(table: Table, numbers: Mapping[str, Mask]) -> dict[str, Writing]:
    """
    Return the ways of the fields whose cells may prove something of one another.

    A few cells show whether a field has numbers or dates that are not written plainly.
    """
    fields = len(table.headings)
    found: dict[str, Writing] = {}
    if not len(table) or fields > _MOST_FIELDS:
        return found
    size = max(_LEAST_SAMPLED, _SAMPLED // fields) // _STRETCHES
    starts = np.linspace(0, max(0, len(table) - size), _STRETCHES).astype(np.int64)
    for heading, column in zip(table.headings, table.all_cells, strict=True):
        stretches = (column.slice(start, size) for start in set(starts.tolist()))
        few = {text for part in stretches for text in part.to_pylist()}
        if heading not in table.written and any(map(_is_written, few)):
            is_number = numbers.get(heading)
            if is_number is None:
                found[heading] = Writing((ListWay(column),))
                continue
            from gruff_ledger.written.examples import PLAIN_WAY

            texts = ListWay(filter_column(column, ~is_number))
            found[heading] = Writing((texts, PLAIN_WAY), is_number.astype(np.int64))
    return found


def _is_written(text: str) -> bool:
    """Whether a cell is a number or date that is not plain, or could be another."""
    plain = _PLAIN_CELL.fullmatch(text)
    if plain is not None:
        return plain["lone"] is not None
    if not _MAY_BE_WRITTEN.match(text):
        return False
    shape = shape_of(text)
    if shape is not None:
        return bool(shape.doubt) or number_of(text) is None
    date = date_shape(text)
    return date is not None and date.style != ISO


def with_other_ways(
    table: Table, written: Mapping[str, Sequence[str]]
) -> tuple[Table, tuple[Note, ...]]:
    """Return a list with ways for fields that nobody spoke of; see `with_ways`."""
    known = {name for name in table.headings if kind_said(table, name)}
    rest = {name: each for name, each in written.items() if name not in known}
    result, notes, _ = with_ways(table, rest)
    return result, notes


def examples_of(table: Table) -> dict[str, tuple[str, ...]]:
    """Return what a person said of how the fields of a list are written."""
    found: dict[str, tuple[str, ...]] = {}
    for heading in table.headings:
        ways = [way for way in table.writing(heading).ways if isinstance(way, Way)]
        if ways:
            examples = (example for way in ways for example in way.examples)
            found[heading] = tuple(dict.fromkeys(examples))
    return found


def check_all_found(
    written: Iterable[str], found: Iterable[str], headings: Sequence[str]
) -> None:
    """
    Refuse examples of fields that none of several lists has.

    Raises
    ------
    UnknownField
    """
    for name in sorted({*written} - {*found}):
        find_field(Table.of_records(headings, []), name, "written")
