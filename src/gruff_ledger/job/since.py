"""What is new, gone and changed in a result since it was last written.

The result that is there is read once more before it is replaced, and compared with the
new one: by the key that the docket names for it, else record by record as a whole.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from gruff_ledger.account.ledger import Since
from gruff_ledger.field_names import format_names
from gruff_ledger.job.job import OutToWrite
from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.known_formats import Format
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.search import find_lists
from gruff_ledger.problems import Problem
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import Pair
from gruff_ledger.work.together.compare.perform import perform
from gruff_ledger.work.together.compare.terms import CompareTerms

_HEADINGS = ("result", "what", "record", "field", "was", "now")

_NOT_THERE = "it was not there before"

# The first field of a comparison holds one of these; see `compare`.
_NEW, _GONE, _NOW = "only second", "only first", "now"


def since_table_before(out: OutToWrite, before: Table | None, now: Table) -> Since:
    """Compare what was in a table of a database with what was written to it."""
    if before is None:
        return Since(out.address, said=_NOT_THERE)
    return _compare_results(out, before, now)


def since_last(out: OutToWrite, found: Format, now: Path) -> Since:
    """
    Compare a result that is still there with the one that will replace it.

    Both are read in the same way, so that only what a reader of the files could see
    is told.

    Parameters
    ----------
    out : OutToWrite
    found : Format
        The format of both.
    now : Path
        Where the new one is written, beside its place.

    Returns
    -------
    Since
        What cannot be compared says why.
    """
    assert isinstance(out.path, Path)
    if not out.path.is_file():
        return Since(out.address, said=_NOT_THERE)
    if not found.reader:
        return Since(out.address, said=f"{found.words} is not read back")
    try:
        return _compare_results(
            out, *(_read_back(out, found, at) for at in (out.path, now))
        )
    except Problem as problem:
        return Since(
            out.address, said=f"it cannot be compared: {problem.what.rstrip('.')}"
        )


def _read_back(out: OutToWrite, found: Format, path: Path) -> Table:
    """Read a result as it was written: its heading is in the first row."""
    is_text = found.name == "delimited"
    terms = ReadingTerms(
        format_=found.name,
        delimiter=out.terms.delimiter if is_text else None,
        encoding="utf-8" if is_text else None,
        skip_rows=0 if is_text else None,
    )
    place = str(path)
    if out.part is not None:
        kind = "table" if found.name == "sqlite" else "sheet"
        place = f"{place}#{kind}={out.part}"
    (listed,) = find_lists(place, name="the result", terms=terms)
    return read_list(listed.opened, listed.address, terms, source=0, hashed=False).table


def _compare_results(out: OutToWrite, before: Table, table: Table) -> Since:
    key = tuple(out.key)
    if not key and before.headings != table.headings:
        return Since(
            out.address,
            said="its fields differ from before; name its key in 'key' to compare "
            "those that are still there",
        )
    terms = CompareTerms(key=tuple(Pair(format_names([name])) for name in key))
    done = perform(terms, before.renamed("before"), table.renamed("now"))
    marks = done.table.all_cells[0].to_pylist()
    headings = [name for name in (key or table.headings) if name in done.table.headings]
    named = [done.table.cells(name).to_pylist() for name in headings]
    told = [
        (what, _as_line([cells[at] for cells in named]), "", "", "")
        for at, mark in enumerate(marks)
        for what in ({_NEW: "new", _GONE: "gone"}.get(mark),)
        if what is not None
    ]
    cells = 0
    if key:
        changed = done.beside["changed"]()
        cells = len(changed)
        told += [
            ("changed", _as_line(names), field, was, now)
            for *names, field, was, now, _, _ in changed.records()
        ]
    return Since(
        out.address,
        new=marks.count(_NEW),
        gone=marks.count(_GONE),
        changed=marks.count(_NOW),
        cells=cells,
        rows=tuple(told),
    )


def _as_line(cells: Sequence[str]) -> str:
    if len(cells) == 1:
        return cells[0]
    line = io.StringIO()
    csv.writer(line, lineterminator="").writerow(cells)
    return line.getvalue()


def since_table(since: Sequence[Since]) -> Table:
    """Return all that is new, gone and changed as a list."""
    return Table.of_records(
        _HEADINGS,
        [(each.address, *row) for each in since for row in each.rows],
        name="the ledger",
    )
