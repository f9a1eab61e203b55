"""Tests of the demo: the whole idea, on the files themselves."""

import csv
import json
from collections import Counter
from pathlib import Path

from tests.support import FolderTest

# How each list is written, told here again and not by the program.
LISTS = {
    "north": ("north-quay.csv", "utf-8-sig", ",", 0),
    "south": ("south_quay.csv", "cp1252", ";", 1),
    "east": ("east-quay.txt", "utf-8", "\t", 0),
}
FIELDS = (
    "Berth",
    "Boat",
    "Class",
    "Mooring no",
    "Length",
    "Skipper",
    "Paid until",
    "Remarks",
)


class DemoTest(FolderTest):
    def setUp(self) -> None:
        """Run the demo."""
        super().setUp()
        self.told = self.make_demo()

    def incoming(self) -> list[dict[str, str]]:
        """Read the three lists with the standard module, trailing blanks left out."""
        records = []
        for quay, (name, encoding, delimiter, titles) in LISTS.items():
            path = self.folder / "harbour" / "incoming" / name
            with path.open(encoding=encoding, newline="") as lines:
                for _ in range(titles):
                    next(lines)
                rows = list(csv.DictReader(lines, delimiter=delimiter))
            while not any(filter(None, rows[-1].values())):
                rows.pop()
            for row in rows:
                if "Mooring number" in row:
                    row["Mooring no"] = row.pop("Mooring number")
                records.append({**row, "Quay": quay})
        return records

    def test_every_record_is_in_the_result_or_set_aside(self) -> None:
        """Compared in the files, by their cells."""

        def cells(record: dict[str, str]) -> tuple[str, ...]:
            return tuple(record.get(field) or "" for field in (*FIELDS, "Quay"))

        came_in = Counter(map(cells, self.incoming()))
        result = self.records("harbour/out/berths.csv")
        aside = [
            record
            for record in self.records("harbour/ledger/set-aside.csv")
            if record["source"] in LISTS
        ]
        there = Counter(map(cells, result + aside))
        self.assertGreater(len(aside), 5)
        self.assertEqual(came_in, there)

    def test_the_account_balances_and_says_so(self) -> None:
        """On the screen and for programs."""
        account = json.loads(self.text("harbour/ledger/account.json"))
        balance = account["balance"]
        self.assertTrue(balance["balances"])
        self.assertEqual(
            balance["records_in"] + balance["made"],
            balance["records_out"]
            + balance["set_aside"]
            + balance["left_out"]
            + balance["summed"],
        )
        self.assertTrue(all(total["closes"] for total in account["control"]))
        self.assertIn("16 set aside, 7 blank at the end. Balanced.", self.told)
        self.assertIn("Harbour berth register, October 2026", self.told)

    def test_it_fits_two_screens_and_says_where_to_look(self) -> None:
        """What needs attention comes first; the whole account is a word away."""
        self.assertLess(len(self.told.splitlines()), 50)
        first = self.told.splitlines()[2]
        self.assertTrue(first.startswith("! 2 flag: stop: No berth"), first)
        self.assertRegex(self.told, r"out/berths.csv +169 records")
        self.assertIn("add --more to see all", self.told)
        more = self.gruff(
            *("run", "harbour/harbour.toml", "--replace", "--more"), status=1
        ).stdout.decode()
        self.assertIn("The account balances.", more)
        self.assertIn("Ordered: Pontoon as texts", more)

    def test_lists_are_put_together(self) -> None:
        """A rate by class and length, the last payment, takings that add up."""
        berths = {r["Berth"]: r for r in self.records("harbour/out/berths.csv")}
        # Class B, 10.6 m: the band from 8 m on.
        self.assertEqual(berths["001"]["Rate"], "4.01")
        payments = [
            record
            for record in self.records("harbour/incoming/payments.csv")
            if record["Boat"] == berths["001"]["Boat"]
        ]
        last = max(payments, key=lambda record: record["Paid on"])
        self.assertGreater(len(payments), 1)
        self.assertEqual(berths["001"]["Last payment"], last["Paid on"])
        self.assertEqual(berths["001"]["Last amount"], last["Amount"])
        import openpyxl

        book = openpyxl.load_workbook(self.folder / "harbour" / "out" / "takings.xlsx")
        rows = list(book["takings"].values)
        self.assertEqual(rows[0][:3], ("Kind", "source", "May"))
        total = next(row for row in rows if row[0] == "Total")
        self.assertAlmostEqual(sum(total[2:-1]), total[-1], places=9)
        chart = self.folder / "harbour" / "out" / "takings.png"
        self.assertEqual(chart.read_bytes()[:4], b"\x89PNG")

    def test_cells_are_as_they_were(self) -> None:
        """Zeros, long numbers, accents, quotes, line breaks."""
        result = self.records("harbour/out/berths.csv")
        berths = {record["Berth"] for record in result}
        self.assertIn("007", berths)
        remarks = {record["Remarks"] for record in result}
        self.assertIn('needs 2 fenders, "the big ones"', remarks)
        self.assertIn(" padded on purpose ", remarks)
        self.assertIn("1e5", remarks)
        self.assertTrue(any("\n" in remark for remark in remarks))
        self.assertIn("Élodie", {record["Boat"] for record in result})
        self.assertTrue(all(len(each["Mooring no"]) == 20 for each in result))

    def test_runs_again_only_with_replace_and_then_alike(self) -> None:
        """Byte for byte, but for the time."""
        before = self.text("harbour/out/berths.csv")
        told = self.problem("run", "harbour/harbour.toml")
        self.assertIn("--replace", told)
        done = self.gruff("run", "harbour/harbour.toml", "--replace", status=1)
        self.assertIn("October 2026", done.stdout.decode())
        self.assertEqual(self.text("harbour/out/berths.csv"), before)
        self.gruff(
            "run", "harbour/harbour.toml", "--replace", "--set", "month=May", status=1
        )
        account = json.loads(self.text("harbour/ledger/account.json"))
        self.assertEqual(account["title"], "Harbour berth register, May")

    def test_goes_to_a_new_folder_each_time(self) -> None:
        """And never into one that holds something."""
        for name in ("gruff-demo", "gruff-demo-2"):
            self.gruff("demo", "--quiet")
            self.assertTrue((self.folder / name / "out" / "berths.csv").exists())
        self.assertIn("empty or a new folder", self.problem("demo", "harbour"))

    def test_incoming_lists_are_unchanged(self) -> None:
        """A source is never written to."""
        import gruff_ledger.demo

        shipped = Path(gruff_ledger.demo.__file__).parent / "data" / "incoming"
        for name, *_ in LISTS.values():
            copy = self.folder / "harbour" / "incoming" / name
            self.assertEqual(copy.read_bytes(), (shipped / name).read_bytes())


