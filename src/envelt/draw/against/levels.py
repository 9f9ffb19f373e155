"""A category candidate: the event's rate at each level, or a numeric outcome's mean in each group."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.against.by_class import LevelsByClass
from ...core.words import plural
from ...write.digits import count, percent
from ..parts import style
from ..parts.intervals import Row, all_rows_line, interval_rows
from ..parts.row_axes import drawn_levels, fitting_height, row_axes

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Page


def draw_levels_by_class(result: LevelsByClass, page: Page) -> Figure:
    """Draw the event's rate a level with its interval; levels without an order are sorted by rate."""
    rates = result.rates
    overall = rates.events.sum() / max(rates.n.sum(), 1)

    def in_order(kept: np.ndarray) -> np.ndarray:
        return kept if result.ordered else kept[np.argsort(-np.nan_to_num(rates.rate[kept]), kind="stable")]

    kept, rest = drawn_levels(rates.n, result.shown, in_order)
    event_colour = style.class_colours(result.outcome.levels)[result.outcome.event]
    rows = [
        Row(
            result.levels[i],
            rates.rate[i],
            rates.low[i],
            rates.high[i],
            _rate_cells(rates.rate[i], int(rates.n[i])),
            event_colour,
        )
        for i in kept
    ]
    if len(rest):
        n, events = int(rates.n[rest].sum()), int(rates.events[rest].sum())
        rate, none = events / n if n else float("nan"), float("nan")  # of levels joined there is no interval
        rows.append(Row(f"other ({plural(len(rest), 'level')})", rate, none, none, _rate_cells(rate, n), style.QUIET))
    with style.house_style():
        canvas = page.begin(
            "Intervals are 95 % intervals of the rate; a level with few rows has a wide one.",
            fitting_height(len(rows)),
        )
        axes = row_axes(canvas, rows)
        all_rows_line(axes, overall, f"all rows {percent(overall)}")
        interval_rows(axes, rows, ("rate", "n"))
        _share_limits(axes, rows)
        axes.set_xlabel(f"rate of {result.outcome.name} = {result.outcome.event}")
        parts = "; ".join(f"{r.label} {' of '.join(r.cells)}" for r in rows[:12])
        return canvas.describe(
            f"Rate of {result.outcome.event} at each level of {result.name}, all rows {percent(overall)}: {parts}.",
        )


def _rate_cells(rate: float, n: int) -> tuple[str, str]:
    return percent(rate) if rate == rate else "–", count(n)


def _share_limits(axes: Axes, rows: list[Row]) -> None:
    """Show rates from 0, so that a small difference looks small."""
    high = max((r.high for r in rows if r.high == r.high), default=1.0)
    axes.set_xlim(0, min(1.0, high * 1.02) or 1.0)
    style.percent_axis(axes.xaxis)
