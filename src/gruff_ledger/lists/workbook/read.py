"""Reading workbooks: XLSX (ISO/IEC 29500) and ODS (ISO/IEC 26300) by python-calamine.

A cell becomes text the way a person would copy it down; see `cell_text`. What the
library does not tell (error cells, hidden rows, number formats that show leading zeros
or per cent) is looked up in the tab's XML. `binary` reads workbooks that are no XML.
"""

from __future__ import annotations

import fnmatch
import hashlib
import io
import mmap
import warnings
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import msgspec

from gruff_ledger.lists.address import Fragment, is_pattern
from gruff_ledger.lists.bounds import unknown_part
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.binary.old import OLD_START, OldBook
from gruff_ledger.lists.workbook.binary.values import BinaryBook
from gruff_ledger.lists.workbook.binary.xlsb import XlsbBook
from gruff_ledger.lists.workbook.cell_texts import cell_text
from gruff_ledger.lists.workbook.grid import (
    Grid,
    read_grid,
    text_columns,
    with_decimals,
)
from gruff_ledger.lists.workbook.ods.read import Content, look_at_ods, ods_content
from gruff_ledger.lists.workbook.ods.read import for_library as for_library_ods
from gruff_ledger.lists.workbook.package_parts import Parts, member, refuse_bomb
from gruff_ledger.lists.workbook.places import with_places
from gruff_ledger.lists.workbook.regular.cells import regular_cells
from gruff_ledger.lists.workbook.regular.merge import Cells, merge_cells
from gruff_ledger.lists.workbook.shown_rows import shown_rows
from gruff_ledger.lists.workbook.special_cells import tab_remarks
from gruff_ledger.lists.workbook.tab_sizes import (
    check_extent,
    check_no_doctype,
    check_xlsx_tab,
    damaged,
)
from gruff_ledger.lists.workbook.tab_xml import Look, look_at_xlsx, styles_of
from gruff_ledger.lists.workbook.xlsx_package import (
    Package,
    for_library,
    xlsx_package,
)
from gruff_ledger.outcome import Note
from gruff_ledger.problems import Problem, UnreadableSource

# What the library takes for a cell, and Python for its value, at least.
_CELL_BYTES = 32

# What is a workbook begins so; how much of another file is looked at.
_WORKBOOKS = (b"PK\x03\x04", b"PK\x05\x06", b"\xd0\xcf\x11\xe0")
_JUDGED_BYTES = 4096

# How the name of the part ends that names the tabs, where parts are no XML.
_BINARY_ENDING = ".bin"


class Tab(msgspec.Struct, frozen=True):
    """A tab of a workbook: its name, and whether it is shown."""

    name: str
    shown: bool


class _Book(msgspec.Struct, eq=False):
    """
    An opened workbook, kept for the next tab of it.

    Attributes
    ----------
    wanted : list of str
        The tabs that addresses meant so far: they are loaded together.
    binary : BinaryBook, optional
        A workbook that is no XML, which is read without the library.
    library, loaded : object, mapping
        The library with tabs loaded in it, and the XML of those.
    regular : mapping
        Of those, the cells that are read without the library.
    content : Content, optional
        What all tabs of an ODS workbook hold.
    """

    data: bytes
    archive: zipfile.ZipFile | None
    tabs: tuple[Tab, ...]
    package: Package | None
    wanted: list[str] = msgspec.field(default_factory=list)
    binary: BinaryBook | None = None
    library: Any = None
    loaded: dict[str, bytes] = msgspec.field(default_factory=dict)
    regular: dict[str, Cells] = msgspec.field(default_factory=dict)
    content: Content | None = None


