"""A numeric candidate by the classes of the outcome: distributions in line, and the event's rate along it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ...core.against.by_class import NumberByClass
from ...core.words import plural
from ...write.digits import count, day_label, percent, significant
from ..parts import style
from ..parts.values_axis import set_date_ticks

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

MOST_CLASSES = 5


def draw_number_by_class(result: NumberByClass, page: Page) -> Figure:
    """Draw one histogram a class on one axis, and under them the event's rate in quantile bins."""
    bins, dates = result.distribution.bins, result.distribution.dates
    outcome = result.outcome
    order = np.argsort(-result.summary.moments.n, kind="stable")[:MOST_CLASSES]
    shown = sorted(order.tolist(), reverse=True)  # the event, last in order, on top
    colours = style.class_colours(outcome.levels)
    with style.house_style():
        canvas = page.begin(_note(result, dates))
        rate_height, gap = 215, 26
        each = (800 - 105 - 78 - rate_height - gap * len(shown)) / len(shown)
        share_top = max(float(_shares(result, i).max(initial=0)) for i in shown) * 1.3 or 1.0
        rate_axes = canvas.place(108, 800 - 78 - rate_height, 250, 78)
        top = 105.0
        for i in shown:
            axes = canvas.place(108, top, 250, 800 - top - each, sharex=rate_axes)
            _histogram(axes, result, i, colours[outcome.levels[i]], share_top, dates)
            top += each + gap
        _rates(rate_axes, result, dates)
        rate_axes.set_xlabel(result.name)
        rate_axes.set_xlim(bins.edges[0], bins.edges[-1])
        if dates:
            set_date_ticks(rate_axes.xaxis)
        return canvas.describe(_alternative(result, dates))


def _histogram(axes: Axes, result: NumberByClass, i: int, colour: str, top: float, dates: bool) -> None:
    bins, share = result.distribution.bins, _shares(result, i)
    summary = result.summary
    n = int(summary.moments.n[i])
    axes.bar(
        bins.edges[:-1],
        share,
        np.diff(bins.edges),
        align="edge",
        color=colour,
        alpha=0.55,
        edgecolor="white",
        lw=0.4,
    )
    axes.set_ylim(0, top)
    style.percent_axis(axes.yaxis, 3)
    axes.tick_params(axis="x", labelbottom=False)
    if n:
        q1, median, q3 = summary.quartiles[i]
        axes.plot([q1, q3], [top * 0.93] * 2, color=style.INK, lw=3, solid_capstyle="butt")
        axes.plot([median] * 2, [top * 0.87, top * 0.99], color=style.INK, lw=2)
        axes.plot([summary.moments.mean[i]], [top * 0.93], "o", color="white", mec=style.INK, ms=6, zorder=4)
    beyond = n - int(result.distribution.body(i).sum())
    if beyond:
        axes.text(
            0.995,
            0.5,
            f"{percent(beyond / n)} beyond →",
            ha="right",
            transform=axes.transAxes,
            size=9,
            color=style.DIM,
        )
    level = style.shorten(result.outcome.levels[i], 18)
    beside: dict[str, Any] = {"va": "top", "transform": axes.transAxes}
    axes.text(1.015, 0.98, style.shorten(f"{result.outcome.name} = {level}", 26), weight="bold", size=11, **beside)
    numbers = f"\nn = {count(n)}\n" + _middle(result, i, dates)
    axes.text(1.015, 0.98, numbers, size=10, color=style.DIM, linespacing=1.5, **beside)
    axes.set_ylabel("share of class", size=9.5)


def _shares(result: NumberByClass, i: int) -> np.ndarray:
    n = int(result.summary.moments.n[i])
    return result.distribution.body(i) / max(n, 1)


def _middle(result: NumberByClass, i: int, dates: bool) -> str:
    summary = result.summary
    if not summary.moments.n[i]:
        return ""
    mean, median = summary.moments.mean[i], summary.quartiles[i][1]
    if dates:
        return f"mean {day_label(mean)}\nmedian {day_label(median)}"
    return f"mean {significant(mean)}\nmedian {significant(median)}"


