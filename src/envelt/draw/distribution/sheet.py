"""All columns, one small distribution each."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.distribution.sheet import Sheet, SheetColumn
from ...core.words import be, plural
from ...write.digits import percent, places
from ..parts import style
from ..parts.boxes import add_boxes

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
        axes = canvas.place(0, 0, 0, 0)  # one for all: axes of their own would take most of the time
        axes.set_axis_off()
        axes.set_xlim(0, style.WIDTH)
        axes.set_ylim(height, 0)
        width = (style.WIDTH - 40) / across
        for k, column in enumerate(shown):
            left, top = 28 + (k % across) * width, 126 + (k // across) * each
            _small(axes, column, left, top, width - 20, each - 58)
        told = ", ".join(
            f"{c.name} skewness {places(c.skewness, 1)}" for c in shown if c.numeric and c.skewness == c.skewness
        )
        return canvas.describe(f"Small distributions of {plural(len(shown), 'column')}. {told[:600]}.")


def _small(axes: Axes, c: SheetColumn, left: float, top: float, width: float, height: float) -> None:
    """Draw one column: bars on a line, its ends below, its name and what is missing above; in pixels."""
    edges = c.edges if len(c.edges) else np.arange(max(len(c.counts), 2) + 1.0)
    places_ = left + (edges - edges[0]) / (edges[-1] - edges[0]) * width
    bottom, bars = top + height, 0.95 * height * c.counts / (float(c.counts.max(initial=0)) or 1.0)
    colour = LEVELS if not len(c.edges) else NUMBER if c.numeric else TIME
    at = places_[: len(bars) + 1]
    add_boxes(axes, at[:-1], bottom, np.diff(at), -bars, colour, alpha=0.8)
    axes.plot([left, left + width], [bottom, bottom], color=style.DIM, lw=0.8)
    if c.numeric and c.counts.sum() < c.n:
        axes.plot([left + width], [bottom - 0.12 * height], "o", ms=4, color=style.STOP, clip_on=False)
    missing = f"  {percent(c.missing / (c.n + c.missing))} missing" if c.missing else ""
    weight = "bold" if c.codes else "normal"
    axes.text(left, top - 15, style.shorten(c.name, 20), size=9.5, weight=weight, va="bottom")
    skew = f"skewness {places(c.skewness, 1)}" if c.numeric and c.skewness == c.skewness else c.kind
    axes.text(left, top - 1, skew + missing, size=7.5, color=style.DIM, va="bottom")
    for x, text, ha in ((left, c.ends[0], "left"), (left + width, c.ends[1], "right")):
        text = text.replace("-", "−") if c.numeric else text
        axes.text(x, bottom + 3, style.shorten(text, 18), size=7.5, color=style.DIM, ha=ha, va="top")
