"""Every option of every verb, through the built program: each one changes something."""

import unittest
from collections.abc import Sequence

from gruff_ledger.cli.commands.verb import verb_command
from gruff_ledger.work.registry import VERBS
from tests.support import FolderTest

_BOATS = """Boat,Class,Length,Arrived,Note
 Merry  Bell,A,12.5,1/5/2026,n/a
merry bell,B,8.0,3/5/2026,
Tern,A,,13/4/2026,x; y
Gull,C,22,1/6/2026,"""
FILES = {
    "boats.csv": _BOATS + '"""p; q"" r"\n,B,7,2/6/2026,=z\nTern,A,9.1,13/4/2026,x\n',
    "more.csv": "Boat,Class,Length,Berth\nTern,B,9.1,7\nAuk,A,3,8\n"
    "Tern,A,9.2,9\nGull,C,22.0,1\n",
    "five.csv": "V,W,X,Y,Z\n1,2,3,4,5\n",
    "notes.csv": 'Note\nx; y; z\n"""p; q""; r"\n',
    "map.csv": "was,now\nTern,Arctic Tern\nA,First\n",
    "names.csv": "was,now\nBoat,Vessel\n",
    "rates.csv": "Code,From,Rate,Paid\nA,0,1,2026-01-01\nA,10,2,2026-02-01\n"
    'B,0,3,2026-01-05\nZ,0,9,2026-01-01\nA,"11,5",5,2026-03-01\n',
    "grid.csv": "Kind,May,June,Seen\nBerth,1,2,2026\nWater,,4,2026\nTotal,1,6,2026\n",
    "grid2.csv": "Kind,May,June,Seen\nberth,10,20,2026\nPower,5,,2026\n",
    "decided.jsonl": "",
    "rules.toml": 'rules = 1\n[[rule]]\nfield = "Length"\nrequired = true\n',
}
_NEAR = ("--near", "--by", "Boat, Note")
_KEY = ("more.csv", "--key", "Boat")
_LOOK = ("--in", "rates.csv", "--key", "Class=Code", "--take", "Rate")
_FLAG = ("--required", "Length")
_MERGE = ("more.csv",)
_SPLIT = ("boats.csv", "--at", ";", "--parts", "One, Two")
_DATES = ("--written", "Arrived=12/31/2026")

