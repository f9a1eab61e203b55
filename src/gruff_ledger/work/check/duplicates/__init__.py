"""duplicates: records that occur more than once, as they are or nearly.

A record with a blank in a key field never matches anything. Without key fields the
whole record is the key, and then a blank cell equals only a cell of the same text.
Records that are only alike (`near`) are never taken out without a decision; neither are
others, where a file of decisions is named.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "duplicates",
    "Find records that repeat another; keep one of each.",
    stage="check",
    place=3,
    home=__name__,
    examples=(
        'gruff duplicates incoming/north-quay.csv --by "Boat, Mooring no" --to '
        "clean.csv --aside twice.csv",
        'gruff duplicates incoming/owners.csv --near --by "Name, Town, '
        'Telephone, Boat" --treat show',
    ),
)
