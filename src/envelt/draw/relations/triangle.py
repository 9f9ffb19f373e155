"""A triangle of pairs: each once, with its coefficient and form, and each column's own distribution along the edge."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ...core.relations.forms import FORMS
from ...core.relations.panels import Axis, Panel
from ...core.relations.relations import Relations
from ...core.words import plural
from ...write.digits import count, places
from ..parts import style
from ..parts.values_axis import set_date_ticks, tick_label
from .clouds import draw_cloud

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Canvas, Page

TOP, BOTTOM, RIGHT, LEFT, SPACE = 92, 74, 30, 92, 9
ROW = 150
"""Pixels of a row of panels, where the page need not be higher for it."""


def draw_triangle(
    axes: tuple[Axis, ...],
    panels: tuple[Panel, ...],
    classes: tuple[str, ...],
    label: str,
    relations: Relations,
    names: tuple[str, ...],
    page: Page,
) -> Figure:
    """Draw each pair below the edge that holds the columns' own distributions."""
    k = len(axes)
    height = max(style.HEIGHT, min(TOP + BOTTOM + ROW * k, 1900))
    with style.house_style():
        note = "Each panel is scaled to its own values. On the edge: each column by class, as shares of the class. "
        note += "Dense classes: lines around half and nine tenths of their rows; few rows: dots."
        note += beyond(axes, names)
        canvas = page.begin(note, height)
        wide, high = (style.WIDTH - LEFT - RIGHT) / k, (height - TOP - BOTTOM) / k
        for i, axis in enumerate(axes):
            _edge(_cell(canvas, i, i, wide, high, height), axis, classes, i == k - 1, names[i])
        for panel in panels:
            drawn = _cell(canvas, panel.first, panel.second, wide, high, height)
            _panel(drawn, panel, axes, classes)
            _written(drawn, panel, relations, wide)
            _ticks(drawn, panel, axes, k, names)
        _legend(canvas, classes, label, axes, wide, height)
    return canvas.describe(_told(relations, names))


def _cell(canvas: Canvas, column: int, row: int, wide: float, high: float, height: int) -> Axes:
    left, top = LEFT + column * wide, TOP + row * high
    return canvas.place(left, top, style.WIDTH - left - wide + SPACE, height - top - high + SPACE)


def _edge(axes: Axes, axis: Axis, classes: tuple[str, ...], last: bool, name: str) -> None:
    n = axis.counts.sum(axis=1, keepdims=True)
    share = axis.counts / np.maximum(n, 1)
    if axis.number:
        edges = np.linspace(axis.low, axis.high, share.shape[1] + 1)
        for c in range(len(share)):
            colour = style.colour(c) if classes else style.PALETTE[0]
            axes.stairs(share[c], edges, color=colour, lw=1.3, ls=style.dash(c), fill=not classes,
                        alpha=1 if classes else 0.6)  # fmt: skip
            if classes:
                axes.stairs(share[c], edges, color=colour, fill=True, alpha=0.16, lw=0)
        axes.set_xlim(axis.low, axis.high)
    else:
        thick = 0.8 / len(share)
        for c in range(len(share)):
            at = np.arange(share.shape[1]) + (c - (len(share) - 1) / 2) * thick
            axes.bar(at, share[c], thick * 0.9, color=style.colour(c) if classes else style.PALETTE[0])
        axes.set_xlim(axis.low, axis.high)
    axes.set_ylim(0, float(share.max(initial=0.01)) * 1.35)
    axes.set_yticks([])
    axes.text(0.03, 0.97, style.shorten_middle(name, 24), transform=axes.transAxes, va="top", size=10, weight="bold")
    style.bare(axes, "left")
    if last:
        set_ticks(axes, axis, "x")
    else:
        axes.tick_params(labelbottom=False, length=0)


def _panel(axes: Axes, panel: Panel, of: tuple[Axis, ...], classes: tuple[str, ...]) -> None:
    a, b = of[panel.first], of[panel.second]
    if a.number and b.number:
        draw_cloud(axes, panel, a, b, classes)
    elif not a.number and not b.number:
        draw_levels(axes, panel.grid)
    else:
        draw_bodies(axes, panel, a, b)
    axes.set_xlim(a.low, a.high)
    axes.set_ylim(b.low, b.high)


def draw_levels(axes: Axes, grid: NDArray[np.int64]) -> None:
    """Draw the shares of the levels up within each level across, all classes together."""
    from matplotlib.colors import LinearSegmentedColormap

    n = grid.sum(axis=0).astype(float)
    share = n / np.maximum(n.sum(axis=1, keepdims=True), 1)
    shades = LinearSegmentedColormap.from_list("share", ["#f2f6fa", style.PALETTE[0]])
    edges = [np.arange(size + 1) - 0.5 for size in share.shape]
    axes.pcolormesh(
        edges[0], edges[1], share.T, cmap=shades, vmin=0, vmax=max(float(share.max()), 0.01), edgecolors="white", lw=0.6
    )


