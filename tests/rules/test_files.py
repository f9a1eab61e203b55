"""Tests of files of rules: TOML, and the W3C's metadata read and written."""

import io
import json
import unittest
from typing import Any

from gruff_ledger.problems import BadTerms
from gruff_ledger.rules.files import lists_named_in, rules_in_file
from gruff_ledger.rules.rule import Rule
from gruff_ledger.rules.w3c_writing import write_rules
from gruff_ledger.table import Table
from gruff_ledger.work.check.flag.perform import perform
from gruff_ledger.work.check.flag.terms import FlagTerms
from tests.support import FolderTest, table, written


def metadata(*columns: dict[str, Any], **more: Any) -> bytes:
    """Return metadata that describes one table of these columns."""
    schema = {"columns": list(columns), **more.pop("schema", {})}
    said = {"@context": "http://www.w3.org/ns/csvw", "url": "a.csv", **more}
    return json.dumps({**said, "tableSchema": schema}).encode()


def flagged(data: bytes, given: Table, path: str = "r.json", **refs: Table) -> Any:
    """Check a list against a file of rules."""
    return perform(FlagTerms(rules=path), given, refs, {path: data})


def findings(data: bytes, *cells: str, **column: Any) -> list[str]:
    """Return what metadata finds in a field 'a' of these cells."""
    made = Table.of_records(["a"], [[cell] for cell in cells])
    return [v for f in flagged(data, made).findings for v in f.value.to_pylist()]


class TomlTest(unittest.TestCase):
    def test_rules_and_forms(self) -> None:
        data = (
            b'rules = 1\nfields = "fee"\n[[rule]]\nfield = "fee"\nminimum = 5\n'
            b'maximum = 9.5\nseverity = "stop"\n[written]\nfee = "1,5"\n'
        )
        outcome = flagged(data, table("fee", "4,5", "9,5", "9,6"), "rules.toml")
        self.assertEqual(
            [(f.message, f.severity) for f in outcome.findings],
            [("fee is below 5.", "stop"), ("fee is above 9.5.", "stop")],
        )
        self.assertEqual(rules_in_file("r.toml", data).fields, ("fee",))

    def test_the_lists_it_names(self) -> None:
        data = b'rules = 1\n[[rule]]\nfield="a"\nallowed-from="codes.csv"\n'
        self.assertEqual(lists_named_in("r.toml", data), ("codes.csv",))

    def test_files_that_are_none(self) -> None:
        for path, data, words in (
            ("r.toml", b"rules = ", "it is not TOML"),
            ("r.toml", b"\xff", "not written in UTF-8"),
            ("r.toml", b"rules = 2", "layout is version 2"),
            ("r.toml", b"title = ''", "'rules': it is required"),
            ("r.toml", b"rules=1\n[[rule]]\nfeild='a'", "no such key"),
            ("r.json", b"{", "it is not JSON"),
            ("r.json", b"[]", "describes no table"),
            ("r.json", b"{}", "describes no columns"),
            ("r.json", b'{"tables": 1}', "list of tables"),
            ("r.json", b'{"tableSchema": "x.json"}', "names another file"),
            ("r.json", metadata({"name": "a", "datatype": "txt"}), "no datatype"),
            (
                "r.json",
                metadata({"name": "a"}, schema={"primaryKey": "b"}),
                "named 'b'",
            ),
        ):
            with self.subTest(data=data), self.assertRaisesRegex(BadTerms, words):
                rules_in_file(path, data)


