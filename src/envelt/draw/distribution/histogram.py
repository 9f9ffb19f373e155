"""Histograms: alone, in line, overlaid, stacked, or as the groups' shares in each bin."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ...core.distribution.chosen import MOST_IN_LINE
from ...core.distribution.distribution import NumberDistribution
from ...core.shapes.bins import LEAST_SPAN
from ...core.shapes.spikes import RoundSpikes
from ...core.words import plural
from ...write.digits import count, percent, significant
from ..parts import style
from ..parts.groups import beside, group_colour, group_label, shown_groups
from ..parts.values_axis import set_values_axis

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ..parts.canvas import Canvas, Page

Floats = NDArray[np.float64]
TOP, BOTTOM, LEFT, RIGHT = 105.0, 88.0, 108.0, 226.0
LABELLED_SPIKES = 5


def draw_histogram(result: NumberDistribution, page: Page) -> Canvas:
    """Draw the arrangement asked for; one group has one panel."""
    arrange = result.look.arrange if len(result.groups) > 1 else "line"
    shown = shown_groups(result, MOST_IN_LINE)
    canvas = page.begin(shown.note + _note(result, arrange))
    if arrange == "line":
        _in_line(canvas, result, shown.order)
    else:
        axes = canvas.place(LEFT, TOP, RIGHT, BOTTOM)
        {"overlaid": _overlaid, "stacked": _stacked, "shares": _shares}[arrange](axes, result, shown.order)
        _finish(axes, result)
    return canvas


def measured(result: NumberDistribution, i: int) -> Floats:
    """Return the heights of a group's bars, as counts, shares of the group or densities."""
    counts, n = result.body(i), max(int(result.counts[i].sum()), 1)
    measure = measure_of(result)
    if measure == "count":
        return counts.astype(np.float64)
    share = counts / n
    return np.asarray(share if measure == "share" else share / np.maximum(np.diff(result.bins.edges), 1e-300))


def measure_of(result: NumberDistribution) -> str:
    """Return what bars show: counts of one group, shares where several are compared, unless asked otherwise.

    Bars of unequal width show densities, so that their areas are their rows.
    """
    if result.look.measure is None and _unequal(result):
        return "density"
    return result.look.measure or ("count" if len(result.groups) == 1 or result.look.arrange == "stacked" else "share")


def _unequal(result: NumberDistribution) -> bool:
    widths = np.diff(result.bins.edges)
    return result.calendar is None and bool(widths.max() > 1.01 * widths.min() > 0)


def _in_line(canvas: Canvas, result: NumberDistribution, order: list[int]) -> None:
    gap = 18.0
    each = (style.HEIGHT - TOP - BOTTOM - gap * (len(order) - 1)) / len(order)
    room = (
        (1.2 if result.look.numbers and _spikes(result) else 1.14)
        if len(order) == 1
        else 1.34
        if _spikes(result)
        else 1.2
    )  # for the marks over the bars
    top = max(float(measured(result, i).max(initial=0)) for i in order) * room or 1.0
    first = None
    for k, i in enumerate(order):
        above = TOP + k * (each + gap)
        axes = canvas.place(LEFT, above, RIGHT, style.HEIGHT - above - each, sharex=first)
        first = first or axes
        bars(axes, result, i, group_colour(result, i))
        axes.set_ylim(0, top)
        _marks(axes, result, i, top)
        beside(axes, result, i, title=len(result.groups) > 1)
        _measure_axis(axes, result, 5 if len(order) < 3 else 3)
        if k != len(order) // 2:
            axes.set_ylabel("")
        if k < len(order) - 1:
            axes.tick_params(axis="x", labelbottom=False)
        else:
            _finish(axes, result)
        _label_spikes(axes, result, i)
        if result.look.normal:
            _normal_curve(axes, result, i)
        if result.look.curve:
            _density_curve(axes, result, i)


def bars(axes: Axes, result: NumberDistribution, i: int, colour: str, alpha: float = 0.75) -> None:
    """Draw one group's bars; the rows of a tail that was cut stand at the edge, counted in words."""
    edges, heights = result.bins.edges, measured(result, i)
    axes.bar(edges[:-1], heights, np.diff(edges), align="edge", color=colour, alpha=alpha, edgecolor="white", lw=0.4)
    if result.look.numbers:
        _numbers(axes, result, heights)
    for there, n, side in (
        (result.bins.below, result.counts[i][0], "left"),
        (result.bins.above, result.counts[i][-1], "right"),
    ):
        if there and n:
            text = f"← {plural(n, 'row')} beyond" if side == "left" else f"{plural(n, 'row')} beyond →"
            spot: dict[str, Any] = {"transform": axes.transAxes, "size": 9.5, "color": style.STOP, "va": "center"}
            axes.text(0.005 if side == "left" else 0.995, 0.3, text, ha=side, **spot)


