"""Tests of working formulas out over a list."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.formula.evaluate import Evaluation
from gruff_ledger.formula.nodes import BadFormula
from gruff_ledger.formula.parse import parse
from gruff_ledger.formula.text_patterns import is_like
from gruff_ledger.formula.tokens import MOST_NESTED
from gruff_ledger.formula.values import column_of
from gruff_ledger.written.ask import InDoubt
from tests.support import table, written

LIST = (
    "boat|rate|length|class|joined|left|code",
    "Amber|4.20|10.5|A|2026-05-01|2026-05-03|007",
    "Bold||7|B|2026-01-31||010",
    "Élodie|x|12.25||2026-02-10|2026-02-10|011",
    "|3|0|A||2026-06-01|",
)


def evaluation() -> Evaluation:
    """Return an evaluation over the list."""
    return Evaluation(table(*LIST), "fee is blank")


def worked_out(formula: str) -> list[str]:
    """Return the cells that a formula gives for the list."""
    mine = evaluation()
    return column_of(mine.value(parse(formula)), 4)[0].to_pylist()


class FieldsTest(unittest.TestCase):
    def test_records_are_worked_out_each_for_itself(self) -> None:
        for formula, expected in (
            ("rate * length", ["44.1", "", "", "0"]),
            ("ROUND(rate * length, 2, UP)", ["44.10", "", "", "0.00"]),
            ("length / 2 - 1", ["4.25", "2.5", "5.125", "-1"]),
            ("class || boat", ["AAmber", "BBold", "", ""]),
            ("left - joined", ["2", "", "0", ""]),
            (
                "joined + INTERVAL '1' MONTH",
                ["2026-06-01", "2026-02-28", "2026-03-10", ""],
            ),
            ("class = 'A' AND length > 5", ["true", "false", "", "false"]),
            ("class = 'A' OR length > 5", ["true", "true", "true", "true"]),
            ("NOT class = 'A'", ["false", "true", "", "false"]),
            ("joined = left", ["false", "", "true", ""]),
            ("GREATEST(length, 8)", ["10.5", "8", "12.25", "8"]),
            ("CASE WHEN class = 'A' THEN length ELSE 0 END", ["10.5", "0", "0", "0"]),
            ("COALESCE(rate, length)", ["4.20", "7", "x", "3"]),
            ("COALESCE(class, boat, '-')", ["A", "B", "Élodie", "A"]),
            ("NULLIF(class, 'A')", ["", "B", "", ""]),
            ("UPPER(boat)", ["AMBER", "BOLD", "ÉLODIE", ""]),
            ("POSITION(class IN boat)", ["1", "1", "", ""]),
            ("LPAD(code, 5, '0')", ["00007", "00010", "00011", ""]),
            ("REPLACE(boat, class, '')", ["mber", "old", "Élodie", ""]),
            ("1 + 1", ["2"] * 4),
            ("'a'", ["a"] * 4),
            ("NULL", [""] * 4),
            ("boat IN ('Amber', 'Bold')", ["true", "true", "false", ""]),
            ("length IN (7, 0)", ["false", "true", "false", "true"]),
            ("code = '007'", ["true", "false", "false", ""]),
            ("code = 7", ["true", "false", "false", ""]),
            ("EXTRACT(DAY FROM joined) + 1", ["2", "32", "11", ""]),
        ):
            with self.subTest(formula=formula):
                self.assertEqual(worked_out(formula), expected)

    def test_cells_that_are_no_numbers_are_found(self) -> None:
        mine = evaluation()
        mine.value(parse("rate * 2 + rate"))
        (found,) = mine.findings()
        self.assertEqual(found.message, "rate is not a number; fee is blank.")
        self.assertEqual((found.field, found.severity), ("rate", "warn"))
        self.assertEqual(found.value.to_pylist(), ["x"])
        self.assertEqual(found.origin.record.tolist(), [3])

    def test_what_is_not_chosen_is_no_finding(self) -> None:
        for formula, records in (
            ("CASE WHEN class = 'A' THEN rate * 2 ELSE 0 END", []),
            ("CASE WHEN class IS NULL THEN rate * 2 ELSE 0 END", [3]),
            ("COALESCE(length, rate * 2)", []),
            ("CASE WHEN length = 0 THEN 0 ELSE 1 / length END", []),
        ):
            with self.subTest(formula=formula):
                mine = evaluation()
                mine.value(parse(formula))
                found = [n for f in mine.findings() for n in f.origin.record.tolist()]
                self.assertEqual(found, records)

    def test_division_by_zero_is_found(self) -> None:
        for formula in ("1 / length", "MOD(5, length)"):
            with self.subTest(formula=formula):
                mine = evaluation()
                result = column_of(mine.value(parse(formula)), 4)[0].to_pylist()
                self.assertEqual(result[3], "")
                (found,) = mine.findings()
                self.assertEqual(found.origin.record.tolist(), [4])
                self.assertIn("divides by zero", found.message)

    def test_what_does_not_fit_is_found(self) -> None:
        for formula, records in (
            ("CAST(length AS INTEGER)", [1, 3]),
            ("CAST(length AS DECIMAL(2, 0))", [1, 3]),
            ("CAST(length * 100 AS DECIMAL(3, 0))", [1, 3]),
            ("CAST(boat AS DATE)", [1, 2, 3]),
            ("CAST(class AS BOOLEAN)", [1, 2, 4]),
            ("SUBSTRING(boat FROM length)", [1, 3]),
            ("SUBSTRING(boat FROM 1 FOR -1)", [1, 2, 3]),
            ("joined + INTERVAL '9000' YEAR", [1, 2, 3]),
        ):
            with self.subTest(formula=formula):
                mine = evaluation()
                result = column_of(mine.value(parse(formula)), 4)[0].to_pylist()
                found = {n for f in mine.findings() for n in f.origin.record.tolist()}
                self.assertEqual(sorted(found), records)
                for record in records:
                    self.assertEqual(result[record - 1], "")

    def test_forms_that_are_stated(self) -> None:
        list_ = table("fee|day", "1.250,50|1/5/2026", "12.50|5/2026")
        list_ = written(list_, fee="1.234,5", day="31/12/2026")
        for formula, expected in (
            ("fee * 2", ["2501", ""]),
            ("day + INTERVAL '1' DAY", ["2026-05-02", ""]),
            ("COALESCE(fee, 0)", ["1250.5", ""]),
        ):
            with self.subTest(formula=formula):
                mine = Evaluation(list_)
                value = mine.value(parse(formula))
                self.assertEqual(column_of(value, 2)[0].to_pylist(), expected)

    FEES = table("fee|toll|tax|rate", "1.234,50 €|$80.00|2,50 €|0.5", "||1,00 €|2")

    def test_amounts_of_two_currencies_are_refused(self) -> None:
        for formula, words in (
            ("fee + toll", "fee is in EUR and toll in USD"),
            ("fee - tax - toll", "fee - tax is in EUR and toll in USD"),
            ("-toll + ROUND(fee, 1)", "-toll is in USD and ROUND(fee, 1) in EUR"),
            ("fee > toll", "fee is in EUR"),
            ("LEAST(fee, toll)", "toll is in USD and fee in EUR"),
            ("COALESCE(fee, toll)", "toll in USD"),
            ("CASE WHEN rate > 1 THEN fee ELSE toll END", "toll in USD"),
        ):
            with self.subTest(formula=formula):
                with self.assertRaises(BadFormula) as caught:
                    Evaluation(self.FEES).value(parse(formula))
                self.assertIn(words, caught.exception.what)

    def test_amounts_of_one_currency_or_of_none_are_worked_out(self) -> None:
        for formula, expected in (
            ("fee + tax", ["1237", ""]),
            ("fee + toll * rate", ["1274.5", ""]),
            ("fee + CAST(toll AS DECIMAL)", ["1314.5", ""]),
            ("fee / toll", ["15.43125", ""]),
            ("GREATEST(fee, tax) + 1", ["1235.5", ""]),
            ("COALESCE(fee, tax)", ["1234.5", "1"]),
        ):
            with self.subTest(formula=formula):
                value = Evaluation(self.FEES).value(parse(formula))
                self.assertEqual(column_of(value, 2)[0].to_pylist(), expected)

    def test_what_was_taken_is_said(self) -> None:
        for formula, words in (
            ("rate < length", "compared as numbers"),
            ("left > joined", "compared as dates"),
            ("left - joined", "taken as dates"),
            ("ROUND(length, 1)", "rounded half up"),
            ("LENGTH + 1", "'length' was taken"),
        ):
            with self.subTest(formula=formula):
                mine = evaluation()
                mine.value(parse(formula))
                self.assertEqual(len(mine.notes), 1)
                self.assertIn(words, mine.notes[0].what)

    def test_codes_with_leading_zeros_are_compared_as_texts(self) -> None:
        mine = Evaluation(table("a|b", "007|7", "010|10"))
        result = column_of(mine.value(parse("a = b")), 2)[0].to_pylist()
        self.assertEqual(result, ["false", "false"])

    def test_no_records(self) -> None:
        for formula in (
            "rate * length",
            "rate / 3",
            "boat || class",
            "joined + INTERVAL '1' DAY",
            "CASE WHEN rate > 1 THEN 'a' ELSE boat END",
            "COALESCE(rate, 0)",
            "boat LIKE 'A%'",
            "boat IN ('a', 'b')",
            "UPPER(boat)",
            "ROUND(rate, 2, UP)",
            "GREATEST(rate, length)",
            "SUBSTRING(boat FROM 2)",
            "POSITION('a' IN boat)",
            "left - joined",
            "CAST(rate AS INTEGER)",
            "CAST(boat AS BOOLEAN)",
            "TRANSLATE_REGEX('a' IN boat WITH 'b')",
            "TRUE",
            "1",
        ):
            with self.subTest(formula=formula):
                mine = Evaluation(table(LIST[0]))
                value = mine.value(parse(formula))
                self.assertEqual(column_of(value, 0)[0].to_pylist(), [])


class DepthTest(unittest.TestCase):
    def test_as_deep_as_is_allowed(self) -> None:
        for opening, closing in (
            ("ABS(", ")"),
            ("(1 + ", ")"),
            ("CASE WHEN TRUE THEN ", " END"),
            ("COALESCE(NULL, ", ")"),
        ):
            with self.subTest(opening=opening):
                formula = opening * MOST_NESTED + "length" + closing * MOST_NESTED
                self.assertTrue(worked_out(formula)[0])


class RefusalTest(unittest.TestCase):
    def test_values_of_the_wrong_kind(self) -> None:
        for formula, words, marked in (
            ("lenght * 2", "no field 'lenght'", "lenght"),
            ("FOO(boat)", "no function FOO", "FOO"),
            ("UPER(boat)", "no function UPER", "UPER"),
            ("IF(a, b, c)", "no function IF", "IF"),
            ("POSITION('a', boat)", "POSITION is written", "POSITION('a', boat)"),
            ("CAST(boat)", "CAST is written", "CAST(boat)"),
            ("CAST(rate AS DECIMAL(2.5))", "CAST is written", "CAST(rate"),
            ("ROUND()", "ROUND is written", "ROUND()"),
            ("TRIM(boat, 'a')", "TRIM is written", "TRIM(boat, 'a')"),
            ("ABS(1, 2)", "ABS is written differently", "ABS(1, 2)"),
            ("SUBSTRING(boat, 1)", "SUBSTRING is written", "SUBSTRING(boat, 1)"),
            ("'a' + 1", "'a' is a text", "'a'"),
            ("length AND TRUE", "length is a field", "length"),
            ("1 + (length > 2)", "is a condition", "length > 2"),
            ("boat = ''", "comparison with a blank text", "''"),
            ("joined > '2026-01-01' AND DATE '2026-01-01' = 'a'", "cannot be", "'a'"),
            ("length > 1 = 'a'", "was not expected", "="),
            ("(length > 1) = 'a'", "cannot be compared", "'a'"),
            ("CASE WHEN TRUE THEN 1 ELSE 'a' END", "cannot hold both", "'a'"),
            ("CASE WHEN TRUE THEN TRUE ELSE boat END", "cannot hold both", "boat"),
            ("COALESCE(NULL, INTERVAL '1' DAY)", "no field can hold", "INTERVAL"),
            ("INTERVAL '1' DAY * 2", "an interval", "INTERVAL '1' DAY"),
            ("2 * INTERVAL '1' DAY", "an interval cannot come", "2 * INTERVAL"),
            ("boat LIKE_REGEX '[a'", "missing ]", "'[a'"),
            ("boat LIKE 'a!' ESCAPE '!'", "escapes nothing", "'!'"),
            ("ROUND(length, length)", "not a number of digits", "length"),
            ("class IN 'A'", "IN takes a list", "'A'"),
            ("CAST(length AS MONEY)", "no type MONEY", "CAST"),
            ("CAST(boat AS VARCHAR(2))", "takes no length", "CAST"),
            ("TODAY()", "no function TODAY", "TODAY"),
        ):
            with self.subTest(formula=formula):
                with self.assertRaises(BadFormula) as caught:
                    evaluation().value(parse(formula))
                problem = caught.exception
                self.assertIn(words, problem.what)
                line, carets = problem.excerpt.split("\n")
                self.assertTrue(line[carets.index("^") :].startswith(marked), line)

    def test_functions_written_otherwise(self) -> None:
        """With too few, too many or other arguments."""
        from gruff_ledger.formula.functions import FUNCTIONS

        for name in FUNCTIONS:
            for inside in (
                *("", "boat, boat, boat, boat, boat", "boat FROM", "boat IN boat"),
                *("boat AS boat", "boat FOR 1", "boat WITH boat", "YEAR FROM"),
                *("boat", "boat, 1", "boat, 1, UP", "1 FROM 2", "boat PLACING 'a'"),
                *("boat AS DECIMAL(2.5)", "boat AS DECIMAL(1, 2, 3)", "boat AS 'a'"),
            ):
                formula = f"{name}({inside})"
                with self.subTest(formula=formula):
                    try:
                        evaluation().value(parse(formula))
                    except BadFormula as problem:
                        self.assertTrue(problem.remedy)

    def test_dates_in_figures_are_not_compared_as_texts(self) -> None:
        mine = Evaluation(table("a|b", "1/5/2026|2/5/2026", "3/5/2026|1/6/2026"))
        with self.assertRaises(InDoubt) as caught:
            mine.value(parse("a < b"))
        self.assertIn("`written`", caught.exception.remedy)

    def test_numbers_cannot_fill_the_memory(self) -> None:
        long = "9" * 900
        with self.assertRaises(BadFormula) as caught:
            evaluation().value(parse(f"{long} * {long}"))
        self.assertIn("more than a thousand digits", caught.exception.what)

    def test_nothing_of_python_can_be_reached(self) -> None:
        for formula in ("__class__", "boat.column", "exec('1')", "open('x')", "lambda"):
            with self.subTest(formula=formula), self.assertRaises(BadFormula):
                evaluation().value(parse(formula))


def like_by_trying(text: str, pattern: str) -> bool:
    """Tell whether a text is like a pattern, by trying every way."""
    if not pattern:
        return not text
    if pattern[0] == "%":
        return any(
            like_by_trying(text[at:], pattern[1:]) for at in range(len(text) + 1)
        )
    return (
        bool(text)
        and pattern[0] in ("_", text[0])
        and like_by_trying(text[1:], pattern[1:])
    )


class LikeTest(unittest.TestCase):
    @given(st.text("ab_%", max_size=8), st.text("ab_%", max_size=6))
    def test_agrees_with_trying_every_way(self, text: str, pattern: str) -> None:
        self.assertEqual(is_like(text, pattern), like_by_trying(text, pattern))

    def test_many_marks_take_no_longer(self) -> None:
        self.assertFalse(is_like("a" * 5000, "%a" * 500 + "b"))


class TruthTest(unittest.TestCase):
    @given(st.lists(st.sampled_from(["TRUE", "FALSE", "NULL"]), min_size=2, max_size=4))
    def test_three_valued_logic(self, words: list[str]) -> None:
        """AND is the least and OR the greatest of false, unknown, true."""
        rank = {"FALSE": 0, "NULL": 1, "TRUE": 2}
        cells = ["false", "", "true"]
        ranks = [rank[word] for word in words]
        self.assertEqual(worked_out(" AND ".join(words))[0], cells[min(ranks)])
        self.assertEqual(worked_out(" OR ".join(words))[0], cells[max(ranks)])


if __name__ == "__main__":
    unittest.main()
