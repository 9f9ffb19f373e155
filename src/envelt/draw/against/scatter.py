"""A numeric outcome along a numeric candidate: every row, or the density of rows, with a line and a smooth trend."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ...core.against.by_number import NumberByNumber
from ...core.stats.trend import least_squares
from ...write.digits import count, places, significant
from ..parts import style
from ..parts.values_axis import tick_label

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

Floats = NDArray[np.float64]
MOST_DOTS = 1_500
"""With more rows dots hide each other, and the density of rows is drawn instead."""
CELLS = (72, 44)
MOST_GROUPS = 6


def draw_number_by_number(result: NumberByNumber, title: str, about: str) -> Figure:
    """Draw the rows, the least-squares line and the smooth trend with its band; or what the line leaves."""
    x, y, line = result.x, result.y, result.line
    residuals = result.look.residuals
    shown = y - line.at(x) if residuals else y
    dense = len(x) > MOST_DOTS
    with style.house_style():
        figure = style.new_figure(title, about, _note(result, dense))
        axes = style.place(figure, 108, 105, 246, 88)
        if not len(x):
            axes.text(0.5, 0.5, "No row has both.", ha="center", transform=axes.transAxes)
            return style.describe(figure, f"No row has both {result.name} and {result.outcome.name}.")
        limits = _limits(x), _limits(shown)
        if result.groups is not None and len(result.groups) > 1:
            _by_group(axes, result, shown)
        elif dense:
            _density(axes, x, shown, limits)
        else:
            axes.plot(x, shown, "o", ms=4.5, color=style.PALETTE[0], alpha=0.45, mew=0)
        axes.set_xlim(*limits[0])
        axes.set_ylim(*limits[1])
        _curves(axes, result, residuals)
        axes.set_xlabel(style.shorten(result.name, 90))
        label = f"{result.outcome.name} less the line" if residuals else result.outcome.name
        axes.set_ylabel(style.shorten(label, 60))
        for axis in (axes.xaxis, axes.yaxis):
            axis.set_major_formatter(lambda v, _: tick_label(v))
        _numbers(axes, result)
        effects = result.comparison.effects
        return style.describe(
            figure,
            f"{result.outcome.name} along {result.name}, {count(len(x))} rows: form {result.form.form}, Pearson "
            f"{effects['pearson'].estimate:.2f}, Spearman {effects['spearman'].estimate:.2f}, R² {line.r_squared:.2f}.",
        )


def _limits(values: Floats) -> tuple[float, float]:
    """Return the ends of an axis: all values, or the middle 99.8 % where a few lie far out."""
    low, high = float(values.min()), float(values.max())
    near = np.quantile(values, [0.001, 0.999])
    if high - low > 2 * float(near[1] - near[0]) > 0:
        low, high = float(near[0]), float(near[1])
    margin = 0.03 * (high - low) or 0.5
    return low - margin, high + margin


def _density(axes: Axes, x: Floats, y: Floats, limits: tuple[tuple[float, float], tuple[float, float]]) -> None:
    """Draw the rows in each cell of a grid, on a scale where few rows still show."""
    from matplotlib.colors import LinearSegmentedColormap, LogNorm

    counts, across, up = np.histogram2d(x, y, bins=[_edges(x, lim, k) for (x, lim), k in zip(
        ((x, limits[0]), (y, limits[1])), CELLS, strict=True)])  # fmt: skip
    shades = LinearSegmentedColormap.from_list("rows", ["#dfe9f3", style.PALETTE[0], "#10243a"])
    drawn = np.ma.masked_equal(counts.T, 0)
    mesh = axes.pcolormesh(
        across, up, drawn, cmap=shades, norm=LogNorm(1, max(float(counts.max()), 2)), rasterized=True
    )
    bar = axes.inset_axes((1.04, 0.02, 0.03, 0.3))
    ticks = [10**k for k in range(7) if 10**k <= max(float(counts.max()), 2)]
    axes.figure.colorbar(mesh, cax=bar, ticks=ticks, format=lambda v, _: count(v))
    bar.set_title("rows in a cell", size=9.5, loc="left", color=style.DIM)
    bar.tick_params(labelsize=9)
    bar.minorticks_off()


def _edges(values: Floats, limits: tuple[float, float], cells: int) -> Floats:
    """Return the edges of a grid; half-way between values where there are few."""
    distinct = np.unique(values)
    if len(distinct) <= cells:
        middle = (distinct[1:] + distinct[:-1]) / 2
        step = float(np.diff(distinct).min()) if len(distinct) > 1 else 1.0
        return np.concatenate([[distinct[0] - step / 2], middle, [distinct[-1] + step / 2]])
    return np.linspace(*limits, cells + 1)


def _by_group(axes: Axes, result: NumberByNumber, shown: Floats) -> None:
    groups = result.groups
    assert groups is not None
    n = np.bincount(groups.codes[groups.codes >= 0], minlength=len(groups))
    largest = np.sort(np.argsort(-n, kind="stable")[:MOST_GROUPS])
    size = 4.5 if len(shown) <= MOST_DOTS else 2.2
    for k, g in enumerate(largest):
        mine = groups.codes == g
        axes.plot(result.x[mine], shown[mine], "o", ms=size, color=style.colour(int(g)), alpha=0.35, mew=0)
        line = least_squares(result.x[mine], result.y[mine])
        if line.slope == line.slope and not result.look.residuals:
            ends = np.quantile(result.x[mine], [0.01, 0.99])
            axes.plot(ends, line.at(ends), color=style.colour(int(g)), lw=3)
        y = 0.50 - 0.075 * k
        axes.text(1.02, y, "■", color=style.colour(int(g)), size=13, va="top", transform=axes.transAxes)
        text = f"{style.shorten(groups.labels[g], 20)}, n {count(n[g])}\nslope {significant(line.slope)}"
        axes.text(1.055, y, text, size=9.5, va="top", transform=axes.transAxes, linespacing=1.3)


def _curves(axes: Axes, result: NumberByNumber, residuals: bool) -> None:
    line, trend = result.line, result.trend
    ends = np.array(axes.get_xlim())
    if line.slope == line.slope:
        fitted = np.zeros(2) if residuals else line.at(ends)
        axes.plot(ends, fitted, color=style.INK, lw=1.6, ls="--")
    if trend is not None:
        off = line.at(trend.at) if residuals else 0.0
        look: dict[str, Any] = {"color": style.PALETTE[1]}
        axes.fill_between(trend.at, trend.low - off, trend.high - off, alpha=0.35, lw=0, **look)
        axes.plot(trend.at, trend.mean - off, lw=2.6, **look)


def _numbers(axes: Axes, result: NumberByNumber) -> None:
    effects, line = result.comparison.effects, result.line
    r, rho = effects["pearson"], effects["spearman"]

    def interval(e: Any) -> str:
        return f"{places(e.estimate, 2)} ({places(e.low, 2)} to {places(e.high, 2)})" if e.low == e.low else "–"

    text = (
        f"n = {count(len(result.x))}\n\nform: "
        f"{result.form.form}\n\nPearson\n{interval(r)}\nSpearman\n{interval(rho)}\n\nR² of the line "
        f"{places(line.r_squared, 2)}\nslope {significant(line.slope)}"
    )
    axes.text(1.02, 0.99, text, size=10.5, va="top", transform=axes.transAxes, linespacing=1.4)


def _note(result: NumberByNumber, dense: bool) -> str:
    what = "Shade: rows in a cell, so that none hides another." if dense else "One dot a row."
    if result.groups is not None and len(result.groups) > 1:
        what = "Dots: rows, coloured by group, each with its own line; dots may hide each other."
    far = " Axes hold the middle 99.8 % where a few values lie far out." if _cut(result) else ""
    return f"{what} Dashed: least-squares line of all rows. Amber: smooth trend (local line), pointwise 95 % band.{far}"


def _cut(result: NumberByNumber) -> bool:
    return any(len(v) and (_limits(v)[0] > v.min() or _limits(v)[1] < v.max()) for v in (result.x, result.y))
