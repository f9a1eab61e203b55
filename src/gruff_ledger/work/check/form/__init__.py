"""form: an empty workbook from rules, for the people who send lists.

It has a heading for each field, choices to pick from, limits on numbers and dates, a
hint at each cell, and the message of a rule where an entry breaks it: one of severity
stop is refused, others are doubted. With a LIST, its records stand in it already.
"""

from gruff_ledger.work.verb import Further, Verb

VERB = Verb(
    "form",
    "Make an empty workbook from rules, for the people who send lists.",
    stage="check",
    place=2,
    home=__name__,
    further=(
        Further(
            "to",
            "Write the workbook here (.xlsx or .ods).",
            "gruff_ledger.report.form_writing:write_form",
            (".xlsx", ".ods"),
        ),
    ),
    needs_list=False,
    examples=(
        "gruff form --rules rules/guests.toml --to form.xlsx",
        'gruff form --required "Boat, Berth" --allowed "Class=A, B, C" --to '
        "berths.xlsx",
    ),
)
