"""How outputs are written: their format, what can be chosen of it, and guarding.

An output's address is a path, for a workbook with ``#sheet=NAME`` and for a database
with ``#table=NAME``; several outs with one path become the tabs or tables of one file.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO
from urllib.parse import unquote

import msgspec
import numpy as np

from gruff_ledger.columns.arrays import concat_columns, filter_column, text_column
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.credentials import holds_credentials, readable
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.address import (
    Server,
    check_no_password,
    is_server,
    packing_of,
    without_packing,
)
from gruff_ledger.lists.formats import format_to_write, writer_of
from gruff_ledger.lists.known_formats import FORMATS, SPECIAL_WRITING, Format
from gruff_ledger.lists.output import Output, WritingTerms
from gruff_ledger.lists.packing.streams import packing_sink
from gruff_ledger.lists.reading import NO_KINDS, Kinds
from gruff_ledger.outcome import Change, Finding
from gruff_ledger.problems import BadTerms, UnwritableOutput
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import plain

# Put before such a text: spreadsheet programs then show all of it as text.
_GUARD = "'"

# A scheme; of what follows it, a path has kept one slash.
_ADDRESS = late_pattern(r"[a-z][a-z0-9+.-]+:/", re.IGNORECASE)

_PART = late_pattern(r"(.+)#(sheet|table)=(.+)", re.DOTALL)


def split_part(address: str) -> tuple[str, str | None]:
    """
    Part an output's address into its path and the tab or table it names.

    Examples
    --------
    >>> split_part("out/book.xlsx#sheet=May")
    ('out/book.xlsx', 'May')
    """
    match = _PART.fullmatch(address)
    if match and is_server(address):
        return match[1], unquote(match[3])
    return (match[1], match[3]) if match else (address, None)


def output_place(place: str, folder: Path) -> Path | Server:
    """Return where an output goes: a path, or a database on a server."""
    if is_server(place):
        check_no_password(place)
        return Server(place)
    if _ADDRESS.match(place) or holds_credentials(place):
        raise UnwritableOutput(
            "it is an address, and results go to files.",
            "Give a path, or a table on a server as in "
            "postgresql://HOST/DATABASE#table=NAME.",
            file=place,
        )
    return folder / place


def check_output(
    path: Path | Server, terms: WritingTerms, parts: Sequence[str | None]
) -> Format:
    """
    Check that some lists can go to one file.

    Raises
    ------
    UnwritableOutput
        If the format cannot be written, or holds one list only and there are more.
    BadTerms
        If terms are stated that the format does not have.
    """
    found = format_to_write(str(path), terms.format_)
    if terms.widths and terms.format_ is None and found.name == "delimited":
        found = FORMATS["fixed-width"]
    if found.is_server and terms.format_ is not None:
        raise BadTerms(
            f"{found.words} is not a file, and has no other format.",
            "Leave it out.",
            file=str(path),
            term="format",
        )
    if len(parts) > 1 and not found.several:
        raise UnwritableOutput(
            "two outputs would be written to it.",
            "Give each a file of its own.",
            file=str(path),
        )
    if any(parts) and not found.several:
        raise UnwritableOutput(
            f"{found.words} has no tabs or tables to name.",
            "Leave out what follows the '#'.",
            file=str(path),
        )
    named = [part.casefold() for part in parts if part is not None]
    if len(parts) > 1 and len(set(named)) < len(parts):
        raise UnwritableOutput(
            "several outputs go to it, and not each to a tab or table of its own.",
            "End each path with #sheet=NAME (or #table=NAME), with different names.",
            file=str(path),
        )
    stated = plain(terms)
    for key in SPECIAL_WRITING:
        if key in stated and key not in found.written_as:
            raise BadTerms(
                f"{found.words} has no such thing.",
                "Leave it out, or write another format.",
                file=str(path),
                term=key,
            )
    return found


def write_parts(
    path: Path,
    found: Format,
    parts: Sequence[tuple[str | None, Table]],
    terms: WritingTerms,
    sink: BinaryIO,
    findings: Sequence[Finding] = (),
    source_names: Sequence[str] = (),
    kinds: Kinds = NO_KINDS,
) -> None:
    """
    Write lists to one file.

    Parameters
    ----------
    path : Path
        Its name is that of a tab or table for which none is stated.
    found : Format
    parts : sequence of (name, Table)
    terms : WritingTerms
    sink : binary file
    findings : sequence of Finding, optional
        On records that may be in the lists: shown by formats that can.
    source_names : sequence of str, optional
        Of the sources that findings and records come from.
    kinds : mapping, optional
        What values of the one list were in sources of JSON, for that format.

    Raises
    ------
    UnwritableOutput
        If the format cannot hold what a list holds.
    BadTerms
        If terms do not fit the list, such as widths that are fewer than its fields.
    """
    bare = Path(without_packing(str(path)))
    named = [(name or readable(bare.stem), table) for name, table in parts]
    output = Output(named, terms, bare, findings, source_names, kinds)
    try:
        with packing_sink(sink, packing_of(str(path))) as packed:
            writer_of(found)(output, packed)
    except (BadTerms, UnwritableOutput) as problem:
        raise problem.placed(file=str(path)) from None


def guard(table: Table) -> tuple[Table, tuple[Change, ...]]:
    """
    Put an apostrophe before every text that a spreadsheet program would run.

    Numbers such as ``-12.50`` are left as they are. All else of the list stays.

    Returns
    -------
    table : Table
    changes : tuple of Change, one a field that has such cells
    """
    from gruff_ledger.cells.formula_like import formula_mask

    held = list(table.held)
    changes = []
    for place, heading in enumerate(table.headings):
        column = table.cells(heading)
        mask = formula_mask(column)
        if not mask.any():
            continue
        was = filter_column(column, mask)
        now = text_column(_GUARD + cell for cell in was.to_pylist())
        held[place] = _replaced(column, mask, now)
        changes.append(Change(heading, table.origin.pick(mask), was, now))
    if not changes:
        return table, ()
    return msgspec.structs.replace(table, held=tuple(held)), tuple(changes)


def with_guarded_headings(table: Table) -> Table:
    """Put an apostrophe before every heading that a spreadsheet program would run."""
    from gruff_ledger.cells.formula_like import may_run

    now = {each: _GUARD + each if may_run(each) else each for each in table.headings}
    if all(was == new for was, new in now.items()):
        return table
    return msgspec.structs.replace(
        table,
        headings=tuple(now.values()),
        from_source=frozenset(now[each] for each in table.from_source),
        beneath=now.get(table.beneath, table.beneath),
        figures=frozenset(now[each] for each in table.figures),
    )


def _replaced(column: Column, mask: Mask, now: Column) -> Column:
    from gruff_ledger.columns.arrays import taken

    # The old cells, with the new ones after them: each record takes the right one.
    places = np.arange(len(column), dtype=np.int64)
    places[mask] = len(column) + np.arange(len(now))
    return taken(concat_columns([column, now]), places)
