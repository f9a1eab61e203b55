"""Tests of survey: what is said of each field."""

import json
import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.cells.numbers.plain import exact_sum, number_of
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.report.charts import write_survey_chart
from gruff_ledger.table import Table
from gruff_ledger.work.look.survey import field_summary
from gruff_ledger.work.look.survey.field_summary import FieldFacts, field_facts
from gruff_ledger.work.look.survey.perform import perform
from gruff_ledger.work.look.survey.terms import SurveyTerms
from tests.support import FolderTest


def facts(*cells: str, null: tuple[str, ...] = ()) -> FieldFacts:
    """Return what is said of a field of these cells."""
    made = Table.of_records(("f",), [(cell,) for cell in cells])
    return field_facts("f", made.cells("f"), made.origin, null)


class NumbersTest(unittest.TestCase):
    def test_are_counted_apart_and_summed_exactly(self) -> None:
        found = facts("0.1", "0.2", "-3", "0", "", "n/a", " 7 ", "1e5", "00")
        self.assertEqual(
            (found.negative, found.zero, found.positive, found.not_a_number),
            (1, 2, 3, 2),
        )
        self.assertEqual((found.filled, found.blank), (8, 1))
        number = facts("0.1", "0.2", "-3", "12345678901234567890", "x1")
        self.assertEqual(number.kind, "number")
        self.assertEqual(number.sum, "12345678901234567887.3")
        self.assertEqual((number.least, number.greatest[:5]), ("-3.0", "12345"))
        self.assertEqual(number.numbers_with_text, 1)
        self.assertEqual(number.found["numbers with text"].record.tolist(), [5])

    def test_errors_of_workbooks_are_told_apart(self) -> None:
        """They are no text around a number, in a field of whatever kind."""
        found = facts(
            *("1", "2.5", "#DIV/0!", "#N/A", "3 kg", "4", "#7", "#REF!"),
            *map(str, range(9)),
        )
        self.assertEqual((found.errors, found.numbers_with_text), (3, 2))
        self.assertEqual(found.found["workbook errors"].record.tolist(), [3, 4, 8])
        self.assertEqual(found.found["numbers with text"].record.tolist(), [5, 7])
        self.assertEqual(facts("A", "B", "#N/A", "#hash").errors, 1)

    def test_digits_that_are_codes(self) -> None:
        self.assertEqual(facts("007", "12").kind, "code")
        self.assertEqual(facts("1234567890123456").kind, "code")
        self.assertEqual(facts("1234567890123456").long_numbers, 1)
        many = facts(*(str(10**20 + n) for n in range(300)), "0" * 20)
        self.assertEqual((many.positive, many.zero, many.kind), (300, 1, "code"))
        self.assertEqual(facts("7", "12", "-3").kind, "whole number")

    @given(
        st.lists(
            st.one_of(
                st.from_regex(r"[+-]?[0-9]{0,20}\.?[0-9]{0,12}", fullmatch=True),
                st.text("0123456789+-. aé\u00a0\u3000", max_size=8),
            ),
            min_size=1,
            max_size=10,
        )
    )
    def test_agree_with_reading_one_by_one(self, cells: list[str]) -> None:
        numbers = [number for cell in cells if (number := number_of(cell)) is not None]
        found = facts(*cells, *cells)
        self.assertEqual(found.numbers, 2 * len(numbers))
        self.assertEqual(found.negative, 2 * sum(number < 0 for number in numbers))
        self.assertEqual(found.zero, 2 * sum(number == 0 for number in numbers))
        total = exact_sum(text_column(cells))
        self.assertEqual(Fraction(total), sum(map(Fraction, numbers), Fraction(0)))
        if found.sum:
            self.assertEqual(Fraction(number_of(found.sum)), 2 * Fraction(total))


