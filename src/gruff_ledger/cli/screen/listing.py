"""A list on the screen: the fields and records that show something, fitted to a window.

Fields that come first are shown at their full width; the others share the room that is
left. Headings are wrapped, so that a column is as wide as its cells need.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Literal, NamedTuple

import numpy as np
from rich import box
from rich.cells import cell_len, set_cell_size
from rich.console import Group
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.words import SourcePlaces
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.outcome import Finding
from gruff_ledger.table import Table
from gruff_ledger.words import counted, visible

# Lines of the window that the heading, its rule, the count of the rest and the next
# prompt take.
OTHER_LINES = 9
LEAST_RECORDS = 5

# A column cut narrower than this shows nothing useful: fields that would be are left
# out and named. Dates and amounts are no wider, and so never cut.
_LEAST_WIDTH = 12

# Of less, one end is all that can be shown.
_LEAST_CUT = 8

# The longest bar, in characters.
_BAR_CELLS = 12

# What rich puts between two columns of this kind of table.
_GAP_WIDTH = 3

# A heading is wrapped to no more lines, and its words are not cut above this width.
_HEADING_LINES = 3
_LONGEST_WORD = 20

# What identifies a record differs in so many of the first.
_TRIED_RECORDS = 200

# Numbers are aligned at their point up to so many decimals.
_MOST_DECIMALS = 6

_NUMBER = late_pattern(r"\s*[-+]?[\d.,]*\d[\d.,]*%?\s*")
_PIECE = late_pattern(r"[^\s_\-/.]*[\s_\-/.]*")
_LAST_SIGN = late_pattern(r"([.,])(\d*)%?\s*$")


class Window(NamedTuple):
    """A window's size in characters; its height less the lines shown below a list."""

    width: int
    height: int = 0


class ListTerms(NamedTuple):
    """
    What is to be shown of a list where not all of it fits.

    Attributes
    ----------
    first : tuple of str
        Headings of the fields that come first.
    measured : str
        The heading of a field of whole numbers, of which a bar is drawn.
    findings : sequence of Finding
        Cells that were found stand out.
    places : SourcePlaces
        What tells the rows of records.
    picks : str
        ``first``: the first records; ``found``: those with findings, if there are any;
        ``both``: the first of those with findings and of those without. Picked records
        are shown with their rows.
    start : int
        The first record that is shown, of all.
    skip : int
        How many fields behind the first one are left out.
    """

    first: tuple[str, ...] = ()
    measured: str = ""
    findings: Sequence[Finding] = ()
    places: SourcePlaces = SourcePlaces()
    picks: Literal["first", "found", "both"] = "first"
    start: int = 0
    skip: int = 0


class _Column(NamedTuple):
    """A column as it can be shown; `field` is its place in the list, if it has one."""

    heading: str
    cells: list[str]
    field: int | None
    is_number: bool = False
    is_first: bool = False

    @property
    def width(self) -> int:
        """How wide it is with nothing cut."""
        cells = max(map(cell_len, self.cells), default=0)
        return max(cells, _heading_width(self.heading))


_NO_TERMS = ListTerms()


def list_view(table: Table, window: Window, terms: ListTerms = _NO_TERMS) -> Group:
    """
    Lay out a list for a window.

    Fields whose shown cells are numbers for the most part are aligned to the right.
    What is not shown is counted below.
    """
    most = records_in(window)
    picked, rest = _pick_records(table, terms, most)
    if picked is None:
        shown = table.cut_records(terms.start, terms.start + most)
    else:
        shown = table.pick_records(picked)
    columns = _columns(shown, terms)
    columns = columns[:1] + columns[1 + terms.skip :]
    widths = _fit_columns(columns, window.width)
    if picked is not None:
        row = _Column("row", list(_rows_of(shown, terms.places)), None)
        columns = [row, *columns]
        room = window.width - row.width - _GAP_WIDTH
        widths = [(0, row.width)] + [
            (place + 1, width) for place, width in _fit_columns(columns[1:], room)
        ]
    found = _found_cells(shown, terms.findings)
    view = ScreenTable(
        *(
            ScreenColumn(_heading(columns[place], width), no_wrap=True, width=width)
            for place, width in widths
        ),
        box=box.SIMPLE_HEAD,
        pad_edge=False,
    )
    for number in range(len(shown)):
        view.add_row(
            *(
                _cell(columns[place], number, width, found=found)
                for place, width in widths
            )
        )
    here = {place for place, _ in widths}
    gone = [each.heading for at, each in enumerate(columns) if at not in here]
    if gone:
        rest = [*rest, f"more fields: {', '.join(filter(None, gone))}"]
    return Group(view, *([Text(visible("; ".join(rest)))] if rest else []))


