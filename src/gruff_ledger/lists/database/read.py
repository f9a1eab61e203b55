"""Lists as tables of databases: values come in as their exact text.

A database is a SQLite file, or on a PostgreSQL server. SQLAlchemy tells what tables
there are, quotes their names and makes the statements. How a connection is made is in
`database.connect`, writing to a server in `database.write_server`.
"""

from __future__ import annotations

import contextlib
import fnmatch
import sqlite3
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any, BinaryIO

import msgspec
import sqlalchemy as sql
from sqlalchemy.exc import SQLAlchemyError

from gruff_ledger.cells.numbers.plain import without_exponent
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.columns.storage import storage
from gruff_ledger.field_names import make_headings
from gruff_ledger.lists.address import Fragment, is_pattern
from gruff_ledger.lists.bounds import Found, note_made_up, settled, unknown_part
from gruff_ledger.lists.database.connect import (
    connected,
    read_only,
    said,
    sqlite_engine,
)
from gruff_ledger.lists.delimited.encoding import known_codec
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened, hash_of
from gruff_ledger.lists.typed_cells import field_type
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnreadableSource, UnwritableOutput
from gruff_ledger.table import Origin, Table

_GROUP_RECORDS = 20_000


def database_parts(
    opened: Opened, fragment: Fragment
) -> tuple[tuple[tuple[str, Fragment], ...], tuple[Note, ...]]:
    """
    Tell which tables an address means; the only one, if it names none.

    Raises
    ------
    UnreadableSource
        If it is no database, has no such table, or several and none is named.
    """
    with connected(opened) as database:
        inspector = sql.inspect(database)
        wanted = fragment.table
        schema, tables, views = _names(inspector, wanted)
    before = f"{schema}." if schema else ""
    known = [before + name for name in (*tables, *views)]
    if wanted is None:
        if len(tables) != 1:
            told = ", ".join(f"'{name}'" for name in tables[:12])
            raise UnreadableSource(
                f"the database has {len(tables)} tables{': ' if tables else ''}{told}.",
                "Name one at the end of the address: #table=NAME.",
                file=opened.address,
            )
        chosen = list(tables)
    elif wanted in known:
        chosen = [wanted]
    elif is_pattern(wanted):
        chosen = [
            before + name
            for name in tables
            if fnmatch.fnmatchcase((before + name).casefold(), wanted.casefold())
        ]
    else:
        chosen = []
    if not chosen:
        raise unknown_part(opened, "table", str(wanted), known)
    return (
        tuple((name, msgspec.structs.replace(fragment, table=name)) for name in chosen),
        (),
    )


def _names(
    inspector: Any, wanted: str | None
) -> tuple[str | None, Sequence[str], Sequence[str]]:
    """Return schema, tables and views: of the schema that a name states, if it does."""
    tables = sorted(inspector.get_table_names())
    views = sorted(inspector.get_view_names())
    schema, dot, _ = (wanted or "").partition(".")
    if dot and wanted not in (*tables, *views) and schema in _schemas(inspector):
        tables = sorted(inspector.get_table_names(schema=schema))
        return schema, tables, sorted(inspector.get_view_names(schema=schema))
    return None, tables, views


def _schemas(inspector: Any) -> list[str]:
    is_server = inspector.dialect.name != "sqlite"
    return list(inspector.get_schema_names()) if is_server else []


def place_name(connection: sql.Connection, name: str) -> tuple[str | None, str]:
    """
    Part the name of a table into its schema and its own name.

    A name with a dot is that of a table in a schema only where there is such a schema,
    and no table of just that name.
    """
    inspector = sql.inspect(connection)
    schema, dot, rest = name.partition(".")
    if not dot or schema not in _schemas(inspector):
        return None, name
    if name in (*inspector.get_table_names(), *inspector.get_view_names()):
        return None, name
    return schema, rest


