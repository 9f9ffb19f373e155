"""A numeric outcome over time: its mean in units of the calendar, with intervals, and the rows behind each."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.against.by_number import NumberOverTime
from ...core.distribution.look import Scale
from ...write.digits import count, significant
from ..parts import style
from ..parts.values_axis import set_values_axis, tick_label

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..parts.canvas import Page


def draw_number_over_time(result: NumberOverTime, page: Page) -> Figure:
    """Draw means with 95 % intervals and the middle half of the rows above, the number of rows below."""
    summary, bins = result.summary, result.bins
    low, high = summary.mean_interval
    m = summary.moments
    middle = (bins.left + bins.right) / 2
    overall = float(np.nansum(m.mean * m.n) / max(int(m.n.sum()), 1))
    with style.house_style():
        note = (
            "Dots: means with 95 % intervals; pale bars: the middle half of the rows; dashed: the mean of all rows. "
            "The axis does not start at 0."
        )
        canvas = page.begin(note)
        below = canvas.place(108, 610, 60, 88)
        axes = canvas.place(108, 110, 60, 216, sharex=below)
        if len(middle):
            width = float(np.median(bins.right - bins.left))
            q1, q3 = summary.quartiles[:, 0], summary.quartiles[:, 2]
            axes.vlines(
                middle, q1, q3, color=style.PALE, lw=0.64 * style.WIDTH * width / (bins.right[-1] - bins.left[0])
            )
            axes.vlines(middle, low, high, color=style.PALETTE[0], lw=1.8)
            axes.plot(middle, m.mean, "o", color=style.PALETTE[0], mec="white", ms=7)
            below.bar(
                bins.left, m.n, bins.right - bins.left, align="edge", color=style.QUIET, edgecolor="white", lw=0.4
            )
            below.set_xlim(bins.left[0], bins.right[-1])
        axes.axhline(overall, color=style.DIM, lw=1, ls="--")
        axes.set_ylabel(style.shorten(result.outcome.name, 50))
        axes.yaxis.set_major_formatter(lambda v, _: tick_label(v))
        axes.grid(axis="y")
        axes.tick_params(axis="x", labelbottom=False)
        below.set_ylabel("rows", size=10)
        below.yaxis.set_major_formatter(lambda v, _: count(v))
        set_values_axis(below, result.name, Scale("linear"), dates=True)
        told = ", ".join(f"{a} {significant(v)}" for a, v in zip(summary.labels[:20], m.mean[:20], strict=True))
        return canvas.describe(f"Mean {result.outcome.name} over {result.name}: {told}.")