# For each verb its list, and commands: what is common to two of them, and what one has
# and the other has not.
_Case = tuple[tuple[str, ...], tuple[str, ...]]
_CASES: dict[str, tuple[tuple[str, ...], list[_Case]]] = {
    "show": (
        ("boats.csv",),
        [
            ((), ("--fields", "Boat, Class")),
            ((), ("--records", "2-*")),
            ((), ("--rows", "3")),
            ((), ("--first", "1")),
            ((), ("--last", "1")),
            ((), ("--sample", "2")),
            ((), ("--down",)),
        ],
    ),
    "survey": (
        ("boats.csv",),
        [
            ((), ("--fields", "Boat, Class")),
            ((), ("--null", "n/a")),
            ((), ("--chart", "chart.png")),
            ((), ("--draft-rules", "draft.json")),
        ],
    ),
    "count": (
        ("boats.csv",),
        [
            ((), ("--by", "Class")),
            (("--by", "Boat"), ("--match", "loose")),
            (("--by", "Boat"), ("--order", "appearance")),
            (("--by", "Class"), ("--over", "1")),
        ],
    ),
    "scrub": (
        ("boats.csv",),
        [
            (("--trim",), ("--fields", "Class")),
            (("--squeeze",), ("--trim",)),
            (("--trim",), ("--squeeze",)),
            (("--trim",), ("--no-invisible",)),
            (("--trim",), ("--unicode", "nfkc")),
            (("--trim",), ("--null", "n/a")),
            (("--trim",), ("--map", "Tern=Arctic Tern")),
            (("--trim",), ("--map-by", "map.csv")),
            (("--map", "merry bell=Merry Bell"), ("--match", "loose")),
            (("--trim",), ("--case", "upper")),
            (("--case", "upper"), ("--odd-only",)),
            (("--fields", "Length"), ("--number", "0.00")),
            (("--fields", "Length", "--number", "0"), ("--rounding", "half-up")),
            (("--fields", "Arrived", *_DATES), ("--date", "iso")),
            (
                ("--fields", "Length", "--number", "plain"),
                ("--currency-to", "Currency"),
            ),
            (("--fields", "Arrived", "--date", "iso"), _DATES),
            (("--fields", "Boat"), ("--fill", "none")),
            (("--fields", "Boat"), ("--above",)),
        ],
    ),
    "split": (
        ("--field", "Note"),
        [
            (("boats.csv", "--parts", "One, Two"), ("--at", ";")),
            (("notes.csv", "--at", ";", "--parts", "One, Two"), ("--which", "last")),
            (("boats.csv",), ("--pattern", r"(?P<head>\w)(?P<rest>.*)")),
            (("boats.csv", "--at", ";", "--parts", "One, Two"), ("--missing", "first")),
            (("boats.csv", "--parts", "One, Two"), ("--widths", "1, 9")),
            (("boats.csv", "--at", ";"), ("--parts", "One, Two")),
            (("boats.csv", "--at", ";"), ("--records",)),
            (("notes.csv", "--at", ";", "--parts", "One, Two"), ("--surplus", "first")),
            ((*_SPLIT,), ("--keep",)),
            ((*_SPLIT,), ("--untrimmed",)),
            (("notes.csv", "--at", ";", "--parts", "A, B, C"), ("--no-quoting",)),
        ],
    ),
    "join": (
        ("boats.csv", "--heading", "Both"),
        [
            ((), ("--fields", "Boat, Class")),
            (("--fields", "Boat, Class"), ("--separator", "/")),
            (("--fields", "Boat, Length"), ("--keep-blank",)),
            ((), ("--template", "{Boat} ({Class})")),
            (("--fields", "Boat, Class"), ("--keep",)),
            (("--fields", "Class, Length"), ("--first",)),
            (("--fields", "Boat, Class"), ("--after", "Note")),
        ],
    ),
    "fields": (
        ("boats.csv",),
        [
            ((), ("--keep", "Boat, Class")),
            ((), ("--drop", "Note")),
            ((), ("--first", "Note")),
            ((), ("--last", "Boat")),
            ((), ("--after", "Boat=Note")),
            ((), ("--rename", "Boat=Vessel")),
            ((), ("--rename-by", "names.csv")),
        ],
    ),
    "compute": (
        ("boats.csv",),
        [
            ((), ("--formula", "Twice=Length * 2")),
            (("--formula", "Day=Arrived + INTERVAL '1' DAY"), _DATES),
            (("--formula", "Length=Length * 2"), ("--overwrite",)),
            (("--formula", "Twice=Length * 2"), ("--first",)),
            (("--formula", "Twice=Length * 2"), ("--after", "Boat")),
        ],
    ),
    "pick": (
        ("boats.csv",),
        [
            ((), ("--where", "Length > 8")),
            (("--by", "Class"), ("--top", "1")),
            (("--top", "2"), ("--by", "Length DESC")),
            (("--top", "1", "--by", "Length DESC"), ("--per", "Class")),
            (("--top", "1", "--by", "Class"), ("--ties",)),
            (("--where", "Arrived > DATE '2026-05-02'"), _DATES),
        ],
    ),
    "sort": (
        ("boats.csv",),
        [
            ((), ("--by", "Class, Length DESC")),
            (("--by", "Arrived AS DATE"), _DATES),
        ],
    ),
    "flag": (
        ("boats.csv",),
        [
            ((), ("--required", "Length")),
            (_FLAG, ("--allowed", "Class=A, B")),
            (_FLAG, ("--unique", "Boat")),
            (("--unique", "Boat"), ("--match", "loose")),
            (_FLAG, ("--allowed-from", "Class=Code IN rates.csv")),
            (_FLAG, ("--minimum", "Length=8")),
            (_FLAG, ("--maximum", "Arrived=2026-05-31")),
            (_FLAG, ("--like", "Boat=Gull")),
            (_FLAG, ("--holds", "Length < 20")),
            (_FLAG, ("--severity", "stop")),
            (("--holds", "Length < 20"), ("--message", "{Boat} is long.")),
            (_FLAG, ("--rule", 'field="Length", maximum=20')),
            ((), ("--rules", "rules.toml")),
            (("--rule", 'field="Arrived", datatype="date"'), _DATES),
            (_FLAG, ("--remarks", "To check")),
            ((*_FLAG, "--severity", "stop"), ("--set-aside-stops",)),
            (_FLAG, ("--write-rules", "written.json")),
        ],
    ),
    "form": (
        ("--to", "form.xlsx"),
        [
            ((), ("--required", "Length, Boat")),
            (_FLAG, ("--allowed", "Class=A, B")),
            (_FLAG, ("--unique", "Length")),
            ((*_FLAG, "--match", "loose"), ("--unique", "Length")),
            (_FLAG, ("--allowed-from", "Class=Code IN rates.csv")),
            (_FLAG, ("--minimum", "Length=8")),
            (_FLAG, ("--maximum", "Length=31")),
            (_FLAG, ("--like", "Boat=Gull")),
            (_FLAG, ("--holds", "Length < 20")),
            (_FLAG, ("--severity", "stop")),
            (("--allowed", "Class=A, B"), ("--message", "Choose.")),
            (_FLAG, ("--rule", 'field="Length", maximum=20')),
            ((), ("--rules", "rules.toml")),
            (_FLAG, ("--fields", "Boat, Length")),
            (("boats.csv", *_FLAG), ("--empty",)),
            (_FLAG, ("--rows", "7")),
        ],
    ),
    "duplicates": (
        ("boats.csv",),
        [
            ((), ("--by", "Class")),
            (("--by", "Boat"), ("--match", "loose")),
            (("--by", "Boat, Note", "--treat", "show"), ("--near",)),
            ((*_NEAR, "--treat", "show"), ("--ask-from", "20")),
            ((*_NEAR, "--treat", "mark"), ("--same-from", "73")),
            (("--by", "Class"), ("--stays", "last")),
            (("--by", "Class", "--stays", "greatest"), ("--of", "Length")),
            (("--by", "Boat"), ("--fill",)),
            (("--by", "Class"), ("--treat", "count")),
            (("--by", "Class", "--treat", "mark"), ("--field", "Seen")),
            ((*_NEAR, "--treat", "set-aside"), ("--decisions", "decided.jsonl")),
            (
                (*_NEAR, "--treat", "set-aside", "--decisions", "decided.jsonl"),
                ("--apart-from", "Arrived, Class, Length"),
            ),
            (
                ("--by", "Class", "--stays", "greatest", "--of", "Arrived AS DATE"),
                _DATES,
            ),
        ],
    ),
    "merge": (
        ("boats.csv",),
        [
            (_MERGE, ("--key", "Boat")),
            (_KEY, ("--match", "loose")),
            (_KEY, ("--precedence", "filled")),
            ((*_KEY, "--precedence", "newest"), ("--of", "Length AS NUMBER")),
            (_KEY, ("--update",)),
            (_KEY, ("--status", "State")),
            (_MERGE, ("--name-source", "From")),
            (_MERGE, ("--aliases", "Berth=Note")),
            (_MERGE, ("--headings", "letters")),
            (("five.csv",), ("--by-position",)),
            (_MERGE, ("--shared-only",)),
            (_MERGE, ("--keep-blank",)),
            (_MERGE, ("--sort", "Boat")),
            (_KEY, ("--decisions", "decided.jsonl")),
            (
                (*_KEY, "--precedence", "newest", "--of", "Arrived AS DATE"),
                _DATES,
            ),
            (_KEY, ("--new", "new.csv")),
            (_KEY, ("--changed", "changed.csv")),
            (_KEY, ("--untouched", "untouched.csv")),
            (_KEY, ("--missing", "missing.csv")),
        ],
    ),
    "lookup": (
        ("boats.csv",),
        [
            (("--key", "Boat", "--take", "Length=L"), ("--in", "more.csv")),
            (("--in", "more.csv", "--take", "Berth"), ("--key", "Boat")),
            (
                ("--in", "more.csv", "--key", "Boat", "--take", "Berth"),
                ("--match", "number"),
            ),
            (_LOOK, ("--band", "Length=From")),
            (("--in", "rates.csv", "--key", "Class=Code"), ("--take", "Rate, Paid")),
            (
                ("--in", "more.csv", "--key", "Boat", "--take", "Length"),
                ("--field-there", "fill"),
            ),
            (_LOOK, ("--which", "first")),
            ((*_LOOK, "--which", "greatest"), ("--of", "Paid AS DATE")),
            (_LOOK, ("--default", "Rate=0")),
            (_LOOK, ("--status", "Found")),
            (_LOOK, ("--severity", "stop")),
            (("--in", "rates.csv", "--key", "Class=Code"), ("--check",)),
            (
                (*_LOOK[:2], "--band", "Length=From", "--take", "Rate"),
                ("--written", "From=1,5"),
            ),
            (_LOOK, ("--unmatched", "unmatched.csv")),
            (_LOOK, ("--unused", "unused.csv")),
        ],
    ),
    "card": (
        ("boats.csv",),
        [
            (("--value", "Tern"), ("--key", "Boat")),
            (("--key", "Boat"), ("--value", "Tern")),
            (("--key", "Boat", "--value", "MERRY BELL"), ("--match", "loose")),
            (("--key", "Boat", "--value", "Tern"), ("--fields", "Class, Boat")),
            (("--key", "Boat", "--value", "Tern"), ("--lay", "across")),
        ],
    ),
    "rollup": (
        ("grid.csv", "grid2.csv"),
        [
            ((), ("--down", "Seen")),
            (("--down", "Kind", "--value", "May"), ("--across", "Seen")),
            (("--down", "Kind"), ("--value", "May")),
            (("--down", "Kind"), ("--figure", "count")),
            (("--down", "Kind"), ("--match", "loose")),
            (("--down", "Kind"), ("--aliases", "Seen=Year")),
            (("--down", "Kind", "--leave-out-totals"), ("--by-position",)),
            (("--down", "Kind"), ("--order", "sorted")),
            (("--down", "Kind"), ("--corner", "What")),
            (("--down", "Kind"), ("--missing", "zero")),
            (("--down", "Kind"), ("--totals", "both")),
            (("--down", "Kind"), ("--leave-out-totals",)),
            (("--down", "Kind"), ("--detail", "beneath")),
            (
                ("--down", "Kind", "--match", "loose", "--detail", "beneath"),
                ("--change",),
            ),
            (("--down", "Kind", "--chart", "chart.svg"), ("--draw", "comparison")),
            (("--down", "Kind"), ("--chart", "chart.png")),
            (("--down", "Kind"), ("--written", "May=31/12/2026")),
        ],
    ),
    "compare": (
        ("boats.csv", "more.csv"),
        [
            ((), ("--key", "Boat")),
            (("--key", "Boat"), ("--match", "letters")),
            (("--key", "Boat"), ("--fields", "Class")),
            (("--key", "Boat"), ("--apart-from", "Class")),
            (("--key", "Boat"), ("--cells", "number")),
            (("--key", "Boat"), ("--give", "numbers")),
            (("--key", "Boat", "--cells", "number"), ("--same",)),
            (("--key", "Boat"), ("--only-first", "first.csv")),
            (("--key", "Boat"), ("--only-second", "second.csv")),
            (("--key", "Boat"), ("--changed", "changed.csv")),
        ],
    ),
}

