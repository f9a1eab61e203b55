"""Reading tables in text: Markdown, and tables ruled with dashes and bars.

A table is a run of lines with bars between cells, and a line of dashes below the
heading. Where a line of dashes stands below every record, the lines between two of them
are one record, whose cells have several lines.
"""

from __future__ import annotations

import html
import re
from collections.abc import Sequence

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.address import Fragment
from gruff_ledger.lists.laid_out.tables import (
    FoundTable,
    TablesIn,
    chosen_tables,
    read_table,
    tables_in,
)
from gruff_ledger.lists.laid_out.whole_text import text_of_head
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened
from gruff_ledger.outcome import Note

_BARS = "|│┃║"
_BAR = late_pattern(f"[{_BARS}]")
_RULE = late_pattern(r"[\s|+:=_\-─━═│┃║┼╪╬╋├┤┣┫╠╣╞╡╟╢┌┐└┘┏┓┗┛╔╗╚╝┬┴┳┻╦╩╤╧╒╕╘╛╫]+")
_DASHES = late_pattern(r"[-=_─━═]{2,}|:-+:?|-+:|(?<=\|)\s*-\s*(?=\|)")
_FENCE = late_pattern(r"\s*(```|~~~)")
_TITLE = late_pattern(r"#{1,6}\s+(.*?)\s*#*\s*$")

# A delimiter row of GitHub Flavored Markdown 4.10, tables.
_MARKDOWN_RULE = late_pattern(r"\s*\|?\s*:?-+:?\s*(?:\|\s*:?-+:?\s*)*\|?\s*")

# Marks that Markdown lets be escaped, line breaks and entities (CommonMark 2.4, 2.5).
_INLINE = late_pattern(r"\\([!-/:-@\[-`{-~])|<br\s*/?>|&(?:#\w{1,8}|\w{1,32});")


def is_likely(head: bytes) -> bool:
    """Whether text begins with a table, and is nothing else as well."""
    text = text_of_head(head)
    if text is None:
        return False
    lines = [line for line in text.splitlines() if line.strip()][:3]
    if len(lines) < 2:
        return False
    first, second = lines[0], lines[1]
    is_box = _is_rule(first) and bool(_BAR.search(second))
    is_ruled = bool(_BAR.search(first)) and _is_rule(second)
    return is_box or is_ruled


def text_parts(
    opened: Opened, fragment: Fragment
) -> tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]:
    """Tell which tables an address means; see `tables.chosen_tables`."""
    return chosen_tables(opened, _tables(opened, None).tables, fragment)


def read_text_table(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read a table in text.

    Raises
    ------
    UnreadableSource
        If the text has no table, or not that one.
    """
    return read_table(
        opened,
        terms,
        fragment,
        _tables(opened, terms.encoding),
        format_name="markdown",
        source=source,
        hashed=hashed,
    )


def _tables(opened: Opened, stated: str | None) -> TablesIn:
    return tables_in(opened, stated, find_tables)


def find_tables(text: str) -> list[FoundTable]:
    """Return the tables of a text, in order; what stands in fences is no table."""
    found: list[FoundTable] = []
    block: list[tuple[int, str]] = []
    title = ""
    fence = ""

    def close() -> None:
        nonlocal title
        table = _table(block, len(found) + 1, title)
        if table is not None:
            found.append(table)
            title = ""
        block.clear()

    for number, line in enumerate(text.splitlines(), 1):
        opening = _FENCE.match(line)
        if opening and (not fence or opening[1] == fence):
            fence = "" if fence else opening[1]
            close()
        elif fence:
            continue
        elif line.strip() and (_BAR.search(line) or _is_rule(line)):
            block.append((number, line))
        else:
            close()
            heading = _TITLE.match(line)
            title = heading[1] if heading else title
    close()
    return found


def _is_rule(line: str) -> bool:
    return bool(_RULE.fullmatch(line)) and bool(_DASHES.search(line))


def _table(
    block: Sequence[tuple[int, str]], number: int, title: str
) -> FoundTable | None:
    """Read a run of lines; None if no line of dashes shows it to be a table."""
    rules = [place for place, (_, line) in enumerate(block) if _is_rule(line)]
    cells = [place for place in range(len(block)) if place not in set(rules)]
    if not rules or not cells:
        return None
    below = next((place for place in rules if place > cells[0]), None)
    if below is None:
        return None
    is_markdown = bool(_MARKDOWN_RULE.fullmatch(block[below][1])) and rules == [below]
    inner = [place for place in rules if place > below and place < cells[-1]]
    groups = [cells[: sum(place < below for place in cells)]]
    groups[0] = [place for place in cells if place < below]
    rest = [place for place in cells if place > below]
    if inner:
        # Each record is what stands between two lines.
        edges = [*inner, len(block)]
        start = below
        for edge in edges:
            group = [place for place in rest if start < place < edge]
            groups += [group] if group else []
            start = edge
    else:
        groups += [[place] for place in rest]
    rows = [_joined([_cut(block[place][1]) for place in each]) for each in groups]
    if is_markdown:
        rows = [[_INLINE.sub(_meant, cell) for cell in row] for row in rows]
    first_row = 1 if inner else block[below][0]
    return FoundTable(number, title, rows, first_row)


def _cut(line: str) -> list[str]:
    """Cut a line at its bars; those at both ends are no cells."""
    cells: list[str] = []
    cell = ""
    escaped = False
    for mark in line.strip():
        if mark in _BARS and not escaped:
            cells.append(cell.strip())
            cell = ""
        else:
            cell += mark
        escaped = mark == "\\" and not escaped
    cells.append(cell.strip())
    stripped = line.strip()
    if stripped[0] in _BARS:
        del cells[0]
    if len(cells) > 1 and stripped[-1] in _BARS and not cells[-1]:
        del cells[-1]
    return cells


def _joined(lines: Sequence[Sequence[str]]) -> list[str]:
    """Join the lines of a record, cell by cell."""
    width = max(map(len, lines), default=0)
    return [
        "\n".join(line[place] for line in lines if place < len(line)).strip("\n")
        for place in range(width)
    ]


def _meant(match: re.Match[str]) -> str:
    if match[1]:
        return match[1]
    return "\n" if match[0].startswith("<") else html.unescape(match[0])
