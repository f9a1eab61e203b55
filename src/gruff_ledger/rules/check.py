"""Checking the cells of a list against rules.

A blank cell is a finding of `required` and of nothing else: where there is nothing, no
rule can say that it is wrong. A cell that does not hold its datatype is no finding of
the bounds too.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np
from msgspec import structs

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.distinct import distinct
from gruff_ledger.cells.keys.same_key import (
    first_at_levels,
    first_with_same_key,
    index_in,
)
from gruff_ledger.cells.match.folded_fields import folded, folding
from gruff_ledger.cells.match.levels import key_at
from gruff_ledger.cells.text.templates import by_template, template_parts
from gruff_ledger.columns.arrays import concat_columns, constant_column, filter_column
from gruff_ledger.columns.threads import map_whole
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.field_names import find_field, find_fields, first_names, format_names
from gruff_ledger.formula.evaluate import Evaluation
from gruff_ledger.formula.parse import parse
from gruff_ledger.formula.values import NONE, Cells
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.rules.conditions import (
    Breach,
    matches,
    not_in_pattern,
    not_of_datatype,
    of_wrong_length,
    out_of_bounds,
)
from gruff_ledger.rules.nearest import nearest_values
from gruff_ledger.rules.rule import DATES, NEAREST, NUMBERS, VALUE, Rule
from gruff_ledger.table import Table
from gruff_ledger.written.match import key_columns
from gruff_ledger.written.way import Way

# Below this many records a thread costs more than it saves.
_THREADED_FROM = 20_000

# Values named in a message; of more, the first and how many more.
_NAMED_VALUES = 6


class Found(NamedTuple):
    """A finding, and a mark on the n records of the list that it is on."""

    finding: Finding
    mask: Mask


class Checking:
    """
    The checking of a list against rules; each field is read once for all of them.

    Parameters
    ----------
    table : Table, n records
    references : mapping
        The lists that rules name, by their addresses.

    Attributes
    ----------
    notes : list of Note
    """

    def __init__(self, table: Table, references: Mapping[str, Table]) -> None:
        self.table = table
        self.notes: list[Note] = []
        self._references = references
        self._evaluation = Evaluation(table, "the rule cannot be checked there")

    def check(self, rules: Sequence[tuple[str, Rule]]) -> list[Found]:
        """
        Return what rules find, in their order.

        Parameters
        ----------
        rules : sequence of (str, Rule)
            As `resolved` returns them, each with the term that states it.

        Raises
        ------
        UnknownField
            If the rule names a field that a list does not have.
        BadTerms
            If it cannot be followed on this list.
        """
        found: list[list[Found]] = [[] for _ in rules]

        def check(places: Sequence[int]) -> None:
            for place in places:
                term, rule = rules[place]
                with said_by(term):
                    found[place] = self._check(rule, term)

        # Formulas take note of where they are; rules on one field read it once.
        by_field: dict[str | None, list[int]] = {}
        with_formula = []
        for place, (_, rule) in enumerate(rules):
            if rule.holds is not None or rule.where is not None:
                with_formula.append(place)
            else:
                by_field.setdefault(rule.field, []).append(place)
        if len(self.table) < _THREADED_FROM:
            check(range(len(rules)))
        else:
            # What takes long is begun first, so that no thread waits for it at the end.
            longest = sorted(
                by_field.values(),
                key=lambda places: -sum(_cost(rules[place][1]) for place in places),
            )
            map_whole(check, longest)
            check(with_formula)
        return [each for one in found for each in one]

    def resolved(self, rule: Rule, term: str) -> Rule:
        """Return a rule with its fields named as they are headed."""
        with said_by(term):
            # What is said of names is said here, in the order of the rules.
            for text, is_field in template_parts(rule.message or "", term):
                if is_field and text not in (VALUE, NEAREST):
                    self._field(text, term)
            found = structs.replace(
                rule,
                field=rule.field and self._field(rule.field, term),
                key=self._fields(rule.key, term),
                per=self._fields(rule.per, term),
                named={self._field(each, term): to for each, to in rule.named.items()},
            )
            if found.field in found.per:
                raise BadTerms(
                    f"the values allowed in '{found.field}' depend on itself.",
                    "Name another field in 'per'.",
                )
            return found

    def findings(self) -> list[Finding]:
        """Return the cells that conditions could not be told by."""
        return list(self._evaluation.findings())

    def _check(self, rule: Rule, term: str) -> list[Found]:
        inside = self._where(rule)
        breaches: list[tuple[str, Breach]] = []
        if rule.field is not None:
            heading = rule.field
            breaches += [(heading, each) for each in self._of_cells(rule, heading)]
        if rule.key:
            breach = self._not_unique(rule, rule.key)
            breaches.append((rule.key[0] if len(rule.key) == 1 else "", breach))
        if rule.holds is not None:
            breaches.append((rule.field or "", self._fails(rule.holds)))
        self._take_notes(self._evaluation.notes)
        found = []
        for heading, breach in breaches:
            mask = breach.mask if inside is None else breach.mask & inside
            if mask.any():
                finding = self._finding(rule, heading, breach, mask, term)
                found.append(Found(finding, mask))
        return found

    def _where(self, rule: Rule) -> Mask | None:
        """Return where a rule is in force; None for everywhere."""
        if rule.where is None:
            return None
        node = parse(rule.where)
        truths = self._evaluation.truths(self._evaluation.value(node), node.place)
        return np.broadcast_to(truths.true & ~truths.blank, len(self.table))

    def _field(self, name: str, term: str) -> str:
        heading, said = find_field(self.table, name, term)
        self._take_notes(said)
        return heading

    def _fields(self, names: Sequence[str], term: str) -> tuple[str, ...]:
        headings, said = find_fields(self.table, names, term)
        self._take_notes(said)
        return headings

    def _take_notes(self, notes: Sequence[Note]) -> None:
        self.notes += [
            note for note in notes if all(n.what != note.what for n in self.notes)
        ]

    def _cells(self, rule: Rule, heading: str) -> Cells:
        """Return the cells of a field; which are blank is told where that is needed."""
        blank = NONE
        if rule.required:
            blank = self._evaluation.cells_of(heading).blank
        cells = Cells(self.table.cells(heading), blank, heading)
        if rule.datatype in DATES and rule.format_ is not None:
            # Read under a name of its own, apart from what the field holds otherwise.
            name = f"{heading}\0{rule.format_}"
            way = Way((rule.format_,), (), (), (rule.format_,), is_strict=True)
            cells = cells._replace(field=name, way=way)
        if rule.null and rule.required:
            words = index_in(cells.column, rule.null) >= 0
            cells = cells._replace(blank=cells.blank | words)
        return cells

    def _leave_blanks_out(self, rule: Rule, heading: str, mask: Mask) -> Mask:
        """Leave out cells that are blank; few marked ones are looked at alone."""
        count = int(np.count_nonzero(mask))
        if not count:
            return mask
        if 4 * count > len(mask):
            mask = mask & ~self._evaluation.cells_of(heading).blank
        column = filter_column(self.table.cells(heading), mask)
        filled = ~blank_mask(column)
        if rule.null:
            filled &= index_in(column, rule.null) < 0
        found = np.zeros(len(mask), np.bool_)
        found[mask] = filled
        return found

    def _of_cells(self, rule: Rule, heading: str) -> Iterator[Breach]:
        cells = self._cells(rule, heading)
        if rule.required:
            yield Breach(f"{heading} is required", f"{heading} is blank.", cells.blank)
        for breach in self._of_filled(rule, heading, cells):
            yield breach._replace(
                mask=self._leave_blanks_out(rule, heading, breach.mask)
            )

    def _of_filled(self, rule: Rule, heading: str, cells: Cells) -> Iterator[Breach]:
        if rule.datatype is not None and rule.datatype != "string":
            yield not_of_datatype(self._evaluation, rule, heading, cells)
        if rule.datatype in NUMBERS and rule.format_ is not None:
            yield not_in_pattern(self._evaluation, rule, heading, cells)
        yield from out_of_bounds(self._evaluation, rule, heading, cells)
        yield from of_wrong_length(rule, heading, cells.column)
        if rule.pattern is not None:
            says = f"{heading} does not match the pattern {rule.pattern}."
            wrong = ~matches(cells.column, rule.pattern)
            yield Breach(f"{heading} matches {rule.pattern}", says, wrong)
        if rule.allowed:
            yield self._not_allowed(rule, heading, cells.column)
        if rule.allowed_for:
            yield self._not_allowed_for(rule, heading, cells.column)
        if rule.allowed_from is not None:
            yield self._not_in_list(rule, heading)
        if rule.unique:
            yield self._not_unique(rule, (heading,))

    def _not_allowed(self, rule: Rule, heading: str, column: Column) -> Breach:
        what = _one_of(rule.allowed)
        if rule.match == "exact":
            wrong = index_in(column, rule.allowed) < 0
        else:
            keys = {key_at(rule.match, value) for value in rule.allowed}
            values, codes = distinct(column)
            wrong = np.array(
                [key_at(rule.match, each) not in keys for each in values], np.bool_
            )[codes]
        return Breach(
            f"{heading} is one of {format_names(rule.allowed)}",
            f"{heading} is not {what}.",
            wrong,
            lambda mask: nearest_values(filter_column(column, mask), rule.allowed),
        )

    def _not_allowed_for(self, rule: Rule, heading: str, column: Column) -> Breach:
        (other,) = rule.per
        pairs = [
            (name, value) for name, each in rule.allowed_for.items() for value in each
        ]
        listed = Table.of_records((other, heading), pairs)
        return self._not_among(rule, heading, (other,), listed, (other, heading))

    def _not_in_list(self, rule: Rule, heading: str) -> Breach:
        assert rule.allowed_from is not None
        listed = self._references[rule.allowed_from]
        others, named = rule.per, rule.named
        there = []
        for name in (*others, heading):
            if name not in named and len(listed.headings) == 1 and not others:
                there.append(listed.headings[0])
                continue
            found, said = find_field(listed, named.get(name, name), "named")
            self._take_notes(said)
            there.append(found)
        return self._not_among(rule, heading, others, listed, there)

    def _not_among(
        self,
        rule: Rule,
        heading: str,
        others: Sequence[str],
        listed: Table,
        there: Sequence[str],
    ) -> Breach:
        """Find cells that, with some other cells of the record, are in no record."""
        mine = [self.table.cells(name) for name in (*others, heading)]
        theirs = [listed.cells(name) for name in there]
        if others:
            per = " and ".join(others)
            what = f"one of those of its {per}"
        else:
            what = f"in {listed.name}"
        wrong = ~_is_among(mine, theirs, rule.match)
        for name in others:
            wrong &= ~blank_mask(self.table.cells(name))
        return Breach(
            f"{heading} is {what}",
            f"{heading} is not {what}.",
            wrong,
            lambda mask: nearest_values(
                filter_column(mine[-1], mask),
                theirs[-1],
                [filter_column(each, mask) for each in mine[:-1]],
                theirs[:-1],
                rule.match,
            ),
        )

    def _not_unique(self, rule: Rule, headings: Sequence[str]) -> Breach:
        repeated = np.zeros(len(self.table), np.bool_)
        if len(self.table):
            levels = [rule.match] * len(headings)
            columns, said = key_columns(self.table, headings, levels)
            self._take_notes(said)
            fold = [folding(rule.match)] * len(columns)
            first, _ = first_at_levels(columns, fold, fold)
            repeated = first != np.arange(len(first))
            repeated[first[repeated]] = True
            for heading in headings:
                repeated = self._leave_blanks_out(rule, heading, repeated)
                if rule.match != "exact":
                    # What has no key, such as a text for a number, matches nothing.
                    place = list(headings).index(heading)
                    column = filter_column(columns[place], repeated)
                    repeated[repeated] = ~blank_mask(folded(column, rule.match))
        name = " with ".join(headings)
        says = f"{name} is not unique: another record has the same."
        return Breach(f"{name} is unique", says, repeated)

    def _fails(self, condition: str) -> Breach:
        node = parse(condition)
        truths = self._evaluation.truths(self._evaluation.value(node), node.place)
        fails = np.broadcast_to(truths.false, len(self.table))
        return Breach(condition, f"It is not true that {condition}.", fails)

    def _finding(
        self, rule: Rule, heading: str, breach: Breach, mask: Mask, term: str
    ) -> Finding:
        column = self.table.cells(heading) if heading else None
        count = int(np.count_nonzero(mask))
        value = (
            constant_column("", count)
            if column is None
            else filter_column(column, mask)
        )
        nearest = None if breach.nearest is None else breach.nearest(mask)
        message, said = breach.says, None
        if rule.message is not None:
            message, said = self._own_words(rule.message, mask, value, nearest, term)
        return Finding(
            rule=breach.name,
            severity=Severity(rule.severity or Severity.WARN),
            message=message,
            field=heading,
            origin=self.table.origin.pick(mask),
            value=value,
            said=said,
            nearest=nearest,
            says_nearest=rule.message is not None and "{nearest}" in rule.message,
        )

    def _own_words(
        self, message: str, mask: Mask, value: Column, nearest: Column | None, term: str
    ) -> tuple[str, Column | None]:
        """Return what a rule's own message says of all records, and of each."""
        parts = template_parts(message, term)
        if not any(is_field for _, is_field in parts):
            return "".join(text for text, _ in parts), None
        columns: list[Column] = []
        pieces: list[str | int] = []
        for text, is_field in parts:
            if not is_field:
                pieces.append(text)
                continue
            pieces.append(len(columns))
            if text == VALUE:
                columns.append(value)
            elif text == NEAREST:
                blank = constant_column("", len(value))
                columns.append(blank if nearest is None else nearest)
            else:
                heading = self._field(text, term)
                columns.append(filter_column(self.table.cells(heading), mask))
        whole = np.ones(len(value), np.bool_)
        said = by_template(pieces, columns, whole)
        return message, said


