"""Writing to databases on a PostgreSQL server: all of a run in one transaction."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from typing import Any

import sqlalchemy as sql
from sqlalchemy.exc import SQLAlchemyError

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.columns.types import Column
from gruff_ledger.lists.address import Server
from gruff_ledger.lists.database.connect import said, server_engine, stated
from gruff_ledger.lists.database.read import place_name, read_table
from gruff_ledger.lists.typed_cells import field_type
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.table import Table

_GROUP_RECORDS = 20_000

# PostgreSQL cuts longer names off (documentation, 4.1.1).
_NAME_BYTES = 63


class ServerWriting:
    """
    What one run writes to a database on a server: all of it in one transaction.

    Parameters
    ----------
    server : Server
    replace : bool
        Whether tables that exist may be emptied and filled anew.
    """

    def __init__(self, server: Server, *, replace: bool) -> None:
        self._server = server
        self._replace = replace
        self._database: sql.Connection | None = None

    def claim(
        self,
        names: Sequence[str | None],
        sources: Sequence[tuple[str, str | None]] = (),
    ) -> None:
        """
        Check, before any work is done, that tables may be written.

        Parameters
        ----------
        names : sequence of str
            The tables.
        sources : sequence of (place, table)
            What the run reads.

        Raises
        ------
        UnwritableOutput
            If no table is named, one is a source, or is there and may not be
            replaced, or the server cannot be reached.
        """
        if None in names:
            raise UnwritableOutput(
                "it names a database, and no table in it.",
                "Name the table at the end: #table=NAME.",
                file=self._server.place,
            )
        here = stated(self._server.place)
        read = {table for place, table in sources if stated(place) == here}
        for name in names:
            if name in read:
                raise UnwritableOutput(
                    "it is one of the sources; a source is never written to.",
                    "Write to another table.",
                    file=self._at(name),
                )
        with (
            self._word_error(None),
            server_engine(self._server.place).connect() as database,
        ):
            for name in names:
                self._check(database, str(name))

    def before(self, name: str) -> Table | None:
        """Return what is in a table before it is written; None if it is not there."""
        with self._word_error(name):
            database = self._begun()
            if not _has_table(database, name):
                return None
            return read_table(database, name, name)[0]

    def write(self, name: str, table: Table) -> tuple[Note, ...]:
        """
        Write a list to a table; it is there for others after `commit` only.

        A new table has fields of whole numbers, decimals and dates where all filled
        cells are such, with NULL for blank ones, and of text. One that is there is
        emptied, and keeps its types, keys and permissions; blank cells become NULL
        where they are not text.

        Raises
        ------
        UnwritableOutput
            If the table has not the fields of the list, or refuses a value.
        """
        with self._word_error(name):
            database = self._begun()
            self._check(database, name)
            schema, own = place_name(database, name)
            _check_names([own, *table.headings], self._at(name))
            if _has_table(database, name):
                is_typed, notes = self._empty_table(database, schema, own, table, name)
            else:
                types = [_type_of(column) for column in table.all_cells]
                fields = [
                    sql.Column(each, kind, quote=True)
                    for each, kind in zip(table.headings, types, strict=True)
                ]
                made = sql.Table(
                    own, sql.MetaData(), *fields, schema=schema, quote=True
                )
                made.create(database)
                is_typed, notes = [kind is not sql.Text for kind in types], ()
            _copy(database, schema, own, table, is_typed)
        return notes

    def written(self, name: str) -> Table:
        """Return what was written to a table, as a reader would see it."""
        with self._word_error(name):
            return read_table(self._begun(), name, name)[0]

    def commit(self) -> None:
        """
        Make all that was written there for others.

        Raises
        ------
        UnwritableOutput
        """
        if self._database is not None:
            with self._word_error(None):
                self._database.commit()
            self.abandon()

    def abandon(self) -> None:
        """Leave the database as it was, unless all was committed."""
        if self._database is not None:
            with contextlib.suppress(SQLAlchemyError):
                self._database.close()
            self._database = None

    def _begun(self) -> sql.Connection:
        if self._database is None:
            self._database = server_engine(self._server.place).connect()
        return self._database

    def _check(self, database: sql.Connection, name: str) -> None:
        if _has_table(database, name) and not self._replace:
            raise UnwritableOutput(
                "the table is there already.",
                "Write to another table, or add `replace true` to fill it anew.",
                file=self._at(name),
            )

    def _empty_table(
        self,
        database: sql.Connection,
        schema: str | None,
        own: str,
        table: Table,
        name: str,
    ) -> tuple[list[bool], tuple[Note, ...]]:
        """Empty a table; return which fields are not text, and what to say."""
        there = {
            str(each["name"]): each["type"]
            for each in sql.inspect(database).get_columns(own, schema)
        }
        missing = [each for each in table.headings if each not in there]
        if missing:
            raise UnwritableOutput(
                f"the table has no field '{missing[0]}', and the list has; it has "
                f"{', '.join(there)}.",
                "Choose or rename the fields of the list, or write to another table.",
                file=self._at(name),
            )
        # Nobody else may write to it before this is done; reading goes on.
        lock = f"LOCK TABLE {_quoted(schema, own)} IN SHARE ROW EXCLUSIVE MODE"
        _driver(database).execute(lock.encode())
        database.execute(sql.delete(sql.table(own, schema=schema)))
        is_typed = [not isinstance(there[each], sql.String) for each in table.headings]
        left = [each for each in there if each not in table.headings]
        if not left:
            return is_typed, ()
        return is_typed, (
            Note(
                f"'{name}' has fields the list does not have: {', '.join(left)}. The "
                "server fills them with their defaults.",
                warning=True,
            ),
        )

    @contextlib.contextmanager
    def _word_error(self, name: str | None) -> Iterator[None]:
        try:
            yield
        except (SQLAlchemyError, UnicodeError, _driver_error()) as error:
            raise UnwritableOutput(
                f"the database does not take it: {said(error)}. Nothing was written "
                "to it.",
                "Correct that, or write elsewhere. A password is taken from "
                "PGPASSWORD or from the password file.",
                file=self._at(name),
            ) from error

    def _at(self, name: str | None) -> str:
        return self._server.place + (f"#table={name}" if name else "")


def _driver_error() -> type[Exception]:
    import psycopg

    return psycopg.Error


def _has_table(database: sql.Connection, name: str) -> bool:
    schema, own = place_name(database, name)
    return bool(sql.inspect(database).has_table(own, schema))


def _check_names(names: Sequence[str], shown: str) -> None:
    for name in names:
        if not name or len(name.encode("utf-8")) > _NAME_BYTES:
            raise UnwritableOutput(
                f"PostgreSQL has no names of 0 or of more than {_NAME_BYTES} bytes, as "
                f"'{name}' is.",
                "Rename the field or the table.",
                file=shown,
            )


def _driver(database: sql.Connection) -> Any:
    """Return the driver's own connection, in the transaction of the other."""
    return database.connection.driver_connection


