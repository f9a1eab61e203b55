"""What a run is made from is never written to, and is as private as it was."""

import os
import unittest
from pathlib import Path

from tests.support import FolderTest

LIST = "Berth,Boat\nN-1,Tern\nN-1,Tern\nN-2,Seal\n"
DOCKET = (
    'docket = 1\n[lists.x]\nfrom = "x.csv"\n'
    '[[entry]]\ndo = "duplicates"\n[[out]]\nto = "out.csv"\n'
)


class ProtectedTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("x.csv", LIST)
        self.write("job.toml", DOCKET)

    def test_nothing_that_a_run_is_made_from_is_an_output(self) -> None:
        """However it is asked for."""
        self.gruff("run", "job.toml")
        self.write("map.csv", "was,now\nTern,Old Tern\n")
        self.write("rules.toml", '[[rule]]\nfield = "Boat"\nrequired = true\n')
        self.write("self.toml", DOCKET.replace("out.csv", "self.toml"))
        near = ("--near", "--by", "Boat", "--decisions", "decided.jsonl")
        for arguments, told in (
            (("sort", "x.csv", "--by", "Boat", "--to", "x.csv"), "one of the sources"),
            (("scrub", "x.csv", "--map-by", "map.csv", "--to", "map.csv"), "sources"),
            (("flag", "x.csv", "--rules", "rules.toml", "--to", "rules.toml"), ""),
            (("duplicates", "x.csv", *near, "--to", "decided.jsonl"), "how the work"),
            (("review", "x.csv", *near, "--to", "decided.jsonl"), "how the work"),
            (("review", "x.csv", *near, "--to", "x.csv"), "one of the sources"),
            (
                ("sort", "x.csv", "--by", "Boat", "--to", "ledger/account.json"),
                "earlier",
            ),
            (
                ("sort", "x.csv", "--by", "Boat", "--aside", "ledger/findings.csv"),
                "ear",
            ),
            (("run", "self.toml"), ""),
            (("sort", "x.csv", "--by", "Boat", "--to", "http://quay/y.csv"), "address"),
            (("sort", "x.csv", "--by", "Boat", "--to", "ftp://quay/y.csv"), "address"),
        ):
            with self.subTest(arguments=arguments):
                before = {
                    path: path.read_bytes()
                    for path in self.folder.rglob("*")
                    if path.is_file()
                }
                self.assertIn(told, self.problem(*arguments, "--replace"))
                for path, data in before.items():
                    self.assertEqual(path.read_bytes(), data, path)

    def test_a_docket_writes_through_no_link(self) -> None:
        """In its ledger, its outputs or its kept copies."""
        outside = self.folder / "outside.csv"
        outside.write_text("theirs", encoding="utf-8")
        job = self.folder / "job"
        for name in ("ledger/changes.csv", "out.csv", "kept"):
            with self.subTest(name=name):
                for file, text in (("x.csv", LIST), ("job.toml", DOCKET)):
                    self.write(f"job/{file}", text)
                link = job / name
                link.parent.mkdir(exist_ok=True)
                link.symlink_to(outside if link.suffix else self.folder)
                said = self.problem("run", "job/job.toml", "--replace")
                self.assertIn("lies outside the docket's folder", said)
                self.assertEqual(outside.read_text(encoding="utf-8"), "theirs")
                link.unlink()
        (job / "out.csv").symlink_to(outside)
        self.gruff("run", "job/job.toml", "--replace", "--anywhere")
        self.assertIn("N-2,Seal", outside.read_text(encoding="utf-8"))

    @unittest.skipUnless(os.name == "posix", "permissions are those of POSIX")
    def test_all_that_is_made_of_a_private_file_is_private(self) -> None:
        """Results of all formats, charts, drafts and the ledger."""
        (self.folder / "x.csv").chmod(0o600)
        for number, (arguments, ending) in enumerate(
            (
                (["duplicates", "x.csv"], "csv"),
                (["sort", "x.csv", "--by", "Boat"], "xlsx"),
                (["sort", "x.csv", "--by", "Boat"], "db"),
                (["sort", "x.csv", "--by", "Boat"], "parquet"),
                (
                    ["survey", "x.csv", "--chart", "c.png", "--draft-rules", "r.json"],
                    "md",
                ),
                (["merge", "job/y.csv", "x.csv"], "json"),
            )
        ):
            self.write("job/y.csv", LIST)
            outputs = ["--aside", f"{number}/a.csv", "--ledger", f"{number}/ledger"]
            self.gruff(*arguments, *outputs, "--to", f"{number}/out.{ending}")
        made = [
            path
            for path in self.folder.rglob("*")
            if path.is_file() and path.name not in ("y.csv", "job.toml")
        ]
        self.assertGreater(len(made), 40)
        open_ = [str(path) for path in made if path.stat().st_mode & 0o077]
        self.assertEqual(open_, [])
        self.gruff("sort", "job/y.csv", "--by", "Boat", "--to", "open.csv")
        expected = Path(self.folder / "job/y.csv").stat().st_mode & 0o777
        self.assertEqual((self.folder / "open.csv").stat().st_mode & 0o777, expected)


if __name__ == "__main__":
    unittest.main()
