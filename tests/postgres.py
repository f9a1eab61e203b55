"""A PostgreSQL server of the tests' own: on a local socket, in a temporary folder."""

from __future__ import annotations

import functools
import os
import shutil
import subprocess
import tempfile
import unittest
from collections.abc import Mapping
from pathlib import Path

PASSWORD = "only for tests: %/@#"
USER = "harbour"


def programs() -> Path | None:
    """Return the folder of PostgreSQL's own programs, where they are installed."""
    there = shutil.which("initdb")
    if there:
        return Path(there).parent
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    return found[-1].parent if found else None


def _as_user() -> dict[str, str]:
    """Return who runs the server: it refuses to be run by the system's owner."""
    if os.name == "nt" or os.geteuid() != 0:
        return {}
    import pwd

    try:
        pwd.getpwnam("postgres")
    except KeyError as error:
        raise unittest.SkipTest(
            "there is no user 'postgres' to run a server"
        ) from error
    return {"user": "postgres"}


class Server:
    """A running server; `stop` ends it and removes all it wrote."""

    def __init__(self) -> None:
        found = programs()
        if found is None or os.name == "nt":
            raise unittest.SkipTest("PostgreSQL is not installed: no initdb was found")
        self._programs = found
        self._user = _as_user()
        # The path of a socket can have some 100 characters only.
        self.folder = Path(tempfile.mkdtemp(prefix="pg"))
        if self._user:
            shutil.chown(self.folder, "postgres")
        self._data = self.folder / "data"
        password = self.folder / "password"
        password.write_text(PASSWORD)
        password.chmod(0o644)
        self._run(
            "initdb",
            *("-D", str(self._data), "-U", USER, "--auth=scram-sha-256"),
            *("--pwfile", str(password), "-E", "UTF8", "--locale=C", "--no-sync"),
        )
        password.unlink()
        options = f"-k {self.folder} -c listen_addresses= -c fsync=off"
        log = str(self.folder / "log")
        self._run(
            "pg_ctl", "-D", str(self._data), "-w", "-l", log, "-o", options, "start"
        )

    @property
    def address(self) -> str:
        """The address of its database, without a password."""
        return f"postgresql://{USER}@/postgres?host={self.folder}"

    @property
    def environment(self) -> Mapping[str, str]:
        """What the environment must say so that it lets one in."""
        return {"PGPASSWORD": PASSWORD}

    def do(self, *statements: str) -> list[tuple[object, ...]]:
        """Execute statements; return what the last one gives."""
        import psycopg

        with psycopg.connect(self.address, password=PASSWORD) as connection:
            for statement in statements:
                cursor = connection.execute(statement.encode())
            return cursor.fetchall() if cursor.description else []

    def stop(self) -> None:
        """End it, and remove its folder."""
        self._run("pg_ctl", "-D", str(self._data), "-m", "immediate", "stop")
        shutil.rmtree(self.folder, ignore_errors=True)

    def _run(self, program: str, *arguments: str) -> None:
        done = subprocess.run(
            [str(self._programs / program), *arguments],
            cwd=self.folder,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            timeout=120,
            check=False,
            **self._user,  # type: ignore[call-overload]
        )
        if done.returncode:
            raise unittest.SkipTest(f"PostgreSQL is there, and {program} did not work")


@functools.cache
def server() -> Server:
    """Return the one server of a run of the tests; started when first asked for."""
    import atexit

    made = Server()
    atexit.register(made.stop)
    return made
