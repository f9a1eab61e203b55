"""Where the cells of an XLSX tab stand (ISO/IEC 29500-1, 18.3.1.4 and 18.3.1.73).

A cell, and a row, may leave its place out: it then stands behind the one before it. Few
programs write so, and all that looks cells up by their places would miss them, or take
another's. So they are given their places before anything is looked up.
"""

from __future__ import annotations

from collections.abc import Callable
from xml.parsers import expat

from gruff_ledger.late_patterns import late_pattern

_REFERENCE = late_pattern(r"\s*([A-Za-z]{1,9})[A-Za-z]*([0-9]+)\s*")

# Cells and rows that surely say their place, and how they all begin.
_SAYING = (b'<c r="', b'<row r="')
_BEGINNING = tuple(
    before + name + after
    for before in (b"<", b":")
    for name in (b"c", b"row")
    for after in (b" ", b">", b"/", b"\n", b"\t", b"\r")
)
_SILENT = late_pattern(rb"[<:](?:c|row)(?=[\s/>])(?![^>]*?\sr=)")


def column_number(letters: bytes | str) -> int:
    """
    Return the number of a column, from 1, by its capital letters.

    Examples
    --------
    >>> column_number("A"), column_number(b"AB")
    (1, 28)
    """
    number = 0
    for letter in letters.encode() if isinstance(letters, str) else letters:
        number = number * 26 + letter - ord("A") + 1
    return number


def letters_of(number: int) -> str:
    """
    Return what workbooks call a column, counted from 1.

    Examples
    --------
    >>> letters_of(1), letters_of(28)
    ('A', 'AB')
    """
    text = ""
    while number:
        number, rest = divmod(number - 1, 26)
        text = chr(ord("A") + rest) + text
    return text


def walk_cells(xml: bytes, met: Callable[[bool, int, int, int], None]) -> None:
    """
    Parse a tab, and tell of each row and each cell where it stands.

    Parameters
    ----------
    xml : bytes
        Without declarations of its own.
    met : callable
        Told whether it is a cell; its row and its column, from 1; and, where it does
        not say its place, the byte behind the name of its element, else -1.

    Raises
    ------
    xml.parsers.expat.ExpatError, ValueError, LookupError
        If it is no XML.
    """
    row = column = 0
    parser = expat.ParserCreate()

    def start(name: str, attributes: dict[str, str]) -> None:
        nonlocal row, column
        local = name.rpartition(":")[2]
        if local not in ("row", "c"):
            return
        said = attributes.get("r", "")
        behind = -1
        if "r" not in attributes:
            behind = parser.CurrentByteIndex + 1 + len(name.encode())
        if local == "row":
            said = said.strip()
            row = int(said[:9]) if said.isascii() and said.isdecimal() else row + 1
            column = 0
            met(False, row, 0, behind)
            return
        column += 1
        here = row
        place = _REFERENCE.fullmatch(said)
        if place is not None:
            column = column_number(place[1].upper())
            here = int(place[2].lstrip("0")[:12] or 0)
        met(True, here, column, behind)

    parser.StartElementHandler = start
    parser.Parse(xml, True)


def with_places(xml: bytes) -> bytes:
    """
    Return the XML of a tab in which each row and each cell says its place.

    Parameters
    ----------
    xml : bytes
        Without declarations of its own. Where it is no XML it is returned as it is.
    """
    begin = max(0, xml.find(b"sheetData"))
    saying = sum(xml.count(each, begin) for each in _SAYING)
    if saying == sum(xml.count(each, begin) for each in _BEGINNING):
        return xml
    if not _SILENT.search(xml, begin):
        return xml
    added: list[tuple[int, str]] = []

    def met(is_cell: bool, row: int, column: int, behind: int) -> None:
        if behind >= 0:
            letters = letters_of(column) if is_cell else ""
            added.append((behind, f' r="{letters}{row}"'))

    try:
        walk_cells(xml, met)
    except (expat.ExpatError, ValueError, LookupError):
        return xml
    parts, done = [], 0
    for at, text in added:
        parts += [xml[done:at], text.encode()]
        done = at
    return b"".join([*parts, xml[done:]])
