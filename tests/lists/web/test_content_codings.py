"""Tests of undoing the codings of answers from the web, within bounds."""

import gzip
import unittest
import zlib

from gruff_ledger.lists.web.content_codings import (
    BadCoding,
    TooLarge,
    codings_of,
    undone,
)

LIST = b"Berth,Boat\n" + b"N-1,Tern\n" * 500_000


class UndoneTest(unittest.TestCase):
    def undone(self, data: bytes, *codings: str, most: int = 1 << 30) -> bytes:
        """Undo codings of data that comes in uneven blocks."""
        blocks = [data[at : at + 977] for at in range(0, len(data), 977)]
        pieces = list(undone(blocks, codings, most))
        self.assertLessEqual(max(map(len, pieces), default=0), 1 << 20)
        return b"".join(pieces)

    def test_every_coding_and_several_on_each_other(self) -> None:
        """A packed list of several parts, and the two things called deflate."""
        plain = zlib.compressobj(wbits=-15)
        raw = plain.compress(LIST) + plain.flush()
        twice = gzip.compress(gzip.compress(LIST))
        parts = gzip.compress(LIST[:100]) + gzip.compress(LIST[100:])
        for data, codings in (
            (LIST, ()),
            (gzip.compress(LIST), ("gzip",)),
            (parts, ("x-gzip",)),
            (twice, ("gzip", "gzip")),
            (zlib.compress(LIST), ("deflate",)),
            (raw, ("deflate",)),
        ):
            with self.subTest(codings=codings, size=len(data)):
                self.assertEqual(self.undone(data, *codings), LIST)

    def test_nothing_is_larger_than_allowed(self) -> None:
        """What is packed within it counts too, and is never there as a whole."""
        bomb = b"\0" * (64 << 20)
        for _ in range(3):
            bomb = gzip.compress(bomb)
        for most in (1 << 20, 1 << 16):
            with self.subTest(most=most), self.assertRaises(TooLarge):
                self.undone(bomb, "gzip", "gzip", "gzip", most=most)

    def test_what_is_not_coded_so_is_said(self) -> None:
        """Cut off, and something else altogether."""
        packed = gzip.compress(LIST)
        for data, told in (
            (packed[:-9], "ends too soon"),
            (packed[:5], "ends too soon"),
            (LIST[:1000], "and is not"),
            (packed + b"more", "and is not"),
        ):
            with self.subTest(told=told), self.assertRaisesRegex(BadCoding, told):
                self.undone(data, "gzip")
        self.assertEqual(self.undone(b"", "gzip"), b"")


class CodingsOfTest(unittest.TestCase):
    def test_unknown_and_too_many_are_refused(self) -> None:
        """Nobody asked for any."""
        self.assertEqual(codings_of(""), ())
        self.assertEqual(codings_of("identity, X-GZIP"), ("x-gzip",))
        for header in ("br", "gzip, zstd", "gzip, gzip, gzip, gzip"):
            with self.subTest(header=header), self.assertRaises(BadCoding):
                codings_of(header)
