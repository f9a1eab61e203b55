"""The verbs by name, in the order clerks work.

A verb is a module in this package. Those that come with the program are declared here,
so that their list can be shown without importing any of them; a module that is put
beside them declares itself, by ``VERB = Verb(...)``, and needs no line here. Modules
are imported when a verb is used.
"""

from __future__ import annotations

import functools
import importlib
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from types import ModuleType
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from gruff_ledger.outcome import Outcome
    from gruff_ledger.terms import Terms


class Further(NamedTuple):
    """
    An output of a verb beside its list, such as a chart.

    Attributes
    ----------
    key : str
        As a docket and a command write it.
    description : str
    writer : str
        A function ``module:name`` that takes `Outcome.detail`, a binary file, the
        ending of the path, and what the account knows of each source by its name.
    endings : tuple of str
        Those that the path may have.
    """

    key: str
    description: str
    writer: str
    endings: tuple[str, ...]

    @property
    def write(self) -> Callable[..., None]:
        """The function that writes it."""
        module, _, name = self.writer.partition(":")
        function: Callable[..., None] = getattr(importlib.import_module(module), name)
        return function


class Beside(NamedTuple):
    """
    A list that a verb makes beside its result, such as keys that matched nothing.

    A command writes it to the path of an option; a docket calls it by the name of the
    entry's result and its key, as in ``rates.unmatched``.

    Attributes
    ----------
    key : str
    description : str
    shown : bool
        Whether its first records are shown beneath the result on a terminal.
    """

    key: str
    description: str
    shown: bool = False


class Verb(NamedTuple):
    """
    A verb.

    Attributes
    ----------
    name : str
        Also that of its module, which holds ``perform`` and a type ``<Name>Terms``.
    purpose : str
        One line for the list of commands.
    several : bool
        Whether it takes several lists rather than one.
    further : tuple of Further
        What it can write beside its list.
    needs_list : bool
        Whether there must be a list to work on.
    beside : tuple of Beside
        The lists it makes beside its result.
    stage : str
        The part of the work it belongs to; one of `STAGES`.
    examples : tuple of str
        Commands that its help shows; those of the verbs that come with the program
        stand in ``cli/examples.toml``.
    sums_up : bool
        Whether its result holds figures on records, and not the records. Such a verb
        holds many numbers beside the list while it works.
    """

    name: str
    purpose: str
    several: bool = False
    further: tuple[Further, ...] = ()
    sums_up: bool = False
    needs_list: bool = True
    beside: tuple[Beside, ...] = ()
    stage: str = "own"
    examples: tuple[str, ...] = ()

    @property
    def writes_itself(self) -> bool:
        """Whether its `to` is a further output, and not its list."""
        return any(each.key == "to" for each in self.further)

    @property
    def terms(self) -> type[Terms]:
        """The type of its terms."""
        declared: type[Terms] = getattr(self._module(), f"{self.name.title()}Terms")
        return declared

    @property
    def perform(self) -> Callable[..., Outcome]:
        """The function that does its work: terms, then one table or several."""
        function: Callable[..., Outcome] = self._module().perform
        return function

    def _module(self) -> ModuleType:
        return importlib.import_module(f"gruff_ledger.work.{self.name}")


# The parts of the work, in its order, and what they are called.
STAGES = {
    "look": "Look at lists",
    "clean": "Clean them",
    "check": "Check them",
    "together": "Put them together, and add them up",
    "own": "Verbs of your own",
}

