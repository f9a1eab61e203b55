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
    def run_all(self, folder: Path, typed: list[str]) -> None:
        """Run commands one after the other in a folder, as a shell would."""
        self.folder = folder
        for line in typed:
            # A shell finds the files of a pattern; a quoted one is left to the program.
            words = [
                part
                for word in shlex.split(line)[1:]
                for part in (
                    sorted(str(each.relative_to(folder)) for each in folder.glob(word))
                    if "*" in word and f'"{word}"' not in line
                    else [word]
                )
            ]
            with self.subTest(command=line):
                # The docket of the demo has findings of severity stop.
                self.gruff(*words, status=1 if words[0] == "run" else 0)

    def test_the_commands_of_the_readme(self) -> None:
        self.gruff("demo", "harbour", "--quiet")
        typed = commands("README.md", "## Work on lists")
        # What a publisher on the web is needed for is tested elsewhere.
        typed = [
            line for line in typed if "--publish" not in line and ":PORT" not in line
        ]
        self.assertGreater(len(typed), 15)
        self.run_all(self.folder / "harbour", typed)

    def test_the_commands_of_the_guide_to_fields(self) -> None:
        self.gruff("demo", "harbour", "--quiet")
        typed = commands("docs/fields.md", "# Work on fields")
        self.assertGreater(len(typed), 9)
        self.run_all(self.folder / "harbour" / "incoming", typed)

    def test_the_commands_of_the_guides_to_rules_and_duplicates(self) -> None:
        self.gruff("demo", "harbour", "--quiet")
        folder = self.folder / "harbour"
        for name in ("docs/rules.md", "docs/duplicates.md"):
            typed = commands(name, "# ")
            self.assertGreater(len(typed), 4)
            self.run_all(folder, typed)


if __name__ == "__main__":
    unittest.main()
