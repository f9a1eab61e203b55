"""Tests of lists larger than memory: the same bytes, from temporary files."""

import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import pyarrow as pa

from gruff_ledger.columns.arrays import (
    concat_columns,
    filter_column,
    taken,
    text_column,
)
from gruff_ledger.columns.storage import storage
from gruff_ledger.columns.threads import mapped
from gruff_ledger.storage import folders, numpy_memory
from gruff_ledger.storage.files import Files, wants_files
from gruff_ledger.system.memory import memory_to_use
from tests.support import PROGRAM, FolderTest

sys.path.insert(0, str(Path(__file__).parents[2] / "bench"))

# The list of the tests has more than a fifth of the least memory that can be stated.
_RECORDS = 520_000
_LITTLE = ("--memory", "200 MB")


def cells(n: int) -> list[str]:
    """Return many different texts, some of them blank or long."""
    return ["" if i % 7 == 0 else f"berth {i} é" * (1 + i % 3) for i in range(n)]


class ScratchTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.scratch = Files(self.folder)
        self.addCleanup(self.scratch.close)

    def test_large_arrays_lie_in_files_and_outlive_it(self) -> None:
        with self.scratch as held:
            large, small = np.arange(1 << 20), np.arange(10)
            zeros = np.zeros(1 << 16)
            self.assertIn(large.ctypes.data, held._arrays.places)
            self.assertIn(zeros.ctypes.data, held._arrays.places)
            self.assertNotIn(small.ctypes.data, held._arrays.places)
            self.assertEqual(zeros.sum(), 0)
            # What one array leaves, the next one takes: it holds zeros all the same.
            zeros += 1
            del zeros
            self.assertEqual(np.zeros(1 << 16).sum(), 0)
            large.resize(1 << 21, refcheck=False)
        self.assertEqual(large[: 1 << 20].tolist(), list(range(1 << 20)))
        self.assertEqual(large[1 << 20 :].sum(), 0)
        self.assertNotIn(np.zeros(1 << 20).ctypes.data, held._arrays.places)

    def test_arrays_made_in_threads_lie_in_files_too(self) -> None:
        with self.scratch as held:
            made = mapped(lambda n: np.full(1 << 20, n), range(8))
            self.assertTrue(
                all(each.ctypes.data in held._arrays.places for each in made)
            )
        self.assertEqual([int(each[-1]) for each in made], list(range(8)))

    def test_columns_are_mapped_from_open_files(self) -> None:
        texts = cells(200_000)
        with self.scratch as held:
            column = concat_columns([text_column(texts)])
            self.assertTrue(all(map(held._lies_in_file, column.chunks)))
            self.assertFalse(held._lies_in_file(text_column(texts).chunk(0)))
            again = concat_columns([column])
            self.assertIs(type(again), pa.ChunkedArray)
            self.assertEqual(
                again.chunk(0).buffers()[2].address,
                column.chunk(0).buffers()[2].address,
            )
        self.assertEqual(column.to_pylist(), texts)

    def test_work_on_columns_is_as_in_memory(self) -> None:
        texts = cells(300_000)
        wanted = np.arange(len(texts)) % 3 > 0
        places = np.random.default_rng(5).permutation(len(texts))
        parts = [text_column(texts[at : at + 7_000]) for at in range(0, 300_000, 7_000)]
        here = concat_columns(parts)
        expected = (
            filter_column(here, wanted).to_pylist(),
            taken(here, places).to_pylist(),
        )
        with self.scratch:
            gathered = storage().gathering(1)
            for part in parts:
                gathered.add([part])
            (column,) = gathered.columns()
            self.assertGreater(column.num_chunks, 1)
            self.assertEqual(filter_column(column, wanted).to_pylist(), expected[0])
            self.assertEqual(taken(column, places).to_pylist(), expected[1])

    def test_small_columns_stay_as_they_are(self) -> None:
        column = text_column(["Tern"])
        self.assertIs(storage().kept(column), column)
        with self.scratch:
            self.assertEqual(storage().kept(column).to_pylist(), ["Tern"])

    def test_each_context_has_its_own(self) -> None:
        """Runs within and beside each other; and what was there is there again."""
        self.assertTrue(storage().holds_whole)
        with self.scratch as held:
            self.assertIs(storage(), held)
            with Files(self.folder) as within:
                self.assertIs(storage(), within)
                self.assertEqual(mapped(lambda _: storage(), range(3)), [within] * 3)
                self.assertIn(np.zeros(1 << 20).ctypes.data, within._arrays.places)
            self.assertIs(storage(), held)
            self.assertIn(np.zeros(1 << 20).ctypes.data, held._arrays.places)
            beside = threading.Thread(target=self.is_in_memory)
            beside.start()
            beside.join()
        self.is_in_memory()

    def is_in_memory(self) -> None:
        """Check that columns and arrays that are made here are in memory."""
        self.assertTrue(storage().holds_whole)
        self.assertNotIn(np.zeros(1 << 20).ctypes.data, self.scratch._arrays.places)

    def test_a_numpy_that_is_not_known_is_left_alone(self) -> None:
        with mock.patch.object(np, "__version__", "3.0.0"), self.scratch as held:
            self.assertFalse(held.has_arrays)

    def test_a_hook_that_does_not_work_is_given_up(self) -> None:
        """It is tried when it is begun."""
        broken = mock.patch.object(
            numpy_memory.MappedArrays, "_works", return_value=False
        )
        with broken, self.scratch as held:
            self.assertFalse(held.has_arrays)
            self.assertNotIn(np.zeros(1 << 20).ctypes.data, held._arrays.places)

    def test_its_folder_is_private_and_goes_with_it(self) -> None:
        with self.scratch as held:
            if os.name != "nt":
                self.assertEqual(held.folder.stat().st_mode & 0o777, 0o700)
        self.assertEqual(list(self.folder.iterdir()), [])

    def left_by_a_kill(self) -> Path:
        """Return a folder of the kind that a killed run leaves."""
        left, mark = folders.make_folder(self.folder)
        mark.close()
        (left / "1.arrow").write_bytes(b"cells")
        return left

    def test_what_a_killed_run_left_is_removed_and_what_is_used_is_not(self) -> None:
        left = self.left_by_a_kill()
        with self.scratch as held, Files(self.folder) as second:
            self.assertFalse(left.exists())
            self.assertTrue(held.folder.exists())
            self.assertTrue(second.folder.exists())

    def test_a_run_that_needs_no_scratch_removes_what_was_left_too(self) -> None:
        left = self.left_by_a_kill()
        self.write("boats.csv", "Boat\nTern\n")
        self.gruff("count", "boats.csv", "--by", "Boat", "--scratch", ".")
        self.assertFalse(left.exists())

    def test_folders_of_a_person_stay_whatever_they_are_called(self) -> None:
        """Only our mark counts, and only our files go."""
        for name, files in (
            ("gruff-scratch-empty", {}),
            ("gruff-scratch-plans", {"plan.txt": b"plan"}),
            ("gruff-scratch-marked", {"in-use": b"", "1.arrow": b"theirs"}),
            ("gruff-scratch-wordy", {"in-use": b"mine\n", "1.arrow": b"theirs"}),
        ):
            for file, data in files.items():
                self.write(f"{name}/{file}", data)
            (self.folder / name).mkdir(exist_ok=True)
        left = self.left_by_a_kill()
        (left / "notes.txt").write_bytes(b"theirs")
        self.write("boats.csv", "Boat\nTern\n")
        self.gruff("count", "boats.csv", "--by", "Boat", "--scratch", ".")
        self.assertTrue((left / "notes.txt").exists())
        for name in ("empty", "plans/plan.txt", "marked/1.arrow", "wordy/1.arrow"):
            self.assertTrue((self.folder / f"gruff-scratch-{name}").exists(), name)

    def test_arrays_freed_while_others_are_made_are_no_trouble(self) -> None:
        with self.scratch:
            for _ in range(3):
                loops = [[np.full(1 << 15, n)] for n in range(200)]
                for loop in loops:
                    loop.append(loop)  # Only the collector of garbage frees it.
                del loops
                kept = [np.full(1 << 15, n) for n in range(200)]
                self.assertEqual([int(each[-1]) for each in kept], list(range(200)))

    def test_without_numpys_hook_arrays_stay_in_memory(self) -> None:
        with (
            mock.patch.object(
                numpy_memory.MappedArrays, "_take_over", side_effect=AttributeError
            ),
            self.scratch as held,
        ):
            self.assertFalse(held.has_arrays)
            self.assertNotIn(np.zeros(1 << 20).ctypes.data, held._arrays.places)

    def test_a_full_disk_is_no_memory(self) -> None:
        nothing = mock.Mock(free=1000)
        with (
            self.scratch,
            mock.patch("shutil.disk_usage", return_value=nothing),
            self.assertRaises(MemoryError),
        ):
            np.zeros(1 << 24)

    def test_how_much_memory_there_is(self) -> None:
        self.assertGreater(memory_to_use(), 10**8)
        self.assertTrue(wants_files(10**9, 2 * 10**9))
        self.assertFalse(wants_files(10**8, 10**9))