class PlacesTest(unittest.TestCase):
    def test_where_a_field_ends_and_its_gaps(self) -> None:
        found = facts("a", "", "b", " \u00a0", "c", "", "")
        self.assertEqual((found.last_filled, found.gaps, found.blank), (5, 2, 4))
        self.assertEqual(facts("", "").last_filled, 0)

    def test_words_for_nothing_count_only_when_named(self) -> None:
        self.assertEqual(facts("n/a", "5", "-").not_a_number, 2)
        named = facts("n/a", "5", "-", null=("n/a", "-"))
        self.assertEqual((named.blank, named.kind, named.sum), (2, "whole number", "5"))


class MarksTest(unittest.TestCase):
    def test_spaces(self) -> None:
        found = facts("a", " a", "a ", "a  b", "a\u00a0b", "a b", "\u200ba", "\t")
        self.assertEqual(found.stray_spaces, 3)
        self.assertEqual(found.found["stray spaces"].record.tolist(), [2, 3, 4])
        self.assertEqual(found.no_break_spaces, 2)

    def test_layout_of_nested_json_is_no_stray_space(self) -> None:
        found = facts('[\n  {"on":  1}\n]', '{"a": {},  "b": 2}', "[sic]  x", "{a  b}")
        self.assertEqual(found.stray_spaces, 2)
        self.assertEqual(found.found["stray spaces"].record.tolist(), [3, 4])

    def test_formula_like(self) -> None:
        found = facts("=1+1", "-12.5", "+x", "@a", "a=b", "-")
        self.assertEqual(found.found["formula-like"].record.tolist(), [1, 3])

    def test_look_alikes(self) -> None:
        found = facts("Ann", "ANN ", "Élodie", "elodie", "Bob", "St. Ann", "St Ann")
        self.assertEqual(found.look_alikes, 3)
        self.assertEqual(found.look_alike_example, ("Ann", "ANN "))

    def test_look_alikes_among_many_values(self) -> None:
        cells = [f"Boat {n}" for n in range(50)] + ["BOAT 7", "Böat 9", "boat-11"]
        few = field_summary._FEW_WIDE_VALUES
        self.addCleanup(setattr, field_summary, "_FEW_WIDE_VALUES", few)
        for limit in (few, 10):
            for times in (1, 5):
                field_summary._FEW_WIDE_VALUES = limit
                with self.subTest(limit=limit, times=times):
                    found = facts(*cells * times)
                    self.assertEqual(found.look_alikes, 2)
                    self.assertEqual(found.distinct, 53)

    def test_look_alikes_with_signs(self) -> None:
        """Signs beyond ASCII are left as they are, letters are folded."""
        few = field_summary._FEW_WIDE_VALUES
        self.addCleanup(setattr, field_summary, "_FEW_WIDE_VALUES", few)
        field_summary._FEW_WIDE_VALUES = 1
        for cells, alike in (
            (("5 €", "5. €", "5 $"), 1),
            (("Étoile+", "Etoile+", "Etoile"), 1),
            (("№ 7", "No 7"), 1),
            (("7 ©", "7", "7 ®"), 0),
        ):
            with self.subTest(cells=cells):
                self.assertEqual(facts(*cells).look_alikes, alike)

    def test_mixed_case(self) -> None:
        found = facts(*["Amber"] * 9, "BOLD", "calm")
        self.assertEqual(found.odd_case, 2)
        self.assertEqual(found.found["mixed case"].record.tolist(), [10, 11])
        self.assertEqual(facts("AMBER", "BOLD", "Calm").odd_case, 0)

    @given(st.lists(st.text("aB \t-é\u00a0=1", max_size=4), min_size=1, max_size=8))
    def test_one_of_each_value_says_the_same_as_all(self, cells: list[str]) -> None:
        """Lists with repeats are decided on their distinct values."""
        once, thrice = facts(*cells), facts(*cells * 5)
        for name in ("filled", "stray_spaces", "no_break_spaces", "formula_like"):
            self.assertEqual(getattr(thrice, name), 5 * getattr(once, name), name)
        self.assertEqual(thrice.distinct, once.distinct)
        self.assertEqual(once.distinct, len({c for c in cells if not is_blank(c)}))
        self.assertEqual(thrice.look_alikes, once.look_alikes)
        self.assertEqual(thrice.kind, once.kind)


