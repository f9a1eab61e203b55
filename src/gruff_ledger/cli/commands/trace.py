"""The command `trace`: where a record or a cell came from, and where one went."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click
import msgspec

from gruff_ledger.account.trail import TRAIL_FILE
from gruff_ledger.account.trail.answers import (
    Cell,
    Fate,
    Parts,
    Place,
    Remark,
    Sent,
    Step,
    Traced,
)
from gruff_ledger.account.trail.nearby import find_answer
from gruff_ledger.account.words import time_words
from gruff_ledger.cli.screen.paragraphs import paragraph
from gruff_ledger.field_names import parse_names, parse_pair
from gruff_ledger.problems import BadTerms, UnreadableSource
from gruff_ledger.words import counted, first_few, visible
from gruff_ledger.work.registry import made_words

if TYPE_CHECKING:
    from rich.console import RenderableType

# Record numbers that are told where several records have a key.
_TOLD_NUMBERS = 12

# Endings of results that know records, and no rows.
_WITHOUT_ROWS = (".json", ".jsonl", ".ndjson", ".parquet", ".db", ".sqlite")


def _trace(
    said: str,
    record: int | None,
    row: int | None,
    key: tuple[str, ...],
    fields: tuple[str, ...],
    ledger: Path | None,
    as_json: bool,
) -> int:
    ways = sum((record is not None, row is not None, bool(key)))
    if ways != 1:
        raise BadTerms(
            "the record was given in several ways." if ways else "no record was given.",
            "Give one of `row`, `record` and `key`.",
        )
    answer = find_answer(said, ledger, made_words=made_words)
    tracing, kind, at = answer.tracing, answer.kind, answer.position
    if row is not None:
        record = tracing.record_in_row(at if kind == "source" else None, row)
    notes: list[str] = [answer.note] if answer.note else []
    if kind == "source":
        if fields:
            raise BadTerms(
                "a record of a source is followed whole.",
                "Leave it out, or trace a record of a result.",
                term="field",
            )
        number = record or _take_first_number(
            tracing.records_of_source(at, _wanted(key)), notes, said
        )
        found: Sent | Traced = tracing.forth(at, number)
    else:
        number = record or _take_first_number(
            tracing.records_with(at, _wanted(key)), notes, said
        )
        names = [name for each in fields for name in parse_names(each)]
        found = tracing.back(at, number, names)
    found = msgspec.structs.replace(
        found, ledger=str(_seen(tracing.place)), started=tracing.started
    )
    if as_json:
        text = msgspec.json.format(msgspec.json.encode(found), indent=2)
        click.echo(text.decode("utf-8"))
        return 0

    from gruff_ledger.cli.screen.paragraphs import screen

    console = screen(sys.stdout)
    lines = sent_view(found) if isinstance(found, Sent) else view_trace(found)
    for each in lines:
        console.print(each, soft_wrap=isinstance(each, str))
    for said_too in (*notes, *_missing_words(found.missing)):
        for line in paragraph(said_too, "! "):
            click.echo(line, err=True)
    made = f"Told by the ledger in {found.ledger}, made {time_words(found.started)}."
    for line in paragraph(visible(made), "- "):
        click.echo(line, err=True)
    return 0


def _seen(folder: Path) -> Path:
    """Return a folder as it is seen from here, where it lies below."""
    here = Path.cwd()
    return folder.relative_to(here) if folder.is_relative_to(here) else folder


def _wanted(key: Sequence[str]) -> dict[str, str]:
    """Read keys of the form FIELD=VALUE."""
    wanted = {}
    for each in key:
        field, value = parse_pair(each)
        wanted[field] = value
    return wanted


def _take_first_number(
    found: tuple[list[int], bool], notes: list[str], said: str
) -> int:
    """Take the first of the records that have a key, and say that there are others."""
    numbers, is_all = found
    if not numbers:
        raise UnreadableSource(
            "no record of it has that key."
            if is_all
            else "none of the first records that may have that key has it.",
            "Correct the key; cells are compared to the character.",
            file=said,
        )
    if len(numbers) > 1 or not is_all:
        told = first_few([*map(str, numbers)], _TOLD_NUMBERS)
        count = counted(len(numbers), "record") if is_all else "Very many records"
        notes.append(
            f"{count} have that key: {told}. The first is shown; to see another, "
            "use --record."
        )
    return numbers[0]


# What is shown -------------------------------------------------------------------


def view_trace(traced: Traced) -> Iterator[RenderableType]:
    """
    Lay out a record that was traced back.

    Parameters
    ----------
    traced : Traced
    """
    from rich.text import Text

    yield Text(visible(_result_place(traced.result, traced.record)), style="bold")
    yield _cells_table(traced.cells)
    for number, place in enumerate(traced.places):
        if number:
            yield ""
        yield Text(f"It is {_place_words(place)}:")
        yield _line(place)
    if traced.folded:
        yield ""
        yield Text(f"{counted(len(traced.folded), 'record')} folded into it:")
        for each in traced.folded:
            yield Text(f"  {_place_words(each.place)}")
            yield _line(each.place)
            yield Text(visible(f"    {each.entry}: {each.reason}"))
    figures = [each for each in traced.cells if each.parts is not None]
    if len(figures) == 1 and figures[0].parts is not None:
        yield from _parts_view(
            figures[0].parts, f"{figures[0].field} = {figures[0].value}"
        )
    elif traced.parts is not None:
        yield from _parts_view(traced.parts, "The record")
    yield from _remarks_view(traced.remarks)


def sent_view(sent: Sent) -> Iterator[RenderableType]:
    """Lay out what became of a record of a source."""
    from rich.text import Text

    yield Text(visible(f"{_place_words(sent.place)}"), style="bold")
    yield _line(sent.place)
    yield ""
    for fate in sent.fates:
        yield Text(visible(f"  {_fate_words(fate)}"))
    yield from _remarks_view(sent.remarks)


def _cells_table(cells: Sequence[Cell]) -> RenderableType:
    from rich import box
    from rich.table import Table as ScreenTable
    from rich.text import Text

    view = ScreenTable(box=box.SIMPLE_HEAD, pad_edge=False)
    view.add_column("field")
    view.add_column("value")
    view.add_column("how it came there")
    for cell in cells:
        steps = _way_words(cell)
        value = "?" if cell.value is None else visible(cell.value)
        view.add_row(
            visible(cell.field), Text(value), Text("\n".join(map(visible, steps)))
        )
    return view


def _way_words(cell: Cell) -> list[str]:
    """Say how a cell came there, a line a step."""
    *before, last = cell.steps
    if not before and last.now is not None and last.what != "lost":
        # The value stands beside it.
        said = _step_words(last, cell.field)
        if cell.parts is not None:
            said = _parts_words(cell.parts)
        return [said]
    return [f"{_step_words(step, '')}: {_value_words(step)}" for step in cell.steps]


def _value_words(step: Step) -> str:
    return "not known, the ledger is damaged" if step.now is None else f"'{step.now}'"


def _step_words(step: Step, field: str) -> str:
    if step.what == "source":
        assert step.place is not None
        under = "" if step.field == field else f", {step.field}"
        return f"as in {_short_place(step.place)}{under}"
    if step.what == "blank":
        return f"{step.entry}, whose list has no such field"
    if step.what == "made":
        by = f", {step.by}" if step.by else ""
        if step.place is not None:
            by += f" of {_short_place(step.place)}"
        return f"{step.entry}{by}"
    return f"{step.entry} changed it" if step.what == "changed" else step.entry


def _place_words(place: Place) -> str:
    return visible(f"{_short_place(place)} of {place.address}")


def _result_place(address: str, record: int) -> str:
    """Return where a record of a result is: its row, below a heading in row 1."""
    path = address.partition("#")[0].lower()
    knows_rows = "://" not in path and not path.endswith(_WITHOUT_ROWS)
    where = f"row {record + 1}" if knows_rows else f"record {record}"
    return f"{address}, {where}"


def _short_place(place: Place) -> str:
    """Return a record's list and row, or its number where lists know no rows."""
    where = f"record {place.record}" if place.row is None else f"row {place.row}"
    return f"{place.source}, {where}"


