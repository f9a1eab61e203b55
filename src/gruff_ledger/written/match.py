"""Keys that match by what they mean: numbers and dates in their plain form."""

from __future__ import annotations

from collections.abc import Sequence

from gruff_ledger.columns.types import Column
from gruff_ledger.outcome import Note
from gruff_ledger.table import Table

# The levels that match by what a cell means.
_MEANT = ("number", "date")


def key_columns(
    table: Table,
    headings: Sequence[str],
    levels: Sequence[str],
    *,
    whole: bool = False,
) -> tuple[list[Column], tuple[Note, ...]]:
    """
    Return the key fields of a list, ready to be folded at their levels.

    Parameters
    ----------
    table : Table
    headings, levels : sequence of str
    whole : bool
        Whether these are all fields of the list, of which not all hold such values.

    Returns
    -------
    columns : list of Column
        Those that match by number or date with these in the plain form, whatever way
        the list writes them; all others as they are.
    notes : tuple of Note
        How fields were read.

    Raises
    ------
    BadTerms
        If cells of such a field could be two values.
    """
    columns: list[Column] = []
    notes: tuple[Note, ...] = ()
    for heading, level in zip(headings, levels, strict=True):
        if level in _MEANT:
            # Most keys match as they are, and nothing that reads them is loaded.
            from gruff_ledger.written.plain_form import meant_cells

            column, said = meant_cells(table, heading, level, whole=whole)
            notes += said
        else:
            column = table.cells(heading)
        columns.append(column)
    return columns, notes
