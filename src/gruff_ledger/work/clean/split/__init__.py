"""split: one field becomes several, or one record a part.

A field is split at a delimiter, by a pattern with named groups, or by widths. Parts are
trimmed. A part in double quotes may have the delimiter in it. The new fields stand in
the place of the field. Where cells have differing numbers of parts, missing parts are
blank, which is a finding; the surplus goes to the last part, unless given.

Without `parts`, a heading that has the delimiter in it is split too and names the new
fields: so a whole list that was pasted into one field comes apart.
"""

from collections.abc import Mapping
from typing import Any

from gruff_ledger.work.verb import Verb


def made_words(stated: Mapping[str, Any], field: str) -> str:
    """Say how a field was made; see `Verb.made_words`."""
    return f"part of {stated['field']}" if stated.get("field") else ""


VERB = Verb(
    "split",
    "Split a field into several, or into one record a part.",
    stage="clean",
    place=2,
    home=__name__,
    made_words=made_words,
    examples=(
        'gruff split incoming/guests.csv --field Place --at - --parts "Pontoon, '
        'Number"',
        'gruff split incoming/owners.csv --field Telephone --at " " --parts '
        '"Area, Line" --keep',
    ),
)
