"""Tests of finding the lines of tables and keys in TOML."""

import tomllib
import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.docket.toml_lines import line_of, statements

TEXT = (
    '''# a comment with [[out]]
docket = 1
title = """
[[out]]
docket = 7
to = "x" \\""" and more"""
note = '''
    + "'''"
    + """
[lists.no]
"""
    + "'''"
    + ''' # [[out]]
[lists."my list"]  # here
from = "a]b.csv"
'quote' = "none"
[lists.north]
from = "north.csv"

[lists.north.written]
Dues = [
  "1,5", # [[out]]
  "]",
]
[[ entry ]]
do = "merge"
lists = ["north",
  "my list"]
[[entry]]
do = "scrub"
null = """-
[[out]]"""
by = "Boat"
[[entry.tables]]
key = { a = 1, b = [2] }
[[out]]
to = "b.csv"
'''
)


class LineOfTest(unittest.TestCase):
    def test_what_stands_in_strings_is_no_table(self) -> None:
        """Nor in comments and lists over several lines."""
        tomllib.loads(TEXT)
        lines = TEXT.split("\n")
        stated = tuple(statements(TEXT))
        for table, number, key, text in (
            ((), 1, "docket", "docket = 1"),
            ((), 1, "note", "note = '''"),
            (("lists", "my list"), 1, None, '[lists."my list"]  # here'),
            (("lists", "my list"), 1, "quote", "'quote' = \"none\""),
            (("lists", "north"), 1, "from", 'from = "north.csv"'),
            (("lists", "north"), 1, "written", "[lists.north.written]"),
            (("entry",), 1, None, "[[ entry ]]"),
            (("entry",), 2, "by", 'by = "Boat"'),
            (("entry",), 2, "tables", "[[entry.tables]]"),
            (("out",), 1, None, "[[out]]"),
            (("out",), 1, "to", 'to = "b.csv"'),
        ):
            with self.subTest(table=table, number=number, key=key):
                line = line_of(stated, table, number, key)
                self.assertEqual(lines[(line or 0) - 1], text)

    def test_a_key_that_is_not_there_has_the_line_of_its_table(self) -> None:
        """And what is nowhere has none."""
        stated = tuple(statements(TEXT))
        at = line_of(stated, ("out",))
        self.assertEqual(line_of(stated, ("out",), 1, "list"), at)
        self.assertIsNone(line_of(stated, ("out",), 2))
        self.assertIsNone(line_of(stated, ("ask", "month"), 1, "say"))
        self.assertIsNone(line_of(stated, (), 1, "ledger"))

    def test_tables_in_one_line_are_found_too(self) -> None:
        """By the key that holds them."""
        stated = tuple(statements('docket = 1\nlists = { a = { from = "x" } }\n'))
        self.assertEqual(line_of(stated, ("lists", "a"), 1, "from"), 2)
        dotted = tuple(statements('docket = 1\nlists.a.from = "x"\n'))
        self.assertEqual(line_of(dotted, ("lists", "a"), 1, "from"), 2)


class StatementsTest(unittest.TestCase):
    @given(
        st.lists(
            st.sampled_from(
                (
                    *("a", "=", "1", ".", "\n", " ", "#", "[", "]", "[[", "]]"),
                    *('"', "'", '"""', "'''", "\\", "{", "}", ",", "b", "x = 2\n"),
                )
            ),
            max_size=40,
        )
    )
    def test_any_text_ends_and_right_ones_have_their_keys(
        self, parts: list[str]
    ) -> None:
        """Every key and table that the standard library reads is found."""
        text = "".join(parts)
        found = list(statements(text))
        try:
            read = tomllib.loads(text)
        except tomllib.TOMLDecodeError:
            return
        self.assertEqual({each.path[0] for each in found}, set(read))


if __name__ == "__main__":
    unittest.main()
