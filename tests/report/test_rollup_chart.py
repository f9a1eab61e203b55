"""Tests of the chart of a rollup: what it shows, and names that could break it."""

import io
import unittest

from gruff_ledger.report.rollup_chart import write_rollup_chart
from gruff_ledger.table import Table
from gruff_ledger.work.together.rollup.perform import perform
from gruff_ledger.work.together.rollup.terms import RollupTerms
from tests.support import table


def drawn(*tables: Table, **terms: object) -> str:
    """Return a chart as SVG, which has its words as text or in remarks."""
    detail = perform(RollupTerms(**terms), *tables).detail
    sink = io.BytesIO()
    write_rollup_chart(detail, sink, ".svg", {})
    return sink.getvalue().decode()


def words(svg: str) -> str:
    """Return the remarks of an SVG file, in which each text is told."""
    return " ".join(part.split("-->")[0] for part in svg.split("<!--")[1:])


class ChartTest(unittest.TestCase):
    ONE = table("K|May|June|July", "a|1|2|3", "b|4|5|6", name="one")
    TWO = table("K|May|June|July", "b|10||30", name="two")

    def test_a_trend_has_a_line_a_list_and_one_of_all(self) -> None:
        told = words(drawn(self.ONE, self.TWO))
        for word in ("all lists", "one", "two", "May", "June", "Sum over 3 labels"):
            self.assertIn(word, told)

    def test_one_list_has_a_line_a_label(self) -> None:
        told = words(drawn(self.ONE))
        self.assertIn(" a ", told)
        self.assertNotIn("all lists", told)

    def test_a_comparison_has_bars_by_label(self) -> None:
        told = words(drawn(self.ONE, self.TWO, draw="comparison", down=("K",)))
        self.assertIn("Sum by K", told)
        # With one label across there is no trend to be drawn.
        few = table("K|V", "a|1", name="few")
        self.assertIn("by label", words(drawn(few, few)))

    def test_means_and_counts(self) -> None:
        for figure in ("mean", "count", "least", "last"):
            with self.subTest(figure=figure):
                self.assertIn(
                    figure.capitalize(), words(drawn(self.ONE, figure=figure))
                )

    def test_names_that_a_chart_would_read_otherwise(self) -> None:
        odd = table("K|$x_1$|\\alpha|<b>", "a&b|1|2|3", name="$list$")
        told = drawn(odd, odd, draw="comparison")
        self.assertIn("</svg>", told)
        self.assertNotIn("<b>", told)

    def test_very_many_labels_and_lists(self) -> None:
        many = Table.of_records(
            ["K", *(f"m{n}" for n in range(60))],
            [(f"label {k}", *map(str, range(60))) for k in range(40)],
            name="many",
        )
        told = words(drawn(many))
        self.assertIn("34 more labels down", told)
        lists = [many.renamed(f"list {n}") for n in range(9)]
        self.assertIn("3 more lists", words(drawn(*lists)))
        self.assertIn("16 more labels", words(drawn(*lists, draw="comparison")))

    def test_nothing_to_draw(self) -> None:
        none = table("K|V", name="none")
        for draw in ("trend", "comparison"):
            self.assertIn("</svg>", drawn(none, draw=draw))