def workbook_parts(
    opened: Opened, fragment: Fragment
) -> tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]:
    """
    Tell which tabs an address means.

    Parameters
    ----------
    opened : Opened
    fragment : Fragment
        Its `sheet` is a name, a position from 1, a pattern, or None for the first tab
        that is shown.

    Returns
    -------
    parts : tuple of (name, fragment)
        A fragment for each tab, which names it.
    notes : tuple of Note

    Raises
    ------
    UnreadableSource
        If it is no workbook, or has no such tab.
    """
    book = _book(opened)
    tabs = book.tabs
    names = [tab.name for tab in tabs]
    wanted = fragment.sheet
    notes: tuple[Note, ...] = ()
    if wanted is None:
        shown = [tab for tab in tabs if tab.shown] or list(tabs)
        chosen = [shown[0].name]
        if len(tabs) > 1:
            others = ", ".join(f"'{each}'" for each in names if each != chosen[0])
            notes = (
                Note(
                    f"{opened.name}: the workbook has {len(tabs)} tabs; '{chosen[0]}' "
                    f"was read, and not {others}.",
                    "To read another, name it at the end of the address: #sheet=NAME, "
                    "or #sheet=* for all.",
                ),
            )
    elif wanted in names:
        chosen = [wanted]
    elif is_pattern(wanted):
        matching = [
            tab
            for tab in tabs
            if fnmatch.fnmatchcase(tab.name.casefold(), wanted.casefold())
        ]
        chosen = [tab.name for tab in matching if tab.shown]
        hidden = [tab.name for tab in matching if not tab.shown]
        if not chosen:
            raise unknown_part(opened, "tab", wanted, names)
        if hidden:
            told = ", ".join(f"'{each}'" for each in hidden)
            notes = (
                Note(
                    f"{opened.name}: hidden tabs were left out: {told}.",
                    "To read one, name it in the address: #sheet=NAME.",
                    warning=True,
                ),
            )
    elif wanted.isdecimal() and 1 <= int(wanted) <= len(names):
        chosen = [names[int(wanted) - 1]]
    else:
        alike = [name for name in names if name.casefold() == wanted.strip().casefold()]
        if len(alike) != 1:
            raise unknown_part(opened, "tab", wanted, names)
        chosen = alike
        notes = (
            Note(f"{opened.name}: there is no tab '{wanted}'; '{alike[0]}' was read."),
        )
    book.wanted += [name for name in chosen if name not in book.wanted]
    return (
        tuple((name, msgspec.structs.replace(fragment, sheet=name)) for name in chosen),
        notes,
    )


