"""card: one record by its key, or all that have it, laid out to be read.

Down, each field stands on a line of its own; across, records stay as they are. A key
that is not there is refused, with the nearest that is.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "card",
    "Show one record by its key, down or across.",
    stage="together",
    place=3,
    home=__name__,
    page="gruff_ledger.cli.screen.card:CardPage",
    asks="gruff_ledger.cli.commands.card_key:ask_for_key",
    sums_up=True,
    examples=(
        'gruff card incoming/south_quay.csv --key Boat --value "Lucky Herring"',
        'gruff card incoming/payments.csv --key Boat --value "Long Heron" --lay across',
    ),
)
