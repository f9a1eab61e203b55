"""Tests of outputs that appear whole or not at all."""

import errno
import os
import signal
import threading
import unittest
from pathlib import Path
from typing import BinaryIO
from unittest.mock import patch

from gruff_ledger.lists.outputs import commit, flush, places
from gruff_ledger.lists.outputs.commit import Outputs
from gruff_ledger.problems import UnwritableOutput
from tests.support import FolderTest


class OutputsTest(FolderTest):
    def parts(self) -> list[str]:
        """Return the names of all files in the folder."""
        return sorted(path.name for path in self.folder.iterdir())

    def test_nothing_is_there_before_the_commit(self) -> None:
        """And nothing is left over after it."""
        target = self.folder / "deep" / "out.csv"
        with Outputs() as outputs:
            outputs.claim(target)
            outputs.write(target, lambda sink: sink.write(b"new"))
            self.assertFalse(target.exists())
            outputs.commit()
        self.assertEqual(target.read_bytes(), b"new")
        self.assertEqual([path.name for path in target.parent.iterdir()], ["out.csv"])

    def test_a_failure_leaves_the_old_file_and_no_trace(self) -> None:
        """Also of the outputs and folders that were made before it."""
        old = self.write("old.csv", "old")

        def fail(sink: object) -> None:
            raise RuntimeError

        with self.assertRaises(RuntimeError), Outputs(replace=True) as outputs:
            outputs.write(self.folder / "deep" / "new.csv", lambda sink: None)
            outputs.write(old, lambda sink: sink.write(b"half"))
            outputs.write(self.folder / "third.csv", fail)
        self.assertEqual(old.read_bytes(), b"old")
        self.assertEqual(self.parts(), ["old.csv"])

    def test_an_output_is_written_behind_while_others_are_made(self) -> None:
        """Whoever looks at it waits for it."""
        behind, other = self.folder / "behind.csv", self.folder / "other.csv"
        may_go_on = threading.Event()

        def write(sink: BinaryIO) -> None:
            may_go_on.wait(10)
            sink.write(b"behind")

        with Outputs() as outputs:
            outputs.write_behind(behind, write)
            outputs.write(other, lambda sink: sink.write(b"other"))
            may_go_on.set()
            self.assertEqual(outputs.facts_of(behind)["size_bytes"], 6)
            outputs.write_behind(self.folder / "third.csv", write)
            outputs.commit()
        self.assertEqual(self.parts(), ["behind.csv", "other.csv", "third.csv"])
        self.assertEqual(behind.read_bytes(), b"behind")

    def test_what_goes_wrong_behind_is_told_and_leaves_no_trace(self) -> None:
        """Also where something else goes wrong first."""
        old = self.write("old.csv", "old")

        def full(sink: BinaryIO) -> None:
            sink.write(b"half")
            raise OSError(errno.ENOSPC, "no space")

        with (
            self.assertRaisesRegex(UnwritableOutput, "no room left"),
            Outputs(replace=True) as outputs,
        ):
            outputs.write_behind(old, full)
            outputs.commit()
        went_on = threading.Event()

        def slow(sink: BinaryIO) -> None:
            went_on.wait(10)
            sink.write(b"more")

        with self.assertRaises(RuntimeError), Outputs(replace=True) as outputs:
            outputs.write_behind(old, slow)
            went_on.set()
            raise RuntimeError
        self.assertEqual(old.read_bytes(), b"old")
        self.assertEqual(self.parts(), ["old.csv"])

    def test_a_large_output_is_flushed_while_it_is_written(self) -> None:
        """Little is left to wait for; what the disk refuses is told at the end."""
        flushed = threading.Event()

        def fsync(number: int) -> None:
            flushed.set()
            raise OSError(errno.EIO, "the disk is broken")

        def write(sink: BinaryIO) -> None:
            sink.write(bytes(100))
            sink.flush()
            self.assertTrue(flushed.wait(10))

        with (
            patch.object(flush, "_FLUSHED_BYTES", 100),
            patch.object(flush.os, "fsync", fsync),
            self.assertRaisesRegex(UnwritableOutput, "the disk is broken"),
            Outputs() as outputs,
        ):
            outputs.write(self.folder / "a.csv", write)
            outputs.commit()
        self.assertEqual(self.parts(), [])

    def test_an_existing_file_needs_replace(self) -> None:
        """Checked before any work is done, and again when it is put in place."""
        old = self.write("old.csv", "old")
        with Outputs() as outputs, self.assertRaisesRegex(UnwritableOutput, "exists"):
            outputs.claim(old)
        late = self.folder / "late.csv"
        with Outputs() as outputs:
            outputs.claim(late)
            outputs.write(late, lambda sink: sink.write(b"ours"))
            late.write_bytes(b"theirs")
            with self.assertRaisesRegex(UnwritableOutput, "appeared"):
                outputs.commit()
        self.assertEqual(late.read_bytes(), b"theirs")

    def test_a_source_is_never_an_output(self) -> None:
        """Not by another path, not by a link, not even with replace."""
        source = self.write("a.csv", "a")
        paths = [source, self.folder / "x" / ".." / "a.csv"]
        try:
            (self.folder / "link.csv").symlink_to(source)
            os.link(source, self.folder / "hard.csv")
        except OSError:
            pass  # Not every system lets everyone make links.
        else:
            paths += [self.folder / "link.csv", self.folder / "hard.csv"]
        for path in paths:
            with (
                self.subTest(path=path.name),
                Outputs([source], replace=True) as outputs,
                self.assertRaisesRegex(UnwritableOutput, "one of the sources"),
            ):
                outputs.claim(path)

    def test_two_outputs_need_two_places(self) -> None:
        """Otherwise one would be lost."""
        with Outputs() as outputs:
            outputs.claim(self.folder / "a.csv")
            with self.assertRaisesRegex(UnwritableOutput, "two outputs"):
                outputs.claim(self.folder / "b" / ".." / "a.csv")

    def test_a_folder_is_no_output(self) -> None:
        """It is said what is wrong."""
        with Outputs() as outputs, self.assertRaisesRegex(UnwritableOutput, "folder"):
            outputs.claim(self.folder)

    @unittest.skipUnless(Path("/dev/full").exists(), "needs a device that is full")
    def test_a_full_disk_is_said(self) -> None:
        """In the person's words."""
        with (
            Outputs() as outputs,
            self.assertRaisesRegex(UnwritableOutput, "no room left"),
        ):
            outputs.write(Path("/dev/full"), lambda sink: sink.write(b"x" * 10000))

    @unittest.skipIf(os.name == "nt", "modes are those of POSIX")
    def test_a_replaced_file_keeps_its_permissions(self) -> None:
        """A file that only its owner may read must stay so."""
        old = self.write("old.csv", "old")
        old.chmod(0o600)
        with Outputs(replace=True) as outputs:
            outputs.claim(old)
            outputs.write(old, lambda sink: sink.write(b"new"))
            outputs.commit()
        self.assertEqual(old.stat().st_mode & 0o777, 0o600)


