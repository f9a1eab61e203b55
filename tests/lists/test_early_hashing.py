"""Tests of hashing ahead of reading."""

import hashlib
import io
import os
import threading
import time
import unittest
from collections.abc import Iterator
from pathlib import Path
from unittest.mock import patch

from gruff_ledger.cli.start import _hashes_sources, _sure_sources
from gruff_ledger.lists import early_hashing
from gruff_ledger.lists.source import Opened, begin_hashing, hash_of, open_path
from tests.support import FolderTest


class AheadTest(FolderTest):
    def large(self, name: str = "a.csv", *, aged: bool = True) -> Path:
        """Write a file that is worth to begin with, changed a while ago."""
        path = self.folder / name
        path.write_bytes(os.urandom(3 << 20))
        if aged:
            then = time.time() - 60
            os.utime(path, (then, then))
        return path

    def begun(self, path: Path, *, to_the_end: bool = True) -> early_hashing.Ahead:
        """Hash a file ahead, as far as may be; wait for that."""
        with patch.object(early_hashing, "_BLOCK_BYTES", 1 << 20):
            one = early_hashing.Ahead(str(path))
            early_hashing._begun[str(path)] = one
            if not to_the_end:
                read = hashlib.sha256

                def claimed(*args: bytes) -> object:
                    one.claim()
                    return read(*args)

                with patch("hashlib.sha256", claimed):
                    one.work()
            else:
                one.work()
        return one

    def test_what_was_hashed_ahead_is_not_hashed_again(self) -> None:
        """The rest is taken from the reading, so that the hash is that of the file."""
        path = self.large()
        whole = hashlib.sha256(path.read_bytes()).hexdigest()
        opened = open_path(path, name="a")
        self.begun(path)
        hashing = begin_hashing(opened)
        # Not the bytes of the file: only those that are new may be looked at.
        hashing.add(bytes(3 << 20))
        self.assertEqual(hashing.finish()(), whole)
        self.assertEqual(hash_of(opened)(), whole)

    def test_a_reading_that_begins_earlier_goes_on_from_there(self) -> None:
        """Whatever the blocks are that it reads."""
        path = self.large()
        data = path.read_bytes()
        opened = open_path(path, name="a")
        one = early_hashing.Ahead(str(path))
        one._sum = hashlib.sha256(data[:1_500_000])
        one._count = 1_500_000
        one._facts = (opened.size_bytes, opened.stamp)
        one._is_free.set()
        early_hashing._begun[str(path)] = one
        hashing = begin_hashing(opened)
        for start in range(0, len(data), 400_000):
            hashing.add(data[start : start + 400_000])
        self.assertEqual(hashing.finish()(), hashlib.sha256(data).hexdigest())

    def test_a_claim_ends_it_after_the_block_in_hand(self) -> None:
        """Nobody waits until all of a large file is read."""
        path = self.large()
        one = self.begun(path, to_the_end=False)
        facts = path.stat()
        self.assertEqual(one.taken(facts.st_size, facts.st_mtime_ns)[1], 0)
        whole = hashlib.sha256(path.read_bytes()).hexdigest()
        self.assertEqual(hash_of(open_path(path, name="a"))(), whole)

    def test_no_more_is_hashed_ahead_than_stays_in_memory(self) -> None:
        """The rest is hashed as it is read; a huge file must not be read twice."""
        path = self.large()
        with patch.object(early_hashing, "_MOST_BYTES", 1 << 21):
            one = self.begun(path)
        facts = path.stat()
        self.assertEqual(one.taken(facts.st_size, facts.st_mtime_ns)[1], 1 << 21)
        whole = hashlib.sha256(path.read_bytes()).hexdigest()
        self.assertEqual(hash_of(open_path(path, name="a"))(), whole)

    def test_a_file_that_changed_since_is_hashed_anew(self) -> None:
        """Its time or its size tell."""
        path = self.large()
        self.begun(path)
        path.write_bytes(path.read_bytes()[::-1])
        opened = open_path(path, name="a")
        whole = hashlib.sha256(path.read_bytes()).hexdigest()
        self.assertEqual(hash_of(opened)(), whole)

    def test_a_file_that_changed_just_now_is_not_begun(self) -> None:
        """Its time might not tell of another change."""
        path = self.large(aged=False)
        one = self.begun(path)
        facts = path.stat()
        one.claim()
        self.assertEqual(one.taken(facts.st_size, facts.st_mtime_ns), (None, 0))

    def test_only_files_worth_it_are_begun(self) -> None:
        """Not what is small, missing, or no text."""
        path = self.large()
        small = self.write("small.csv", "a,b\n1,2\n")
        names = [path, small, self.folder / "none.csv", self.large("a.xlsx")]
        with patch.object(early_hashing, "_begun", begun := {}):
            listed = threading.Event()

            def addresses() -> Iterator[str]:
                yield from (*map(str, names), str(path), "nul\0.csv")
                listed.set()

            early_hashing.hash_ahead(addresses)
            self.assertTrue(listed.wait(20))
            self.assertEqual(list(begun), [str(path)])
            self.assertIsNone(early_hashing.claimed(small))
            found = early_hashing.claimed(path)
            assert found is not None
            facts = path.stat()
            found.taken(facts.st_size, facts.st_mtime_ns)
            self.assertIsNone(early_hashing.claimed(path))
            self.assertIsNone(early_hashing.claimed(None))

    def test_a_hashing_of_a_stream_has_nothing_ahead(self) -> None:
        """It has no path."""
        opened = Opened("x", "x", 1, None, io.BytesIO)
        hashing = begin_hashing(opened)
        hashing.add(b"a")
        self.assertEqual(hashing.finish()(), hashlib.sha256(b"a").hexdigest())