def _line(place: Place) -> RenderableType:
    from rich.text import Text

    return Text(visible(f"    {place.text}"))


def _parts_words(parts: Parts) -> str:
    said = f"{parts.entry}, {parts.figure} of {counted(parts.count, 'record')}"
    return said if parts.total is None else f"{said}: {parts.total}"


def _parts_view(parts: Parts, said: str) -> Iterator[RenderableType]:
    from rich.text import Text

    yield ""
    yield Text(visible(f"{said}: {_parts_words(parts)}"))
    width = max((len(part.value) for part in parts.shown), default=0)
    for part in parts.shown:
        field = f", {part.field}" if part.field else ""
        where = f"{_short_place(part.place)}{field}"
        value = f"{part.value:>{width}}  " if width else ""
        yield Text(visible(f"    {value}{where}"))
    if parts.count > len(parts.shown):
        yield Text(f"    and {counted(parts.count - len(parts.shown), 'more record')}")
    if parts.total is not None:
        yield Text(f"    {parts.total:>{width}}  in all")


def _fate_words(fate: Fate) -> str:
    if fate.is_others:
        own = msgspec.structs.replace(fate, is_others=False)
        return f"  the record it was folded into {_fate_words(own)}"
    if fate.what == "out":
        assert fate.record is not None
        return f"went out in {_result_place(fate.at, fate.record)}"
    if fate.what == "aside":
        return f"was set aside: {fate.at}: {fate.reason}"
    if fate.what == "folded":
        into = ""
        if fate.place is not None:
            into = f" into {_short_place(fate.place)}"
        return f"was folded{into}: {fate.at}: {fate.reason}"
    if fate.what == "figures" and not fate.count:
        return f"was looked at: {fate.at}, and is in no record of its result"
    if fate.what == "figures":
        return f"went into figures: {fate.at}, in {counted(fate.count, 'record')}"
    if fate.what == "made":
        return f"became {counted(fate.count, 'record')}: {fate.at}"
    if fate.what == "drawn":
        return f"was looked up: {fate.at}, for {counted(fate.count, 'record')}"
    if fate.what == "idle":
        return f"was looked into: {fate.at}, and drawn for no record"
    return f"ended in the list '{fate.at}', which was written nowhere"


