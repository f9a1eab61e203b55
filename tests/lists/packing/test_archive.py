"""Files in archives: each read as a list of its own, and nothing taken on trust."""

import io
import random
import struct
import unittest
import zipfile
from unittest import mock

from gruff_ledger.lists.packing import archive
from gruff_ledger.lists.packing.archive import files_in, names_in
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.problems import Problem, UnreadableSource
from tests.support import FolderTest

MAY = "Day,Wind\n1,3\n2,4\n"
JUNE = "Day;Wind\n1;5\n"


def packed(files: dict[str, str | bytes], how: int = zipfile.ZIP_DEFLATED) -> bytes:
    """Return an archive of some files."""
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w", how) as made:
        for name, data in files.items():
            made.writestr(name, data)
    return sink.getvalue()


def read(data: bytes, wanted: str | None = None) -> dict[str, bytes]:
    """Return the files that are meant, with what is in them."""
    opened = open_bytes(data, name="a", address="a.zip")
    found = {}
    for inside in files_in(opened, "a.zip", wanted):
        with inside.opened.start() as stream:
            found[inside.name] = stream.read()
    return found


class FilesTest(unittest.TestCase):
    def test_one_is_taken_and_of_several_the_named(self) -> None:
        """By name, by its last part, by a pattern; what systems leave is no file."""
        one = packed({"may.csv": MAY, "__MACOSX/._may.csv": b"x", ".DS_Store": b"y"})
        self.assertEqual(read(one), {"may.csv": MAY.encode()})
        # Whatever path it says, it is only read, and never put there.
        odd = packed({"../../may.csv": MAY})
        self.assertEqual(read(odd), {"../../may.csv": MAY.encode()})
        data = packed({"w/may.csv": MAY, "w/june.csv": JUNE, "w/old/may.csv": b"A\n1"})
        for wanted, names in {
            "w/may.csv": ["w/may.csv"],
            "June.csv": ["w/june.csv"],
            "w/*.csv": ["w/june.csv", "w/may.csv"],
            "**/may.csv": ["w/may.csv", "w/old/may.csv"],
            "*": ["w/june.csv", "w/may.csv", "w/old/may.csv"],
        }.items():
            with self.subTest(wanted):
                self.assertEqual(list(read(data, wanted)), names)
        for wrong, said in {
            None: "the archive holds 3 files: 'w/june.csv'",
            "may.csv": "it has no file 'may.csv'",
            "w/mai.csv": "Did you mean 'w/may.csv'",
            "x*": "it has no file 'x*'",
        }.items():
            with self.subTest(wrong), self.assertRaisesRegex(Problem, "") as caught:
                read(data, wrong)
            self.assertIn(said, caught.exception.paragraph())

    def test_each_way_of_packing(self) -> None:
        text = MAY.encode() * 20_000
        for how in (
            zipfile.ZIP_STORED,
            zipfile.ZIP_DEFLATED,
            zipfile.ZIP_BZIP2,
            zipfile.ZIP_LZMA,
        ):
            with self.subTest(how):
                self.assertEqual(read(packed({"a.csv": text}, how)), {"a.csv": text})

    def test_what_cannot_be_read_is_said(self) -> None:
        locked = bytearray(packed({"a.csv": MAY}))
        for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
            place = locked.find(mark) + at
            locked[place : place + 2] = struct.pack("<H", 1)
        inner = packed({"a.csv": MAY})
        for data, said in (
            (packed({}), "the archive holds no files"),
            (packed({"a.csv": b""}), "it is empty"),
            (bytes(locked), "protected by a password"),
            (packed({"in.zip": inner}), "an archive within an archive"),
            (inner[:40], "it is cut off or damaged"),
        ):
            with self.subTest(said), self.assertRaises(UnreadableSource) as caught:
                read(data)
            self.assertIn(said, caught.exception.paragraph())
        with self.assertRaisesRegex(UnreadableSource, "not a ZIP archive"):
            files_in(open_bytes(b"A\n", name="a", address="a.csv"), "a.csv", "b")

    def test_what_would_fill_a_disk_is_refused(self) -> None:
        """By what it says of itself, before any of it is unpacked."""
        bomb = packed({"a.csv": b"A\n" + b"0" * 3_000_000})
        with (
            mock.patch.object(archive, "_MOST_FREE_BYTES", 1_000_000),
            self.assertRaisesRegex(UnreadableSource, "400 times"),
        ):
            read(bomb)
        with (
            mock.patch.object(archive, "_MOST_FILES", 2),
            self.assertRaisesRegex(UnreadableSource, "3 files"),
        ):
            read(packed(dict.fromkeys("abc", "A\n")), "*")

    def test_a_liar_about_its_size_gives_no_more(self) -> None:
        data = packed({"a.csv": b"0" * 5000})
        lying = data.replace(struct.pack("<I", 5000), struct.pack("<I", 10))
        with self.assertRaises(UnreadableSource):
            read(lying)

    def test_damaged_ones_are_problems_or_lists(self) -> None:
        """300 with a few bytes changed, and every tenth cut."""
        whole = packed({"a.csv": MAY * 50, "b/c.csv": JUNE * 50})
        chance = random.Random(24)
        for _ in range(300):
            data = bytearray(whole)
            for _ in range(chance.randint(1, 4)):
                data[chance.randrange(len(data))] = chance.randrange(256)
            if chance.random() < 0.1:
                del data[chance.randrange(4, len(data)) :]
            try:
                found = read(bytes(data), "*")
            except Problem:
                continue
            for name, text in found.items():
                self.assertIn(text, (MAY.encode() * 50, JUNE.encode() * 50), name)

    def test_names_for_a_shell_to_complete(self) -> None:
        opened = open_bytes(packed({"b": "x", "a": "y"}), name="a", address="a.zip")
        self.assertEqual(names_in(opened), ("a", "b"))


class CommandTest(FolderTest):
    def test_lists_of_an_archive_as_lists_of_a_folder(self) -> None:
        """Merged with their names, told where they are from; a workbook as well."""
        self.write("may.csv", MAY)
        self.gruff("show", "may.csv", "--to", "book.xlsx")
        book = (self.folder / "book.xlsx").read_bytes()
        files = {"w/may.csv": MAY, "w/june.csv": JUNE, "book.xlsx": book}
        self.write("several.zip", packed(files))
        done = self.gruff(
            *("merge", "several.zip#file=w/*", "several.zip#file=book.xlsx/sheet=1"),
            *("--name-source", "From", "--to", "all.csv", "--ledger", "led", "--more"),
        )
        self.assertIn("several.zip#file=w/june.csv: 1 record", done.stderr.decode())
        self.assertEqual(
            [each["From"] + each["Wind"] for each in self.records("all.csv")],
            ["june5", "may3", "may4", "book 13", "book 14"],
        )
        told = self.gruff("trace", "all.csv", "--row", "2").stdout.decode()
        self.assertIn("june, row 2", told)
        # It is a source, under whatever name, and never written to.
        self.write("list.csv", (self.folder / "several.zip").read_bytes())
        said = self.problem(
            "show", "list.csv#file=w/may.csv", "--to", "list.csv", "--replace"
        )
        self.assertIn("it is one of the sources", said)


if __name__ == "__main__":
    unittest.main()
