"""Tests of work on cells that cannot be read."""

import unittest

from tests.support import FolderTest


class UnreadableTest(FolderTest):
    """Work on figures and dates that for the most part cannot be read."""

    def setUp(self) -> None:
        """Write lists of a parcel office, most of whose amounts are only about."""
        super().setUp()
        fees = [f"{n};about {n};{n}" for n in range(1, 10)]
        self.write("most.csv", "No;Fee;Days\n10;5.00;x\n" + "\n".join(fees) + "\n")
        self.write("blank.csv", "Town,Seen,Note\nEly,,a\nEly,,b\nBath,,c\n")

    def test_most_unreadable_refuses_the_work(self) -> None:
        """With the count, an example and what to do; nothing is written."""
        for words in (
            ("rollup", "most.csv", "--down", "No", "--value", "Fee"),
            ("rollup", "most.csv", "--value", "Fee", "--figure", "mean"),
            ("sort", "most.csv", "--by", "Fee AS NUMBER"),
            ("sort", "most.csv", "--by", "Fee AS DATE"),
            ("compute", "most.csv", "--formula", "Twice=Fee * 2"),
            ("pick", "most.csv", "--where", "CAST(Days AS DECIMAL) + Fee > 2"),
            ("pick", "most.csv", "--top", "1", "--by", "Fee AS NUMBER"),
            (
                *("duplicates", "most.csv", "--by", "No", "--stays", "greatest"),
                *("--of", "Fee AS NUMBER"),
            ),
            (
                *("lookup", "blank.csv", "--in", "most.csv", "--key", "Note=No"),
                *("--which", "greatest", "--of", "Fee AS NUMBER", "--take", "Fee"),
            ),
        ):
            with self.subTest(command=words):
                said = self.problem(*words, "--to", "out.csv")
                kind = "dates" if "Fee AS DATE" in words else "numbers"
                self.assertRegex(
                    said, rf"(9|10) of 10 filled cells of 'Fee' are not {kind}"
                )
                self.assertIn("--written", said)
                self.assertFalse((self.folder / "out.csv").exists())

    def test_some_unreadable_is_said_in_the_sentence_of_the_figure(self) -> None:
        """Before anything else."""
        told = self.gruff(
            *("rollup", "most.csv", "--value", "Days", "--down", "No"),
            *("--to", "out.csv"),
        ).stderr.decode()
        first = told.splitlines()[0]
        self.assertIn("All figures add up to 45; 1 of 10 filled cells is not", first)
        told = self.gruff("sort", "most.csv", "--by", "Days", "--to", "o.csv")
        self.assertIn("1 of 10 filled cells of 'Days' is not a ", told.stderr.decode())

    def test_nothing_is_the_greatest_of_nothing(self) -> None:
        """No record is set aside, none filled in; and that is said."""
        told = self.gruff(
            *("duplicates", "blank.csv", "--by", "Town", "--stays", "greatest"),
            *("--of", "Seen", "--treat", "set-aside", "--fill", "--to", "out.csv"),
        ).stderr.decode()
        self.assertEqual(self.text("out.csv"), self.text("blank.csv"))
        self.assertIn("nothing is the greatest, and 2 records stay", told)
        self.write("towns.csv", "Town\nEly\nBath\nYork\n")
        told = self.gruff(
            *("lookup", "towns.csv", "--in", "blank.csv", "--key", "Town"),
            *("--which", "greatest", "--of", "Seen AS DATE", "--take", "Note"),
            *("--status", "found", "--to", "filled.csv"),
        ).stderr.decode()
        self.assertEqual(
            self.text("filled.csv"),
            "Town,Note,found\nEly,,undecided\nBath,,undecided\nYork,,none\n",
        )
        self.assertIn("For 2 records nothing is the greatest", told)

    def test_dates_as_stated_ask_the_same_question(self) -> None:
        """AS DATE reads dates in figures by what the cells settle, or asks."""
        self.write("seen.csv", "No,Seen\n1,31/12/2026\n2,01/02/2026\n")
        self.gruff("sort", "seen.csv", "--by", "Seen AS DATE", "--to", "out.csv")
        self.assertEqual(self.text("out.csv").splitlines()[1], "2,01/02/2026")
        self.write("open.csv", "No,Seen\n1,03/04/2026\n2,01/02/2026\n")
        for by in ("Seen", "Seen AS DATE"):
            self.assertIn("two dates", self.problem("sort", "open.csv", "--by", by))

    def test_first_and_last_are_cells_as_written(self) -> None:
        """Texts too; and a count says what it counts."""
        self.write("a.csv", "Kind,What,Sum\nx,Rope,03.50\nx,Sail,n/a\ny,,2\n")
        self.gruff(
            *("rollup", "a.csv", "--down", "Kind", "--value", "What, Sum"),
            *("--figure", "first", "--to", "f.csv"),
        )
        self.assertEqual(self.text("f.csv"), "Kind,What,Sum\nx,Rope,03.50\ny,,2\n")
        self.gruff(
            *("rollup", "a.csv", "--down", "Kind", "--value", "What, Sum"),
            *("--figure", "last", "--to", "l.csv"),
        )
        self.assertEqual(self.text("l.csv"), "Kind,What,Sum\nx,Sail,n/a\ny,,2\n")
        told = self.gruff("rollup", "a.csv", "--figure", "count", "--to", "c.csv")
        self.assertIn("are counted, numbers or not", told.stderr.decode())


