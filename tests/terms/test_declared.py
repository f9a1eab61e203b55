"""Tests of declared terms: their reading, checking and schema."""

import unittest
from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Pair, Terms, describe, json_schema, plain, read
from gruff_ledger.terms.kinds_of_each import NamesOfEach


class Mooring(Terms, frozen=True, kw_only=True):
    """A table within terms."""

    post: Annotated[str, Meta(description="The post.")]


class BerthTerms(Terms, frozen=True, kw_only=True):
    """Terms of every kind."""

    boat: Annotated[str, Meta(description="The boat.")]
    by: Annotated[tuple[str, ...], Meta(description="Fields.")] = ()
    keep: Annotated[Literal["first", "last"], Meta(description="Which.")] = "first"
    most_boats: Annotated[int | None, Meta(description="How many.")] = None
    dry: Annotated[bool, Meta(description="Whether dry.")] = False
    names: Annotated[dict[str, str], Meta(description="Names.")] = {}
    allowed: Annotated[dict[str, tuple[str, ...]], Meta(description="Values.")] = {}
    mooring: Annotated[tuple[Mooring, ...], Meta(description="Posts.")] = ()
    as_: Annotated[str | None, Meta(description="A name.")] = None


class DescribeTest(unittest.TestCase):
    def test_tells_key_kind_default_and_description(self) -> None:
        """Keys are written as in a docket, a trailing underscore left out."""
        terms = {term.key: term for term in describe(BerthTerms)}
        self.assertEqual(list(terms)[:4], ["boat", "by", "keep", "most-boats"])
        self.assertEqual(terms["as"].attribute, "as_")
        self.assertEqual(terms["keep"].kind.choices, ("first", "last"))
        self.assertTrue(terms["boat"].required)
        self.assertIsInstance(terms["allowed"].kind, NamesOfEach)
        self.assertIs(terms["mooring"].members, Mooring)


class ReadTest(unittest.TestCase):
    def test_makes_terms_of_what_toml_gives(self) -> None:
        """Lists become tuples; names may be written in one text."""
        given = {
            "boat": "Tern",
            "by": 'berth, "a, b"',
            "most-boats": 3,
            "allowed": {"class": ["A", "B"], "quay": "N, S"},
            "mooring": [{"post": "7"}],
        }
        terms = read(BerthTerms, given)
        self.assertEqual(terms.by, ("berth", "a, b"))
        self.assertEqual(terms.allowed, {"class": ("A", "B"), "quay": ("N", "S")})
        self.assertEqual(terms.mooring, (Mooring(post="7"),))

    def test_says_again_what_was_said(self) -> None:
        """`plain` gives what a docket would say, without defaults."""
        given = {"boat": "Tern", "by": ["berth"], "mooring": [{"post": "7"}]}
        self.assertEqual(plain(read(BerthTerms, given)), given)

    def test_refuses_what_was_not_declared(self) -> None:
        """Each refusal names the key, and says what to do."""
        for given, term, what, remedy in (
            ({"boat": "x", "kep": 1}, "kep", "no such key", "Did you mean 'keep'?"),
            ({}, "boat", "it is required: the boat.", ""),
            ({"boat": 7}, "boat", "7 is not text", "the boat."),
            ({"boat": "x", "dry": "yes"}, "dry", "'yes' is not true or false", ""),
            ({"boat": "x", "most-boats": True}, "most-boats", "true is not a", ""),
            ({"boat": "x", "by": [1]}, "by", "not a list of names", ""),
            ({"boat": "x", "keep": "frist"}, "keep", "'frist'", "mean 'first'?"),
            ({"boat": "x", "names": {"a": 1}}, "names", "a table is not", ""),
            ({"boat": "x", "mooring": [{}]}, "mooring", "table 1, 'post'", ""),
        ):
            with self.subTest(given=given):
                with self.assertRaises(BadTerms) as caught:
                    read(BerthTerms, given)
                self.assertEqual(caught.exception.term, term)
                self.assertIn(what, caught.exception.what)
                self.assertIn(remedy, caught.exception.remedy)


class Paired(Terms, frozen=True, kw_only=True):
    key: Annotated[tuple[Pair, ...], Meta(description="The keys.")] = ()


class PairsTest(unittest.TestCase):
    def test_a_docket_may_write_a_table_a_list_or_text(self) -> None:
        for given, expected in (
            ({"Boat": "Vessel", "a, b": "c"}, ("Boat=Vessel", '"a, b"=c')),
            (["Boat=Vessel", "Berth"], ("Boat=Vessel", "Berth")),
            ("Boat=Vessel, Berth", ("Boat=Vessel", "Berth")),
        ):
            with self.subTest(given=given):
                terms = read(Paired, {"key": given})
                self.assertEqual(terms.key, expected)
                self.assertEqual(read(Paired, plain(terms)), terms)
        for given in (3, {"Boat": 3}, [["a"]]):
            with self.subTest(given=given), self.assertRaises(BadTerms):
                read(Paired, {"key": given})

    def test_is_documented(self) -> None:
        schema = json_schema(Paired)["properties"]["key"]
        self.assertEqual(schema["type"], ["array", "string", "object"])


class JsonSchemaTest(unittest.TestCase):
    def test_documents_every_term(self) -> None:
        """From the same declaration that checks."""
        schema = json_schema(BerthTerms)
        self.assertEqual(schema["required"], ["boat"])
        self.assertFalse(schema["additionalProperties"])
        self.assertEqual(schema["properties"]["keep"]["enum"], ["first", "last"])
        posts = schema["properties"]["mooring"]["items"]
        self.assertEqual(posts["required"], ["post"])
        self.assertEqual(list(schema["properties"])[-1], "as")


class Limited(Terms, frozen=True, kw_only=True):
    """Terms with limits, as another package may declare them."""

    tries: Annotated[int, Meta(description="How often.", ge=1, lt=9)] = 1
    code: Annotated[
        str, Meta(description="A code.", pattern="^[A-Z]+$", max_length=3)
    ] = "A"
    fields: Annotated[tuple[str, ...], Meta(description="Fields.", min_length=2)] = (
        "a",
        "b",
    )


class LimitsTest(unittest.TestCase):
    def test_limits_are_checked_and_all_are_told(self) -> None:
        """Where a docket, a command or a script says terms."""
        given = {"tries": 9, "code": "ABCD", "fields": ["a"]}
        with self.assertRaises(BadTerms) as caught:
            read(Limited, given)
        told = [each.what for each in caught.exception.every()]
        self.assertEqual(
            told,
            [
                "9 is not less than 9.",
                "'ABCD' is not of at most 3 characters or members.",
                "a list is not of at least 2 characters or members.",
            ],
        )
        for tries, code in ((1, "A"), (8, "XYZ")):
            self.assertEqual(read(Limited, {"tries": tries, "code": code}).tries, tries)
        with self.assertRaisesRegex(BadTerms, "'a1' is not of the form"):
            read(Limited, {"code": "a1"})

    def test_the_schema_has_them(self) -> None:
        """In its own words (JSON Schema, validation vocabulary)."""
        said = json_schema(Limited)["properties"]
        self.assertEqual(said["tries"]["minimum"], 1)
        self.assertEqual(said["tries"]["exclusiveMaximum"], 9)
        self.assertEqual(said["code"]["maxLength"], 3)
        self.assertEqual(said["fields"]["minItems"], 2)