class SureSourcesTest(FolderTest):
    def test_only_what_keeps_hashes_begins_to_hash(self) -> None:
        """A ledger does; looking into a docket, or whether it changed, does not."""
        for line, expected in (
            ("", False),
            ("count a.csv", False),
            ("count a.csv --ledger l", True),
            ("run a.toml --replace", True),
            ("run a.toml --if-changed --ledger l", False),
            ("run a.toml --stop-after=2", False),
        ):
            with self.subTest(line=line):
                self.assertEqual(_hashes_sources(line.split()), expected)

    def test_lists_are_what_stands_before_the_options(self) -> None:
        """And the reference list; the values of other options may be outputs."""
        line = ["lookup", "a.csv", "b.csv", "--to", "c.csv", "--in", "d.csv"]
        self.assertEqual(list(_sure_sources(line)), ["a.csv", "b.csv", "d.csv"])
        self.assertEqual(list(_sure_sources(["count", "--in"])), [])

    def test_a_docket_names_its_lists(self) -> None:
        """As seen from its folder; what is wrong with it is said later."""
        docket = self.write(
            "a.toml", 'docket = 1\n[lists.north]\nfrom = "lists/north.csv"\n'
        )
        found = list(_sure_sources(["run", str(docket), "--replace"]))
        self.assertEqual(found, [str(self.folder / "lists" / "north.csv")])
        for text in ("lists = 1", "[lists]\na = 1", "[lists.a]\nto = 1", "=", ""):
            with self.subTest(text=text):
                docket = self.write("a.toml", text)
                self.assertEqual(list(_sure_sources(["run", str(docket)])), [])
        self.assertEqual(list(_sure_sources(["run", "none.toml"])), [])
        self.assertEqual(list(_sure_sources(["run"])), [])


class ProgramTest(FolderTest):
    def test_the_account_has_the_hash_of_the_file(self) -> None:
        """Of one that was hashed ahead, of several, and where one just changed."""
        rows = "".join(f"{n},{n * 7919},{'x' * 30}\n" for n in range(40_000))
        for name in ("a.csv", "b.csv"):
            path = self.write(name, f"No,Code,{name}\n{rows}")
            if name == "a.csv":
                os.utime(path, (1_700_000_000, 1_700_000_000))
        done = self.gruff("merge", "a.csv", "b.csv", "--to", "c.csv", "--ledger", "l")
        self.assertEqual(done.returncode, 0, done.stderr)
        account = (self.folder / "l" / "account.json").read_text(encoding="utf-8")
        for name in ("a.csv", "b.csv"):
            data = (self.folder / name).read_bytes()
            self.assertIn(hashlib.sha256(data).hexdigest(), account)


if __name__ == "__main__":
    unittest.main()
