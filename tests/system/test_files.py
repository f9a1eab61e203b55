"""Tests of what files can do on one system and not on another, each as on that system.

What is Windows' own, its functions for locks and processes, is stood for by small
ones that do what Windows' documentation says of them.
"""

import ctypes
import errno
import os
import subprocess
import sys
import unittest
from contextlib import contextmanager, nullcontext
from pathlib import Path
from types import SimpleNamespace
from unittest.mock import patch

from gruff_ledger.system import files
from gruff_ledger.system.locks import Busy, only_one
from tests.support import FolderTest


class _LockedBytes:
    """Locks as msvcrt gives them: of bytes of a file, from where it is read."""

    LK_NBLCK = 2

    def __init__(self) -> None:
        self.held: set[tuple[int, int]] = set()

    def locking(self, number: int, mode: int, count: int) -> None:
        """Lock bytes, or refuse at once where another has them."""
        assert mode == self.LK_NBLCK and count == 1
        key = (os.fstat(number).st_ino, os.lseek(number, 0, os.SEEK_CUR))
        if key in self.held:
            raise OSError(errno.EACCES, "Permission denied")
        self.held.add(key)


class _Processes:
    """The part of Windows' kernel32 that tells whether a process runs."""

    def __init__(self, running: set[int], ended: set[int], denied: set[int]) -> None:
        self._known = running | ended
        self._ended, self._denied = ended, denied
        self._error = 0
        self.open: list[int] = []

    def OpenProcess(self, access: int, inherit: bool, process: int) -> int:
        self._error = 5 if process in self._denied else 87
        if process not in self._known:
            return 0
        self.open.append(process)
        return process

    def GetLastError(self) -> int:
        return self._error

    def WaitForSingleObject(self, handle: int, wait: int) -> int:
        return 0 if handle in self._ended else 258

    def CloseHandle(self, handle: int) -> None:
        self.open.remove(handle)


@contextmanager
def windows(**modules: object):
    """Let the module believe that it runs on Windows."""
    with (
        patch.object(files, "sys", SimpleNamespace(platform="win32")),
        patch.dict(sys.modules, modules),
    ):
        yield


class LockTest(FolderTest):
    def test_one_holds_it_until_the_file_is_closed(self) -> None:
        path = self.write("x.toml", "x")
        with path.open("rb") as first, path.open("rb") as second:
            files.lock(first)
            with self.assertRaises(OSError):
                files.lock(second)
            first.close()
            files.lock(second)

    def test_windows_locks_a_byte_that_nobody_reads(self) -> None:
        path = self.write("x.toml", "what it holds")
        locks = _LockedBytes()
        with windows(msvcrt=locks), path.open("rb") as stream:
            files.lock(stream)
            self.assertEqual(stream.read(), b"what it holds")
        ((_, place),) = locks.held
        self.assertGreater(place, 1 << 32)

    def test_the_second_run_is_told_on_windows_as_well(self) -> None:
        path = self.write("x.toml", "x")
        with (
            windows(msvcrt=_LockedBytes()),
            only_one(path),
            self.assertRaisesRegex(Busy, "another run of it is at work"),
            only_one(path),
        ):
            pass


class IsRunningTest(unittest.TestCase):
    def test_here(self) -> None:
        done = subprocess.Popen([sys.executable, "-c", ""])
        done.wait()
        self.assertTrue(files.is_running(os.getpid()))
        self.assertFalse(files.is_running(done.pid))

    def test_on_windows(self) -> None:
        """A handle can be open to one that has ended; those of others are denied."""
        system = _Processes({7}, {8}, {9})
        for process, expected in ((7, True), (8, False), (9, True), (10, False)):
            with (
                self.subTest(process=process),
                windows(),
                patch.object(
                    ctypes, "windll", SimpleNamespace(kernel32=system), create=True
                ),
            ):
                self.assertEqual(files.is_running(process), expected)
        self.assertEqual(system.open, [])


def _rename_on_windows(here: Path, place: Path) -> None:
    if place.exists():
        raise FileExistsError(errno.EEXIST, "it is there", str(place))
    here.replace(place)


class MoveToFreePlaceTest(FolderTest):
    def ways(self):
        """Go through the three ways a system has."""
        no_links = OSError(errno.EPERM, "no links here")
        yield "links", nullcontext()
        yield "no links", patch.object(files.os, "link", side_effect=no_links)
        yield "Windows", patch.object(Path, "rename", _rename_on_windows)

    def test_it_is_moved_and_nothing_stays(self) -> None:
        for name, way in self.ways():
            with self.subTest(way=name), way:
                here = self.write("a.part", "new")
                place = self.folder / f"{name}.csv"
                self.move(name, here, place)
                self.assertEqual(place.read_text(), "new")
                self.assertFalse(here.exists())

    def test_what_is_there_is_left_as_it_is(self) -> None:
        for name, way in self.ways():
            with self.subTest(way=name), way:
                here = self.write("a.part", "new")
                place = self.write("there.csv", "old")
                with self.assertRaises(FileExistsError):
                    self.move(name, here, place)
                self.assertEqual(place.read_text(), "old")
                self.assertEqual(here.read_text(), "new")

    def move(self, way: str, here: Path, place: Path) -> None:
        """Move as a system does."""
        if way == "Windows":
            with windows():
                files.move_to_free_place(here, place)
        else:
            files.move_to_free_place(here, place)


class FactsTest(unittest.TestCase):
    def test_what_windows_does_not_do(self) -> None:
        self.assertTrue(files.can_remove_open_files() and files.has_permissions())
        with windows():
            self.assertFalse(files.can_remove_open_files() or files.has_permissions())

    def test_the_name_of_the_machine(self) -> None:
        self.assertEqual(files.machine_name(), os.uname().nodename)
        with windows(), patch.dict(os.environ, {"COMPUTERNAME": "QUAY-3"}):
            self.assertEqual(files.machine_name(), "QUAY-3")

    def test_a_pipe_whose_reader_has_left(self) -> None:
        left = OSError(errno.EINVAL, "Invalid argument")
        of_a_file = OSError(errno.EINVAL, "Invalid argument", "x.csv")
        self.assertTrue(files.is_broken_pipe(BrokenPipeError()))
        self.assertFalse(files.is_broken_pipe(left))
        with windows():
            self.assertTrue(files.is_broken_pipe(left))
            self.assertFalse(files.is_broken_pipe(of_a_file))


if __name__ == "__main__":
    unittest.main()
