"""Who speaks of a term: a command of options, a docket of keys, Python of parameters.

Work knows terms, and no interface. In what it says, names of terms stand in backquotes;
at the edge a speaker puts what a person types for them in their place.
"""

from __future__ import annotations

import keyword
import re

_TERM_NAME = re.compile(r"`([a-z][a-z-]*)`")

# What is only ever said on the command line, whether a command or a docket is run.
_ALWAYS_OPTIONS = {"anywhere", "replace", "set"}

# Parameters of Python that have another name than the option.
_IN_PYTHON = {"set": "answers"}


class Speaker:
    """
    Speaks of terms as options.

    Examples
    --------
    >>> COMMAND.said("Set `name-source`, or leave `by` out.")
    'Set --name-source, or leave --by out.'
    """

    def term(self, key: str) -> str:
        """Name a term as a person writes it."""
        return f"--{key}"

    def place(self, key: str) -> str:
        """Name the place where a term is stated."""
        return self.term(key)

    def said(self, text: str) -> str:
        """Replace the backquoted names of terms by what a person types for them."""
        return _TERM_NAME.sub(lambda match: self.term(match[1]), text)

    def within(self, outer: Speaker) -> Speaker:
        """Return who speaks where this is called by something else."""
        return outer


class _Python(Speaker):
    """
    Speaks of terms as parameters.

    Examples
    --------
    >>> PYTHON.term("in"), PYTHON.term("set")
    ('`in_`', '`answers`')
    """

    def term(self, key: str) -> str:
        name = _IN_PYTHON.get(key, key).replace("-", "_")
        return f"`{name}_`" if keyword.iskeyword(name) else f"`{name}`"


class _Docket(Speaker):
    """
    Speaks of terms as keys of a docket; whoever runs it speaks of all else.

    Examples
    --------
    >>> DOCKET.said("Set `by`, or `replace`.")
    "Set 'by', or --replace."
    """

    def __init__(self, outer: Speaker) -> None:
        self._outer = outer

    def term(self, key: str) -> str:
        return self._outer.term(key) if key in _ALWAYS_OPTIONS else f"'{key}'"

    def place(self, key: str) -> str:
        named = self.term(key)
        return named if key in _ALWAYS_OPTIONS else f"key {named}"

    def within(self, outer: Speaker) -> Speaker:
        return _Docket(outer)


COMMAND = Speaker()
PYTHON = _Python()
DOCKET = _Docket(COMMAND)
