"""Tests of the verb sort."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.clean.sort.perform import perform
from gruff_ledger.work.clean.sort.terms import SortTerms
from gruff_ledger.work.orders import Key, parse_order
from tests.support import FolderTest, table
from tests.support import written as as_written


def ordered(cells, by="a", written="", **terms):
    """Sort a list of one field; return its cells and the outcome."""
    list_ = Table.of_records(["a"], [[cell] for cell in cells])
    if written:
        list_ = as_written(list_, a=written)
    outcome = perform(SortTerms(by=by, **terms), list_)
    return outcome.table.cells("a").to_pylist(), outcome


class OrderTest(unittest.TestCase):
    def test_orders_as_they_are_stated(self) -> None:
        for text, expected in (
            ("a", [Key("a", None, False)]),
            ("a DESC, b asc", [Key("a", None, True), Key("b", None, False)]),
            ("berth no AS code desc", [Key("berth no", "code", True)]),
            ('"a, b DESC" DESC', [Key("a, b DESC", None, True)]),
            ('"a" as DATE', [Key("a", "date", False)]),
        ):
            with self.subTest(text=text):
                self.assertEqual(list(parse_order(text, "by")), expected)

    def test_orders_that_cannot_be_read(self) -> None:
        for text in ("", ",", "a,", "a,,b", "a AS x", '"a', "a DESC DESC, "):
            with self.subTest(text=text), self.assertRaises(BadTerms):
                parse_order(text, "by")


class DetectionTest(unittest.TestCase):
    def test_each_field_is_ordered_as_what_it_holds(self) -> None:
        for cells, expected, way in (
            (["10", "9", "-1.5"], ["-1.5", "9", "10"], "numbers"),
            (["010", "9", "100"], ["010", "100", "9"], "texts"),
            (["b", "C", "á", "B"], ["á", "b", "B", "C"], "texts"),
            (["2026-10-01", "2026-09-30T10:00"], None, "dates"),
            (["13/5/2026", "1/6/2026", "2/5/2026"], None, "dates"),
            (["9" * 30, "1" + "0" * 30, "5"], None, "numbers"),
        ):
            with self.subTest(cells=cells):
                expected = (
                    expected
                    or {
                        "2026-10-01": ["2026-09-30T10:00", "2026-10-01"],
                        "13/5/2026": ["2/5/2026", "13/5/2026", "1/6/2026"],
                        "9" * 30: ["5", "9" * 30, "1" + "0" * 30],
                    }[cells[0]]
                )
                found, outcome = ordered(cells)
                self.assertEqual(found, expected)
                said = " ".join(note.what for note in outcome.notes)
                self.assertIn(f"a as {way}", said)

    def test_stated_ways(self) -> None:
        codes = ["A10", "A9", "B1"]
        self.assertEqual(ordered(codes, "a AS TEXT")[0], ["A10", "A9", "B1"])
        self.assertEqual(ordered(codes, "a AS CODE")[0], ["A9", "A10", "B1"])
        self.assertEqual(ordered(codes, "a AS CODE DESC")[0], ["B1", "A10", "A9"])
        self.assertEqual(ordered(["10", "9"], "a AS TEXT")[0], ["10", "9"])
        self.assertEqual(ordered(["1,5", "1,25"])[0], ["1,25", "1,5"])
        cells = ["2/1/2026", "1/3/2026"]
        found = ordered(cells, written="12/31/2026")[0]
        self.assertEqual(found, ["1/3/2026", "2/1/2026"])

    def test_dates_that_can_be_read_both_ways_are_asked_about(self) -> None:
        with self.assertRaises(BadTerms) as caught:
            ordered(["2/1/2026", "1/3/2026"])
        self.assertIn("could be two dates in 2 cells", caught.exception.what)
        self.assertIn("`written` 'a=31/12/2026'", caught.exception.remedy)

    def test_blanks_stand_last_up_and_down(self) -> None:
        for by, expected in (
            ("a", ["1", "2", "x", "", " "]),
            ("a DESC", ["2", "1", "x", "", " "]),
        ):
            with self.subTest(by=by):
                found, outcome = ordered(["", "2", "x", " ", "1"], f"{by}")
                self.assertEqual(sorted(found[2:]), sorted(expected[2:]))
                self.assertEqual(found[:2], expected[:2])
                self.assertEqual(found[2:], ["", "x", " "])
        found, outcome = ordered(["x", "2", "", "1", "3"])
        self.assertEqual(outcome.findings[0].value.to_pylist(), ["x"])

    @given(st.lists(st.tuples(st.sampled_from("ab "), st.integers(0, 3)), max_size=15))
    def test_sorting_is_stable(self, records) -> None:
        rows = [(a, str(b), str(n)) for n, (a, b) in enumerate(records)]
        list_ = Table.of_records(["a", "b", "n"], rows)
        outcome = perform(SortTerms(by="a, b DESC"), list_)
        expected = sorted(rows, key=lambda row: (row[0] == " ", row[0], -int(row[1])))
        self.assertEqual(outcome.table.records(), expected)
        again = perform(SortTerms(by="a, b DESC"), outcome.table)
        self.assertEqual(again.table.records(), expected)

    def test_terms_that_cannot_be_followed(self) -> None:
        with self.assertRaises(UnknownField):
            perform(SortTerms(by="b"), table("a"))
        with self.assertRaises(BadTerms):
            perform(SortTerms(by="a, A"), table("a"))


class ProgramTest(FolderTest):
    def test_titles_and_heading_stay_and_lines_are_whole(self) -> None:
        """In a list long enough to be written by its lines."""
        rows = [
            (f"{n % 7}", f'say "{n}", ok' if n % 3 else f"{n}") for n in range(40_000)
        ]
        quoted = [f'{a},"{b.replace(chr(34), chr(34) * 2)}"' for a, b in rows]
        self.write("a.csv", "Register\n\nquay,note\n" + "\n".join(quoted) + "\n")
        self.gruff("sort", "a.csv", "--by", "quay DESC", "--to", "b.csv")
        found = [(each["quay"], each["note"]) for each in self.records("b.csv")]
        # Told apart without a comparison line by line, which would take minutes.
        self.assertTrue(found == sorted(rows, key=lambda row: -int(row[0])))
        self.gruff(
            *(
                "sort",
                "a.csv",
                "--by",
                "quay DESC",
                "--to",
                "c.csv",
                "--line-ends",
                "crlf",
            ),
        )
        expected = self.text("b.csv").replace("\n", "\r\n")
        self.assertTrue(self.text("c.csv") == expected)

    def test_a_sorted_list_gains_a_field_and_loses_records(self) -> None:
        """Columns held in three ways are written together."""
        numbers = "".join(f"{n * 7 % 40009},x{n}\n" for n in range(40_000))
        self.write("a.csv", "n,m\n" + numbers)
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "sort"\nby = "n"\n'
            '[[entry]]\ndo = "compute"\nformula = { k = "n * 2" }\n'
            '[[entry]]\ndo = "pick"\nwhere = "MOD(n, 2) = 0"\n'
            '[[entry]]\ndo = "compute"\nformula = { j = "k + 1" }\n'
            '[[out]]\nto = "b.csv"\n',
        )
        self.gruff("run", "d.toml")
        rows = sorted((n * 7 % 40009, f"x{n}") for n in range(40_000))
        expected = [f"{n},{m},{n * 2},{n * 2 + 1}" for n, m in rows if n % 2 == 0]
        self.assertTrue(self.text("b.csv").split("\n")[1:-1] == expected)

    def test_a_sorted_list_goes_on(self) -> None:
        self.write(
            "a.csv", "n\n" + "".join(f"{n * 7 % 20011}\n" for n in range(20_000))
        )
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "sort"\nby = "n"\n'
            '[[entry]]\ndo = "pick"\nwhere = "n < 5"\n[[out]]\nto = "b.csv"\n',
        )
        self.gruff("run", "d.toml")
        self.assertEqual(self.text("b.csv"), "n\n0\n1\n2\n3\n4\n")


if __name__ == "__main__":
    unittest.main()
