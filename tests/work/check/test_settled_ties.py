"""Tests of what stands where several things are said of one record."""

from tests.support import FolderTest


class SettledTest(FolderTest):
    def test_the_later_update_stands(self) -> None:
        """Cell by cell, where it is filled; and that is said."""
        self.write("stock.csv", "No,Name,Bin\n1,rope,x\n2,sail,y\n3,oar,z\n")
        self.write("monday.csv", "No,Name,Bin\n1,Rope,\n")
        self.write("tuesday.csv", "No,Name,Bin\n1,ROPE,\n2,Sail,q\n")
        told = self.gruff(
            *("merge", "stock.csv", "monday.csv", "tuesday.csv", "--key", "No"),
            *("--update", "--to", "out.csv"),
        ).stderr.decode()
        self.assertEqual(
            self.text("out.csv"), "No,Name,Bin\n1,ROPE,x\n2,Sail,q\n3,oar,z\n"
        )
        self.assertIn("the later list is taken", told)

    def test_records_that_hold_nothing_are_no_copies(self) -> None:
        """And make no label of a rollup."""
        text = "Kind,Sum\n,\nx,2\n\u200b, \n,\nx,2\n"
        self.write("a.csv", text)
        told = self.gruff(
            "duplicates", "a.csv", "--treat", "set-aside", "--to", "b.csv"
        ).stderr.decode()
        self.assertEqual(len(self.records("b.csv")), 4)
        self.assertIn("have every field blank", told)
        told = self.gruff("rollup", "a.csv", "--to", "c.csv").stderr.decode()
        self.assertEqual(self.text("c.csv"), "Kind,Sum\nx,4\n")
        self.assertIn("1 label down", told)