class DatesTest(unittest.TestCase):
    def test_forms(self) -> None:
        cases = {
            ("2026-05-01", "2026-12-31"): ("yyyy-MM-dd", True, "2026-05-01"),
            ("2026-05-01T13:30:00", "2026-05-02 10:00"): ("yyyy-MM-dd", True, "2026-0"),
            ("13/05/2026", "01/02/2026"): ("dd/MM/yyyy", True, "2026-02-01"),
            ("5.13.2026", "1.2.2026"): ("M.d.yyyy", True, "2026-01-02"),
            ("01/02/2026",): ("dd/MM/yyyy or MM/dd/yyyy", False, ""),
            ("13/05/26", "02/02/26"): ("dd/MM/yy", True, ""),
            ("13/05/2026", "05/13/2026", "01/02/2026"): ("dd/MM/yyyy or", False, ""),
        }
        for cells, (pattern, settled, least) in cases.items():
            with self.subTest(cells=cells):
                found = facts(*cells)
                self.assertEqual(found.kind, "date")
                self.assertTrue(found.dates.pattern.startswith(pattern))
                self.assertEqual(found.dates.is_settled, settled)
                self.assertTrue(found.least.startswith(least))

    def test_no_dates(self) -> None:
        for cell in (
            "2026-13-01",
            "32/01/2026",
            "1/2/3",
            "10.0.0.1",
            "2026-5-1",
            "1-2",
        ):
            with self.subTest(cell=cell):
                self.assertNotEqual(facts(cell).kind, "date")