def _numbers(axes: Axes, result: NumberDistribution, heights: Floats) -> None:
    write = {"count": count, "share": percent, "density": significant}[measure_of(result)]
    size = 9 if len(heights) <= 24 else 7 if len(heights) <= 40 else 6
    middle = (result.bins.edges[:-1] + result.bins.edges[1:]) / 2
    turned = 90 if len(heights) > 24 else 0
    for x, y in zip(middle, heights, strict=True):
        if y:
            spot: dict[str, Any] = {"xytext": (0, 2), "textcoords": "offset points", "ha": "center", "va": "bottom"}
            axes.annotate(write(y), (x, y), size=size, color=style.DIM, rotation=turned, **spot)


def _marks(axes: Axes, result: NumberDistribution, i: int, top: float) -> None:
    """Draw the middle half as a bar over the histogram, the median across it, the mean as a ring."""
    if not result.summary.moments.n[i]:
        return
    q1, median, q3 = result.scale.place(result.summary.quartiles[i])
    mean = float(result.scale.place(result.summary.moments.mean[i : i + 1])[0])
    axes.plot([q1, q3], [top * 0.94] * 2, color=style.INK, lw=3, solid_capstyle="butt")
    axes.plot([median] * 2, [top * 0.90, top * 0.98], color=style.INK, lw=2)
    low, high = result.bins.edges[[0, -1]]
    if low <= mean <= high:
        axes.plot([mean], [top * 0.94], "o", color="white", mec=style.INK, ms=6, zorder=4)


def _label_spikes(axes: Axes, result: NumberDistribution, i: int) -> None:
    """Write the value over the bars that stand out because people round."""
    spikes = _spikes(result)
    if spikes is None:
        return
    heights = measured(result, i)
    edges = result.bins.edges
    for value in spikes.values[:LABELLED_SPIKES]:
        at = float(result.scale.place(np.array([value]))[0])
        k = int(np.searchsorted(edges, at, "right")) - 1
        if not 0 <= k < len(heights):
            continue
        above = 15 if result.look.numbers else 3  # over the counts, where there are some
        spot: dict[str, Any] = {"xytext": (0, above), "textcoords": "offset points", "ha": "center", "va": "bottom"}
        axes.annotate(significant(value), ((edges[k] + edges[k + 1]) / 2, heights[k]), size=9, color=style.STOP, **spot)


def _spikes(result: NumberDistribution) -> RoundSpikes | None:
    return result.shapes[0].spikes if len(result.shapes) == 1 else None


def _area(result: NumberDistribution, i: int) -> float:
    """Return the area of a group's bars on the scale, whatever they measure."""
    n, width = int(result.summary.moments.n[i]), float(np.median(np.diff(result.bins.edges)))
    return {"count": n * width, "share": width, "density": 1.0}[measure_of(result)]


def _density_curve(axes: Axes, result: NumberDistribution, i: int, colour: str = style.INK) -> None:
    """Draw the density, with the bars' area."""
    made = result.density
    if made is not None and not np.isnan(made.density[i]).all():
        inside = (made.at >= result.bins.edges[0]) & (made.at <= result.bins.edges[-1])
        axes.plot(made.at[inside], _area(result, i) * made.density[i][inside], color=colour, lw=1.8)


def _normal_curve(axes: Axes, result: NumberDistribution, i: int, colour: str = style.INK) -> None:
    """Draw the normal of the same mean and deviation (on the scale), with the bars' area."""
    mean, sd = result.spread[i]
    if not sd > LEAST_SPAN:
        return
    edges = result.bins.edges
    x, area = np.linspace(edges[0], edges[-1], 300), _area(result, i)
    axes.plot(
        x, area * np.exp(-(((x - mean) / sd) ** 2) / 2) / (sd * np.sqrt(2 * np.pi)), color=colour, lw=1.4, ls="--"
    )


def _overlaid(axes: Axes, result: NumberDistribution, order: list[int]) -> None:
    top = 0.0
    for i in sorted(order, key=lambda i: -float(measured(result, i).max(initial=0))):
        heights = measured(result, i)
        colour = group_colour(result, i)
        axes.stairs(heights, result.bins.edges, fill=True, color=colour, alpha=0.3)
        axes.stairs(heights, result.bins.edges, color=colour, lw=1.8)
        if result.look.normal:
            _normal_curve(axes, result, i, colour)
        if result.look.curve:
            _density_curve(axes, result, i, colour)
        top = max(top, float(heights.max(initial=0)))
    axes.set_ylim(0, top * 1.1 or 1)
    _measure_axis(axes, result, 8)
    _legend(axes, result, order)


