"""The ways in which fields are written: said by a person, or found out from a list."""

from __future__ import annotations

import functools
from typing import TYPE_CHECKING

import msgspec

from gruff_ledger.columns.types import Column
from gruff_ledger.table import Table

# Most lists are worked on without reading a number or a date.
if TYPE_CHECKING:
    from gruff_ledger.cells.dates.found import FoundDates
    from gruff_ledger.cells.dates.shapes import DateStyle
    from gruff_ledger.cells.numbers.forms import NumberForm
    from gruff_ledger.cells.numbers.found import FoundNumbers


# What a note on how a field is read is about.
READ_AS = "how a field is read"


class Way(msgspec.Struct, frozen=True):
    """
    One way, or several, in which the cells of a field are written.

    Attributes
    ----------
    examples : tuple of str
        As they were given.
    numbers : tuple of NumberForm
        Empty where the field holds no numbers.
    dates : tuple of DateStyle
    patterns : tuple of str
        Patterns of LDML for dates.
    is_strict : bool
        Whether dates of ISO 8601 are not read beside what is stated.
    """

    examples: tuple[str, ...] = ()
    numbers: tuple[NumberForm, ...] = ()
    dates: tuple[DateStyle, ...] = ()
    patterns: tuple[str, ...] = ()
    is_strict: bool = False

    @property
    def holds_dates(self) -> bool:
        """Whether the field is one of dates."""
        return bool(self.dates or self.patterns)

    @property
    def words(self) -> str:
        """The examples, as they are told."""
        return ", ".join(self.examples)


class ListWay:
    """
    The way of a field that nobody spoke of: what its list proves, once that is asked.

    It holds the cells of the whole list, so that what they prove is true of the records
    that are left of it, too.

    Parameters
    ----------
    column : Column
    """

    def __init__(self, column: Column) -> None:
        self._column = column

    @functools.cached_property
    def _numbers(self) -> FoundNumbers:
        from gruff_ledger.cells.numbers.found import find_numbers

        return find_numbers(self._column)

    @functools.cached_property
    def _dates(self) -> FoundDates:
        from gruff_ledger.cells.dates.found import find_dates

        return find_dates(self._column)

    def numbers(self, cells: Column) -> FoundNumbers:
        """Read some cells of the list as numbers."""
        if cells is self._column:
            return self._numbers
        from gruff_ledger.cells.numbers.found import find_numbers

        return find_numbers(cells, self._numbers.roles)

    def dates(self, cells: Column) -> FoundDates:
        """Read some cells of the list as dates."""
        if cells is self._column:
            return self._dates
        from gruff_ledger.cells.dates.found import find_dates

        return find_dates(cells, order=self._dates.order)


def kind_said(table: Table, heading: str) -> str:
    """Return what a person said that a field holds: number, date, or nothing."""
    ways = [way for way in table.writing(heading).ways if isinstance(way, Way)]
    if not ways or len(ways) < len(table.writing(heading).ways):
        return ""
    return "date" if ways[0].holds_dates else "number"
