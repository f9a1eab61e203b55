"""What becomes of work on cells that cannot be read as numbers or dates.

A figure or an order that leaves filled cells out says so; where most of the filled
cells of a field cannot be read, the work is refused.
"""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.kinds import dates_in_figures
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Mask
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table

_REMEDIES = {
    "number": "Show in `written` how they are written, as in '{field}=1.234,56 €'; or "
    "name another field.",
    "date": "Show in `written` how they are written, as in '{field}=31/12/2026'; or "
    "name another field.",
}


def check_readable(
    table: Table,
    heading: str,
    bad: Mask,
    filled: int,
    kind: str,
    term: str,
    becomes: str,
) -> tuple[Note, ...]:
    """
    Refuse a field that is mostly unreadable; say how many cells are left out.

    Parameters
    ----------
    table : Table, n records
    heading : str
    bad : ndarray of bool, shape (n,)
        The filled cells that cannot be read.
    filled : int
        How many cells are filled.
    kind : str
        ``number`` or ``date``.
    term : str
        What named the field.
    becomes : str
        What becomes of such cells, as ``not in the order``.

    Returns
    -------
    tuple of Note
        One at the most, to stand before all others.

    Raises
    ------
    BadTerms
        If more than half of the filled cells cannot be read.
    """
    count = int(np.count_nonzero(bad))
    if not count:
        return ()
    are, a_kind, they = "are", f"{kind}s", "they"
    if count == 1:
        are, a_kind, they = "is", f"a {kind}", "it"
    said = f"{count:,} of {filled:,} filled cells of '{heading}' {are} not {a_kind}"
    if count * 2 > filled:
        cells = filter_column(table.cells(heading), bad)
        first = cells.slice(0, 1).to_pylist()[0]
        if kind == "number" and dates_in_figures(cells).count * 2 > count:
            said += ", but dates"
            kind = "date"
        raise BadTerms(
            f"{said}, such as '{first}'. Nothing was done.",
            _REMEDIES[kind].format(field=heading),
            term=term,
            field=heading,
        )
    said += f"; {they} {are} {becomes}."
    value = filter_column(table.cells(heading), bad)
    return (Note(said, "", table.origin.pick(bad), value, warning=True),)