def _cost(rule: Rule) -> int:
    """Tell roughly how long a rule takes."""
    looked_up = rule.unique or rule.key or rule.pattern is not None
    is_read = rule.datatype in (*NUMBERS, *DATES) or any(rule.bounds())
    return 3 if looked_up or rule.allowed_from else 2 if is_read else 1


def _one_of(values: Sequence[str]) -> str:
    if len(values) == 1:
        return format_names(values)
    return f"one of {first_names(values, _NAMED_VALUES)}"


def _is_among(mine: Sequence[Column], theirs: Sequence[Column], level: str) -> Mask:
    """Mark the records whose cells are those of some record of another list."""
    many = len(theirs[0])
    if not many or not len(mine[0]):
        return np.zeros(len(mine[0]), np.bool_)
    if len(mine) == 1 and level == "exact" and len(mine[0]) > many:
        return index_in(mine[0], theirs[0].to_pylist()) >= 0
    # Records of the other list stand first: who finds its like among them, is there.
    both = [
        concat_columns([folded(their, level), folded(my, level)])
        for my, their in zip(mine, theirs, strict=True)
    ]
    first = first_with_same_key(both)[many:]
    found: Mask = first < many
    if level != "exact":
        # What has no key matches nothing.
        for column in both:
            found &= ~blank_mask(column.slice(many))
    return found
