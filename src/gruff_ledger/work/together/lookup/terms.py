"""The terms of `lookup`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.field_names import parse_pair
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.terms.declared import ListAddress, Pair, Terms
from gruff_ledger.work.keys.fields import MATCH, Level
from gruff_ledger.work.keys.pairs import parse_key_pairs
from gruff_ledger.work.orders import parse_order


class LookupTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    in_: Annotated[ListAddress, Meta(description="The reference list to look into.")]
    key: Annotated[
        tuple[Pair, ...],
        Meta(
            description="The fields by which a record is found: Class, or Class=Code "
            "where the reference list calls it Code; Boat=Vessel AS LOOSE states the "
            "level."
        ),
    ] = ()
    match: Annotated[Level, MATCH] = "exact"
    band: Annotated[
        str | None,
        Meta(
            description="Numbers or dates in bands, as in Length=From: the record with "
            "the greatest From that is not above Length is found."
        ),
    ] = None
    take: Annotated[
        tuple[Pair, ...],
        Meta(
            description="The fields to take from the reference list: Rate, or "
            "Rate=Tariff to call it Tariff here."
        ),
    ] = ()
    field_there: Annotated[
        Literal["refuse", "fill", "overwrite"],
        Meta(
            description="When the list already has such a field: refuse; fill its "
            "blanks; or overwrite what is found."
        ),
    ] = "refuse"
    which: Annotated[
        Literal["only", "first", "last", "least", "greatest", "every"],
        Meta(
            description="Which match to take: only fills nothing where there are "
            "several; least and greatest are by the field in `of`; every makes a "
            "record of each match."
        ),
    ] = "only"
    of: Annotated[
        str | None,
        Meta(
            description="The field of the reference list of which the least or "
            "greatest is taken, such as Paid on AS DATE."
        ),
    ] = None
    default: Annotated[
        dict[str, str],
        Meta(description="What goes in a new field where nothing was found."),
    ] = {}  # noqa: RUF012  (copied for each by msgspec)
    status: Annotated[
        str | None,
        Meta(
            description="The heading of a field, added last, that says matched, none "
            "or several."
        ),
    ] = None
    severity: Annotated[
        Literal["note", "warn", "stop"],
        Meta(description="How bad it is that a key is not found, or several times."),
    ] = "warn"
    check: Annotated[
        bool,
        Meta(
            description="Only tell how the keys of both lists meet, both ways: blank, "
            "repeated, found and not found."
        ),
    ] = False

    def __post_init__(self) -> None:
        """Refuse terms that contradict each other."""
        parse_key_pairs(self.key, "key")
        if not self.key and self.band is None:
            raise BadTerms(
                "no key field was given.",
                "Name it in `key`, or a band in `band`.",
                term="key",
            )
        if self.band is not None:
            with said_by("band"):
                mine, theirs = parse_pair(self.band)
                if len(parse_order(theirs, "band")) != 1 or not mine:
                    raise BadTerms(
                        "one field of each list makes the bands.",
                        "Write it as in Length=From.",
                    )
        if not self.take and self.status is None and not self.check:
            raise BadTerms(
                "nothing is taken.",
                "Name fields of the reference list in `take`; to see first how the "
                "keys meet, add `check true`.",
                term="take",
            )
        with said_by("take"):
            self._check_taken()
        if (self.of is None) == (self.which in ("least", "greatest")):
            raise BadTerms(
                "least and greatest need a field, and none was given."
                if self.of is None
                else "it only applies with least or greatest.",
                "Give `which` least or greatest and `of` together.",
                term="of" if self.of is not None else "which",
            )

    def _check_taken(self) -> None:
        new = [heading for _, heading in self.taken]
        for place, heading in enumerate(new):
            if heading in new[:place]:
                raise BadTerms(
                    f"two fields would be called '{heading}'.",
                    "Give each a heading of its own, as in Rate=Tariff.",
                )
        for heading in self.default:
            if heading not in new:
                raise BadTerms(
                    f"'{heading}' is not among the fields that are taken.",
                    f"Those are: {', '.join(new) or 'none'}.",
                    term="default",
                )

    @property
    def taken(self) -> tuple[tuple[str, str], ...]:
        """Each field that is taken: its name there, and its heading here."""
        from gruff_ledger.field_names import parse_names

        found = []
        for item in self.take:
            theirs, mine = parse_pair(item)
            names = parse_names(mine)
            if len(names) != 1:
                raise BadTerms(
                    f"'{item}' is not a pair of names.", "Write it as in Rate=Tariff."
                )
            if theirs == item:
                theirs = names[0]
            found.append((theirs, names[0]))
        return tuple(found)