class MetadataTest(unittest.TestCase):
    def test_datatypes(self) -> None:
        """Each finds the cells that are none, as the standard says."""
        for datatype, good, bad in (
            ("integer", "-7", "1.5"),
            ("nonNegativeInteger", "0", "-1"),
            ("byte", "127", "128"),
            ("decimal", "1.5", "x"),
            ("boolean", "1", "yes"),
            ("date", "2026-05-01", "1/5/2026"),
            ("dateTime", "2026-05-01T10:00:00", "2026-05-01"),
            ("time", "10:00:00", "10"),
            ({"base": "integer", "minimum": 1, "maxInclusive": 5}, "5", "6"),
            ({"base": "integer", "minExclusive": 1}, "2", "1"),
            ({"base": "date", "maximum": "2026-05-01"}, "2026-05-01", "2026-05-02"),
            ({"base": "date", "format": "dd.MM.yyyy"}, "01.05.2026", "2026-05-01"),
            (
                {"base": "datetime", "format": "yyyy-MM-ddTHH:mm"},
                "2026-05-01T10:00",
                "x",
            ),
            ({"base": "boolean", "format": "Y|N"}, "N", "1"),
            ({"base": "string", "format": "[a-z]+"}, "ab", "aB"),
            ({"base": "string", "format": r"A\+|B"}, "A+", "A"),
            ({"base": "string", "minLength": 2, "maxLength": 3}, "abc", "a"),
            ({"base": "string", "maxLength": 3}, "a", "abcd"),
            ({"length": 2}, "ab", "abc"),
            ({"base": "decimal", "format": {"decimalChar": ","}}, "1,5", "1.5"),
            ({"base": "number", "format": "#,##0.00"}, "1,200.50", "1200.5"),
        ):
            with self.subTest(datatype=datatype):
                data = metadata({"titles": "a", "datatype": datatype})
                self.assertEqual(findings(data, good, bad, ""), [bad])

    def test_required_and_null_also_inherited(self) -> None:
        data = metadata({"name": "a", "required": True, "null": "-"})
        self.assertEqual(findings(data, "-", "", "x"), ["-", ""])
        data = metadata({"name": "a"}, schema={"required": True, "null": ["n/a"]})
        self.assertEqual(findings(data, "n/a", "x"), ["n/a"])

    def test_titles_name_the_field(self) -> None:
        """By any of the titles, loosely, else by the name."""
        given = table("Boat Name", "")
        for column in (
            {"titles": "boat name"},
            {"titles": ["Vessel", "Boat Name"]},
            {"titles": {"de": "Boot", "en": "Boat Name"}},
            {"name": "boat%20name", "titles": "Vessel"},
        ):
            with self.subTest(column=column):
                outcome = flagged(metadata({**column, "required": True}), given)
                self.assertEqual(outcome.findings[0].field, "Boat Name")

    def test_keys(self) -> None:
        """A foreign key is looked up under its folder and its titles."""
        one = {
            "url": "boats.csv",
            "tableSchema": {
                "columns": [{"name": "q", "titles": "Quay"}, {"name": "b"}],
                "primaryKey": ["q", "b"],
                "foreignKeys": [
                    {
                        "columnReference": ["q", "b"],
                        "reference": {
                            "resource": "berths.csv",
                            "columnReference": ["quay", "no"],
                        },
                    }
                ],
            },
        }
        other = {
            "url": "berths.csv",
            "tableSchema": {
                "columns": [{"name": "quay", "titles": "Quay"}, {"name": "no"}]
            },
        }
        data = json.dumps({"tables": [one, other]}).encode()
        self.assertEqual(lists_named_in("rules/r.json", data), ("rules/berths.csv",))
        given = table("Quay|b", "N|1", "N|1", "S|2", name="boats")
        berths = table("Quay|no", "N|1", name="berths")
        terms = FlagTerms(rules="rules/r.json")
        outcome = perform(
            terms, given, {"rules/berths.csv": berths}, {"rules/r.json": data}
        )
        self.assertEqual(
            [(f.rule, f.origin.record.tolist()) for f in outcome.findings],
            [
                ("Quay with b is unique", [1, 2]),
                ("b is one of those of its Quay", [3]),
            ],
        )
        with self.assertRaisesRegex(BadTerms, "cannot be told which"):
            rules_in_file("r.json", data, "x")

    def test_what_is_not_supported_is_said(self) -> None:
        """Each with its columns; nothing is passed over in silence."""
        data = metadata(
            {"name": "a", "datatype": "anyURI", "aboutUrl": "x{a}"},
            {"name": "b", "separator": ";", "datatype": "integer", "default": "0"},
            {"name": "c", "datatype": {"base": "time", "format": "HHmm"}},
            {"name": "gone", "required": True},
            dialect={"delimiter": ";"},
        )
        outcome = flagged(data, table("a|b|c", "x|1;2|10:00"))
        said = " ".join(note.what for note in outcome.notes)
        for words in (
            "does not have: gone",
            "'dialect' is not checked",
            "'aboutUrl' is not checked (a)",
            "datatype 'anyURI' is not checked (a)",
            "between separators in a cell is not checked (b)",
            "'default' is not checked (b)",
            "the format 'HHmm' is not checked (c)",
        ):
            self.assertIn(words, said)
        self.assertEqual(outcome.findings, ())


