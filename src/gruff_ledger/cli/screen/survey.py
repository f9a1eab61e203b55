"""The page that `survey` shows: each list, its fields, and what looks wrong in them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec
from rich import box
from rich.cells import cell_len
from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.account.words import (
    note_text,
    places,
    source_places,
    source_words,
    write_words,
)
from gruff_ledger.cli.options import reading_words
from gruff_ledger.cli.screen.listing import Window
from gruff_ledger.cli.screen.page import Page
from gruff_ledger.cli.screen.paragraphs import free_path, paragraph
from gruff_ledger.job.engine import Run
from gruff_ledger.speakers import COMMAND
from gruff_ledger.words import counted, first_few, visible
from gruff_ledger.work.look.survey.field_summary import FieldFacts
from gruff_ledger.work.look.survey.perform import Surveyed, Warned

_LONGEST_NAME = 24
_LONGEST_VALUE = 20

_SHOWN_VALUES = 4

# What rich puts between two columns of these tables, and the least for the last one.
_GAP_WIDTH = 2
_LEAST_WIDTH = 10

# Columns that give way in a narrow window, the first one first, so that the last
# column has so much room.
_TELLS_LEAST = (
    *("gaps", "last row", "last", "longest", "distinct", "blank"),
    *("zero", "positive", "negative"),
)
_LEAST_GOOD = 16

# So much room values are given by wrapping the kinds, down to that width.
_GOOD_WIDTH = 28
_KIND_WIDTH = 14

# Of so many lists a page says how they are written.
_MOST_LISTS = 8


class SurveyPage(Page):
    """The page of a survey."""

    has_remarks = True

    def view(self, run: Run, window: Window) -> Group:
        """Lay out each list: its fields, and what looks wrong in them."""
        width = window.width
        parts: list[RenderableType] = []
        proposed: set[Path] = set()
        for one in run.detail:
            line = _line(run.account, one)
            parts += [
                Text(),
                Text(visible(_address(run.account, one)), style="bold"),
                Text(visible(_facts(line))),
                _field_table(one, line, width),
            ]
            numbers = _number_table(one, width)
            parts += [] if numbers is None else [numbers]
            remarks = _remarks(run.account, one, proposed)
            parts += [_hanging(mark, text) for mark, text in remarks]
        return Group(*parts)

    def facts(self, run: Run) -> dict[str, Any]:
        """Return the survey as plain values."""
        proposed: set[Path] = set()
        return {
            "lists": [_list_facts(run.account, one, proposed) for one in run.detail]
        }

    def remark_lines(self, run: Run, *, more: bool, below: int) -> Iterator[str]:
        """Yield how each source is written, and what was met in it."""
        proposed: set[Path] = set()
        pairs = list(zip(run.detail, run.account.sources, strict=True))
        shown = len(pairs) if more else _MOST_LISTS
        for one, source in pairs[:shown]:
            yield from paragraph(source_words(source), "")
            for mark, text in _remarks(run.account, one, proposed):
                yield from paragraph(text, mark)
        hidden = [one for one, _ in pairs[shown:]]
        if hidden:
            wrong = sum(bool(one.warned) for one in hidden)
            look = f", {wrong:,} of them with something to look at" if wrong else ""
            said = f"{counted(len(hidden), 'more list')}{look}: add --more to see all."
            yield from paragraph(said, "! " if wrong else "")


def _list_facts(account: Account, one: Surveyed, proposed: set[Path]) -> dict[str, Any]:
    line = _line(account, one)
    source = {
        key: value
        for key, value in line.facts.items()
        if key not in ("headings", "sha256")
    }
    fields = [_field_values(fact, line) for fact in one.fields]
    warnings = [
        {
            "kind": each.kind,
            "field": each.field,
            "count": each.count,
            "text": each.text,
            "command": _command(each, line, proposed),
            "records": each.origin.record[:10].tolist(),
        }
        for each in one.warned
    ]
    return {
        "list": one.name,
        **source,
        "records": one.records,
        "blank_at_end": line.left_out,
        "set_aside": line.records_aside,
        "notes": [note.what for note in line.notes],
        "fields": fields,
        "warnings": warnings,
    }


def _field_values(fact: FieldFacts, line: Line) -> dict[str, Any]:
    values: dict[str, Any] = msgspec.to_builtins(
        fact, enc_hook=lambda value: None, str_keys=True
    )
    for key in ("found", "dates", "values", "lengths", "look_alike_example"):
        values.pop(key, None)
    values["commonest"] = [
        {"value": value, "count": count} for value, count in fact.commonest
    ]
    if fact.dates is not None:
        dates = fact.dates
        values["dates"] = {
            "pattern": dates.pattern,
            "count": dates.count,
            "day_first": dates.day_first,
            "month_first": dates.month_first,
            "two_ways": dates.two_ways,
        }
    row = line.facts["heading_row"]
    if row is not None and fact.filled:
        values["last_filled_row"] = row + fact.last_filled
    return values


def _line(account: Account, one: Surveyed) -> Line:
    return next(line for line in account.sources if line.result == one.name)


def _address(account: Account, one: Surveyed) -> str:
    address: str = _line(account, one).facts["address"]
    return address


def _facts(line: Line) -> str:
    said = [counted(line.records_out, "record"), counted(_fields(line), "field")]
    said.append(write_words(line.facts))
    if line.left_out:
        said.append(f"{counted(line.left_out, 'blank record')} at the end left out")
    if line.records_aside:
        said.append(f"{counted(line.records_aside, 'record')} set aside")
    return "; ".join(said)


def _fields(line: Line) -> int:
    return len(line.facts["headings"])


def _field_table(one: Surveyed, line: Line, width: int) -> ScreenTable:
    above = line.facts["heading_row"]
    columns = (
        "field",
        "kind",
        "filled",
        "blank",
        "distinct",
        "longest",
        "last row" if above is not None else "last",
        "gaps",
        "values",
    )
    records = []
    for fact in one.fields:
        last = str(fact.last_filled + (above or 0)) if fact.filled else ""
        records.append(
            (
                _cut(fact.field, _LONGEST_NAME),
                fact.kind_words,
                str(fact.filled),
                _unless_zero(fact.blank),
                str(fact.distinct),
                str(fact.longest),
                last,
                _unless_zero(fact.gaps),
                _values(fact),
            )
        )
    return _table(columns, records, width, left=("field", "kind", "values"))


def _number_table(one: Surveyed, width: int) -> ScreenTable | None:
    """Lay out the figures of the fields of numbers, if there are any."""
    fields = [fact for fact in one.fields if fact.sum]
    if not fields:
        return None
    names = ("negative", "zero", "positive", "not a number", "least", "greatest", "sum")
    records = []
    for fact in fields:
        counts = (fact.negative, fact.zero, fact.positive, fact.not_a_number)
        figures = (*map(str, counts), *fact.ends_shown, fact.sum)
        records.append((_cut(fact.field, _LONGEST_NAME), *figures))
    return _table(("field", *names), records, width, left=("field",))


def _table(
    columns: Sequence[str],
    records: Sequence[tuple[str, ...]],
    width: int,
    *,
    left: Sequence[str],
) -> ScreenTable:
    """
    Lay out a table whose last column takes the room that the others leave.

    In a narrow window, columns that tell least are left out.
    """
    shown = [tuple(map(visible, record)) for record in records]
    widths = [
        max(*map(cell_len, name.split("\n")), *map(cell_len, cells))
        for name, cells in zip(columns, zip(*shown, strict=True), strict=True)
    ]
    for less in _TELLS_LEAST:
        needed = sum(widths[:-1]) + _GAP_WIDTH * (len(widths) + 1)
        if width - needed >= min(widths[-1], _LEAST_GOOD) or less not in columns:
            continue
        place = list(columns).index(less)
        columns = [*columns[:place], *columns[place + 1 :]]
        shown = [(*record[:place], *record[place + 1 :]) for record in shown]
        del widths[place]
    room = width - sum(widths[:-1]) - _GAP_WIDTH * (len(widths) + 1)
    wanted = min(widths[-1], _GOOD_WIDTH)
    if room < wanted and "kind" in columns:
        # Kinds of several words are wrapped, before values are cut.
        place = columns.index("kind")
        narrow = max(_KIND_WIDTH, widths[place] - (wanted - room))
        room += widths[place] - min(narrow, widths[place])
        widths[place] = min(narrow, widths[place])
    widths[-1] = min(widths[-1], max(room, _LEAST_WIDTH))
    view = ScreenTable(
        *(
            ScreenColumn(
                name,
                justify="left" if name in left else "right",
                no_wrap=name != "kind",
                overflow="ellipsis",
                width=each,
            )
            for name, each in zip(columns, widths, strict=True)
        ),
        box=box.SIMPLE_HEAD,
        pad_edge=False,
        padding=(0, 1, 0, 0),
    )
    for record in shown:
        view.add_row(*map(Text, record))
    return view


def _unless_zero(count: int) -> str:
    return str(count) if count else ""


def _values(fact: FieldFacts) -> str:
    """Say what stands in a field: its ends, or its commonest values."""
    if (fact.least and fact.kind != "whole number") or fact.sum:
        least, greatest = fact.ends_shown
        return least if least == greatest else f"{least} … {greatest}"
    told = [
        f"{_cut(value, _LONGEST_VALUE)} ({count})" for value, count in fact.commonest
    ]
    if not told:
        told = [_cut(value, _LONGEST_VALUE) for value in fact.values]
    return ", ".join(told[:_SHOWN_VALUES])


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def _remarks(
    account: Account, one: Surveyed, proposed: set[Path]
) -> Iterator[tuple[str, str]]:
    """
    Yield what was met on reading a list, then the warnings: a mark and a text.

    Parameters
    ----------
    account : Account
    one : Surveyed
    proposed : set of Path
        The paths that commands propose to write to; each gets one of its own.
    """
    line = _line(account, one)
    names = source_places(account.sources)
    for note in (*line.notes, *one.said):
        text = note_text(note, names, speaker=COMMAND)
        yield ("! " if note.warning else "- "), text
    for found in line.findings:
        text = f"{found.message.rstrip('.')}: {places(found.origin, names)}."
        yield "! ", text
    for each in one.warned:
        yield "! ", f"{each.field}: {each.text}: {_records(each, line)}."
        yield "  ", _command(each, line, proposed)


def _records(each: Warned, line: Line) -> str:
    numbers = each.origin.record
    row = line.facts["heading_row"]
    noun, above = ("row", row) if row is not None else ("record", 0)
    first = [str(number + above) for number in numbers[:3].tolist()]
    told = first_few(first, 3, total=len(numbers), comma=",")
    return f"{noun}{'' if len(numbers) == 1 else 's'} {told}"


def _command(each: Warned, line: Line, proposed: set[Path]) -> str:
    """Return a command that runs as it stands: with all that was said of reading."""
    to = each.proposed and free_path(Path(each.proposed), proposed)
    address = line.facts["address"]
    # What came through a pipe must come so again.
    address = "-" if address == "standard input" else address
    words = [address, *reading_words(line.facts["reading"])]
    return each.command(words, str(to))


def _hanging(mark: str, text: str) -> RenderableType:
    hung = ScreenTable.grid(ScreenColumn(no_wrap=True), ScreenColumn(overflow="fold"))
    hung.add_row(Text(mark), Text(visible(text)))
    return Padding(hung, 0)
