"""merge: lists put end to end, their fields matched by heading; or one record a key.

The fields of the result are those of the first list, then those that each later list
adds. A list that lacks a field has blanks there. Records that are blank in every field,
or repeat the headings, are set aside.

With `key`, records of all lists with the same key become one: the first one stays and
takes cells from the others, as `precedence` says. Where filled cells differ, that is a
finding.
"""

from collections.abc import Mapping
from typing import Any

from gruff_ledger.work.verb import Beside, Verb


def made_words(stated: Mapping[str, Any], field: str) -> str:
    """Say how a field was made; see `Verb.made_words`."""
    return "the name of the list" if field == stated.get("name-source") else ""


VERB = Verb(
    "merge",
    "Put lists together: end to end by heading, or one record a key.",
    stage="together",
    place=1,
    home=__name__,
    made_words=made_words,
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
    examples=(
        "gruff merge incoming/north-quay.csv incoming/south_quay.csv "
        '--name-source Quay --aliases "Mooring number=Mooring no"',
        "gruff merge incoming/north-quay.csv incoming/north-november.csv --key "
        '"Mooring no" --update --status State',
    ),
)
