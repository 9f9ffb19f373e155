"""The outcome's classes as bars, or its numbers as a histogram."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..core.balance.balance import ClassBalance
from ..write.digits import count, percent
from .parts import style

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from .parts.canvas import Page


def draw_classes(result: ClassBalance, page: Page) -> Figure:
    """Draw bars from zero with the count and share of each class on them."""
    levels, counts = result.outcome.levels, result.counts
    shown = np.argsort(-counts, kind="stable")[: style.MOST_LEVELS] if len(levels) > style.MOST_LEVELS else None
    order = np.arange(len(levels)) if shown is None else shown
    total = counts.sum()
    with style.house_style():
        largest = levels[int(counts.argmax())]
        note = f"Always saying {largest!r} would be right in {percent(result.largest_share)} of these rows."
        canvas = page.begin(note)
        left = 60 + min(300, 9 * max(len(level) for level in levels))
        axes = canvas.place(left, 110, 190, 90)
        colours = style.class_colours(levels)
        bars = axes.barh(
            range(len(order)),
            counts[order],
            color=[colours[levels[i]] for i in order],
            height=min(0.62, 0.2 * len(order)),
        )
        for bar, i in zip(bars, order, strict=True):
            axes.annotate(
                f"{count(counts[i])}  ({percent(counts[i] / total)})",
                (bar.get_width(), bar.get_y() + bar.get_height() / 2),
                xytext=(8, 0),
                textcoords="offset points",
                va="center",
                size=13 if len(order) <= 12 else 10,
            )
        axes.set_yticks(
            range(len(order)),
            [style.wrapped(levels[i], 34) for i in order],
            size=13 if len(order) <= 12 else 9,
        )
        axes.set_ylim(len(order) - 0.4, -0.6)
        axes.set_xlabel("rows")
        axes.xaxis.set_major_formatter(lambda v, _: count(v))
        style.bare(axes, "left")
        parts = ", ".join(f"{levels[i]} {count(counts[i])} ({percent(counts[i] / total)})" for i in order[:12])
        return canvas.describe(f"Bars of the outcome's classes: {parts}.")
