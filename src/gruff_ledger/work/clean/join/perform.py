"""What `join` does."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.text.room import TextRoom, TooMuchText
from gruff_ledger.cells.text.templates import by_template, cells_where
from gruff_ledger.cells.text.weave import by_stretches, repeated, woven
from gruff_ledger.cells.text_bytes import Chunk
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.columns.types import Column
from gruff_ledger.field_names import find_field, find_fields
from gruff_ledger.outcome import Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.words import counted, listed, number_words
from gruff_ledger.work.clean.join.terms import JoinTerms
from gruff_ledger.work.new_fields import chosen_place, with_new_fields


def perform(terms: JoinTerms, table: Table) -> Outcome:
    """
    Join several fields into one.

    Parameters
    ----------
    terms : JoinTerms
    table : Table, n records

    Raises
    ------
    UnknownField
        If a field is named that the list does not have.
    BadTerms
        If the new field's heading is there already.
    """
    notes: tuple[Note, ...] = ()
    if terms.template is None:
        sources, notes = find_fields(table, terms.fields, "fields")
        columns = [table.cells(heading) for heading in sources]
        between = [text_column([terms.separator])] * (len(columns) - 1)
        _check_room(table, [*columns, *between], "separator")
        column = with_separator(columns, terms.separator, keep_blank=terms.keep_blank)
    else:
        parts = []
        for text, is_field in terms.template_parts():
            if is_field:
                text, said = find_field(table, text, "template")
                notes += tuple(each for each in said if each not in notes)
            parts.append((text, is_field))
        sources = tuple(dict.fromkeys(text for text, is_field in parts if is_field))
        columns = [table.cells(heading) for heading in sources]
        pieces = [
            table.cells(text) if is_field else text_column([text])
            for text, is_field in parts
        ]
        _check_room(table, pieces, "template")
        column = by_template(
            [sources.index(text) if is_field else text for text, is_field in parts],
            columns,
        )
    at, said = chosen_place(
        table,
        first=terms.first,
        after=terms.after,
        otherwise=min(map(table.headings.index, sources)),
    )
    dropped = () if terms.keep else sources
    new = [(terms.heading, column)]
    result, changes = with_new_fields(table, new, at, dropped, term="heading")
    filled = len(table) - int(np.count_nonzero(blank_mask(column)))
    what = f"{terms.heading} is filled in {number_words(filled)} of "
    what += f"{counted(len(table), 'record')}, from {listed(sources)}."
    return Outcome(
        result, changes=changes, notes=(Note(what, is_headline=True), *notes, *said)
    )


def _check_room(table: Table, pieces: Sequence[Column], term: str) -> None:
    """Refuse a field that would take far more than the list does."""
    try:
        TextRoom(table).check_joined(pieces, len(table))
    except TooMuchText as error:
        raise BadTerms(
            f"{error.said}.", "Join fewer or shorter texts.", term=term
        ) from None


def with_separator(
    columns: Sequence[Column], separator: str, *, keep_blank: bool = False
) -> Column:
    """
    Join the cells of each record that are not blank; or all, where some are not.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> one, other = text_column(["Ann", ""]), text_column(["Lee", "Roe"])
    >>> with_separator([one, other], ", ").to_pylist()
    ['Ann, Lee', 'Roe']
    """
    filled = [~blank_mask(column) for column in columns]
    if keep_blank:
        filled = [np.logical_or.reduce(filled)] * len(columns)

    def of_stretch(chunks: list[Chunk], where: slice) -> list[Any]:
        parts = []
        before = np.zeros(len(chunks[0].array), np.bool_)
        for chunk, mask in zip(chunks, filled, strict=True):
            mine = mask[where]
            parts.append(repeated(separator, before & mine))
            parts.append(cells_where(chunk, mine))
            before |= mine
        return [woven(parts)]

    (column,) = by_stretches(columns, of_stretch)
    return column
