"""Dates: rows over time, by month of the year and by day of the week."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.distribution.chosen import MOST_IN_LINE
from ...core.distribution.distribution import NumberDistribution
from ...core.shapes.calendar import MONTHS, WEEKDAYS
from ...write.digits import count, percent
from ..parts import style
from ..parts.groups import group_colour, group_label, shown_groups
from ..parts.values_axis import set_values_axis

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.ticker import Locator

    from ..parts.canvas import Canvas, Page


def draw_dates(result: NumberDistribution, page: Page) -> Canvas:
    """Draw rows by a unit of the calendar above, and below their profile over the year and the week."""
    assert result.calendar is not None
    unit, profile = result.calendar
    shown = shown_groups(result, MOST_IN_LINE)
    several = len(result.groups) > 1
    canvas = page.begin(
        f"{shown.note}Bars: {'share of each group' if several else 'rows'} a {unit}. Below: all years together.",
    )
    gap, top, bottom = 10.0, 105.0, 355.0
    each = (style.HEIGHT - top - bottom - gap * (len(shown.order) - 1)) / len(shown.order)
    edges = result.bins.edges
    heights = {i: result.counts[i] / (max(int(result.counts[i].sum()), 1) if several else 1) for i in shown.order}
    highest = max(float(h.max(initial=0)) for h in heights.values()) * 1.1 or 1
    first = None
    for k, i in enumerate(shown.order):
        above = top + k * (each + gap)
        axes = canvas.place(108, above, 200, style.HEIGHT - above - each, sharex=first)
        first = first or axes
        axes.bar(edges[:-1], heights[i], np.diff(edges), align="edge", color=group_colour(result, i), alpha=0.8,
                 edgecolor="white", lw=0.4)  # fmt: skip
        axes.set_ylim(0, highest)
        axes.set_xlim(edges[0], edges[-1])
        if several:
            style.percent_axis(axes.yaxis, 4 if each > 120 else 2)
        else:
            axes.yaxis.set_major_locator(_whole(4))
            axes.yaxis.set_major_formatter(lambda v, _: count(v))
        if k == len(shown.order) // 2:
            axes.set_ylabel(f"share of group a {unit}" if several else f"rows a {unit}", size=10)
        name = f"{group_label(result, i, 20)}\n" if several else ""
        axes.text(1.015, 0.98, f"{name}n = {count(result.counts[i].sum())}", va="top", transform=axes.transAxes,
                  size=10.5)  # fmt: skip
        if k < len(shown.order) - 1:
            axes.tick_params(axis="x", labelbottom=False)
        else:
            set_values_axis(axes, result.name, result.scale, dates=True)
    _profile(canvas.place(108, 520, 610, 75), result, shown.order, profile.months, [m[:3] for m in MONTHS])
    _profile(canvas.place(740, 520, 60, 75), result, shown.order, profile.weekdays, [d[:3] for d in WEEKDAYS])
    return canvas


def _whole(most: int) -> Locator:
    from matplotlib.ticker import MaxNLocator

    return MaxNLocator(most, integer=True)


def _profile(axes: Axes, result: NumberDistribution, order: list[int], counts: np.ndarray, names: list[str]) -> None:
    """Draw the share of each group's rows at every place of a cycle, bars side by side."""
    width = 0.8 / len(order)
    top = 0.0
    for k, i in enumerate(order):
        share = counts[i] / max(int(counts[i].sum()), 1)
        at = np.arange(len(names)) + (k - (len(order) - 1) / 2) * width
        axes.bar(at, share, width * 0.92, color=group_colour(result, i), alpha=0.85)
        top = max(top, float(share.max()))
        if len(order) == 1:
            for x, s in zip(at, share, strict=True):
                if s:
                    axes.text(x, s, percent(s), ha="center", va="bottom", size=9, color=style.DIM)
    axes.set_xticks(range(len(names)), names)
    axes.set_ylim(0, top * 1.15 or 1)
    style.percent_axis(axes.yaxis, 4)
    axes.set_ylabel("share of rows", size=10)
    title = "by month of the year" if len(names) == 12 else "by day of the week"
    axes.set_title(title, loc="left", size=11, weight="bold")