class SurveyTest(FolderTest):
    LIST = (
        "boat,berth,paid,until,code\nAmber,1,12.50,01/02/2026,007\n"
        "AMBER ,2,,03/04/2026,008\nBold,,7 m,05/06/2026,=x\nCalm,4,3,07/08/2026,010\n"
    )

    def test_a_record_a_field_and_warnings(self) -> None:
        self.write("a.csv", self.LIST)
        done = self.gruff("survey", "a.csv", "--to", "s.csv", "--ledger", "l")
        told = done.stderr.decode()
        fields = {each["field"]: each for each in self.records("s.csv")}
        self.assertEqual(list(fields), ["boat", "berth", "paid", "until", "code"])
        self.assertEqual(fields["paid"]["sum"], "15.50")
        self.assertEqual(fields["berth"]["blank"], "1")
        for words in (
            "boat: 1 cell with a space before",
            "boat: 1 value is written in several ways, such as 'Amber' and 'AMBER '",
            "paid: 1 cell with text around a number",
            "until: 4 cells that can be read as day and month both ways",
            "code: 1 cell that a spreadsheet would run",
            "gruff count a.csv --by boat --match letters",
            "4 records in: 4 went into the result, 0 set aside",
        ):
            self.assertIn(words, told)

    def test_every_command_named_in_a_warning_runs(self) -> None:
        """As it stands, with all that was said of reading, and settles what it says."""
        import shlex

        text = self.LIST.replace("boat", '"boat, $x ""name"""')
        text += "\u200b,9\n"
        plain = ("a b.csv", (), text.encode())
        lines = ["above", "the list", *text.replace(",", "|").split("\n")]
        odd = ("o'x.csv", ("--skip-rows", "2"), "\n".join(lines).encode())
        wide = (
            *("Ü $HOME.csv", ("--encoding", "utf-16", "--no-totals")),
            text.encode("utf-16"),
        )
        for name, more, data in (plain, odd, wide):
            self.write(name, data)
            done = self.gruff("survey", name, *more, "--json")
            (one,) = json.loads(done.stdout)["detail"]["lists"]
            kinds = {each["kind"] for each in one["warnings"]}
            self.assertLessEqual({"stray spaces", "formula-like", "unseen"}, kinds)
            for each in one["warnings"]:
                before, _, line = each["command"].partition("gruff ")
                with self.subTest(name=name, command=each["command"]):
                    self.assertTrue(before)
                    words = shlex.split(line)
                    self.gruff(*words)
                    if "--to" not in words:
                        self.assertEqual(words[0], "count")
                        continue
                    made = words[words.index("--to") + 1]
                    left = self.gruff("survey", made, "--json").stdout
                    (after,) = json.loads(left)["detail"]["lists"]
                    if words[0] == "scrub":
                        still = [
                            (other["kind"], other["field"])
                            for other in after["warnings"]
                        ]
                        self.assertNotIn((each["kind"], each["field"]), still)

    def test_all_of_it_as_json(self) -> None:
        self.write("a.csv", "title\n\nboat,paid\nAmber,5\nBold,\n,\n")
        page = json.loads(self.gruff("survey", "a.csv", "--json").stdout)
        (one,) = page["detail"]["lists"]
        self.assertEqual(one["records"], 2)
        self.assertEqual(one["blank_at_end"], 1)
        self.assertEqual(one["heading_row"], 3)
        self.assertEqual(one["titles"], ["title"])
        self.assertEqual(one["encoding"], "utf-8")
        paid = one["fields"][1]
        self.assertEqual((paid["sum"], paid["last_filled_row"]), ("5", 4))

    def test_several_lists_at_once_and_chosen_fields(self) -> None:
        self.write("a.csv", "boat,paid\nAmber,5\n")
        self.write("b.csv", "boat,paid\n")
        self.gruff("survey", "a.csv", "b.csv", "--fields", "PAID", "--to", "s.csv")
        self.assertEqual(
            [(each["list"], each["kind"]) for each in self.records("s.csv")],
            [("a", "whole number"), ("b", "blank")],
        )
        done = self.gruff("survey", "a.csv", "--fields", "PAID")
        self.assertIn("'paid' was taken", done.stderr.decode())
        told = self.problem("survey", "a.csv", "--fields", "payd")
        self.assertIn("Did you mean 'paid'?", told)

    def test_charts_are_drawn(self) -> None:
        self.write("a.csv", self.LIST.replace("boat", "$boat_{x}"))
        for name, start in (("c.png", b"\x89PNG"), ("c.svg", b"<?xml")):
            self.gruff("survey", "a.csv", "--chart", name, "--to", f"{name}.csv")
            self.assertTrue((self.folder / name).read_bytes().startswith(start))
        self.assertIn("--chart", self.problem("survey", "a.csv", "--chart", "c.gif"))
        import io

        empty = perform(SurveyTerms(), Table.of_records(("a",), []))
        write_survey_chart(empty.detail, io.BytesIO(), ".svg", {})

    def test_rules_are_drafted(self) -> None:
        rows = "".join(
            f"{n:03},{'AB'[n % 2]},{n}.5,2026-05-{n + 1:02},{n % 7}\n"
            for n in range(20)
        )
        self.write("a.csv", f"Berths\nberth,class,paid,until,n\n{rows}")
        self.gruff("survey", "a.csv", "--draft-rules", "r.json", "--to", "s.csv")
        rules = json.loads(self.text("r.json"))
        self.assertEqual(rules["@context"], "http://www.w3.org/ns/csvw")
        self.assertEqual(rules["url"], "a.csv")
        self.assertEqual(rules["dialect"]["skipRows"], 1)
        self.assertEqual(rules["tableSchema"]["primaryKey"], "berth")
        types = {
            each["name"]: each["datatype"] for each in rules["tableSchema"]["columns"]
        }
        self.assertEqual(types["berth"], {"base": "string", "format": "[0-9]{3}"})
        self.assertEqual(types["class"], {"base": "string", "format": "A|B"})
        self.assertEqual(
            types["paid"], {"base": "decimal", "minimum": "0.5", "maximum": "19.5"}
        )
        self.assertEqual(types["until"], {"base": "date", "format": "yyyy-MM-dd"})
        self.assertEqual(types["n"]["base"], "integer")
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n'
            '[[entry]]\ndo = "survey"\nchart = "c.svg"\ndraft-rules = "d/r.json"\n',
        )
        self.gruff("run", "d.toml")
        self.assertEqual(self.text("d/r.json"), self.text("r.json"))
        self.assertTrue((self.folder / "c.svg").exists())


if __name__ == "__main__":
    unittest.main()