def _stacked(axes: Axes, result: NumberDistribution, order: list[int]) -> None:
    base = np.zeros(len(result.bins.edges) - 1)
    width = np.diff(result.bins.edges)
    look: dict[str, Any] = {"align": "edge", "edgecolor": "white", "lw": 0.4}
    for i in order:
        heights = measured(result, i)
        axes.bar(result.bins.edges[:-1], heights, width, bottom=base, color=group_colour(result, i), **look)
        base += heights
    if result.look.numbers:
        _numbers(axes, result, base)
    axes.set_ylim(0, base.max() * 1.06 or 1)
    _measure_axis(axes, result, 8)
    _legend(axes, result, order)


def _shares(axes: Axes, result: NumberDistribution, order: list[int]) -> None:
    """Draw each bin as 100 %, divided by group, with its rows written over it."""
    counts = np.array([result.body(i) for i in order])
    total = counts.sum(axis=0)
    base = np.zeros(len(total))
    edges = result.bins.edges
    look: dict[str, Any] = {"align": "edge", "edgecolor": "white", "lw": 0.4}
    for i, heights in zip(order, counts / np.maximum(total, 1), strict=True):
        axes.bar(edges[:-1], heights, np.diff(edges), bottom=base, color=group_colour(result, i), **look)
        base += heights
    size = 9 if len(total) <= 24 else 7
    for x, n in zip((edges[:-1] + edges[1:]) / 2, total, strict=True):
        axes.text(x, 1.01, count(n), ha="center", va="bottom", size=size, color=style.DIM, rotation=90)
    axes.set_ylim(0, 1)
    style.percent_axis(axes.yaxis, 5)
    axes.set_ylabel("share of the rows in each bin (rows above)")
    _legend(axes, result, order)


def _legend(axes: Axes, result: NumberDistribution, order: list[int]) -> None:
    """Name the groups on the right, in the order of the picture."""
    n = result.summary.moments.n
    for k, i in enumerate(reversed(order)):
        y = 0.97 - 0.085 * k
        axes.text(1.015, y, "■", color=group_colour(result, i), size=14, va="top", transform=axes.transAxes)
        text = f"{group_label(result, i, 22)}\nn = {count(n[i])}"
        axes.text(1.045, y, text, size=10, va="top", transform=axes.transAxes, linespacing=1.3)


def _measure_axis(axes: Axes, result: NumberDistribution, most: int) -> None:
    measure = measure_of(result)
    if measure == "share":
        style.percent_axis(axes.yaxis, most)
        axes.set_ylabel("share of group" if len(result.groups) > 1 else "share of rows", size=10)
        return
    from matplotlib.ticker import MaxNLocator

    axes.yaxis.set_major_locator(MaxNLocator(most, integer=measure == "count"))
    axes.yaxis.set_major_formatter(lambda v, _: count(v) if measure == "count" else significant(v))
    area = "density (areas are rows)" if len(result.groups) == 1 else "density"
    axes.set_ylabel("rows" if measure == "count" else area, size=10)


def _finish(axes: Axes, result: NumberDistribution) -> None:
    low, high = result.bins.edges[[0, -1]]
    if result.look.limits is not None:
        low, high = result.scale.place(np.array(result.look.limits))
    axes.set_xlim(low, high)
    set_values_axis(axes, result.name, result.scale, result.dates)


def _note(result: NumberDistribution, arrange: str) -> str:
    edges = result.bins.edges
    if result.scale.name == "linear":
        width = significant(float(edges[1] - edges[0]))
        bins = f"Bins of {width}{' days' if result.dates else ''}, closed on the left."
    else:
        bins = f"{len(edges) - 1} bins on the {result.scale.name} scale"
        bins += ", with edges between recorded values: areas are rows." if _unequal(result) else " of equal width."
    normal = " Dashed: normal of the same mean and deviation." if result.look.normal else ""
    normal += " Curve: density, of the bars' area." if result.look.curve else ""
    if arrange != "line":
        return f"{bins}{normal} Shapes of small groups are mostly chance: see n."
    spikes = " Red: too frequent." if _spikes(result) else ""
    marks = "Above the bars: middle half, median, mean (ring)."
    return f"{bins} {marks}{normal}{spikes}"
