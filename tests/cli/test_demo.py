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
        self.told = self.gruff("demo", "harbour").stdout.decode()

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
        aside = self.records("harbour/ledger/set-aside.csv")
        there = Counter(map(cells, result + aside))
        self.assertGreater(len(aside), 5)
        self.assertEqual(came_in, there)

    def test_the_account_balances_and_says_so(self) -> None:
        """On the screen and for programs."""
        account = json.loads(self.text("harbour/ledger/account.json"))
        balance = account["balance"]
        self.assertTrue(balance["balances"])
        self.assertEqual(
            balance["records_in"],
            balance["records_out"] + balance["set_aside"] + balance["left_out"],
        )
        self.assertIn("The account balances.", self.told)
        self.assertIn("Harbour berth register, October 2026", self.told)

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
