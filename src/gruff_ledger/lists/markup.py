"""Writing lists to be read by people: Markdown tables, and HTML pages."""

from __future__ import annotations

import html
from collections.abc import Iterator
from typing import BinaryIO

from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.types import Column
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.output import Output
from gruff_ledger.table import Table

_GROUP_RECORDS = 1 << 13

_MOST_LINED_UP = 10_000

# What Markdown could take for a mark of its own, and the bar that ends a cell.
_MARKS = late_pattern(r"([\\`*_\[\]<>|~#&!$])")
_LINE_ENDS = late_pattern(r"\r\n|\r|\n")

# Marks that a browser or a page could act on: shown as the character that stands for
# them (Unicode, Control Pictures).
_CONTROLS = {code: 0x2400 + code for code in range(0x20) if code not in (9, 10, 13)}

_STYLE = """
body { font: 15px/1.45 system-ui, sans-serif; margin: 2rem; color: #1d2430;
  background: #fff; }
h1 { font-size: 1.25rem; margin: 0 0 .25rem; }
p { margin: 0 0 1rem; color: #556070; }
table { border-collapse: collapse; }
th, td { padding: .3rem .7rem; text-align: left; vertical-align: top;
  border-bottom: 1px solid #d8dee6; white-space: pre-wrap; overflow-wrap: anywhere; }
th { border-bottom: 2px solid #1d2430; position: sticky; top: 0; background: #fff; }
td.n, th.n { text-align: right; font-variant-numeric: tabular-nums; }
tr:hover td { background: #f3f6f9; }
@media print { body { margin: 0; } th { position: static; } thead {
  display: table-header-group; } tr { break-inside: avoid; } }
"""


def write_markdown(output: Output, sink: BinaryIO) -> None:
    """
    Write a list as a Markdown table; numbers stand at the right.

    Columns are lined up, so that it reads as a table in plain text too; but for long
    lists, which nobody reads so.
    """
    table = output.table
    right = [_is_numeric(column) for column in table.all_cells]
    headings = tuple(map(_marked, table.headings))
    widths = [3 + each for each in right]
    lined_up = len(table) <= _MOST_LINED_UP
    if lined_up:
        rows = (tuple(map(_marked, record)) for record in table.records())
        columns = zip(headings, *rows, strict=True)
        widths = [
            max(least, *map(len, cells))
            for least, cells in zip(widths, columns, strict=True)
        ]

    def line(cells: tuple[str, ...]) -> str:
        if lined_up:
            cells = tuple(
                cell.rjust(width) if at_right else cell.ljust(width)
                for cell, width, at_right in zip(cells, widths, right, strict=True)
            )
        return f"| {' | '.join(cells)} |\n"

    rules = (
        "-" * (width - 1) + ":" if at_right else "-" * width
        for width, at_right in zip(widths, right, strict=True)
    )
    sink.write(f"{line(headings)}| {' | '.join(rules)} |\n".encode())
    for block in _blocks(table):
        text = "".join(line(tuple(map(_marked, record))) for record in block)
        sink.write(text.encode("utf-8"))


def write_html(output: Output, sink: BinaryIO) -> None:
    """Write a list as one self-contained page (WHATWG HTML), in print too."""
    table = output.table
    name = _safe(table.name)
    records = f"{len(table)} record{'' if len(table) == 1 else 's'}"
    classes = [
        ' class="n"' if _is_numeric(column) else "" for column in table.all_cells
    ]
    heads = "".join(
        f'<th scope="col"{kind}>{_safe(heading)}</th>'
        for heading, kind in zip(table.headings, classes, strict=True)
    )
    sink.write(
        f'<!doctype html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        f"<title>{name}</title>\n<style>{_STYLE}</style>\n</head>\n<body>\n"
        f"<h1>{name}</h1>\n<p>{records}</p>\n"
        f"<table>\n<thead>\n<tr>{heads}</tr>\n</thead>\n<tbody>\n".encode()
    )
    for block in _blocks(table):
        rows = (
            "<tr>"
            + "".join(
                f"<td{kind}>{_LINE_ENDS.sub('<br>', _safe(cell))}</td>"
                for cell, kind in zip(record, classes, strict=True)
            )
            + "</tr>\n"
            for record in block
        )
        sink.write("".join(rows).encode("utf-8"))
    sink.write(b"</tbody>\n</table>\n</body>\n</html>\n")


def _blocks(table: Table) -> Iterator[list[tuple[str, ...]]]:
    for stretch in table.stretches(_GROUP_RECORDS):
        yield list(zip(*(column.to_pylist() for column in stretch()), strict=True))


def _marked(cell: str) -> str:
    escaped = _MARKS.sub(r"\\\1", cell.translate(_CONTROLS))
    return _LINE_ENDS.sub("<br>", escaped)


def _safe(text: str) -> str:
    return html.escape(text.translate(_CONTROLS))


def _is_numeric(column: Column) -> bool:
    """Whether the filled cells of a field are numbers, from its first ones."""
    seen = False
    for chunk in text_chunks(column.slice(0, _GROUP_RECORDS)):
        for cell in set(chunk.array.to_pylist()):
            if cell:
                seen = True
                if number_of(cell) is None:
                    return False
    return seen