_WITH_THE_PROGRAM = {
    verb.name: verb
    for verb in (
        Verb(
            "survey",
            "Take a first look: what is in the lists, field by field.",
            stage="look",
            several=True,
            sums_up=True,
            further=(
                Further(
                    "chart",
                    "Draw filled, repeated and blank cells of each field, to a .png or "
                    ".svg file.",
                    "gruff_ledger.report.charts:write_survey_chart",
                    (".png", ".svg"),
                ),
                Further(
                    "draft-rules",
                    "Write a first set of rules for the fields, to a .json file in the "
                    "W3C's metadata format for tabular data.",
                    "gruff_ledger.report.rules:write_draft_rules",
                    (".json",),
                ),
            ),
        ),
        Verb(
            "count",
            "Count how often each value occurs.",
            stage="look",
            several=True,
            sums_up=True,
        ),
        Verb(
            "scrub",
            "Put cells in order: spaces, case, numbers, dates, blanks.",
            stage="clean",
        ),
        Verb(
            "split",
            "Split a field into several, or into one record a part.",
            stage="clean",
        ),
        Verb(
            "join",
            "Join several fields into one.",
            stage="clean",
        ),
        Verb(
            "fields",
            "Keep, drop, order and rename fields.",
            stage="clean",
        ),
        Verb(
            "compute",
            "Compute new fields from formulas.",
            stage="clean",
        ),
        Verb(
            "pick",
            "Pick the records that meet a condition, or the first few.",
            stage="clean",
        ),
        Verb(
            "sort",
            "Put records in order.",
            stage="clean",
        ),
        Verb(
            "flag",
            "Check cells against rules and list what is wrong.",
            stage="check",
            further=(
                Further(
                    "write-rules",
                    "Write the rules to a .json file, as the W3C's metadata for "
                    "tabular data.",
                    "gruff_ledger.rules.w3c_writing:write_rules",
                    (".json",),
                ),
            ),
        ),
        Verb(
            "form",
            "Make an empty workbook from rules, for the people who send lists.",
            stage="check",
            further=(
                Further(
                    "to",
                    "Write the workbook here (.xlsx).",
                    "gruff_ledger.report.form_writing:write_form",
                    (".xlsx",),
                ),
            ),
            needs_list=False,
        ),
        Verb(
            "duplicates",
            "Find records that repeat another; keep one of each.",
            stage="check",
        ),
        Verb(
            "merge",
            "Put lists together: end to end by heading, or one record a key.",
            stage="together",
            several=True,
            beside=(
                Beside("new", "By key, write the records new to the first list here."),
                Beside("changed", "By key, write the records that changed here."),
                Beside("untouched", "By key, write the records that did not here."),
                Beside(
                    "missing",
                    "By key, write the records here that only the first list has.",
                ),
            ),
        ),
        Verb(
            "lookup",
            "Fill in fields from a reference list, by key or in bands.",
            stage="together",
            beside=(
                Beside(
                    "unmatched",
                    "Write the keys that matched nothing here, with how often each "
                    "occurs and the nearest that is known.",
                    shown=True,
                ),
                Beside("unused", "Write the reference records that none matched here."),
            ),
        ),
        Verb(
            "card",
            "Show one record by its key, down or across.",
            stage="together",
            sums_up=True,
        ),
        Verb(
            "rollup",
            "Add grids and long lists up into one table, label by label.",
            stage="together",
            several=True,
            sums_up=True,
            further=(
                Further(
                    "chart",
                    "Draw the trend or the comparison, to a .png or .svg file.",
                    "gruff_ledger.report.rollup_chart:write_rollup_chart",
                    (".png", ".svg"),
                ),
            ),
        ),
        Verb(
            "compare",
            "Compare two lists: what only one has, and what changed.",
            stage="together",
            several=True,
            sums_up=True,
            beside=(
                Beside("only-first", "Write the records only in the first list here."),
                Beside(
                    "only-second", "Write the records only in the second list here."
                ),
                Beside(
                    "changed",
                    "Write each cell that changed here, as it was and as it is now.",
                ),
            ),
        ),
    )
}

_DECLARATION = "\nVERB = Verb("


def _declared_beside() -> Iterator[Verb]:
    """Yield the verbs of modules that declare themselves, in order of their names."""
    for path in sorted(Path(__file__).parent.glob("*.py")):
        if path.stem in _WITH_THE_PROGRAM or path == Path(__file__):
            continue
        if _DECLARATION in path.read_text(encoding="utf-8"):
            module = importlib.import_module(f"gruff_ledger.work.{path.stem}")
            yield module.VERB


class _Verbs(Mapping[str, Verb]):
    """All verbs; modules are looked through for others than those with the program."""

    @functools.cached_property
    def _all(self) -> dict[str, Verb]:
        own = {verb.name: verb for verb in _declared_beside()}
        return _WITH_THE_PROGRAM | own

    def __getitem__(self, name: str) -> Verb:
        known = _WITH_THE_PROGRAM.get(name)
        return known if known is not None else self._all[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._all)

    def __len__(self) -> int:
        return len(self._all)


VERBS: Mapping[str, Verb] = _Verbs()