def draw_bodies(axes: Axes, panel: Panel, a: Axis, b: Axis) -> None:
    """Draw the middle half and the median of the number at each level, all classes together."""
    upright = not a.number  # levels across
    grid = panel.grid.sum(axis=0)
    grid = grid if upright else grid.T
    number = b if upright else a
    edges = np.linspace(number.low, number.high, grid.shape[1] + 1)
    middle = (edges[:-1] + edges[1:]) / 2
    most = max(float((grid / np.maximum(grid.sum(axis=1, keepdims=True), 1)).max()), 1e-9)
    for k, counts in enumerate(grid):
        total = counts.sum()
        if not total:
            continue
        width = counts / total / most * 0.42
        quarters = np.interp([0.25, 0.5, 0.75], np.cumsum(counts) / total, edges[1:])
        look: dict[str, Any] = {"color": style.PALETTE[0], "alpha": 0.35, "lw": 0}
        if upright:
            axes.fill_betweenx(middle, k - width, k + width, **look)
            axes.plot([k, k], quarters[[0, 2]], color=style.INK, lw=2)
            axes.plot([k], [quarters[1]], "o", color="white", mec=style.INK, ms=4)
        else:
            axes.fill_between(middle, k - width, k + width, **look)
            axes.plot(quarters[[0, 2]], [k, k], color=style.INK, lw=2)
            axes.plot([quarters[1]], [k], "o", color="white", mec=style.INK, ms=4)


def _written(axes: Axes, panel: Panel, relations: Relations, wide: float) -> None:
    """Write the coefficient and the form in the panel."""
    i, j = panel.first, panel.second
    value, form = float(relations.coefficient[i, j]), FORMS[relations.form[i, j]]
    text = "–" if np.isnan(value) else places(value, 2)
    if form and wide > 120:
        text += f"  {form}"
    axes.text(
        0.03, 0.97, text, transform=axes.transAxes, va="top", size=9.5 if wide > 120 else 8,
        bbox={"facecolor": "white", "alpha": 0.75, "edgecolor": "none", "pad": 1.2}, zorder=9,
    )  # fmt: skip


def _ticks(axes: Axes, panel: Panel, of: tuple[Axis, ...], k: int, names: tuple[str, ...]) -> None:
    if panel.second == k - 1:
        set_ticks(axes, of[panel.first], "x")
    else:
        axes.tick_params(labelbottom=False, bottom=False)
    if panel.first == 0:
        set_ticks(axes, of[panel.second], "y")
        axes.set_ylabel(style.shorten_middle(names[panel.second], 20), size=9)
    else:
        axes.tick_params(labelleft=False, left=False)


def beyond(axes: tuple[Axis, ...], names: tuple[str, ...]) -> str:
    """Say how many rows lie so far out that the axes leave them out."""
    out = [f"{count(a.beyond)} of {style.shorten(name, 30)}" for a, name in zip(axes, names, strict=True) if a.beyond]
    more = f" and of {plural(len(out) - 3, 'more column')}" if len(out) > 3 else ""
    return f" Beyond the axes, not drawn: {', '.join(out[:3])}{more}." if out else ""


def set_ticks(axes: Axes, axis: Axis, way: str, size: float = 8.0, most: int = 4) -> None:
    """Name the values, or levels, of one side of a panel."""
    from matplotlib.ticker import FuncFormatter, MaxNLocator

    of = axes.xaxis if way == "x" else axes.yaxis
    if not axis.number:
        labels = [style.shorten_middle(t, 10) for t in axis.labels]
        of.set_ticks(range(len(labels)), labels, size=size)
        if way == "x" and len(labels) > 2:
            axes.tick_params(axis="x", rotation=38)
            for text in axes.get_xticklabels():
                text.set_horizontalalignment("right")
        return
    if axis.dates:
        set_date_ticks(of, most)
        axes.tick_params(axis="x" if way == "x" else "y", labelsize=size - 1)
        return
    of.set_major_locator(MaxNLocator(most, prune="both"))
    of.set_major_formatter(FuncFormatter(lambda v, _: tick_label(v)))
    axes.tick_params(axis="x" if way == "x" else "y", labelsize=size)


def _legend(
    canvas: Canvas, classes: tuple[str, ...], label: str, axes: tuple[Axis, ...], wide: float, height: int
) -> None:
    """Name the classes in the empty corner."""
    if not classes:
        return
    n = axes[0].counts.sum(axis=1)
    beside = 2.05 if len(classes) > 6 and len(axes) > 2 else 1.15  # where the corner is deeper
    x, y = (LEFT + beside * wide) / style.WIDTH, (height - TOP - 4) / height
    canvas.text(x, y, style.shorten(label, 40), size=11, weight="bold", va="top")
    for k, name in enumerate(classes):
        at = (height - TOP - 28 - 20 * k) / height
        canvas.text(x, at, style.key_mark(k), color=style.colour(k), size=13, va="top")
        canvas.text(x + 22 / style.WIDTH, at, f"{style.shorten(name, 30)}, n = {count(n[k])}", size=10, va="top")


def _told(relations: Relations, names: tuple[str, ...]) -> str:
    i, j = relations.upper()
    pairs = ", ".join(
        f"{names[a]} with {names[b]} {places(float(relations.coefficient[a, b]), 2)}"
        for a, b in zip(i[:12], j[:12], strict=True)
    )
    return f"Pair plot of {plural(len(names), 'column')}. Strongest: {pairs}."
