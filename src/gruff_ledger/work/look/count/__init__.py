"""count: how often each value occurs, or each combination of values.

Values are those of the fields named, compared at a match level; blank is a value like
any other. Counts are of records, and their sum is that of the lists.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "count",
    "Count how often each value occurs.",
    stage="look",
    place=2,
    home=__name__,
    several=True,
    sums_up=True,
    examples=(
        "gruff count incoming/guests.csv --by Boat --over 1",
        "gruff count incoming/*quay* --by Class --match letters",
    ),
)
