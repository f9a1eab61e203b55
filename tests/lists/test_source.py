"""Tests of sources as bytes."""

import hashlib
import unittest

from gruff_ledger.lists.delimited.read import read_delimited
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Feed, begin_hashing, open_bytes, open_path
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


class HashingTest(unittest.TestCase):
    def test_gives_the_hash_of_all_bytes_in_order(self) -> None:
        """As SHA-256 tools give it, also of more blocks than may wait."""
        for blocks in ([], [b"a"], [bytes([i % 256]) * 1000 for i in range(200)]):
            with self.subTest(blocks=len(blocks)):
                data = b"".join(blocks)
                hashing = begin_hashing(open_bytes(data or b"x", name="x", address="x"))
                for block in blocks:
                    hashing.add(block)
                expected = hashlib.sha256(data).hexdigest()
                self.assertEqual(hashing.finish()(), expected)

    def test_a_feed_hashes_what_it_leaves_out_as_well(self) -> None:
        """Mark, titles and headings belong to the source."""
        data = b"\xef\xbb\xbftitle\na,b\n1,2\n"
        opened = open_bytes(data, name="x", address="x")
        feed = Feed(opened, encoding="utf-8", bom=data[:3], skip=6, hashed=True)
        self.assertEqual(feed.finish().sha256(), hashlib.sha256(data).hexdigest())


class ChangedTest(FolderTest):
    def test_a_source_that_grew_while_it_was_read_is_refused(self) -> None:
        """Half of a list must not be taken for the whole."""
        path = self.write("a.csv", "a,b\n1,2\n")
        opened = open_path(path, name="a")
        self.write("a.csv", "a,b\n1,2\n3,4\n")
        with self.assertRaisesRegex(UnreadableSource, "changed while it was read"):
            read_delimited(opened, ReadingTerms())
