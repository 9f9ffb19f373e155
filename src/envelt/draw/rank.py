"""All candidates: held-out shares as dots with intervals."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..core.columns.outcome import Classes
from ..core.rank.findings import Candidate
from ..core.rank.rank import Ranking
from ..write.digits import count, places, probability
from .parts import style
from .parts.intervals import Row, interval_rows
from .parts.labels import margin

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from .parts.canvas import Page

MOST_ROWS = 30


def draw_rank(result: Ranking, page: Page) -> Figure:
    """Draw candidates best first; strong ones stand apart, on an axis of their own."""
    scored = [c for c in result.candidates if c.held_out.share == c.held_out.share]
    strong = [c for c in scored if c.strong][:8]
    stop = any(c.too_good for c in strong)
    rest = [c for c in scored if not c.strong]
    shown, folded = rest[: MOST_ROWS - len(strong)], rest[MOST_ROWS - len(strong) :]
    what = "log loss" if isinstance(result.outcome, Classes) else "squared error"
    with style.house_style():
        more = f" Not drawn: {count(len(folded))} below {places(folded[0].held_out.share)}." if folded else ""
        note = (
            f"Share of the {what} that a candidate alone removes on rows it was not fitted on, with 95 % "
            f"intervals; hollow where they reach 0.{more}"
        )
        canvas = page.begin(note)
        heading = ("share", "AUC", "q") if _is_binary(result) else ("share", "q")
        left = margin([c.name for c in strong + shown], 100)
        top = 112.0
        if strong:
            height = 26 * len(strong) + 8
            axes = canvas.place(left, top, 250, 800 - top - height)
            interval_rows(axes, [_row(c, style.STOP if c.too_good else style.PALETTE[0]) for c in strong], heading)
            axes.set_xlim(0, 1)
            axes.text(
                0.01,
                1.03,
                f"{'too good to be true' if stop else 'strong'}: on its own axis, 0 to 1",
                transform=axes.transAxes,
                size=10,
                color=style.STOP if stop else style.DIM,
            )
            top += height + 52
        if shown:
            axes = canvas.place(left, top, 250, 88)
            interval_rows(axes, [_row(c, style.PALETTE[0]) for c in shown], () if strong else heading)
            axes.axvline(0, color=style.DIM, lw=1)
            low = min(min(c.held_out.low for c in shown), 0)
            high = max(max(c.held_out.high for c in shown), 0.005)
            axes.set_xlim(low - 0.02 * (high - low), high + 0.03 * (high - low))
            axes.set_xlabel("held-out share (0 nothing, 1 everything)")
        parts = ", ".join(f"{c.name} {places(c.held_out.share)}" for c in (strong + shown)[:12])
        return canvas.describe(f"Held-out shares for {result.outcome.name}, best first: {parts}.")


def _is_binary(result: Ranking) -> bool:
    return isinstance(result.outcome, Classes) and len(result.outcome.levels) == 2


def _area(auc: float) -> str:
    """Return an area under the curve with two decimals, three where two would say all or nothing."""
    return f"{auc:.2f}" if 0.005 <= auc < 0.995 else f"{auc:.3f}"


def _row(c: Candidate, colour: str) -> Row:
    h = c.held_out
    area = (_area(h.auc),) if h.auc == h.auc else ()
    cells = (places(h.share), *area, probability(c.q) if c.q == c.q else "–")
    hollow = not h.low > 0
    return Row(c.name, h.share, h.low, h.high, cells, style.QUIET if hollow else colour, hollow)