class GuestBookTest(FolderTest):
    """The part of the demo that works on fields."""

    def setUp(self) -> None:
        """Run the demo."""
        super().setUp()
        self.make_demo()
        self.came = self.records("harbour/incoming/guests.csv")
        self.result = self.records("harbour/out/guests.csv")

    def test_places_are_split_and_names_joined(self) -> None:
        first = self.result[0]
        self.assertEqual(list(first)[:4], ["Pontoon", "Number", "Guest", "Boat"])
        places = Counter(each["Place"] for each in self.came)
        again = Counter(
            "-".join(filter(None, (each["Pontoon"], each["Number"])))
            for each in self.result
        )
        self.assertEqual(again, places)
        names = {each["Guest"] for each in self.result}
        self.assertIn("Kai van der Duin", names)
        self.assertFalse([name for name in names if name != name.strip()])

    def test_fees_are_computed_only_where_the_length_is(self) -> None:
        """Worked out here again, with the standard library."""
        from datetime import date
        from decimal import ROUND_HALF_EVEN, Decimal

        blank = 0
        for each in self.result:
            try:
                nights = (
                    date.fromisoformat(each["Left"])
                    - date.fromisoformat(each["Arrived"])
                ).days
                fee = Decimal(each["Rate"]) * Decimal(each["Length"]) * nights
            except (ArithmeticError, ValueError):
                self.assertEqual(each["Fee"], "")
                blank += 1
                continue
            exact = fee.quantize(Decimal("0.01"), ROUND_HALF_EVEN)
            self.assertEqual(each["Fee"], str(exact))
        self.assertEqual(blank, 5)

    def test_the_book_is_sorted(self) -> None:
        def key(each: dict[str, str]) -> tuple[str, bool, int, str]:
            number = each["Number"]
            last = not number.isdecimal()
            return (each["Pontoon"], last, 0 if last else int(number), each["Arrived"])

        self.assertEqual(self.result, sorted(self.result, key=key))

    def test_every_change_is_in_the_ledger(self) -> None:
        changes = self.records("harbour/ledger/changes.csv")
        fields = Counter(each["field"] for each in changes)
        self.assertEqual(fields["Arrived"], 40)
        names = {"First name", "Last name", "Boat", "Arrived", "Left"}
        self.assertEqual(set(fields), names)


class OwnersTest(FolderTest):
    """The part of the demo that finds records that are alike, and what is decided."""

    def test_only_what_was_decided_is_set_aside(self) -> None:
        """And what is decided later, on the next run."""
        self.make_demo()
        numbers = [record["No"] for record in self.records("harbour/out/owners.csv")]
        self.assertEqual(len(numbers), 23)
        self.assertNotIn("105", numbers)
        questions = ("review", "harbour/harbour.toml")
        self.gruff(*questions, "--to", "q.csv")
        asked = self.text("q.csv").replace("1,,same or", "1,same,same or", 1)
        self.write("q.csv", asked)
        self.gruff(*questions, "--answers", "q.csv")
        self.gruff("run", "harbour/harbour.toml", "--replace", status=1)
        self.assertEqual(len(self.records("harbour/out/owners.csv")), 22)

    def test_rules_are_seen_in_the_workbook(self) -> None:
        """A choice that depends on another field, a suggestion, an own message."""
        import openpyxl

        self.make_demo()
        book = openpyxl.load_workbook(self.folder / "harbour" / "out" / "harbour.xlsx")
        self.assertEqual(
            book.sheetnames, ["Berths", "No payment", "Guests", "Findings"]
        )
        said = [[cell.value for cell in row] for row in book["Findings"].iter_rows()]
        messages = {row[6] for row in said}
        self.assertIn("There is no berth 14 on pontoon A.", messages)
        self.assertIn(["b", "B"], [row[3:5] for row in said])
