"""The account on the screen as a cash book, with tables of findings and of sums."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

import msgspec
from rich import box
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.control import Chain
from gruff_ledger.account.ledger import Account, Balance, Line
from gruff_ledger.account.words import (
    SUM_NAMES,
    SourcePlaces,
    finding_words,
    places,
    show_values,
)
from gruff_ledger.outcome import Finding, Severity
from gruff_ledger.words import counted, visible

# Both colours can be read on a light and on a dark background.
_SEVERITY_STYLES = {
    Severity.STOP: "red",
    Severity.WARN: "dark_orange3",
    Severity.NOTE: "",
}


class _Figure(msgspec.Struct, frozen=True):
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
        _Figure("made", lambda line: line.records_made, balance.made, True),
        _Figure("out", lambda line: line.records_out, balance.records_out),
        _Figure("set\naside", lambda line: line.records_aside, balance.set_aside, True),
        _Figure("blank\nat end", lambda line: line.left_out, balance.left_out, True),
        _Figure("summed\nup", lambda line: line.summed or 0, balance.summed, True),
        _Figure("cells\nchanged", lambda line: line.cells_changed, changed, True),
    ]
    figures = [each for each in figures if each.total or not each.optional]
    view = ScreenTable(
        # In a narrow window only the addresses and the headings are wrapped.
        ScreenColumn("", footer="total", no_wrap=True),
        ScreenColumn("", overflow="fold"),
        *(
            ScreenColumn(each.heading, str(each.total), justify="right")
            for each in figures
        ),
        ScreenColumn("findings", _findings(lines), no_wrap=True),
        title=Text(visible(f"{account.title}   {account.started}"), style="bold"),
        title_justify="left",
        box=box.SIMPLE,
        padding=(0, 1, 0, 0),
        pad_edge=False,
        show_footer=True,
        header_style="",
        footer_style="bold",
    )
    in_hand = ""
    for line in lines:
        if line in account.entries[:1]:
            view.add_section()
        cells = (each.cell(line) for each in figures)
        view.add_row(*_names(line, in_hand), *cells, _findings([line]))
        in_hand = line.result
    view.add_section()
    for out in account.outs:
        view.add_row("written", Text(visible(out.address)), "", str(out.records))
    return view


def _names(line: Line, in_hand: str) -> tuple[Text, Text]:
    """Return what a line is called, and its lists if they are not the one in hand."""
    if "address" in line.facts:
        return Text(visible(line.result)), Text(visible(line.facts["address"]))
    lists = line.facts["lists"]
    told = "" if lists == [in_hand] else ", ".join(lists)
    return Text(visible(line.label)), Text(visible(told))


def control_view(chain: Chain) -> ScreenTable:
    """Lay out the sums of a field, from the sources to the outputs."""
    names = chain.sums
    view = ScreenTable(
        ScreenColumn("", no_wrap=True),
        *(ScreenColumn(SUM_NAMES[name], justify="right") for name in names),
        title=Text(visible(f"Control total of {chain.field}"), style="bold"),
        title_justify="left",
        box=box.SIMPLE,
        padding=(0, 1, 0, 0),
        pad_edge=False,
        header_style="",
    )
    for part in (chain.sources, chain.entries, chain.outs):
        for step in part:
            written = "written " if part is chain.outs else ""
            view.add_row(Text(visible(written + step.label)), *step.words(names))
        view.add_section()
    return view


def findings_view(findings: Sequence[Finding], sources: SourcePlaces) -> ScreenTable:
    """
    Lay out findings by severity, field and rule, with counts and the first of each.

    Parameters
    ----------
    findings : sequence of Finding, at least one
    sources : SourcePlaces
    """
    by_field = Counter[str]()
    for found in findings:
        by_field[found.field] += len(found.origin)
    fields = list(by_field)
    view = ScreenTable(
        ScreenColumn("", no_wrap=True),
        ScreenColumn("field", overflow="fold"),
        ScreenColumn("records", justify="right", no_wrap=True),
        ScreenColumn("finding", overflow="fold", ratio=3),
        ScreenColumn("the first", overflow="fold", ratio=2),
        title=Text(findings_title(findings), style="bold"),
        title_justify="left",
        box=box.SIMPLE,
        padding=(0, 1, 0, 0),
        pad_edge=False,
        header_style="",
    )
    ordered = sorted(
        findings,
        key=lambda found: (
            -found.severity.rank,
            fields.index(found.field),
            -len(found.origin),
        ),
    )
    before = None
    for found in ordered:
        same = (found.severity, found.field)
        severity = Text(str(found.severity), style=_SEVERITY_STYLES[found.severity])
        first = places(found.origin, sources, show_values(found))
        view.add_row(
            severity if before is None or before[0] != same[0] else "",
            Text(visible(found.field)) if before != same else "",
            str(len(found.origin)),
            Text(visible(finding_words(found))),
            Text(visible(first)),
        )
        before = same
    return view


def findings_title(findings: Sequence[Finding]) -> str:
    """Count findings by severity and by field."""
    by_severity, by_field = Counter[Severity](), Counter[str]()
    for found in findings:
        by_severity[found.severity] += len(found.origin)
        by_field[found.field or "the record"] += len(found.origin)
    severities = [
        f"{by_severity[each]} {each}"
        for each in reversed(Severity)
        if by_severity[each]
    ]
    fields = [f"{visible(field)} {count}" for field, count in by_field.most_common(6)]
    more = len(by_field) - len(fields)
    tail = f" and {counted(more, 'field')} more" if more else ""
    return f"Findings: {', '.join(severities)}. By field: {', '.join(fields)}{tail}."


def _findings(lines: list[Line]) -> Text:
    """Count findings by severity, the worst first; colour only repeats the word."""
    parts = [
        Text(f"{count} {severity}", style=style)
        for severity, style in _SEVERITY_STYLES.items()
        if (count := sum(line.findings_of(severity) for line in lines))
    ]
    return Text(", ").join(parts)
