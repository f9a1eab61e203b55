"""Lists of JSON: what their values are read as, and what is told of them."""

import unittest

from gruff_ledger.problems import UnreadableSource
from tests.lists.json.texts import json_of


class JsonTest(unittest.TestCase):
    def test_values_keep_their_digits(self) -> None:
        reading = json_of(
            '[{"a": 1.50, "b": 1E+5, "c": 12345678901234567890123, "d": -0, "e": null,'
            ' "f": true, "g": "007\\n\\u00e9", "h": {"x": [1.0, null]}, "i": ""}]'
        )
        self.assertEqual(
            reading.table.records(),
            [
                (
                    *("1.50", "100000", "12345678901234567890123", "-0", "", "true"),
                    *("007\né", '{"x": [1.0, null]}', ""),
                )
            ],
        )

    def test_fields_are_those_of_all_records(self) -> None:
        reading = json_of('[{"a": 1}, {"b": 2, "a": 3}, {"c": 4}]')
        self.assertEqual(reading.table.headings, ("a", "b", "c"))
        self.assertEqual(
            reading.table.records(), [("1", "", ""), ("3", "2", ""), ("", "", "4")]
        )
        self.assertIn("3 records lack some of the fields", reading.notes[0].what)

    def test_a_list_under_a_key(self) -> None:
        text = '{"n": 1, "places": {"a/b": [{"berth": 1}], "list": [{"berth": 2}]}}'
        self.assertEqual(json_of(text, "#/places/list").table.records(), [("2",)])
        self.assertEqual(json_of(text, "#/places/a~1b").table.records(), [("1",)])
        with self.assertRaises(UnreadableSource) as caught:
            json_of(text, "#/places/lst")
        self.assertIn("Did you mean 'list'?", caught.exception.paragraph())
        with self.assertRaises(UnreadableSource) as caught:
            json_of(text)
        self.assertIn("#/places/a~1b, #/places/list", caught.exception.paragraph())
        found = json_of('{"x": {"list": [{"berth": 3}]}}')
        self.assertEqual(found.table.records(), [("3",)])
        self.assertIn("found under /x/list", found.notes[0].what)

    def test_what_is_no_object_is_set_aside(self) -> None:
        reading = json_of('[{"a": 1}, 5, [1], {"a": 2}]')
        self.assertEqual(reading.table.origin.record.tolist(), [1, 4])
        (aside,) = reading.aside
        self.assertEqual(aside.text, ("5", "[1]"))
        self.assertEqual(reading.source.records_in, 4)

    def test_a_member_named_twice_is_no_silent_loss(self) -> None:
        reading = json_of(
            '[{"a": 1, "a": 2}, {"a": "x: \\"a\\": y", "b": {"c": 1, "c": 2}},'
            ' {"a"\t:1,"b":2, "a" :3}, {"a": "12:30"}]'
        )
        self.assertEqual(
            reading.table.records(),
            [('x: "a": y', '{"c": 1, "c": 2}'), ("12:30", "")],
        )
        (aside,) = reading.aside
        self.assertEqual(aside.reason, "two members of one name")
        self.assertEqual(aside.table.origin.record.tolist(), [1, 3])
        self.assertEqual(aside.text[0], '{"a": 1, "a": 2}')

    def test_lines(self) -> None:
        reading = json_of('\ufeff{"a": 1}\r\n\n{"a": oops}\n{"a": "x"}', lines=True)
        self.assertEqual(reading.table.records(), [("1",), ("x",)])
        self.assertEqual(reading.aside[0].text, ('{"a": oops}',))

    def test_what_is_broken_is_told_with_its_line(self) -> None:
        cases = {
            '[\n{"a": 1},\n{"a": tru}]': "line 3: it is not JSON",
            '[{"a": 1}': "it ends too soon",
            '[{"a": "\\ud800"}]': "half a character",
            "[" * 100000: "nested too deeply",
            "5": "a single value",
            "[]": "no record with a field",
            "[1, 2]": "none of its elements",
            "{}": "this holds none",
            "  ": "nothing in it",
        }
        for text, told in cases.items():
            with (
                self.subTest(text=text[:30]),
                self.assertRaises(UnreadableSource) as it,
            ):
                json_of(text)
            self.assertIn(told, it.exception.paragraph())
        with self.assertRaises(UnreadableSource) as caught:
            json_of(b'[{"a": "\xe9"}]')
        self.assertIn("not written in UTF-8", caught.exception.paragraph())
