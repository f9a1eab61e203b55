"""Reading the tables of pages (WHATWG HTML), by lxml.

A cell is the text that the page shows: entities are characters, white space is one
space, a line break is one, what is hidden is left out. A cell that spans others fills
each of them. A table within another is a table of its own. Headings of several rows are
joined, as they stand above a column.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import msgspec

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
from gruff_ledger.problems import Problem, UnreadableSource

_BEGINS = late_pattern(
    r"\s*(?:<\?xml[^>]*>\s*)?(?:<!--.*?-->\s*)*<(?:!doctype\s+html|html|head|table)\b",
    re.IGNORECASE | re.DOTALL,
)

# What a page says of its own encoding (WHATWG Encoding, HTML: prescan a byte stream).
_CHARSET = late_pattern(rb"<meta[^>]+charset\s*=\s*[\"']?\s*([\w.:-]+)", re.IGNORECASE)
_PRESCANNED_BYTES = 4096

# The most that the standard lets a cell span.
_MOST_COLUMNS, _MOST_ROWS = 1000, 65_534

# What spans make of a table is bounded, as a few bytes can ask for all of it.
_MOST_CELLS = 20_000_000

# Elements that begin and end a line.
_BLOCKS = frozenset(
    [
        "address",
        "article",
        "aside",
        "blockquote",
        "dd",
        "div",
        "dl",
        "dt",
        "fieldset",
        "figcaption",
        "figure",
        "footer",
        "form",
        "h1",
        "h2",
        "h3",
        "h4",
        "h5",
        "h6",
        "header",
        "hr",
        "li",
        "main",
        "nav",
        "ol",
        "p",
        "pre",
        "section",
        "ul",
    ]
)
_HEADINGS = frozenset(("h1", "h2", "h3", "h4", "h5", "h6"))

# Elements whose text no page shows.
_UNSHOWN = frozenset(("script", "style", "template", "head", "noscript", "datalist"))
_VOID = frozenset(
    [
        "area",
        "base",
        "br",
        "col",
        "embed",
        "hr",
        "img",
        "input",
        "link",
        "meta",
        "source",
        "track",
        "wbr",
    ]
)
_HIDING = late_pattern(r"display\s*:\s*none|visibility\s*:\s*hidden", re.IGNORECASE)

_BREAK, _LINE = "\0br", "\0block"
_SPACES = late_pattern(r"[ \t\n\r\f]+")


def is_likely(head: bytes) -> bool:
    """Whether text begins as pages do."""
    text = text_of_head(head[:_PRESCANNED_BYTES])
    return text is not None and bool(_BEGINS.match(text))


def page_parts(
    opened: Opened, fragment: Fragment
) -> tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]:
    """Tell which tables an address means; see `tables.chosen_tables`."""
    return chosen_tables(opened, _tables(opened, None).tables, fragment)


def read_page_table(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read a table of a page.

    Raises
    ------
    UnreadableSource
        If the page has no table, or not that one.
    """
    return read_table(
        opened,
        terms,
        fragment,
        _tables(opened, terms.encoding),
        format_name="html",
        source=source,
        hashed=hashed,
    )


def _tables(opened: Opened, stated: str | None) -> TablesIn:
    with opened.start() as stream:
        said = _CHARSET.search(stream.read(_PRESCANNED_BYTES))
    own = said[1].decode("ascii") if said and stated is None else None
    if own is not None:
        try:
            return tables_in(opened, own, lambda text: find_tables(text, opened))
        except Problem:
            # It may say of itself what is not so: then it is detected.
            pass
    return tables_in(opened, stated, lambda text: find_tables(text, opened))


def find_tables(page: str, opened: Opened) -> list[FoundTable]:
    """
    Return the tables of a page, in the order in which they begin.

    Raises
    ------
    UnreadableSource
        If the cells that are spanned are too many for any list.
    """
    from lxml import etree

    target = _Page(opened)
    parser = etree.HTMLParser(target=target, huge_tree=True, encoding="utf-8")
    try:
        parser.feed(page.encode("utf-8", "surrogatepass"))
        parser.close()
    except etree.LxmlError:
        # What was read of it until then is what a browser would show.
        target.close()
    return target.tables()


class _Cell(msgspec.Struct):
    """A cell as it is read: its text, and how many columns and rows it spans."""

    parts: list[str]
    columns: int
    rows: int
    is_heading: bool


class _Row(msgspec.Struct):
    section: str
    cells: list[_Cell] = msgspec.field(default_factory=list)


class _Open(msgspec.Struct):
    """A table that is read, and where in it the reading is."""

    number: int
    name: str
    rows: list[_Row] = msgspec.field(default_factory=list)
    caption: list[str] = msgspec.field(default_factory=list)
    section: str = "tbody"
    into: list[str] | None = None


