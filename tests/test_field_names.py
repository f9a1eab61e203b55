"""Tests of how fields are named."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.field_names import (
    expand_names,
    find_field,
    find_fields,
    format_names,
    make_headings,
    parse_names,
    parse_pair,
    parse_pairs,
)
from gruff_ledger.problems import BadTerms, UnknownField
from tests.support import FolderTest, table


class ParseNamesTest(unittest.TestCase):
    def test_names_are_separated_by_commas(self) -> None:
        """Space around them does not count; quotes hold commas and quotes."""
        for text, names in (
            ("boat", ("boat",)),
            (" boat , berth no ", ("boat", "berth no")),
            ('"berth, old" ,boat', ("berth, old", "boat")),
            ('"the ""big"" one"', ('the "big" one',)),
            ('""', ("",)),
        ):
            with self.subTest(text=text):
                self.assertEqual(parse_names(text), names)

    def test_refuses_what_is_not_a_list_of_names(self) -> None:
        """An open quote, a missing name, text after a quote."""
        for text in ('"boat', "boat,,berth", "", "boat,", '"a" b'):
            with self.subTest(text=text), self.assertRaises(BadTerms):
                parse_names(text)

    @given(st.lists(st.text(max_size=8), min_size=1, max_size=5))
    def test_reads_back_what_was_formatted(self, names: list[str]) -> None:
        """Formatting and parsing are inverse, for any names."""
        self.assertEqual(parse_names(format_names(names)), tuple(names))


class ParsePairTest(unittest.TestCase):
    def test_the_name_here_and_the_name_there(self) -> None:
        for text, pair in (
            ("Boat=Vessel", ("Boat", "Vessel")),
            (" Boat = Vessel AS LOOSE ", ("Boat", "Vessel AS LOOSE")),
            ("Boat", ("Boat", "Boat")),
            ('"a=b"=c', ("a=b", "c")),
            ('"a=b"', ('"a=b"', '"a=b"')),
            ('"x, y"="p=q"', ("x, y", '"p=q"')),
        ):
            with self.subTest(text=text):
                self.assertEqual(parse_pair(text), pair)

    def test_refuses_a_side_that_is_missing(self) -> None:
        for text in ("=Vessel", "Boat=", "a, b=c", "="):
            with self.subTest(text=text), self.assertRaises(BadTerms):
                parse_pair(text)


class FindFieldTest(unittest.TestCase):
    def setUp(self) -> None:
        """Make a list with two headings alike."""
        self.list = table("Boat|Berth No|berth  no", name="north")

    def test_takes_the_heading_as_written(self) -> None:
        """An exact match is taken without a word."""
        self.assertEqual(find_field(self.list, "berth  no", "by"), ("berth  no", ()))

    def test_takes_the_only_loose_match_and_says_so(self) -> None:
        """The note names the heading taken and the term."""
        heading, (note,) = find_field(self.list, " BOAT", "by")
        self.assertEqual(heading, "Boat")
        self.assertIn("'Boat' was taken", note.what)
        self.assertIn("`by`", note.remedy)

    def test_refuses_two_loose_matches(self) -> None:
        """It cannot know which is meant."""
        with self.assertRaisesRegex(UnknownField, "are both like it"):
            find_field(self.list, "BERTH NO", "by")

    def test_names_the_nearest_of_an_unknown_heading(self) -> None:
        """Or all, if none is near."""
        with self.assertRaises(UnknownField) as caught:
            find_field(self.list, "Baot", "by")
        self.assertEqual(caught.exception.remedy, "Did you mean 'Boat'?")
        with self.assertRaises(UnknownField) as caught:
            find_field(self.list, "zzz", "by")
        self.assertIn("'Boat', 'Berth No'", caught.exception.remedy)

    def test_refuses_a_field_named_twice(self) -> None:
        """Also when it is named in two ways."""
        with self.assertRaisesRegex(BadTerms, "named twice"):
            find_fields(self.list, ["Boat", "boat"], "by")


class MadeHeadingsTest(unittest.TestCase):
    def test_very_many_of_one_name(self) -> None:
        """Each gets its own number, without counting from the start each time."""
        headings, made = make_headings(["a"] * 50_000)
        self.assertEqual((headings[0], headings[-1]), ("a", "a (50000)"))
        self.assertEqual(len(made), 49_999)

    def test_gives_blank_and_repeated_headings_free_names(self) -> None:
        """A made-up name never takes one that is written."""
        headings, made = make_headings(["boat", "", "boat", "field 2", "boat (2)", " "])
        self.assertEqual(
            headings,
            ("boat", "field 2 (3)", "boat (3)", "field 2", "boat (2)", "field 6"),
        )
        self.assertEqual(made, {1: "", 2: "boat", 5: " "})

    @given(st.lists(st.text(alphabet="ab ()2", max_size=5), max_size=12))
    def test_headings_are_always_distinct_and_not_blank(self, cells: list[str]) -> None:
        """Whatever the heading row holds."""
        headings, _ = make_headings(cells)
        self.assertEqual(len(set(headings)), len(cells))
        self.assertTrue(all(heading.strip() for heading in headings))


class ParsePairsTest(unittest.TestCase):
    def test_pairs_are_parted_at_commas(self) -> None:
        """Outside double quotes; a name in quotes holds what it likes."""
        for text, pairs in (
            ("A=B", (("A", "B"),)),
            ("Item=Thing, Price=Cost", (("Item", "Thing"), ("Price", "Cost"))),
            ('"a, b"=C, D="x=y, z"', (("a, b", "C"), ("D", "x=y, z"))),
            ("A=B=C", (("A", "B=C"),)),
        ):
            with self.subTest(text=text):
                self.assertEqual(parse_pairs(text, of_names=True), pairs)

    def test_a_text_can_hold_commas(self) -> None:
        """Unless what follows them are pairs too."""
        for text, pairs in (
            ("Place=Ely, Cambs", (("Place", "Ely, Cambs"),)),
            ("Rate=0, Note=none", (("Rate", "0"), ("Note", "none"))),
            ('Note="x, y=z"', (("Note", "x, y=z"),)),
            ('Inch=5"', (("Inch", '5"'),)),
        ):
            with self.subTest(text=text):
                self.assertEqual(parse_pairs(text, of_names=False), pairs)

    def test_what_is_no_pair_is_refused(self) -> None:
        """Each part of names must be one."""
        for text in ("A", "A=", "=B", "A=B, C", "A=B,,C=D", ""):
            with self.subTest(text=text), self.assertRaises(BadTerms):
                parse_pairs(text, of_names=True)


class ExpandNamesTest(FolderTest):
    WIDE = "Town,2019,2020,2021,Q1 sum,Q2 sum,a*b\nEly,1,2,3,4,5,6\nEly,1,2,3,4,5,6\n"

    def test_names_can_stand_for_several_fields(self) -> None:
        """By range, by pattern; a heading that is so written is itself."""
        headings = ("Town", "2019", "2020", "2021", "Q1 sum", "Q2 sum", "a*b", "axb")
        for name, expected in (
            ("2019 … 2021", ("2019", "2020", "2021")),
            ("2020...", headings[2:]),
            ("… 2019", headings[:2]),
            ("q* SUM", ("Q1 sum", "Q2 sum")),
            ("202?", ("2020", "2021")),
            ("a*b", ("a*b",)),
            ("town … 2019", ("Town", "2019")),
            ("2021 … 2019", ("2021", "2020", "2019")),
            ("x*", ("x*",)),
            ("…", ("…",)),
        ):
            with self.subTest(name=name):
                self.assertEqual(expand_names(headings, (name,)), expected)
        self.assertEqual(
            expand_names(headings, ("2019", "2019 … 2020")), ("2019", "2020")
        )

    def test_every_verb_that_takes_several_fields_takes_them(self) -> None:
        """And says what is not there."""
        self.write("a.csv", self.WIDE)
        for words, heading in (
            (("fields", "--keep", "Town, 2019 … 2020"), "Town,2019,2020"),
            (("fields", "--drop", "Q* sum, 2019 …"), "Town"),
            (("join", "--fields", "2019 … 2021", "--heading", "Y"), None),
            (("scrub", "--trim", "--fields", "Q*"), None),
            (("duplicates", "--by", "Town, 20* AS LOOSE"), None),
            (("count", "--by", "2019 … 2020"), "2019,2020,count,share"),
            (
                ("rollup", "--down", "Town", "--value", "2019 ... 2021"),
                "Town,2019,2020,2021",
            ),
        ):
            with self.subTest(words=words):
                verb, *more = words
                self.gruff(verb, "a.csv", *more, "--to", "b.csv", "--replace")
                if heading is not None:
                    self.assertEqual(self.text("b.csv").splitlines()[0], heading)
        said = self.problem("fields", "a.csv", "--keep", "Z*")
        self.assertIn("no field 'Z*'", said)
