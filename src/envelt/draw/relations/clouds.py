"""Two numbers by class: lines around most of the rows where they are dense, dots where they are few."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import scipy
from numpy.typing import NDArray

from ...core.relations.panels import Axis, Panel
from ..parts import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

Floats = NDArray[np.float64]
WITHIN = (0.9, 0.5)
"""Shares of a class's rows that its lines go round."""


def draw_cloud(axes: Axes, panel: Panel, a: Axis, b: Axis, classes: tuple[str, ...], size: float = 3.2) -> None:
    """Draw a panel of two numbers."""
    from matplotlib.colors import LinearSegmentedColormap, LogNorm

    dense = [k for k in range(len(panel.grid)) if not len(panel.dots[k][0]) and panel.grid[k].sum()]
    across = np.linspace(a.low, a.high, panel.grid.shape[1] + 1)
    up = np.linspace(b.low, b.high, panel.grid.shape[2] + 1)
    if dense:
        whole = panel.grid.sum(axis=0).astype(float)
        shades = LinearSegmentedColormap.from_list(
            "rows", ["#eef1f4", "#9aa4af"] if classes else ["#e3ecf5", style.PALETTE[0]]
        )
        drawn = np.ma.masked_equal(whole.T, 0)
        axes.pcolormesh(across, up, drawn, cmap=shades, norm=LogNorm(1, max(float(whole.max()), 2)), rasterized=True)
    for k in dense if classes else []:
        _lines(axes, panel.grid[k].astype(float), across, up, k)
    # the smallest class last, so that it stays visible
    for k in sorted(range(len(panel.dots)), key=lambda k: -len(panel.dots[k][0])):
        x, y = panel.dots[k]
        colour = style.colour(k) if classes else style.PALETTE[0]
        ms = style.dot_size(panel.n, size)
        axes.plot(x, y, style.marker(k), ms=ms, color=colour, alpha=0.45 if len(x) > 200 else 0.75, mew=0)


def _lines(axes: Axes, grid: Floats, across: Floats, up: Floats, k: int) -> None:
    wide = float(np.clip(2.2 * (grid.sum() / 1_000) ** (-1 / 6), 1.0, 2.6))  # in cells: fewer rows, more smoothing
    smooth = scipy.ndimage.gaussian_filter(grid, wide, mode="nearest")
    total = smooth.sum()
    if total <= 0:
        return
    ordered = np.sort(smooth.ravel())[::-1]
    held = np.cumsum(ordered) / total
    levels = sorted({float(ordered[np.searchsorted(held, share)]) for share in WITHIN})
    middle = [(e[:-1] + e[1:]) / 2 for e in (across, up)]
    if levels and levels[-1] < smooth.max() and smooth.min() < levels[0]:
        axes.contour(
            middle[0], middle[1], smooth.T, levels=levels, colors=[style.colour(k)],
            linewidths=[1.2, 2.0][-len(levels) :], linestyles=[style.dash(k)],
        )  # fmt: skip