def _remarks_view(remarks: Sequence[Remark]) -> Iterator[RenderableType]:
    from rich.text import Text

    if remarks:
        yield ""
    for each in remarks:
        field = f"{each.field}: " if each.field else ""
        yield Text(visible(f"! {each.entry}, {each.severity}: {field}{each.message}"))


def _missing_words(missing: Sequence[str]) -> list[str]:
    if not missing:
        return []
    return [
        f"The ledger is damaged: {', '.join(missing)} in {TRAIL_FILE} cannot be read, "
        "and what depends on it is not known."
    ]


COMMANDS = {
    "trace": click.Command(
        "trace",
        params=[
            click.Argument(["said"], metavar="LIST"),
            click.Option(
                ["--row"],
                type=click.IntRange(min=1),
                metavar="NUMBER",
                help="The record by its row, as the list shows it.",
            ),
            click.Option(
                ["--record"],
                type=click.IntRange(min=1),
                metavar="NUMBER",
                help="The record by its number, from 1 below the heading.",
            ),
            click.Option(
                ["--key"],
                multiple=True,
                metavar="FIELD=VALUE",
                help="The record by what it has in a field. May be repeated.",
            ),
            click.Option(
                ["--field", "fields"],
                multiple=True,
                metavar="FIELD, …",
                help="Trace these cells alone.",
            ),
            click.Option(
                ["--ledger"],
                type=click.Path(path_type=Path),
                metavar="DIR",
                help="The folder of the ledger; else the one near the list.",
            ),
            click.Option(["--json", "as_json"], is_flag=True, help="Answer as JSON."),
        ],
        callback=_trace,
        help="Tell where a record of a result came from, or where one of a source "
        "went.\n\nLIST is a result or a source of a run that kept its ledger: its "
        "path, or its name in the account. All is told from the ledger; neither needs "
        "to be there any more.",
        short_help="Tell where a record came from, and what touched it.",
    )
}
