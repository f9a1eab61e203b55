"""What a verb declares of itself: for its command, for dockets, and for their help.

Nothing large is imported here, so that verbs can be listed at once.
"""

from __future__ import annotations

import importlib
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    from gruff_ledger.outcome import Outcome
    from gruff_ledger.terms.declared import Terms


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
        Whether ``--more`` shows its first records beneath the result on a terminal.
    """

    key: str
    description: str
    shown: bool = False


def _nothing_to_say(stated: Mapping[str, Any], field: str) -> str:
    return ""


class Verb(NamedTuple):
    """
    A verb.

    Attributes
    ----------
    name : str
    purpose : str
        One line for the list of commands.
    home : str
        The module or package that declares it, and whose docstring says its rules. It
        has a function ``perform`` and a type ``<Name>Terms``; a package may have them
        in modules ``perform`` and ``terms``, so that it can be listed before anything
        large is loaded.
    place : int
        Where it stands among the verbs of its stage.
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
        Commands that its help shows.
    made_words : callable
        Says how the work made a field, as far as its terms tell; takes the terms as an
        account keeps them, perhaps one of long ago, and the heading of the field.
    page : str
        What shows its results on a screen, as ``module:name``; empty for a table. See
        `gruff_ledger.cli.screen.page.Page`.
    asks : str
        A function ``module:name`` that asks a person at a terminal for what the options
        leave out. It takes the address, the options given, and a function that does
        the work of a verb with such options; and returns the options.
    sums_up : bool
        Whether its result holds figures on records, and not the records. Such a verb
        holds many numbers beside the list while it works.
    """

    name: str
    purpose: str
    home: str
    place: int = 0
    several: bool = False
    further: tuple[Further, ...] = ()
    sums_up: bool = False
    needs_list: bool = True
    beside: tuple[Beside, ...] = ()
    stage: str = "own"
    examples: tuple[str, ...] = ()
    made_words: Callable[[Mapping[str, Any], str], str] = _nothing_to_say
    page: str = ""
    asks: str = ""

    @property
    def writes_itself(self) -> bool:
        """Whether its `to` is a further output, and not its list."""
        return any(each.key == "to" for each in self.further)

    @property
    def rules(self) -> str:
        """What its docstring says beneath the first line."""
        told = importlib.import_module(self.home).__doc__ or ""
        return told.partition("\n\n")[2]

    @property
    def terms(self) -> type[Terms]:
        """The type of its terms."""
        declared: type[Terms] = self._part("terms", f"{self.name.title()}Terms")
        return declared

    @property
    def perform(self) -> Callable[..., Outcome]:
        """The function that does its work: terms, then one table or several."""
        function: Callable[..., Outcome] = self._part("perform", "perform")
        return function

    def _part(self, module: str, name: str) -> Any:
        home = importlib.import_module(self.home)
        if hasattr(home, "__path__"):
            home = importlib.import_module(f"{self.home}.{module}")
        return getattr(home, name)
