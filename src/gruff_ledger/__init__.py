"""Gruff Ledger: clean record lists and put them together, every record accounted for.

For scripts: `read`, `do`, `write`, `make_list`, `run` and `Run`, which keeps a ledger;
what a person can put right is a `Problem`. See `gruff_ledger.script`.

Nothing is imported here before it is asked for: ``gruff --version`` must start at once.
"""

from __future__ import annotations

# As type checkers know it: `typing` itself need not be loaded for a program to start.
TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from gruff_ledger.outcome import Outcome
    from gruff_ledger.problems import Problem
    from gruff_ledger.script import Run, do, make_list, read, run, write
    from gruff_ledger.table import Table

__version__ = "0.1.0"

__all__ = (
    "Outcome",
    "Problem",
    "Run",
    "Table",
    "__version__",
    "do",
    "make_list",
    "read",
    "run",
    "write",
)

_ELSEWHERE = {"Outcome": "outcome", "Problem": "problems", "Table": "table"}


def __getattr__(name: str) -> Any:
    if name not in __all__:
        raise AttributeError(f"module '{__name__}' has no attribute '{name}'")
    import importlib

    module = importlib.import_module(f"{__name__}.{_ELSEWHERE.get(name, 'script')}")
    return getattr(module, name)


def __dir__() -> list[str]:
    return sorted(__all__)
