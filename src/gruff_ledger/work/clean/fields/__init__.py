"""fields: which fields a list has, in which order and under which headings.

Names are those of the list as it comes in, or those that fields are given. First
fields are kept or dropped, then put in order, then renamed. Cells and records stay as
they are.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "fields",
    "Keep, drop, order and rename fields.",
    stage="clean",
    place=4,
    home=__name__,
    examples=(
        'gruff fields incoming/guests.csv --first "Boat, Place" --drop Rate',
        'gruff fields incoming/north-quay.csv --keep "Boat, Berth" --rename '
        '"Berth=Place"',
    ),
)
