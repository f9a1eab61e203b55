"""How a connection to a database is made: to a SQLite file, or to a PostgreSQL server.

The address of a server is a connection URI as PostgreSQL documents it, read by its
client library. That library also finds the password: in the environment (PGPASSWORD)
or in the password file (PGPASSFILE, else .pgpass in the home folder). An address with a
password in it is refused, so that none can reach a docket, an account or a screen.
"""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import sqlalchemy as sql
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.pool import NullPool, StaticPool

from gruff_ledger.lists.source import Opened
from gruff_ledger.problems import UnreadableSource

# What a value looks like as text must not depend on how a server is set up.
_SETTINGS = (
    "SET DateStyle = 'ISO, YMD'",
    "SET IntervalStyle = 'iso_8601'",
    "SET TimeZone = 'UTC'",
    "SET bytea_output = 'hex'",
    "SET extra_float_digits = 1",
    "SET lc_monetary = 'C'",
    # Else a second reader of a large table is begun somewhere in its middle.
    "SET synchronize_seqscans = off",
)

_WAIT_SECONDS = 15


@contextlib.contextmanager
def connected(opened: Opened, encoding: str | None = None) -> Iterator[sql.Connection]:
    """
    Open a database for reading only; nothing is written beside it either.

    Parameters
    ----------
    opened : Opened
    encoding : str, optional
        What the texts of a SQLite file are written in, where that is not UTF-8.
    """
    if opened.server:
        with _connect_to_server(opened.server, opened.address) as database:
            yield database
        return
    try:
        with contextlib.closing(_open_file(opened)) as raw:
            # What the schema of a stranger's file may call is kept to what is harmless.
            raw.execute("PRAGMA trusted_schema = OFF")
            if encoding is not None:
                raw.text_factory = lambda text: text.decode(encoding)
            with sqlite_engine(raw).connect() as database:
                yield database
    except (SQLAlchemyError, sqlite3.Error, UnicodeError, OverflowError) as error:
        raise UnreadableSource(
            f"it cannot be read as a SQLite database: {said(error)}.",
            "Ask for it again; or, if another program is writing to it, wait.",
            file=opened.address,
        ) from error


def _open_file(opened: Opened) -> sqlite3.Connection:
    if opened.path is not None:
        return sqlite3.connect(read_only(opened.path), uri=True)
    raw = sqlite3.connect(":memory:")
    with opened.start() as stream:
        raw.deserialize(stream.read())
    return raw


def read_only(path: Path) -> str:
    """Return the URI that opens a SQLite file for reading, and writes nothing."""
    has_log = path.with_name(path.name + "-wal").exists()
    how = "mode=ro" if has_log else "mode=ro&immutable=1"
    return f"{path.absolute().as_uri()}?{how}"


def sqlite_engine(raw: sqlite3.Connection) -> sql.Engine:
    """Return an engine on a connection that is open."""
    return sql.create_engine("sqlite://", creator=lambda: raw, poolclass=StaticPool)


def said(error: Exception) -> str:
    """Return what a database says is wrong, without the statement and its values."""
    lower = getattr(error, "orig", None) or error
    diagnosed = getattr(lower, "diag", None)
    parts = [
        getattr(diagnosed, name, None)
        for name in ("message_primary", "message_detail", "context")
    ]
    told = [str(part).strip().rstrip(".") for part in parts if part]
    if told:
        return "; ".join(told)
    return next(iter(str(lower).splitlines()), "no reason was given").rstrip(". ")


# On a server -----------------------------------------------------------------------


@contextlib.contextmanager
def _connect_to_server(place: str, shown: str) -> Iterator[sql.Connection]:
    """
    Connect to a database for reading, as it is at one moment.

    Parameters
    ----------
    place : str
    shown : str
        The address as messages show it.

    Raises
    ------
    UnreadableSource
        If it cannot be reached, or not be read.
    """
    engine = server_engine(place).execution_options(
        isolation_level="REPEATABLE READ", postgresql_readonly=True
    )
    try:
        with engine.connect() as database:
            yield database
    except (SQLAlchemyError, UnicodeError) as error:
        raise UnreadableSource(
            f"the database cannot be read: {said(error)}.", _REMEDY, file=shown
        ) from error


_REMEDY = (
    "Correct the address, or see that the server runs and lets you in; a password is "
    "taken from PGPASSWORD or from the password file."
)


def driver(place: str) -> Any:
    """
    Return the package that talks to PostgreSQL servers; it is an extra of ours.

    Raises
    ------
    UnreadableSource
        If it is not installed.
    """
    try:
        import psycopg
    except ImportError as error:
        raise UnreadableSource(
            "tables on a PostgreSQL server need a package that is not installed.",
            "Install it by: pip install 'gruff-ledger[postgres]'",
            file=place,
        ) from error
    return psycopg


def stated(place: str) -> dict[str, Any]:
    """Take an address apart."""
    psycopg = driver(place)
    from psycopg.conninfo import conninfo_to_dict

    try:
        return conninfo_to_dict(place)
    except psycopg.Error as error:
        raise UnreadableSource(
            f"it cannot be read as the address of a database: {said(error)}.",
            "Write it as in postgresql://USER@HOST/DATABASE#table=NAME.",
            file=place,
        ) from error


def server_engine(place: str) -> sql.Engine:
    """Return an engine that connects to a server, set up so that texts are the same."""

    driver(place)

    def connection() -> Any:
        parts = stated(place)
        parts.setdefault("connect_timeout", str(_WAIT_SECONDS))
        made = driver(place).connect(client_encoding="utf8", **parts)
        for setting in _SETTINGS:
            made.execute(setting.encode())
        made.commit()
        return made

    return sql.create_engine(
        "postgresql+psycopg://",
        creator=connection,
        poolclass=NullPool,
        hide_parameters=True,
    )