class ProtectedTest(FolderTest):
    """What may not be written to, and who may read what is written."""

    def test_what_a_run_is_made_from_is_never_an_output(self) -> None:
        """By its own name, by a link, and before it is there."""
        docket = self.write("job.toml", "docket = 1")
        linked = self.folder / "linked.toml"
        linked.symlink_to(docket)
        coming = self.folder / "decided.jsonl"
        made_from = {docket: "the docket", coming: "what is decided"}
        with Outputs(replace=True, made_from=made_from) as outputs:
            for path, what in ((docket, "docket"), (linked, "docket"), (coming, "dec")):
                with (
                    self.subTest(path=path.name),
                    self.assertRaisesRegex(UnwritableOutput, what),
                ):
                    outputs.claim(path)

    def test_a_link_leads_nowhere_outside(self) -> None:
        """Neither when it is claimed nor when it is written."""
        below = self.folder / "job"
        outside = self.write("outside.csv", "theirs")
        below.mkdir()
        (below / "out.csv").symlink_to(outside)
        with Outputs(replace=True, below=[below]) as outputs:
            with self.assertRaisesRegex(UnwritableOutput, "lies outside"):
                outputs.claim(below / "out.csv")
            with self.assertRaisesRegex(UnwritableOutput, "lies outside"):
                outputs.begin(below / "out.csv")
        self.assertEqual(outside.read_text(), "theirs")

    @unittest.skipUnless(os.name == "posix", "permissions are those of POSIX")
    def test_outputs_are_as_private_as_their_sources(self) -> None:
        """New ones and replaced ones, and while they are written too."""
        source = self.write("list.csv", "a\n1\n")
        source.chmod(0o600)
        old = self.write("old.csv", "old")
        old.chmod(0o644)
        new = self.folder / "new.csv"
        modes = []

        def write(sink: BinaryIO) -> None:
            modes.append(os.fstat(sink.fileno()).st_mode & 0o777)
            sink.write(b"a\n")

        with Outputs([source], replace=True) as outputs:
            for path in (old, new):
                outputs.write(path, write)
            outputs.commit()
        modes += [path.stat().st_mode & 0o777 for path in (old, new)]
        self.assertEqual(modes, [0o600] * 4)

    def test_an_interruption_waits_until_all_are_in_place(self) -> None:
        """And what is in place is noted."""
        paths = [self.folder / name for name in ("a.csv", "b.csv")]
        put = places._put
        before = signal.signal(signal.SIGINT, signal.default_int_handler)
        self.addCleanup(signal.signal, signal.SIGINT, before)

        def interrupted(staged: places.Staged, *, replace: bool) -> None:
            put(staged, replace=replace)
            signal.raise_signal(signal.SIGINT)

        noted: list[str] = []
        with (
            patch.object(places, "_put", interrupted),
            patch.object(commit, "PLACED", noted),
            self.assertRaises(KeyboardInterrupt),
            Outputs() as outputs,
        ):
            for path in paths:
                outputs.write(path, lambda sink: sink.write(b"a\n"))
            outputs.commit()
        self.assertTrue(all(path.is_file() for path in paths))
        self.assertEqual(noted, [str(path) for path in paths])
        self.assertEqual(len(list(self.folder.iterdir())), 2)
