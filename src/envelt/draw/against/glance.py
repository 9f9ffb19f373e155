"""All candidates against the outcome: numbers on one axis, categories on another."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...core.against.glance import Glance, Glimpse
from ...core.columns.outcome import Classes
from ...write.digits import places
from ..parts import style
from ..parts.intervals import Row, all_rows_line, interval_rows

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

MOST_ROWS = 28


def draw_glance(result: Glance, page: Page) -> Figure:
    """Draw effects of the numbers with intervals on the left, spreads of the levels' rates on the right."""
    classes = isinstance(result.outcome, Classes)
    numbers = [g for g in result.rows if g.measure in ("hedges_g", "spearman") and g.estimate == g.estimate]
    levels = [g for g in result.rows if g.measure == "spread"]
    with style.house_style():
        hidden = max(0, len(numbers) - MOST_ROWS) + max(0, len(levels) - MOST_ROWS)
        more = f" {hidden} weaker candidates are in the table only." if hidden else ""
        note = (
            "On the right of each row: association, which sees bends too. Left: 95 % intervals. Right: lowest to "
            f"highest level, shrunken.{more}"
        )
        canvas = page.begin(note)
        both = bool(numbers) and bool(levels)
        if numbers:
            axes = canvas.place(150, 140, 700 if both else 120, 104)
            _effects(axes, numbers[:MOST_ROWS], classes, result)
        if levels:
            axes = canvas.place(800 if both else 190, 140, 90, 104)
            _spreads(axes, levels[:MOST_ROWS], classes, result)
        told = ", ".join(f"{g.name} {places(g.association, 2)}" for g in result.rows[:15])
        return canvas.describe(f"Association of each candidate with {result.outcome.name}: {told}.")


def _effects(axes: Axes, rows: list[Glimpse], classes: bool, result: Glance) -> None:
    drawn = [Row(g.name, g.estimate, g.low, g.high, (places(g.association, 2),), _colour(g)) for g in rows]
    axes.axvline(0, color=style.DIM, lw=1)
    interval_rows(axes, drawn, ("",), letters=15)
    _hold_in(axes, rows)
    if classes:
        assert isinstance(result.outcome, Classes)
        label = f"standardized difference (g), {style.shorten(result.outcome.event, 14)} less the rest"
    else:
        label = f"Spearman correlation with {style.shorten(result.outcome.name, 20)}"
    axes.set_xlabel(label)
    axes.set_title("Numbers and dates", loc="left", size=12, weight="bold", pad=20)


def _hold_in(axes: Axes, rows: list[Glimpse]) -> None:
    """Keep one giant from pressing all others to zero: beyond the axis it is an arrow with its number."""
    reach = sorted((max(abs(g.low), abs(g.high)) for g in rows if g.low == g.low), reverse=True)
    if len(reach) < 3 or reach[0] < 2.5 * reach[1]:
        return
    edge = 1.25 * reach[1]
    low, high = axes.get_xlim()
    axes.set_xlim(max(low, -edge), min(high, edge))
    for y, g in enumerate(rows):
        if abs(g.estimate) > edge:
            right = g.estimate > 0
            text = f"{places(g.estimate, 1)} →" if right else f"← {places(g.estimate, 1)}"
            axes.text(0.98 if right else 0.02, y, text, transform=axes.get_yaxis_transform(), va="center",
                      ha="right" if right else "left", size=10, color=_colour(g), weight="bold")  # fmt: skip


def _spreads(axes: Axes, rows: list[Glimpse], classes: bool, result: Glance) -> None:
    drawn = [Row(g.name, float("nan"), g.low, g.high, (places(g.association, 2),), _colour(g)) for g in rows]
    for y, g in enumerate(rows):
        axes.plot([g.low, g.high], [y, y], color=_colour(g), lw=3, alpha=0.6, solid_capstyle="butt")
        axes.plot([g.low, g.high], [y, y], "|", color=_colour(g), ms=10, mew=2)
    all_rows_line(axes, result.overall, "all rows")
    interval_rows(axes, drawn, ("",), letters=15)
    if classes:
        assert isinstance(result.outcome, Classes)
        axes.set_xlabel(f"rate of {style.shorten(result.outcome.event, 14)}, lowest to highest level")
        low, high = axes.get_xlim()
        axes.set_xlim(max(0.0, low), min(1.0, high))
        style.percent_axis(axes.xaxis, 6)
    else:
        axes.set_xlabel(f"mean {style.shorten(result.outcome.name, 20)}, lowest to highest level")
    if not axes.get_xlim()[0] <= 0 <= axes.get_xlim()[1]:
        axes.set_xlabel(f"{axes.get_xlabel()}\n(axis does not start at 0)", linespacing=1.3)
    axes.set_title("Categories", loc="left", size=12, weight="bold", pad=20)


def _colour(g: Glimpse) -> str:
    return style.PALETTE[0] if g.q == g.q and g.q < 0.05 else style.QUIET
