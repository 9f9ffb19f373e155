"""A numeric outcome in the levels of a category: its distribution in each, and the mean with its interval."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core import thresholds as T
from ...core.against.by_number import NumberByLevels, reading_order
from ...core.shapes.ordered import pooled_quantiles
from ...write.digits import count, in_line, significant
from ..parts import style
from ..parts.intervals import Row, all_rows_line, interval_rows
from ..parts.row_axes import drawn_levels, fitting_height, row_axes

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Page


def draw_number_by_levels(result: NumberByLevels, page: Page) -> Figure:
    """Draw one row a level: the distribution as a pale body, the middle half as a bar, the mean with its interval.

    Levels without an order are sorted by their shrunken mean; those of few rows come last, hollow, at that mean.
    """
    summary = result.summary
    m = summary.moments
    low, high = summary.mean_interval

    def in_order(kept: np.ndarray) -> np.ndarray:
        kept = kept[m.n[kept] > 0]
        return kept if result.ordered else kept[reading_order(m.n[kept], result.shrunken[kept])]

    kept, rest = drawn_levels(m.n, result.shown, in_order)
    rows = []
    write, of_shrunken = in_line(m.mean[kept]), in_line(result.shrunken[kept])
    for i in kept:
        few = bool(m.n[i] < T.FEW_ROWS)
        at = float(result.shrunken[i] if few else m.mean[i])
        cells = (write(float(m.mean[i])), of_shrunken(float(result.shrunken[i])), count(m.n[i]))
        ends = (float("nan"), float("nan")) if few else (float(low[i]), float(high[i]))
        rows.append(Row(summary.labels[i], at, *ends, cells, style.PALETTE[0], hollow=few))
    overall = float(np.nansum(m.mean * m.n) / max(int(m.n.sum()), 1))
    with style.house_style():
        more = f" The {count(len(rest))} smallest levels are not drawn." if len(rest) else ""
        canvas = page.begin(
            "Pale: the rows' distribution; bar: their middle half; dot: the mean with its 95 % interval. Shrunken: "
            f"drawn towards all rows as far as n asks for.{more}",
            fitting_height(len(rows)),
        )
        axes = row_axes(canvas, rows, cells=3)
        _bodies(axes, result, kept)
        all_rows_line(axes, overall, f"all rows {significant(overall)}")
        interval_rows(axes, rows, ("mean", "shrunken", "n"))
        axes.set_xlabel(result.outcome.name)
        if not axes.get_xlim()[0] <= 0 <= axes.get_xlim()[1]:
            style.mark_cut_axis(axes)
        parts = "; ".join(f"{r.label} {r.cells[0]} (n {r.cells[2]})" for r in rows[:12])
        return canvas.describe(f"{result.outcome.name} by {result.name}, mean and n: {parts}.")


def _bodies(axes: Axes, result: NumberByLevels, kept: np.ndarray) -> None:
    """Draw densities and quartiles behind the rows, within the fences of all rows together."""
    summary, density = result.summary, result.distribution.density
    q1, q3 = pooled_quantiles([summary.ordered[i] for i in kept], np.array([0.25, 0.75]))
    low, high = q1 - 3 * (q3 - q1), q3 + 3 * (q3 - q1)
    for y, i in enumerate(kept):
        n = len(summary.ordered[i])
        if density is not None and n >= T.SPREAD_ROWS and not np.isnan(density.density[i]).all():
            ends = summary.ordered[i].low, summary.ordered[i].high
            inside = (density.at >= max(ends[0], low)) & (density.at <= min(ends[1], high))
            half = 0.42 * density.density[i][inside] / density.density[i].max()
            axes.fill_between(density.at[inside], y - half, y + half, color=style.PALE, lw=0, zorder=0)
        quartiles = summary.quartiles[i][[0, 2]]
        thick = min(12.0, 230 / len(kept))
        axes.plot(quartiles, [y, y], color=style.LINE, lw=thick, solid_capstyle="butt", zorder=0.5)
