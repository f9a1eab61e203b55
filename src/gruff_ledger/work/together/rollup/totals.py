"""Rows and columns of totals in what a list brings: found, left out, compared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.groups import Group, add_groups
from gruff_ledger.cells.keys.distinct import Distinct
from gruff_ledger.cells.numbers.amounts import (
    Amounts,
    at_scale,
    decimal_text,
)
from gruff_ledger.cells.numbers.group_figures import total_of
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.totals_rows import (
    TOTAL_PATTERN,
    begins_as_total,
    is_total_record,
    is_total_word,
)
from gruff_ledger.columns.arrays import filter_column, taken, text_column
from gruff_ledger.columns.types import Mask
from gruff_ledger.outcome import Finding, Note, SetAside, Severity
from gruff_ledger.table import Table
from gruff_ledger.words import counted, first_few
from gruff_ledger.work.together.rollup.terms import RollupTerms
from gruff_ledger.written.ask import InDoubt, check_currencies
from gruff_ledger.written.read import FieldNumbers, read_numbers

# Fields that a message names.
_NAMED_FIELDS = 6


class Said:
    """Collects what is said, found and set aside."""

    def __init__(self) -> None:
        self.aside: list[SetAside] = []
        self.findings: list[Finding] = []
        self.notes: list[Note] = []
        self._numbers: dict[tuple[int, str], FieldNumbers] = {}
        self._currencies: dict[str, dict[str, Group]] = {}
        self._tables: list[Table] = []

    def numbers(self, table: Table, heading: str) -> FieldNumbers:
        """Return the numbers of a field, read once however often they are asked for."""
        key = (id(table), heading)
        if key not in self._numbers:
            # Kept, so that no other list gets the number of this one.
            self._tables.append(table)
            read = self._numbers[key] = read_numbers(table, heading)
            # Figures of all lists are added up.
            known = self._currencies.setdefault(heading, {})
            add_groups(known, read.currencies, np.arange(len(table)))
        check_currencies(table, heading, self._currencies[heading])
        return self._numbers[key]

    def warn(self, what: str, remedy: str = "", table: Table | None = None) -> None:
        """Take note of something that could be wrong."""
        origin = None if table is None else table.origin
        self.notes.append(Note(what, remedy, origin, warning=True))


def find_total_rows(
    terms: RollupTerms,
    table: Table,
    labels: Mapping[str, Distinct],
    across: str | None,
    values: Sequence[str],
    said: Said,
) -> Mask | None:
    """Point out rows of totals; return those to be left out, or None."""
    mask = np.zeros(len(table), np.bool_)
    for texts, codes in labels.values():
        words = [is_total_word(text) or begins_as_total(text) for text in texts]
        if any(words):
            mask |= np.array(words, np.bool_)[codes]
    mask |= _total_words_beside(table, labels)
    if not mask.any():
        mask = _row_of_sums(terms, table, values, said)
    if not mask.any():
        return None
    looks = counted(int(np.count_nonzero(mask)), "record looks", "records look")
    rows = table.keep_records(mask)
    if not terms.leave_out_totals:
        said.warn(
            f"{table.name}: {looks} like totals of the others, but "
            f"{_counted_words(len(rows))}.",
            "To leave them out, add `leave-out-totals true`.",
            rows,
        )
        return None
    said.aside.append(SetAside("a row of totals", rows))
    said.notes.append(
        Note(
            f"{table.name}: {looks} like totals and "
            f"{'was' if len(rows) == 1 else 'were'} left out.",
            "",
            rows.origin,
        )
    )
    if len(rows) == 1 and across is None:
        _check_total_row(table, mask, values, said)
    return mask


def _total_words_beside(table: Table, labels: Mapping[str, Distinct]) -> Mask:
    """
    Mark rows of totals whose word stands in another field than the labels.

    Their labels are blank or numbers: a row with a name is one of what it names.
    """
    mask = np.zeros(len(table), np.bool_)
    may_be = np.ones(len(table), np.bool_)
    for texts, codes in labels.values():
        nameless = [not any(map(str.isalpha, text)) for text in texts]
        may_be &= np.array(nameless, np.bool_)[codes]
    places = np.flatnonzero(may_be)
    if not len(places):
        return mask
    found = np.zeros(len(places), np.bool_)
    for heading in table.headings:
        if heading not in labels:
            cells = taken(table.cells(heading), places)
            found |= matching(cells, TOTAL_PATTERN)
    for place in places[found].tolist():
        (record,) = table.records(place, place + 1)
        mask[place] = is_total_record(record)
    return mask


def _row_of_sums(
    terms: RollupTerms, table: Table, values: Sequence[str], said: Said
) -> Mask:
    """Mark a last record whose figures are the sums of all above."""
    mask = np.zeros(len(table), np.bool_)
    if len(table) < 4 or terms.value:
        return mask
    for heading in values:
        try:
            amounts, is_number, *_ = said.numbers(table, heading)
        except InDoubt:
            return mask
        own = int(amounts.values[-1])
        if not is_number[-1] or not own or total_of(amounts) != 2 * own:
            return mask
    mask[-1] = bool(values)
    return mask


def _check_total_row(
    table: Table, is_total: Mask, values: Sequence[str], said: Said
) -> None:
    """Say where a row of totals is not what its column adds up to."""
    row = table.keep_records(is_total)
    for heading in values:
        amounts, is_number, *_ = said.numbers(table, heading)
        if not is_number[is_total][0]:
            continue
        own, others = (
            amounts._replace(values=amounts.values[mask])
            for mask in (is_total, ~is_total)
        )
        _compare_totals(heading, total_of(others), others.scale, own, row, said)


def _compare_totals(
    heading: str, total: int, scale: int, stated: Amounts, row: Table, said: Said
) -> None:
    common = max(scale, stated.scale)
    mine = total * 10 ** (common - scale)
    theirs = int(at_scale(stated, common).values[0])
    if mine == theirs:
        return
    sums = decimal_text(mine, common, common)
    said.findings.append(
        Finding(
            f"{heading} adds up to its total",
            Severity.WARN,
            f"The total of {heading} says {decimal_text(theirs, common, common)}, and "
            f"what it is of adds up to {sums}.",
            heading,
            row.origin,
            row.cells(heading),
        )
    )


def _counted_words(count: int) -> str:
    return "was counted as a label" if count == 1 else "were counted as labels"


def leave_total_columns_out(
    terms: RollupTerms,
    table: Table,
    down: Sequence[str],
    values: Sequence[str],
    said: Said,
) -> list[str]:
    """Point out columns of totals, and leave them out where asked."""
    totals = [
        heading
        for heading in values
        if is_total_word(heading) or begins_as_total(heading)
    ]
    if not totals or len(totals) == len(values):
        return list(values)
    words = ", ".join(f"'{heading}'" for heading in totals)
    words = f"the {'field' if len(totals) == 1 else 'fields'} {words}"
    if not terms.leave_out_totals:
        said.warn(
            f"{table.name}: {words} may hold totals of the others, but "
            f"{_counted_words(len(totals))}.",
            "To leave them out, add `leave-out-totals true`.",
        )
        return list(values)
    rest = [heading for heading in values if heading not in totals]
    said.notes.append(Note(f"{table.name}: totals were left out: {words}."))
    if len(totals) == 1:
        _check_total_column(table, rest, totals[0], said)
    return rest


def fields_with_numbers(
    terms: RollupTerms, table: Table, values: Sequence[str], said: Said
) -> list[str]:
    """Leave out fields of a grid that hold texts and no number at all."""
    texts = []
    for heading in values:
        column = table.cells(heading)
        try:
            has_numbers = bool(said.numbers(table, heading).is_number.any())
        except InDoubt:
            has_numbers = True
        if not has_numbers and not blank_mask(column).all():
            texts.append(heading)
    if not texts or len(texts) == len(values):
        return list(values)
    words = first_few([f"'{heading}'" for heading in texts], _NAMED_FIELDS)
    said.warn(
        f"{table.name}: left out, as they hold no numbers: {words}.",
        "To see which cells are none, name them in `value`; to count them, set "
        "`figure` to count.",
    )
    return [heading for heading in values if heading not in texts]


def _check_total_column(
    table: Table, values: Sequence[str], total: str, said: Said
) -> None:
    """Find the records whose total is not what their cells add up to."""
    stated, is_number, *_ = said.numbers(table, total)
    read = [said.numbers(table, heading).amounts for heading in values]
    scale = max([stated.scale, *(each.scale for each in read)])
    sums = sum(
        (at_scale(each, scale).values.astype(object) for each in read),
        np.zeros(len(table), object),
    )
    wrong = is_number & (at_scale(stated, scale).values.astype(object) != sums)
    wrong = wrong.astype(np.bool_)
    if not wrong.any():
        return
    told = [
        f"{total} says {decimal_text(int(mine), scale, scale)}, and what it is of adds "
        f"up to {decimal_text(int(theirs), scale, scale)}."
        for mine, theirs in zip(
            at_scale(stated, scale).values[wrong].tolist(),
            sums[wrong].tolist(),
            strict=True,
        )
    ]
    said.findings.append(
        Finding(
            f"{total} is the total of its record",
            Severity.WARN,
            f"{total} is not what its record adds up to.",
            total,
            table.origin.pick(wrong),
            filter_column(table.cells(total), wrong),
            text_column(told),
        )
    )
