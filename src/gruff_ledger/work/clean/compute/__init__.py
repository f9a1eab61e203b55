"""compute: new fields from formulas.

A formula works on the cells of one record: rate * length. Where a cell that it needs is
blank, the result is blank. A cell that is no number where one is needed is a finding,
and the result is blank. Numbers are exact; nothing is rounded unless the formula says
so, but a fraction without an end is written with 12 decimals, which is said.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "compute",
    "Compute new fields from formulas.",
    stage="clean",
    place=5,
    home=__name__,
    examples=(
        'gruff compute incoming/guests.csv --formula "Fee=ROUND(Rate * Length, '
        '2, HALF UP)"',
        'gruff compute incoming/owners.csv --formula "Known as=UPPER(Name)"',
    ),
)
