"""What happens along time: connected lines with their bands, and a grid of months by years."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..core import thresholds as T
from ..core.distribution.look import Scale
from ..core.series.series import SeriesAnswers
from ..core.shapes.calendar import MONTHS
from ..core.words import plural
from ..write.digits import count, percent, significant
from .parts import style
from .parts.labels import short_labels
from .parts.values_axis import set_values_axis, tick_label

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from .parts.canvas import Page

Floats = NDArray[np.float64]
MARKED = 60
"""Spans up to which each has a dot."""
CELL = 46
"""Pixels a year of the grid takes."""


def draw_series(a: SeriesAnswers, what: str, time: str, shown: list[int], page: Page) -> Figure:
    """Draw a line a group with its 95 % band, broken where a span has no rows, and the rows of each span below."""
    along, several = a.along, bool(a.by.names)
    middle = _middles(a)
    banded = a.measure in ("mean", "rate")
    note = "Dots: spans; a line breaks where a span has no rows."
    note += (
        " Bands: 95 % intervals. Hollow: under ten rows."
        if banded
        else " Sums and counts are of these rows, and have no interval."
    )
    with style.house_style():
        canvas = page.begin(f"{note} {_foot(a, shown)}")
        below = canvas.place(108, 630, 230 if several else 60, 88)
        axes = canvas.place(108, 110, 230 if several else 60, 196, sharex=below)
        for k, g in enumerate(shown):
            colour = style.colour(k) if several else style.PALETTE[0]
            _line(axes, middle, a, g, colour, k if several else 0)
        below.bar(
            a.spans.starts[:-1], along.n.sum(axis=0), np.diff(a.spans.starts), align="edge", color=style.QUIET,
            edgecolor="white", lw=0.4,
        )  # fmt: skip
        below.set_xlim(a.spans.starts[0], a.spans.starts[-1])
        _scale(axes, a, shown)
        axes.set_ylabel(style.shorten(what, 50))
        axes.grid(axis="y")
        axes.tick_params(axis="x", labelbottom=False)
        below.set_ylabel("rows", size=10)
        below.yaxis.set_major_formatter(lambda v, _: count(v))
        _name_time(below, a, time)
        if several:
            _key(axes, a, shown)
        told = ", ".join(_told(a, shown[0], s) for s in range(min(len(a.spans), 20)))
        return canvas.describe(f"{what} over {time}, {plural(len(shown), 'line')}: {told}.")


def _middles(a: SeriesAnswers) -> Floats:
    return (a.spans.starts[:-1] + a.spans.starts[1:]) / 2


def _line(axes: Axes, at: Floats, a: SeriesAnswers, group: int, colour: str, place: int) -> None:
    along, banded = a.along, a.measure in ("mean", "rate")
    n, value, low, high = (v[group] for v in (along.n, along.value, along.low, along.high))
    axes.fill_between(at, low, high, color=colour, alpha=0.16, lw=0)
    few = n < T.FEW_ROWS if banded else np.zeros(len(at), bool)
    alone = ~np.isnan(value) & np.isnan(np.append(np.nan, value[:-1])) & np.isnan(np.append(value[1:], np.nan))
    axes.plot(at, value, ls=style.dash(place), color=colour, lw=2)
    dots = ~np.isnan(value) if len(at) <= MARKED else alone
    axes.plot(at[dots & ~few], value[dots & ~few], style.marker(place), color=colour, ms=5, mec="white", mew=0.6)
    axes.plot(at[dots & few], value[dots & few], style.marker(place), mfc="white", mec=colour, ms=5, mew=1)
    axes.vlines(at[alone], low[alone], high[alone], color=colour, lw=1.4)  # of a span between gaps a band is nothing


def _scale(axes: Axes, a: SeriesAnswers, shown: list[int]) -> None:
    """Let counts and sums start at 0, since their heights are compared; of means and rates the values fill the axis."""
    if a.measure == "rate":
        style.percent_axis(axes.yaxis, 8)
    else:
        axes.yaxis.set_major_formatter(lambda v, _: tick_label(v))
    if a.measure in ("sum", "count") and np.nanmin(a.along.value[shown], initial=0.0) >= 0:
        axes.set_ylim(bottom=0)
        return
    along, many = a.along, a.along.n[shown] >= T.FEW_ROWS
    held = np.concatenate([along.value[shown].ravel(), along.low[shown][many], along.high[shown][many]])
    held = held[~np.isnan(held)]
    if len(held):
        margin = 0.05 * float(np.ptp(held)) or 0.5
        axes.set_ylim(float(held.min()) - margin, float(held.max()) + margin)


def _foot(a: SeriesAnswers, shown: list[int]) -> str:
    hidden = len(a.by) - len(shown)
    out = f"Not drawn: {plural(hidden, 'group')}. " if hidden else ""
    return out + ("The axis need not start at 0." if a.measure in ("mean", "rate") else "")


def _name_time(axes: Axes, a: SeriesAnswers, time: str) -> None:
    if a.spans.unit == "level":
        step = -(-len(a.spans) // 16)
        labels = short_labels(a.spans.labels, 14)
        axes.set_xticks(_middles(a)[::step], labels[::step])
        axes.set_xlabel(style.shorten(time, 90))
        return
    if a.spans.unit == "step":  # a whole number names the span that begins there
        from matplotlib.ticker import MaxNLocator

        ticks = MaxNLocator(14, integer=True).tick_values(a.spans.starts[0], a.spans.starts[-2])
        ticks = [t for t in ticks if a.spans.starts[0] <= t <= a.spans.starts[-2]]
        axes.set_xticks([t + 0.5 for t in ticks], [f"{t:.0f}".replace("-", "−") for t in ticks])
        axes.set_xlabel(style.shorten(time, 90))
        return
    set_values_axis(axes, time, Scale("linear"), dates=True)


def _key(axes: Axes, a: SeriesAnswers, shown: list[int]) -> None:
    """Name the lines on the right, in the order of their last values."""
    labels = short_labels(tuple(a.by.labels[g] for g in shown), 20)
    last = [_last(a.along.value[g]) for g in shown]
    order = sorted(range(len(shown)), key=lambda k: -last[k] if last[k] == last[k] else np.inf)
    n = a.along.n.sum(axis=1)
    for row, k in enumerate(order):
        y = 0.99 - 0.075 * row
        spot: dict[str, Any] = {"va": "top", "transform": axes.transAxes}
        axes.text(1.02, y, style.key_mark(k), color=style.colour(k), size=13, **spot)
        axes.text(1.05, y, f"{labels[k]}, n {count(n[shown[k]])}", size=9.5, **spot)


def _last(values: Floats) -> float:
    known = values[~np.isnan(values)]
    return float(known[-1]) if len(known) else float("nan")


def _told(a: SeriesAnswers, group: int, span: int) -> str:
    v = float(a.along.value[group, span])
    return f"{a.spans.labels[span]} {_written(a, v)}"


def _written(a: SeriesAnswers, v: float) -> str:
    if v != v:
        return "–"
    return percent(v) if a.measure == "rate" else count(v) if a.measure == "count" else significant(v, 3)


def draw_grid(a: SeriesAnswers, what: str, page: Page) -> Figure:
    """Draw a row a year and a column a month, each cell with its value, paler where it is less."""
    from matplotlib.colors import LinearSegmentedColormap

    years, values = a.years
    height = int(np.clip(210 + CELL * len(years), 420, 3_000))
    shades = LinearSegmentedColormap.from_list("values", ["#eef3f8", style.PALETTE[4], style.PALETTE[0]])
    with style.house_style():
        canvas = page.begin(f"Each cell: {what}. Empty: no rows. Darker is more.", height=height)
        axes = canvas.place(84, 120, 40, 70)
        drawn = np.ma.masked_invalid(values)
        axes.pcolormesh(np.arange(13), np.arange(len(years) + 1), drawn, cmap=shades, edgecolors="white", lw=2)
        low, high = float(np.nanmin(values)), float(np.nanmax(values))
        for (i, j), v in np.ndenumerate(values):
            if v == v:
                dark = high > low and (v - low) / (high - low) > 0.8
                axes.text(j + 0.5, i + 0.5, _written(a, v), ha="center", va="center", size=10,
                          color="white" if dark else style.INK)  # fmt: skip
        axes.set_ylim(len(years), 0)
        axes.set_xticks(np.arange(12) + 0.5, [m[:3] for m in MONTHS])
        axes.set_yticks(np.arange(len(years)) + 0.5, [str(y) for y in years])
        axes.xaxis.tick_top()
        style.bare(axes, "left", "bottom", "top")
        axes.tick_params(axis="both", length=0)
        told = ", ".join(_told(a, 0, s) for s in range(min(len(a.spans), 24)))
        return canvas.describe(f"{what}, a row a year, a column a month: {told}.")