def read_stored_list(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read a table or a view of a database, group by group.

    Raises
    ------
    UnreadableSource
        If it is damaged, locked or cannot be reached, or a text in it is not in its
        encoding.
    """
    if fragment.table is None:
        ((_, fragment),), _ = database_parts(opened, fragment)
    name = str(fragment.table)
    encoding = terms.encoding and known_codec(terms.encoding, opened.address)
    with connected(opened, encoding) as database:
        try:
            read, notes = read_table(database, name, opened.name, source=source)
        except (SQLAlchemyError, UnicodeError) as error:
            problem = _undecodable(opened, database, name, encoding)
            if problem is None:
                raise
            raise problem from error
    sha256: Callable[[], str] | None = None
    size_bytes = opened.size_bytes
    if opened.server:
        size_bytes, digest = _size_and_hash(read, hashed=hashed)
        sha256 = None if digest is None else lambda: digest
    elif hashed:
        sha256 = hash_of(opened)
    found = Found(
        read,
        len(read),
        "postgresql" if opened.server else "sqlite",
        None,
        {"table": name},
        size_bytes,
        sha256,
        notes=notes,
    )
    return settled(found, opened, fragment, terms)


def _undecodable(
    opened: Opened, database: sql.Connection, name: str, encoding: str | None
) -> UnreadableSource | None:
    """Word that a text of a SQLite table is not in its encoding, with its place."""
    if opened.server:
        return None
    raw: Any = database.connection.driver_connection
    raw.text_factory = bytes
    quoted = database.dialect.identifier_preparer.quote_identifier(name)
    cursor = raw.execute(f"SELECT * FROM {quoted}")
    names = [each[0] for each in cursor.description]
    codec = encoding or "utf-8"
    for number, record in enumerate(cursor, 1):
        for field, cell in zip(names, record, strict=True):
            try:
                if isinstance(cell, bytes):
                    cell.decode(codec)
            except UnicodeDecodeError as error:
                field_name = field if isinstance(field, str) else field.decode()
                return UnreadableSource(
                    f"a text is not written in {codec} (byte "
                    f"{cell[error.start]:02X}), as the database says.",
                    "Give the `encoding` that its texts are in, such as windows-1252.",
                    file=opened.address,
                    record=number,
                    field=field_name,
                )
    return None


def read_table(
    database: sql.Connection, name: str, called: str, *, source: int = 0
) -> tuple[Table, tuple[Note, ...]]:
    """
    Read all records of a table or a view.

    Parameters
    ----------
    database : Connection
    name : str
        Of the table, with that of its schema before a dot where it has one.
    called : str
        What the person calls the list.
    source : int
        Its position among the sources of a run.

    Returns
    -------
    table : Table
        In the order of the primary key where a server's table has one.
    notes : tuple of Note
    """
    schema, own = place_name(database, name)
    inspector = sql.inspect(database)
    described = inspector.get_columns(own, schema)
    named = [str(each["name"]) for each in described]
    # A server gives numbers as texts; those of its floating types can have exponents.
    is_server = database.dialect.name != "sqlite"
    are_numbers = [
        is_server and isinstance(each["type"], sql.Float | sql.Numeric)
        for each in described
    ]
    headings, made = make_headings(named)
    statement, notes = _select_text(database, inspector, schema, own, named)
    gathered = storage().gathering(len(headings))
    count = 0
    # Stated for this statement alone: a connection would keep it for all that follow.
    streamed = {"stream_results": True, "max_row_buffer": _GROUP_RECORDS}
    with database.execute(statement, execution_options=streamed) as result:
        for records in result.partitions(_GROUP_RECORDS):
            cells = zip(*records, strict=True)
            gathered.add(
                [
                    text_column(
                        map(without_exponent, _texts(each)) if number else _texts(each)
                    )
                    for each, number in zip(cells, are_numbers, strict=True)
                ]
            )
            count += len(records)
    columns = tuple(gathered.columns())
    table = Table(headings, columns, Origin.counted(source, 1, count), called)
    made_up = note_made_up(called, headings, made)
    return table, (*made_up, *(notes if count > 1 else ()))


def _select_text(
    database: sql.Connection,
    inspector: Any,
    schema: str | None,
    name: str,
    named: Sequence[str],
) -> tuple[Any, tuple[Note, ...]]:
    """Return the statement that asks for all records of a table, and what to say."""
    table = sql.table(name, *map(sql.column, named), schema=schema)
    if database.dialect.name == "sqlite":
        # SQLite goes by rowid, and gives each value in a type of its own.
        return sql.select(table), ()
    # The server knows best how its types are written.
    texts = [sql.cast(table.c[each], sql.Text).label(each) for each in named]
    statement = sql.select(*texts).select_from(table)
    key = inspector.get_pk_constraint(name, schema).get("constrained_columns")
    if key:
        return statement.order_by(*(table.c[each] for each in key)), ()
    return statement, (
        Note(
            f"'{name}' has no primary key: its records come in whatever order the "
            "server gives them.",
            "Sort them, where their order matters.",
        ),
    )


def _size_and_hash(table: Table, *, hashed: bool) -> tuple[int, str | None]:
    """
    Return the size and the SHA-256 of a list as delimited text.

    A table on a server is no file; this is what tells whether it is the same.
    """
    import hashlib

    from gruff_ledger.lists.delimited.write import write_delimited

    class _Counting:
        size = 0
        digest = hashlib.sha256()

        def write(self, data: Any) -> int:
            self.size += len(data)
            if hashed:
                self.digest.update(data)
            return len(data)

    sink = _Counting()
    write_delimited(table, sink)  # type: ignore[arg-type]
    return sink.size, sink.digest.hexdigest() if hashed else None


def write_stored_lists(output: Output, sink: BinaryIO) -> None:
    """
    Write lists as tables of a SQLite database.

    A field of whole numbers is one of integers, and its blank cells are NULL; all
    others are text, as SQLite has no decimals and no dates.

    The other tables of a database that lies there already are in the new one as well.

    Raises
    ------
    UnwritableOutput
        If two headings or tables differ in case only, which SQLite cannot hold.
    """
    with contextlib.closing(sqlite3.connect(":memory:")) as raw:
        if output.path.is_file():
            _copy(output.path, raw)
        engine = sqlite_engine(raw)
        with engine.begin() as database:
            for name, table in output.parts:
                check_names(table.headings, f"the headings of '{name}'")
                try:
                    _fill(database, name, table)
                except (SQLAlchemyError, sqlite3.Error, ValueError) as error:
                    raise UnwritableOutput(
                        f"SQLite cannot hold '{name}': {said(error)}.",
                        "Write it in another format, or rename its fields.",
                    ) from error
        raw.commit()
        sink.write(raw.serialize())


def _copy(path: Path, raw: sqlite3.Connection) -> None:
    """Copy the database of a file; what is no database is written anew."""
    with (
        contextlib.suppress(sqlite3.Error),
        contextlib.closing(sqlite3.connect(read_only(path), uri=True)) as there,
    ):
        there.backup(raw)


def _fill(database: sql.Connection, name: str, table: Table) -> None:
    types = [field_type(column) for column in table.all_cells]
    is_whole = [each is not None and each.kind == "whole" for each in types]
    fields = [
        sql.Column(each, sql.Integer if whole else sql.Text, quote=True)
        for each, whole in zip(table.headings, is_whole, strict=True)
    ]
    made = sql.Table(name, sql.MetaData(), *fields, quote=True)
    made.drop(database, checkfirst=True)
    made.create(database)
    marks = ", ".join("?" * len(table.headings))
    quoted = database.dialect.identifier_preparer.quote_identifier(name)
    statement = f"INSERT INTO {quoted} VALUES ({marks})"
    for stretch in table.stretches(_GROUP_RECORDS):
        cells = (
            [int(cell) if cell else None for cell in column.to_pylist()]
            if whole
            else column.to_pylist()
            for column, whole in zip(stretch(), is_whole, strict=True)
        )
        database.exec_driver_sql(statement, list(zip(*cells, strict=True)))


def check_names(names: Sequence[str], what: str) -> None:
    """
    Refuse names that SQLite cannot tell apart.

    Raises
    ------
    UnwritableOutput
    """
    seen: dict[str, str] = {}
    for name in names:
        # SQLite folds the case of ASCII letters only; this folds no less.
        other = seen.setdefault(name.casefold(), name)
        if other is not name:
            raise UnwritableOutput(
                f"{what} hold '{other}' and '{name}', which differ in case only; "
                "SQLite cannot tell them apart.",
                "Rename one of them, or write another format.",
            )


def _texts(values: Sequence[Any]) -> Iterable[str]:
    # Most fields hold text only, and need not be looked at one by one.
    return values if set(map(type, values)) == {str} else map(_text, values)


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bytes):
        try:
            return value.decode("utf-8")
        except UnicodeDecodeError:
            return value.hex()
    if isinstance(value, float):
        return without_exponent(str(value))
    return str(value)
