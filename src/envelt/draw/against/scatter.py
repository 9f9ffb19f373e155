"""A numeric outcome along a numeric candidate: every row, or the density of rows, with a line and a smooth trend."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.against.by_number import NumberByNumber
from ...core.against.cloud import MOST_DOTS, Cloud, GridCells
from ...core.words import plural
from ...write.digits import count, significant
from ..parts import style
from ..parts.two_numbers import SHOWN, draw_fit, figures
from ..parts.values_axis import tick_label

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

FEW = 200
"""Rows that hide each other so little that dots need not be faint."""


def draw_number_by_number(result: NumberByNumber, page: Page) -> Figure:
    """Draw the rows, the least-squares line and the smooth trend with its band; of values, residuals or ranks."""
    cloud, look = result.cloud, result.look
    with style.house_style():
        canvas = page.begin(_note(result))
        axes = canvas.place(108, 105, 246, 88)
        if cloud is None:
            axes.text(0.5, 0.5, "No row has both.", ha="center", transform=axes.transAxes)
            return canvas.describe(f"No row has both {result.name} and {result.outcome.name}.")
        if cloud.groups:
            _by_group(axes, result, cloud)
        elif cloud.cells is not None:
            _density(axes, cloud.cells)
        else:
            size, faint = style.dot_size(result.n, 4.5, look.size), 0.45 if result.n > FEW else 0.75
            axes.plot(cloud.x, cloud.y, "o", ms=size, color=style.PALETTE[0], alpha=faint, mew=0)
        axes.set_xlim(*cloud.across)
        axes.set_ylim(*cloud.up)
        draw_fit(axes, result.pictured.line, result.pictured.trend)
        rank = "rank of " if look.ranks else ""
        axes.set_xlabel(style.shorten(f"{rank}{result.name}", 90))
        label = f"{rank}{result.outcome.name}{' less the line' if look.residuals else ''}"
        axes.set_ylabel(style.shorten(label, 60))
        for axis in (axes.xaxis, axes.yaxis):
            axis.set_major_formatter(lambda v, _: tick_label(v))
        axes.text(1.02, 0.99, figures(result.two), size=10.5, va="top", transform=axes.transAxes, linespacing=1.35)
        r, rho = (result.two.coefficient(k).estimate.estimate for k in SHOWN)
        return canvas.describe(
            f"{result.outcome.name} along {result.name}, {plural(result.n, 'row')}: form {result.form}, Pearson "
            f"{r:.2f}, Spearman {rho:.2f}, R² {result.line.r_squared:.2f}.",
        )


def _density(axes: Axes, cells: GridCells) -> None:
    """Draw the rows in each cell of a grid, on a scale where few rows still show."""
    from matplotlib.colors import LinearSegmentedColormap, LogNorm

    shades = LinearSegmentedColormap.from_list("rows", ["#dfe9f3", style.PALETTE[0], "#10243a"])
    drawn, most = np.ma.masked_equal(cells.counts.T, 0), max(float(cells.counts.max()), 2)
    mesh = axes.pcolormesh(cells.across, cells.up, drawn, cmap=shades, norm=LogNorm(1, most), rasterized=True)
    bar = axes.inset_axes((1.04, 0.02, 0.03, 0.3))
    ticks = [10**k for k in range(7) if 10**k <= most]
    axes.figure.colorbar(mesh, cax=bar, ticks=ticks, format=lambda v, _: count(v))
    bar.set_title("rows in a cell", size=9.5, loc="left", color=style.DIM)
    bar.tick_params(labelsize=9)
    bar.minorticks_off()


def _by_group(axes: Axes, result: NumberByNumber, cloud: Cloud) -> None:
    groups = result.groups
    assert groups is not None
    size = style.dot_size(result.n, 4.5 if result.n <= MOST_DOTS else 2.2, result.look.size)
    for k, g in enumerate(cloud.groups):
        colour = style.colour(g.place)
        axes.plot(g.x, g.y, style.marker(g.place), ms=size, color=colour, alpha=0.35, mew=0)
        if g.line.slope == g.line.slope:
            axes.plot(g.ends, g.line.at(g.ends), color=colour, lw=3, ls=style.dash(g.place))
        y = 0.50 - 0.075 * k
        axes.text(1.02, y, style.key_mark(g.place), color=colour, size=13, va="top", transform=axes.transAxes)
        text = f"{style.shorten(groups.labels[g.place], 20)}, n {count(g.n)}\nslope {significant(g.line.slope)}"
        axes.text(1.055, y, text, size=9.5, va="top", transform=axes.transAxes, linespacing=1.3)


def _note(result: NumberByNumber) -> str:
    what, cloud = "One dot a row.", result.cloud
    if cloud is not None and cloud.cells is not None:
        what = "Shade: rows in a cell, so that none hides another."
    if cloud is not None and cloud.groups:
        what = "Dots: rows, coloured by group, each with its own line; dots may hide each other."
    far = " Axes hold the middle 99.8 % where a few values lie far out." if cloud is not None and cloud.cut else ""
    return f"{what} Dashed: least-squares line of all rows. Line: smooth trend, with its pointwise 95 % band.{far}"
