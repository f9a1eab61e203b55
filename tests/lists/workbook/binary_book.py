"""Binary workbooks (.xlsb), written for tests by what [MS-XLSB] says of their records.

No library at hand writes them. What is written here is also read by another library
than the program, in the tests.
"""

from __future__ import annotations

import datetime
import io
import struct
import zipfile
from collections.abc import Sequence
from typing import Any, NamedTuple

OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006/relationships"
ERRORS = {"#DIV/0!": 0x07, "#N/A": 0x2A}


class As(NamedTuple):
    """A cell with a number format, or of a type that its value does not tell."""

    value: Any
    code: str = ""
    kind: str = ""


class Sheet(NamedTuple):
    """A tab: its rows of cells, and what is special in it, counted from 0."""

    name: str
    rows: Sequence[Sequence[Any]]
    state: int = 0
    hidden_rows: Sequence[int] = ()
    hidden_cols: Sequence[int] = ()
    merged: Sequence[tuple[int, int, int, int]] = ()


def record(kind: int, data: bytes = b"") -> bytes:
    """Return a record: its type, its length, and what it holds."""
    head = bytes([kind]) if kind < 0x80 else bytes([kind & 0x7F | 0x80, kind >> 7])
    length = len(data)
    while length > 0x7F:
        head += bytes([length & 0x7F | 0x80])
        length >>= 7
    return head + bytes([length]) + data


def text(said: str) -> bytes:
    """Return a text with its length."""
    return struct.pack("<I", len(said.encode("utf-16-le")) // 2) + said.encode(
        "utf-16-le"
    )


def short(number: float) -> bytes | None:
    """Return a number as the short form has it; None where it has not."""
    if number == int(number) and abs(number) < 1 << 29:
        return struct.pack("<i", int(number) << 2 | 2)
    hundred = number * 100
    if hundred == int(hundred) and abs(hundred) < 1 << 29 and hundred / 100 == number:
        return struct.pack("<i", int(hundred) << 2 | 3)
    bits = struct.unpack("<Q", struct.pack("<d", number))[0]
    return None if bits & (1 << 34) - 1 else struct.pack("<I", bits >> 32)


def days(value: datetime.date) -> float:
    """Return the number of a day after February 1900, with its time."""
    moment = datetime.datetime.combine(value, datetime.time())
    if isinstance(value, datetime.datetime):
        moment = value
    return (moment - datetime.datetime(1899, 12, 30)) / datetime.timedelta(days=1)


class _Book:
    def __init__(self) -> None:
        self.codes = [""]
        self.texts: list[str] = []

    def cell(self, col: int, cell: Any) -> bytes:
        value, code, kind = cell if isinstance(cell, As) else (cell, "", "")
        if code not in self.codes:
            self.codes.append(code)
        at = struct.pack("<II", col, self.codes.index(code))
        if isinstance(value, datetime.date):
            value = days(value)
        if value is None:
            return record(1, at)
        if isinstance(value, bool):
            return record(10 if kind == "formula" else 4, at + bytes([value]))
        if isinstance(value, float | int):
            brief = short(value)
            if kind == "formula":
                return record(9, at + struct.pack("<d", value) + bytes(10))
            if brief is None or kind == "real":
                return record(5, at + struct.pack("<d", value))
            return record(2, at + brief)
        if value in ERRORS:
            number = bytes([ERRORS[value]])
            return record(11 if kind == "formula" else 3, at + number)
        if kind == "rich":
            return record(62, at + b"\0" + text(value))
        if kind:
            return record(8 if kind == "formula" else 6, at + text(value))
        self.texts.append(value)
        return record(7, at + struct.pack("<I", len(self.texts) - 1))

    def sheet(self, sheet: Sheet) -> bytes:
        width = max(map(len, sheet.rows), default=1)
        extent = struct.pack("<4I", 0, len(sheet.rows) - 1, 0, width - 1)
        made = record(129) + record(148, extent)
        for col in sheet.hidden_cols:
            made += record(60, struct.pack("<4IH", col, col, 2560, 0, 1))
        made += record(145)
        for number, row in enumerate(sheet.rows):
            flags = 0x10 if number in sheet.hidden_rows else 0
            made += record(0, struct.pack("<IIH2BxI", number, 0, 300, 0, flags, 0))
            made += b"".join(self.cell(col, cell) for col, cell in enumerate(row))
        made += record(146)
        for area in sheet.merged:
            made += record(176, struct.pack("<4I", *area))
        return made + record(130)

    def styles(self) -> bytes:
        made = record(278)
        for number, code in enumerate(self.codes[1:], 164):
            made += record(44, struct.pack("<H", number) + text(code))
        # A style that cells do not refer to stands before theirs.
        made += record(626) + record(47, struct.pack("<2H", 0xFFFF, 14) + bytes(12))
        made += record(627) + record(617, struct.pack("<I", len(self.codes)))
        for number in (0, *range(164, 163 + len(self.codes))):
            made += record(47, struct.pack("<2H", 0, number) + bytes(12))
        return made + record(618) + record(279)

    def shared(self) -> bytes:
        made = record(159, struct.pack("<2I", len(self.texts), len(self.texts)))
        for each in self.texts:
            made += record(19, b"\0" + text(each))
        return made + record(160)


def binary_book(*sheets: Sheet, begins_1904: bool = False) -> bytes:
    """Return the bytes of a binary workbook."""
    book = _Book()
    main = record(131) + record(153, struct.pack("<3I", begins_1904, 0, 0))
    main += record(143)
    links = ""
    parts: dict[str, bytes] = {}
    for number, sheet in enumerate(sheets, 1):
        at = struct.pack("<2I", sheet.state, number)
        main += record(156, at + text(f"rId{number}") + text(sheet.name))
        links += _link(number, "worksheet", f"worksheets/sheet{number}.bin")
        parts[f"xl/worksheets/sheet{number}.bin"] = book.sheet(sheet)
    links += _link(len(sheets) + 1, "styles", "styles.bin")
    links += _link(len(sheets) + 2, "sharedStrings", "sharedStrings.bin")
    parts["xl/workbook.bin"] = main + record(144) + record(132)
    parts["xl/styles.bin"] = book.styles()
    parts["xl/sharedStrings.bin"] = book.shared()
    parts["xl/_rels/workbook.bin.rels"] = _links(links)
    start = _link(1, "officeDocument", "xl/workbook.bin")
    parts["_rels/.rels"] = _links(start)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in parts.items():
            archive.writestr(name, data)
    return out.getvalue()


def _link(number: int, kind: str, target: str) -> str:
    return f'<Relationship Id="rId{number}" Type="{OFFICE}/{kind}" Target="{target}"/>'


def _links(links: str) -> bytes:
    return f'<Relationships xmlns="{PACKAGE}">{links}</Relationships>'.encode()
