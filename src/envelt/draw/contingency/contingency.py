"""Tables of counts: bars, stacked bars, shares, coloured cells, rates, and areas."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ...core.columns.outcome import Classes, Said
from ...core.contingency.crosstab import CrossTable
from ...core.stats.expected import adjusted_residuals
from ...core.words import plural
from ...write.digits import count, percent, visible
from ..parts import style
from ..parts.labels import label_rows, margin, short_labels, text_width
from ..parts.row_axes import fitting_height
from .drawn import Drawn, as_drawn
from .rates import draw_rates

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Canvas, Page

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
MOST_STRIPS = 14
LEAST_STRIP = 16
"""Pixels of a strip that a slanting name needs."""


def draw_contingency(
    tables: tuple[CrossTable, ...],
    outcome: Said | None,
    page: Page,
    within: str,
    *,
    picture: str,
    colour: str,
    order: str,
    of: str = "row",
) -> Figure:
    """Draw the picture asked for, or the one that fits, and say why; ``of`` says what shares are of."""
    chosen, why = (picture, "") if picture != "auto" else chosen_picture(tables, outcome, of)
    drawn = as_drawn(tables, order, outcome if chosen == "rates" else None, of)
    if of == "column" and chosen in ("shares", "mosaic"):
        drawn = drawn.turned()
    page = replace(page, about=f"{page.about} · {chosen}: {why}") if why else page
    with style.house_style():
        if chosen == "rates":
            return draw_rates(tables, drawn, outcome, within, page)
        make: dict[str, Callable[[Drawn, Page], Canvas]] = {
            "bars": _bars, "stacked": _stacked, "shares": _shares, "mosaic": _mosaic,
            "cells": lambda d, p: _cells(d, p, colour),
        }  # fmt: skip
        canvas = make[chosen](drawn, page)
        told = "; ".join(
            f"{label}: {', '.join(f'{c} {count(n)}' for c, n in zip(drawn.columns, row, strict=True))}"
            for label, row in list(zip(drawn.rows, drawn.counts, strict=True))[:12]
        )
        return canvas.describe(f"Counts of {drawn.axis} by {drawn.across}, drawn as {chosen}. {told}.")


def chosen_picture(tables: tuple[CrossTable, ...], outcome: Said | None, of: str = "row") -> tuple[str, str]:
    """Choose a picture by the size of the table, and say why."""
    first = tables[0]
    if first.columns is None:
        return "bars", "one column is counted"
    if (
        of == "row"
        and isinstance(outcome, Classes)
        and first.columns.names == (outcome.name,)
        and len(outcome.levels) == 2
    ):
        return "rates", "of two classes one rate says it all"
    rows = sum(int((t.counts.sum(axis=1) > 0).sum()) for t in tables)
    if of == "column" and len(tables) > 1:
        return "cells", "shares of a column stand in cells"
    if rows <= 16 and len(first.columns.levels) <= 6:
        return "shares", "groups of unequal size compare by shares"
    return "cells", f"{rows} × {plural(len(first.columns.levels), 'cell')} are too many for bars"


def _dark(colour: str) -> bool:
    r, g, b = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    return 0.3 * r + 0.59 * g + 0.11 * b < 140


def _axes(canvas: Canvas, drawn: Drawn, right: float) -> Axes:
    axes = canvas.place(margin(drawn.rows), 120, right, 96)
    label_rows(axes, drawn.rows, 11 if len(drawn.rows) <= 20 else 9.5)
    axes.set_ylim(len(drawn.rows) - 0.45, -0.55)
    style.bare(axes, "left")
    return axes


def _legend(axes: Axes, drawn: Drawn, left: float = 1.1) -> None:
    total = np.maximum(drawn.counts.sum(axis=0), 0)
    step = min(42 / (style.height_of(axes)), 1.0 / max(len(drawn.columns), 1))
    pixels = style.width_of(axes)
    at = 1 + left / pixels
    room = int((style.WIDTH * (1 - axes.get_position().x1) - left - 30) / 7)  # letters
    axes.text(at, 1.02, style.shorten(drawn.across, max(room, 6)), size=10.5, weight="bold", transform=axes.transAxes)
    names = short_labels(tuple(map(visible, drawn.columns)), max(room, 6))
    for k, (name, colour) in enumerate(zip(names, drawn.colours, strict=True)):
        y = 0.985 - step * k
        axes.text(at, y, "■", color=colour, size=13, va="top", transform=axes.transAxes)
        text = f"{name}\nn = {count(total[k])}"
        axes.text(at + 24 / pixels, y, text, size=9.5, va="top", transform=axes.transAxes, linespacing=1.25)


def _bars(drawn: Drawn, page: Page) -> Canvas:
    alone = len(drawn.columns) == 1
    note = f"{drawn.note}Bars start at zero. On them: rows, and their share of {drawn.shared}."
    canvas = page.begin(note, fitting_height(len(drawn.rows)))
    axes = _axes(canvas, drawn, 150 if alone else 262)
    k = len(drawn.columns)
    thick = min(0.8 / k, 0.62)
    share = drawn.shares
    size = 10.5 if drawn.counts.size <= 24 else 8.5 if drawn.counts.size <= 60 else 0
    for j in range(k):
        y = np.arange(len(drawn.rows)) + (j - (k - 1) / 2) * thick
        axes.barh(y, drawn.counts[:, j], thick * 0.92, color=drawn.colours[j])
        for at, n, s in zip(y, drawn.counts[:, j], share[:, j], strict=True):
            if size:
                spot: dict[str, Any] = {"xytext": (5, 0), "textcoords": "offset points", "va": "center", "size": size}
                axes.annotate(f"{count(n)}  ({percent(s)})", (n, at), color=style.DIM, **spot)
    axes.set_xlim(0, float(drawn.counts.max(initial=1)) * 1.02 or 1)
    axes.xaxis.set_major_formatter(lambda v, _: count(v))
    axes.set_xlabel("rows")
    if not alone:
        _legend(axes, drawn, 124)
    return canvas


def _stacked(drawn: Drawn, page: Page) -> Canvas:
    note = f"{drawn.note}Lengths are rows, shares are of {drawn.shared}; the first part of each bar compares best."
    canvas = page.begin(note, fitting_height(len(drawn.rows)))
    axes = _axes(canvas, drawn, 270)
    total = drawn.counts.sum(axis=1)
    _segments(axes, drawn, drawn.counts.astype(float), float(total.max(initial=1)))
    for y, n in enumerate(total):
        axes.annotate(
            count(n), (n, y), xytext=(5, 0), textcoords="offset points", va="center", size=10, color=style.DIM
        )
    axes.set_xlim(0, float(total.max(initial=1)) * 1.01 or 1)
    axes.xaxis.set_major_formatter(lambda v, _: count(v))
    axes.set_xlabel("rows")
    _legend(axes, drawn, 84)
    return canvas


def _shares(drawn: Drawn, page: Page) -> Canvas:
    whole = "Each bar is 100 % of its rows" if drawn.of == "row" else f"Lengths are shares of {drawn.shared}"
    note = f"{drawn.note}{whole}, n on the right; a bar of few rows is mostly chance."
    canvas = page.begin(note, fitting_height(len(drawn.rows)))
    axes = _axes(canvas, drawn, 300)
    total = drawn.counts.sum(axis=1, keepdims=True)
    shares = drawn.shares
    reach = float(shares.sum(axis=1).max(initial=0.0)) or 1.0
    _segments(axes, drawn, shares, reach)
    pixels = style.width_of(axes)
    for y, n in enumerate(total[:, 0]):
        axes.text(1 + 62 / pixels, y, count(n), ha="right", va="center", size=10, color=style.DIM,
                  transform=axes.get_yaxis_transform())  # fmt: skip
    axes.text(1 + 62 / pixels, 1.0, "n", ha="right", va="bottom", size=10, color=style.DIM, transform=axes.transAxes)
    axes.set_xlim(0, reach)
    style.percent_axis(axes.xaxis, 5)
    within = f"share within each level of {style.shorten(drawn.axis, 40)}"
    axes.set_xlabel(within if drawn.of == "row" else f"share of {drawn.shared}")
    _legend(axes, drawn, 92)
    return canvas


def _segments(axes: Axes, drawn: Drawn, lengths: Floats, whole: float) -> None:
    """Draw bars end to end, with share and count in those that are wide enough."""
    start = np.zeros(len(drawn.rows))
    shares = drawn.shares
    pixels = style.width_of(axes)
    size = 10 if len(drawn.rows) <= 16 else 8.5
    for j, colour in enumerate(drawn.colours):
        axes.barh(range(len(drawn.rows)), lengths[:, j], 0.72, left=start, color=colour, edgecolor="white", lw=0.6)
        for y, (left, length, n) in enumerate(zip(start, lengths[:, j], drawn.counts[:, j], strict=True)):
            room = length / whole * pixels
            share = f"{shares[y, j]:.0%}"
            whole_text = f"{share} ({count(n)})"
            text = next((t for t in (whole_text, share) if text_width(t, size) + 8 < room), "")
            axes.text(left + length / 2, y, text, ha="center", va="center", size=size,
                      color="white" if _dark(colour) else style.INK)  # fmt: skip
        start = start + lengths[:, j]


def _cells(drawn: Drawn, page: Page, colour: str) -> Canvas:
    from matplotlib.colors import LinearSegmentedColormap, Normalize

    total, share = drawn.counts.sum(axis=1, keepdims=True), drawn.shares
    if colour == "residual":
        value = adjusted_residuals(drawn.counts, drawn.effect)
        reach = max(3.0, min(12.0, float(np.abs(value).max(initial=0))))
        shades = LinearSegmentedColormap.from_list("residual", [style.PALETTE[3], "#f7f7f5", style.PALETTE[0]])
        norm, what = Normalize(-reach, reach), "adjusted residual: beyond ±3 is more than chance"
    else:
        value, reach = share, float(share.max(initial=0)) or 1.0
        shades = LinearSegmentedColormap.from_list("share", ["#f2f6fa", style.PALETTE[0]])
        within = f"share within each level of {style.shorten(drawn.axis, 30)}"
        norm, what = Normalize(0, reach), within if drawn.of == "row" else f"share of {drawn.shared}"
    note = f"{drawn.note}In each cell: rows, and their share of {drawn.shared}. Colour: {what}."
    canvas = page.begin(note, fitting_height(len(drawn.rows)))
    axes = _axes(canvas, drawn, 200)
    axes.pcolormesh(np.arange(len(drawn.columns) + 1) - 0.5, np.arange(len(drawn.rows) + 1) - 0.5, value, cmap=shades,
                    norm=norm, edgecolors="white", lw=1)  # fmt: skip
    axes.set_ylim(len(drawn.rows) - 0.5, -0.5)
    width = style.width_of(axes) / len(drawn.columns)
    height = style.height_of(axes) / len(drawn.rows)
    size = 11 if height > 44 and width > 80 else 9 if height > 20 else 7.5
    for y in range(len(drawn.rows)):
        for x in range(len(drawn.columns)):
            text = f"{count(drawn.counts[y, x])}{chr(10) if height > 40 else '  '}{share[y, x]:.0%}"
            text = text if text_width(max(text.split("\n"), key=len), size) < width else count(drawn.counts[y, x])
            dark = _dark(_hex(shades(norm(value[y, x]))))
            axes.text(x, y, text, ha="center", va="center", size=size, color="white" if dark else style.INK)
    names = [_column_name(visible(c), max(8, int(width / 6.6))) for c in drawn.columns]
    axes.set_xticks(range(len(drawn.columns)), names, size=10 if len(names) <= 10 else 8.5)
    axes.tick_params(length=0)
    style.bare(axes, "bottom")
    axes.set_xlabel(style.shorten(drawn.across, 60))
    pixels = style.width_of(axes)
    for y, n in enumerate(total[:, 0]):
        axes.text(1 + 70 / pixels, y, count(n), ha="right", va="center", size=10, color=style.DIM,
                  transform=axes.get_yaxis_transform())  # fmt: skip
    axes.text(1 + 70 / pixels, 1.0, "n", ha="right", va="bottom", size=10, color=style.DIM, transform=axes.transAxes)
    _key(canvas, axes, shades, norm, colour)
    return canvas


def _key(canvas: Canvas, axes: Axes, shades: Any, norm: Any, colour: str) -> None:
    """Draw what the colours of the cells mean, on the right."""
    pixels, high = style.width_of(axes), style.height_of(axes)
    key = axes.inset_axes((1 + 92 / pixels, 1 - min(0.9, 220 / high), 14 / pixels, min(0.9, 220 / high) - 34 / high))
    low, top = norm.vmin, norm.vmax
    key.pcolormesh([0, 1], np.linspace(low, top, 101), np.linspace(low, top, 100)[:, None], cmap=shades, norm=norm)
    key.set_xticks([])
    key.yaxis.tick_right()
    if colour == "residual":
        key.set_yticks([-3, 0, 3])
        for at in (-3, 3):
            key.axhline(at, color=style.INK, lw=1)
    else:
        style.percent_axis(key.yaxis, 4)
    key.set_title("residual" if colour == "residual" else "share", size=9.5, loc="left", color=style.DIM, pad=10)
    key.tick_params(labelsize=9, length=2)


def _column_name(name: str, letters: int) -> str:
    """Return a name in two lines where that holds it, else cut in its middle."""
    folded = style.wrapped(name, letters, 2)
    return style.shorten_middle(name, letters) if "…" in folded else folded


def _hex(rgba: tuple[float, float, float, float]) -> str:
    from matplotlib.colors import to_hex

    return to_hex(rgba)


def _mosaic(drawn: Drawn, page: Page) -> Canvas:
    """Draw a strip a row, as wide as its rows, divided by its shares: areas are counts."""
    n, shares = drawn.counts.sum(axis=1), drawn.shares
    strips = np.sort(np.argsort(-n, kind="stable")[:MOST_STRIPS])
    hidden = len(n) - len(strips)
    more = f"The {count(hidden)} smallest rows are not drawn. " if hidden else ""
    width = n[strips] / max(int(n[strips].sum()), 1)
    bare = int((width * (style.WIDTH - 380) < LEAST_STRIP).sum())
    more += f"{count(bare)} strip{'s are' if bare > 1 else ' is'} too narrow for a name. " if bare else ""
    canvas = page.begin(f"{drawn.note}{more}Width: rows of a strip; height: shares; area: count. "
                         f"Written: rows, and their share of {drawn.shared}.")  # fmt: skip
    axes = canvas.place(90, 120, 290, 120)
    left = np.concatenate([[0.0], np.cumsum(width)[:-1]])
    pixels = style.width_of(axes)
    for x, w, i in zip(left, width, strips, strict=True):
        base = 0.0
        for j, colour in enumerate(drawn.colours):
            share = drawn.counts[i, j] / max(int(n[i]), 1)
            axes.bar(x, share, w, bottom=base, align="edge", color=colour, edgecolor="white", lw=1.2)
            text = f"{count(drawn.counts[i, j])}\n{shares[i, j]:.0%}"
            if w * pixels > 44 and share > 0.07:
                axes.text(x + w / 2, base + share / 2, text, ha="center", va="center", size=9.5,
                          color="white" if _dark(colour) else style.INK)  # fmt: skip
            base += share
    room = width * pixels
    labels = [style.wrapped(drawn.rows[i], max(6, int(w / 8.6)), 2) for i, w in zip(strips, room, strict=True)]
    if (room < 60).any():
        labels = list(short_labels(tuple(drawn.rows[i] for i in strips), 20))
        labels = ["" if w < LEAST_STRIP else t for t, w in zip(labels, room, strict=True)]
    turned: dict[str, Any] = {"rotation": 40, "ha": "right", "rotation_mode": "anchor"} if (room < 60).any() else {}
    axes.set_xticks(left + width / 2, labels, size=9.5, **turned)
    axes.set_xlim(0, 1)
    axes.set_ylim(0, 1)
    axes.tick_params(axis="x", length=0)
    style.percent_axis(axes.yaxis, 5)
    axes.set_ylabel(f"share within each level of {style.shorten(drawn.axis, 30)}")
    _legend(axes, drawn, 24)
    return canvas
