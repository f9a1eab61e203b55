"""flag: rules on cells and records, and what they find.

A blank cell is only ever a finding of `required`. Cells stay as they are; what is
wrong with them is counted, listed in the ledger, and coloured in a workbook.
"""

from gruff_ledger.work.verb import Further, Verb

VERB = Verb(
    "flag",
    "Check cells against rules and list what is wrong.",
    stage="check",
    place=1,
    home=__name__,
    page="gruff_ledger.cli.screen.pages:FlagPage",
    further=(
        Further(
            "write-rules",
            "Write the rules to a .json file, as the W3C's metadata for tabular data.",
            "gruff_ledger.rules.w3c_writing:write_rules",
            (".json",),
        ),
    ),
    examples=(
        'gruff flag incoming/south_quay.csv --required "Berth, Skipper" '
        '--allowed "Class=A, B, C, D"',
        "gruff flag out/guests.csv --rules rules/guests.toml --to checked.xlsx",
    ),
)