def read_workbook(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read one tab of a workbook into a table.

    Raises
    ------
    UnreadableSource
        If the file is damaged or protected by a password, unpacks to too much, or its
        tab is empty or has none of the rows or columns stated.
    """
    book = _book(opened)
    if fragment.sheet is None:
        ((_, fragment),), _ = workbook_parts(opened, fragment)
    name = fragment.sheet
    assert name is not None
    binary = book.binary
    if binary is not None:
        tab = _call_library(opened, lambda: binary.read_tab(name))
        columns, numbers = text_columns(tab.rows, cell_text)
        merged, look = tab.look.merged, tab.look
        first_row, first_col = tab.first_row, tab.first_col
    else:
        sheet, look = _sheet(opened, book, name)
        first_row, first_col = sheet.start or (0, 0)
        columns, numbers = _call_library(
            opened,
            lambda: text_columns(
                shown_rows(sheet, look, first_row, first_col), cell_text
            ),
        )
        regular = book.regular.get(name)
        if regular is not None:
            columns, numbers, first = merge_cells(
                regular, (columns, numbers), (first_row + 1, first_col + 1)
            )
            first_row, first_col = first[0] - 1, first[1] - 1
        columns = with_decimals(
            columns, numbers, look.decimals, (first_row + 1, first_col + 1)
        )
        ranges = _call_library(opened, lambda: sheet.merged_cell_ranges)
        merged = ranges or look.merged
    shown = next((tab.shown for tab in book.tabs if tab.name == name), True)
    written: dict[str, Any] = {"tab": name}
    if not shown:
        written["hidden"] = True
    grid = Grid(
        columns,
        numbers,
        first_row + 1,
        first_col + 1,
        written,
        lambda place: tab_remarks(opened.name, place, look, merged),
    )
    return read_grid(
        grid,
        opened,
        terms,
        fragment,
        format_name=_format_name(book),
        source=source,
        sha256=_sha256(opened, book) if hashed else None,
    )


def _format_name(book: _Book) -> str:
    if book.binary is not None:
        return book.binary.format_name
    return "ods" if book.package is None else "xlsx"


def _sheet(opened: Opened, book: _Book, name: str) -> tuple[Any, Look]:
    """Return a tab as the library has it, and what is special in it."""
    xml = _loaded(opened, book, name)
    # The library loads a tab without holding up Python: in the main thread, whose
    # memory grows the fastest.
    with ThreadPoolExecutor(1) as thread:
        waiting = thread.submit(_look, opened, book, name, xml)
        sheet = _call_library(opened, lambda: book.library.get_sheet_by_name(name))
        return sheet, waiting.result()


# Opening --------------------------------------------------------------------------


def _book(opened: Opened) -> _Book:
    book = opened.memo.get("workbook")
    if book is None:
        book = opened.memo["workbook"] = _open_book(opened)
    return book


def _open_book(opened: Opened) -> _Book:
    with opened.start() as stream:
        data = stream.read()
    if data.startswith(OLD_START):
        old = _call_library(opened, lambda: OldBook(opened, data))
        return _with_tabs(opened, _binary_book(data, old))
    _refuse_text(opened, data)
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        names = set(archive.namelist())
    except (zipfile.BadZipFile, ValueError, NotImplementedError, OSError) as error:
        raise damaged(opened) from error
    refuse_bomb(opened, archive)
    is_ods = "content.xml" in names
    package = None
    if not is_ods:
        parts = Parts(opened, archive)
        if parts.main().endswith(_BINARY_ENDING):
            made = _call_library(opened, lambda: XlsbBook(opened, parts))
            return _with_tabs(opened, _binary_book(data, made))
        package = xlsx_package(opened, parts)
    if package is not None:
        tabs = tuple(Tab(each.name, each.shown) for each in package.tabs)
        book = _Book(data, archive, tabs, package)
    elif is_ods or b"opendocument.spreadsheet" in member(opened, archive, "mimetype"):
        # The library reads all tabs of it when it is opened.
        book = _open_ods(opened, data, archive)
    else:
        raise UnreadableSource(
            "it is an archive, but no workbook (XLSX, XLSB or ODS).",
            "Unpack it, or save the workbook as XLSX.",
            file=opened.address,
        )
    return _with_tabs(opened, book)


def _open_ods(opened: Opened, data: bytes, archive: zipfile.ZipFile) -> _Book:
    def book_of(content: Content) -> _Book:
        library = _open_by_library(opened, for_library_ods(opened, archive, content))
        tabs = _tabs_of(library)
        loaded = dict.fromkeys((tab.name for tab in tabs), content.xml)
        regular: dict[str, Cells] = dict(content.regular)
        return _Book(
            data,
            archive,
            tabs,
            None,
            library=library,
            loaded=loaded,
            regular=regular,
            content=content,
        )

    book = book_of(ods_content(opened, archive))
    if not book.regular.keys() <= book.loaded.keys():
        # Cells of a tab that the library knows by another name, or not, would be lost.
        book = book_of(ods_content(opened, archive, by_library=True))
    return book


def _binary_book(data: bytes, book: BinaryBook) -> _Book:
    tabs = tuple(Tab(name, shown) for name, shown in book.tabs)
    return _Book(data, None, tabs, None, binary=book)


def _refuse_text(opened: Opened, data: bytes) -> None:
    """Refuse text that is named as a workbook, as many programs export it."""
    head = data[:_JUDGED_BYTES]
    if data.startswith(_WORKBOOKS) or b"\0" in head:
        return
    is_page = head.lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"<")
    kind = "a page (HTML or XML)" if is_page else "text"
    raise UnreadableSource(
        f"it is not a workbook but {kind}: the ending of its name is that of another.",
        f"Give `format {'html' if is_page else 'delimited'}`, or rename it.",
        file=opened.address,
    )


def _with_tabs(opened: Opened, book: _Book) -> _Book:
    if not book.tabs:
        raise UnreadableSource(
            "the workbook has no tab with cells.",
            "Send one that has.",
            file=opened.address,
        )
    return book


def _tabs_of(library: Any) -> tuple[Tab, ...]:
    from python_calamine import SheetTypeEnum, SheetVisibleEnum

    return tuple(
        Tab(each.name, each.visible == SheetVisibleEnum.Visible)
        for each in library.sheets_metadata
        if each.typ == SheetTypeEnum.WorkSheet
    )


def _open_by_library(opened: Opened, data: bytes) -> Any:
    from python_calamine import CalamineWorkbook

    return _call_library(
        opened, lambda: CalamineWorkbook.from_filelike(io.BytesIO(data))
    )


def _look(opened: Opened, book: _Book, name: str, xml: bytes) -> Look:
    assert book.archive is not None
    if book.content is not None:
        return look_at_ods(opened, book.archive, name, book.content)
    assert book.package is not None
    return look_at_xlsx(opened, book.package, xml)


def _loaded(opened: Opened, book: _Book, name: str) -> bytes:
    """Return the XML of a tab, once the library has it and it can be held."""
    if name not in book.loaded:
        assert book.package is not None
        assert book.archive is not None
        parts = {tab.name: tab.part for tab in book.package.tabs}
        wanted = [each for each in book.wanted if each not in book.loaded]
        loaded, book.regular = {}, {}
        styles = styles_of(opened, book.package)
        known = book.package.strings, styles.plain, styles.decimals
        for each in dict.fromkeys([name, *wanted]):
            xml = member(opened, book.archive, parts[each])
            if not xml:
                raise damaged(opened)
            check_no_doctype(opened, xml)
            regular = regular_cells(xml, *known)
            cells = None
            if regular is not None and regular.extent is not None:
                cells = check_extent(opened, xml, regular.extent)
            if cells is None:
                placed = with_places(xml)
                if placed is not xml:
                    xml, regular = placed, regular_cells(placed, *known)
                cells = check_xlsx_tab(opened, xml)
            _reserve(cells)
            if regular is not None:
                # What was read already is not given to the library.
                book.regular[each], xml = regular, regular.rest
            loaded[each] = xml
        book.loaded = loaded
        book.library = _open_by_library(opened, for_library(book.package, loaded))
    return book.loaded[name]


def _reserve(cells: int) -> None:
    """
    Raise MemoryError where there is no room for so many cells.

    The library would end the whole program then. What is taken here is given back at
    once, and never touched.
    """
    try:
        mmap.mmap(-1, max(1, cells * _CELL_BYTES)).close()
    except (OSError, ValueError) as error:
        raise MemoryError from error


def _call_library(opened: Opened, made: Callable[[], Any]) -> Any:
    """Call the library; what it cannot read is a problem of the file."""
    try:
        with warnings.catch_warnings():
            # Of a leap second it says that Python has none.
            warnings.simplefilter("ignore")
            return made()
    except (KeyboardInterrupt, SystemExit, MemoryError, Problem):
        raise
    except BaseException as error:  # A panic of the library is no Exception.
        if "assword" in str(error):
            raise UnreadableSource(
                "it is protected by a password.",
                "Save it without one.",
                file=opened.address,
            ) from error
        raise damaged(opened) from error


def _sha256(opened: Opened, book: _Book) -> Callable[[], str]:
    def digest() -> str:
        if "sha256" not in opened.memo:
            opened.memo["sha256"] = hashlib.sha256(book.data).hexdigest()
        known: str = opened.memo["sha256"]
        return known

    return digest
