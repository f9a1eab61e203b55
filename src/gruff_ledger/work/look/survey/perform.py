"""What `survey` does."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from gruff_ledger.cells.totals_rows import totals_place
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.columns.threads import map_telling
from gruff_ledger.field_names import find_fields, format_names
from gruff_ledger.outcome import Lineage, Note, Outcome
from gruff_ledger.shell import command_line
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import counted
from gruff_ledger.work.look.survey.as_written import settle_as_written
from gruff_ledger.work.look.survey.field_summary import FieldFacts, field_facts
from gruff_ledger.work.look.survey.terms import SurveyTerms

HEADINGS = (
    "list",
    "field",
    "kind",
    "filled",
    "blank",
    "distinct",
    "least",
    "greatest",
    "sum",
    "negative",
    "zero",
    "positive",
    "not a number",
    "longest",
    "last filled record",
    "gaps",
    "stray spaces",
    "no-break spaces",
    "look-alikes",
    "formula-like",
    "commonest",
)

# How many of the commonest values a table names.
_NAMED_VALUES = 3

# From so many records on, fields are looked at in threads.
_THREADED_FROM = 1000


class Warned(msgspec.Struct, frozen=True):
    """
    Something in a field that looks wrong.

    Attributes
    ----------
    kind, text : str
    lead : str
        What the command does.
    words : tuple of str
        The command that shows or settles it, without the program and the list: the
        verb, then its options. A path after ``--to`` is a proposal.
    """

    kind: str
    field: str
    count: int
    text: str
    lead: str
    words: tuple[str, ...]
    origin: Origin

    def command(self, words: Sequence[str] = ("LIST",), to: str = "") -> str:
        """
        Return what is to be typed, and what it does.

        Parameters
        ----------
        words : sequence of str
            The list's address, and the options on reading it that are in force.
        to : str, optional
            The path to write to, where it writes; else as proposed.
        """
        verb, *options = self.words
        if to and "--to" in options:
            options[options.index("--to") + 1] = to
        return f"{self.lead}: {command_line(['gruff', verb, *words, *options])}"

    @property
    def proposed(self) -> str:
        """The path that the command proposes to write to; empty where it only looks."""
        words = self.words
        return words[words.index("--to") + 1] if "--to" in words else ""


class Surveyed(msgspec.Struct, frozen=True):
    """What was found out of one list."""

    name: str
    source: int
    records: int
    fields: tuple[FieldFacts, ...]
    warned: tuple[Warned, ...]
    null: tuple[str, ...] = ()
    said: tuple[Note, ...] = ()


def perform(terms: SurveyTerms, *tables: Table) -> Outcome:
    """
    Look at every field of the lists.

    Parameters
    ----------
    terms : SurveyTerms
    *tables : Table

    Returns
    -------
    Outcome
        A record a field; `detail` holds a `Surveyed` a list.

    Raises
    ------
    UnknownField
        If a list does not have one of the fields named.
    """
    looked: list[Surveyed] = []
    notes: list[Note] = []
    for table in tables:
        headings, said = find_fields(table, terms.fields, "fields")
        chosen = headings or table.headings
        notes += said
        records, without = _without_totals(table)
        notes += without
        places = records.places
        facts = map_telling(
            lambda heading, records=records, places=places: field_facts(  # type: ignore[misc]
                heading, records.cells(heading), places, terms.null
            ),
            chosen,
            # A thread for a small field costs more than it saves.
            threaded=len(records) >= _THREADED_FROM,
        )
        for fact in facts:
            settle_as_written(fact, records, places)
        warned = tuple(each for fact in facts for each in _warned(fact))
        source = int(table.places.source[0]) if len(table) else len(looked)
        looked.append(
            Surveyed(
                table.name,
                source,
                len(table),
                tuple(facts),
                warned,
                terms.null,
                (*said, *without),
            )
        )
        notes += [
            Note(
                f"{table.name}, {each.field}: {each.text}",
                f"{each.command()}.",
                each.origin,
                warning=True,
            )
            for each in warned
        ]
    return Outcome(
        _table(looked),
        notes=tuple(notes),
        detail=tuple(looked),
        lineage=Lineage(summed=sum(map(len, tables))),
    )


def _without_totals(table: Table) -> tuple[Table, tuple[Note, ...]]:
    """Leave out a last record of totals: it would be in every sum twice."""
    place = totals_place(table)
    if place is None:
        return table, ()
    mask = np.ones(len(table), np.bool_)
    mask[place] = False
    note = Note(
        f"{table.name}: the last record looks like a row of totals; the facts on the "
        "fields leave it out.",
        "",
        table.origin.pick(~mask),
    )
    return table.keep_records(mask), (note,)


def _table(looked: Sequence[Surveyed]) -> Table:
    rows = [_row(one.name, fact) for one in looked for fact in one.fields]
    sources = [one.source for one in looked for _ in one.fields]
    # A field has its place in the heading row, which is above record 1.
    origin = Origin(np.array(sources, np.int32), np.zeros(len(rows), np.int64))
    columns = tuple(
        text_column(row[place] for row in rows) for place in range(len(HEADINGS))
    )
    return Table(HEADINGS, columns, origin, "the survey")


def _row(name: str, fact: FieldFacts) -> tuple[str, ...]:
    commonest = (f"{value} ({count})" for value, count in fact.commonest)
    return (
        name,
        fact.field,
        fact.kind_words,
        str(fact.filled),
        str(fact.blank),
        str(fact.distinct),
        *fact.ends_shown,
        fact.sum,
        *(
            str(count) if fact.numbers else ""
            for count in (fact.negative, fact.zero, fact.positive, fact.not_a_number)
        ),
        str(fact.longest),
        str(fact.last_filled) if fact.filled else "",
        str(fact.gaps),
        str(fact.stray_spaces),
        str(fact.no_break_spaces),
        str(fact.look_alikes),
        str(fact.formula_like),
        "; ".join(list(commonest)[:_NAMED_VALUES]),
    )


# Warnings -------------------------------------------------------------------------


# A step that is proposed: what it does, and the command without the list.
_Step = tuple[str, tuple[str, ...]]


def _warned(fact: FieldFacts) -> list[Warned]:
    return [
        *_warn_of_cells(fact),
        *_warn_of_look_alikes(fact),
        *_warn_of_case(fact),
        *_warn_of_dates(fact),
        *_warn_of_doubts(fact),
    ]


def _see(fact: FieldFacts, *options: str) -> tuple[str, ...]:
    return ("count", "--by", format_names([fact.field]), *options)


def _scrub(fact: FieldFacts, *options: str) -> _Step:
    name = format_names([fact.field])
    return "Settle them", ("scrub", "--fields", name, *options, "--to", "tidy.csv")


def _warn_of_cells(fact: FieldFacts) -> Iterator[Warned]:
    """Yield the kinds of cells that look wrong by themselves."""
    said: list[tuple[str, int, str, _Step]] = [
        (
            "stray spaces",
            fact.stray_spaces,
            "with a space before, after or doubled within",
            _scrub(fact, "--trim", "--squeeze"),
        ),
        (
            "no-break spaces",
            fact.no_break_spaces,
            "with a no-break space or an invisible character",
            _scrub(fact, "--no-invisible", "--trim", "--squeeze"),
        ),
        ("formula-like", fact.formula_like, "that a spreadsheet would run", _GUARD),
        (
            "unseen",
            fact.unseen,
            "with nothing but invisible characters",
            _scrub(fact, "--no-invisible"),
        ),
        (
            "numbers with text",
            fact.numbers_with_text,
            "with text around a number, in a field of numbers",
            ("See them", _see(fact)),
        ),
        (
            "workbook errors",
            fact.errors,
            "that hold an error of a workbook where a value should be",
            ("See them", _see(fact)),
        ),
        (
            "long numbers",
            fact.long_numbers,
            "of more than 15 digits, which a spreadsheet would change",
            ("To open them there unharmed", ("show", "--to", "list.xlsx")),
        ),
    ]
    for kind, count, text, step in said:
        if count:
            told = f"{_cells(count)} {text}"
            first = fact.first_of(kind)
            yield Warned(kind, fact.field, count, told, *step, first)


def _warn_of_look_alikes(fact: FieldFacts) -> Iterator[Warned]:
    count = fact.look_alikes
    if not count:
        return
    groups = counted(count, "value is", "values are")
    example = " and ".join(f"'{each}'" for each in fact.look_alike_example[:3])
    yield Warned(
        "look-alikes",
        fact.field,
        count,
        f"{groups} written in several ways, such as {example}",
        "See the spellings",
        _see(fact, "--match", "letters"),
        fact.first_of("look-alikes"),
    )


def _warn_of_case(fact: FieldFacts) -> Iterator[Warned]:
    if fact.odd_case:
        yield Warned(
            "mixed case",
            fact.field,
            fact.odd_case,
            f"{_cells(fact.odd_case)} all in capitals or all in small letters, where "
            "most have both",
            *_scrub(fact, "--case", "title", "--odd-only"),
            fact.first_of("mixed case"),
        )


def _warn_of_doubts(fact: FieldFacts) -> Iterator[Warned]:
    """Yield what could be two numbers."""
    if fact.in_doubt:
        yield Warned(
            "numbers in doubt",
            fact.field,
            fact.in_doubt,
            fact.doubt_words,
            "If it is the first",
            (
                *("scrub", "--fields", format_names([fact.field]), "--number", "plain"),
                *("--written", f"{format_names([fact.field])}={fact.doubt_example}"),
                *("--to", "tidy.csv"),
            ),
            fact.first_of("in doubt"),
        )


def _warn_of_dates(fact: FieldFacts) -> Iterator[Warned]:
    """Yield what can be read as day and month both ways, unless the cells settle it."""
    dates = fact.dates
    if dates is None or not dates.two_ways or dates.is_settled:
        return
    text = f"{_cells(dates.two_ways)} that can be read as day and month both ways"
    if dates.day_first and dates.month_first:
        text += (
            f"; {dates.day_first} can only have the day first, and "
            f"{dates.month_first} only the month"
        )
    else:
        text += _settled_by(dates.day_first, dates.month_first)
    yield Warned(
        "dates",
        fact.field,
        dates.two_ways,
        text,
        "Ask the sender which comes first. See them",
        _see(fact),
        fact.first_of("dates"),
    )


_GUARD = (
    "Write with them guarded",
    ("show", "--guard-formulas", "--to", "guarded.csv"),
)


def _settled_by(day_first: int, month_first: int) -> str:
    return "" if day_first or month_first else ", and no other cell tells which"


def _cells(count: int) -> str:
    return "1 cell" if count == 1 else f"{count} cells"
