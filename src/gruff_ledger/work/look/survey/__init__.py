"""survey: a first look at lists, field by field.

For each field: how many cells are filled and blank, how many distinct values there are,
what kind they are of, the least, the greatest and the exact sum, where it ends and what
looks wrong. A field is of the kind that most of its filled cells are; digits with
leading zeros, or more of them than a spreadsheet keeps, are codes and not numbers.
"""

from gruff_ledger.work.verb import Further, Verb

VERB = Verb(
    "survey",
    "Take a first look: what is in the lists, field by field.",
    stage="look",
    place=1,
    home=__name__,
    page="gruff_ledger.cli.screen.survey:SurveyPage",
    several=True,
    sums_up=True,
    further=(
        Further(
            "chart",
            "Draw filled, repeated and blank cells of each field, to a .png or "
            ".svg file.",
            "gruff_ledger.report.charts:write_survey_chart",
            (".png", ".svg"),
        ),
        Further(
            "draft-rules",
            "Write a first set of rules for the fields, to a .json file in the "
            "W3C's metadata format for tabular data.",
            "gruff_ledger.report.rules:write_draft_rules",
            (".json",),
        ),
    ),
    examples=(
        "gruff survey incoming/south_quay.csv",
        'gruff survey "incoming/dues.xlsx#sheet=*" --chart dues.png',
    ),
)