class LargeListTest(FolderTest):
    """Every verb on a list too large for the memory stated, through the program."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        from generate import generate

        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.large = str(Path(held.name) / "bookings.csv")
        generate(_RECORDS, Path(cls.large))
        lines = Path(cls.large).read_text().splitlines()
        cls.other = str(Path(held.name) / "other.csv")
        Path(cls.other).write_text("\n".join(lines[:50_000:2]) + "\n")

    def both(self, *arguments: str) -> str:
        """Run a command in much memory and in little; return what the second said."""
        for memory, name in ((("--memory", "4 GB"), "much"), (_LITTLE, "little")):
            done = self.gruff(
                *arguments,
                *memory,
                *("--scratch", ".", "--to", f"{name}.csv"),
                *("--aside", f"{name}-aside.csv", "--replace"),
                status=None,
            )
            self.assertIn(done.returncode, (0, 1), done.stderr)
        told = done.stderr.decode()
        self.assertIn("went through temporary files", told)
        for name in ("{}.csv", "{}-aside.csv"):
            much = (self.folder / name.format("much")).read_bytes()
            self.assertEqual(much, (self.folder / name.format("little")).read_bytes())
        self.assertEqual(list(self.folder.glob("gruff-scratch-*")), [])
        return told

    def test_every_verb_gives_the_same_bytes(self) -> None:
        large, other = self.large, self.other
        for arguments in (
            ("duplicates", large, "--by", "Booking"),
            ("duplicates", large),
            ("merge", large, other, "--name-source", "List"),
            (
                *("lookup", large, "--in", other, "--key", "Booking"),
                *("--take", "Skipper=Theirs", "--which", "first"),
            ),
            (
                *("flag", large, "--required", "Amount", "--allowed", "Class=A, B, C"),
                *("--rule", 'field="Booking", unique=true'),
                *("--rule", 'field="Amount", datatype="decimal", minimum=10'),
            ),
            ("split", large, "--field", "Boat", "--at", " ", "--parts", "A, B, C"),
            ("join", large, "--fields", "Class, Quay", "--heading", "Where"),
            ("fields", large, "--drop", "Quay", "--first", "Skipper"),
            ("pick", large, "--where", "Amount > 5000 AND Class IN ('A', 'B')"),
            ("pick", large, "--top", "2", "--by", "Amount DESC", "--per", "Quay"),
            (
                *("compute", large, "--formula", "Half=Amount / 2"),
                *("--formula", "Who=Boat || ' of ' || Skipper"),
            ),
            ("scrub", large, "--fields", "Boat, Skipper", "--case", "upper", "--trim"),
            ("count", large, "--by", "Boat"),
            (
                "rollup",
                large,
                "--down",
                "Boat",
                "--across",
                "Quay",
                "--value",
                "Amount",
            ),
            ("sort", large, "--by", "Skipper, Arrival DESC"),
            ("sort", large, "--by", "Booking"),
        ):
            with self.subTest(" ".join(arguments[:1] + arguments[2:])):
                self.both(*arguments)

    def test_a_docket_and_its_ledger_are_the_same(self) -> None:
        self.write(
            "job.toml",
            'docket = 1\n[lists.all]\nfrom = "all.csv"\n[[entry]]\ndo = "duplicates"\n'
            'by = ["Booking"]\n[[entry]]\ndo = "sort"\nby = "Boat"\n'
            '[[out]]\nto = "out.csv"\n',
        )
        Path(self.folder / "all.csv").write_bytes(Path(self.large).read_bytes())
        kept = {}
        for memory in ("4 GB", "200MB"):
            self.gruff("run", "job.toml", "--replace", "--memory", memory)
            kept[memory] = [
                (self.folder / name).read_bytes()
                for name in ("out.csv", "ledger/set-aside.csv")
            ]
        self.assertEqual(*kept.values())
        self.assertIn("temporary files", self.text("ledger/account.json"))
        told = self.gruff("trace", "out.csv", "--record", "400000").stdout
        self.assertIn(b"as in all, row", told)

    @unittest.skipIf(os.name == "nt", "there is no such signal")
    def test_what_a_kill_leaves_is_gone_after_the_next_start(self) -> None:
        command = [str(PROGRAM), "sort", self.large, "--by", "Booking", *_LITTLE]
        command += ["--to", "out.csv", "--scratch", "."]
        for _ in range(40):
            running = subprocess.Popen(
                command, cwd=self.folder, stderr=subprocess.DEVNULL
            )
            until = time.monotonic() + 20
            while time.monotonic() < until and running.poll() is None:
                if list(self.folder.glob(".out.csv*")):
                    running.send_signal(signal.SIGKILL)
                    break
                time.sleep(0.001)
            running.wait()
            if list(self.folder.glob(".out.csv*")):
                break
            (self.folder / "out.csv").unlink(missing_ok=True)
        self.assertTrue(list(self.folder.glob("gruff-scratch-*")))
        self.assertTrue(list(self.folder.glob(".out.csv*")))
        self.gruff(*command[1:])
        self.assertEqual([each.name for each in self.folder.iterdir()], ["out.csv"])

    def test_a_size_that_is_none_is_refused(self) -> None:
        for said, expected in (
            ("much", "is not a size of memory"),
            ("10 MB", "too little for any work"),
        ):
            told = self.problem("count", self.other, "--by", "Quay", "--memory", said)
            self.assertIn(expected, told)

    def test_a_folder_that_is_not_there_is_said(self) -> None:
        told = self.problem(
            "count", self.large, "--by", "Quay", *_LITTLE, "--scratch", "nowhere"
        )
        self.assertIn("temporary files cannot be written here", told)
        self.assertIn("--scratch", told)