# What every verb has, and a command that is sure to work with all of it.
COMMON = {
    "show": ("boats.csv",),
    "survey": ("boats.csv",),
    "count": ("boats.csv", "--by", "Class"),
    "scrub": ("boats.csv", "--trim"),
    "split": ("boats.csv", "--field", "Note", "--at", ";", "--parts", "One, Two"),
    "join": ("boats.csv", "--fields", "Boat, Class", "--heading", "Both"),
    "fields": ("boats.csv", "--drop", "Class"),
    "compute": ("boats.csv", "--formula", "Twice=Length * 2"),
    "pick": ("boats.csv", "--where", "Length > 8"),
    "sort": ("boats.csv", "--by", "Boat"),
    "flag": ("boats.csv", *_FLAG),
    "form": ("boats.csv", *_FLAG),
    "duplicates": ("boats.csv", "--by", "Class"),
    "merge": ("boats.csv", "more.csv"),
    "lookup": ("boats.csv", *_LOOK, "--which", "first"),
    "card": ("boats.csv", "--key", "Boat", "--value", "Tern"),
    "rollup": ("grid.csv", "grid2.csv", "--down", "Kind"),
    "compare": ("boats.csv", "more.csv", "--key", "Boat"),
}
READING = (
    *("--format", "delimited", "--delimiter", ",", "--encoding", "utf-8"),
    *("--quote", "double", "--skip-rows", "0", "--header-rows", "1", "--no-totals"),
    *("--kept", "kept", "--offline", "--tries", "2", "--time-limit", "9"),
    *("--size-limit", "5"),
)
KEEPING = (
    *("--aside", "aside.csv", "--control", "Length", "--ledger", "ledger"),
    *("--replace", "--memory", "1 GB", "--scratch", "."),
)
WRITING = (
    *("--to-format", "delimited", "--to-delimiter", ";", "--line-ends", "crlf"),
    *("--byte-order-mark", "--guard-formulas", "--to-quote", "all", "--typed"),
)


