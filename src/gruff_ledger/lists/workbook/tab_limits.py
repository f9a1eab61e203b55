"""What tabs of workbooks can be: their names, how much they hold, how wide they are."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

import numpy as np

from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.types import Column
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.table import Table

# The limits of the formats, and of the programs that open them.
MOST_ROWS, MOST_COLUMNS, MOST_CHARACTERS = 1_048_576, 16_384, 32_767
MOST_TAB_CHARACTERS = 31

_FORBIDDEN_IN_TABS = late_pattern(r"[\[\]:*?/\\\x00-\x1f]")

# Characters that no XML document can hold (XML 1.0, 2.2); XLSX has escapes for some.
UNWRITABLE = late_pattern("[\ufffe\uffff]")
UNWRITABLE_IN_XML = late_pattern("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
_CONTROLS = np.zeros(256, np.bool_)
_CONTROLS[:32] = True
_CONTROLS[[9, 10, 13]] = False

_WIDEST_COLUMN = 60
_MEASURED_RECORDS = 500


def check_tab_name(name: str) -> str:
    """Return the name of a tab, after it was found to be one that a tab can have."""
    wrong = _FORBIDDEN_IN_TABS.search(name)
    if wrong or name.startswith("'") or name.endswith("'") or not name.strip():
        raise UnwritableOutput(
            f"'{name}' cannot be the name of a tab.",
            "Tabs have no names with [ ] : * ? / \\ in them, nor an apostrophe at an "
            "end. Name one with #sheet=NAME.",
        )
    if len(name) > MOST_TAB_CHARACTERS or name.casefold() == "history":
        raise UnwritableOutput(
            f"'{name}' cannot be the name of a tab: it is "
            + (
                f"{len(name)} characters long, and {MOST_TAB_CHARACTERS} are the most."
                if len(name) > MOST_TAB_CHARACTERS
                else "kept for the program that opens it."
            ),
            "Name another with #sheet=NAME.",
        )
    return name


def free_tab_name(name: str, taken: Sequence[str]) -> str:
    """Return a name that no tab has yet; names differ in more than case."""
    folded = {each.casefold() for each in taken}
    found, number = name, 1
    while found.casefold() in folded:
        number += 1
        found = f"{name} {number}"
    return found


def parts_as_tabs(
    parts: Sequence[tuple[str, Table]], *, further: bool
) -> list[tuple[str, Table]]:
    """
    Return lists as the tabs that they go to.

    Parameters
    ----------
    parts : sequence of (name, Table)
    further : bool
        Whether a list that is longer than a tab goes on in further ones.

    Raises
    ------
    UnwritableOutput
        If a name is none that a tab can have.
    """
    names = [check_tab_name(name) for name, _ in parts]
    taken = list(names)
    made: list[tuple[str, Table]] = []
    most = MOST_ROWS - 1
    for name, (_, table) in zip(names, parts, strict=True):
        if not further or len(table) <= most:
            made.append((name, table))
            continue
        for start in range(0, len(table), most):
            tab = name
            if start:
                tab = free_tab_name(name[: MOST_TAB_CHARACTERS - 4], taken)
                taken.append(tab)
            stop = min(start + most, len(table))
            made.append((tab, table.cut_records(start, stop)))
    return made


def check_size(
    name: str, table: Table, unwritable: re.Pattern[str] = UNWRITABLE
) -> None:
    """Refuse a list that no tab can hold."""
    for count, most, noun in (
        (len(table) + 1, MOST_ROWS, "rows"),
        (len(table.headings), MOST_COLUMNS, "columns"),
    ):
        if count > most:
            raise UnwritableOutput(
                f"the list '{name}' would take {count:,} {noun}, and a tab has "
                f"{most:,} at the most. Nothing was written.",
                "Give `further-tabs true` to go on in further tabs, or write it as "
                "delimited text."
                if noun == "rows"
                else "Write it as delimited text, or in parts.",
            )
    controls = unwritable is not UNWRITABLE
    for heading, column in zip(table.headings, table.all_cells, strict=True):
        for number, text in _doubtful(heading, column, controls=controls):
            # The format counts in units of UTF-16.
            length = len(text.encode("utf-16-le")) // 2
            if length > MOST_CHARACTERS:
                raise UnwritableOutput(
                    f"a cell of the list '{name}' is {length:,} characters long, and a "
                    f"cell of a workbook has {MOST_CHARACTERS:,} at the most. Nothing "
                    "was written.",
                    "Shorten it, or write the list as delimited text.",
                    record=number or None,
                    field=heading,
                )
            wrong = unwritable.search(text)
            if wrong:
                raise UnwritableOutput(
                    f"a cell of the list '{name}' holds a character "
                    f"(U+{ord(wrong[0]):04X}) that a workbook cannot. Nothing was "
                    "written.",
                    "Take it out, or write the list as "
                    f"{'XLSX or ' if controls else ''}delimited text.",
                    record=number or None,
                    field=heading,
                )


def _doubtful(
    heading: str, column: Column, *, controls: bool
) -> Iterator[tuple[int, str]]:
    """Yield the heading and the cells that may be too much; their numbers from 1."""
    yield 0, heading
    start = 0
    for chunk in text_chunks(column):
        lengths = np.diff(chunk.offsets)
        for place in np.flatnonzero(lengths > MOST_CHARACTERS).tolist():
            yield start + place + 1, chunk.array[place].as_py()
        # Both characters begin with these two bytes in UTF-8.
        at = np.flatnonzero(chunk.bytes[:-1] == 0xEF)
        if len(at):
            at = at[chunk.bytes[at + 1] == 0xBF]
            cells = np.unique(np.searchsorted(chunk.offsets, at, "right") - 1)
            for place in cells.tolist():
                yield start + place + 1, chunk.array[place].as_py()
        at = np.flatnonzero(_CONTROLS[chunk.bytes]) if controls else at[:0]
        for place in np.unique(np.searchsorted(chunk.offsets, at, "right") - 1):
            yield start + int(place) + 1, chunk.array[int(place)].as_py()
        start += len(chunk.array)


def width_of(heading: str, column: Column) -> float:
    """Return how wide a column should be, in characters."""
    first = column.slice(0, _MEASURED_RECORDS).to_pylist()
    longest = max((len(cell) for cell in first), default=0)
    return float(min(_WIDEST_COLUMN, max(longest, min(len(heading), 24), 6) + 2))