class TrueResultsTest(FolderTest):
    def computed(self, formula: str, text: str = "a,b\nx,1\n,2\ny,3\n") -> list[str]:
        """Return a new field, and keep what was said."""
        self.write("list.csv", text)
        done = self.gruff(
            *("compute", "list.csv", "--formula", f"r={formula}"),
            *("--to", "out.csv", "--replace"),
        )
        self.said = done.stderr.decode()
        return [each["r"] for each in self.records("out.csv")]

    def test_texts_in_a_formula_are_no_blanks(self) -> None:
        """An empty one joins as nothing, a space as a space."""
        for formula, expected in (
            ("a || ''", ["x", "", "y"]),
            ("a || ' ' || b", ["x 1", "", "y 3"]),
            ("COALESCE(a, '') || b", ["x1", "2", "y3"]),
            ("CASE WHEN a = 'x' THEN '' ELSE a END || 'z'", ["z", "", "yz"]),
        ):
            with self.subTest(formula=formula):
                self.assertEqual(self.computed(formula), expected)

    def test_nothing_is_rounded_silently(self) -> None:
        """A quotient that ends is exact; one that does not is said, in CASE too."""
        case = "CASE WHEN b = 1 THEN 3.4199312345 / 10000000 ELSE b END"
        self.assertEqual(self.computed(case)[0], "0.00000034199312345")
        self.assertNotIn("rounded", self.said)
        self.assertEqual(self.computed("b / 1024 / 1024")[0], "0.00000095367431640625")
        for formula in ("CASE WHEN b = 1 THEN b / 3 ELSE b END", "b / 3 || ''"):
            self.assertEqual(self.computed(formula)[0], "0.333333333333")
            self.assertIn("not end within 12 decimals", self.said)
        self.assertEqual(self.computed("b / 3 + b / 1048576")[0], "0.333334287008")

    def test_a_text_compared_with_numbers_is_said_first(self) -> None:
        """Or with dates."""
        self.write("list.csv", "No,Price,Seen\n1,9,2026-05-01\n2,11,2026-06-01\n")
        for where, noun in (("Price > '10'", "numbers"), ("Seen > 'x'", "dates")):
            told = self.gruff("pick", "list.csv", "--where", where).stderr.decode()
            self.assertIn(f"holds {noun} and is compared with a text", told)
        told = self.gruff("pick", "list.csv", "--where", "Price > 10").stderr.decode()
        self.assertNotIn("compared with a text", told)

    def test_rewriting_that_can_read_no_cell_is_refused(self) -> None:
        """Nothing would be changed."""
        self.write("list.csv", "No,Paid,Sum\n1,3 Dec,x 1\n2,4 Dec,x 2\n")
        for words in (("Paid", "--date", "iso"), ("Sum", "--number", "plain")):
            said = self.problem("scrub", "list.csv", "--fields", *words)
            self.assertIn(f"2 of 2 filled cells of '{words[0]}'", said)

    def test_a_survey_shows_ends_as_they_are_written(self) -> None:
        """Numbers with their zeros, dates in their form."""
        self.write("list.csv", "Sum,Day\n12.50,31/12/2026\n7.00,13/01/2026\n")
        self.gruff("survey", "list.csv", "--to", "facts.csv")
        facts = self.records("facts.csv")
        ends = [(each["least"], each["greatest"]) for each in facts]
        self.assertEqual(ends, [("7.00", "12.50"), ("13/01/2026", "31/12/2026")])


if __name__ == "__main__":
    unittest.main()
