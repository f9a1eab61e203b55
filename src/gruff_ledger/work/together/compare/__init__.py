"""compare: two lists by key: what only one of them has, and what changed.

Cells of records with the same key are compared field by field. Where a list has a key
several times, its records are paired in order, and that is said. Without a key whole
records are compared.
"""

from gruff_ledger.work.verb import Beside, Verb

VERB = Verb(
    "compare",
    "Compare two lists: what only one has, and what changed.",
    stage="together",
    place=5,
    home=__name__,
    several=True,
    sums_up=True,
    beside=(
        Beside("only-first", "Write the records only in the first list here."),
        Beside("only-second", "Write the records only in the second list here."),
        Beside(
            "changed",
            "Write each cell that changed here, as it was and as it is now.",
        ),
    ),
    examples=(
        "gruff compare incoming/north-quay.csv incoming/north-november.csv --key "
        '"Mooring no"',
        "gruff compare incoming/north-quay.csv incoming/north-november.csv --key "
        '"Mooring no" --give changes',
    ),
)
