"""What `show` does."""

from __future__ import annotations

import msgspec
import numpy as np

from gruff_ledger.columns.types import Mask
from gruff_ledger.field_names import expand_names, find_fields
from gruff_ledger.outcome import Note, Outcome, SetAside
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.words import counted, number_words
from gruff_ledger.work.look.show.terms import ShowTerms


class Shown(msgspec.Struct, frozen=True):
    """How a result is to be laid out on a screen."""

    is_down: bool


def perform(terms: ShowTerms, table: Table) -> Outcome:
    """
    Take the fields and records that are to be shown.

    Parameters
    ----------
    terms : ShowTerms
    table : Table, n records

    Raises
    ------
    UnknownField
        If a field is named that the list does not have.
    BadTerms
        If rows are named that it does not have.
    """
    names = expand_names(table.headings, terms.fields)
    headings, notes = find_fields(table, names, "fields")
    held = dict(zip(table.headings, table.held, strict=True))
    result = table
    if headings:
        chosen = list(dict.fromkeys(headings))
        result = table.with_fields(chosen, [held[each] for each in chosen])
    stays = _asked_for(terms, table)
    ranges = terms.ranges("records")
    beyond = [str(first) for first, _ in ranges if first > len(table)]
    if beyond:
        has = counted(len(table), "record")
        what = f"The list has {has}: there is no record {', '.join(beyond)}."
        notes = (*notes, Note(what, warning=True))
    fields = counted(len(result.headings), "field")
    said = f"{counted(len(table), 'record')}, {fields}"
    if len(result.headings) < len(table.headings):
        said += f" of {len(table.headings)}"
    aside: tuple[SetAside, ...] = ()
    if not stays.all():
        aside = (SetAside("not asked for", table.keep_records(~stays)),)
        result = result.keep_records(stays)
        said += f"; {number_words(len(result))} asked for"
    return Outcome(
        result,
        aside,
        notes=(Note(f"{said}.", is_headline=True), *notes),
        detail=Shown(terms.down),
    )


def _asked_for(terms: ShowTerms, table: Table) -> Mask:
    """Mark the records that are asked for: all, unless some are."""
    n = len(table)
    ranges, rows = terms.ranges("records"), terms.ranges("rows")
    counts = (terms.first, terms.last, terms.sample)
    if not ranges and not rows and counts == (None, None, None):
        return np.ones(n, np.bool_)
    stays = np.zeros(n, np.bool_)
    for first, last in ranges:
        stays[first - 1 : n if last is None else last] = True
    if rows:
        stays |= _in_rows(table, rows)
    if terms.first is not None:
        stays[: terms.first] = True
    if terms.last is not None:
        stays[max(0, n - terms.last) :] = True
    if terms.sample is not None and n:
        places = np.linspace(0, n - 1, min(terms.sample, n))
        stays[np.round(places).astype(np.int64)] = True
    return stays


def _in_rows(table: Table, rows: tuple[tuple[int, int | None], ...]) -> Mask:
    """Mark the records that stand in some rows of their source."""
    if table.heading_row is None:
        raise BadTerms(
            f"{table.name} has no rows of one source.",
            "Name the records in `records`.",
            term="rows",
        )
    row = table.places.record + table.heading_row
    stays = np.zeros(len(table), np.bool_)
    for first, last in rows:
        here = row >= first if last is None else (row >= first) & (row <= last)
        if not here.any():
            raise BadTerms(
                f"{table.name} has no record in row {first}.",
                f"Its records are in rows {row.min()} to {row.max()}."
                if len(row)
                else "It has no records.",
                term="rows",
            )
        stays |= here
    return stays
