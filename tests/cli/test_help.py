"""Tests of the help: in working order, with examples that run; topics; manual page."""

import re
import shutil
import subprocess
import unittest

from gruff_ledger.cli.help.examples import WHERE, examples
from gruff_ledger.cli.help.topics import TOPICS, topic_text
from gruff_ledger.work.registry import STAGES, VERBS
from tests.support import FolderTest

# They go on until they are interrupted.
_ENDLESS = ("gruff watch", "gruff demo --publish")


class HelpTest(FolderTest):
    def said(self, *arguments: str) -> str:
        """Return what a command says on standard output."""
        return self.gruff(*arguments).stdout.decode("utf-8")

    def test_commands_are_listed_in_working_order(self) -> None:
        told = self.said("--help")
        titles = [title for title in STAGES.values() if f"\n{title}:" in told]
        self.assertEqual(titles, [t for key, t in STAGES.items() if key != "own"])
        places = [told.index(f"\n  {name} ") for name in VERBS]
        self.assertEqual(places, sorted(places))
        for name in ("review", "run", "watch", "trace", "demo", "help", "completion"):
            self.assertIn(f"\n  {name} ", told)

    def test_every_verb_tells_its_purpose_and_two_examples(self) -> None:
        for name, verb in VERBS.items():
            with self.subTest(name):
                told = self.said(name, "--help")
                self.assertIn(verb.purpose, " ".join(told.split()))
                shown = told[told.index(WHERE) :].split("\n\n")[0].splitlines()[1:]
                self.assertEqual([line.strip() for line in shown], [*verb.examples])
                self.assertEqual(len(shown), 2)
                for title in ("What to do:", "Where things go:"):
                    self.assertIn(f"\n{title}", told)

    def test_every_other_command_has_two_examples_too(self) -> None:
        named = set(examples())
        told = self.said("--help")
        self.assertEqual({name for name in named if f"\n  {name} " in told}, named)
        for name in named:
            with self.subTest(name):
                self.assertEqual(len(examples()[name]), 2)
                self.assertIn(examples()[name][1], self.said(name, "--help"))

    def test_help_of_a_topic_and_of_a_command(self) -> None:
        for topic in TOPICS:
            self.assertEqual(self.said("help", topic), topic_text(topic))
            self.assertIn(f"\n  {topic} ", self.said("help"))
            wide = [line for line in topic_text(topic).splitlines() if len(line) > 88]
            self.assertEqual([line for line in wide if "gruff " not in line], [])
        self.assertIn("gruff sort incoming/payments.csv", self.said("help", "sort"))

    def test_any_word_is_found(self) -> None:
        """In topics, commands and options, and by what it is called elsewhere."""
        for word, lines in (
            ("formula", ("gruff help formulas", "gruff compute --formula")),
            ("currency", ("gruff help values", "gruff scrub --currency-to")),
            ("dedupe", ("gruff duplicates LIST",)),
            ("tab", ("gruff help addresses",)),
            ("encoding", ("gruff VERB --encoding",)),
            ("repeat", ("gruff duplicates --help",)),
        ):
            with self.subTest(word):
                told = self.said("help", word)
                for line in lines:
                    self.assertIn(line, told)
        self.assertIn("speaks of 'xyzzy'", self.problem("help", "xyzzy"))

    def test_help_of_a_verb_fits_a_page(self) -> None:
        """And all of it is a step away, with every option."""
        for name in VERBS:
            with self.subTest(name):
                told = self.said(name, "--help")
                self.assertLessEqual(len(told.splitlines()), 66)
                self.assertIn(f"gruff {name} --help-all", " ".join(told.split()))
                whole = self.said(name, "--help-all")
                self.assertIn("--encoding", whole)
                self.assertNotIn("--encoding", told)

    def test_the_manual_page_has_every_command_and_is_well_formed(self) -> None:
        page = self.said("help", "--man")
        self.assertTrue(page.startswith(".TH GRUFF 1"))
        self.assertTrue(page.isascii())
        for name in (*VERBS, "run", "trace"):
            self.assertIn(f'.SS "gruff {name}"', page)
        self.assertIn(r"\-\-since\-last", page)
        self.assertIn("MATCH LEVELS", page)
        groff = shutil.which("groff")
        if groff is None:
            self.skipTest("groff, which checks manual pages, is not installed")
        done = subprocess.run(
            [groff, "-man", "-Tutf8", "-ww"],
            input=page.encode(),
            capture_output=True,
            check=True,
        )
        self.assertEqual(done.stderr, b"")
        plain = re.sub(r"\x1b[^m]*m|.\x08", "", done.stdout.decode())
        self.assertTrue("--since-last" in plain)
        # What all verbs share is told once.
        self.assertEqual(plain.count("--no-findings"), 1)


class ExamplesTest(FolderTest):
    def test_examples_in_the_help_run(self) -> None:
        self.gruff("demo", "harbour", "--quiet")
        typed = [
            line
            for name in (*VERBS, *examples())
            for line in (VERBS[name].examples if name in VERBS else examples()[name])
            if not line.startswith(_ENDLESS)
        ]
        self.type_all(self.folder / "harbour", typed)

    def test_examples_in_topics_run(self) -> None:
        self.gruff("demo", "harbour", "--quiet")
        typed = [
            line.strip()
            for topic in TOPICS
            for line in topic_text(topic).splitlines()
            if line.startswith("    gruff ")
        ]
        self.assertGreater(len(typed), 18)
        self.type_all(self.folder / "harbour", typed)


if __name__ == "__main__":
    unittest.main()
