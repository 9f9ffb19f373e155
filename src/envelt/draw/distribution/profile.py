"""Groups side by side: a small panel a column, each on its own scale."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...core import thresholds as T
from ...core.columns.grouping import Groups
from ...core.relations.profile import Profiled
from ...core.words import plural
from ...write.digits import count, places
from ..parts import style
from ..parts.values_axis import tick_label

if TYPE_CHECKING:
    from collections.abc import Callable

    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from matplotlib.ticker import Locator

    from ..parts.canvas import Page

Floats = NDArray[np.float64]
Counts = NDArray[np.int64]
ACROSS, MOST = 4, 12
TOP, BOTTOM, GAP = 96, 56, 32
A_ROW, A_PANEL = 17, 74
"""Pixels that a group takes, and what a panel takes besides."""


def draw_profile(
    profile: tuple[Profiled, ...], groups: Groups, n: np.ndarray, beside: list[int], page: Page,
    names: Callable[[str], str],
) -> Figure:  # fmt: skip
    """Draw the twelve columns that differ most, a panel each: a group a row, its mean, interval, median and quartiles.

    Parameters
    ----------
    n
        Rows of each group.
    beside
        The groups that are drawn.
    """
    shown = [p for p in profile if p.numbers is not None or p.levels][:MOST]
    hidden = len(profile) - len(shown)
    more = f" {plural(hidden, 'column')} that differ less are in the tables." if hidden else ""
    labels = [f"{style.shorten(groups.labels[g], 18)}, n {count(n[g])}" for g in beside]
    across = min(ACROSS, max(len(shown), 1))
    down = max(-(-len(shown) // across), 1)
    left = 40 + min(7 * max(map(len, labels), default=1), 190)
    high = (
        max((style.HEIGHT - TOP - BOTTOM) / down, A_PANEL + A_ROW * len(beside))
        if down > 1
        else A_PANEL + 34 * len(beside)
    )
    height = int(max(TOP + BOTTOM + high * down, 360))
    note = (
        "Dot and line: mean with its 95 % interval, or the share of the level named; hollow: under ten rows. Pale bar: "
        f"middle half of the rows; tick: median. Each panel has its own scale.{more}"
    )
    with style.house_style():
        canvas = page.begin(note, height=height)
        wide = (style.WIDTH - left - 24) / across
        for k, p in enumerate(shown):
            i, j = k % across, k // across
            x, y = left + i * wide, TOP + j * high
            axes = canvas.place(x, y + 34, style.WIDTH - x - wide + GAP, height - y - high + (A_PANEL - 40))
            _panel(axes, p, beside, names)
            axes.set_yticks(range(len(beside)), labels if i == 0 else [], size=9)
            axes.set_ylim(len(beside) - 0.4, -0.6)
        told = ", ".join(f"{names(p.name)} {places(p.differs, 2)}" for p in shown)
        return canvas.describe(
            f"{plural(len(shown), 'column')} in {plural(len(beside), 'group')}, how far each differs, 0 to 1: {told}."
        )


def _panel(axes: Axes, p: Profiled, beside: list[int], names: Callable[[str], str]) -> None:
    rows = np.arange(len(beside))
    if p.numbers is not None:
        s = p.numbers
        low, high = (ends[beside] for ends in s.mean_interval)
        middle, n, what = s.moments.mean[beside], s.moments.n[beside], names(p.name)
        q = s.quartiles[beside]
        axes.barh(rows, q[:, 2] - q[:, 0], left=q[:, 0], height=0.5, color=style.PALETTE[4], alpha=0.6, lw=0)
        axes.plot(q[:, 1], rows, "|", ms=9, mew=1.6, color=style.DIM)
        axes.set_xlim(*_ends(n, middle, (q[:, 0], q[:, 2], low, high)))
        axes.xaxis.set_major_locator(_few_ticks())
        axes.xaxis.set_major_formatter(lambda v, _: tick_label(v))
    else:
        level = p.apart
        middle, n, what = level.rates.rate[beside], level.rates.n[beside], f"{names(p.name)} = {level.label}"
        low, high = level.rates.low[beside], level.rates.high[beside]
        axes.set_xlim(0, max(1.06 * _ends(n, middle, (low, high))[1], 0.02))
        style.percent_axis(axes.xaxis, 4)
    axes.hlines(rows, low, high, color=style.INK, lw=2)
    few = n < T.FEW_ROWS
    axes.plot(middle[~few], rows[~few], "o", ms=5, color=style.INK)
    axes.plot(middle[few], rows[few], "o", ms=5, mfc="white", mec=style.INK)
    axes.tick_params(labelsize=8.5, length=0, axis="y")
    axes.tick_params(labelsize=8.5, axis="x")
    axes.grid(axis="x", color="#e6e6e6", lw=0.6)
    axes.set_axisbelow(True)
    differs = f"   differs {places(p.differs, 2)}" if p.differs == p.differs else ""
    axes.set_title(style.shorten(what, 30), size=10, loc="left", color=style.INK, pad=13, weight="bold")
    axes.text(0, 1.0, differs.strip(), size=8.5, color=style.DIM, va="bottom", transform=axes.transAxes)


def _ends(n: Counts, middle: Floats, ends: tuple[Floats, ...]) -> tuple[float, float]:
    """Return the ends of a scale that holds every mean, and all of the groups that have rows enough."""
    many = n >= T.FEW_ROWS if np.any(n >= T.FEW_ROWS) else n > 0
    held = np.concatenate([middle, *(e[many] for e in ends)])
    held = held[np.isfinite(held)]
    if not len(held):
        return 0.0, 1.0
    low, high = float(held.min()), float(held.max())
    margin = 0.06 * (high - low) or 0.5
    return low - margin, high + margin


def _few_ticks() -> Locator:
    from matplotlib.ticker import MaxNLocator

    return MaxNLocator(4, steps=[1, 2, 2.5, 5, 10])