def options(name: str) -> set[str]:
    """Return the options of a verb, but for that of its help."""
    return {option.opts[0] for option in verb_command(VERBS[name]).params[1:]}


class OwnTest(FolderTest):
    """What one verb has: with the option something else happens than without."""

    def came_of(self, name: str, arguments: Sequence[str]) -> tuple[object, ...]:
        """Return all that a command did: what it said, and each file's bytes."""
        for path in self.folder.iterdir():
            if path.is_file():
                path.unlink()
        for file, text in FILES.items():
            self.write(file, text)
        done = self.gruff(name, *arguments, status=None)
        files = {
            path.name: path.read_bytes()
            for path in self.folder.iterdir()
            if path.name not in FILES
        }
        return done.returncode, done.stdout, done.stderr, files

    def check(self, name: str) -> None:
        """Try every option that only this verb has."""
        common, cases = _CASES[name]
        without: dict[tuple[str, ...], tuple[object, ...]] = {}
        for base, option in cases:
            with self.subTest(name, option=option):
                if base not in without:
                    without[base] = self.came_of(name, (*common, *base))
                done = self.came_of(name, (*common, *base, *option))
                self.assertIn(done[0], (0, 1), done[2])
                if option[0] not in _UNSEEN:
                    self.assertNotEqual(done, without[base])

    def test_the_table_has_every_option(self) -> None:
        shared = {each for each in (*READING, *KEEPING, *WRITING) if each[:2] == "--"}
        shared |= {
            "--to",
            "--enter",
            "--json",
            "--quiet",
            "--more",
            "--no-findings",
            "--help-all",
        }
        # Lists without its field are none of its business: tested with the verbs.
        shared |= {"--written", "--widths", "--list-widths", "--to-widths"}
        shared |= {"--further-tabs"}
        self.assertEqual(set(_CASES), set(VERBS))
        self.assertEqual(set(COMMON), set(VERBS))
        for name in VERBS:
            common, cases = _CASES[name]
            typed = {word for case in cases for part in case for word in part}
            missing = options(name) - shared - typed - set(common)
            self.assertEqual(missing, set(), name)
            for option in options(name) & shared:
                self.assertIn(option, shared)


# They change nothing on these lists; what they do is tested beside their verbs.
_UNSEEN = {
    "--down",
    "--no-invisible",
    "--unicode",
    "--unique",
    "--apart-from",
    "--decisions",
    "--severity",
    "--headings",
    "--keep-blank",
    "--holds",
}

for _name in _CASES:

    def _test(self: OwnTest, name: str = _name) -> None:
        self.check(name)

    _test.__doc__ = f"Each option of {_name} changes what comes of it."
    setattr(OwnTest, f"test_options_of_{_name}", _test)


if __name__ == "__main__":
    unittest.main()
