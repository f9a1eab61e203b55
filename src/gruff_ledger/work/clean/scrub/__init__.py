"""scrub: cells put in order, each change journaled.

What is asked for is done in this order: words for nothing cleared, invisible characters
taken out, Unicode unified, trimmed, squeezed, mapped, letter case, numbers and dates
rewritten, blanks filled. What cannot be read as a number or date is left as it is, and
is a finding. Without `fields` all fields are scrubbed.
"""

from gruff_ledger.work.verb import Verb

VERB = Verb(
    "scrub",
    "Put cells in order: spaces, case, numbers, dates, blanks.",
    stage="clean",
    place=1,
    home=__name__,
    page="gruff_ledger.cli.screen.pages:ChangesPage",
    examples=(
        "gruff scrub incoming/guests.csv --trim --squeeze --case title --odd-only",
        'gruff scrub incoming/guests.csv --fields "Arrived, Left" --date iso',
    ),
)
