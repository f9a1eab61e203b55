"""The terms of `rollup`."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Heading, Terms
from gruff_ledger.work.keys.fields import ALIASES, MATCH, Level


class RollupTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    down: Annotated[
        tuple[str, ...],
        Meta(
            description="The fields with the labels down the side; the first field of "
            "each list, unless named."
        ),
    ] = ()
    across: Annotated[
        str | None,
        Meta(
            description="In long lists, the field whose values are the labels across "
            "the top. A list without it is taken for a grid, with labels in its "
            "headings."
        ),
    ] = None
    value: Annotated[
        tuple[str, ...],
        Meta(
            description="The fields with the figures of long lists; without them all "
            "fields but the labels are figures."
        ),
    ] = ()
    figure: Annotated[
        Literal["sum", "mean", "count", "least", "greatest", "first", "last"],
        Meta(
            description="What each cell of the result is of the cells that meet: of "
            "their numbers; count, how many are filled; first and last, a cell as it "
            "is written."
        ),
    ] = "sum"
    match: Annotated[Level, MATCH] = "exact"
    aliases: Annotated[dict[str, Heading], ALIASES] = {}  # noqa: RUF012  (copied)
    by_position: Annotated[
        bool,
        Meta(
            description="Put grids of one shape on each other cell by cell; labels "
            "that do not agree are findings."
        ),
    ] = False
    order: Annotated[
        Literal["appearance", "sorted", "sorted-down", "sorted-across"],
        Meta(
            description="Labels as they first appear in the lists; or sorted, both "
            "ways or one."
        ),
    ] = "appearance"
    corner: Annotated[
        str | None,
        Meta(
            description="The heading of the labels down the side, if not the first's."
        ),
    ] = None
    missing: Annotated[
        Literal["blank", "zero"],
        Meta(description="What goes where no list has a number."),
    ] = "blank"
    totals: Annotated[
        Literal["none", "below", "beside", "both"],
        Meta(
            description="Add totals: below, a last record; beside, a last field; or "
            "both."
        ),
    ] = "none"
    leave_out_totals: Annotated[
        bool,
        Meta(
            description="Leave out rows and columns of totals that the lists have; "
            "they are checked against what they add up."
        ),
    ] = False
    detail: Annotated[
        Literal["none", "beneath", "beside"],
        Meta(
            description="What each list gives to each figure: beneath, in records of "
            "their own; or beside, in fields of their own."
        ),
    ] = "none"
    change: Annotated[
        bool,
        Meta(description="With detail, the change from each list to the next, too."),
    ] = False
    draw: Annotated[
        Literal["trend", "comparison"] | None,
        Meta(
            description="What the chart shows: trend, lines over the labels across; or "
            "comparison, bars of the lists beside each other for each label down."
        ),
    ] = None

    @property
    def settles(self) -> frozenset[str]:
        """Rows of totals are left out, or pointed out, by the work itself."""
        return frozenset({"totals"})

    @property
    def gives_cells(self) -> bool:
        """Whether figures are cells as they are written, and need not be numbers."""
        return self.figure in ("first", "last")

    def __post_init__(self) -> None:
        """Refuse terms that contradict each other."""
        if self.change and self.gives_cells:
            raise BadTerms(
                "a change is worked out from numbers, but the first or last cell is "
                "given as it is written.",
                "Leave out `change`, or give `figure sum`.",
                term="change",
            )
        if self.across is not None and not self.value:
            raise BadTerms(
                "no field with the figures was given.",
                "Name it in `value`.",
                term="value",
            )
        if self.by_position and (self.across is not None or self.match != "exact"):
            raise BadTerms(
                "by position labels are not matched.",
                "Leave out `across` and `match`, or `by-position`.",
                term="by-position",
            )
        if self.change and self.detail == "none":
            raise BadTerms(
                "changes from list to list are in the detail.",
                "Give `detail beneath` or `detail beside`.",
                term="change",
            )
        if self.across is not None and self.across in self.down:
            raise BadTerms(
                f"'{self.across}' cannot have the labels of both sides.",
                "Name another field.",
                term="across",
            )
