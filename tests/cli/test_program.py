"""Tests that drive the built program: what works, and what it refuses."""

import json
import os
import signal
import subprocess
import sys
import time
import unittest
from pathlib import Path

from gruff_ledger import __version__
from gruff_ledger.work.registry import VERBS
from tests.support import PROGRAM, FolderTest

LIST = 'Berth,Boat\n007,1e5\n 8 ,"a, b"\n007,é\n'


def obey_permissions() -> None:
    """Give up what lets root read and write everywhere, if the tests run as root."""
    if os.geteuid() == 0 and sys.platform == "linux":
        import ctypes

        drop_capability, dac_override, dac_read_search = 24, 1, 2
        libc = ctypes.CDLL(None)
        for capability in (dac_override, dac_read_search):
            libc.prctl(drop_capability, capability, 0, 0, 0)


class CommandTest(FolderTest):
    starts_anew = True

    def test_version_and_help(self) -> None:
        """By the command and by the module."""
        told = self.gruff("--version").stdout.decode().strip()
        self.assertEqual(told, f"gruff {__version__}")
        module = subprocess.run(
            [sys.executable, "-m", "gruff_ledger", "--version"],
            capture_output=True,
            check=True,
        )
        self.assertEqual(module.stdout.decode().strip(), told)
        shown = self.gruff("--help").stdout.decode()
        self.assertEqual(self.gruff().stdout.decode(), shown)
        for name in (*VERBS, "run", "demo", "docket-schema"):
            self.assertIn(name, shown)
        self.assertIn("Usage", self.gruff("sort", "-h").stdout.decode())

    def test_a_pipe_gets_the_result_and_nothing_else(self) -> None:
        """The summary goes to standard error."""
        done = self.gruff("duplicates", "-", "--by", "Berth", stdin=LIST.encode())
        self.assertEqual(done.stdout.decode(), 'Berth,Boat\n007,1e5\n 8 ,"a, b"\n')
        self.assertIn(
            "3 records in: 2 out, 1 set aside. Balanced.", done.stderr.decode()
        )

    def test_cells_come_out_as_they_went_in(self) -> None:
        """To the character, through every verb."""
        cells = 'a,b,c,d,e,f\n007,1e5, padded ,12345678901234567890,é,"x\ny, z"\n'
        self.write("a.csv", cells)
        for arguments in (
            ("merge", "a.csv"),
            ("duplicates", "a.csv"),
            ("flag", "a.csv", "--required", "a"),
        ):
            with self.subTest(verb=arguments[0]):
                self.assertEqual(self.gruff(*arguments).stdout.decode(), cells)

    def test_result_aside_and_ledger_are_written(self) -> None:
        """And the source is as it was."""
        source = self.write("a.csv", LIST)
        options = ("--to", "out.csv", "--aside", "aside.csv", "--ledger", "book")
        done = self.gruff("duplicates", "a.csv", "--by", "Berth", *options)
        self.assertEqual(done.stdout, b"")
        self.assertEqual(self.text("out.csv"), 'Berth,Boat\n007,1e5\n 8 ,"a, b"\n')
        (aside,) = self.records("aside.csv")
        self.assertEqual(
            (aside["reason"], aside["record"], aside["row"], aside["kept record"]),
            ("repeats another record by Berth", "3", "4", "1"),
        )
        self.assertEqual(self.text("book/set-aside.csv"), self.text("aside.csv"))
        account = json.loads(self.text("book/account.json"))
        self.assertTrue(account["balance"]["balances"])
        self.assertEqual(source.read_text(encoding="utf-8"), LIST)

    def test_summary_as_json_and_no_summary(self) -> None:
        """With the list where it goes nowhere else; the same for every verb."""
        self.write("a.csv", LIST)
        done = self.gruff("duplicates", "a.csv", "--json")
        self.assertEqual(done.stderr, b"")
        page = json.loads(done.stdout)
        self.assertEqual(len(page["account"]["sources"][0]["sha256"]), 64)
        self.assertEqual(page["verb"], "duplicates")
        self.assertIn("Balanced.", page["books"])
        kept = self.gruff("duplicates", "a.csv").stdout.decode().splitlines()
        self.assertEqual(len(page["result"]["records"]), len(kept) - 1)
        self.assertEqual(page["result"]["fields"], list(page["result"]["records"][0]))
        done = self.gruff("duplicates", "a.csv", "--json", "--to", "b.csv")
        written = json.loads(done.stdout)
        self.assertIsNone(written["result"])
        self.assertEqual(
            written["written"], [{"to": "b.csv", "records": len(kept) - 1}]
        )
        for key in ("headline", "attention", "notes"):
            self.assertEqual(written[key], page[key])

    def test_remarks_as_json_name_their_records(self) -> None:
        """By list, record and row, with how many there are."""
        self.write("a.csv", "Quays\n\nBerth,B\n1,x\n,y\n2,z\n")
        done = self.gruff("flag", "a.csv", "--required", "Berth", "--json")
        (each,) = json.loads(done.stdout)["attention"]
        self.assertEqual((each["severity"], each["count"]), ("warn", 1))
        self.assertEqual(each["first"], [{"list": "a", "record": 2, "row": 5}])

    def test_what_is_taken_for_totals_is_told(self) -> None:
        """On the page of a plain list, and for programs."""
        self.write("a.csv", "Berth,Paid\n1,1\n2,2\nTotal,3\n")
        words = ("sort", "a.csv", "--by", "Paid", "--no-totals")
        said = "the last record looks like a row of totals and was set aside: a, row 4."
        self.assertIn(said, self.gruff(*words).stderr.decode())
        notes = json.loads(self.gruff(*words, "--json").stdout)["notes"]
        self.assertTrue(any(said in each["text"] for each in notes))

    def test_no_summary(self) -> None:
        self.write("a.csv", LIST)
        self.assertEqual(self.gruff("duplicates", "a.csv", "--quiet").stderr, b"")

    def test_stops_end_with_status_1(self) -> None:
        """The work is done all the same."""
        self.write("a.csv", "Berth\n1\n\n2\n")
        options = ("--required", "Berth", "--severity", "stop", "--to", "out.csv")
        done = self.gruff("flag", "a.csv", *options, status=1)
        self.assertIn("stop: Berth is blank: 1 record: a, row 3.", done.stderr.decode())
        self.assertEqual(self.text("out.csv"), 'Berth\n1\n""\n2\n')

    def test_options_take_names_pairs_and_tables(self) -> None:
        """Headings with commas and equals signs among them."""
        self.write("a.csv", '"x, y","k=v",z\n1,A,\n2,B,\n')
        done = self.gruff(
            "flag", "a.csv", "--required", '"x, y", z', "--allowed", '"k=v"=A, C',
            "--rule", 'field="z", required=true, severity="note"', "--remarks", "why",
        )  # fmt: skip
        self.assertEqual(
            done.stdout.decode(),
            '"x, y",k=v,z,why\n1,A,,z is blank. z is blank.\n'
            '2,B,,"z is blank. k=v is not one of A, C. z is blank."\n',
        )

    def test_lists_of_one_name_are_told_apart(self) -> None:
        """By their addresses."""
        for name in ("north/a.csv", "south/a.csv"):
            self.write(name, "x\n1\n")
        done = self.gruff(
            "merge", "north/a.csv", "south/a.csv", "--name-source", "from"
        )
        self.assertEqual(done.stdout.decode(), "x,from\n1,north/a.csv\n1,south/a.csv\n")

    def test_headings_are_never_records(self) -> None:
        """A record that repeats the heading repeats nothing."""
        self.write("a.csv", "Berth,Boat\nBerth,Boat\n1,Tern\n")
        done = self.gruff("duplicates", "a.csv")
        self.assertEqual(done.stdout, b"Berth,Boat\nBerth,Boat\n1,Tern\n")
        self.assertIn(b"2 records in: 2 out", done.stderr)

    def test_results_do_not_depend_on_seed_locale_or_time_zone(self) -> None:
        """Byte for byte, with all files of the ledger but the account's time."""
        lines = "".join(f"{number % 700},{number % 3}é\n" for number in range(5000))
        self.write("a.csv", "Berth,Boat\n" + lines)
        told = []
        for seed, locale, zone in (
            ("1", "C", "UTC"),
            ("2", "de_DE.UTF-8", "Asia/Tokyo"),
        ):
            done = subprocess.run(
                [PROGRAM, "duplicates", "a.csv", "--by", "Berth", "--ledger", seed],
                cwd=self.folder,
                env={
                    **os.environ,
                    "PYTHONHASHSEED": seed,
                    "LC_ALL": locale,
                    "TZ": zone,
                },
                capture_output=True,
                check=True,
            )
            files = sorted((self.folder / seed).glob("*.csv"))
            told.append([done.stdout, *(path.read_bytes() for path in files)])
        self.assertEqual(told[0], told[1])

    def test_control_characters_never_reach_the_terminal(self) -> None:
        """They are shown as codes in what is said; a result keeps its cells."""
        self.write("a.csv", "x\n\x1b[31m\n\n\x1b[31m\n")
        done = self.gruff("flag", "a.csv", "--allowed", "x=1")
        self.assertNotIn(b"\x1b", done.stderr)
        self.assertIn(rb"\x1b[31m", done.stderr)
        self.assertIn(b"\x1b[31m", done.stdout)


