"""The columns at a glance: what each is, and how much of it is missing."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..core.inventory import ColumnFacts, Inventory
from ..write.digits import count, percent
from . import style

if TYPE_CHECKING:
    from matplotlib.figure import Figure

FAMILY = {
    "continuous": style.PALETTE[0],
    "discrete": style.PALETTE[0],
    "ordinal": style.PALETTE[2],
    "nominal": style.PALETTE[2],
    "binary": style.PALETTE[2],
    "datetime": style.PALETTE[1],
    "identifier": style.DIM,
    "text": style.DIM,
    "constant": style.DIM,
}
A_PANEL = 26
MOST_ROWS = 2 * A_PANEL


def draw_inventory(result: Inventory, title: str, about: str) -> Figure:
    """Draw one row a column: its name, kind, missing share on a track, distinct values; two panels if many."""
    shown = result.columns[:MOST_ROWS]
    if len(result.columns) > MOST_ROWS:
        order = sorted(range(len(result.columns)), key=lambda i: -result.columns[i].missing)
        shown = tuple(result.columns[i] for i in sorted(order[:MOST_ROWS]))
    panels = [shown] if len(shown) <= A_PANEL else [shown[: (len(shown) + 1) // 2], shown[(len(shown) + 1) // 2 :]]
    with style.house_style():
        folded = len(result.columns) - len(shown)
        more = f" {count(folded)} columns with the least missing are not drawn." if folded else ""
        note = f"Kinds: blue numbers, green categories, amber dates, grey the rest. Bars: share of rows missing.{more}"
        figure = style.new_figure(title, about, note)
        width = (1280 - 40) / len(panels)
        longest = max(len(p) for p in panels)
        for i, panel in enumerate(panels):
            _panel(figure, panel, 20 + i * width, width, longest)
        parts = ", ".join(f"{c.name} {c.kind} {percent(c.missing_share)} missing" for c in result.columns[:20])
        return style.describe(figure, f"Inventory of {len(result.columns)} columns: {parts}.")


def _panel(figure: Figure, columns: tuple[ColumnFacts, ...], left: float, width: float, longest: int) -> None:
    height = min(26.0 * longest + 10, 800 - 120 - 60)
    axes = style.place(figure, left, 118, 1280 - left - width, 800 - 118 - height)
    axes.set_xlim(0, width)
    axes.set_ylim(longest - 0.4, -0.6)
    style.bare(axes, "left", "bottom")
    axes.set_xticks([])
    axes.set_yticks([])
    name_end, kind_end = width * 0.30, width * 0.46
    track, track_width, text_at = kind_end + 14, width * 0.24, width * 0.985
    size = 11 if longest <= 20 else 9.5
    for y, c in enumerate(columns):
        axes.text(name_end, y, style.shorten(c.name, 24), ha="right", va="center", size=size)
        axes.text(name_end + 14, y, c.kind, va="center", size=size, color=FAMILY[c.kind])
        axes.barh(y, track_width, 0.52, left=track, color=style.PALE)
        axes.barh(y, track_width * c.missing_share, 0.52, left=track, color=style.PALETTE[3])
        if c.missing:
            axes.text(track + track_width + 8, y, percent(c.missing_share), va="center", size=size)
        axes.text(text_at, y, count(c.distinct), ha="right", va="center", size=size)
    for x, text, side in (
        (name_end, "column", "right"), (name_end + 14, "kind", "left"), (track, "missing", "left"),
        (text_at, "distinct", "right"),
    ):  # fmt: skip
        axes.text(x, -0.9, text, ha=side, va="bottom", size=9.5, color=style.DIM)
    for y in np.arange(0.5, len(columns) - 0.5):
        axes.axhline(y, color=style.PALE, lw=0.7, zorder=0)
