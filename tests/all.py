"""Run all tests, module by module, on every processor; the slowest begin first."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple
from unittest import mock

from tests import warm

ROOT = Path(__file__).parent.parent

# No long module is left for the end: these are known to be, and how long each took the
# last time is kept.
_LONG = (
    "tests.storage.test_files",
    "tests.cli.test_program",
    "tests.cli.test_readme",
    "tests.cli.test_faults",
    "tests.cli.test_streams",
    "tests.cli.test_private",
    "tests.cli.test_every_option",
    "tests.docket.test_again",
    "tests.cli.test_help",
    "tests.cli.test_completion",
    "tests.lists.test_round_trip",
    "tests.cli.test_demo",
)
_LIKELY_LONG, _LIKELY = 30, 5
_TIMES = Path(tempfile.gettempdir()) / "harbour-tests-times.json"

_MOST_SECONDS = 1800

# Memory that temporary files may take.
_ROOM = 4_000_000_000


class Done(NamedTuple):
    """What came of one module."""

    name: str
    told: str
    seconds: float
    status: int


def modules() -> list[str]:
    """Return the names of all modules with tests."""
    found = sorted((ROOT / "tests").rglob("test_*.py"))
    return [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in found]


def run(name: str, running: warm.Loaded | None) -> Done:
    """Run the tests of one module in a process of their own."""
    begun = time.monotonic()
    words = ["-q", name]
    if running is None:
        command = [sys.executable, "-m", "unittest", *words]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, check=False)
    else:
        done = running.run(
            words,
            folder=ROOT,
            environment=os.environ,
            seconds=_MOST_SECONDS,
            program="unittest",
        )
    told = (done.stdout + done.stderr).decode("utf-8", "replace").strip()
    return Done(name, told, time.monotonic() - begun, done.returncode)


def counted(told: str, what: str) -> int:
    """Return a number that a module's last line tells, such as ``skipped=3``."""
    (last,) = told.splitlines()[-1:] or [""]
    _, found, rest = last.partition(f"{what}=")
    return int("".join(c for c in rest.split(",")[0] if c.isdigit())) if found else 0


def tests_of(told: str) -> int:
    """Return how many tests a module ran."""
    lines = [line for line in told.splitlines() if line.startswith("Ran ")]
    return int(lines[-1].split()[1]) if lines else 0


@contextlib.contextmanager
def files_in_memory() -> Iterator[None]:
    """
    Have temporary files lie in memory, where the system has such a folder with room.

    What the program writes it flushes to the disk, which takes most of a test's time.
    """
    shared = Path("/dev/shm")
    if not (os.access(shared, os.W_OK) and shutil.disk_usage(shared).free > _ROOM):
        yield
        return
    with (
        tempfile.TemporaryDirectory(dir=shared) as folder,
        mock.patch.dict(os.environ, TMPDIR=folder),
        mock.patch.object(tempfile, "tempdir", folder),
    ):
        # A server of tables runs as another user, and has its folder in this one.
        Path(folder).chmod(0o711)
        yield


def main() -> int:
    """Run everything; return 1 if anything failed."""
    try:
        known = json.loads(_TIMES.read_text())
    except (OSError, ValueError):
        known = {}
    likely = dict.fromkeys(_LONG, _LIKELY_LONG) | known
    names = sorted(modules(), key=lambda name: -likely.get(name, _LIKELY))
    failed = passed = skipped = 0
    seconds = {}
    with (
        files_in_memory(),
        warm.listening_for_all() as running,
        ThreadPoolExecutor(os.cpu_count() or 1) as workers,
    ):
        for done in workers.map(lambda name: run(name, running), names):
            seconds[done.name] = done.seconds
            bad = counted(done.told, "failures") + counted(done.told, "errors")
            bad = max(bad, int(done.status != 0))
            left_out = counted(done.told, "skipped")
            failed += bad
            skipped += left_out
            passed += max(0, tests_of(done.told) - bad - left_out)
            if bad or left_out:
                print(f"{done.name}:\n{done.told}\n", flush=True)
            else:
                print(f"{done.name}: {tests_of(done.told)} passed", flush=True)
    _TIMES.write_text(json.dumps(seconds))
    slowest = sorted(seconds.items(), key=lambda each: -each[1])[:8]
    print("slowest:", ", ".join(f"{name} {s:.0f} s" for name, s in slowest))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