class RefusalTest(FolderTest):
    def test_every_mistake_is_one_clear_paragraph(self) -> None:
        """Exit status 2, what, where, and what to do."""
        self.write("a.csv", LIST)
        self.write("empty.csv", "")
        self.write("latin.csv", "a\né\n".encode("cp1252"))
        self.write("book.xlsx.csv", b"PK\x03\x04" + bytes(60))
        self.write("open.csv", 'a,b\n"1,2\n')
        self.write("great.toml", f"docket = {'9' * 5000}\n")
        for arguments, told in (
            (("duplicates", "b.csv"), "no such file. Did you mean 'a.csv'?"),
            (("duplicates", "."), "it is a folder"),
            (("duplicates", "empty.csv"), "it is empty"),
            (("duplicates", "latin.csv", "--encoding", "utf-8"), "line 2: it is not"),
            (("duplicates", "book.xlsx.csv"), "a workbook"),
            (("duplicates", "open.csv"), "record 1 (row 2), field 'a': a double"),
            (("duplicates", "a.csv", "--stay", "last"), "Did you mean '--stays'?"),
            (
                ("duplicates", "a.csv", "--stays", "lst"),
                "--stays: 'lst' is not one of: first, last",
            ),
            (("duplicates", "a.csv", "--by", "Bert"), "Did you mean 'Berth'?"),
            (("duplicates", "a.csv", "--skip-rows", "x"), "--skip-rows: 'x' is not"),
            (
                ("pick", "a.csv", "--by", "Boat", "--top", "9" * 19),
                "the number is too large",
            ),
            (
                ("pick", "a.csv", "--by", "Boat", "--top", "9" * 5000),
                "the number is too large",
            ),
            (("pick", "a.csv", "--by", "Boat", "--top", "-+5"), "is not a whole"),
            (("flag", "a.csv", "--rules", "great.toml"), "too many digits"),
            (("run", "great.toml"), "too many digits"),
            (
                ("duplicates", "a.csv", "b.csv"),
                "takes one list. Put them together first: gruff merge a.csv b.csv",
            ),
            (("dupicates", "a.csv"), "Did you mean 'duplicates'?"),
            (("merge",), "no list was given"),
            (("merge", "-", "-"), "standard input can be read only once"),
            (("merge", ""), "the address of a list is empty"),
            (("merge", "a.csv", "--to", "out/"), "'out/' names no file"),
            (("duplicates", "a.csv", "--by", ""), "--by: a name is missing"),
            (("run", "."), "it is a folder"),
            (("flag", "a.csv"), "there is no rule"),
            (("flag", "a.csv", "--allowed", "Berth"), "not of the form FIELD=VALUE"),
            (("flag", "a.csv", "--rule", "x=y"), "not an inline TOML table"),
            (("run", "b.toml"), "no such file"),
            (("run", "a.csv"), "it is not TOML"),
            (("demo", "a.csv"), "neither"),
        ):
            with self.subTest(arguments=arguments):
                self.assertIn(told, self.problem(*arguments))
        names = {"a.csv", "empty.csv", "latin.csv", "book.xlsx.csv", "open.csv"}
        names.add("great.toml")
        self.assertEqual({path.name for path in self.folder.iterdir()}, names)

    def test_very_many_digits_are_a_text(self) -> None:
        """No amount has them; they are told of, and nothing stops."""
        many = "9" * 5000
        self.write("a.csv", f"Boat,Fee,Part\nTern,{many},7\nOtter,{'8' * 400},7\n")
        for arguments, told in (
            (("survey", "a.csv"), "of more than 15 digits"),
            (("sort", "a.csv", "--by", "Fee AS NUMBER"), "'Fee' is not a number"),
            (("rollup", "a.csv", "--value", "Fee", "--figure", "mean"), "not a number"),
            (
                ("compute", "a.csv", "--formula", "x=Fee / Part"),
                "'Fee' is not a number",
            ),
            (("duplicates", "a.csv", "--by", "Fee", "--match", "number"), "blank key"),
        ):
            with self.subTest(arguments=arguments):
                done = self.gruff(*arguments)
                self.assertIn(told, done.stderr.decode())
        done = self.gruff("compute", "a.csv", "--formula", "x=Fee / Part")
        self.assertIn(f"Tern,{many},7,\n", done.stdout.decode())

    def test_a_bad_pattern_is_told_of_an_empty_list_too(self) -> None:
        """Next month's list has records, and it would stop there."""
        self.write("a.csv", "Boat\n")
        for arguments in (
            ("flag", "a.csv", "--rule", 'field="Boat", pattern="("'),
            ("split", "a.csv", "--field", "Boat", "--pattern", "(?P<a>"),
            ("pick", "a.csv", "--where", "Boat LIKE_REGEX '('"),
            ("compute", "a.csv", "--formula", "x=TRANSLATE_REGEX('(' IN Boat WITH '')"),
        ):
            with self.subTest(arguments=arguments):
                told = self.gruff(*arguments, status=2).stderr.decode()
                self.assertIn("cannot be used: missing )", told)

    def test_a_heading_without_records_is_a_list(self) -> None:
        """Nothing goes wrong with nothing."""
        self.write("a.csv", "Berth,Boat\n")
        for verb in (("merge",), ("duplicates",), ("flag", "--required", "Boat")):
            with self.subTest(verb=verb[0]):
                done = self.gruff(verb[0], "a.csv", *verb[1:])
                self.assertEqual(done.stdout, b"Berth,Boat\n")

    @unittest.skipUnless(sys.platform in ("linux", "darwin"), "modes are POSIX's")
    def test_an_unreadable_folder_is_said(self) -> None:
        """Permission is the reason, to read from it and to write to it."""
        self.write("a.csv", LIST)
        self.write("shut/a.csv", LIST)
        (self.folder / "shut").chmod(0)
        self.addCleanup((self.folder / "shut").chmod, 0o700)
        for arguments in (
            ("duplicates", "shut/a.csv"),
            ("duplicates", "a.csv", "--to", "shut/b.csv"),
            ("duplicates", "a.csv", "--ledger", "shut/book"),
            ("run", "shut/job.toml"),
            ("demo", "shut/new"),
        ):
            with self.subTest(arguments=arguments):
                done = subprocess.run(
                    [PROGRAM, *arguments],
                    cwd=self.folder,
                    capture_output=True,
                    preexec_fn=obey_permissions,
                    check=False,
                )
                self.assertEqual(done.returncode, 2)
                self.assertRegex(done.stderr.decode(), "(?i)permission .*denied")
                self.assertNotIn(b"fault", done.stderr)


