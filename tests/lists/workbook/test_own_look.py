"""Tests that workbooks carry our name, and no other program's."""

import io
import re
import tempfile
import unittest
import zipfile
from unittest.mock import patch

from gruff_ledger.lists.output import Output
from gruff_ledger.lists.workbook.own_look import OwnBook
from gruff_ledger.lists.workbook.write_xlsx import write_workbook
from gruff_ledger.outcome import Finding, Severity
from tests.support import FolderTest, table

# Names of programs, of their themes and of the fonts that come with them.
OTHERS = re.compile(
    rb"Microsoft|Excel|Office Theme|LibreOffice|Calibri|Cambria|Tahoma|Segoe|Aptos"
)

# The standard's own names of its kinds of parts and of drawings.
STANDARD = re.compile(
    rb"urn:schemas-microsoft-com[a-z:]*|[a-z./]*\.microsoft\.[a-z./]*"
)


class OwnBookTest(FolderTest):
    def check(self, data: bytes) -> None:
        """Check all parts of a workbook."""
        with zipfile.ZipFile(io.BytesIO(data)) as book:
            self.assertIn(b"<Application>Gruff Ledger<", book.read("docProps/app.xml"))
            self.assertIn(b'name="Gruff Ledger"', book.read("xl/theme/theme1.xml"))
            for name in book.namelist():
                found = OTHERS.search(STANDARD.sub(b"", book.read(name)))
                self.assertIsNone(found, name)
            self.assertIn(b'val="Arial"', book.read("xl/styles.xml"))

    def test_lists_with_notes(self) -> None:
        """Cells, notes and theme."""
        listed = table("Berth|Dues", "007|12", "N-1|x")
        finding = Finding(
            "Dues is a number",
            Severity.WARN,
            "Dues is not a number.",
            "Dues",
            listed.origin.pick(slice(1, 2)),
            listed.cells("Dues").slice(1, 1),
        )
        sink = io.BytesIO()
        output = Output(
            [("Berths", listed)], findings=[finding], source_names=["the list"]
        )
        write_workbook(output, sink)
        self.check(sink.getvalue())

    def test_nothing_stays_of_a_workbook_that_fails(self) -> None:
        """Tabs that are written row by row lie on the disk meanwhile."""
        with (
            patch.object(tempfile, "tempdir", str(self.folder)),
            self.assertRaises(RuntimeError),
            OwnBook(io.BytesIO(), {"constant_memory": True}) as book,
        ):
            book.add_worksheet("May").write_string(0, 0, "Berth")
            self.assertEqual(len(list(self.folder.iterdir())), 1)
            raise RuntimeError
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_forms(self) -> None:
        """That are to be filled in."""
        self.gruff("form", "--required", "Boat", "--to", "form.xlsx")
        self.check((self.folder / "form.xlsx").read_bytes())

    def test_charts_name_no_library(self) -> None:
        """In whatever format they are."""
        self.write("x.csv", "Berth,Dues\nN-1,12\nN-2,7\n")
        self.gruff("survey", "x.csv", "--chart", "c.svg")
        self.assertNotIn("atplotlib", self.text("c.svg"))
        self.gruff("survey", "x.csv", "--chart", "c.png")
        self.assertNotIn(b"atplotlib", (self.folder / "c.png").read_bytes())


if __name__ == "__main__":
    unittest.main()
