"""Who speaks of a term: a command of options, a docket of keys, Python of parameters.

Work knows terms, and no interface. In what it says, names of terms stand in backquotes;
at the edge a speaker puts what a person types for them in their place. A name can have
a value behind it, which is then typed too: `which only` is ``--which only`` on the
command line, ``which = "only"`` in a docket.
"""

from __future__ import annotations

import keyword

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.shell import quoted

_TERM = late_pattern(r"`([a-z][a-z-]*)(?: ([^`]+))?`")

# What is a table in dockets and in Python is only typed out for a command.
_TABLES = {"aliases"}

# What is given of a term that is set, and takes no value.
SET = "true"

# What is only ever said on the command line, whether a command or a docket is run.
_ALWAYS_OPTIONS = {"anywhere", "replace", "set"}

# Parameters of Python that have another name than the option.
_IN_PYTHON = {"set": "answers"}


def terms_given(text: str) -> list[tuple[str, str]]:
    """
    Return the terms to which a text gives a value, and the values.

    Examples
    --------
    >>> terms_given("Leave `by` out, or give `which only`.")
    [('which', 'only')]
    """
    return [(key, value) for key, value in _TERM.findall(text) if value]


class Speaker:
    """
    Speaks of terms as options.

    Examples
    --------
    >>> COMMAND.said("Set `name-source`, or leave `by` out.")
    'Set --name-source, or leave --by out.'
    >>> COMMAND.said("Give `which only`, or `ties true`; or `where (A = 1) IS TRUE`.")
    "Give --which only, or --ties; or --where '(A = 1) IS TRUE'."
    """

    def term(self, key: str) -> str:
        """Name a term as a person writes it."""
        return f"--{key}"

    def place(self, key: str) -> str:
        """Name the place where a term is stated."""
        return self.term(key)

    def said(self, text: str) -> str:
        """Replace the backquoted names of terms by what a person types for them."""
        return _TERM.sub(
            lambda match: (
                self.given(match[1], match[2]) if match[2] else self.term(match[1])
            ),
            text,
        )

    def given(self, key: str, value: str) -> str:
        """Give a term a value as a person types it."""
        option = self.term(key)
        return option if value == SET else f"{option} {quoted(value)}"

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
    >>> PYTHON.said("Give `which only`, or `ties true`.")
    "Give `which='only'`, or `ties=True`."
    """

    def term(self, key: str) -> str:
        name = _IN_PYTHON.get(key, key).replace("-", "_")
        return f"`{name}_`" if keyword.iskeyword(name) else f"`{name}`"

    def given(self, key: str, value: str) -> str:
        if key in _TABLES:
            return self.term(key)
        name = self.term(key).strip("`")
        if value == SET:
            return f"`{name}=True`"
        return f"`{name}={value if value.isdigit() else repr(value)}`"


class _Docket(Speaker):
    """
    Speaks of terms as keys of a docket; whoever runs it speaks of all else.

    Examples
    --------
    >>> DOCKET.said("Set `by`, or `replace`.")
    "Set 'by', or --replace."
    >>> print(DOCKET.said("Give `which only`; add `replace true`, `unused u.csv`."))
    Give which = "only"; add --replace, 'unused'.
    >>> print(DOCKET.said('Give `header-rows 0` or `where "A" = 1`.'))
    Give header-rows = 0 or where = "\\"A\\" = 1".
    """

    def __init__(self, outer: Speaker) -> None:
        self._outer = outer

    def term(self, key: str) -> str:
        return self._outer.term(key) if key in _ALWAYS_OPTIONS else f"'{key}'"

    def given(self, key: str, value: str) -> str:
        if key in _ALWAYS_OPTIONS:
            return self._outer.given(key, value)
        if value == SET:
            return f"{key} = true"
        if key in _TABLES or value.endswith(".csv"):
            # A docket writes a list beside a result as it writes every other.
            return self.term(key)
        if value.isdigit():
            return f"{key} = {value}"
        escaped = value.replace("\\", "\\\\").replace('"', '\\"')
        return f'{key} = "{escaped}"'

    def place(self, key: str) -> str:
        named = self.term(key)
        return named if key in _ALWAYS_OPTIONS else f"key {named}"

    def within(self, outer: Speaker) -> Speaker:
        return _Docket(outer)


COMMAND = Speaker()
PYTHON = _Python()
DOCKET = _Docket(COMMAND)
