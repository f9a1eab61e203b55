"""What a field holds that people wrote in their own ways: its numbers and its dates."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.dates.moments import moment_text
from gruff_ledger.cells.dates.shapes import ISO
from gruff_ledger.cells.numbers.amounts import decimal_text
from gruff_ledger.cells.numbers.found import FoundNumbers
from gruff_ledger.cells.numbers.group_figures import total_of
from gruff_ledger.cells.numbers.shapes import shape_of
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.types import Column
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import counted
from gruff_ledger.work.look.survey.field_summary import FieldFacts
from gruff_ledger.written.read import read_dates, read_numbers
from gruff_ledger.written.way import ListWay, Way


def settle_as_written(facts: FieldFacts, table: Table, origin: Origin) -> None:
    """
    Put to a field's facts what its cells are in the ways in which they are written.

    Parameters
    ----------
    facts : FieldFacts
        Of a field of the list, found of its plain numbers and dates.
    table : Table, n records
    origin : Origin, n records
        In terms of sources.
    """
    (way, *others) = table.writing(facts.field).ways
    if others or not isinstance(way, Way | ListWay) or not facts.filled:
        return
    column = table.cells(facts.field)
    if facts.kind in ("text", "number", "whole number"):
        if isinstance(way, ListWay):
            found = way.numbers(column)
            _settle_doubt(facts, column, found, origin)
            if facts.in_doubt:
                return
        else:
            found = _said_numbers(table, facts.field)
        _settle_numbers(facts, column, found)
    if facts.kind in ("text", "date"):
        _settle_dates(facts, table, way, column)


def _said_numbers(table: Table, heading: str) -> FoundNumbers:
    read = read_numbers(table, heading)
    return FoundNumbers(read.amounts, read.is_number, {}, {}, read.plain, {})


def _settle_doubt(
    facts: FieldFacts, column: Column, found: FoundNumbers, origin: Origin
) -> None:
    """Take note of the cells that could be two numbers, in a field of numbers."""
    if 2 * int(np.count_nonzero(found.is_number)) <= facts.filled or not found.doubts:
        return
    ((mark, group), *_) = found.doubts.items()
    text = column[group.first].as_py()
    shape = shape_of(text)
    assert shape is not None
    other = "," if mark == "." else "."
    facts.in_doubt = group.size
    facts.doubt_words = (
        f"{counted(group.size, 'cell', 'cells')} that could be two numbers: '{text}' "
        f"is {shape.grouped_value:f}, or {shape.value:f} if written as 1234{mark}5"
    )
    facts.doubt_example = f"1{mark}234{other}5"
    facts.found["in doubt"] = origin.pick(np.array([group.first]))


def _settle_numbers(facts: FieldFacts, column: Column, found: FoundNumbers) -> None:
    places = np.flatnonzero(found.is_number)
    if 2 * len(places) <= facts.filled or (found.is_plain and found.styles):
        return
    values, scale = found.amounts.values[places], found.amounts.scale
    facts.kind = "number" if scale else "whole number"
    facts.numbers = len(places)
    facts.not_a_number = facts.filled - len(places)
    facts.negative = int(np.count_nonzero(values < 0))
    facts.zero = int(np.count_nonzero(values == 0))
    facts.positive = len(places) - facts.negative - facts.zero
    least, greatest = int(values.argmin()), int(values.argmax())
    facts.least, facts.greatest = (
        decimal_text(int(values[at]), scale) for at in (least, greatest)
    )
    ends = taken(column, places[[least, greatest]]).to_pylist()
    facts.least_written, facts.greatest_written = ends
    amounts = found.amounts._replace(values=values)
    facts.sum = decimal_text(total_of(amounts), scale)
    ranked = sorted(found.styles.items(), key=lambda pair: -pair[1].size)
    facts.written = tuple(dict.fromkeys(style.example for style, _ in ranked))
    facts.look_alikes, facts.look_alike_example = 0, ()


def _settle_dates(
    facts: FieldFacts, table: Table, way: Way | ListWay, column: Column
) -> None:
    if isinstance(way, ListWay):
        found = way.dates(column)
        if found.doubts is not None or {*found.styles} <= {ISO}:
            return
        moments, is_date, styles = found.moments, found.is_date, found.styles
    else:
        moments, is_date, *_ = read_dates(table, facts.field)
        styles = {}
    places = np.flatnonzero(is_date)
    if 2 * len(places) <= facts.filled:
        return
    values = moments.values[places]
    ends = [int(values.argmin()), int(values.argmax())]
    facts.kind = "date"
    facts.least, facts.greatest = (
        moment_text(int(values[at]), bool(moments.timed[places[at]])) for at in ends
    )
    facts.least_written, facts.greatest_written = taken(
        column, places[ends]
    ).to_pylist()
    ranked = sorted(styles.items(), key=lambda pair: -pair[1].size)
    if len(ranked) > 1 or facts.dates is None:
        facts.written = tuple(dict.fromkeys(style.example for style, _ in ranked))
