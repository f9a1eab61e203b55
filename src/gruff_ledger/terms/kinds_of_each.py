"""The kinds of values that have something for each of some names; see `kinds`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from gruff_ledger.field_names import parse_names, parse_pairs
from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.kinds import TEXT_LIST, TEXTS, Kind, PlainText
from gruff_ledger.terms.written import are_texts, split_pair


class TextOfEach(Kind):
    """A text for each name; a docket may write ``"a=b, c=d"``."""

    words = "a table with a text for each name"
    placeholder = "NAME=TEXT, …"
    example = ' As in --{key} "Boat name=Boat". May be repeated.'
    is_repeated = True
    of_names = False

    def widened(self, value: Any) -> Any:
        """Return a text with pairs in it as a table."""
        return self._table([value]) if isinstance(value, str) else value

    def fits(self, value: Any) -> bool:
        """Whether it is a table of texts."""
        return isinstance(value, Mapping) and all(
            isinstance(each, str) for each in value.values()
        )

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": ["object", "string"], "additionalProperties": TEXTS}

    def of_option(self, said: Any) -> Any:
        """Return all pairs that are given as one table."""
        return self._table(said)

    def _table(self, said: Sequence[str]) -> dict[str, str]:
        return dict(
            pair for each in said for pair in parse_pairs(each, of_names=self.of_names)
        )


class NameOfEach(TextOfEach):
    """A name for each name."""

    words = "a table with a name for each name, or pairs of names"
    placeholder = "NAME=NAME, …"
    example = ' As in --{key} "Boat name=Boat, Mooring=Berth". May be repeated.'
    of_names = True


class FormulaOfEach(TextOfEach):
    """A formula for each name."""

    words = "a table with a formula for each name"
    placeholder = "FIELD=FORMULA"
    example = ' As in --{key} "fee=rate * length". May be repeated.'

    def widened(self, value: Any) -> Any:
        """Return a value as it is: a formula may hold commas and equals signs."""
        return value

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": "object", "additionalProperties": TEXTS}

    def of_option(self, said: Any) -> Any:
        """Return the formula of each name."""
        return dict(self._pair(each) for each in said)

    def _pair(self, text: str) -> tuple[str, str]:
        name, sign, formula = text.partition("=")
        if name.strip() and sign:
            return split_pair(text, self.placeholder)
        # The habit of a spreadsheet, where a cell has its place and no name.
        raise BadTerms(
            f"'{text}' does not name the field that it is for.",
            f'Write the field\'s name first: "Value={(formula or name).strip()}".',
        )


class ValueOfEach(TextOfEach):
    """A number, date or text for each name, held as the text of a cell."""

    words = "a table with a value for each field"
    placeholder = "FIELD=VALUE"
    example = ' As in --{key} "Length=1". May be repeated.'

    def widened(self, value: Any) -> Any:
        """Return numbers and dates of TOML as the texts of cells."""
        if not isinstance(value, Mapping):
            return value
        return {name: PlainText().widened(each) for name, each in value.items()}

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": "object", "additionalProperties": PlainText().schema()}

    def of_option(self, said: Any) -> Any:
        """Return the value of each name; it may hold commas and equals signs."""
        return dict(split_pair(each, self.placeholder) for each in said)


class ListOfEach(ValueOfEach):
    """For each name a list to look into, and the field there if it is called else."""

    words = "a table with a list for each field, as 'codes.csv' or 'Code IN codes.csv'"
    placeholder = "FIELD=LIST"
    example = (
        ' As in --{key} "Class=tariff.csv", or "Class=Code IN tariff.csv". May be '
        "repeated."
    )


class NamesOfEach(Kind):
    """Names for each name."""

    words = "a table with a list of names for each name"
    placeholder = "FIELD=VALUE, …"
    example = ' As in --{key} "class=A, B, C". May be repeated.'
    is_repeated = True

    def fits(self, value: Any) -> bool:
        """Whether it is a table of texts and lists of texts."""
        return isinstance(value, Mapping) and all(
            isinstance(each, str) or are_texts(each) for each in value.values()
        )

    def settled(self, value: Any) -> Any:
        """Return the names of each as a tuple."""
        return {
            name: parse_names(each) if isinstance(each, str) else tuple(each)
            for name, each in value.items()
        }

    def plain(self, value: Any) -> Any:
        """Return the names of each as a list."""
        return {name: list(each) for name, each in value.items()}

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": "object", "additionalProperties": TEXT_LIST}

    def of_option(self, said: Any) -> Any:
        """Return the names of each name."""
        pairs = (split_pair(each, self.placeholder) for each in said)
        return {name: list(parse_names(values)) for name, values in pairs}


class ExamplesOfEach(NamesOfEach):
    """Examples for each name: a text of one or several, or a list of such."""

    words = "a table with an example, or a list of examples, for each field"
    placeholder = "FIELD=EXAMPLE, …"
    example = ' As in --{key} "Amount=1.234,56 €". May be repeated.'

    def settled(self, value: Any) -> Any:
        """Return the examples of each as a tuple."""
        return {
            name: (each,) if isinstance(each, str) else tuple(each)
            for name, each in value.items()
        }

    def plain(self, value: Any) -> Any:
        """Return the examples of each, one alone as it is."""
        return {
            name: each[0] if len(each) == 1 else list(each)
            for name, each in value.items()
        }

    def of_option(self, said: Any) -> Any:
        """Return the examples of each name; those of a name given twice are joined."""
        found: dict[str, list[str]] = {}
        for name, text in (split_pair(each, self.placeholder) for each in said):
            found.setdefault(name, []).append(text)
        return found
