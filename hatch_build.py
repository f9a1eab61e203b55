"""Compiles the template of the account's page when the package is built.

To read and compile it took a fifth of every small job that keeps a ledger. Without the
compiled one, or with another release of the template engine, the program compiles it
as it runs.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import jinja2
from hatchling.builders.hooks.plugin.interface import BuildHookInterface

_FOLDER = Path("src/gruff_ledger/report")
_MODULE = "compiled_page.py"


class CompiledPage(BuildHookInterface):  # type: ignore[misc,type-arg]
    """Adds the compiled template to the package, beside the template."""

    PLUGIN_NAME = "custom"

    def initialize(self, version_: str, build_data: dict[str, Any]) -> None:
        """Compile the template into a module; see `gruff_ledger.report.page`."""
        folder = Path(self.root) / _FOLDER
        text = (folder / "templates" / "account.html").read_text(encoding="utf-8")
        # As in `gruff_ledger.report.page.environment`.
        environment = jinja2.Environment(
            autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True
        )
        code = environment.compile(text, raw=True, defer_init=True)
        made = Path(self.directory) / _MODULE
        made.parent.mkdir(parents=True, exist_ok=True)
        release = getattr(jinja2, "__version__", "")
        head = '"""Made from account.html by hatch_build.py."""\n\n'
        made.write_text(f'{head}engine = "{release}"\n{code}\n', encoding="utf-8")
        build_data["force_include"][str(made)] = f"gruff_ledger/report/{_MODULE}"
