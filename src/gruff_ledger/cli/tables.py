"""Tables on the screen: a list fitted to the window, and the account as a cash book."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from rich import box
from rich.console import Group
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.ledger import Account, Balance, Line
from gruff_ledger.cli.words import visible
from gruff_ledger.outcome import Severity
from gruff_ledger.table import Table

# Lines of the window that the heading, its rule, the count and the summary take.
_OTHER_LINES = 12
_LEAST_RECORDS = 5

# A column narrower than this shows nothing useful: fields beyond the window are named.
_LEAST_WIDTH = 8

_NUMBER = re.compile(r"\s*[-+]?[\d.,]*\d[\d.,]*\s*")


def list_view(table: Table, width: int, height: int) -> Group:
    """
    Lay out the first records of a list for a window of that size, in characters.

    Fields whose shown cells are all numbers are aligned to the right. What does not
    fit is counted below.
    """
    most = max(_LEAST_RECORDS, height - _OTHER_LINES)
    records = table.records(0, most)
    fields = max(1, min(len(table.headings), width // _LEAST_WIDTH))
    view = ScreenTable(
        *(
            ScreenColumn(
                Text(visible(heading)),
                justify="right" if _all_numbers(records, place) else "left",
                no_wrap=True,
                overflow="ellipsis",
            )
            for place, heading in enumerate(table.headings[:fields])
        ),
        box=box.SIMPLE_HEAD,
        pad_edge=False,
    )
    for record in records:
        view.add_row(*(Text(visible(cell)) for cell in record[:fields]))
    return Group(view, *_rest(len(table) - len(records), table.headings[fields:]))


def _all_numbers(records: list[tuple[str, ...]], place: int) -> bool:
    cells = [record[place] for record in records if record[place].strip()]
    return bool(cells) and all(map(_NUMBER.fullmatch, cells))


def _rest(records: int, fields: tuple[str, ...]) -> list[Text]:
    said = []
    if records > 0:
        said.append(f"{records} more {'record' if records == 1 else 'records'}")
    if fields:
        said.append("more fields: " + ", ".join(map(visible, fields)))
    return [Text("; ".join(said))] if said else []


@dataclass(frozen=True, slots=True)
class _Figure:
    """A column of numbers in the account; one that is optional may be left out."""

    heading: str
    of_line: Callable[[Line], int]
    total: int
    optional: bool = False

    def cell(self, line: Line) -> str:
        number = self.of_line(line)
        return str(number) if number or not self.optional else ""


def account_view(account: Account, balance: Balance) -> ScreenTable:
    """Lay out the account: what came in, what each entry did, what went out."""
    lines = list(account.lines())
    changed = sum(line.cells_changed for line in lines)
    figures = [
        _Figure("in", lambda line: line.records_in, balance.records_in),
        _Figure("out", lambda line: line.records_out, balance.records_out),
        _Figure("set aside", lambda line: line.records_aside, balance.set_aside, True),
        _Figure("blank at end", lambda line: line.left_out, balance.left_out, True),
        _Figure("cells changed", lambda line: line.cells_changed, changed, True),
    ]
    figures = [each for each in figures if each.total or not each.optional]
    view = ScreenTable(
        "",
        ScreenColumn("", no_wrap=True, overflow="ellipsis"),
        *(ScreenColumn(each.heading, justify="right") for each in figures),
        "findings",
        title=Text(visible(f"{account.title}   {account.started}"), style="bold"),
        title_justify="left",
        box=box.SIMPLE_HEAD,
        pad_edge=False,
        show_footer=False,
    )
    for section, told in (
        (account.sources, lambda line: line.facts["address"]),
        (account.entries, lambda line: ", ".join(line.facts["lists"])),
    ):
        for line in section:
            name = line.label if section is account.entries else line.result
            cells = (each.cell(line) for each in figures)
            about = Text(visible(told(line)))
            view.add_row(Text(visible(name)), about, *cells, _findings([line]))
        view.add_section()
    for out in account.outs:
        view.add_row("written", Text(visible(out.address)), "", str(out.records))
    view.add_section()
    totals = (str(each.total) for each in figures)
    view.add_row("total", "", *totals, _findings(lines), style="bold")
    return view


def _findings(lines: list[Line]) -> Text:
    """Count findings by severity, the worst first; colour only repeats the word."""
    styles = {Severity.STOP: "red", Severity.WARN: "yellow", Severity.NOTE: ""}
    parts = [
        Text(f"{count} {severity}", style=style)
        for severity, style in styles.items()
        if (count := sum(line.findings_of(severity) for line in lines))
    ]
    return Text(", ").join(parts)
