"""A category candidate: the event's rate at each level, or a numeric outcome's mean in each group."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..core.against import LevelsByClass, NumberByGroup
from ..core.proportions import wilson
from ..write.digits import count, percent, significant
from . import style
from .intervals import Row, interval_rows

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


def draw_levels_by_class(result: LevelsByClass, title: str, about: str, ordered: bool) -> Figure:
    """Draw the event's rate a level with Wilson intervals; levels without an order are sorted by rate."""
    rates = result.rates
    overall = rates.events.sum() / max(rates.n.sum(), 1)
    kept, rest = _largest(rates.n)
    if not ordered:
        kept = kept[np.argsort(-np.nan_to_num(rates.rate[kept]), kind="stable")]
    event_colour = style.class_colours(result.outcome.levels)[result.outcome.event]
    rows = [
        Row(result.levels[i], rates.rate[i], rates.low[i], rates.high[i], _rate_text(rates.rate[i], int(rates.n[i])), event_colour)
        for i in kept
    ]
    if len(rest):
        n, events = rates.n[rest].sum(), rates.events[rest].sum()
        rate, low, high = (float(v) for v in wilson(np.array(events), np.array(n)))
        rows.append(Row(f"other ({count(len(rest))} levels)", rate, low, high, _rate_text(rate, int(n)), style.QUIET))
    with style.house_style():
        figure = style.new_figure(
            title, about, "Intervals are 95 % Wilson intervals of the rate; a level with few rows has a wide one."
        )
        axes = _row_axes(figure, rows)
        axes.axvline(overall, color=style.DIM, lw=1, ls="--", zorder=1)
        axes.annotate(f"all rows {percent(overall)}", (overall, 1), xycoords=("data", "axes fraction"), xytext=(0, 4),
                      textcoords="offset points", ha="center", size=10, color=style.DIM)  # fmt: skip
        interval_rows(axes, rows, "rate, n")
        _share_limits(axes, rows)
        axes.set_xlabel(f"rate of {result.outcome.name} = {result.outcome.event}")
        parts = "; ".join(f"{r.label} {r.text}" for r in rows[:12])
        return style.describe(
            figure, f"Rate of {result.outcome.event} at each level of {result.name}, all rows {percent(overall)}: {parts}."
        )


def _largest(n: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the levels to draw, in their order, and those to join."""
    if len(n) <= style.MOST_LEVELS:
        return np.arange(len(n)), np.zeros(0, int)
    order = np.argsort(-n, kind="stable")
    return np.sort(order[: style.MOST_LEVELS - 1]), order[style.MOST_LEVELS - 1 :]


def _rate_text(rate: float, n: int) -> str:
    return f"{percent(rate) if rate == rate else '–':>6}   {count(n)}"


def _row_axes(figure: Figure, rows: list[Row]) -> Axes:
    left = 50 + min(270, max(90, int(8.2 * max(len(r.label) for r in rows))))
    spare = max(0, 800 - 110 - 90 - 62 * len(rows))
    return style.place(figure, left, 120, 190, 90 + spare * 0.6)


def _share_limits(axes: Axes, rows: list[Row]) -> None:
    """Show rates from 0 unless that would leave most of the axis empty, which is then said."""
    low = min((r.low for r in rows if r.low == r.low), default=0.0)
    high = max((r.high for r in rows if r.high == r.high), default=1.0)
    start = 0.0 if low < 0.5 * high else max(0.0, np.floor(low * 20) / 20 - 0.05)
    axes.set_xlim(start, min(1.0, high + 0.02 * (high - start)) if high > start else 1.0)
    axes.xaxis.set_major_formatter(lambda v, _: f"{v:.0%}")
    if start > 0:
        axes.annotate("axis does not start at 0", (0, 0), xycoords="axes fraction", xytext=(0, -36),
                      textcoords="offset points", size=9, color=style.STOP)  # fmt: skip


def draw_number_by_group(result: NumberByGroup, title: str, about: str, ordered: bool) -> Figure:
    """Draw a numeric outcome's mean in each group with its t interval, quartiles behind it."""
    summary = result.comparison.summary
    n, mean = summary.moments.n, summary.moments.mean
    low, high = summary.mean_interval
    kept, rest = _largest(n)
    if not ordered:
        kept = kept[np.argsort(-np.nan_to_num(mean[kept]), kind="stable")]
    rows = [
        Row(summary.labels[i], mean[i], low[i], high[i], f"{significant(mean[i]) if n[i] else '–':>7}   {count(n[i])}")
        for i in kept
    ]
    overall = float(np.nansum(mean * n) / max(n.sum(), 1))
    with style.house_style():
        more = f" The {count(len(rest))} smallest levels are not drawn." if len(rest) else ""
        figure = style.new_figure(
            title, about, f"Bars behind: the middle half of the rows. Intervals: 95 %, of the mean, not of the rows.{more}"
        )
        axes = _row_axes(figure, rows)
        for y, i in enumerate(kept):
            axes.plot(summary.quartiles[i][[0, 2]], [y, y], color=style.LINE, lw=min(14.0, 260 / len(rows)), solid_capstyle="butt", zorder=0)
        axes.axvline(overall, color=style.DIM, lw=1, ls="--", zorder=1)
        axes.annotate(f"all rows {significant(overall)}", (overall, 1), xycoords=("data", "axes fraction"), xytext=(0, 4),
                      textcoords="offset points", ha="center", size=10, color=style.DIM)  # fmt: skip
        interval_rows(axes, rows, "mean, n")
        axes.set_xlabel(result.outcome.name)
        axes.set_ylabel(result.name if result.bins is not None else "")
        parts = "; ".join(f"{r.label} {r.text}" for r in rows[:12])
        return style.describe(figure, f"Mean {result.outcome.name} by {result.name}, with n: {parts}.")
