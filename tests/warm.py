"""
The built program, started from a process that has loaded it already.

Most of what a start takes is loading packages, the same ones each time. Where the
system can fork, one process loads them once; each run is then a copy of it with
streams, folder, arguments and environment of its own, as a start gives them. Tests of
what happens at a start, of signals and of streams begin the program anew instead.
"""

from __future__ import annotations

import array
import contextlib
import gc
import importlib
import json
import os
import pkgutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

CAN_FORK = hasattr(os, "fork") and hasattr(socket, "AF_UNIX")

# Where the process listens; told to the processes of test modules.
_LISTENING = "GRUFF_TESTS_WARM"

_SECONDS_TO_START = 60
_MOST_BYTES = 1 << 20

# What tests load beside the program's own modules; others are loaded when needed.
_PACKAGES = ("pyarrow.csv", "rich.table", "xlsxwriter", "sqlalchemy", "jinja2")

# What modules of tests load.
_PACKAGES_OF_TESTS = ("hypothesis.strategies", "openpyxl", "tests.support")


class Loaded(NamedTuple):
    """A process that has loaded the program, and where it listens."""

    door: str

    def run(
        self,
        arguments: Sequence[str],
        *,
        folder: Path,
        stdin: bytes = b"",
        environment: Mapping[str, str],
        seconds: float = 120,
        program: str = "gruff",
    ) -> subprocess.CompletedProcess[bytes]:
        """
        Run the program with streams that are pipes, and wait for its end.

        Where `program` is "unittest", it is that instead, for a module of tests.

        Raises
        ------
        subprocess.TimeoutExpired
            If it takes longer than that.
        """
        said = [program, list(arguments), str(folder), dict(environment)]
        asked = json.dumps(said).encode()
        (from_us, to_it), (out, out_of_it), (err, err_of_it) = (
            os.pipe() for _ in range(3)
        )
        theirs = [from_us, out_of_it, err_of_it]
        with socket.socket(socket.AF_UNIX) as line:
            line.connect(self.door)
            line.settimeout(seconds)
            socket.send_fds(line, [asked], theirs)
            line.shutdown(socket.SHUT_WR)
            for each in theirs:
                os.close(each)
            with ThreadPoolExecutor(3) as streams:
                streams.submit(_give, to_it, stdin)
                shown, told = streams.submit(_take, out), streams.submit(_take, err)
                try:
                    status = int(line.recv(_MOST_BYTES) or b"-1")
                except TimeoutError as error:
                    raise subprocess.TimeoutExpired(arguments, seconds) from error
        return subprocess.CompletedProcess(
            [program, *arguments], status, shown.result(), told.result()
        )


def _give(number: int, data: bytes) -> None:
    with open(number, "wb") as stream, contextlib.suppress(BrokenPipeError):
        stream.write(data)
        stream.flush()


def _take(number: int) -> bytes:
    with open(number, "rb") as stream:
        return stream.read()


@contextlib.contextmanager
def listening() -> Iterator[Loaded]:
    """Have a loaded process at hand: that of the run of all tests, if there is one."""
    if _LISTENING in os.environ:
        yield Loaded(os.environ[_LISTENING])
        return
    with _begun() as loaded:
        yield loaded


@contextlib.contextmanager
def _begun(*packages: str) -> Iterator[Loaded]:
    """Have one that was begun just now, with packages beside those of the program."""
    with tempfile.TemporaryDirectory() as folder:
        door = str(Path(folder) / "door")
        process = subprocess.Popen(
            [sys.executable, "-m", "tests.warm", door, *packages],
            cwd=Path(__file__).parent.parent,
            # As the streams of each run are; Python takes files for something else.
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            start_new_session=True,
        )
        try:
            _wait_for(door, process)
            yield Loaded(door)
        finally:
            process.kill()
            process.communicate()


@contextlib.contextmanager
def listening_for_all() -> Iterator[Loaded | None]:
    """
    Have one at hand for all modules of tests, and one that runs the modules.

    Yields
    ------
    Loaded or None
        The second one; None where a process cannot be copied.
    """
    if not CAN_FORK:
        yield None
        return
    # The one that runs the program is small, for each run copies it.
    with _begun() as loaded, _begun(*_PACKAGES_OF_TESTS) as running:
        os.environ[_LISTENING] = loaded.door
        try:
            yield running
        finally:
            del os.environ[_LISTENING]


def _wait_for(path: str, process: subprocess.Popen[bytes]) -> None:
    until = time.monotonic() + _SECONDS_TO_START
    while not Path(path).exists():
        if time.monotonic() > until or process.poll() is not None:
            raise RuntimeError("the program could not be loaded for tests")
        time.sleep(0.01)


def _load_all(packages: Sequence[str] = ()) -> None:
    """Load what the program's commands load, and more, without beginning a thread."""
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    sys.argv = ["gruff"]
    package = importlib.import_module("gruff_ledger")
    for module in pkgutil.walk_packages(package.__path__, "gruff_ledger."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)
    for name in (*_PACKAGES, *packages):
        importlib.import_module(name)
    gc.collect()
    gc.freeze()


def _listen(path: str, *packages: str) -> None:
    _load_all(packages)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    with socket.socket(socket.AF_UNIX) as door:
        # It is there only when somebody listens.
        door.bind(path + ".new")
        door.listen(64)
        Path(path + ".new").rename(path)
        while True:
            line, _ = door.accept()
            if os.fork() == 0:
                door.close()
                _answer(line)
                os._exit(0)
            line.close()


def _answer(line: socket.socket) -> None:
    """Run the program once, in a process of its own, and tell its status."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    asked, numbers = _receive(line)
    child = os.fork()
    if child == 0:
        line.close()
        for number, stream in enumerate(numbers):
            os.dup2(stream, number)
            os.close(stream)
        # As at the end of any program: what waits to be flushed is flushed.
        raise SystemExit(_start(*json.loads(asked)))
    for stream in numbers:
        os.close(stream)
    _, ended = os.waitpid(child, 0)
    line.sendall(str(os.waitstatus_to_exitcode(ended)).encode())


def _receive(line: socket.socket) -> tuple[bytes, list[int]]:
    asked, numbers, _, _ = socket.recv_fds(line, _MOST_BYTES, 3)
    while part := line.recv(_MOST_BYTES):
        asked += part
    return asked, list(array.array("i", numbers))


def _start(
    program: str, arguments: list[str], folder: str, environment: dict[str, str]
) -> None:
    os.chdir(folder)
    os.environ.clear()
    os.environ.update(environment)
    time.tzset()
    signal.signal(signal.SIGINT, signal.default_int_handler)
    sys.argv = [program, *arguments]
    if program == "unittest":
        unittest.main(module=None)
    from gruff_ledger.cli import start

    start.main()


if __name__ == "__main__":
    _listen(*sys.argv[1:])
