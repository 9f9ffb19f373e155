"""The outcome's classes as bars, or its numbers as a histogram."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..core.balance import ClassBalance, NumericBalance
from ..core.bins import readable_bins
from ..write.digits import count, percent, significant
from . import style

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def draw_classes(result: ClassBalance, title: str, about: str) -> Figure:
    """Draw bars from zero with the count and share of each class on them."""
    levels, counts = result.outcome.levels, result.counts
    shown = np.argsort(-counts, kind="stable")[: style.MOST_LEVELS] if len(levels) > style.MOST_LEVELS else None
    order = np.arange(len(levels)) if shown is None else shown
    total = counts.sum()
    with style.house_style():
        largest = levels[int(counts.argmax())]
        note = f"Always saying {largest!r} would be right in {percent(result.largest_share)} of these rows."
        figure = style.new_figure(title, about, note)
        left = 60 + min(300, 9 * max(len(level) for level in levels))
        axes = style.place(figure, left, 110, 190, 90)
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
        return style.describe(figure, f"Bars of the outcome's classes: {parts}.")


def draw_numbers(result: NumericBalance, title: str, about: str) -> Figure:
    """Draw a histogram of a numeric outcome with its quartiles and mean."""
    ordered = result.summary.ordered[0]
    bins = readable_bins(ordered)
    counts = bins.count(ordered)
    q1, median, q3 = result.summary.quartiles[0]
    mean = float(result.summary.moments.mean[0])
    with style.house_style():
        cut = f" {count(bins.below + bins.above)} values lie beyond the edges." if bins.below + bins.above else ""
        width = significant(float(bins.edges[1] - bins.edges[0]))
        figure = style.new_figure(
            title,
            about,
            f"Dotted: quartiles, {significant(q1)} and {significant(q3)}; solid: median, {significant(median)}. "
            f"Bins of {width}.{cut}",
        )
        axes = style.place(figure, 90, 110, 60, 90)
        axes.bar(
            bins.edges[:-1],
            counts,
            np.diff(bins.edges),
            align="edge",
            color=style.PALETTE[0],
            edgecolor="white",
            lw=0.5,
        )
        top = counts.max() * 1.12
        for at, look in ((q1, ":"), (median, "-"), (q3, ":")):
            axes.axvline(at, color=style.INK, lw=1.2, ls=look)
        axes.plot([mean], [top * 0.97], "o", color=style.INK, ms=6)
        axes.annotate(
            f"mean {significant(mean)}",
            (mean, top * 0.97),
            xytext=(8, 0),
            textcoords="offset points",
            va="center",
        )
        axes.set_ylim(0, top)
        axes.set_xlabel(result.outcome.name)
        axes.set_ylabel("rows")
        axes.yaxis.set_major_formatter(lambda v, _: count(v))
        alternative = (
            f"Histogram of {result.outcome.name}: quartiles {significant(q1)}, {significant(median)} and "
            f"{significant(q3)}, mean {significant(mean)}, most rows from "
            f"{significant(bins.edges[counts.argmax()])} to {significant(bins.edges[counts.argmax() + 1])}."
        )
        return style.describe(figure, alternative)