class _Page:
    """What a parser tells of a page, one thing after the other."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened
        self._begun: list[_Open] = []
        self._open: list[_Open] = []
        self._heading: list[str] = []
        self._above = ""
        self._in_heading = False
        # The elements around what is not shown, from the outermost one.
        self._unshown: list[str] = []
        self._pre = 0

    def start(self, tag: Any, attributes: Mapping[str, str]) -> None:
        """Take note that an element begins."""
        if not isinstance(tag, str):
            return
        if self._unshown or tag in _UNSHOWN or _is_hidden(attributes):
            if tag not in _VOID:
                self._unshown.append(tag)
            return
        if tag in _HEADINGS and not self._open:
            self._heading, self._in_heading = [], True
        if tag == "table":
            name, self._above = self._above, ""
            self._begun.append(_Open(len(self._begun) + 1, name))
            self._open.append(self._begun[-1])
        elif tag == "pre":
            self._pre += 1
        if self._open:
            self._start_in_table(self._open[-1], tag, attributes)

    def _start_in_table(
        self, table: _Open, tag: str, attributes: Mapping[str, str]
    ) -> None:
        if tag in ("thead", "tbody", "tfoot"):
            table.section, table.into = tag, None
        elif tag == "tr":
            table.rows.append(_Row(table.section))
            table.into = None
        elif tag in ("td", "th"):
            if not table.rows:
                table.rows.append(_Row(table.section))
            cell = _Cell(
                [],
                _span(attributes.get("colspan"), _MOST_COLUMNS, 1),
                _span(attributes.get("rowspan"), _MOST_ROWS, 0),
                tag == "th",
            )
            table.rows[-1].cells.append(cell)
            table.into = cell.parts
        elif tag == "caption":
            table.into = table.caption
        elif table.into is not None and tag == "br":
            table.into.append(_BREAK)
        elif table.into is not None and tag in _BLOCKS:
            table.into.append(_LINE)

    def end(self, tag: Any) -> None:
        """Take note that an element ends."""
        if self._unshown:
            if tag == self._unshown[-1]:
                self._unshown.pop()
            return
        if tag in _HEADINGS and self._in_heading:
            self._in_heading = False
            self._above = _shown(self._heading).replace("\n", " ")
        if tag == "pre" and self._pre:
            self._pre -= 1
        if not self._open:
            return
        table = self._open[-1]
        if tag == "table":
            self._open.pop()
        elif tag in ("td", "th", "caption", "tr", "thead", "tbody", "tfoot"):
            table.into = None
            if tag in ("thead", "tfoot"):
                table.section = "tbody"
        elif table.into is not None and tag in _BLOCKS:
            table.into.append(_LINE)

    def data(self, text: str) -> None:
        """Take text."""
        if self._unshown:
            return
        if self._in_heading:
            self._heading.append(text)
        elif self._open:
            into = self._open[-1].into
            if into is None:
                return
            if self._pre:
                for place, line in enumerate(text.split("\n")):
                    into += [_BREAK] if place else []
                    into.append(line)
            else:
                into.append(text)

    def comment(self, text: str) -> None:
        """Pass over what no page shows."""

    def pi(self, target: str, data: str | None = None) -> None:
        """Pass over what no page shows."""

    def close(self) -> None:
        """Take note that the page ends, whatever is open still."""
        self._open.clear()

    def tables(self) -> list[FoundTable]:
        """Return the tables of the page."""
        left = _MOST_CELLS
        found = []
        for each in self._begun:
            rows, heading_rows = _grid(each, left, self._opened)
            left -= sum(map(len, rows))
            rows = _with_one_heading(rows, heading_rows)
            name = _shown(each.caption).replace("\n", " ") or each.name
            found.append(FoundTable(each.number, name, rows, max(1, heading_rows)))
        return found


def _is_hidden(attributes: Mapping[str, str]) -> bool:
    return "hidden" in attributes or bool(_HIDING.search(attributes.get("style", "")))


def _span(said: str | None, most: int, least: int) -> int:
    """Read a span (HTML, rules for parsing non-negative integers)."""
    match = re.match(r"\s*\+?(\d{1,9})", said or "")
    return 1 if match is None else max(least, min(most, int(match[1])))


def _grid(table: _Open, left: int, opened: Opened) -> tuple[list[list[str]], int]:
    """Return the rows of a table, spanned cells filled; and how many are headings."""
    ordered = sorted(
        table.rows, key=lambda row: ("thead", "tbody", "tfoot").index(row.section)
    )
    last = {row.section: number for number, row in enumerate(ordered)}
    filled: list[dict[int, str]] = [{} for _ in ordered]
    for number, row in enumerate(ordered):
        column = 0
        for cell in row.cells:
            while column in filled[number]:
                column += 1
            text = _shown(cell.parts)
            # A cell ends with its section; 0 means to reach so far.
            stop = last[row.section] + 1
            stop = min(stop, number + cell.rows) if cell.rows else stop
            left -= (stop - number) * cell.columns
            if left < 0:
                raise UnreadableSource(
                    f"its cells span more than {_MOST_CELLS:,} others, as in no list.",
                    "Ask for it in another form.",
                    file=opened.address,
                )
            for below in range(number, stop):
                for beside in range(column, column + cell.columns):
                    filled[below].setdefault(beside, text)
            column += cell.columns
    width = max((max(each) + 1 for each in filled if each), default=0)
    rows = [[each.get(column, "") for column in range(width)] for each in filled]
    heading_rows = 0
    for row in ordered:
        all_headings = bool(row.cells) and all(cell.is_heading for cell in row.cells)
        if row.section != "thead" and not all_headings:
            break
        heading_rows += 1
    return rows, heading_rows


def _with_one_heading(rows: list[list[str]], heading_rows: int) -> list[list[str]]:
    """Join the rows of a heading: what stands above a column, each text once."""
    if heading_rows < 2 or heading_rows == len(rows):
        return rows
    heads = [
        " ".join(dict.fromkeys(cell for cell in above if cell))
        for above in zip(*rows[:heading_rows], strict=True)
    ]
    return [heads, *rows[heading_rows:]]


def _shown(parts: list[str]) -> str:
    """Return text as a page shows it, with its line breaks."""
    first, *others = "".join(map(_marked, parts)).split("\0")
    lines = [first]
    for part in others:
        kind, _, text = part.partition("\1")
        if kind == "br" or (kind == "block" and lines[-1].strip(" ")):
            lines.append("")
        lines[-1] += text
    return "\n".join(_SPACES.sub(" ", line).strip(" ") for line in lines).strip("\n")


def _marked(part: str) -> str:
    if part in (_BREAK, _LINE):
        return f"{part}\1"
    return part.replace("\0", "\ufffd").replace("\1", "\ufffd")
