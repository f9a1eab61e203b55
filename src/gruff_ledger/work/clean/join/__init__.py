"""join: several fields become one.

With a separator, blank cells are skipped, so that none stands at an end or twice. With
a template, the text between the fields always stands there, unless all of them are
blank: then the new cell is blank too. The new field stands where the first of its
sources stood; the sources go, unless they are kept.
"""

from collections.abc import Mapping
from typing import Any

from gruff_ledger.work.verb import Verb


def made_words(stated: Mapping[str, Any], field: str) -> str:
    """Say how a field was made; see `Verb.made_words`."""
    fields = stated.get("fields")
    return f"of {', '.join(fields)}" if fields else ""


VERB = Verb(
    "join",
    "Join several fields into one.",
    stage="clean",
    place=3,
    home=__name__,
    made_words=made_words,
    examples=(
        'gruff join incoming/guests.csv --fields "First name, Last name" '
        "--heading Guest",
        'gruff join incoming/guests.csv --template "{Boat} at {Place}" --heading '
        "Berth --keep",
    ),
)
