"""What `card` does."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.match.folded_fields import folded, without_key
from gruff_ledger.cells.match.levels import LEVELS, key_at
from gruff_ledger.columns.arrays import taken, text_column
from gruff_ledger.columns.types import Indices
from gruff_ledger.field_names import find_fields, free_heading
from gruff_ledger.outcome import Lineage, Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.rules.nearest import nearest_values
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.keys.fields import (
    KeyField,
    find_key_fields,
    key_words,
    parse_key_fields,
)
from gruff_ledger.work.together.card.terms import CardTerms
from gruff_ledger.written.match import key_columns

# More records beside each other could not be read.
_MOST_DOWN = 50


def perform(terms: CardTerms, table: Table) -> Outcome:
    """
    Show the records with a key.

    Parameters
    ----------
    terms : CardTerms
    table : Table, n records

    Raises
    ------
    UnknownField
        If the list has not a field that is named.
    BadTerms
        If no key is given, or no record has it.
    """
    fields, notes = find_key_fields(table, parse_key_fields(terms.key, "key"), "key")
    shown, said = find_fields(table, terms.fields or table.headings, "fields")
    if not terms.value:
        raise BadTerms(
            f"no {key_words(fields, terms.match)} was given.",
            "Give it; on a terminal it can be left out and chosen.",
            term="value",
        )
    places = _found(terms, table, fields)
    notes += said
    count = counted(len(places), "record has", "records have")
    values = " / ".join(f"'{value}'" for value in terms.value)
    told = f"{count} {key_words(fields, terms.match)} {values}."
    notes += (Note(told, is_headline=True),)
    if terms.lay == "down":
        result = _down(table, shown, places)
        if len(places) > _MOST_DOWN:
            more = len(places) - _MOST_DOWN
            notes += (
                Note(
                    f"{counted(more, 'more record is', 'more records are')} not shown.",
                    "To see all, give `lay across`.",
                    warning=True,
                ),
            )
    else:
        cells = [taken(table.cells(heading), places) for heading in shown]
        result = Table(shown, tuple(cells), table.origin.pick(places), "the card")
    return Outcome(result, notes=notes, lineage=Lineage(summed=len(table)))


def _found(terms: CardTerms, table: Table, fields: Sequence[KeyField]) -> Indices:
    """Return the records with the key."""
    levels = [field.level or terms.match for field in fields]
    columns, _ = key_columns(table, [field.name for field in fields], levels)
    there = ~without_key(columns, levels)
    for column, level, value, field in zip(
        columns, levels, terms.value, fields, strict=True
    ):
        key = key_at(level, value)
        if key is None:
            raise BadTerms(
                f"'{value}' can be no key: it is blank, or no {level}.",
                f"Give what is in '{field.name}'.",
                term="value",
            )
        there &= index_in(folded(column, level), [key]) == 0
    places = np.flatnonzero(there)
    if len(places):
        return places
    words = key_words(fields, terms.match)
    values = " / ".join(f"'{value}'" for value in terms.value)
    raise BadTerms(
        f"no record of {table.name} has {words} {values}.",
        _remedy(terms, table, fields, levels),
        term="value",
    )


def _remedy(
    terms: CardTerms, table: Table, fields: Sequence[KeyField], levels: Sequence[str]
) -> str:
    """Name the value that may have been meant, or the level that would find it."""
    for field, level, value in zip(fields, levels, terms.value, strict=True):
        column = table.cells(field.name)
        fold = LEVELS[level]
        if index_in(folded(column, level), [fold(value) or value]).max(initial=-1) >= 0:
            continue
        if level == "exact":
            loosely = key_at("loose", value) or ""
            at = np.flatnonzero(index_in(folded(column, "loose"), [loosely]) == 0)
            if loosely and len(at):
                there = column[int(at[0])].as_py()
                return f"'{there}' is there: write it so, or give `match loose`."
        (near,) = nearest_values(text_column([value]), column).to_pylist()
        if near:
            return f"Did you mean '{near}'?"
    return "See what there is with gruff count, or choose on a terminal."


def _down(table: Table, shown: Sequence[str], places: Indices) -> Table:
    """Return a line for each field, and a column for each record."""
    headings = ["field"]
    columns = [text_column(shown)]
    for record in places[:_MOST_DOWN].tolist():
        number = int(table.places.record[record])
        above = table.heading_row
        told = f"record {number}" if above is None else f"row {above + number}"
        headings.append(free_heading(told, headings))
        (cells,) = table.records(record, record + 1)
        by_heading = dict(zip(table.headings, cells, strict=True))
        columns.append(text_column(by_heading[heading] for heading in shown))
    origin = table.origin.pick(np.full(len(shown), places[0], np.int64))
    return Table(tuple(headings), tuple(columns), origin, "the card")
