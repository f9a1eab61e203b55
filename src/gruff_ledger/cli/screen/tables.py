"""Tables on the screen: a list fitted to the window, and the account as a cash book."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence

import msgspec
from rich import box
from rich.cells import cell_len
from rich.console import Group
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
from gruff_ledger.table import Table
from gruff_ledger.words import counted, visible

# Lines of the window that the heading, its rule, the count of the rest and the next
# prompt take.
_OTHER_LINES = 8
_LEAST_RECORDS = 5

# A column cut narrower than this shows nothing useful: fields that would be are left
# out and named.
_LEAST_WIDTH = 8

# The longest bar, in characters.
_BAR_CELLS = 12

# What rich puts between two columns of this kind of table.
_GAP_WIDTH = 3

# Both colours can be read on a light and on a dark background.
_SEVERITY_STYLES = {
    Severity.STOP: "red",
    Severity.WARN: "dark_orange3",
    Severity.NOTE: "",
}

_NUMBER = re.compile(r"\s*[-+]?[\d.,]*\d[\d.,]*%?\s*")


def list_view(
    table: Table,
    width: int,
    height: int,
    used_lines: int = 0,
    measured: str = "",
    findings: Sequence[Finding] = (),
    *,
    found_in: SourcePlaces | None = None,
) -> Group:
    """
    Lay out the first records of a list for a window of that size, in characters.

    Fields whose shown cells are numbers for the most part are aligned to the right.
    Where not all fits, the widest fields are cut first; what is not shown is counted
    below.

    Parameters
    ----------
    table : Table
    width, height : int
        Of the window.
    used_lines : int
        Lines that will be shown below the list.
    measured : str
        The heading of a field of whole numbers, of which a bar is drawn.
    findings : sequence of Finding
        Cells that were found stand out.
    found_in : SourcePlaces, optional
        To show only records with findings, where there are any, each with its place.
    """
    most = max(_LEAST_RECORDS, height - _OTHER_LINES - used_lines)
    clean = 0
    rows: list[str] = []
    if found_in is not None and findings:
        from gruff_ledger.lists.outputs.cell_findings import records_found

        places = records_found(table, findings)
        if len(places):
            clean = len(table) - len(places)
            table = table.pick_records(places)
            rows = _rows_of(table.cut_records(0, most), found_in)
    records = [tuple(map(visible, record)) for record in table.records(0, most)]
    headings = [visible(heading) for heading in table.headings]
    found = _found_cells(table.cut_records(0, len(records)), findings)
    if measured in table.headings:
        place = table.headings.index(measured)
        bars = _bars([record[place] for record in records], table, measured)
        headings.insert(place + 1, "")
        records = [
            (*record[: place + 1], bar, *record[place + 1 :])
            for record, bar in zip(records, bars, strict=True)
        ]
    if rows:
        headings = ["row", *headings]
        records = [(row, *rec) for row, rec in zip(rows, records, strict=True)]
        found = {
            (record, None if place is None else place + 1) for record, place in found
        }
    shown = zip(headings, *records, strict=True)
    natural = [max(map(cell_len, texts)) for texts in shown]
    widths = _fitted(natural, width)
    view = ScreenTable(
        *(
            ScreenColumn(
                Text(headings[place]),
                justify="right" if _are_mostly_numbers(records, place) else "left",
                no_wrap=True,
                overflow="ellipsis",
                width=widths[place],
            )
            for place in range(len(widths))
        ),
        box=box.SIMPLE_HEAD,
        pad_edge=False,
    )
    for number, record in enumerate(records):
        view.add_row(
            *(
                Text(cell, style="bold underline" if (number, place) in found else "")
                for place, cell in enumerate(record[: len(widths)])
            )
        )
    rest = _rest(len(table) - len(records), headings[len(widths) :], clean)
    return Group(view, *rest)


def _rows_of(table: Table, sources: SourcePlaces) -> list[str]:
    """Return the row of each record as its source shows it, with that if several."""
    origin = table.places
    several = len(set(origin.source.tolist())) > 1
    rows = []
    for source, record in zip(
        origin.source.tolist(), origin.record.tolist(), strict=True
    ):
        row = sources.tell(source, record).removeprefix("row ")
        rows.append(f"{visible(sources.names[source])}, {row}" if several else row)
    return rows


def _found_cells(
    table: Table, findings: Sequence[Finding]
) -> set[tuple[int, int | None]]:
    """Return the cells of the records shown that findings are on."""
    if not findings:
        return set()
    from gruff_ledger.lists.outputs.cell_findings import remarks_on

    return {(remark.record, remark.field) for remark in remarks_on(table, findings).all}


def _bars(numbers: list[str], table: Table, measured: str) -> list[str]:
    """Draw whole numbers as bars, the greatest of the field as long as it may be."""
    most = max(map(int, table.cells(measured).to_pylist()), default=0)
    eighths = [round(int(number) * _BAR_CELLS * 8 / max(most, 1)) for number in numbers]
    return [
        "█" * (length // 8) + ("", *"▏▎▍▌▋▊▉")[length % 8] if length else "▏"
        for length in eighths
    ]


def _fitted(natural: list[int], width: int) -> list[int]:
    """Return the widths of the first columns that fit, the widest ones cut alike."""
    for count in range(len(natural), 0, -1):
        room = width - _GAP_WIDTH * count
        widths = sorted(natural[:count])
        for place, each in enumerate(widths):
            most = room // (count - place)
            if each > most:
                break
            room -= each
        else:
            return natural[:count]
        if most >= _LEAST_WIDTH or count == 1:
            return [min(each, max(most, 1)) for each in natural[:count]]
    return []


def _are_mostly_numbers(records: list[tuple[str, ...]], place: int) -> bool:
    cells = [record[place] for record in records if record[place].strip()]
    return 2 * sum(map(bool, map(_NUMBER.fullmatch, cells))) > len(cells)


def _rest(records: int, fields: list[str], clean: int) -> list[Text]:
    said = []
    if records > 0:
        said.append(counted(records, "more record"))
    if clean:
        has = counted(clean, "more record has", "more records have")
        said.append(f"{has} no findings")
    if fields:
        said.append("more fields: " + ", ".join(fields))
    return [Text(visible("; ".join(said)))] if said else []


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
