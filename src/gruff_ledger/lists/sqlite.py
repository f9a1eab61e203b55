"""Lists as tables of SQLite databases: values come in as their exact text."""

from __future__ import annotations

import contextlib
import fnmatch
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, BinaryIO

import msgspec

from gruff_ledger.lists.address import Fragment, is_pattern
from gruff_ledger.lists.reading import Reading, ReadingTerms
from gruff_ledger.lists.settle import Found, made_up_notes, settled, unknown_part
from gruff_ledger.lists.source import Opened, hash_of
from gruff_ledger.naming import made_headings
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnreadableSource, UnwritableOutput
from gruff_ledger.table import Origin, Table, concat_columns, text_column

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
    with _connected(opened) as database:
        kinds = dict(
            database.execute(
                "SELECT name, type FROM sqlite_master "
                "WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\\_%' "
                "ESCAPE '\\' ORDER BY rowid"
            )
        )
    tables = [name for name, kind in kinds.items() if kind == "table"]
    wanted = fragment.table
    if wanted is None:
        if len(tables) != 1:
            told = ", ".join(f"'{name}'" for name in tables[:12])
            raise UnreadableSource(
                f"the database has {len(tables)} tables{': ' if tables else ''}{told}.",
                "Name one at the end of the address: #table=NAME.",
                file=opened.address,
            )
        chosen = tables
    elif wanted in kinds:
        chosen = [wanted]
    elif is_pattern(wanted):
        chosen = [
            name
            for name in tables
            if fnmatch.fnmatchcase(name.casefold(), wanted.casefold())
        ]
    else:
        chosen = []
    if not chosen:
        raise unknown_part(opened, "table", str(wanted), list(kinds))
    return (
        tuple((name, msgspec.structs.replace(fragment, table=name)) for name in chosen),
        (),
    )


def read_database(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read a table or a view of a SQLite database.

    Raises
    ------
    UnreadableSource
        If it is damaged, locked, or a text in it is not in its encoding.
    """
    if fragment.table is None:
        ((_, fragment),), _ = database_parts(opened, fragment)
    name = str(fragment.table)
    with _connected(opened) as database:
        cursor = database.execute(f"SELECT * FROM {_quoted(name)}")
        headings, made = made_headings([each[0] for each in cursor.description])
        parts: list[list[Any]] = [[] for _ in headings]
        count = 0
        while records := cursor.fetchmany(_GROUP_RECORDS):
            for part, cells in zip(parts, zip(*records, strict=True), strict=True):
                part.append(text_column(_texts(cells)))
            count += len(records)
    columns = tuple(concat_columns(part) for part in parts)
    found = Found(
        Table(headings, columns, Origin.counted(source, 1, count), opened.name),
        count,
        "sqlite",
        None,
        {"table": name},
        opened.size_bytes,
        hash_of(opened) if hashed else None,
        notes=made_up_notes(opened.name, headings, made),
    )
    return settled(found, opened, fragment, terms)


def write_database(parts: Sequence[tuple[str, Table]], sink: BinaryIO) -> None:
    """
    Write lists as the tables of a new database, every field as text.

    Raises
    ------
    UnwritableOutput
        If two headings or tables differ in case only, which SQLite cannot hold.
    """
    with contextlib.closing(sqlite3.connect(":memory:")) as database:
        for name, table in parts:
            _check_names(table.headings, f"the headings of '{name}'")
            fields = ", ".join(f"{_quoted(each)} TEXT" for each in table.headings)
            marks = ", ".join("?" * len(table.headings))
            try:
                database.execute(f"CREATE TABLE {_quoted(name)} ({fields})")
                insert = f"INSERT INTO {_quoted(name)} VALUES ({marks})"
                database.executemany(insert, _records(table))
            except (sqlite3.Error, ValueError) as error:
                raise UnwritableOutput(
                    f"SQLite cannot hold '{name}': {error}.",
                    "Write it in another format, or rename its fields.",
                ) from error
        database.commit()
        sink.write(database.serialize())


def _records(table: Table) -> Iterator[tuple[str, ...]]:
    for stretch in table.stretches(_GROUP_RECORDS):
        yield from zip(*(column.to_pylist() for column in stretch()), strict=True)


def _check_names(names: Sequence[str], what: str) -> None:
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


@contextlib.contextmanager
def _connected(opened: Opened) -> Iterator[sqlite3.Connection]:
    """Open a database for reading only; nothing is written beside it either."""
    try:
        if opened.path is not None:
            beside = opened.path.with_name(opened.path.name + "-wal")
            how = "mode=ro" if beside.exists() else "mode=ro&immutable=1"
            uri = f"{opened.path.absolute().as_uri()}?{how}"
            database = sqlite3.connect(uri, uri=True)
        else:
            database = sqlite3.connect(":memory:")
            with opened.start() as stream:
                database.deserialize(stream.read())
        with contextlib.closing(database):
            # What the schema of a stranger's file may call is kept to what is harmless.
            database.execute("PRAGMA trusted_schema = OFF")
            yield database
    except (sqlite3.Error, UnicodeError, OverflowError) as error:
        raise UnreadableSource(
            f"it cannot be read as a SQLite database: {error}.",
            "Ask for it again; or, if another program is writing to it, wait.",
            file=opened.address,
        ) from error


def _quoted(name: str) -> str:
    """Quote an identifier (ISO/IEC 9075, delimited identifier)."""
    return '"' + name.replace('"', '""') + '"'


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
    return str(value)
