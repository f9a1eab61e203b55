"""The formats that lists are read and written in: one line here, one module each.

The ending of a file tells its format, unless it is stated. The functions of a format
are imported when it is met.
"""

from __future__ import annotations

from typing import NamedTuple


class Format(NamedTuple):
    """
    A format.

    Attributes
    ----------
    name : str
        As `format` states it.
    words : str
        What it is called in messages.
    endings : tuple of str
    reader, parts, writer : str
        Functions as ``module:name``: a `Reader`, a `Finder` and a `Writer`; empty where
        there is none.
    told_by : str
        A function as ``module:name`` that tells whether text is likely of it, by its
        first bytes; empty where its ending alone tells. The first that does counts.
    chosen : tuple of str
        What of a `Fragment` it understands.
    several : bool
        Whether one file of it can hold several lists.
    starts : tuple of bytes
        How files of it begin.
    media_types : tuple of str
        What it is served as.
    read_as, written_as : tuple of str
        What of the terms of reading and of writing it has, of those that not every
        format has.
    is_server : bool
        Whether it is no file, but a database on a server.
    is_text : bool
        Whether it is read from its start to its end, as text is.
    """

    name: str
    words: str
    endings: tuple[str, ...]
    reader: str = ""
    parts: str = ""
    writer: str = ""
    told_by: str = ""
    chosen: tuple[str, ...] = ()
    several: bool = False
    starts: tuple[bytes, ...] = ()
    media_types: tuple[str, ...] = ()
    read_as: tuple[str, ...] = ()
    written_as: tuple[str, ...] = ()
    is_server: bool = False
    is_text: bool = False


_GRID = ("sheet", "rows", "cols")
_SHEET_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

FORMATS = {
    each.name: each
    for each in (
        Format(
            "delimited",
            "delimited text",
            (".csv", ".tsv", ".tab", ".txt", ".asc", ".dat"),
            reader="delimited.read:read_delimited",
            writer="delimited.write:write_list",
            chosen=("rows", "cols"),
            media_types=("text/csv", "text/tab-separated-values", "text/plain"),
            read_as=(
                "delimiter",
                "quote",
                "encoding",
                "skip-rows",
                "header-rows",
                "format",
            ),
            written_as=("delimiter", "line-ends", "byte-order-mark", "quote"),
            is_text=True,
        ),
        Format(
            "xlsx",
            "an XLSX workbook",
            (".xlsx", ".xlsm", ".xltx"),
            reader="workbook.read:read_workbook",
            parts="workbook.read:workbook_parts",
            writer="workbook.write_xlsx:write_workbook",
            written_as=("no-findings", "further-tabs"),
            chosen=_GRID,
            several=True,
            starts=(b"PK\x03\x04",),
            media_types=(_SHEET_TYPE,),
            read_as=("skip-rows", "header-rows", "format"),
        ),
        Format(
            "xls",
            "an old workbook",
            (".xls", ".xlt"),
            reader="workbook.read:read_workbook",
            parts="workbook.read:workbook_parts",
            chosen=_GRID,
            starts=(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1",),
            media_types=("application/vnd.ms-excel",),
            read_as=("skip-rows", "header-rows", "format"),
        ),
        Format(
            "xlsb",
            "a binary workbook",
            (".xlsb",),
            reader="workbook.read:read_workbook",
            parts="workbook.read:workbook_parts",
            chosen=_GRID,
            media_types=("application/vnd.ms-excel.sheet.binary.macroenabled.12",),
            read_as=("skip-rows", "header-rows", "format"),
        ),
        Format(
            "ods",
            "an ODS workbook",
            (".ods", ".ots"),
            reader="workbook.read:read_workbook",
            parts="workbook.read:workbook_parts",
            writer="workbook.ods.write:write_ods",
            written_as=("no-findings", "further-tabs"),
            several=True,
            chosen=_GRID,
            media_types=("application/vnd.oasis.opendocument.spreadsheet",),
            read_as=("skip-rows", "header-rows", "format"),
        ),
        Format(
            "json",
            "JSON",
            (".json",),
            reader="json.read:read_json",
            writer="json.write:write_json",
            chosen=("pointer",),
            media_types=("application/json",),
            read_as=("encoding", "format"),
            is_text=True,
        ),
        Format(
            "json-lines",
            "JSON Lines",
            (".jsonl", ".ndjson"),
            reader="json.read:read_json_lines",
            writer="json.write:write_json_lines",
            media_types=("application/x-ndjson", "application/jsonl"),
            read_as=("encoding", "format"),
            is_text=True,
        ),
        Format(
            "parquet",
            "a Parquet file",
            (".parquet",),
            reader="parquet:read_parquet",
            writer="parquet:write_parquet",
            starts=(b"PAR1",),
            media_types=("application/vnd.apache.parquet",),
            read_as=("format",),
        ),
        Format(
            "sqlite",
            "a SQLite database",
            (".db", ".sqlite", ".sqlite3"),
            reader="database.read:read_stored_list",
            parts="database.read:database_parts",
            writer="database.read:write_stored_lists",
            chosen=("table",),
            several=True,
            starts=(b"SQLite format 3\x00",),
            media_types=("application/vnd.sqlite3",),
            read_as=("encoding", "format"),
        ),
        Format(
            "postgresql",
            "a PostgreSQL database",
            (),
            reader="database.read:read_stored_list",
            parts="database.read:database_parts",
            chosen=("table",),
            several=True,
            is_server=True,
        ),
        Format(
            "html",
            "an HTML page",
            (".html", ".htm", ".xhtml"),
            reader="laid_out.page_tables:read_page_table",
            parts="laid_out.page_tables:page_parts",
            writer="markup:write_html",
            told_by="laid_out.page_tables:is_likely",
            chosen=("table", "rows", "cols"),
            media_types=("text/html", "application/xhtml+xml"),
            read_as=("encoding", "skip-rows", "header-rows", "format"),
            is_text=True,
        ),
        Format(
            "markdown",
            "text with tables",
            (".md", ".markdown"),
            reader="laid_out.text_tables:read_text_table",
            parts="laid_out.text_tables:text_parts",
            writer="markup:write_markdown",
            told_by="laid_out.text_tables:is_likely",
            chosen=("table", "rows", "cols"),
            media_types=("text/markdown",),
            read_as=("encoding", "skip-rows", "header-rows", "format"),
            is_text=True,
        ),
        Format(
            "fixed-width",
            "text of fixed width",
            (".fwf", ".prn"),
            reader="laid_out.fixed_width:read_fixed_width",
            writer="laid_out.write_fixed_width:write_fixed_width",
            written_as=("line-ends", "widths"),
            told_by="laid_out.fixed_width:is_likely",
            chosen=("rows", "cols"),
            read_as=("encoding", "skip-rows", "header-rows", "format", "widths"),
            is_text=True,
        ),
    )
}

READ = tuple(
    each.name for each in FORMATS.values() if each.reader and not each.is_server
)
WRITTEN = tuple(each.name for each in FORMATS.values() if each.writer)

# What not every format has, in the order in which it is refused.
SPECIAL_READING = (*FORMATS["delimited"].read_as, "widths")
SPECIAL_WRITING = (*FORMATS["delimited"].written_as, "widths", "further-tabs")
