"""What a term may be limited to, by the `Meta` of its declaration."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, NamedTuple


class Limit(NamedTuple):
    """
    A limit, such as at least 1.

    Attributes
    ----------
    words : str
        How it is worded, with a place for the bound.
    holds : callable
        Takes a value and the bound.
    schema : str
        What it is called in a JSON Schema.
    """

    words: str
    holds: Callable[[Any, Any], bool]
    schema: str


# By what msgspec calls them ("Constraints").
LIMITS = {
    "ge": Limit("at least {}", lambda value, bound: value >= bound, "minimum"),
    "gt": Limit("more than {}", lambda value, bound: value > bound, "exclusiveMinimum"),
    "le": Limit("at most {}", lambda value, bound: value <= bound, "maximum"),
    "lt": Limit("less than {}", lambda value, bound: value < bound, "exclusiveMaximum"),
    "multiple_of": Limit(
        "a multiple of {}", lambda value, bound: value % bound == 0, "multipleOf"
    ),
    "min_length": Limit(
        "of at least {} characters or members",
        lambda value, bound: len(value) >= bound,
        "minLength",
    ),
    "max_length": Limit(
        "of at most {} characters or members",
        lambda value, bound: len(value) <= bound,
        "maxLength",
    ),
    "pattern": Limit(
        "of the form {}",
        lambda value, bound: re.search(bound, value) is not None,
        "pattern",
    ),
}
