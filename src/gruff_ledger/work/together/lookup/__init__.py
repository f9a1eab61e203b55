"""lookup: fields filled in from a reference list, found by key.

A key that the reference list has several times fills nothing, unless `which` says which
of its records is meant. A blank key matches nothing. Keys that are not found are
listed, with the nearest that is known.
"""

from gruff_ledger.work.verb import Beside, Verb

VERB = Verb(
    "lookup",
    "Fill in fields from a reference list, by key or in bands.",
    stage="together",
    place=2,
    home=__name__,
    page="gruff_ledger.cli.screen.pages:LookupPage",
    beside=(
        Beside(
            "unmatched",
            "Write the keys that matched nothing here, with how often each "
            "occurs and the nearest that is known.",
            shown=True,
        ),
        Beside("unused", "Write the reference records that none matched here."),
    ),
    examples=(
        "gruff lookup out/berths.csv --in incoming/owners.csv --key Boat --take "
        '"Name=Owner" --which first',
        "gruff lookup incoming/north-quay.csv --in incoming/tariff.csv --key "
        "Class --band Length=From --take Rate",
    ),
)
