"""show: a look at any list, or its plain way to another format.

Fields are shown in the order in which they are named, all of them unless some are.
Records are counted from 1 below the heading; those that were not asked for are set
aside, so that a list written in another format is whole or says what it lacks.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "show",
    "Look at a list, or write it in another format.",
    stage="look",
    place=0,
    home=__name__,
    page="gruff_ledger.cli.screen.pages:ShowPage",
    examples=(
        'gruff show incoming/south_quay.csv --fields "Berth, Boat, Paid until"',
        "gruff show incoming/south_quay.csv --to south.xlsx",
    ),
)