class OutputLawsTest(FolderTest):
    def setUp(self) -> None:
        """Write a list and an old result."""
        super().setUp()
        self.source = self.write("a.csv", LIST)
        self.old = self.write("old.csv", "old")

    def test_a_source_cannot_be_an_output(self) -> None:
        """Neither result, nor aside, nor in the ledger; not even with --replace."""
        self.write("book/findings.csv", LIST)
        for arguments in (
            ("a.csv", "--to", "a.csv"),
            ("a.csv", "--to", "./a.csv", "--replace"),
            ("a.csv", "--aside", "a.csv", "--replace"),
            ("book/findings.csv", "--ledger", "book", "--replace"),
        ):
            with self.subTest(arguments=arguments):
                told = self.problem("duplicates", *arguments)
                self.assertIn("one of the sources", told)
        self.assertEqual(self.source.read_text(encoding="utf-8"), LIST)

    def test_an_existing_output_needs_replace(self) -> None:
        """The old file stays as it is until then."""
        self.assertIn(
            "--replace", self.problem("duplicates", "a.csv", "--to", "old.csv")
        )
        self.assertEqual(self.old.read_text(), "old")
        self.gruff("duplicates", "a.csv", "--to", "old.csv", "--replace")
        self.assertEqual(self.text("old.csv"), LIST)

    @unittest.skipUnless(hasattr(os, "fork"), "limits are those of POSIX")
    def test_a_full_disk_leaves_the_old_file_and_nothing_half_written(self) -> None:
        """The size of files is limited, which fails as a full disk does."""
        import resource

        lines = "".join(f"{number},{'x' * 50}\n" for number in range(5000))
        self.write("long.csv", "a,b\n" + lines)
        done = subprocess.run(
            [PROGRAM, "duplicates", "long.csv", "--to", "old.csv", "--replace"],
            cwd=self.folder,
            capture_output=True,
            preexec_fn=lambda: resource.setrlimit(
                resource.RLIMIT_FSIZE, (100_000, 100_000)
            ),
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn(b"old.csv: there is no room left", done.stderr)
        self.assertEqual(self.old.read_text(), "old")
        self.assertEqual(
            {path.name for path in self.folder.iterdir()},
            {"a.csv", "old.csv", "long.csv"},
        )

    @unittest.skipUnless(hasattr(signal, "SIGKILL"), "kills are those of POSIX")
    def test_a_run_killed_while_writing_leaves_the_old_file_whole(self) -> None:
        """Killed as soon as the new file is seen growing beside the old one."""
        lines = "".join(f'{number},"x, y"\n' for number in range(300_000))
        self.write("long.csv", "a,b\n" + lines)
        old = "old\n" * 1000
        seen = 0
        for _ in range(5):
            self.write("old.csv", old)
            with subprocess.Popen(
                [PROGRAM, "duplicates", "long.csv", "--to", "old.csv", "--replace"],
                cwd=self.folder,
                stderr=subprocess.DEVNULL,
            ) as running:
                while running.poll() is None:
                    if any(path.stat().st_size for path in self.parts()):
                        running.send_signal(signal.SIGKILL)
                        break
                    time.sleep(0.001)
                running.wait()
            now = self.text("old.csv")
            self.assertIn(now, (old, "a,b\n" + lines))
            seen += now == old
            for left in self.parts():
                left.unlink()
        self.assertGreater(seen, 0)

    def parts(self) -> list[Path]:
        """Return the files that are being written."""
        return list(self.folder.glob(".*.part"))


class OutputNameTest(FolderTest):
    def test_a_dash_is_no_file(self) -> None:
        """It stands for standard input, and could be meant for standard output."""
        self.write("a.csv", LIST)
        told = self.problem("sort", "a.csv", "--by", "Boat", "--to", "-")
        self.assertIn("leave --to out", told)
        self.assertFalse((self.folder / "-").exists())


class SameByDocketTest(FolderTest):
    CASES = {
        "show": (
            (
                *("--fields", "Boat, Berth", "--first", "1", "--records", "2-*"),
                *("--rows", "2"),
            ),
            'fields = "Boat, Berth"\nfirst = 1\nrecords = ["2-*"]\nrows = "2"',
        ),
        "survey": (
            ("--fields", "Berth", "--null", "n/a"),
            'fields = ["Berth"]\nnull = "n/a"',
        ),
        "count": (
            ("--by", "Berth", "--match", "loose", "--order", "value", "--over", "1"),
            'by = "Berth"\nmatch = "loose"\norder = "value"\nover = 1',
        ),
        "scrub": (
            (
                *("--fields", "Berth, Boat", "--trim", "--null", "n/a"),
                *("--map", "Amber=Old Amber", "--fill", "-"),
            ),
            'fields = "Berth, Boat"\ntrim = true\nnull = ["n/a"]\nfill = "-"\n'
            'map = { Amber = "Old Amber" }',
        ),
        "split": (
            ("--field", "Boat", "--at", " ", "--at", "-", "--parts", "a, b"),
            'field = "Boat"\nat = [" ", "-"]\nparts = ["a", "b"]',
        ),
        "join": (
            ("--template", "{Boat} ({Berth})", "--heading", "x", "--after", "Boat"),
            'template = "{Boat} ({Berth})"\nheading = "x"\nafter = "Boat"',
        ),
        "fields": (
            ("--first", "Boat", "--rename", "Berth=Place"),
            'first = ["Boat"]\nrename = { Berth = "Place" }',
        ),
        "compute": (
            ("--formula", 'x="Berth" * 2', "--formula", "y=x+1", "--first"),
            'formula = { x = "\\"Berth\\" * 2", y = "x+1" }\nfirst = true',
        ),
        "pick": (
            ("--where", "Boat IS NOT NULL", "--top", "1", "--by", "Berth DESC"),
            'where = "Boat IS NOT NULL"\ntop = 1\nby = "Berth DESC"',
        ),
        "sort": (
            ("--by", "Boat DESC, Berth AS CODE"),
            'by = "Boat DESC, Berth AS CODE"',
        ),
        "form": (
            ("--required", "Boat", "--rows", "5"),
            'required = "Boat"\nrows = 5\nto = "form d.xlsx"',
        ),
        "duplicates": (
            (
                *("--by", "Berth AS LOOSE, Boat", "--stays", "greatest"),
                *("--of", "Boat AS TEXT", "--treat", "number", "--field", "n"),
            ),
            'by = ["Berth AS LOOSE", "Boat"]\nstays = "greatest"\n'
            'of = "Boat AS TEXT"\ntreat = "number"\nfield = "n"',
        ),
        "flag": (
            (
                *("--required", "Boat", "--allowed", "Berth=007", "--remarks", "why"),
                *("--rule", 'field="Berth", required=true'),
            ),
            'required = ["Boat"]\nallowed = { Berth = ["007"] }\nremarks = "why"\n'
            'rule = [{ field = "Berth", required = true }]',
        ),
        "merge": (
            ("--name-source", "Quay", "--aliases", "Boat=Ship"),
            'name-source = "Quay"\naliases = { Boat = "Ship" }',
        ),
        "lookup": (
            (
                *(
                    "--in",
                    "b.csv",
                    "--key",
                    "Berth=Berth AS LOOSE",
                    "--take",
                    "Class=c",
                ),
                *("--which", "first", "--default", "c=none", "--status", "found"),
            ),
            'in = "b.csv"\nkey = { Berth = "Berth AS LOOSE" }\ntake = { Class = "c" }\n'
            'which = "first"\ndefault = { c = "none" }\nstatus = "found"',
        ),
        "card": (
            ("--key", "Berth", "--value", "007", "--fields", "Boat, Berth"),
            'key = "Berth"\nvalue = ["007"]\nfields = "Boat, Berth"',
        ),
        "rollup": (
            ("--down", "Boat", "--value", "Berth", "--figure", "count"),
            'down = "Boat"\nvalue = ["Berth"]\nfigure = "count"',
        ),
        "compare": (
            ("--key", "Berth AS LOOSE, Boat", "--give", "numbers", "--same"),
            'key = ["Berth AS LOOSE", "Boat"]\ngive = "numbers"\nsame = true',
        ),
    }

    def test_a_command_and_its_entry_give_identical_results(self) -> None:
        """Byte for byte: result, set-aside, findings; and the same numbers."""
        self.assertEqual(set(self.CASES), set(VERBS))
        self.write("a.csv", LIST + "007,\n")
        self.write("b.csv", "Berth,Boat,Class\n007,Amber,A\n007,Bold,B\n9,Tern,C\n")
        for verb, (options, keys) in self.CASES.items():
            with self.subTest(verb=verb):
                to = f"{verb}.xlsx" if verb == "form" else f"{verb}.csv"
                lists = ["a.csv", "b.csv"] if verb == "compare" else ["a.csv"]
                self.gruff(verb, *lists, *options, "--to", to, "--ledger", verb)
                tables = "".join(
                    f'[lists.{name[0]}]\nfrom = "{name}"\n' for name in lists
                )
                self.write(
                    f"{verb}.toml",
                    f'docket = 1\nledger = "{verb} docket"\n{tables}'
                    f'[[entry]]\ndo = "{verb}"\n{keys}\n[[out]]\nto = "{verb} d.csv"\n',
                )
                self.gruff("run", f"{verb}.toml")
                if verb == "form":
                    self.assertTrue((self.folder / "form d.xlsx").exists())
                else:
                    out = self.text(f"{verb} d.csv")
                    self.assertEqual(self.text(f"{verb}.csv"), out)
                for name in ("set-aside.csv", "findings.csv", "changes.csv"):
                    self.assertEqual(
                        self.text(f"{verb}/{name}"), self.text(f"{verb} docket/{name}")
                    )
                by_command, by_docket = (
                    json.loads(self.text(f"{folder}/account.json"))
                    for folder in (verb, f"{verb} docket")
                )
                self.assertEqual(by_command["balance"], by_docket["balance"])
                self.assertEqual(
                    by_command["entries"][0]["terms"], by_docket["entries"][0]["terms"]
                )
