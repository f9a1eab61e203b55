"""What goes wrong around a run: kills, a full disk, sources that change, a clock."""

from __future__ import annotations

import importlib.util
import os
import subprocess
import sys
import threading
import time
import unittest
from pathlib import Path

from gruff_ledger.lists.source import check_same, hash_of, open_path
from gruff_ledger.problems import UnreadableSource
from tests.cli.test_program import obey_permissions
from tests.support import PROGRAM, FolderTest

BENCH = Path(__file__).parents[2] / "bench"
DOCKET = (
    'docket = 1\n[lists.north]\nfrom = "north.csv"\n'
    '[[entry]]\ndo = "sort"\nby = "Boat"\n[[out]]\nto = "out/sorted.csv"\n'
)
LIST = "Berth,Boat\n" + "".join(
    f"N-{number},Boat {number % 97}\n" for number in range(30_000)
)


class KillTest(FolderTest):
    """A sample of what bench/faults.py does three hundred times."""

    def test_killed_runs_leave_results_whole(self) -> None:
        """Each result is wholly old or wholly new, and the next run succeeds."""
        sys.path.insert(0, str(BENCH))
        self.addCleanup(sys.path.remove, str(BENCH))
        found = importlib.util.spec_from_file_location("faults", BENCH / "faults.py")
        assert found is not None and found.loader is not None
        faults = importlib.util.module_from_spec(found)
        found.loader.exec_module(faults)
        told = faults.kills(self.folder, 6, seed=4)
        kinds = ("all old", "all new", "some old, some new")
        self.assertEqual(sum(told[kind] for kind in kinds), 6)