def records_in(window: Window) -> int:
    """Return how many records a window shows at a time."""
    return max(LEAST_RECORDS, window.height - OTHER_LINES)


def _heading(column: _Column, width: int) -> Text:
    lines = _wrapped_heading(column.heading, width)
    if column.is_number:
        lines = [" " * (width - cell_len(line)) + line for line in lines]
    return Text("\n".join(lines))


def _cell(
    column: _Column, number: int, width: int, *, found: set[tuple[int, int | None]]
) -> Text:
    """Return a cell cut to a width; numbers with their spaces on both sides."""
    text = cut_cell(column.cells[number], width)
    padding = " " * (width - cell_len(text)) if column.is_number else ""
    is_found = bool(column.heading) and (number, column.field) in found
    return Text(padding).append(text, style="bold underline" if is_found else "")


def _pick_records(
    table: Table, terms: ListTerms, most: int
) -> tuple[np.ndarray | None, list[str]]:
    """Return the places of the records to be shown, and what is said of the others."""
    more = len(table) - terms.start - most
    first = [counted(more, "more record")] if more > 0 else []
    if terms.picks == "first" or not terms.findings:
        return None, first
    from gruff_ledger.lists.outputs.cell_findings import records_found

    found = records_found(table, terms.findings)
    clean = len(table) - len(found)
    if not len(found):
        return None, first
    if terms.picks == "found":
        rest = []
        if len(found) > most:
            rest.append(counted(len(found) - most, "more record"))
        if clean:
            has = counted(clean, "more record has", "more records have")
            rest.append(f"{has} no findings")
        return found[:most], rest
    if more <= 0:
        return np.arange(len(table)), []
    others = np.setdiff1d(np.arange(min(len(table), most + len(found))), found)
    part = min(len(found), max(most // 2, most - len(others)))
    left = len(found) - part
    told = f", {left} of them with findings" if left else ""
    return np.union1d(found[:part], others[: most - part]), [f"{first[0]}{told}"]


def _rows_of(table: Table, sources: SourcePlaces) -> Iterator[str]:
    """Yield the row of each record as its source shows it, with that if several."""
    origin = table.places
    several = len(np.unique(origin.source)) > 1
    for at in range(len(table)):
        yield visible(sources.cite(origin, at, with_name=several))


def _columns(table: Table, terms: ListTerms) -> list[_Column]:
    """Return a column of each field, and one of bars behind the field measured."""
    records = [tuple(map(visible, record)) for record in table.records(0, len(table))]
    firsts = {heading.casefold() for heading in terms.first}
    columns = []
    for field, heading in enumerate(table.headings):
        cells = [record[field] for record in records]
        is_number = _are_mostly_numbers(cells)
        column = _Column(
            visible(heading),
            _aligned(cells) if is_number else cells,
            field,
            is_number,
            heading.casefold() in firsts,
        )
        columns.append(column)
        if terms.measured and heading == terms.measured:
            columns.append(_Column("", _bars(cells), field, False, column.is_first))
    return columns


def _fit_columns(columns: Sequence[_Column], width: int) -> list[tuple[int, int]]:
    """Return which columns fit into a width, in order, and how wide each is."""
    natural = [each.width for each in columns]
    every = range(len(columns))
    if sum(natural) + _GAP_WIDTH * len(natural) <= width:
        return list(zip(every, natural, strict=True))
    first = [place for place in every if columns[place].is_first]
    if first:
        key = _identifying(columns)
        first = [key] * (key not in first) + first
    others = [place for place in every if place not in first]
    longest = max(30, width // 2)
    widths = _fitted([min(natural[place], longest) for place in first], width)
    shown = list(zip(first, widths, strict=False))
    room = width - sum(widths) - _GAP_WIDTH * len(widths)
    if room >= _LEAST_WIDTH + _GAP_WIDTH or not shown:
        more = _fitted([natural[place] for place in others], room)
        shown += zip(others, more, strict=False)
    return shown


def _identifying(columns: Sequence[_Column]) -> int:
    """Return the first column whose cells all differ, or else the first one."""
    for place, column in enumerate(columns):
        cells = column.cells[:_TRIED_RECORDS]
        if all(cells) and len(set(cells)) == len(cells):
            return place
    return 0


def _fitted(natural: Sequence[int], width: int) -> list[int]:
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
            return list(natural[:count])
        if most >= _LEAST_WIDTH or count == 1:
            return [min(each, max(most, 1)) for each in natural[:count]]
    return []


def _found_cells(
    table: Table, findings: Sequence[Finding]
) -> set[tuple[int, int | None]]:
    """Return the cells of the records shown that findings are on."""
    if not findings:
        return set()
    from gruff_ledger.lists.outputs.cell_findings import remarks_on

    return {(remark.record, remark.field) for remark in remarks_on(table, findings).all}


def _bars(numbers: Sequence[str]) -> list[str]:
    """Draw whole numbers as bars, the greatest of them as long as it may be."""
    most = max(map(int, numbers), default=0)
    eighths = [round(int(number) * _BAR_CELLS * 8 / max(most, 1)) for number in numbers]
    return [
        "█" * (length // 8) + ("", *"▏▎▍▌▋▊▉")[length % 8] if length else "▏"
        for length in eighths
    ]


def _are_mostly_numbers(cells: Iterable[str]) -> bool:
    filled = [cell for cell in cells if cell.strip()]
    return 2 * sum(map(bool, map(_NUMBER.fullmatch, filled))) > len(filled)


def _aligned(cells: Sequence[str]) -> list[str]:
    """Pad numbers behind, so that their points stand below each other."""
    sign = _decimal_sign(cells)
    if not sign:
        return list(cells)
    decimals = [len(cell) - cell.rfind(sign) if sign in cell else 0 for cell in cells]
    most = max(decimals)
    if most > _MOST_DECIMALS + 1:
        return list(cells)
    return [
        cell + " " * (most - has) if _NUMBER.fullmatch(cell) else cell
        for cell, has in zip(cells, decimals, strict=True)
    ]


def _decimal_sign(cells: Iterable[str]) -> str:
    """Return what begins decimals in a field, where one cell leaves no doubt."""
    for cell in cells:
        match = _LAST_SIGN.search(cell) if _NUMBER.fullmatch(cell) else None
        if match is None:
            continue
        sign, decimals = match.groups()
        is_lone = cell.count(sign) == 1
        has_other = ("," if sign == "." else ".") in cell
        if is_lone and (len(decimals) != 3 or has_other or cell.strip()[0] == "0"):
            return sign
    return ""


def cut_cell(text: str, width: int) -> str:
    """
    Return a text that is no wider; codes and paths keep their end.

    Examples
    --------
    >>> cut_cell("berths/2026/north-quay.csv", 16)
    'berths/…quay.csv'
    >>> cut_cell("a berth at the north quay", 16)
    'a berth at the …'
    """
    if cell_len(text) <= width:
        return text
    if " " in text or width < _LEAST_CUT:
        return set_cell_size(text, width - 1) + "…"
    behind = width // 2
    tail = set_cell_size(text[::-1], behind)[::-1]
    return set_cell_size(text, width - 1 - behind) + "…" + tail


def _heading_width(heading: str) -> int:
    """Return the least width of a column that a heading can be wrapped into."""
    if cell_len(heading) != len(heading):
        return cell_len(heading)
    pieces = [piece.rstrip() for piece in _PIECE.findall(heading)]
    longest = min(max(map(len, pieces), default=0), _LONGEST_WORD)
    for width in range(longest, len(heading)):
        if len(_wrapped(heading, width)) <= _HEADING_LINES - 1:
            return width
    return len(heading)


def _wrapped_heading(heading: str, width: int) -> list[str]:
    """Return a heading in no more lines than it may have."""
    if cell_len(heading) <= width:
        return [heading]
    lines = _wrapped(heading, width)
    if len(lines) > _HEADING_LINES:
        last = " ".join(lines[_HEADING_LINES - 1 :])
        lines = [*lines[: _HEADING_LINES - 1], cut_cell(last, width)]
    return [cut_cell(line, width) for line in lines]


def _wrapped(heading: str, width: int) -> list[str]:
    """Break a heading between words, and behind what joins the parts of names."""
    lines = [""]
    for piece in _PIECE.findall(heading):
        if lines[-1] and len(lines[-1] + piece.rstrip()) > width:
            lines.append("")
        lines[-1] += piece
    return [line.rstrip() for line in lines]
