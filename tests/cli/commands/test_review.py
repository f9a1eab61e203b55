"""Tests of review through the built program: on a terminal, and by lists filled in."""

import io
import json
import sys
import unittest

import openpyxl

from gruff_ledger.account.words import SourcePlaces
from gruff_ledger.cli.commands.review import Session, question_view
from gruff_ledger.work.check.duplicates.perform import perform
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms
from gruff_ledger.work.review.answers import decision_on
from gruff_ledger.work.review.decisions import Decision, write_decisions
from tests.support import FolderTest, table

LIST = "Boat,Berth,Phone\nTern,1,555\nTern,2,556\nAuk,4,777\nAuk,5,\nGull,6,\n"
DOCKET = """docket = 1
[lists.north]
from = "north.csv"
[lists.south]
from = "south.csv"
[[entry]]
do = "merge"
name-source = "Quay"
[[entry]]
do = "duplicates"
by = "Boat AS LOOSE"
decisions = "decided.jsonl"
[[out]]
to = "out.csv"
"""


class ListTest(FolderTest):
    OPTIONS = ("--by", "Boat", "--decisions", "d.jsonl")

    def decided(self) -> list[str]:
        """Return the kinds of decisions that are kept."""
        lines = self.text("d.jsonl").splitlines()
        return [json.loads(line)["decision"] for line in lines]

    def test_a_workbook_is_filled_in_and_read_back(self) -> None:
        self.write("a.csv", LIST)
        self.gruff("review", "a.csv", *self.OPTIONS, "--to", "q.xlsx")
        book = openpyxl.load_workbook(self.folder / "q.xlsx")
        sheet = book["q"]
        self.assertEqual(
            [cell.value for cell in sheet[1]][:3], ["question", "decision", "asked"]
        )
        sheet["B2"], sheet["B4"] = "same", "later"
        book.save(self.folder / "q2.xlsx")
        done = self.gruff("review", "a.csv", *self.OPTIONS, "--answers", "q2.xlsx")
        told = done.stderr.decode()
        self.assertIn("1 decision kept in d.jsonl; 1 question still open.", told)
        self.assertEqual(self.decided(), ["same"])
        out = self.gruff("duplicates", "a.csv", *self.OPTIONS).stdout.decode()
        self.assertEqual(
            out.split()[1:], ["Tern,1,555", "Auk,4,777", "Auk,5,", "Gull,6,"]
        )

    def test_without_a_question_no_list_is_written(self) -> None:
        self.write("a.csv", "Boat\nTern\nAuk\n")
        done = self.gruff("review", "a.csv", *self.OPTIONS, "--to", "q.csv")
        self.assertIn("Nothing is left to be decided", done.stderr.decode())
        self.assertFalse((self.folder / "q.csv").exists())

    def test_answers_that_do_not_fit_change_nothing(self) -> None:
        self.write("a.csv", LIST)
        self.gruff("review", "a.csv", *self.OPTIONS, "--to", "q.csv")
        self.write("q2.csv", self.text("q.csv").replace("1,,", "1,sam,", 1))
        told = self.problem("review", "a.csv", *self.OPTIONS, "--answers", "q2.csv")
        self.assertIn(
            "'sam' is not an answer (q2.csv, record 1). Did you mean 'same'?", told
        )
        self.assertFalse((self.folder / "d.jsonl").exists())

    def test_without_a_terminal_or_a_file_of_decisions_it_says_what_to_do(self) -> None:
        self.write("a.csv", LIST)
        told = self.problem("review", "a.csv", *self.OPTIONS)
        self.assertIn("2 questions would be asked on a terminal", told)
        told = self.problem("review", "a.csv", "--by", "Boat")
        self.assertIn("--decisions", told)
        self.write("d.jsonl", "nonsense\n")
        told = self.problem("review", "a.csv", *self.OPTIONS)
        self.assertIn("line 1: it is not a decision", told)

    @unittest.skipIf(sys.platform == "win32", "it has no such terminals")
    def test_keys_on_a_terminal(self) -> None:
        """Each answer is kept at once; b goes back, q leaves, and it goes on there."""
        self.write("a.csv", LIST)
        shown = self.typed("d", "b", "s", "q")
        self.assertIn("Question 1 of 2", shown)
        self.assertIn("≠", shown)
        self.assertEqual(self.decided(), ["same"])
        shown = self.typed("d")
        self.assertIn("Question 1 of 1", shown)
        self.assertEqual(self.decided(), ["same", "different"])
        self.assertIn("nothing is left", self.typed())

    @unittest.skipIf(sys.platform == "win32", "it has no such terminals")
    def test_an_answer_is_taken_back(self) -> None:
        """It is out of the file at once; Esc, Ctrl-C and Ctrl-D leave."""
        self.write("a.csv", LIST)
        for leave in ("\x1b", "\x03", "\x04"):
            shown = self.typed("s", "u", leave)
            self.assertIn("u undo", shown)
            self.assertIn("0 decisions kept", shown)
            self.assertNotIn("Traceback", shown)
            self.assertEqual(self.decided(), [])

    def typed(self, *keys: str) -> str:
        """Run review on a terminal, press keys, and return what it showed."""
        return self.on_terminal(
            ("review", "a.csv", *self.OPTIONS), keys, "answers are kept at once"
        )


