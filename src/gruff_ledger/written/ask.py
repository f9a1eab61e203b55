"""What is said of how a field is read, and what is asked where that is open."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import NoReturn

from gruff_ledger.cells.dates.shapes import DAY_FIRST, MONTH_FIRST, DateStyle
from gruff_ledger.cells.groups import Group
from gruff_ledger.cells.numbers.found import Style
from gruff_ledger.cells.numbers.shapes import shape_of
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.words import counted, listed
from gruff_ledger.written.way import READ_AS

_MOST_STYLES = 4


class InDoubt(BadTerms):
    """Cells that could be two values, or that cannot be added up as they are."""


def note_styles(
    heading: str, styles: Mapping[Style, Group] | Mapping[DateStyle, Group]
) -> Note:
    """
    Say in which ways a field is read, with how many cells have each.

    The way of most comes first.
    """
    counts: dict[str, int] = {}
    for style, group in styles.items():
        example = _with_group(style, styles).example
        counts[example] = counts.get(example, 0) + group.size
    ranked = sorted(counts.items(), key=lambda pair: -pair[1])
    told = [
        f"{example} ({counted(size, 'cell', 'cells') if not place else f'{size:,}'})"
        for place, (example, size) in enumerate(ranked)
    ]
    if len(told) > _MOST_STYLES:
        rest = len(told) - _MOST_STYLES
        told = [*told[:_MOST_STYLES], f"{counted(rest, 'other form', 'other forms')}"]
    return Note(
        f"{heading} is read as {listed(told)}.",
        f"To read it differently, give an example in `written`: '{heading}=…'.",
        topic=READ_AS,
    )


def _with_group(
    style: Style | DateStyle, styles: Collection[Style] | Collection[DateStyle]
) -> Style | DateStyle:
    """Return a way of numbers with the group mark of those like it, if there is one."""
    if not isinstance(style, Style) or style.group or not style.decimal:
        return style
    groups = {
        other.group
        for other in styles
        if isinstance(other, Style)
        and other.group
        and (other.decimal, other.currency) == (style.decimal, style.currency)
    }
    return style._replace(group=groups.pop()) if len(groups) == 1 else style


def ask_of_marks(
    table: Table,
    heading: str,
    mark: str,
    doubt: Group,
    styles: Mapping[Style, Group],
) -> NoReturn:
    """Raise that a lone point or comma before three digits could be two things."""
    text = table.cells(heading)[doubt.first].as_py()
    shape = shape_of(text)
    assert shape is not None
    name = "point" if mark == "." else "comma"
    other = "," if mark == "." else "."
    cells = counted(doubt.size, "cell", "cells")
    proven = [style.example for style in styles if style.decimal or style.group]
    beside = f" beside {listed(proven[:_MOST_STYLES])}" if proven else ""
    raise InDoubt(
        f"'{heading}' could be two numbers in {cells}{beside}: '{text}' is "
        f"{shape.value:f} or {shape.grouped_value:f}. Nothing was done.",
        f"Say what the {name} is: `written` '{heading}=1{mark}234{other}5' if it parts "
        f"thousands, '{heading}=1234{mark}5' if decimals follow it.",
        file=table.name,
        field=heading,
        record=int(table.places.record[doubt.first]),
        term="written",
    )


def check_currencies(
    table: Table, heading: str, currencies: Mapping[str, Group]
) -> None:
    """
    Refuse to work on amounts of several currencies as one.

    Raises
    ------
    InDoubt
    """
    if len(currencies) < 2:
        return
    told = listed(
        [f"{code} ({group.size:,})" for code, group in list(currencies.items())[:8]]
    )
    raise InDoubt(
        f"'{heading}' holds amounts of several currencies: {told}. Nothing was done.",
        "Put the currency in a field of its own first: gruff scrub with `currency-to`; "
        "then pick or add up each currency by itself.",
        file=table.name,
        field=heading,
        term="written",
    )


def ask_of_dates(
    table: Table, heading: str, doubts: Group, proofs: Mapping[str, Group]
) -> NoReturn:
    """Raise that dates could have the day or the month first."""
    column = table.cells(heading)
    text = column[doubts.first].as_py()
    cells = counted(doubts.size, "cell", "cells")
    if len(proofs) == 2:
        day, month = (proofs[order] for order in (DAY_FIRST, MONTH_FIRST))
        why = (
            f"'{column[day.first].as_py()}' has the day first "
            f"({counted(day.size, 'such cell', 'such cells')}), "
            f"'{column[month.first].as_py()}' the month ({month.size:,})"
        )
    else:
        why = "no cell has a day over 12"
    raise InDoubt(
        f"'{heading}' could be two dates in {cells}, such as '{text}': {why}. Nothing "
        "was done.",
        f"Say which comes first: `written` '{heading}={_shown(text, DAY_FIRST)}' for "
        f"the day, '{heading}={_shown(text, MONTH_FIRST)}' for the month.",
        file=table.name,
        field=heading,
        record=int(table.places.record[doubts.first]),
        term="written",
    )


def _shown(text: str, order: str) -> str:
    """Return a date with a day over 12, written as a cell is, in an order."""
    from gruff_ledger.cells.dates.shapes import date_shape

    shape = date_shape(text)
    assert shape is not None
    return shape.style._replace(order=order).example
