"""Charts, drawn by Matplotlib without a screen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, BinaryIO

from gruff_ledger.work.look.survey.field_summary import FieldFacts
from gruff_ledger.work.look.survey.perform import Surveyed

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

# Told apart also in grey, and by the colour-blind: dark, middle, light with a pattern.
_ONCE, _AGAIN, _BLANK = "#2f6b5e", "#9cc7b8", "#f1e3c4"
INK, FAINT = "#1d2430", "#667384"

_BAR_INCHES = 0.34
_WIDTH_INCHES = 10.0
_LONGEST_NAME = 32

# A chart with more fields than this could not be read; the rest is said below.
_MOST_FIELDS = 60


def write_survey_chart(
    surveyed: Sequence[Surveyed],
    sink: BinaryIO,
    ending: str,
    sources: Mapping[str, Mapping[str, Any]],
) -> None:
    """
    Draw for each field how many cells are filled, repeat another, or are blank.

    Parameters
    ----------
    surveyed : sequence of Surveyed
    sink : binary file
    ending : str
        ``.png`` or ``.svg``.
    sources : mapping
        What the account knows of each list, by its name.
    """
    import matplotlib.patches

    shown = [one.fields[:_MOST_FIELDS] for one in surveyed]
    heights = [max(2, len(fields)) * _BAR_INCHES + 0.85 for fields in shown]
    figure = new_figure(_WIDTH_INCHES, sum(heights) + 0.9)
    axes = figure.subplots(
        len(surveyed), 1, squeeze=False, gridspec_kw={"height_ratios": heights}
    )[:, 0]
    for one, fields, axis in zip(surveyed, shown, axes, strict=True):
        _draw(axis, one, fields, sources.get(one.name, {}))
    handles = [
        matplotlib.patches.Patch(facecolor=_ONCE, label="filled, a value's first cell"),
        matplotlib.patches.Patch(facecolor=_AGAIN, label="filled, repeating a value"),
        matplotlib.patches.Patch(
            facecolor=_BLANK,
            edgecolor=FAINT,
            hatch="///",
            label="blank",
            linewidth=0.5,
        ),
    ]
    figure.legend(
        handles=handles, loc="outside upper left", ncols=3, frameon=False, fontsize=10
    )
    save_figure(figure, sink, ending)


def new_figure(width: float, height: float) -> Figure:
    """Return an empty figure of that size in inches, drawn without a screen."""
    import matplotlib
    from matplotlib.figure import Figure
    from matplotlib.layout_engine import ConstrainedLayoutEngine

    matplotlib.use("Agg")
    matplotlib.rcParams.update(
        {"svg.hashsalt": "gruff", "font.family": "sans-serif", "font.size": 10}
    )
    layout = ConstrainedLayoutEngine(h_pad=0.12)
    return Figure(figsize=(width, height), layout=layout)


def save_figure(figure: Figure, sink: BinaryIO, ending: str) -> None:
    """Write a figure as the ending of its path says, without a date or a program."""
    form = ending.removeprefix(".")
    metadata = (
        {"Date": None, "Creator": "Gruff Ledger"}
        if form == "svg"
        else {"Software": None}
    )
    for number, axes in enumerate(figure.axes, 1):
        # Else they are named after the library.
        axes.xaxis.set_gid(f"across-{number}")
        axes.yaxis.set_gid(f"down-{number}")
    figure.savefig(sink, format=form, dpi=128, metadata=metadata)


def _draw(
    axis: Axes,
    one: Surveyed,
    fields: Sequence[FieldFacts],
    source: Mapping[str, Any],
) -> None:
    from matplotlib.ticker import MaxNLocator

    places = range(len(fields))
    once = [fact.distinct for fact in fields]
    again = [fact.filled - fact.distinct for fact in fields]
    blank = [fact.blank for fact in fields]
    filled = [fact.filled for fact in fields]
    axis.barh(places, once, color=_ONCE, height=0.7)
    axis.barh(places, again, left=once, color=_AGAIN, height=0.7)
    axis.barh(
        places,
        blank,
        left=filled,
        color=_BLANK,
        edgecolor=FAINT,
        hatch="///",
        linewidth=0.5,
        height=0.7,
    )
    axis.set_yticks(places, [short_name(fact.field) for fact in fields])
    axis.invert_yaxis()
    axis.set_xlim(0, max(one.records, 1))
    axis.xaxis.set_major_formatter(lambda value, _: f"{value:,.0f}".replace(",", " "))
    axis.xaxis.set_major_locator(
        MaxNLocator(nbins=8, integer=True, steps=[1, 2, 5, 10])
    )
    axis.tick_params(length=0, colors=INK)
    for side in ("top", "right", "left", "bottom"):
        axis.spines[side].set_visible(False)
    for place, fact in zip(places, fields, strict=True):
        said = f"{fact.blank} blank" if fact.blank else "no blanks"
        axis.annotate(
            f"{fact.distinct} different, {said}",
            (1.0, place),
            xycoords=("axes fraction", "data"),
            xytext=(6, 0),
            textcoords="offset points",
            va="center",
            fontsize=9,
            color=FAINT,
        )
    more = len(one.fields) - len(fields)
    title = f"{short_name(source.get('address', one.name), 70)}   {one.records} records"
    if more > 0:
        title += f", {more} more fields"
    axis.set_title(title, loc="left", fontsize=11, fontweight="bold", color=INK)


def short_name(text: str, most: int = _LONGEST_NAME) -> str:
    """Return a name that Matplotlib shows as it is, and that leaves room for bars."""
    plain = "".join(mark if mark.isprintable() else "·" for mark in text)
    short = plain if len(plain) <= most else plain[: most - 1] + "…"
    return short.replace("$", r"\$")
