"""compute: new fields from formulas.

A formula works on the cells of one record: rate * length. Where a cell that it needs is
blank, the result is blank. A cell that is no number where one is needed is a finding,
and the result is blank. Numbers are exact; nothing is rounded unless the formula says
so, but a fraction without an end is written with 12 decimals, which is said.
"""

from collections.abc import Mapping
from typing import Any

from gruff_ledger.work.verb import Verb


def made_words(stated: Mapping[str, Any], field: str) -> str:
    """Say how a field was made; see `Verb.made_words`."""
    formulas = stated.get("formula", {})
    return f"{field} = {formulas[field]}" if field in formulas else ""


VERB = Verb(
    "compute",
    "Compute new fields from formulas.",
    stage="clean",
    place=5,
    home=__name__,
    made_words=made_words,
    examples=(
        'gruff compute incoming/guests.csv --formula "Fee=ROUND(Rate * Length, '
        '2, HALF UP)"',
        'gruff compute incoming/owners.csv --formula "Known as=UPPER(Name)"',
    ),
)
