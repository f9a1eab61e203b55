"""Compiles the template of the account's page when the package is built.

The program would else compile it each time it runs, a fifth of every small job that
keeps a ledger. What is compiled is for one release of the engine; without it, or with
another one, the program compiles its own as it runs.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import jinja2
from hatchling.builders.hooks.plugin.interface import BuildHookInterface

_PACKAGE = Path("src/gruff_ledger")


class Compiled(BuildHookInterface):  # type: ignore[misc,type-arg]
    """Adds the compiled template to the package."""

    PLUGIN_NAME = "custom"

    def initialize(self, version_: str, build_data: dict[str, Any]) -> None:
        """Compile it, for the release of the engine that is there."""
        package, made = Path(self.root) / _PACKAGE, Path(self.directory)
        made.mkdir(parents=True, exist_ok=True)
        path = _compiled_page(package, made)
        build_data["force_include"][str(path)] = f"gruff_ledger/report/{path.name}"


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
