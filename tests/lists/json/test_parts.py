"""Objects that are read by array work are those that would be read one by one."""

import contextlib
import json
import unittest
from collections.abc import Iterator
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.lists.json import parts, regular
from gruff_ledger.problems import UnreadableSource
from tests.lists.json.texts import json_of

# What lists of a pharmacy have: numbers with exponents, quotes, nested doses, nulls.
_TEXTS = st.text('aeE1 "\\,:{}[]\n\té漢😀', max_size=6)
_NUMBERS = st.sampled_from(["0", "-2.50", "1e3", "1E-7", "12345678901234567890.10"])
_PLAIN = _NUMBERS | st.sampled_from(["true", "false", "null"])
_SPACES = st.sampled_from(["", "", "", " ", "\n\t", " \r\n  "])
_NAMES = ["", "dose", "Name of article", "Name of artikel", 'a"b', "é", "x{", "k\\"]


@st.composite
def _texts(draw: st.DrawFn) -> str:
    return json.dumps(draw(_TEXTS), ensure_ascii=draw(st.booleans()))


@st.composite
def _objects(draw: st.DrawFn, values: st.SearchStrategy[str]) -> str:
    names = draw(st.lists(st.sampled_from(_NAMES), max_size=4, unique=draw(_MOSTLY)))
    members = []
    for name in names:
        before, behind, value = draw(_SPACES), draw(_SPACES), draw(values)
        members.append(f"{before}{json.dumps(name)}{behind}:{before}{value}{behind}")
    return "{" + ",".join(members) + "}"


_MOSTLY = st.sampled_from([True, True, True, False])
_VALUES = st.recursive(
    _texts() | _PLAIN,
    lambda inner: (
        _objects(inner)
        | st.lists(inner, max_size=2).map(lambda each: f"[{','.join(each)}]")
    ),
    max_leaves=4,
)
_ELEMENTS = st.lists(
    st.sampled_from(["", "", "", "", "5", "[{}]", "{}", '"x"']).flatmap(
        lambda other: st.just(other) if other else _objects(_VALUES)
    ),
    min_size=1,
    max_size=12,
)


@contextlib.contextmanager
def _by_arrays(part_bytes: int = 100) -> Iterator[list[bool]]:
    """Have lists read by array work that are too small for it; tells what was."""
    taken = []

    def read(*words: object, **named: object) -> object:
        found = regular.objects_of(*words, **named)  # type: ignore[arg-type]
        taken.append(found is not None)
        return found

    with (
        mock.patch.object(parts, "PART_BYTES", part_bytes),
        mock.patch.object(parts, "LEAST_BYTES", 0),
        mock.patch.object(regular, "LEAST_OBJECTS", 1),
        mock.patch.object(parts, "objects_of", read),
    ):
        yield taken


def _told(text: str, *, lines: bool = False) -> object:
    """Return all that is told of a list."""
    try:
        reading = json_of(text, lines=lines)
    except UnreadableSource as problem:
        return problem.paragraph()
    return (
        reading.table.headings,
        reading.table.records(),
        reading.table.origin.record.tolist(),
        {name: bytes(codes).rstrip(b"\0") for name, codes in reading.kinds.items()},
        [(each.reason, each.text) for each in reading.aside],
        [note.what for note in reading.notes],
    )


