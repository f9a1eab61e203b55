"""sort: records in order.

Fields are ordered as texts, numbers or dates, as they hold for the most part; that is
said, and can be stated: `berth AS CODE` orders A9 before A10. Of texts, case, accents
and stray spaces do not count. Blank cells stand last, up and down; so do cells that are
no number or date where most are. Records that are equal in all fields keep their order.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "sort",
    "Put records in order.",
    stage="clean",
    place=7,
    home=__name__,
    examples=(
        'gruff sort incoming/payments.csv --by "Paid on DESC, Boat"',
        'gruff sort incoming/guests.csv --by "Place AS CODE"',
    ),
)
