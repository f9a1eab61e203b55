"""The chart of a rollup: a trend over the labels across, or a comparison of lists."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, BinaryIO

import numpy as np

from gruff_ledger.report.charts import FAINT, INK, new_figure, save_figure, short_name
from gruff_ledger.work.together.rollup.cube import Figures
from gruff_ledger.work.together.rollup.perform import Charted

if TYPE_CHECKING:
    from matplotlib.axes import Axes

# Told apart also in grey and by the colour-blind: each with a mark of its own.
_COLOURS = ("#2f6b5e", "#b4652d", "#5b5b8c", "#8a7a2c", "#7a4b5e", "#4a7a8c")
_MARKS = ("o", "s", "^", "D", "v", "P")
_MOST_LINES = len(_COLOURS)

# More labels could not be read beside each other.
_MOST_GROUPS = 24
_MOST_TICKS = 14

# From so many labels across on they are likelier a course of time than a few kinds.
_TREND_FROM = 3


def write_rollup_chart(
    charted: Charted,
    sink: BinaryIO,
    ending: str,
    sources: Mapping[str, Mapping[str, Any]],
) -> None:
    """
    Draw a rollup.

    Parameters
    ----------
    charted : Charted
    sink : binary file
    ending : str
        ``.png`` or ``.svg``.
    sources : mapping
        What the account knows of each list, by its name.
    """
    draw = charted.terms.draw
    if draw is None:
        draw = "trend" if len(charted.sides.across) >= _TREND_FROM else "comparison"
    figure = new_figure(10.0, 6.25)
    axis = figure.subplots()
    if draw == "trend":
        _draw_trend(axis, charted)
    else:
        _draw_comparison(axis, charted)
    for side in ("top", "right"):
        axis.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axis.spines[side].set_color(FAINT)
    axis.tick_params(colors=INK, length=0)
    axis.grid(axis="y", color="#e3e7ec", linewidth=0.8)
    axis.set_axisbelow(True)
    axis.yaxis.set_major_formatter(lambda value, _: f"{value:,.10g}".replace(",", " "))
    handles, _ = axis.get_legend_handles_labels()
    if len(handles) > 1:
        axis.legend(
            loc="lower left",
            bbox_to_anchor=(0, 1.0),
            ncols=4,
            frameon=False,
            fontsize=10,
            borderaxespad=0.2,
        )
    save_figure(figure, sink, ending)


def _numbers(figures: Figures) -> np.ndarray[Any, Any]:
    """Return figures as a chart needs them: no number where there is none."""
    values, scale, divisor = figures.amounts
    found = values.astype(np.float64) / 10.0**scale
    if divisor is not None:
        found = found / divisor.astype(np.float64)
    found[~figures.there] = np.nan
    return found


def _draw_trend(axis: Axes, charted: Charted) -> None:
    """Draw a line a list over the labels across, and one of all lists."""
    across = charted.sides.across
    places = range(len(across))
    lines = [
        (name, _numbers(charted.across(number)))
        for number, name in enumerate(charted.names)
    ]
    more = ""
    if len(lines) == 1:
        lines, more = _lines_of_labels(charted)
    elif len(lines) <= _MOST_LINES:
        axis.plot(
            places,
            _numbers(charted.across()),
            color=INK,
            linewidth=2.6,
            label="all lists",
        )
    else:
        more = f", {len(lines) - _MOST_LINES} more lists"
    for number, (name, values) in enumerate(lines[:_MOST_LINES]):
        axis.plot(
            places,
            values,
            color=_COLOURS[number],
            marker=_MARKS[number],
            markersize=6,
            linewidth=1.8,
            label=short_name(name),
        )
    axis.set_ylim(bottom=min(0.0, axis.get_ylim()[0]))
    _ticks(axis, across)
    over = charted.terms.across or f"{len(across)} labels"
    _title(axis, charted, f"over {over}{more}")


def _lines_of_labels(charted: Charted) -> tuple[list[tuple[str, Any]], str]:
    """Return a line for each of the greatest labels down, of one list."""
    labels = _labels_down(charted)
    totals = np.nan_to_num(_numbers(charted.down()))
    order = np.argsort(-np.abs(totals), kind="stable")[:_MOST_LINES]
    left = len(labels) - len(order)
    lines = [
        (labels[place], _numbers(charted.row(place)))
        for place in sorted(order.tolist())
    ]
    return lines, f", {left} more labels down" if left else ""


def _labels_down(charted: Charted) -> list[str]:
    cells = [column.to_pylist() for column in charted.sides.down]
    return [" / ".join(each) for each in zip(*cells, strict=True)]


def _draw_comparison(axis: Axes, charted: Charted) -> None:
    """Draw for each label down a bar of each list, beside each other."""
    labels = _labels_down(charted)
    shown = labels[:_MOST_GROUPS]
    names = charted.names[:_MOST_LINES]
    width = 0.8 / len(names)
    at = np.arange(len(shown))
    for number, name in enumerate(names):
        values = _numbers(charted.down(number))[: len(shown)]
        axis.bar(
            at + (number - (len(names) - 1) / 2) * width,
            np.nan_to_num(values),
            width * 0.92,
            color=_COLOURS[number],
            label=short_name(name),
        )
    _ticks(axis, shown)
    more = ""
    if len(labels) > len(shown):
        more = f", {len(labels) - len(shown)} more labels"
    if len(charted.names) > len(names):
        more += f", {len(charted.names) - len(names)} more lists"
    by = ", ".join(charted.terms.down) or "label"
    _title(axis, charted, f"by {by}{more}")


def _ticks(axis: Axes, labels: Sequence[str]) -> None:
    step = -(-len(labels) // _MOST_TICKS) or 1
    places = list(range(0, len(labels), step))
    names = [short_name(labels[place], 18) for place in places]
    turned = sum(map(len, names)) > 100
    axis.set_xticks(
        places,
        names,
        rotation=30 if turned else 0,
        ha="right" if turned else "center",
    )


def _title(axis: Axes, charted: Charted, what: str) -> None:
    names = ", ".join(charted.names[:3]) + (" …" if len(charted.names) > 3 else "")
    terms = charted.terms
    figure = terms.figure.capitalize()
    if len(terms.value) == 1:
        figure += f" of {terms.value[0]}"
    axis.set_title(
        short_name(f"{figure} {what}: {names}", 90),
        loc="left",
        fontsize=12,
        fontweight="bold",
        color=INK,
        pad=34,
    )
