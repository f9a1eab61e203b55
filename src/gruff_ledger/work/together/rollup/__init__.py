"""rollup: grids and long lists added up into one table, label by label.

A grid has labels down its first field and across its headings; a long list has them in
fields, named by `down` and `across`, and its figures in `value`. Labels of both sides
are united. Numbers are exact decimals; cells that are none are findings.
"""

from gruff_ledger.work.verb import Further, Verb

VERB = Verb(
    "rollup",
    "Add grids and long lists up into one table, label by label.",
    stage="together",
    place=4,
    home=__name__,
    several=True,
    sums_up=True,
    further=(
        Further(
            "chart",
            "Draw the trend or the comparison, to a .png or .svg file.",
            "gruff_ledger.report.rollup_chart:write_rollup_chart",
            (".png", ".svg"),
        ),
    ),
    examples=(
        "gruff rollup incoming/takings/*.csv --down Kind --across Month --value "
        "Amount --match loose --leave-out-totals",
        "gruff rollup out/guests.csv --down Pontoon --value Fee",
    ),
)
