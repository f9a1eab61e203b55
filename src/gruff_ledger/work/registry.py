"""The verbs by name, in the order clerks work.

A new verb is a module in this package and one line here. Modules are imported when a
verb is used, so that the list of verbs can be shown without any of them.
"""

from __future__ import annotations

import importlib
from collections.abc import Callable
from types import ModuleType
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from gruff_ledger.outcome import Outcome
    from gruff_ledger.terms import Terms


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
    """

    name: str
    purpose: str
    several: bool = False

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


VERBS = {
    verb.name: verb
    for verb in (
        Verb("flag", "Check cells against rules and list what is wrong."),
        Verb("duplicates", "Find records that repeat another; keep one of each."),
        Verb("merge", "Put lists end to end, matched by heading.", several=True),
    )
}
