"""pick: the records that meet a condition, or the top or bottom of an order.

The condition is a formula. Where it cannot be told whether it holds, because a cell is
blank, the record is set aside too, with that reason. Of records that tie for the last
place, the first ones stay, unless all are wanted. The others are set aside; those that
stay keep their order.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "pick",
    "Pick the records that meet a condition, or the first few.",
    stage="clean",
    place=6,
    home=__name__,
    examples=(
        "gruff pick incoming/guests.csv --where \"Length > 12 AND Place LIKE 'A-%'\"",
        'gruff pick incoming/payments.csv --top 2 --by "Amount DESC" --per Boat',
    ),
)
