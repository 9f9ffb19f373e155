"""The picture of a distribution: which one, and what all of them share."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.distribution.distribution import NumberDistribution
from ...write.digits import count, day_label, significant
from ..parts import style
from .curves import draw_cumulative, draw_densities
from .dates import draw_dates
from .histogram import draw_histogram
from .qq import draw_qq
from .rows import draw_boxes, draw_dots, draw_intervals, draw_violins

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

PICTURES = {
    "histogram": draw_histogram,
    "density": draw_densities,
    "cumulative": draw_cumulative,
    "box": draw_boxes,
    "violin": draw_violins,
    "dots": draw_dots,
    "qq": draw_qq,
    "interval": draw_intervals,
}


def draw_distribution(result: NumberDistribution, page: Page) -> Figure:
    """Draw the picture chosen, or asked for."""
    with style.house_style():
        if not any(len(g) for g in result.summary.ordered):
            canvas = page.begin("No row has a value.")
            return canvas.describe(f"No row has a value of {result.name}: there is nothing to draw.")
        if result.dates and result.picture == "histogram" and result.calendar is not None:
            canvas = draw_dates(result, page)
        else:
            canvas = PICTURES[result.picture](result, page)
        return canvas.describe(alternative(result))


def alternative(result: NumberDistribution) -> str:
    """Say in words what the picture shows."""
    write = day_label if result.dates else significant
    parts = [
        f"{label}: median {write(q[1])}, quartiles {write(q[0])} to {write(q[2])}, n {count(n)}"
        for label, q, n in zip(result.groups.labels, result.summary.quartiles, result.summary.moments.n, strict=True)
        if n
    ]
    more = f"; and {count(len(parts) - 12)} more groups" if len(parts) > 12 else ""
    by = f" by {' and '.join(result.groups.names)}" if result.groups.names else ""
    bins, counts = result.bins.edges, result.counts.sum(axis=0)
    most = ""
    if result.picture == "histogram" and len(counts) == len(bins) - 1:
        k = int(np.argmax(counts))
        left, right = result.scale.value(bins[k : k + 2])
        most = f" Most rows lie from {write(float(left))} to {write(float(right))}."
    return f"{result.picture.capitalize()} of {result.name}{by}. {'; '.join(parts[:12])}{more}.{most}"
