"""Tests of the wording of problems."""

import unittest

from gruff_ledger.problems import BadTerms, Problem, nearest, nearest_or_all
from gruff_ledger.speakers import DOCKET


class ParagraphTest(unittest.TestCase):
    def test_says_where_what_and_what_to_do(self) -> None:
        """From the file down to the field, on one line."""
        problem = Problem(
            "it is blank.", "Fill it.", file="a.csv", record=2, row=3, field="Boat"
        )
        self.assertEqual(
            problem.paragraph(),
            "a.csv, record 2 (row 3), field 'Boat': it is blank. Fill it.",
        )

    def test_is_one_paragraph_whatever_it_quotes(self) -> None:
        """Line ends of a heading are shown, not sent."""
        problem = Problem("'1\n2' is odd.", "Correct it.", field="Boat\nname")
        self.assertEqual(
            problem.paragraph(), r"field 'Boat\nname': '1\n2' is odd. Correct it."
        )

    def test_names_a_term_as_the_person_types_it(self) -> None:
        """An option of a command, a key of a docket; data keeps its backquotes."""
        problem = Problem("`by` is odd.", "Correct `by`, or set `replace`.")
        self.assertEqual(
            problem.paragraph(), "`by` is odd. Correct --by, or set --replace."
        )
        problem.said_to(DOCKET)
        self.assertEqual(
            problem.paragraph(), "`by` is odd. Correct 'by', or set --replace."
        )

    def test_bad_terms_are_placed_at_their_term(self) -> None:
        """The same problem points to the option or to the key."""
        problem = BadTerms("it is odd.", term="by")
        self.assertEqual(problem.paragraph(), "--by: it is odd.")
        problem.said_to(DOCKET)
        placed = problem.placed(file="job.toml", line=4)
        self.assertEqual(placed.paragraph(), "job.toml, line 4, key 'by': it is odd.")


class NearestTest(unittest.TestCase):
    def test_names_what_is_much_alike_and_else_nothing(self) -> None:
        """Case does not count; a wild guess is worse than none."""
        self.assertEqual(nearest("BERHT", ["boat", "Berth"]), "Berth")
        self.assertIsNone(nearest("xyz", ["boat", "berth"]))

    def test_lists_what_there_is_where_nothing_is_near(self) -> None:
        """A long list is cut short and its rest counted."""
        names = [f"n{number}" for number in range(15)]
        self.assertIn("and 3 more", nearest_or_all("zz", names, "fields"))
        self.assertEqual(nearest_or_all("z", [], "fields"), "There are no fields.")