class WrittenTest(unittest.TestCase):
    LIST = table(
        "Boat|Class|Fee|Since|Quay|Berth",
        *(
            "|x|-1|1/5/2026|N|9",
            "Tern|A|5,5|2026-05-01|S|1",
            "Tern|A|70|01/05/2026|N|1",
        ),
    )

    def test_what_is_written_finds_the_same_when_read(self) -> None:
        """Also the rules that the vocabulary has no words for."""
        rules = (
            Rule(field="boat", required=True, null=("-",)),
            Rule(field="Class", allowed=("A", "B+")),
            Rule(field="Fee", datatype="decimal", minimum="0", max_exclusive="70"),
            Rule(field="Since", datatype="date", format_="dd/MM/yyyy"),
            Rule(key=("Boat", "Class")),
            Rule(field="Berth", allowed_from="p", per=("Quay",), named={"Quay": "Q"}),
            Rule(holds="Class <> 'x'", severity="stop"),
            Rule(field="Boat", required=True, where="Class = 'x'"),
            Rule(field="Class", unique=True),
            Rule(field="Boat", max_length=3),
        )
        terms = FlagTerms(rule=rules)
        lists = {"p": table("Q|Berth", "N|1", name="p")}
        first = perform(terms, written(self.LIST, Fee="1,5"), lists)
        sink = io.BytesIO()
        write_rules(first.detail, sink, ".json", {})
        again = flagged(sink.getvalue(), self.LIST, **lists)

        def seen(outcome: Any) -> list[Any]:
            return sorted(
                (f.rule, f.severity, f.origin.record.tolist()) for f in outcome.findings
            )

        self.assertEqual(seen(again), seen(first))
        self.assertEqual(len(first.findings), 11)
        facts = json.loads(sink.getvalue())
        self.assertEqual(
            facts["tableSchema"]["columns"][1],
            {
                "name": "Class",
                "titles": "Class",
                "datatype": {"base": "string", "format": r"A|B\+"},
            },
        )


class ProgramTest(FolderTest):
    def test_drafted_rules_find_nothing_in_their_own_list(self) -> None:
        """And what changed since then is found."""
        self.write("a.csv", "Berth,Class,Fee\n" + "001,A,5.5\n002,B,7\n" * 4)
        self.gruff("survey", "a.csv", "--draft-rules", "r.json")
        facts = json.loads(self.text("r.json"))
        facts["tableSchema"].pop("primaryKey", None)
        self.write("r.json", json.dumps(facts))
        done = self.gruff("flag", "a.csv", "--rules", "r.json", "--to", "b.csv")
        self.assertIn("nothing was found", done.stderr.decode())
        self.write("c.csv", "Berth,Class,Fee\n1,C,99\n")
        self.gruff("flag", "c.csv", "--rules", "r.json", "--ledger", "l")
        rules = [each["rule"] for each in self.records("l/findings.csv")]
        self.assertEqual(len(rules), 3)

    def test_rules_in_a_docket_with_lists_it_names(self) -> None:
        """The file and the list it looks into are in the account."""
        self.write("a.csv", "Code\nx\nred\n")
        self.write("codes.csv", "Code\nred\n")
        self.write(
            "rules.toml",
            'rules = 1\n[[rule]]\nfield = "Code"\nallowed-from = "codes"\n',
        )
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[lists.codes]\nfrom = "codes.csv"\n'
            '[[entry]]\ndo = "flag"\nlist = "a"\nrules = "rules.toml"\n'
            'write-rules = "w.json"\n[[out]]\nto = "b.csv"\n',
        )
        self.gruff("run", "d.toml")
        account = json.loads(self.text("ledger/account.json"))
        self.assertEqual(len(account["entries"][0]["files"]["rules.toml"]), 64)
        self.assertEqual(account["balance"]["referred"], 1)
        (found,) = self.records("ledger/findings.csv")
        self.assertEqual(found["message"], "Code is not in codes.")
        self.assertIn("foreignKeys", self.text("w.json"))

    def test_values_from_one_column_of_a_tab(self) -> None:
        """Of a workbook, by its address."""
        import openpyxl

        book = openpyxl.Workbook()
        sheet = book.create_sheet("Codes")
        for row in (("Name", "Code"), ("Red", "007"), ("Blue", "012")):
            sheet.append(row)
        book.save(self.folder / "codes.xlsx")
        self.write("a.csv", "Colour\n007\n7\n")
        rule = 'field="Colour", allowed-from="codes.xlsx#sheet=Codes/col=2"'
        self.gruff("flag", "a.csv", "--rule", rule, "--ledger", "l")
        (found,) = self.records("l/findings.csv")
        self.assertEqual((found["value"], found["nearest"]), ("7", ""))
        self.write("b.csv", "Colour\n0O7\n")
        self.gruff("flag", "b.csv", "--rule", rule, "--ledger", "m")
        (found,) = self.records("m/findings.csv")
        self.assertEqual(found["nearest"], "007")

    def test_files_that_are_not_there_are_named(self) -> None:
        self.write("a.csv", "Code\nx\n")
        told = self.problem("flag", "a.csv", "--rules", "rulez.toml")
        self.assertIn("rulez.toml: there is no such file.", told)
        self.write("r.toml", "rules = 1\n[[rule]]\n")
        told = self.problem("flag", "a.csv", "--rules", "r.toml")
        self.assertIn("--rules: r.toml: ", told)


if __name__ == "__main__":
    unittest.main()
