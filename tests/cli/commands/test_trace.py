"""`gruff trace`: what it tells of records and cells, from the ledger alone."""

from __future__ import annotations

import json
import shutil
import zipfile

import pyarrow as pa
from pyarrow import ipc

from gruff_ledger.account.trail.packed import PackedCells, is_packed
from tests.support import FolderTest

NORTH = """Berth,Boat,Length
N-01, Grey Heron,9.4
N-02,Old Seal,
N-01,Grey Heron,9.4
N-03,Tern,7.25
"""
RATES = "Berth,Rate\nN-01,12.50\nN-03,8\n"
DOCKET = """docket = 1
[lists.north]
from = "north.csv"
[lists.rates]
from = "rates.csv"
[[entry]]
do = "scrub"
list = "north"
fields = "Boat"
trim = true
[[entry]]
do = "flag"
required = "Length"
[[entry]]
do = "duplicates"
by = "Berth"
[[entry]]
do = "lookup"
in = "rates"
key = "Berth"
take = "Rate"
as = "rated"
[[entry]]
do = "rollup"
lists = "north"
down = "Berth"
value = "Length"
as = "metres"
[[out]]
list = "rated"
to = "out/rated.csv"
[[out]]
list = "metres"
to = "out/metres.csv"
"""


class TraceTest(FolderTest):
    """A docket is run; then its sources and results go away."""

    def setUp(self) -> None:
        """Run the docket."""
        super().setUp()
        self.write("north.csv", NORTH)
        self.write("rates.csv", RATES)
        self.write("job.toml", DOCKET)
        self.gruff("run", "job.toml")

    def told(self, *arguments: str) -> str:
        """Return what a trace says, in single spaces."""
        return " ".join(self.gruff("trace", *arguments).stdout.decode().split())

    def test_it_tells_was_and_now_and_the_line_as_it_was(self) -> None:
        """A changed cell has its value in the source, and each change."""
        told = self.told("out/rated.csv", "--record", "1")
        self.assertIn("as in north, row 2, Boat: ' Grey Heron'", told)
        self.assertIn("1 scrub changed it: 'Grey Heron'", told)
        self.assertIn("It is north, row 2 of north.csv: N-01, Grey", told)

    def test_a_record_by_its_row(self) -> None:
        """As the list shows it, of a result and of a source."""
        for listed in ("out/rated.csv", "north"):
            self.assertEqual(
                self.told(listed, "--row", "2"), self.told(listed, "--record", "1")
            )
        for arguments, words in (
            (["north", "--row", "1"], "row 1 is the heading, or above it. The records"),
            (["north", "--row", "2", "--record", "1"], "given in several ways"),
        ):
            self.assertIn(words, self.problem("trace", *arguments))

    def test_it_tells_what_was_folded_and_looked_up(self) -> None:
        """The record that repeated it is there, and the rate's record."""
        told = self.told("out/rated.csv", "--record", "1")
        self.assertIn("1 record folded into it: north, row 4", told)
        self.assertIn("3 duplicates: repeats another record by Berth", told)
        self.assertIn("12.50 4 lookup, from Rate of rates, row 2", told)

    def test_sources_and_results_may_be_gone(self) -> None:
        """The ledger alone is enough, also under another name."""
        before = self.told("out/rated.csv", "--record", "2")
        for name in ("north.csv", "rates.csv", "job.toml"):
            (self.folder / name).unlink()
        shutil.rmtree(self.folder / "out")
        (self.folder / "ledger").rename(self.folder / "kept")
        after = self.told("out/rated.csv", "--record", "2", "--ledger", "kept")
        self.assertEqual(after, before)

    def test_by_key(self) -> None:
        """A record is found by what it has, whether that was changed or made."""
        first = self.told("out/rated.csv", "--record", "1")
        for key in ("Berth=N-01", "Boat=Grey Heron", "rate=12.50"):
            with self.subTest(key=key):
                self.assertEqual(self.told("out/rated.csv", "--key", key), first)
        both = ["--key", "Berth=N-01", "--key", "Rate=8"]
        said = self.problem("trace", "out/rated.csv", *both)
        self.assertIn("no record of it has that key", said)

    def test_several_with_a_key_are_told(self) -> None:
        """The first is shown, and the numbers of the others said."""
        done = self.gruff("trace", "north", "--key", "Berth=N-01")
        self.assertIn("2 records have that key: 1, 3.", done.stderr.decode())

    def test_figures_show_what_adds_up_to_them(self) -> None:
        """Of a cell of a rollup its parts and their sum are told."""
        told = self.told("out/metres.csv", "--record", "1", "--field", "Length")
        self.assertIn("Length = 18.80: 5 rollup, sum of 2 records: 18.8", told)
        self.assertIn("9.4 north, row 2, Length 9.4 north, row 4, Length", told)

    def test_where_a_source_record_went(self) -> None:
        """A record is followed to every result, and to the record it went into."""
        told = self.told("north.csv", "--record", "3")
        self.assertIn("was folded into north, row 2: 3 duplicates", told)
        self.assertIn("went out in out/rated.csv, row 2", told)
        self.assertIn("went into figures: 5 rollup, in 1 record", told)
        found = self.told("north.csv", "--record", "2")
        self.assertIn("! 2 flag, warn: Length: Length is blank", found)
        self.assertIn(
            "looked up: 4 lookup, for 1 record", self.told("rates", "--record", "2")
        )

    def test_json(self) -> None:
        """The same for programs."""
        done = self.gruff("trace", "out/rated.csv", "--record", "3", "--json")
        told = json.loads(done.stdout)
        self.assertEqual(
            [each["value"] for each in told["cells"]], ["N-03", "Tern", "7.25", "8"]
        )
        self.assertEqual(told["places"][0]["record"], 4)

    def test_problems_say_what_to_do(self) -> None:
        """An unknown list, field, record or ledger is said, with what there is."""
        for arguments, said in (
            (["out/rated.csv", "--record", "9"], "it has no record 9: it had 3"),
            (["rted.csv", "--record", "1"], "neither read nor wrote it. Did you mean"),
            (
                ["out/rated.csv", "--record", "1", "--field", "Bert"],
                "Did you mean 'Berth'?",
            ),
            (["out/rated.csv"], "no record was given"),
            (["north", "--record", "9"], "it had no record 9 when it was read"),
            (["north", "--record", "1", "--ledger", "out"], "has no file trace.zip"),
        ):
            with self.subTest(arguments=arguments):
                self.assertIn(said, self.problem("trace", *arguments))

    def test_a_damaged_ledger_is_said(self) -> None:
        """What a missing part held is not known, and the rest is told."""
        path = self.folder / "ledger" / "trace.zip"
        with zipfile.ZipFile(path) as whole:
            parts = {name: whole.read(name) for name in whole.namelist()}
        gone = next(name for name in parts if "4-made" in name)
        with zipfile.ZipFile(path, "w") as rest:
            for name, data in parts.items():
                if name != gone:
                    rest.writestr(name, data)
        done = self.gruff("trace", "out/rated.csv", "--record", "1")
        self.assertIn(f"The ledger is damaged: {gone}", done.stderr.decode())
        self.assertIn("N-01", done.stdout.decode())
        path.write_bytes(path.read_bytes()[:200])
        said = self.problem("trace", "out/rated.csv", "--record", "1")
        self.assertIn("cannot be read", said)

    def test_a_changed_byte_is_noticed(self) -> None:
        """A part whose bytes are not those that were written is not believed."""
        path = self.folder / "ledger" / "trace.zip"
        data = bytearray(path.read_bytes())
        at = data.index(b"Old Seal")
        data[at : at + 3] = b"New"
        path.write_bytes(data)
        done = self.gruff("trace", "out/rated.csv", "--record", "2")
        self.assertIn("sources/1.arrow", done.stderr.decode())
        self.assertNotIn("New", done.stdout.decode())

    def test_a_ledger_of_the_first_layout_is_read(self) -> None:
        """In it cells were not packed, but arrays of text."""
        path = self.folder / "ledger" / "trace.zip"
        asked = ("trace", "out/rated.csv", "--record", "1")
        told = self.gruff(*asked).stdout
        with zipfile.ZipFile(path) as whole:
            parts = {name: whole.read(name) for name in whole.namelist()}
        index = json.loads(parts["trail.json"])
        self.assertEqual(index["trail"], 2)
        parts["trail.json"] = json.dumps(index | {"trail": 1}).encode()
        with zipfile.ZipFile(path, "w") as old:
            for name, data in parts.items():
                old.writestr(name, _unpacked(data))
        self.assertEqual(self.gruff(*asked).stdout, told)
        parts["trail.json"] = json.dumps(index | {"trail": 3}).encode()
        with zipfile.ZipFile(path, "w") as newer:
            newer.writestr("trail.json", parts["trail.json"])
        self.assertIn("its layout is version 3", self.problem(*asked))

    def test_a_clean_run_again_gives_the_same_trail(self) -> None:
        """The trail depends on lists and docket alone, but for the time of the run."""
        path = self.folder / "ledger" / "trace.zip"

        def parts() -> dict[str, bytes]:
            with zipfile.ZipFile(path) as whole:
                names = [each for each in whole.namelist() if each != "trail.json"]
                return {name: whole.read(name) for name in names}

        before = parts()
        self.gruff("run", "job.toml", "--replace")
        self.assertEqual(parts(), before)


