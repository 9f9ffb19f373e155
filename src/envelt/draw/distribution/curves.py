"""Densities and cumulative shares, all groups on one axis."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.distribution.distribution import NumberDistribution
from ...core.shapes.ordered import even_ranks
from ...core.thresholds import FEW_ROWS
from ...write.digits import count, percent, significant
from ..parts import style
from ..parts.groups import group_label, group_line, shown_groups
from ..parts.values_axis import set_values_axis

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ..parts.canvas import Canvas, Page

MOST_STEPS = 4_000


def draw_densities(result: NumberDistribution, page: Page) -> Canvas:
    """Draw one curve a group, the area under each 1, with its mean and quartiles under the axis."""
    shown = shown_groups(result, style.MOST_CLASSES)
    made = result.density
    bandwidth = "" if made is None else _bandwidths(result, shown.order)
    small = [i for i in shown.order if result.summary.moments.n[i] < FEW_ROWS]
    if small:
        bandwidth = f"No curve for under {FEW_ROWS} rows. {bandwidth}"
    canvas = page.begin(f"{shown.note}{bandwidth}")
    axes = canvas.place(108, 105, 236, 88)
    if made is None:
        axes.text(0.5, 0.5, "All values are equal: there is no density.", ha="center", transform=axes.transAxes)
        return canvas
    top = 0.0
    for i in shown.order:
        curve = made.density[i]
        if np.isnan(curve).all() or result.summary.moments.n[i] < FEW_ROWS:
            continue
        line = group_line(result, i)
        axes.fill_between(made.at, 0, curve, color=line["color"], alpha=0.16, lw=0)
        axes.plot(made.at, curve, lw=2.2, **line)
        top = max(top, float(curve.max()))
    top = top or 1.0
    step = 0.055 * top
    for k, i in enumerate(shown.order):
        _summary(axes, result, i, -step * (k + 0.8), group_line(result, i)["color"])
    axes.set_ylim(-step * (len(shown.order) + 0.6), top * 1.06)
    axes.spines["left"].set_visible(False)
    axes.axhline(0, color=style.DIM, lw=0.8)
    axes.set_yticks([])
    axes.set_ylabel("density (area of each curve: 1)", size=10)
    axes.set_xlim(*_limits(result, float(made.at[0]), float(made.at[-1])))
    set_values_axis(axes, result.name, result.scale, result.dates)
    _names(axes, result, shown.order)
    return canvas


def _summary(axes: Axes, result: NumberDistribution, i: int, y: float, colour: str) -> None:
    if not result.summary.moments.n[i]:
        return
    q1, median, q3 = result.scale.place(result.summary.quartiles[i])
    mean = float(result.scale.place(result.summary.moments.mean[i : i + 1])[0])
    axes.plot([q1, q3], [y, y], color=colour, lw=4, solid_capstyle="butt", alpha=0.7)
    axes.plot([median], [y], "|", color=style.INK, ms=11, mew=2)
    axes.plot([mean], [y], "o", color="white", mec=style.INK, ms=5.5, zorder=4)


def _limits(result: NumberDistribution, low: float, high: float) -> tuple[float, float]:
    if result.look.limits is None:
        return low, high
    placed = result.scale.place(np.array(result.look.limits))
    return float(placed[0]), float(placed[1])


def _names(axes: Axes, result: NumberDistribution, order: list[int]) -> None:
    for k, i in enumerate(order):
        y = 0.98 - min(0.085, 0.98 / len(order)) * k
        axes.plot([1.006, 1.036], [y - 0.016] * 2, lw=3, transform=axes.transAxes, clip_on=False,
                  **group_line(result, i))  # fmt: skip
        text = f"{group_label(result, i, 22)}\nn = {count(result.summary.moments.n[i])}"
        axes.text(1.045, y, text, size=10, va="top", transform=axes.transAxes, linespacing=1.3)


def _bandwidths(result: NumberDistribution, order: list[int]) -> str:
    assert result.density is not None
    widths = [significant(w, 3) for w in result.density.bandwidths[order] if w == w]
    unit = "" if result.scale.name == "linear" else " (of log10)"
    low, high = result.density.bounds
    ends = [significant(v) for v in (low, high) if np.isfinite(v)]
    bound = f" No mass beyond {' or '.join(ends)}." if ends else ""
    overlap = f" Overlap {percent(result.overlap)}." if result.overlap == result.overlap else ""
    return (
        f"Gaussian kernel, bandwidth {', '.join(dict.fromkeys(widths))}{unit} by "
        f"{result.density.rule}.{bound}{overlap} Bars: quartiles, median; ring: mean."
    )


def draw_cumulative(result: NumberDistribution, page: Page) -> Canvas:
    """Draw the share of rows up to each value, one step curve a group: no bins, no bandwidth."""
    shown = shown_groups(result, style.MOST_CLASSES)
    note = (
        f"{shown.note}Read across at 50 % for the median; steep is common, flat is rare. Nothing is smoothed or binned."
    )
    canvas = page.begin(note)
    axes = canvas.place(108, 105, 236, 88)
    for i in shown.order:
        n = int(result.summary.moments.n[i])
        kept, placed = even_ranks(n, MOST_STEPS), result.placed(i, MOST_STEPS)
        y = (kept + 1) / n
        axes.step(
            np.concatenate([placed[:1], placed]), np.concatenate([[0.0], y]), where="post",
            lw=2, **group_line(result, i),
        )  # fmt: skip
    axes.set_ylim(0, 1.005)
    style.percent_axis(axes.yaxis, 10)
    axes.grid(axis="y")
    axes.set_ylabel("share of rows up to this value")
    ends = np.concatenate([result.ends(i) for i in shown.order if result.summary.moments.n[i]])
    margin = 0.02 * float(ends.max() - ends.min()) or 0.5
    axes.set_xlim(*_limits(result, float(ends.min()) - margin, float(ends.max()) + margin))
    set_values_axis(axes, result.name, result.scale, result.dates)
    _names(axes, result, shown.order)
    return canvas
