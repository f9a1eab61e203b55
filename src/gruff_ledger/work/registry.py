"""The verbs by name, in the order clerks work.

A verb is a module or a package that declares itself, by ``VERB = Verb(...)``. Those
that come with the program stand in a wing of this room, one for each stage of the work;
other packages name theirs as entry points of the group `ENTRY_POINTS`. A verb is
imported when it is used, or when all are listed.
"""

from __future__ import annotations

import contextlib
import functools
import importlib
import pkgutil
from collections.abc import Iterator, Mapping
from typing import Any

from gruff_ledger.problems import Problem
from gruff_ledger.work.verb import Verb

# Under which packages name the modules of their verbs.
ENTRY_POINTS = "gruff_ledger.verbs"

# The stage of verbs that other packages bring.
OWN_STAGE = "own"

# The parts of the work, in its order, and what they are called.
STAGES = {
    "look": "Look at lists",
    "clean": "Clean them",
    "check": "Check them",
    "together": "Put them together, and add them up",
    OWN_STAGE: "Verbs of your own",
}


class _Verbs(Mapping[str, Verb]):
    """All verbs, each imported when it is asked for."""

    @functools.cached_property
    def _homes(self) -> dict[str, str]:
        """Where each verb that comes with the program is declared."""
        homes = {}
        for stage in STAGES:
            if stage == OWN_STAGE:
                continue
            wing = importlib.import_module(f"gruff_ledger.work.{stage}")
            for module in pkgutil.iter_modules(wing.__path__):
                homes[module.name] = f"{wing.__name__}.{module.name}"
        return homes

    @functools.cached_property
    def _others(self) -> dict[str, str]:
        """Modules of other packages by verb; none takes the name of a shipped one."""
        from importlib.metadata import entry_points

        found = {each.name: each.module for each in entry_points(group=ENTRY_POINTS)}
        return {name: found[name] for name in sorted(found) if name not in self._homes}

    @functools.cached_property
    def _all(self) -> dict[str, Verb]:
        stages = list(STAGES)
        own = [self[name] for name in self._homes]
        own.sort(key=lambda verb: (stages.index(verb.stage), verb.place))
        verbs = {verb.name: verb for verb in own}
        for name, module in self._others.items():
            # One that cannot be loaded is said when it is used; it hides no other.
            with contextlib.suppress(Problem):
                verbs[name] = _brought(name, module)
        return verbs

    def __getitem__(self, name: str) -> Verb:
        if name in self._homes:
            declared: Verb = importlib.import_module(self._homes[name]).VERB
            return declared
        return _brought(name, self._others[name])

    def __contains__(self, name: object) -> bool:
        return name in self._homes or name in self._others

    def __iter__(self) -> Iterator[str]:
        return iter(self._all)

    def __len__(self) -> int:
        return len(self._all)


def _brought(name: str, module: str) -> Verb:
    """
    Return the verb that another package brings.

    Raises
    ------
    Problem
        If it cannot be loaded.
    """
    try:
        verb = importlib.import_module(module).VERB
    except Exception as error:  # Whatever a package of somebody else can lead to.
        raise Problem(
            f"the verb '{name}' of another package cannot be loaded "
            f"({type(error).__name__}: {error}).",
            "Repair that package, or uninstall it.",
            file=module,
        ) from error
    if not isinstance(verb, Verb) or verb.name != name:
        raise Problem(
            f"it declares no verb '{name}'.",
            "Give VERB there the name that the entry point has.",
            file=module,
        )
    return verb


VERBS: Mapping[str, Verb] = _Verbs()


def made_words(name: str, stated: Mapping[str, Any], field: str) -> str:
    """Say how a verb made a field, as its terms in an account tell; else nothing."""
    return VERBS[name].made_words(stated, field) if name in VERBS else ""
