"""Tests of the house plan: which way imports point, and what the core must not know."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

import gruff_ledger

PACKAGE = Path(gruff_ledger.__file__).parent

# A module may import from its own part and from parts of a lower rank.
RANKS = {
    "credentials": 0,
    "words": 0,
    "problems": 1,
    "shell": 0,
    "interrupts": 0,
    "table": 2,
    "locking": 2,
    "memory": 2,
    "runs": 3,
    "scratch_folders": 3,
    "scratch": 4,
    "outcome": 4,
    "cells": 5,
    "naming": 6,
    "terms": 7,
    "formula": 8,
    "rules": 9,
    "likeness": 9,
    "lists": 10,
    "account": 10,
    "work": 10,
    "demo": 10,
    "report": 11,
    "docket": 12,
    "cli": 13,
    "script": 13,
}


def imported(path: Path) -> set[str]:
    """Return the parts of our package that a module imports, anywhere in it."""
    parts = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            names = [node.module]
        elif isinstance(node, ast.Import):
            names = [alias.name for alias in node.names]
        else:
            continue
        for name in names:
            first, _, rest = name.partition(".")
            if first == "gruff_ledger" and rest:
                parts.add(rest.split(".")[0])
    return parts


class ImportsTest(unittest.TestCase):
    def test_point_one_way(self) -> None:
        """From cli down to problems, never back and never across."""
        for path in PACKAGE.rglob("*.py"):
            part = path.relative_to(PACKAGE).parts[0].removesuffix(".py")
            if part in ("__init__", "__main__"):
                continue
            for other in imported(path) - {part}:
                with self.subTest(module=str(path.relative_to(PACKAGE)), other=other):
                    self.assertLess(RANKS[other], RANKS[part])

    def test_core_does_not_load_the_screen(self) -> None:
        """Importing all of the core leaves Click and rich out."""
        core = [name for name in RANKS if name not in ("cli", "demo")]
        modules = [
            ".".join(path.relative_to(PACKAGE.parent).with_suffix("").parts)
            for path in PACKAGE.rglob("*.py")
            if path.relative_to(PACKAGE).parts[0].removesuffix(".py") in core
        ]
        code = (
            f"import sys; [__import__(name) for name in {modules!r}]; "
            "print([name for name in ('click', 'rich') if name in sys.modules])"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout.strip(), "[]")

    def test_version_needs_no_heavy_module(self) -> None:
        """`gruff --version` and `gruff --help` start at once."""
        code = (
            "import sys, gruff_ledger.cli.main; "
            "print([n for n in ('numpy', 'pyarrow', 'msgspec', 'rich') "
            "if n in sys.modules])"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout.strip(), "[]")


class DocstringExamplesTest(unittest.TestCase):
    def test_examples_in_docstrings_run(self) -> None:
        """Every module's examples give what they show."""
        import doctest
        import importlib

        for path in PACKAGE.rglob("*.py"):
            name = ".".join(path.relative_to(PACKAGE.parent).with_suffix("").parts)
            if name.endswith("__main__"):
                continue
            with self.subTest(module=name):
                module = importlib.import_module(name)
                self.assertEqual(doctest.testmod(module).failed, 0)