def _rates(axes: Axes, result: NumberByClass, dates: bool) -> None:
    rates, bins = result.rates, result.bins
    middle = bins.middle
    low_edge, high_edge = result.distribution.bins.edges[[0, -1]]
    middle = np.clip(middle, low_edge, high_edge)
    colour = style.class_colours(result.outcome.levels)[result.outcome.event]
    overall = rates.events.sum() / max(rates.n.sum(), 1)
    axes.axhline(overall, color=style.DIM, lw=1, ls="--")
    axes.hlines(
        rates.rate,
        np.clip(bins.left, low_edge, high_edge),
        np.clip(bins.right, low_edge, high_edge),
        color=colour,
        lw=3,
    )
    axes.vlines(middle, rates.low, rates.high, color=colour, lw=1.4)
    axes.plot(middle, rates.rate, "o", color=colour, mec="white", ms=7, clip_on=False)
    top = float(np.nanmax(rates.high, initial=overall))
    axes.set_ylim(0, min(1.02, top * 1.06) or 1)
    style.percent_axis(axes.yaxis, 5)
    axes.grid(axis="y")
    axes.set_ylabel(f"rate of {style.shorten(result.outcome.event, 14)}", size=9.5)
    cut = result.cut
    if cut is not None and low_edge <= cut.at <= high_edge and cut.accuracy_low > 0.5 and not _bends(result):
        axes.axvspan(max(cut.low, low_edge), min(cut.high, high_edge), color=style.QUIET, alpha=0.18, lw=0)
        axes.axvline(cut.at, color=style.INK, lw=1.2)
    each = count(np.median(rates.n)) if len(rates.n) else "0"
    text = (
        f"Rate of {style.shorten(result.outcome.event, 14)!r} in\n"
        f"{plural(len(rates.n), 'calendar bin' if dates else 'bin')} of\n"
        f"about {each} rows, 95 %\nWilson intervals; dots:\n"
        f"the middle of the rows\n"
        f"dashed: all rows, {percent(overall)}{_cut_text(result)}"
    )
    axes.text(1.015, 0.98, text, va="top", transform=axes.transAxes, size=10, color=style.DIM, linespacing=1.4)


def _bends(result: NumberByClass) -> bool:
    """Say whether the rate goes up and down again, so that it takes two cuts."""
    return any(f.code == "bend-without-trend" for f in result.findings)


def _cut_text(result: NumberByClass) -> str:
    cut = result.cut
    if cut is None:
        return ""
    if _bends(result):
        return "\n\nno one cut: the rate\nbends (see findings)"
    if not cut.accuracy_low > 0.5:
        return "\n\nno cut separates the\nclasses on other rows"
    return (
        f"\n\nbest cut {significant(cut.at)}\n({significant(cut.low)} to {significant(cut.high)}),\n"
        f"balanced accuracy on\nother rows {percent(cut.balanced_accuracy)}"
    )


def _note(result: NumberByClass, dates: bool) -> str:
    bins = result.distribution.bins
    beyond = bins.below + bins.above
    cut = f"{plural(beyond, 'value')} of long tails lie beyond the edges. " if beyond else ""
    hidden = len(result.outcome.levels) - MOST_CLASSES
    more = f"The {hidden} smallest classes are not drawn. " if hidden > 0 else ""
    width = float(bins.edges[1] - bins.edges[0])
    calendar = result.distribution.calendar
    size = f"a {calendar[0]}" if calendar else f"{significant(width)} days" if dates else significant(width)
    return f"{more}{cut}Bins of {size}; the bar over each shows quartiles and median, the ring the mean."


def _alternative(result: NumberByClass, dates: bool) -> str:
    summary, rates = result.summary, result.rates
    write = day_label if dates else significant
    parts = [
        f"{level}: median {write(q[1])}, quartiles {write(q[0])} to {write(q[2])}, n {count(n)}"
        for level, q, n in zip(result.outcome.levels, summary.quartiles, summary.moments.n, strict=True)
        if n
    ]
    along = ", ".join(percent(r) for r in rates.rate[:20])
    return (
        f"Histograms of {result.name} by {result.outcome.name}. {'; '.join(parts)}. "
        f"Rate of {result.outcome.event} along its bins, from low to high: {along}."
    )
