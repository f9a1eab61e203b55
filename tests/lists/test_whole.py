"""Tests of outputs that appear whole or not at all."""

import os
import unittest
from pathlib import Path

from gruff_ledger.lists.whole import Outputs
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
