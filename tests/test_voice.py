"""Tests that the words of the program are plain: phrases that must not come back."""

import ast
import re
import unittest
from collections.abc import Iterator
from pathlib import Path

import gruff_ledger
from gruff_ledger.words import counted, first_few

HOME = Path(gruff_ledger.__file__).parent

NEVER = (
    r"(?<!there )\b(is|are) no (number|date|answer|choice|pattern|type|score|width)\b",
    r"\bstate (its|their|the|a|`)",
    r"\b(is|are|unless) stated\b",
    r"\b(written|parted|headed) otherwise\b",
    r"\bstands? (last|first|where)\b",
    r"\bit is missing\b",
    r"\bIt says:",
    r"\bthere is no choice\b",
    r"\bis of use where\b",
    r"\bmore repeat\b",
    r"\bOf a score\b",
    r"\blay in temporary\b",
    r"\b(has|had|have) not\b(?! (been|ended|changed|gone|come|read|written))",
    r"\bno more\b",
    r"\bhad come\b",
    r"\bbeside them\b",
    r"\bis (not said|said to be done)\b",
    r"\bso great\b",
)


def texts() -> Iterator[tuple[str, int, str]]:
    """Yield the texts in the code that have several words, docstrings left out."""
    for path in sorted(HOME.rglob("*.py")):
        if path.parent.name == "demo":
            continue
        tree = ast.parse(path.read_text("utf-8"))
        parts = {
            id(part)
            for node in ast.walk(tree)
            for part in (
                node.values
                if isinstance(node, ast.JoinedStr)
                else [node.value]
                if isinstance(node, ast.Expr)
                else []
            )
        }
        for node in ast.walk(tree):
            if isinstance(node, ast.JoinedStr):
                said = "".join(
                    str(part.value) if isinstance(part, ast.Constant) else "…"
                    for part in node.values
                )
            elif isinstance(node, ast.Constant) and id(node) not in parts:
                said = node.value if isinstance(node.value, str) else ""
            else:
                continue
            if " " in said:
                yield str(path.relative_to(HOME)), node.lineno, said


class VoiceTest(unittest.TestCase):
    def test_phrases_that_nobody_says_in_an_office(self) -> None:
        found = [
            f"{path}:{line}: {said}"
            for path, line, said in texts()
            for phrase in NEVER
            if re.search(phrase, said)
        ]
        self.assertEqual(found, [])

    def test_help_topics_and_guides(self) -> None:
        topics = list((HOME / "cli" / "help" / "topics").glob("*.md"))
        self.assertTrue(topics)
        for path in topics:
            for phrase in NEVER:
                with self.subTest(topic=path.name, phrase=phrase):
                    self.assertNotRegex(path.read_text("utf-8"), phrase)

    def test_numbers_in_sentences(self) -> None:
        self.assertEqual(counted(1, "cell"), "1 cell")
        self.assertEqual(counted(9999, "cell"), "9999 cells")
        self.assertEqual(counted(10000, "cell"), "10,000 cells")
        self.assertEqual(first_few(["a", "b"], 1, total=20000), "a and 19,999 more")


if __name__ == "__main__":
    unittest.main()
