"""Tests of the README and the guides: their commands run as they are typed."""

import shlex
import unittest
from pathlib import Path

from tests.support import FolderTest

HOUSE = Path(__file__).parents[2]


def commands(name: str, heading: str) -> list[str]:
    """Return the commands that a page shows below a heading, without their remarks."""
    text = (HOUSE / name).read_text(encoding="utf-8")
    below = text[text.index(heading) :]
    lines = (line for line in below.splitlines() if line.startswith("    gruff "))
    return [line.split("   #")[0].strip() for line in lines]


class TypedTest(FolderTest):
    def test_the_commands_of_the_readme(self) -> None:
        self.make_demo()
        typed = commands("README.md", "## Work on lists")
        # What a publisher on the web is needed for is tested elsewhere.
        typed = [
            line for line in typed if "--publish" not in line and ":PORT" not in line
        ]
        self.assertGreater(len(typed), 15)
        self.type_all(self.folder / "harbour", typed)

    def test_the_commands_of_the_guide_to_fields(self) -> None:
        self.make_demo()
        typed = commands("docs/fields.md", "# Work on fields")
        self.assertGreater(len(typed), 9)
        self.type_all(self.folder / "harbour" / "incoming", typed)

    def test_the_commands_of_the_guide_to_values(self) -> None:
        self.make_demo()
        typed = commands("docs/values.md", "# Values")
        self.assertGreater(len(typed), 6)
        self.type_all(self.folder / "harbour" / "incoming", typed)

    def test_the_commands_of_the_guides_to_rules_and_duplicates(self) -> None:
        self.make_demo()
        folder = self.folder / "harbour"
        for name in ("docs/rules.md", "docs/duplicates.md"):
            typed = commands(name, "# ")
            self.assertGreater(len(typed), 4)
            self.type_all(folder, typed)

    def test_the_commands_of_the_first_hour(self) -> None:
        typed = commands("docs/first-hour.md", "# ")
        self.assertGreater(len(typed), 14)
        self.assertEqual(typed[0], "gruff demo")
        folder = self.folder / "gruff-demo"
        self.type_all(self.folder, typed[:1])
        self.type_all(folder, typed[1:])

    def test_the_commands_of_the_guides_to_the_ledger_and_to_large_lists(self) -> None:
        self.make_demo()
        folder = self.folder / "harbour"
        for name in ("docs/ledger.md", "docs/large.md"):
            typed = commands(name, "# ")
            self.assertGreater(len(typed), 1)
            self.type_all(folder, typed)

    def test_the_commands_of_the_guide_to_putting_lists_together(self) -> None:
        self.make_demo()
        typed = commands("docs/together.md", "# ")
        self.assertGreater(len(typed), 12)
        self.type_all(self.folder / "harbour", typed)


class WorkedExampleTest(FolderTest):
    def test_each_policy_of_lookup_gives_what_the_guide_works_out(self) -> None:
        text = (HOUSE / "docs/together.md").read_text(encoding="utf-8")
        part = text[text.index("### When several match") : text.index("## Card")]
        blocks = [
            "".join(line.strip() + "\n" for line in block.splitlines() if line.strip())
            for block in part.split("\n\n")
            if block.startswith("    ")
        ]
        self.write("boats.csv", blocks[0])
        self.write("tariff.csv", blocks[1])
        rows = [
            [cell.strip() for cell in line.strip("|").split("|")]
            for line in part.splitlines()
            if line.startswith("| ") and "`" in line
        ]
        self.assertEqual(len(rows), 8)
        for place, (options, *expected) in enumerate(rows):
            typed = options.strip("(`)").removeprefix("none: `").rstrip("`)")
            words = shlex.split(typed)
            # A name or an order with a space in it would stand in quotes.
            ledger = f"ledger {place}"
            done = self.gruff(
                *("lookup", "boats.csv", "--in", "tariff.csv", "--key", "Class=Code"),
                *("--take", "Rate", *words, "--ledger", ledger),
            )
            found: dict[str, list[str]] = {}
            for line in done.stdout.decode().splitlines()[1:]:
                boat, *_, rate = line.split(",")
                found.setdefault(boat, []).append(rate)
            findings = self.text(f"{ledger}/findings.csv").count("\n") - 1
            told = [", ".join(found[boat]) for boat in ("Amber", "Bold", "Calm")]
            if place == 0:
                self.assertEqual(told, [""] * 3)
                self.assertEqual(findings, 3)
                self.assertEqual(set(expected), {"nothing, a finding"})
            else:
                self.assertEqual(told, expected, options)


if __name__ == "__main__":
    unittest.main()
