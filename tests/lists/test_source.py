"""Tests of sources as bytes."""

import hashlib
import unittest
from pathlib import Path

from gruff_ledger.lists.source import Checksum, Feed, Hashing, open_bytes, open_path
from gruff_ledger.problems import UnreadableSource
from tests.support import FolderTest


class OpenPathTest(FolderTest):
    def test_refuses_what_cannot_be_a_list(self) -> None:
        """Missing, a folder, empty; the nearest file is named."""
        self.write("north.csv", "a\n")
        self.write("empty.csv", "")
        for name, what, remedy in (
            ("nrth.csv", "no such file", "north.csv"),
            ("deep/north.csv", "no such file", "is not there either"),
            ("empty.csv", "empty", ""),
            (".", "a folder", ""),
            ("x" * 300, "no such file", ""),
        ):
            with self.subTest(name=name):
                with self.assertRaises(UnreadableSource) as caught:
                    open_path(self.folder / name, name="list")
                self.assertIn(what, caught.exception.what)
                self.assertIn(remedy, caught.exception.remedy)


class FeedTest(unittest.TestCase):
    def test_gives_utf_8_from_the_first_record_on(self) -> None:
        """Whatever the encoding, and however large the blocks that are asked for."""
        text = "title\na,é\n1,2\n"
        for codec, mark in (("utf-8", b"\xef\xbb\xbf"), ("utf-16-le", b"\xff\xfe")):
            for size in (1, 3, 1000):
                with self.subTest(codec=codec, size=size):
                    opened = open_bytes(
                        mark + text.encode(codec), name="x", address="x"
                    )
                    feed = Feed(opened, encoding=codec, bom=mark, skip=6)
                    got = b"".join(iter(lambda feed=feed, n=size: feed.read(n), b""))
                    self.assertEqual(got.decode(), "a,é\n1,2\n")


class HashingTest(FolderTest):
    def test_gives_the_hash_of_the_bytes_that_were_read(self) -> None:
        """As SHA-256 tools give it."""
        data = b"a,b\n" * 100_000
        opened = open_path(self.write("a.csv", data), name="a")
        read = Checksum()
        read.add(data)
        self.assertEqual(Hashing(opened).result(read), hashlib.sha256(data).hexdigest())

    def test_tells_that_a_source_changed_between_readings(self) -> None:
        """A list must not go into the ledger with the hash of another."""
        path: Path = self.write("a.csv", "a,b\n1,2\n")
        read = Checksum()
        read.add(path.read_bytes())
        path.write_bytes(b"a,b\n1,3\n")
        with self.assertRaisesRegex(UnreadableSource, "changed while it was read"):
            Hashing(open_path(path, name="a")).result(read)
