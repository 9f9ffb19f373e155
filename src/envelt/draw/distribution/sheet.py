"""All columns, one small distribution each."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ...core.distribution.sheet import Sheet, SheetColumn
from ...core.words import be, plural
from ...write.digits import percent, places
from ..parts import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

ACROSS = 7
MOST = 63
NUMBER, LEVELS, TIME = style.PALETTE[0], style.PALETTE[2], style.PALETTE[1]


def draw_sheet(result: Sheet, page: Page) -> Figure:
    """Draw up to 63 columns in rows of seven, in the order of the table."""
    shown = result.columns[:MOST]
    hidden = len(result.columns) - len(shown)
    across = min(ACROSS, max(4, int(np.ceil(np.sqrt(len(shown) * 1.6)))))
    down = max(1, -(-len(shown) // across))
    each = max((style.HEIGHT - 140) / down, 112.0)
    height = int(max(style.HEIGHT, 140 + each * down))
    more = f"{plural(hidden, 'column')} more {be(hidden)} in the table. " if hidden else ""
    note = (
        f"{more}Blue: numbers. Green: levels, grades in order, others the largest first. Amber: dates. Bold: "
        "something was found. A red dot: a tail was cut."
    )
    with style.house_style():
        canvas = page.begin(note, height=height)
        width = (style.WIDTH - 40) / across
        for k, column in enumerate(shown):
            left, top = 20 + (k % across) * width, 92 + (k // across) * each
            axes = canvas.place(left + 8, top + 34, style.WIDTH - left - width + 12, height - top - each + 24)
            _small(axes, column)
        told = ", ".join(
            f"{c.name} skewness {places(c.skewness, 1)}" for c in shown if c.numeric and c.skewness == c.skewness
        )
        return canvas.describe(f"Small distributions of {plural(len(shown), 'column')}. {told[:600]}.")


def _small(axes: Axes, c: SheetColumn) -> None:
    """Draw one column: bars without axes, its ends below, its name and what is missing above."""
    axes.set_yticks([])
    axes.set_xticks([])
    style.bare(axes, "left")
    top = float(c.counts.max(initial=0)) or 1.0
    if len(c.edges):
        axes.stairs(c.counts, c.edges, fill=True, color=NUMBER if c.numeric else TIME, alpha=0.8)
        axes.set_xlim(c.edges[0], c.edges[-1])
        if c.numeric and c.counts.sum() < c.n:
            axes.plot([1.0], [0.12], "o", ms=4, color=style.STOP, transform=axes.transAxes, clip_on=False)
    else:
        axes.stairs(c.counts, np.arange(len(c.counts) + 1.0), fill=True, color=LEVELS, alpha=0.8)
        axes.set_xlim(0, max(len(c.counts), 2))
    axes.set_ylim(0, top * 1.05)
    missing = f"  {percent(c.missing / (c.n + c.missing))} missing" if c.missing else ""
    weight = "bold" if c.codes else "normal"
    spot: dict[str, Any] = {"xy": (0, 1), "xycoords": "axes fraction", "textcoords": "offset points", "va": "bottom"}
    axes.annotate(style.shorten(c.name, 20), xytext=(0, 11), size=9.5, weight=weight, **spot)
    skew = f"skewness {places(c.skewness, 1)}" if c.numeric and c.skewness == c.skewness else c.kind
    axes.annotate(skew + missing, xytext=(0, 1), size=7.5, color=style.DIM, **spot)
    for x, text, ha in ((0, c.ends[0], "left"), (1, c.ends[1], "right")):
        text = text.replace("-", "−") if c.numeric else text
        axes.text(
            x, -0.04, style.shorten(text, 18), size=7.5, color=style.DIM, ha=ha, va="top", transform=axes.transAxes
        )
