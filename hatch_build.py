"""Compiles what the program would else compile each time it runs.

That is the template of the account's page, and the grammar of formulas: a fifth of
every small job that keeps a ledger, and 70 ms of every job with a formula. What is
compiled is for one release of the engine; without it, or with another one, the program
compiles its own as it runs.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import jinja2
import lark
from hatchling.builders.hooks.plugin.interface import BuildHookInterface

_PACKAGE = Path("src/gruff_ledger")


class Compiled(BuildHookInterface):  # type: ignore[misc,type-arg]
    """Adds the compiled template and grammar to the package."""

    PLUGIN_NAME = "custom"

    def initialize(self, version_: str, build_data: dict[str, Any]) -> None:
        """Compile both, for the release of the engines that is there."""
        package, made = Path(self.root) / _PACKAGE, Path(self.directory)
        made.mkdir(parents=True, exist_ok=True)
        for module, path in (
            ("report", _compiled_page(package, made)),
            ("formula", _compiled_grammar(package, made)),
        ):
            build_data["force_include"][str(path)] = (
                f"gruff_ledger/{module}/{path.name}"
            )


def _compiled_page(package: Path, folder: Path) -> Path:
    """Compile the template into a module; see `gruff_ledger.report.page`."""
    template = package / "report" / "templates" / "account.html"
    # As in `gruff_ledger.report.page`.
    environment = jinja2.Environment(
        autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True
    )
    text = template.read_text(encoding="utf-8")
    code = environment.compile(text, raw=True, defer_init=True)
    release = getattr(jinja2, "__version__", "")
    head = '"""Made from account.html by hatch_build.py."""\n\n'
    made = folder / "compiled_page.py"
    made.write_text(f'{head}engine = "{release}"\n{code}\n', encoding="utf-8")
    return made


def _compiled_grammar(package: Path, folder: Path) -> Path:
    """Make the tables of the parser; see `gruff_ledger.formula.parse`."""
    grammar = (package / "formula" / "formula.lark").read_text(encoding="utf-8")
    parser = lark.Lark(
        grammar, parser="lalr", lexer="contextual", propagate_positions=True
    )
    made = folder / f"formula-{lark.__version__}.tables"
    with made.open("wb") as stream:
        parser.save(stream)
    return made
