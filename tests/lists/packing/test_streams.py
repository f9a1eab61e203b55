"""Packed lists: read as what is packed in them, cut ones refused; and written."""

import bz2
import gzip
import hashlib
import json
import lzma
import unittest
from collections.abc import Callable
from unittest import mock

import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.lists.address import packing_of, without_packing
from gruff_ledger.lists.packing import streams
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.problems import UnreadableSource
from tests.support import FolderTest


def _zst(data: bytes) -> bytes:
    made: bytes = pa.compress(data, codec="zstd", asbytes=True)
    return made


# Each packed by another library than the one that reads it, where there is one.
PACK: dict[str, Callable[[bytes], bytes]] = {
    ".gz": gzip.compress,
    ".bz2": bz2.compress,
    ".xz": lzma.compress,
    ".zst": _zst,
}
LIST = "Berth,Boat\n001,Tern\n002,Möwe\n"


def read(data: bytes) -> bytes:
    """Return what is packed in some bytes."""
    opened = streams.unpacked(open_bytes(data, name="a", address="a.csv"))
    with opened.start() as stream:
        return stream.read()


class UnpackTest(unittest.TestCase):
    @given(
        st.lists(st.binary(max_size=3000), min_size=1, max_size=4),
        st.sampled_from(sorted(PACK)),
    )
    def test_streams_one_after_the_other(self, parts: list[bytes], ending: str) -> None:
        """Law: what is read is what was packed, end to end."""
        data = b"".join(map(PACK[ending], parts))
        self.assertEqual(read(data), b"".join(parts))

    def test_every_cut_is_refused(self) -> None:
        """Nothing of a cut list is taken for all of it."""
        for ending, pack in PACK.items():
            data = pack(LIST.encode() * 40)
            for end in range(12, len(data)):
                with self.subTest(ending, end=end), self.assertRaises(UnreadableSource):
                    read(data[:end])

    def test_damage_is_refused(self) -> None:
        """By the sums that these formats keep."""
        for ending in (".gz", ".bz2", ".xz"):
            data = bytearray(PACK[ending](LIST.encode() * 40))
            data[len(data) // 2] ^= 0x55
            with self.subTest(ending), self.assertRaises(UnreadableSource):
                read(bytes(data))
        with self.assertRaises(UnreadableSource):
            read(_zst(b"a" * 500) + b"more")

    def test_zeros_behind_a_stream_are_no_list(self) -> None:
        self.assertEqual(read(gzip.compress(b"a,b\n") + bytes(512)), b"a,b\n")

    def test_what_would_fill_a_disk_is_refused(self) -> None:
        data = bz2.compress(bytes(3_000_000))
        with (
            mock.patch.object(streams, "_MOST_FREE_BYTES", 1_000_000),
            self.assertRaisesRegex(UnreadableSource, "more than 400 times"),
        ):
            read(data)

    def test_endings(self) -> None:
        for place, bare in (
            ("a.csv.gz", "a.csv"),
            ("in.x/A.CSV.GZ", "in.x/A.CSV"),
            ("a.csv", "a.csv"),
            ("a.gz", "a"),
            (".gz", ".gz"),
        ):
            self.assertEqual(without_packing(place), bare)
        self.assertIsNone(packing_of("a.zip"))


class ProgramTest(FolderTest):
    def test_a_packed_list_is_read_as_the_list_in_it(self) -> None:
        """Also under another name, in another encoding; its hash is the file's."""
        self.write("plain.csv", LIST)
        plain = self.gruff("sort", "plain.csv", "--by", "Boat").stdout
        for ending, pack in PACK.items():
            data = pack(LIST.encode())
            for name in (f"boats.csv{ending}", f"boats{ending}.dat"):
                with self.subTest(name):
                    (self.folder / name).write_bytes(data)
                    done = self.gruff(
                        "sort", name, "--by", "Boat", "--ledger", "l", "--replace"
                    )
                    self.assertEqual(done.stdout, plain)
                    (source,) = json.loads(self.text("l/account.json"))["sources"]
                    self.assertEqual(source["size_bytes"], len(data))
                    self.assertEqual(source["sha256"], hashlib.sha256(data).hexdigest())
        self.assertIn("packed by", done.stderr.decode())
        latin = gzip.compress("Boat;Berth\nMöwe;12,5 €\n".encode("cp1252"))
        (self.folder / "latin.csv.gz").write_bytes(latin)
        done = self.gruff("show", "latin.csv.gz")
        self.assertEqual(done.stdout.decode(), 'Boat,Berth\nMöwe,"12,5 €"\n')
        jsoned = gzip.compress(b'[{"Boat": "Tern"}]')
        (self.folder / "a.json.gz").write_bytes(jsoned)
        self.assertEqual(self.gruff("show", "a.json.gz").stdout, b"Boat\nTern\n")
        told = self.gruff("merge", "boats.csv.gz", "latin.csv.gz", "--name-source", "L")
        self.assertIn("boats", told.stdout.decode())

    def test_a_long_list(self) -> None:
        """Of many blocks, with blank records and quotes at its end."""
        rows = "".join(f'{at},"boat, {at}",{at / 7:.2f}\n' for at in range(60_000))
        text = f"No,Boat,Length\n{rows},,\n"
        self.write("plain.csv", text)
        plain = self.gruff("pick", "plain.csv", "--where", "No > 59990").stdout
        for ending, pack in PACK.items():
            (self.folder / f"a.csv{ending}").write_bytes(pack(text.encode()))
            done = self.gruff("pick", f"a.csv{ending}", "--where", "No > 59990")
            self.assertEqual(done.stdout, plain)

    def test_cut_ones_and_packed_workbooks_are_refused(self) -> None:
        data = gzip.compress(LIST.encode())
        (self.folder / "a.csv.gz").write_bytes(data[:-4])
        told = self.problem("count", "a.csv.gz", "--by", "Boat")
        self.assertIn("a.csv.gz: it is cut off", told)
        self.write("b.csv", LIST)
        self.gruff("show", "b.csv", "--to", "b.xlsx")
        book = gzip.compress((self.folder / "b.xlsx").read_bytes())
        (self.folder / "b.xlsx.gz").write_bytes(book)
        (self.folder / "book").write_bytes(book)
        for more in (("b.xlsx.gz",), ("book",), ("book", "--format", "xlsx")):
            told = self.problem("show", *more)
            self.assertIn("an XLSX workbook, packed by gzip", told)
        told = self.problem("show", "b.csv", "--to", "c.xlsx.gz")
        self.assertIn("Leave out the ending .gz", told)

    def test_results_are_packed(self) -> None:
        """Read by other programs; the same bytes each time; compared as lists are."""
        self.write("a.csv", LIST)
        unpack = {
            ".gz": gzip.decompress,
            ".bz2": bz2.decompress,
            ".xz": lzma.decompress,
            ".zst": lambda data: pa.CompressedInputStream(
                pa.BufferReader(data), "zstd"
            ).read(),
        }
        for ending, open_ in unpack.items():
            name = f"out.tsv{ending}"
            with self.subTest(name):
                self.gruff("show", "a.csv", "--to", name)
                data = (self.folder / name).read_bytes()
                self.assertEqual(open_(data).decode(), LIST.replace(",", "\t"))
                self.gruff("show", "a.csv", "--to", name, "--replace")
                self.assertEqual((self.folder / name).read_bytes(), data)
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[out]]\nto = "o.csv.gz"\n'
            'key = "Berth"\n',
        )
        self.gruff("run", "d.toml")
        self.write("a.csv", LIST.replace("Tern", "Auk"))
        told = self.gruff("run", "d.toml", "--replace", "--since-last").stdout.decode()
        self.assertIn("o.csv.gz: 0 new, 0 gone, 1 changed in 1 cell", told)
        done = self.gruff("trace", "o.csv.gz", "--row", "2").stdout.decode()
        self.assertIn("as in a, row 2", done)
        text = gzip.decompress((self.folder / "o.csv.gz").read_bytes())
        self.assertTrue(text.startswith(b"Berth,Boat\n"))


if __name__ == "__main__":
    unittest.main()