class ArraysTest(unittest.TestCase):
    @given(_ELEMENTS, _SPACES, st.sampled_from([1, 60, 400]))
    def test_arrays_are_read_as_one_by_one(
        self, elements: list[str], space: str, part_bytes: int
    ) -> None:
        text = f"[{space}{f'{space},{space}'.join(elements)}{space}]{space}"
        with _by_arrays(part_bytes):
            found = _told(text)
        self.assertEqual(found, _told(text))

    @given(_ELEMENTS, st.sampled_from(["\n", "\r\n", "\n\n"]), _MOSTLY)
    def test_lines_are_read_as_one_by_one(
        self, elements: list[str], end: str, are_lines: bool
    ) -> None:
        if are_lines:
            elements = [each.replace("\n", " ").replace("\r", " ") for each in elements]
        text = end.join(elements)
        with _by_arrays():
            found = _told(text, lines=True)
        self.assertEqual(found, _told(text, lines=True))

    def test_regular_objects_are_no_work_for_python(self) -> None:
        # Missing members, another order, what is nested, escapes: all by arrays.
        records: list[dict[str, object]] = [
            {"Article": "Zinc, 20 mg", "PZN": "00123456", "Price": 3.5, "Rx": False},
            {"PZN": "07654321", "Article": 'Syrup "mild"\nfor children'},
            {"Article": "Ünguent", "Price": None, "Doses": [{"at": "08:00"}, {}]},
        ] * 5
        for lines in (False, True):
            texts = [json.dumps(record) for record in records]
            text = "\n".join(texts) if lines else f"[{', '.join(texts)}]"
            with self.subTest(lines=lines), _by_arrays() as taken:
                reading = json_of(text, lines=lines)
            self.assertGreater(len(taken), 3)
            self.assertTrue(all(taken))
            headings = ("Article", "PZN", "Price", "Rx", "Doses")
            self.assertEqual(reading.table.headings, headings)
            self.assertEqual(
                reading.table.records()[:3],
                [
                    ("Zinc, 20 mg", "00123456", "3.5", "false", ""),
                    ('Syrup "mild"\nfor children', "07654321", "", "", ""),
                    ("Ünguent", "", "", "", '[{"at": "08:00"}, {}]'),
                ],
            )

    def test_two_objects_in_a_line_are_not_two_records(self) -> None:
        good = '{"a": "1"}\n' * 3
        for bad in ('{"a": "2"} {"a": "3"}\n', '{"a":\n"2"}\n', '5\n{"a": "2"},\n'):
            with self.subTest(bad=bad), _by_arrays(1000):
                reading = json_of(good + bad + good, lines=True)
            self.assertTrue(reading.aside)
            self.assertEqual({row[0] for row in reading.table.records()}, {"1"})

    def test_half_a_character_sets_its_line_aside(self) -> None:
        bad = '{"a": "\\udc00 "}'
        with _by_arrays():
            reading = json_of('{"a": "x"}\n' * 40 + bad + "\n", lines=True)
        self.assertEqual(len(reading.table), 40)
        (aside,) = reading.aside
        self.assertEqual(aside.text, (bad,))
        self.assertEqual(aside.table.origin.record.tolist(), [41])

    def test_much_white_space_around_a_value(self) -> None:
        """Looked for by arrays, each space took as long as a look at all values."""
        texts = ['{"a": 1}'] * 99 + ['{"a":' + " \n" * 400_000 + "7" + "\t" * 9 + "}"]
        with _by_arrays(1 << 20) as taken:
            reading = json_of(f"[{','.join(texts)}]")
        self.assertIn(True, taken)
        self.assertEqual(reading.table.texts("a")[-1], "7")

    def test_after_a_very_long_element_all_are_read_one_by_one(self) -> None:
        # Marks take more memory than the text that they are of.
        records = [*[{"a": "x"}] * 5, {"a": "y" * 999, "b": [0] * 999}, {"a": "z"}]
        for lines in (False, True):
            texts = [json.dumps(record) for record in records]
            text = "\n".join(texts) if lines else f"[{', '.join(texts)}]"
            with (
                self.subTest(lines=lines),
                _by_arrays() as taken,
                mock.patch.object(parts, "MOST_PART_BYTES", 500),
            ):
                reading = json_of(text, lines=lines)
            self.assertIn(True, taken)
            self.assertEqual(len(reading.table), 7)
            self.assertEqual(reading.table.texts("b")[5], str([0] * 999))
            self.assertEqual(reading.table.texts("a")[6], "z")

    def test_large_lists_are_read_by_arrays(self) -> None:
        records = [{"PZN": f"{place:08}", "Price": place / 4} for place in range(3000)]
        whole = mock.Mock(side_effect=regular.objects_of)
        with mock.patch.object(parts, "objects_of", whole):
            reading = json_of(json.dumps(records))
        whole.assert_called_once()
        self.assertEqual(reading.table.records()[-1], ("00002999", "749.75"))


if __name__ == "__main__":
    unittest.main()