class SessionTest(unittest.TestCase):
    QUESTIONS = perform(
        DuplicatesTerms(by=("Boat",), decisions="d.jsonl"),
        table("Boat|Berth", "Tern|1", "Tern|2", "Tern|3", "Auk|4", "Auk|5"),
    ).detail

    def session(self, *keys: str) -> tuple[list[str], bool]:
        """Press keys; return the answers that are kept, in order, and if it ended."""
        kept: list[str] = []

        class Kept:
            def keep(self, decisions: list[Decision]) -> None:
                kept.extend(decision.decision for decision in decisions)

            def take_back(self, decisions: list[Decision]) -> None:
                for decision in decisions:
                    kept.remove(decision.decision)

        pressed = iter(keys)
        session = Session(
            Kept(),  # type: ignore[arg-type]
            self.QUESTIONS,
            lambda question, at, count: None,
            lambda: next(pressed),
        )
        session.ask()
        return kept, not session.left

    def test_keys(self) -> None:
        for keys, kept, ended in (
            (("s", "d", "l"), ["same", "different"], True),
            (("u", "s", "u", "d", "q"), ["different"], False),
            (("a", "u", "q"), [], False),
            (("S", "x", "1", "l", "l"), ["same"], True),
            (("a", "d"), ["same", "same", "different"], True),
            (("d", "l", "a"), ["different", "same"], True),
            (("b", "d", "b", "s", "q"), ["different", "same"], False),
            (("\x1b",), [], False),
            (("",), [], False),
        ):
            with self.subTest(keys=keys):
                self.assertEqual(self.session(*keys), (kept, ended))

    def test_values_are_chosen_by_their_numbers(self) -> None:
        listed = table("Boat|Berth", "Tern|1", "Tern|2")
        terms = DuplicatesTerms(by=("Boat",), decisions="d.jsonl", fill=True)
        (question,) = perform(terms, listed).detail.all
        questions = perform(terms, listed).detail
        same = decision_on(questions, question, "same", "")
        files = {"d.jsonl": write_decisions([same])}
        self.QUESTIONS, before = perform(terms, listed, files).detail, self.QUESTIONS
        self.assertEqual(self.session("s", "3", "2"), (["value"], True))
        self.QUESTIONS = before

    def test_a_group_is_shown_side_by_side(self) -> None:
        """With the records of its other questions, and the key that joins all."""
        from rich.console import Console

        sources = SourcePlaces(("l",), (1,))

        def shown(at: int) -> str:
            console = Console(width=120, record=True, file=io.StringIO())
            question = self.QUESTIONS.all[at]
            console.print(question_view(self.QUESTIONS, question, at + 1, 3, sources))
            return console.export_text()

        for words in ("l, row 2", "l, row 3", "l, row 4", "a all 3 of the"):
            self.assertIn(words, shown(0))
        self.assertNotIn("a all", shown(2))


class DocketTest(FolderTest):
    def test_the_entries_of_a_docket_are_reviewed(self) -> None:
        """Decided once, also when a list is renamed and put in another order."""
        self.write("north.csv", "Boat,Berth\nTern,1\nAuk,2\n")
        self.write("south.csv", "Boat,Berth\ntern,7\n")
        self.write("d.toml", DOCKET)
        self.gruff("run", "d.toml")
        self.assertEqual(len(self.records("out.csv")), 3)
        self.gruff("review", "d.toml", "--to", "q.csv")
        self.write("q.csv", self.text("q.csv").replace("1,,", "1,same,", 1))
        self.gruff("review", "d.toml", "--answers", "q.csv")
        self.write("west.csv", "Boat,Berth\nAuk,2\nTern,1\nGull,3\n")
        self.write("d.toml", DOCKET.replace("north", "west"))
        done = self.gruff("run", "d.toml", "--replace")
        self.assertNotIn("wait", done.stdout.decode())
        boats = [record["Boat"] for record in self.records("out.csv")]
        self.assertEqual(boats, ["Auk", "Tern", "Gull"])

    def test_dockets_that_cannot_be_reviewed(self) -> None:
        self.write("north.csv", "Boat,Berth\nTern,1\n")
        self.write("south.csv", "Boat,Berth\ntern,7\n")
        self.write("d.toml", DOCKET.replace('decisions = "decided.jsonl"\n', ""))
        self.assertIn("names a file of decisions", self.problem("review", "d.toml"))
        self.write("d.toml", DOCKET.replace('"decided', '"../decided'))
        self.assertIn("outside the docket's folder", self.problem("review", "d.toml"))


if __name__ == "__main__":
    unittest.main()
