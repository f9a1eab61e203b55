"""What is said of a lookup."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.columns.arrays import (
    filter_column,
    made_of_texts,
    spread_column,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.table import Table
from gruff_ledger.words import counted, first_few
from gruff_ledger.work.keys.pairs import KeyPair, pair_words
from gruff_ledger.work.together.lookup.bands import Banded
from gruff_ledger.work.together.lookup.terms import LookupTerms
from gruff_ledger.work.together.lookup.unmatched import Unmatched

# Unmatched keys that the summary names.
_NAMED_KEYS = 4


def note_on_undecided(
    terms: LookupTerms, table: Table, reference: Table, undecided: Mask
) -> tuple[Note, ...]:
    """Say which keys match several records, and fill nothing."""
    count = int(np.count_nonzero(undecided))
    if not count:
        return ()
    records = counted(count, "record", "records")
    return (
        Note(
            f"For {records} nothing is the {terms.which}: the matches in "
            f"{reference.name} have nothing to read in `of`; nothing was filled in.",
            "To take one anyway, give `which first` or `which last`.",
            table.origin.pick(undecided),
            warning=True,
        ),
    )


def findings_on(
    terms: LookupTerms,
    table: Table,
    reference: Table,
    pairs: Sequence[KeyPair],
    banded: Banded | None,
    counts: Indices,
    unmatched: Unmatched,
) -> tuple[Finding, ...]:
    """Return what is found of records without a match, and of those with several."""
    findings: list[Finding] = []
    severity = Severity(terms.severity)
    field = pairs[0].mine if len(pairs) == 1 else ""
    words = pair_words(pairs)
    if len(unmatched.records) and not terms.default:
        values = spread_column(unmatched.texts, unmatched.codes)
        said = made_of_texts(
            unmatched.texts, lambda text: f"{reference.name} has no {words} '{text}'."
        )
        findings.append(
            Finding(
                f"{words} is in {reference.name}",
                severity,
                f"{reference.name} has no such {words}.",
                field,
                table.origin.pick(unmatched.records),
                values,
                spread_column(said, unmatched.codes),
                spread_column(unmatched.nearest, unmatched.codes),
                is_noted=True,
            )
        )
    several = counts > 1
    if terms.which == "only" and several.any():
        findings.append(
            Finding(
                f"{words or 'the band'} is in {reference.name} once",
                severity,
                f"{reference.name} has several matches; nothing was filled in.",
                field,
                table.origin.pick(several),
                _values(table, pairs, several),
                is_noted=True,
            )
        )
    if banded is not None and banded.below.any() and not terms.default:
        findings.append(
            Finding(
                f"{banded.words}",
                severity,
                "It lies below the first band.",
                banded.words.split(" in bands of ")[0],
                table.origin.pick(banded.below),
                filter_column(
                    table.cells(banded.words.split(" in bands of ")[0]), banded.below
                ),
                is_noted=True,
            )
        )
    return tuple(findings)


def _values(table: Table, pairs: Sequence[KeyPair], mask: Mask) -> Column:
    columns = [filter_column(table.cells(pair.mine), mask) for pair in pairs]
    if len(columns) == 1:
        return columns[0]
    if not columns:
        return text_column([""] * int(np.count_nonzero(mask)))
    cells = (column.to_pylist() for column in columns)
    return text_column(" / ".join(each) for each in zip(*cells, strict=True))


def notes_on(
    terms: LookupTerms,
    table: Table,
    reference: Table,
    counts: Indices,
    has_key: Mask,
    unmatched: Unmatched,
    banded: Banded | None,
) -> tuple[Note, ...]:
    """Say how many records matched how often, and what was not found."""
    once = int(np.count_nonzero(counts == 1))
    several = int(np.count_nonzero(counts > 1))
    none = int(np.count_nonzero(counts == 0))
    said = f"{counted(once, 'record has', 'records have')} one match in "
    said += f"{reference.name}, {several} several, {none} none."
    notes = [Note(said, is_headline=True)]
    if several:
        notes.append(_several_note(terms, table, counts))
    if len(unmatched.texts):
        named = [
            f"'{text}'{f' {count} times' if count > 1 else ''}"
            f"{f' (perhaps {near!r})' if near else ''}"
            for text, count, near in zip(
                unmatched.texts.slice(0, _NAMED_KEYS).to_pylist(),
                unmatched.counts.tolist()[:_NAMED_KEYS],
                unmatched.nearest.slice(0, _NAMED_KEYS).to_pylist(),
                strict=True,
            )
        ]
        keys = counted(len(unmatched.texts), "key is", "keys are")
        told = first_few(named, _NAMED_KEYS, total=len(unmatched.texts))
        notes.append(
            Note(
                f"{keys} not in {reference.name}: {told}.",
                "To list all of them, add `unmatched unmatched.csv`.",
                warning=True,
            )
        )
    if banded is not None and banded.below.any():
        count = int(np.count_nonzero(banded.below))
        lies = counted(count, "record lies", "records lie")
        origin = table.origin.pick(banded.below)
        notes.append(Note(f"{lies} below the first band.", "", origin, warning=True))
    if not has_key.all():
        count = int(np.count_nonzero(~has_key))
        what = "a blank key" if banded is None else "no key or no value for a band"
        has = counted(
            count, f"record has {what} and matches", f"records have {what} and match"
        )
        origin = table.origin.pick(~has_key)
        notes.append(Note(f"{has} nothing.", "", origin, warning=True))
    if terms.default and none:
        took = counted(none, "record was", "records were")
        notes.append(Note(f"{took} given the default, as nothing was found."))
    return tuple(notes)


def _several_note(terms: LookupTerms, table: Table, counts: Indices) -> Note:
    """Say what was done where several match, and what else could be."""
    several = np.flatnonzero(counts > 1)
    has = counted(len(several), "record has", "records have")
    if terms.which == "only":
        return Note(
            f"{has} several matches, and nothing was filled in there.",
            "To take one of them, give `which first` or `which last`.",
            table.origin.pick(several),
            warning=True,
        )
    if terms.which == "every":
        made = int((np.maximum(counts, 1) - 1).sum())
        return Note(f"{has} several matches; {made} more records were made of them.")
    of = f" {terms.of}" if terms.of else ""
    return Note(
        f"{has} several matches, of which the {terms.which}{of} was taken.",
        "To fill nothing there, give `which only`.",
    )


def note_on_unused(reference: Table, is_used: Mask) -> tuple[Note, ...]:
    """Say how many reference records none matched."""
    unused = int(np.count_nonzero(~is_used))
    if not unused:
        return ()
    said = counted(unused, "record", "records")
    return (
        Note(
            f"{said} of {reference.name} matched no record.",
            "To list them, add `unused unused.csv`.",
        ),
    )
