"""What a person most likely meant who typed something that is not here, with the way.

People bring words for verbs and options from elsewhere; those are told how it is done
here, never the name that is spelled most alike. A near name is suggested only where it
is really near and fits the command.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import NamedTuple

import click

from gruff_ledger.problems import Problem
from gruff_ledger.shell import quoted

# How much alike two names must be for one to be taken for a slip of the other.
_REALLY_NEAR = 0.75

# Words that elsewhere name what a verb does here, what that is, and the verb's line.
_ELSEWHERE: tuple[tuple[tuple[str, ...], str, str], ...] = (
    (
        ("dedupe", "dedup", "deduplicate", "unique", "uniq", "distinct"),
        "take out records that repeat",
        "duplicates LIST",
    ),
    (
        ("filter", "where", "select", "query", "find", "search", "grep"),
        "pick records by a condition",
        "pick LIST --where \"Price > 5 AND Item = 'Rice'\"",
    ),
    (
        ("top", "head", "first", "limit"),
        "pick the first few of an order",
        'pick LIST --top 10 --by "Price DESC"',
    ),
    (
        ("convert", "export", "save"),
        "write a list in another format",
        "show LIST --to list.xlsx",
    ),
    (
        ("append", "stack", "concat", "concatenate", "cat", "union", "combine"),
        "put lists together",
        "merge LIST LIST --to all.csv",
    ),
    (
        ("vlookup", "match", "enrich"),
        "take values from another list",
        "lookup LIST --in OTHER --key FIELD",
    ),
    (
        ("pivot", "sum", "total", "add", "aggregate", "group", "crosstab"),
        "add figures up",
        "rollup LIST --down FIELD --value FIELD",
    ),
    (
        ("frequency", "freq", "tally", "values"),
        "count values",
        "count LIST --by FIELD",
    ),
    (("diff", "changes", "difference"), "compare two lists", "compare OLD NEW"),
    (
        ("validate", "check", "verify", "lint", "test"),
        "check a list against rules",
        "flag LIST --rules rules.toml",
    ),
    (
        ("rename", "reorder", "drop", "remove", "columns", "cut", "keep"),
        "keep, drop, order or rename fields",
        'fields LIST --drop FIELD --rename "Old=New"',
    ),
    (
        ("clean", "trim", "replace", "fill", "tidy", "format"),
        "put cells in order",
        "scrub LIST --trim --squeeze",
    ),
    (
        ("calc", "calculate", "formula", "derive"),
        "compute a field",
        'compute LIST --formula "Value=Qty*Price"',
    ),
    (
        ("view", "open", "print", "look", "display", "read"),
        "look at a list",
        "show LIST",
    ),
    (
        (
            *("info", "stats", "statistics", "summary", "describe", "profile"),
            *("explore", "sign", "signs", "negative", "positive", "mean", "median"),
        ),
        "learn what is in a list, field by field",
        "survey LIST",
    ),
    (("order", "arrange"), "sort a list", "sort LIST --by FIELD"),
    (("parse", "divide"), "split a field", "split LIST --field FIELD --at space"),
)

_FIELD_OPTIONS = ("--fields", "--by", "--key", "--field", "--down")
_KEY_OPTIONS = ("--key", "--by", "--down", "--fields")
# Options of elsewhere: the one here, the first of several that the command has; or a
# sentence, which may need an option that the command has.
_OPTIONS_ELSEWHERE: tuple[tuple[tuple[str, ...], tuple[str, ...]], ...] = (
    (("output", "out", "outfile", "save", "write", "dest"), ("--to",)),
    (
        ("columns", "cols", "column", "col", "fields", "field", "select"),
        _FIELD_OPTIONS,
    ),
    (("key", "keys", "on", "using", "by", "group", "group-by"), _KEY_OPTIONS),
    (("sep", "separator", "delim"), ("--delimiter",)),
    (("skip", "skiprows", "skip-lines"), ("--skip-rows",)),
    (("force", "yes", "overwrite"), ("--replace",)),
    (("verbose", "all", "details"), ("--more",)),
    (("silent", "no-summary"), ("--quiet",)),
    (("output-format", "out-format", "as"), ("--to-format",)),
    (("sum", "values"), ("--value",)),
    (("keep",), ("--stays",)),
    (("with", "reference", "lookup", "against"), ("--in",)),
    (("rejects", "rejected"), ("--aside",)),
)
_SENTENCES: tuple[tuple[tuple[str, ...], str, str], ...] = (
    (
        ("ignore-case", "case-insensitive", "nocase", "insensitive", "fuzzy"),
        "--match",
        "Give --match loose: spaces and case then do not count.",
    ),
    (
        ("descending", "desc", "reverse"),
        "--by",
        'Write DESC behind the field: --by "FIELD DESC".',
    ),
    (("ascending", "asc"), "--by", "That is the order, unless DESC is behind a field."),
    (
        ("sheet", "tab", "worksheet", "sheet-name"),
        "",
        "A tab is part of the address: book.xlsx#sheet=May.",
    ),
    (
        ("header", "headers", "no-header", "no-headers"),
        "--header-rows",
        "Give --header-rows 0 if the list has no row of headings.",
    ),
    (
        ("dry-run", "preview"),
        "--to",
        "Leave --to out: the result is shown, and nothing is written.",
    ),
    (
        ("where", "filter", "condition"),
        "",
        'Pick the records first: gruff pick LIST --where "Price > 5" --to picked.csv.',
    ),
    (
        ("sort", "order", "order-by", "sort-by"),
        "",
        "Sort the result: gruff sort LIST --by FIELD.",
    ),
)


class Typed(NamedTuple):
    """
    A command line as it was typed.

    Attributes
    ----------
    words : tuple of str
    command : click.Command, optional
        The command that it begins with.
    """

    words: tuple[str, ...]
    command: click.Command | None = None

    @property
    def options(self) -> dict[str, click.Option]:
        """The options of the command, by their names."""
        parameters = self.command.params if self.command is not None else []
        return {
            name: each
            for each in parameters
            if isinstance(each, click.Option)
            for name in each.opts
        }


def advise_command(word: str, rest: Sequence[str], known: Iterable[str]) -> str:
    """Say what to type in the place of a word that is not a command."""
    habit = elsewhere(word, rest)
    if habit is not None:
        line, aim = habit
        return f"To {aim}: {line}"
    if _is_path(word):
        return (
            f"A command comes first. To look at the list: gruff survey {quoted(word)}"
        )
    near = _near(word.casefold(), known)
    return f"Did you mean '{near}'?" if near else "gruff --help lists the commands."


def elsewhere(word: str, rest: Sequence[str]) -> tuple[str, str] | None:
    """Return the line to type for what is called so elsewhere, and what that does."""
    for words, aim, line in _ELSEWHERE:
        if word.casefold() in words:
            return f"gruff {_with_lists(line, rest)}", aim
    return None


def advise_option(option: str, typed: Typed) -> str:
    """Say what to type in the place of an option that the command does not have."""
    word = option.lstrip("-").casefold()
    known = typed.options
    for words, needed, sentence in _SENTENCES:
        if word in words and (not needed or needed in known):
            return sentence
    near = _near(option, known)
    for words, names in _OPTIONS_ELSEWHERE:
        if word in words and (name := next((x for x in names if x in known), None)):
            near = name
            break
    name = typed.command.name if typed.command is not None else ""
    help_line = f"gruff {name} --help".replace("  ", " ")
    return f"Did you mean '{near}'?" if near else f"{help_line} lists the options."


def advise_extra(extra: Sequence[str], typed: Typed) -> str | None:
    """Say what is wrong with words that a command has no use for; None if unknown."""
    split = _split_name(extra[0], typed)
    if split is not None:
        return split
    name = typed.command.name if typed.command is not None else ""
    lists = [word for word in typed.words[1:] if _is_path(word)]
    if not _is_path(extra[0]):
        names = ("--field", *_KEY_OPTIONS)
        option = next((each for each in names if each in typed.options), None)
        if option is None:
            return None
        return (
            f"{name} takes one list, and '{extra[0]}' is not one. A field is named in "
            f"an option: {option} {quoted(extra[0])}"
        )
    if len(lists) < 2 or not all(map(_is_path, extra)):
        return None
    if name == "lookup":
        return (
            f"lookup takes one list, and the one to look into in --in: --in {extra[0]}"
        )
    together = " ".join(map(quoted, lists))
    return (
        f"{name} takes one list. Put them together first: "
        f"gruff merge {together} --to all.csv"
    )


def advise_path(problem: Problem, typed: Typed) -> None:
    """Say of a list that is not there whether it is the rest of a name with spaces."""
    word = problem.file or ""
    if "no such file" in problem.what and word in typed.words and not _is_path(word):
        split = _split_name(word, typed)
        if split is not None:
            problem.remedy = split


def _split_name(word: str, typed: Typed) -> str | None:
    """Return the option, quoted, of whose value a word seems to be the rest."""
    words = typed.words
    for place in range(2, len(words)):
        option = typed.options.get(words[place - 2])
        if words[place] == word and option is not None and not option.is_flag:
            rest = [words[place - 1], word]
            for more in words[place + 1 :]:
                if more.startswith("-") or _is_path(more):
                    break
                rest.append(more)
            value = " ".join(rest)
            return f'A name with a space needs quotes: {words[place - 2]} "{value}"'
    return None


def _with_lists(line: str, words: Sequence[str]) -> str:
    """Put the lists that were typed into a line, in the places of its lists."""
    paths = [quoted(word) for word in words if _is_path(word)]
    if len(paths) > 1 and "LIST LIST" in line:
        return line.replace("LIST LIST", " ".join(paths))
    for place in ("LIST", "OLD", "NEW", "OTHER"):
        if paths and place in line.split():
            line = line.replace(place, paths.pop(0), 1)
    return line


def _near(name: str, known: Iterable[str]) -> str | None:
    found = difflib.get_close_matches(name, [*known], n=1, cutoff=_REALLY_NEAR)
    return found[0] if found else None


def _is_path(word: str) -> bool:
    """Whether a word is a file, or looks like one."""
    if word.startswith("-"):
        return False
    try:
        is_there = Path(word.partition("#")[0]).is_file()
    except OSError:
        is_there = False
    return is_there or re.search(r"\.[A-Za-z]{2,7}(#.*)?\Z", word) is not None


def extra_words(message: str) -> list[str]:
    """Return the words that Click says it did not expect."""
    found = re.search(r"unexpected extra arguments? \((.*)\)", message)
    return found[1].split(" ") if found else []
