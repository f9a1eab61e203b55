"""Tables that a text or a page has: which of them an address means, and reading one."""

from __future__ import annotations

import fnmatch
from collections.abc import Callable, Sequence
from itertools import zip_longest
from typing import Any

import msgspec
import numpy as np

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.credentials import readable
from gruff_ledger.lists.address import Fragment, is_pattern
from gruff_ledger.lists.bounds import unknown_part
from gruff_ledger.lists.laid_out.whole_text import WholeText, whole_text
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened, hash_of
from gruff_ledger.lists.workbook.grid import Grid, read_grid
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.words import counted, first_few

# The headings and tables that a message names.
_SHOWN_HEADINGS = 4
_SHOWN_TABLES = 6


class FoundTable(msgspec.Struct, frozen=True):
    """
    A table of a text or a page.

    Attributes
    ----------
    number : int
        Which it is, from 1.
    name : str
        Its caption, or the heading above it.
    rows : list of list of str
        The heading row first.
    first_row : int
        What the heading row counts as, so that record n is in row `first_row` + n.
    """

    number: int
    name: str
    rows: list[list[str]]
    first_row: int

    @property
    def width(self) -> int:
        """How many columns it has."""
        return max(map(len, self.rows), default=0)

    @property
    def is_list(self) -> bool:
        """Whether it may be a list, and not what a page is laid out by."""
        return len(self.rows) > 1 and self.width > 1

    def has_heading(self, heading: str) -> bool:
        """Whether a cell of its first row is so called."""
        wanted = " ".join(heading.split()).casefold()
        return any(" ".join(cell.split()).casefold() == wanted for cell in self.rows[0])

    def words(self) -> str:
        """Name it for a person: by number, caption or headings, and size."""
        filled = [f"'{readable(cell)}'" for cell in self.rows[0] if not is_blank(cell)]
        told = f"'{readable(self.name)}'" if self.name else ""
        told = told or first_few(filled, _SHOWN_HEADINGS) or "no headings"
        return f"{self.number} ({told}; {counted(len(self.rows), 'row')})"


class TablesIn(msgspec.Struct, frozen=True, eq=False):
    """All tables of a source, and how its text is written."""

    tables: list[FoundTable]
    text: WholeText


Finder = Callable[[str], list[FoundTable]]


def tables_in(opened: Opened, stated: str | None, find: Finder) -> TablesIn:
    """
    Return the tables of a source; it is read once for all of them.

    Raises
    ------
    UnreadableSource
        If there is none, or it is not text.
    """
    key = f"tables in {stated}"
    known: TablesIn | None = opened.memo.get(key)
    if known is None:
        text = whole_text(opened, stated, hashed=False)
        tables = [each for each in find(text.data.decode("utf-8")) if each.rows]
        known = opened.memo[key] = TablesIn(tables, text)
    if not known.tables:
        raise UnreadableSource(
            "there is no table in it.",
            "If it is a list in another form, give `format`.",
            file=opened.address,
        )
    return known


def chosen_tables(
    opened: Opened, tables: Sequence[FoundTable], fragment: Fragment
) -> tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]:
    """
    Tell which tables an address means.

    Parameters
    ----------
    opened : Opened
    tables : sequence of FoundTable
    fragment : Fragment
        Its `table` is a number from 1, a caption, a heading that the table has, or a
        pattern of captions; None for the first that looks like a list.

    Raises
    ------
    UnreadableSource
        If there is no such table, or several have the heading.
    """
    wanted = fragment.table
    notes: tuple[Note, ...] = ()
    lists = [each for each in tables if each.is_list] or list(tables)
    if wanted is None:
        chosen = lists[:1]
        if len(tables) > 1:
            others = [each.words() for each in tables if each is not chosen[0]]
            notes = (
                Note(
                    f"{opened.name}: it has {len(tables)} tables; table "
                    f"{chosen[0].words()} was read, and not "
                    f"{first_few(others, _SHOWN_TABLES)}.",
                    "To read another, name it at the end of the address: #table=2 or "
                    "#table=HEADING; #table=* for all.",
                ),
            )
    elif wanted.isdecimal() and not any(each.name == wanted for each in tables):
        chosen = [each for each in tables if each.number == int(wanted)]
    elif is_pattern(wanted):
        folded = wanted.casefold()
        chosen = [
            each for each in lists if fnmatch.fnmatchcase(each.name.casefold(), folded)
        ]
    else:
        folded = wanted.strip().casefold()
        chosen = [each for each in tables if each.name.casefold() == folded]
        chosen = chosen or [each for each in tables if each.has_heading(wanted)]
        if len(chosen) > 1:
            told = first_few([each.words() for each in chosen], _SHOWN_TABLES)
            raise UnreadableSource(
                f"{len(chosen)} tables are called '{readable(wanted)}' or have such a "
                f"heading: {told}.",
                "Name one by its number, as in #table=2.",
                file=opened.address,
            )
    if not chosen:
        names = [each.name or str(each.number) for each in tables]
        raise unknown_part(opened, "table", wanted or "", names)
    return (
        tuple(
            (
                _label(each, chosen),
                msgspec.structs.replace(fragment, table=str(each.number)),
            )
            for each in chosen
        ),
        notes,
    )


def _label(table: FoundTable, chosen: Sequence[FoundTable]) -> str:
    """Return what tells a table from the others that an address means."""
    if len(chosen) == 1:
        return ""
    same = sum(each.name == table.name for each in chosen)
    return table.name if table.name and same == 1 else f"table {table.number}"


def read_table(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    found: TablesIn,
    *,
    format_name: str,
    source: int,
    hashed: bool,
) -> Reading:
    """
    Read one of the tables of a source.

    Raises
    ------
    UnreadableSource
    """
    if fragment.table is None or not fragment.table.isdecimal():
        ((_, fragment),), _ = chosen_tables(opened, found.tables, fragment)
    number = int(fragment.table or "0")
    table = next((each for each in found.tables if each.number == number), None)
    if table is None:
        names = [str(each.number) for each in found.tables]
        raise unknown_part(opened, "table", str(number), names)
    columns = [text_column(cells) for cells in zip_longest(*table.rows, fillvalue="")]
    told: dict[str, Any] = {**found.text.written(), "table": table.name or str(number)}
    grid = Grid(
        tuple(columns),
        (np.zeros(len(table.rows), np.bool_),) * len(columns),
        table.first_row,
        1,
        told,
        lambda place: ((), ()),
    )
    return read_grid(
        grid,
        opened,
        terms,
        fragment,
        format_name=format_name,
        source=source,
        sha256=hash_of(opened) if hashed else None,
    )
