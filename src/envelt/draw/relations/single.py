"""One pair of columns, large: with a line, a trend, and each column's own distribution beside it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from ...core.estimate import Estimate
from ...core.relations.forms import FORMS
from ...core.relations.panels import FEW_ROWS, Axis
from ...core.relations.relations import NAMES, Relations
from ...core.relations.single import Single
from ...core.words import plural
from ...write.digits import count, places
from ..parts import style
from ..parts.two_numbers import draw_fit, estimated, figures
from ..parts.values_axis import tick_label
from .clouds import draw_cloud
from .triangle import beyond, draw_bodies, draw_levels, set_ticks

if TYPE_CHECKING:
    from collections.abc import Callable

    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Canvas, Page

LEFT, TOP, RIGHT, BOTTOM, STRIP = 104, 96, 250, 92, 70


def draw_single(pair: Single, relations: Relations, page: Page, names: Callable[[str], str]) -> Figure:
    """Draw the pair and the margins."""
    both = (pair.across, pair.up)
    with style.house_style():
        canvas = page.begin(_note(pair) + beyond(both, tuple(names(a.name) for a in both)))
        axes = canvas.place(LEFT, TOP + STRIP, RIGHT + STRIP, BOTTOM)
        _body(axes, pair)
        axes.set_xlim(pair.across.low, pair.across.high)
        axes.set_ylim(pair.up.low, pair.up.high)
        if pair.aspect:
            axes.set_aspect(pair.aspect, adjustable="box", anchor="SW")
        if pair.fit is not None and not pair.aspect:
            draw_fit(axes, pair.fit.line, pair.fit.trend)
        rank = "rank of " if pair.ranks else ""
        axes.set_xlabel(style.shorten(f"{rank}{names(pair.across.name)}", 80))
        less = " less the line" if pair.residuals else ""
        axes.set_ylabel(style.shorten(f"{rank}{names(pair.up.name)}{less}", 60))
        _name_ticks(axes, pair)
        if not pair.aspect:
            _margins(canvas, pair)
        _beside(axes, pair, relations, names)
    r = float(relations.coefficient[0, 1])
    told = f"{names(pair.up.name)} against {names(pair.across.name)}, {plural(pair.panel.n, 'row')}: "
    return canvas.describe(f"{told}{NAMES[relations.method[0, 1]]} {places(r, 2)}.")


def draw_panels(pair: Single, page: Page, names: Callable[[str], str]) -> Figure:
    """Draw the pair one class at a time, side by side on shared axes."""
    k = len(pair.classes)
    across = min(k, 3)
    down = -(-k // across)
    with style.house_style():
        note = "All panels have the same axes. Shades: rows in a cell, within each class."
        canvas = page.begin(note)
        wide = (style.WIDTH - LEFT - 40) / across
        high = (style.HEIGHT - TOP - BOTTOM) / down
        for c in range(k):
            i, j = c % across, c // across
            left, top = LEFT + i * wide, TOP + j * high
            axes = canvas.place(
                left,
                top + 26,
                style.WIDTH - left - wide + 14,
                style.HEIGHT - top - high + (6 if j < down - 1 else 0),
            )
            _one_class(axes, pair, c)
            axes.set_title(f"{style.shorten(pair.classes[c], 30)}, n = {count(pair.across.counts[c].sum())}", size=10.5,
                           loc="left", color=style.INK)  # fmt: skip
            set_ticks(axes, pair.across, "x", 9, 6)
            set_ticks(axes, pair.up, "y", 9, 6)
            axes.tick_params(labelleft=i == 0, labelbottom=c + across >= k)
            if i == 0:
                axes.set_ylabel(style.shorten(names(pair.up.name), 40))
            if c + across >= k:
                axes.set_xlabel(style.shorten(names(pair.across.name), 40))
    return canvas.describe(f"{names(pair.up.name)} against {names(pair.across.name)} in {plural(k, 'panel')}.")


def _one_class(axes: Axes, pair: Single, c: int) -> None:
    a, b = pair.across, pair.up
    only = replace(pair.panel, grid=pair.panel.grid[c : c + 1], dots=pair.panel.dots[c : c + 1])
    if a.number and b.number:
        draw_cloud(axes, only, a, b, (), size=4.0)
    elif not a.number and not b.number:
        draw_levels(axes, only.grid)
    else:
        draw_bodies(axes, only, a, b)
    axes.set_xlim(a.low, a.high)
    axes.set_ylim(b.low, b.high)


def _body(axes: Axes, pair: Single) -> None:
    if pair.shade is not None:
        from matplotlib.colors import LinearSegmentedColormap, Normalize

        ramp = LinearSegmentedColormap.from_list("ramp", ["#e9d8a6", style.PALETTE[1], style.PALETTE[3], "#3a1d3f"])
        x, y = pair.panel.dots[0]
        drawn = axes.scatter(x, y, c=pair.shade, cmap=ramp, norm=Normalize(*pair.shade_ends), s=18, alpha=0.75, lw=0)
        key = axes.inset_axes((1.12, 0.02, 0.03, 0.3))
        axes.figure.colorbar(drawn, cax=key, format=lambda v, _: tick_label(v))
        key.set_title(style.shorten(pair.shade_name, 24), size=9.5, loc="left", color=style.DIM)
        key.tick_params(labelsize=9)
        return
    a, b = pair.across, pair.up
    if a.number and b.number:
        draw_cloud(axes, pair.panel, a, b, pair.classes, size=4.5)
    elif not a.number and not b.number:
        draw_levels(axes, pair.panel.grid)
    else:
        draw_bodies(axes, pair.panel, a, b)


def _name_ticks(axes: Axes, pair: Single) -> None:
    for way, axis in (("x", pair.across), ("y", pair.up)):
        set_ticks(axes, axis, way, 10, 8)


def _margins(canvas: Canvas, pair: Single) -> None:
    top = canvas.place(LEFT, TOP, RIGHT + STRIP, style.HEIGHT - TOP - STRIP + 6)
    side = canvas.place(style.WIDTH - RIGHT - STRIP + 6, TOP + STRIP, RIGHT, BOTTOM)
    few = pair.panel.n <= FEW_ROWS and pair.across.number and pair.up.number
    for axes, axis, upright in ((top, pair.across, False), (side, pair.up, True)):
        if few:
            _lines(axes, axis, [d[int(upright)] for d in pair.panel.dots], bool(pair.classes), upright)
        else:
            _strip(axes, axis, pair.classes, upright)


def _lines(axes: Axes, axis: Axis, values: list[np.ndarray], coloured: bool, upright: bool) -> None:
    """Draw a short line a row: bars of few rows would be mostly gaps."""
    for c, of in enumerate(values):
        colour = style.colour(c) if coloured else style.PALETTE[0]
        draw, low = (axes.hlines, 0.0) if upright else (axes.vlines, 0.0)
        draw(of, low, 0.5, color=colour, lw=2, alpha=0.8)
    if upright:
        axes.set(ylim=(axis.low, axis.high), xlim=(0, 1))
    else:
        axes.set(xlim=(axis.low, axis.high), ylim=(0, 1))
    axes.set_xticks([])
    axes.set_yticks([])
    style.bare(axes, "left", "bottom")


def _strip(axes: Axes, axis: Axis, classes: tuple[str, ...], upright: bool) -> None:
    share = axis.counts / np.maximum(axis.counts.sum(axis=1, keepdims=True), 1)
    levels = np.arange(share.shape[1] + 1) - 0.5
    edges = np.linspace(axis.low, axis.high, len(levels)) if axis.number else levels
    for c in range(len(share)):
        colour = style.colour(c) if classes else style.PALETTE[0]
        way: Literal["horizontal", "vertical"] = "horizontal" if upright else "vertical"
        axes.stairs(share[c], edges, color=colour, fill=True, alpha=0.25, lw=0, orientation=way)
        axes.stairs(share[c], edges, color=colour, lw=1.3, ls=style.dash(c), orientation=way)
    most = float(share.max(initial=0.01)) * 1.1
    if upright:
        axes.set_ylim(axis.low, axis.high)
        axes.set_xlim(0, most)
    else:
        axes.set_xlim(axis.low, axis.high)
        axes.set_ylim(0, most)
    axes.set_xticks([])
    axes.set_yticks([])
    style.bare(axes, "left", "bottom")


def _beside(axes: Axes, pair: Single, relations: Relations, names: Callable[[str], str]) -> None:
    """Write n, the coefficient with its interval, the form and the classes on the right."""
    text = _told(pair, relations) if pair.two is None else figures(pair.two)
    at = 1 + (STRIP + 26) / style.width_of(axes)
    axes.text(at, 1.0, text, size=10.5, va="top", transform=axes.transAxes, linespacing=1.4)
    n = pair.across.counts.sum(axis=1)
    if pair.classes:
        axes.text(
            at, 0.52, style.shorten(names(pair.label), 26), size=11, weight="bold", va="top", transform=axes.transAxes
        )
    for k, name in enumerate(pair.classes):
        y = 0.47 - min(0.055, 0.46 / len(pair.classes)) * k
        axes.text(at, y, style.key_mark(k), color=style.colour(k), size=13, va="top", transform=axes.transAxes)
        spot = at + 24 / style.width_of(axes)
        axes.text(spot, y, f"{style.shorten(name, 18)}, n {count(n[k])}", size=9.5, va="top", transform=axes.transAxes)


def _told(pair: Single, relations: Relations) -> str:
    """Return n, the coefficient and its interval of a pair in which levels take part."""
    low, high = (float(v[0]) for v in relations.intervals(np.array([0]), np.array([1])))
    how = NAMES[relations.method[0, 1]].replace("_", " ")
    told = estimated(Estimate(float(relations.coefficient[0, 1]), low, high)).replace(" (", "\n(")
    form = FORMS[relations.form[0, 1]]
    return f"n = {count(pair.panel.n)}\n\n{how}\n{told}" + (f"\n\nform: {form}" if form else "")


def _note(pair: Single) -> str:
    if pair.aspect:
        return "A map on one true scale at its middle latitude; no line is fitted."
    if pair.shade is not None:
        return f"Dots: rows, up to 4,000; colour: {pair.shade_name}. Dashed: least-squares line; line: smooth trend."
    if pair.fit is None:
        return "Levels with a number: its distribution, middle half and median at each. Levels: shares within each."
    dense = "Dense classes: lines around half and nine tenths of their rows; few rows: dots. "
    return f"{dense}Dashed: least-squares line of all rows; line: smooth trend with its pointwise 95 % band."