def _quoted(schema: str | None, name: str) -> str:
    """Quote a name for the driver, which leaves percent signs as they are."""
    from psycopg.sql import Identifier

    return Identifier(*([schema] if schema else []), name).as_string()


def _type_of(column: Column) -> Any:
    """Return the type that a field of a new table has; decimals keep their scale."""
    found = field_type(column, scales_may_differ=True)
    if found is None:
        return sql.Text
    kinds = {"whole": sql.BigInteger, "decimal": sql.Numeric, "date": sql.Date}
    return kinds[found.kind]


def _copy(
    database: sql.Connection,
    schema: str | None,
    own: str,
    table: Table,
    is_typed: Sequence[bool],
) -> None:
    """Send the records of a list, group by group."""
    if not table.headings:
        return
    fields = ", ".join(_quoted(None, heading) for heading in table.headings)
    statement = f"COPY {_quoted(schema, own)} ({fields}) FROM STDIN"
    with (
        _driver(database).cursor() as cursor,
        cursor.copy(statement.encode()) as copy,
    ):
        for stretch in table.stretches(_GROUP_RECORDS):
            cells = [
                [None if is_blank(cell) else cell for cell in column.to_pylist()]
                if typed
                else column.to_pylist()
                for column, typed in zip(stretch(), is_typed, strict=True)
            ]
            for record in zip(*cells, strict=True):
                copy.write_row(record)