class FaultTest(FolderTest):
    """One fault each; what was there before stays."""

    def setUp(self) -> None:
        """Run a docket once, that something may be lost."""
        super().setUp()
        self.write("north.csv", LIST)
        self.write("job.toml", DOCKET)
        self.gruff("run", "job.toml")
        self.before = self.all_files()

    def all_files(self) -> dict[str, bytes]:
        """Return every file but the sources, hidden ones too."""
        return {
            str(path.relative_to(self.folder)): path.read_bytes()
            for path in self.folder.rglob("*")
            if path.is_file() and path.name not in ("north.csv", "job.toml")
        }

    @unittest.skipIf(os.name == "nt", "needs a limit on the size of files")
    def test_a_full_disk(self) -> None:
        """At whatever output it becomes full, nothing is replaced or left behind."""
        import resource

        self.write("north.csv", LIST.replace("Boat 5", "Boat 6"))
        whole = (self.folder / "ledger" / "trace.zip").stat().st_size
        for limit in (1000, whole // 3, whole - 100):
            with self.subTest(limit=limit):
                done = subprocess.run(
                    [str(PROGRAM), "run", "job.toml", "--replace"],
                    cwd=self.folder,
                    capture_output=True,
                    preexec_fn=lambda limit=limit: resource.setrlimit(  # type: ignore[misc]
                        resource.RLIMIT_FSIZE, (limit, limit)
                    ),
                )
                told = done.stderr.decode()
                self.assertEqual(done.returncode, 2, told)
                self.assertIn("there is no room left to write it", told)
                self.assertEqual(self.all_files(), self.before)

    @unittest.skipIf(os.name == "nt", "needs a limit on the size of files")
    def test_a_full_disk_whatever_the_format(self) -> None:
        """Each writer tells of it in its own way."""
        import resource

        for ending in ("csv", "xlsx", "json", "parquet", "db", "html"):
            with self.subTest(ending=ending):
                done = subprocess.run(
                    [
                        PROGRAM,
                        "sort",
                        "north.csv",
                        "--by",
                        "Boat",
                        "--to",
                        f"n.{ending}",
                    ],
                    cwd=self.folder,
                    capture_output=True,
                    preexec_fn=lambda: resource.setrlimit(
                        resource.RLIMIT_FSIZE, (20_000, 20_000)
                    ),
                )
                self.assertEqual(done.returncode, 2, done.stderr)
                self.assertIn(b"there is no room left to write it", done.stderr)
                self.assertFalse((self.folder / f"n.{ending}").exists())

    def test_a_ledger_that_cannot_be_written(self) -> None:
        """A file in the place of the folder is said, and nothing is written."""
        self.write("other/ledger", "a file")
        self.write("other/job.toml", DOCKET.replace("north.csv", "../north.csv"))
        said = self.problem("run", "other/job.toml")
        self.assertIn("the ledger is a folder, and this is a file", said)
        self.assertFalse((self.folder / "other" / "out").exists())

    @unittest.skipUnless(sys.platform in ("linux", "darwin"), "modes are POSIX's")
    def test_a_folder_that_may_only_be_read(self) -> None:
        """It is said, and what is there stays."""
        folder = self.folder / "out"
        folder.chmod(0o500)
        self.addCleanup(folder.chmod, 0o700)
        self.write("north.csv", LIST + "N-x,Tern\n")
        done = subprocess.run(
            [PROGRAM, "run", "job.toml", "--replace"],
            cwd=self.folder,
            capture_output=True,
            preexec_fn=obey_permissions,
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn("permission is denied", done.stderr.decode())
        self.assertEqual(self.all_files(), self.before)

    def test_a_source_that_changes_while_it_is_read(self) -> None:
        """The run is refused, or gives one of both lists whole: never a mixture."""
        stop = threading.Event()
        lists = (LIST, LIST[: len(LIST) // 2], LIST.replace("Boat 1", "Boat 2"))

        def write_on() -> None:
            while not stop.is_set():
                for text in lists:
                    with (self.folder / "north.csv").open("w", newline="") as sink:
                        for start in range(0, len(text), 100_000):
                            sink.write(text[start : start + 100_000])
                            sink.flush()
                            time.sleep(0.002)

        writer = threading.Thread(target=write_on)
        writer.start()
        try:
            refused = 0
            for _ in range(4):
                done = self.gruff("run", "job.toml", "--replace", status=None)
                told = done.stderr.decode()
                if done.returncode == 2:
                    refused += 1
                    self.assertTrue(
                        "it changed while it was read" in told or "it is empty" in told,
                        told,
                    )
        finally:
            stop.set()
            writer.join()
        self.assertGreater(refused, 0)

    def test_a_source_that_is_gone_is_said(self) -> None:
        """And what was there stays."""
        (self.folder / "north.csv").unlink()
        self.assertIn("there is no such file", self.problem("run", "job.toml"))
        self.assertEqual(self.all_files(), self.before)


class SameTest(FolderTest):
    """`check_same`, after a source was read."""

    def test_a_file_that_grew_or_shrank_is_refused(self) -> None:
        """Its size alone tells."""
        for text in ("a,b\n1,2\n3,4\n", "a\n"):
            path = self.write("list.csv", "a,b\n1,2\n")
            opened = open_path(path, name="list")
            self.write("list.csv", text)
            with self.assertRaisesRegex(UnreadableSource, "changed while it was read"):
                check_same(opened, None)

    def test_of_the_same_size_its_hash_tells(self) -> None:
        """A file that was only touched is the same; another content is not."""
        path = self.write("list.csv", "a,b\n1,2\n")
        opened = open_path(path, name="list")
        sha256 = hash_of(opened)
        os.utime(path, (0, 4_000_000_000))
        check_same(opened, sha256)
        self.write("list.csv", "a,b\n1,3\n")
        os.utime(path, (0, 4_000_000_000))
        with self.assertRaises(UnreadableSource):
            check_same(opened, sha256)

    def test_a_file_that_is_gone_since_was_read_whole(self) -> None:
        """That it was removed changes nothing of what was read."""
        path = self.write("list.csv", "a,b\n1,2\n")
        opened = open_path(path, name="list")
        path.unlink()
        check_same(opened, None)