def _unpacked(data: bytes) -> bytes:
    """Return a part with its cells as arrays of text, where it holds packed ones."""
    if not data.startswith(b"ARROW1"):
        return data
    table = ipc.open_file(pa.BufferReader(data)).read_all()
    if not is_packed(table):
        return data
    cells = PackedCells(table)
    headings = [
        field.metadata[b"heading"].decode()
        for field in table.schema
        if field.metadata is not None
    ]
    arrays = pa.table({heading: cells.column(heading) for heading in headings})
    sink = pa.BufferOutputStream()
    with ipc.new_file(sink, arrays.schema) as writer:
        writer.write_table(arrays)
    whole: bytes = sink.getvalue().to_pybytes()
    return whole


class SeveralLedgersTest(FolderTest):
    """Two runs wrote files of one name."""

    def setUp(self) -> None:
        """Run both, the first one first."""
        super().setUp()
        for place, cell in (("a", "amber"), ("b", "blue")):
            self.write(f"in-{place}/list.csv", f"n,colour\n1,{cell}\n2,{cell}\n")
            self.gruff(
                *("duplicates", f"in-{place}/list.csv", "--by", "colour"),
                *("--treat", "set-aside", "--to", f"out-{place}/result.csv"),
                *("--ledger", f"ledger-{place}"),
            )

    def told(self, *arguments: str) -> tuple[str, str]:
        done = self.gruff("trace", *arguments, "--record", "1")
        return done.stdout.decode(), done.stderr.decode()

    def test_the_whole_path_decides(self) -> None:
        """And the ledger that answers is named, with its time."""
        for place, cell in (("a", "amber"), ("b", "blue")):
            for name in (f"out-{place}/result.csv", f"in-{place}/list.csv"):
                told, beside = self.told(name)
                self.assertIn(cell, told)
                self.assertRegex(
                    beside,
                    rf"Told by the ledger in ledger-{place}, made \d+ \w+ 20\d\d",
                )

    def test_a_copy_is_known_by_its_content(self) -> None:
        """Wherever it lies now."""
        shutil.copy(self.folder / "out-a/result.csv", self.folder / "moved.csv")
        shutil.copy(self.folder / "in-b/list.csv", self.folder / "sent.csv")
        told, beside = self.told("moved.csv")
        self.assertIn("amber", told)
        self.assertIn("is a copy of out-a/result.csv", beside)
        self.assertIn("blue", self.told("sent.csv")[0])

    def test_a_source_is_known_by_its_path_too(self) -> None:
        """It is no copy of itself, in a docket's folder either."""
        self.gruff(
            *(
                "merge",
                "in-a/list.csv",
                "--to",
                "in-a/out.csv",
                "--enter",
                "in-a/d.toml",
            )
        )
        (self.folder / "in-a/out.csv").unlink()
        self.gruff("run", "in-a/d.toml", "--ledger", "in-a/own")
        for place in ("in-a/list.csv", "in-b/list.csv"):
            beside = self.told(place)[1]
            self.assertNotIn("copy", beside)
        self.assertIn("ledger in in-a/own", self.told("in-a/list.csv")[1])

    def test_what_no_ledger_knows_is_refused(self) -> None:
        """A name alone is not enough, whatever ledger is given."""
        self.write("out-c/result.csv", "n,colour\n1,green\n")
        for more in ((), ("--ledger", "ledger-a")):
            said = self.problem("trace", "out-c/result.csv", "--record", "1", *more)
            self.assertIn("neither read nor wrote" if more else "no ledger near", said)
        said = self.problem(
            "trace", "out-b/result.csv", "--record", "1", "--ledger", "ledger-a"
        )
        self.assertIn("neither read nor wrote", said)

    def test_a_name_that_two_know_is_refused(self) -> None:
        """With their ledgers."""
        said = self.problem("trace", "list", "--record", "1")
        self.assertIn("2 ledgers know", said)
        self.assertIn("ledger-b (made 20", said)

    def test_the_last_run_answers_for_one_file(self) -> None:
        """What was written again since is told by the run that did it."""
        self.gruff(
            *("scrub", "in-b/list.csv", "--case", "upper", "--replace"),
            *("--to", "out-a/result.csv", "--ledger", "ledger-c"),
        )
        told, beside = self.told("out-a/result.csv")
        self.assertIn("BLUE", told)
        self.assertIn("ledger-c", beside)
        self.write("out-a/result.csv", "n,colour\n1,edited\n")
        self.assertIn("was changed since", self.told("out-a/result.csv")[1])

    def test_a_removed_copy_did_not_go_out(self) -> None:
        """The record did that it was folded into."""
        done = self.gruff("trace", "in-a/list.csv", "--record", "2").stdout.decode()
        lines = [line.strip() for line in done.splitlines()]
        self.assertFalse(any(line.startswith("went out") for line in lines), done)
        self.assertIn(
            "the record it was folded into went out in out-a/result.csv, row 2",
            lines,
        )
