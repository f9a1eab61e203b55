"""Tests of what is said of typical mistakes: what to type instead, to the letter."""

import shlex
import unittest

from tests.support import FolderTest

# A line as people type it, and the paragraph that answers it.
MISTAKES = (
    (
        "count list.csv --by Item code",
        "code: there is no such file. A name with a space needs quotes: --by "
        '"Item code"',
    ),
    (
        "sort list.csv --by Item code",
        'A name with a space needs quotes: --by "Item code"',
    ),
    (
        "split list.csv Item",
        "split takes one list, and 'Item' is not one. A field is named in an "
        "option: --field Item",
    ),
    (
        "sort list.csv b.csv --by Item",
        "sort takes one list. Put them together first: gruff merge list.csv "
        "b.csv --to all.csv",
    ),
    (
        "lookup list.csv b.csv --key Item",
        "lookup takes one list, and the one to look into in --in: --in b.csv",
    ),
    (
        "scrub list.csv --fields Item code --trim",
        'A name with a space needs quotes: --fields "Item code"',
    ),
    (
        'pick list.csv --where "Item = Rice"',
        "--where: list has no field 'Rice'. Did you mean 'Price'? "
        "A text goes in single quotes: 'Rice'.",
    ),
    (
        'pick list.csv --where "Qty == 2"',
        "--where: '==' means nothing in a formula. For equal write =.",
    ),
    (
        'pick list.csv --where "Qty > 1 && Price < 3"',
        "--where: '&' means nothing in a formula. For both conditions write "
        "AND, to join texts ||.",
    ),
    (
        'compute list.csv --formula "=Qty*Price"',
        "--formula: '=Qty*Price' does not name the field that it is for. Write "
        'the field\'s name first: "Value=Qty*Price".',
    ),
    (
        'compute list.csv --formula "Value=Qty*Prise"',
        "--formula: list has no field 'Prise'. Did you mean 'Price'? "
        "A text goes in single quotes: 'Prise'.",
    ),
    (
        'compute list.csv --formula "Value=SUM(Qty)"',
        "--formula: there is no function SUM. A formula works on one record. "
        "The sum of a field is in survey.",
    ),
    (
        'compute list.csv --formula "Value=IF(Qty>1, 2, 3)"',
        "--formula: there is no function IF. Write CASE WHEN condition THEN "
        "value ELSE value END.",
    ),
    (
        "dedupe list.csv",
        "there is no command 'dedupe'. To take out records that repeat: gruff "
        "duplicates list.csv",
    ),
    (
        'filter list.csv --where "Qty > 1"',
        "there is no command 'filter'. To pick records by a condition: gruff "
        "pick list.csv --where \"Price > 5 AND Item = 'Rice'\"",
    ),
    (
        "convert list.csv",
        "there is no command 'convert'. To write a list in another format: "
        "gruff show list.csv --to list.xlsx",
    ),
    (
        "append list.csv b.csv",
        "there is no command 'append'. To put lists together: gruff merge "
        "list.csv b.csv --to all.csv",
    ),
    (
        "vlookup list.csv",
        "there is no command 'vlookup'. To take values from another list: "
        "gruff lookup list.csv --in OTHER --key FIELD",
    ),
    (
        "pivot list.csv",
        "there is no command 'pivot'. To add figures up: gruff rollup list.csv "
        "--down FIELD --value FIELD",
    ),
    (
        "diff list.csv b.csv",
        "there is no command 'diff'. To compare two lists: gruff compare "
        "list.csv b.csv",
    ),
    (
        "validate list.csv",
        "there is no command 'validate'. To check a list against rules: gruff "
        "flag list.csv --rules rules.toml",
    ),
    (
        "rename list.csv",
        "there is no command 'rename'. To keep, drop, order or rename fields: "
        'gruff fields list.csv --drop FIELD --rename "Old=New"',
    ),
    (
        "clean list.csv",
        "there is no command 'clean'. To put cells in order: gruff scrub "
        "list.csv --trim --squeeze",
    ),
    (
        "view list.csv",
        "there is no command 'view'. To look at a list: gruff show list.csv",
    ),
    (
        "list.csv",
        "there is no command 'list.csv'. A command comes first. To look at the "
        "list: gruff survey list.csv",
    ),
    (
        "merg list.csv",
        "there is no command 'merg'. Did you mean 'merge'?",
    ),
    (
        "frobnicate list.csv",
        "there is no command 'frobnicate'. gruff --help lists the commands.",
    ),
    (
        "count list.csv --by Item --ignore-case",
        "there is no option '--ignore-case'. Give --match loose: spaces and "
        "case then do not count.",
    ),
    (
        "sort list.csv --by Qty --descending",
        "there is no option '--descending'. Write DESC behind the field: --by "
        '"FIELD DESC".',
    ),
    (
        "sort list.csv --by Qty --reverse",
        "there is no option '--reverse'. Write DESC behind the field: --by "
        '"FIELD DESC".',
    ),
    (
        "merge list.csv --sheet May",
        "there is no option '--sheet'. A tab is part of the address: "
        "book.xlsx#sheet=May.",
    ),
    (
        "merge list.csv --output x.csv",
        "there is no option '--output'. Did you mean '--to'?",
    ),
    (
        'merge list.csv --where "Qty > 1"',
        "there is no option '--where'. Pick the records first: gruff pick LIST "
        '--where "Price > 5" --to picked.csv.',
    ),
    (
        "duplicates list.csv --key Item",
        "there is no option '--key'. Did you mean '--by'?",
    ),
    (
        "duplicates list.csv --by Item --keep first",
        "there is no option '--keep'. Did you mean '--stays'?",
    ),
    (
        "duplicates list.csv --by Item --stays frist",
        "--stays: 'frist' is not one of: first, last, fullest, newest, oldest, "
        "greatest, least, none. Did you mean 'first'?",
    ),
    (
        "count list.csv --columns Item",
        "there is no option '--columns'. Did you mean '--by'?",
    ),
    (
        "merge list.csv --sep ;",
        "there is no option '--sep'. Did you mean '--delimiter'?",
    ),
    (
        "merge list.csv --no-header",
        "there is no option '--no-header'. Give --header-rows 0 if the list "
        "has no row of headings.",
    ),
    (
        "merge list.csv --to b.csv --force",
        "there is no option '--force'. Did you mean '--replace'?",
    ),
    (
        "lookup list.csv --with b.csv --key Item",
        "there is no option '--with'. Did you mean '--in'?",
    ),
    (
        "lookup list.csv --in b.csv --on Item",
        "there is no option '--on'. Did you mean '--key'?",
    ),
    (
        "rollup list.csv --down Item --sum Qty",
        "there is no option '--sum'. Did you mean '--value'?",
    ),
    (
        "pick list.csv --top five --by Qty",
        "--top: 'five' is not a whole number. Its meaning: how many records to "
        "pick that come first in the order --by.",
    ),
    (
        "merge missing.csv",
        "missing.csv: there is no such file. Correct the path.",
    ),
    (
        "merge lost.csv",
        "lost.csv: there is no such file. Did you mean 'list.csv'?",
    ),
    (
        "count list.csv --by Itm",
        "list has no field 'Itm'. Did you mean 'Item'?",
    ),
    (
        "count list.csv --by Color",
        "list has no field 'Color'. The fields are 'Item code', 'Item', 'Qty', "
        "'Price'.",
    ),
    (
        "sort list.csv",
        "--by: it is required: the fields to order by, the first one first, as "
        "in 'quay, joined DESC, berth AS CODE'; AS TEXT, CODE, NUMBER or DATE "
        "says how.",
    ),
    (
        "split list.csv --field Item",
        "--at: no way to split was given. Give one of --at, --pattern and --widths.",
    ),
    (
        "pick list.csv",
        "--where: no condition and no number of records was given. Give a "
        "condition in --where, or a number in --top with --by.",
    ),
    (
        "merge",
        "no list was given. gruff merge --help shows how it is used.",
    ),
    (
        "run",
        "no docket was given. gruff run --help shows how it is used.",
    ),
)


class MistakesTest(FolderTest):
    def test_each_is_answered_with_what_to_type(self) -> None:
        self.write("list.csv", "Item code,Item,Qty,Price\n1,Rice,2,3.5\n2,Salt,1,2\n")
        self.write("b.csv", "Item,Qty\nRice,4\n")
        self.assertGreaterEqual(len(MISTAKES), 40)
        for line, answer in MISTAKES:
            with self.subTest(line=line):
                done = self.gruff(*shlex.split(line), status=2)
                said, *_ = done.stderr.decode().splitlines()
                self.assertEqual(said, f"gruff: {answer}")
                self.assertEqual(done.stdout, b"")

    def test_a_name_with_spaces_that_is_quoted_works(self) -> None:
        self.write("list.csv", "Item code,Item\n1,Rice\n")
        self.gruff("count", "list.csv", "--by", "Item code")


if __name__ == "__main__":
    unittest.main()
