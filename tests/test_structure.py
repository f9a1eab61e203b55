"""Tests of the house plan: which way imports point, and what the core must not know."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

import gruff_ledger

PACKAGE = Path(gruff_ledger.__file__).parent

# The rooms, each with the levels in which its parts stand, from the ground up. A part
# may import from those of lower levels, and from nothing beside it. Parts of the other
# rooms may import from each other, but not in circles.
LEVELS = {
    "": """
        late_patterns
        credentials shell words
        speakers
        problems
        columns demo system
        storage table
        outcome
        cells
        field_names likeness
        written
        account terms
        formula lists
        rules
        work
        report
        job
        docket
        cli script_calls
        script
    """,
    "account": """
        balance control folded_groups
        ledger trail
        files words
        remarks
    """,
    "cells": """
        error_texts groups nested text_bytes
        blank
        keys
        text
        numbers
        dates
        formula_like match order
        kinds totals_rows
    """,
    "cli": """
        completion advice
        help
        options
        screen
        commands
        main
        start
    """,
    "job": """
        job value_types
        expand part since
        write
        books
        engine
        review
    """,
    "docket": """
        again sections toml_lines
        text
        answers outs
        load watch
        enter schema
    """,
    "lists": """
        address early_hashing known_formats memory_terms quote_watch typed_cells
        reading reading_terms
        file_patterns hashing joined_rows output
        source
        bounds formats packing web
        delimited markup outputs parquet search
        database json outline workbook
        laid_out
    """,
    "work": """
        map_list new_fields orders rule_terms verb
        keys registry
        review
        look
        clean
        check
        together
    """,
}

# Rooms of verbs: each verb is a part, and knows no other.
WINGS = ("work.look", "work.clean", "work.check", "work.together")

_MOST_MODULES = 20
_MOST_LINES = 500


def parts_of(path: Path) -> tuple[str, ...]:
    """Return where a module stands, such as ``cells, keys, pairs``."""
    parts = path.relative_to(PACKAGE).with_suffix("").parts
    return parts[:-1] if parts[-1] == "__init__" else parts


# What is made when the package is built is nobody's to read.
_MADE = ("report", "compiled_page")

MODULES = {
    parts: path
    for path in PACKAGE.rglob("*.py")
    if (parts := parts_of(path)) not in ((), _MADE)
} | {(): PACKAGE / "__init__.py"}


def imported(path: Path) -> set[tuple[str, ...]]:
    """Return the modules of our package that a module imports, anywhere in it."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            names = [f"{node.module}.{alias.name}" for alias in node.names]
        elif isinstance(node, ast.Import):
            names = [alias.name for alias in node.names]
        else:
            continue
        for name in names:
            package, *parts = name.split(".")
            if package == PACKAGE.name:
                # The last part may be a name in a module.
                while tuple(parts) not in MODULES:
                    parts.pop()
                found.add(tuple(parts))
    return found


IMPORTED = {
    parts: imported(path) - {parts, ()}
    for parts, path in MODULES.items()
    if parts not in ((), ("__main__",))
}


def imports_within(room: tuple[str, ...]) -> set[tuple[str, str, str, str]]:
    """Return which parts of a room import from which, with the modules that do."""
    depth = len(room)
    return {
        (one[depth], other[depth], ".".join(one), ".".join(other))
        for one, others in IMPORTED.items()
        for other in others
        if one[:depth] == room == other[:depth]
        and min(len(one), len(other)) > depth
        and one[depth] != other[depth]
    }


class ImportsTest(unittest.TestCase):
    def test_every_part_has_its_level(self) -> None:
        """A module that nobody gave a place is in the wrong room."""
        for name, levels in LEVELS.items():
            room = tuple(name.split(".")) if name else ()
            there = {
                parts[len(room)]
                for parts in MODULES
                if parts[: len(room)] == room and len(parts) > len(room)
            }
            with self.subTest(room=name):
                self.assertEqual(there - {"__main__"}, set(levels.split()))

    def test_point_one_way(self) -> None:
        """From the top of each room to its ground, never back and never across."""
        for name, levels in LEVELS.items():
            rank = {
                part: number
                for number, level in enumerate(levels.strip().splitlines())
                for part in level.split()
            }
            room = tuple(name.split(".")) if name else ()
            for part, other, module, used in imports_within(room):
                with self.subTest(module=module, imports=used):
                    self.assertLess(rank[other], rank[part])

    def test_verbs_do_not_know_each_other(self) -> None:
        for wing in WINGS:
            for _, _, module, used in imports_within(tuple(wing.split("."))):
                with self.subTest(module=module, imports=used):
                    self.assertNotIn("import", f"{module} imports {used}")

    def test_go_in_no_circle(self) -> None:
        """From no module does a way lead back to it."""
        done: set[tuple[str, ...]] = set()

        def walk(module: tuple[str, ...], way: tuple[tuple[str, ...], ...]) -> None:
            self.assertNotIn(module, way)
            if module not in done:
                for other in IMPORTED[module]:
                    walk(other, (*way, module))
                done.add(module)

        for module in IMPORTED:
            walk(module, ())

    def test_core_does_not_load_the_screen(self) -> None:
        """Importing all of the core leaves Click and rich out."""
        modules = [
            ".".join((PACKAGE.name, *parts))
            for parts in IMPORTED
            if parts[0] not in ("cli", "demo")
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


def _lines_of_code(
    node: ast.FunctionDef | ast.AsyncFunctionDef, lines: list[str]
) -> int:
    """Return how many lines of a function's body are code, its docstring left out."""
    first = node.body[0]
    start = first.lineno
    if ast.get_docstring(node) is not None:
        start = (first.end_lineno or start) + 1
    body = [line.strip() for line in lines[start - 1 : node.end_lineno]]
    return sum(bool(line) and not line.startswith("#") for line in body)


class SizesTest(unittest.TestCase):
    def test_no_room_is_crowded(self) -> None:
        for folder in {path.parent for path in MODULES.values()}:
            with self.subTest(folder=str(folder)):
                modules = [*folder.glob("*.py")]
                self.assertLessEqual(len(modules), _MOST_MODULES)

    def test_no_module_is_long(self) -> None:
        """Past so many lines a second idea lives in it."""
        for path in MODULES.values():
            with self.subTest(module=str(path)):
                lines = path.read_text(encoding="utf-8").count("\n")
                self.assertLessEqual(lines, _MOST_LINES)

    def test_functions_are_short(self) -> None:
        """Half have up to 8 lines of code, nine in ten up to 26; one in 100 over 50."""
        lengths = sorted(
            _lines_of_code(node, path.read_text(encoding="utf-8").splitlines())
            for path in MODULES.values()
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        )
        self.assertLessEqual(lengths[len(lengths) // 2], 8)
        self.assertLessEqual(lengths[len(lengths) * 9 // 10], 26)
        self.assertLessEqual(sum(each > 50 for each in lengths), len(lengths) // 100)


class StartTest(unittest.TestCase):
    def test_no_pattern_is_compiled_before_it_is_used(self) -> None:
        """All of them took longer than a small job; `late_pattern` makes them."""
        for name, path in MODULES.items():
            tree = ast.parse(path.read_text(encoding="utf-8"))
            at_once = [
                call
                for node in tree.body
                if isinstance(node, ast.Assign | ast.AnnAssign)
                for call in ast.walk(node)
                if isinstance(call, ast.Call) and ast.unparse(call.func) == "re.compile"
            ]
            with self.subTest(module=name):
                self.assertEqual([ast.unparse(call) for call in at_once], [])


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
