"""How values of terms are written, in messages and on a command line."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from gruff_ledger.field_names import format_names, parse_names
from gruff_ledger.problems import BadTerms


def shown(value: Any) -> str:
    """Show a value as a docket would write it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return f"'{value}'"
    if isinstance(value, Mapping):
        return "a table"
    if isinstance(value, list | tuple):
        return "a list"
    return str(value)


def are_texts(value: Any) -> bool:
    """Whether a value is a list of texts."""
    return isinstance(value, list | tuple) and all(
        isinstance(each, str) for each in value
    )


def field_in_order(item: str) -> str:
    """Return a field of an order, of its own; its name alone may hold a comma."""
    return format_names([item]) if "," in item and '"' not in item else item


def split_pair(text: str, form: str) -> tuple[str, str]:
    """Split ``name=rest`` at the first equals sign outside double quotes."""
    quoted = False
    for place, mark in enumerate(text):
        quoted ^= mark == '"'
        if mark == "=" and not quoted:
            names = parse_names(text[:place])
            rest = text[place + 1 :].strip()
            if len(names) == 1 and rest:
                return names[0], rest
            break
    raise BadTerms(
        f"'{text}' is not of the form {form}.",
        "Write it so; a name with a comma or an equals sign goes in double quotes.",
    )


def read_inline_table(text: str) -> dict[str, Any]:
    """Read a TOML table as it is typed for an option, with or without its braces."""
    import tomllib

    bare = text.strip()
    inline = bare if bare.startswith("{") else "{" + bare + "}"
    try:
        table: dict[str, Any] = tomllib.loads(f"it = {inline}")["it"]
    except ValueError as error:
        raise BadTerms(
            f"'{text}' is not an inline TOML table.",
            "Write key=value pairs separated by commas, text in double quotes.",
        ) from error
    return table
