"""The columns at a glance: what each is, and how much of it is missing."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..core.inventory.inventory import ColumnFacts, Inventory
from ..core.words import be, plural
from ..write.digits import count, percent
from .parts import style
from .parts.boxes import add_boxes

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from .parts.canvas import Canvas, Page

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


def draw_inventory(result: Inventory, page: Page) -> Figure:
    """Draw one row a column: its name, kind, missing share on a track, distinct values; two panels if many."""
    shown = result.columns
    if len(shown) > MOST_ROWS:
        first = sorted(range(len(shown)), key=lambda i: (-shown[i].findings, -shown[i].missing))[:MOST_ROWS]
        shown = tuple(shown[i] for i in sorted(first))
    panels = [shown] if len(shown) <= A_PANEL else [shown[: (len(shown) + 1) // 2], shown[(len(shown) + 1) // 2 :]]
    with style.house_style():
        folded = len(result.columns) - len(shown)
        more = (
            f" {plural(folded, 'column')} that {'needs' if folded == 1 else 'need'} least attention "
            f"{be(folded)} not drawn."
            if folded
            else ""
        )
        note = (
            "Blue numbers, green categories, amber dates, grey the rest. Bold: named in findings. *: kind by your word."
        )
        canvas = page.begin(note + more)
        width = (1280 - 40) / len(panels)
        longest = max(len(p) for p in panels)
        for i, panel in enumerate(panels):
            _panel(canvas, panel, 20 + i * width, width, longest)
        parts = ", ".join(f"{c.name} {c.kind} {percent(c.missing_share)} missing" for c in result.columns[:20])
        return canvas.describe(f"Inventory of {plural(len(result.columns), 'column')}: {parts}.")


def _panel(canvas: Canvas, columns: tuple[ColumnFacts, ...], left: float, width: float, longest: int) -> None:
    height = min(26.0 * longest + 10, 800 - 120 - 60)
    axes = canvas.place(left, 118, 1280 - left - width, 800 - 118 - height)
    axes.set_xlim(0, width)
    axes.set_ylim(longest - 0.4, -0.6)
    style.bare(axes, "left", "bottom")
    axes.set_xticks([])
    axes.set_yticks([])
    size = 11 if longest <= 20 else 9.5
    at = {"column": 0.27, "kind": 0.29, "missing": 0.43, "shape": 0.62, "range": 0.785}
    x = {name: width * share for name, share in at.items()}
    track = width * 0.10
    rows, gone = np.arange(len(columns)) - 0.25, np.array([c.missing_share for c in columns])
    add_boxes(axes, x["missing"], rows, track, 0.5, style.PALE)
    add_boxes(axes, x["missing"], rows, track * gone, 0.5, style.PALETTE[3])
    for y, c in enumerate(columns):
        name = axes.text(x["column"], y, style.shorten(c.name, 22), ha="right", va="center", size=size)
        if c.findings:
            name.set_fontweight("bold")
        axes.text(x["kind"], y, c.kind + ("*" if c.changed else ""), va="center", size=size, color=FAMILY[c.kind])
        if c.missing:
            axes.text(x["missing"] + track + 5, y, percent(c.missing_share), va="center", size=size - 1)
        _small_shape(axes, c, x["shape"], y, width * 0.14)
        axes.text(x["range"], y, style.shorten(_range(c), 20), va="center", size=size - 1.5, color=style.DIM)
    for head, side in (
        ("column", "right"),
        ("kind", "left"),
        ("missing", "left"),
        ("shape", "left"),
        ("range", "left"),
    ):
        axes.text(x[head], -0.9, head, ha=side, va="bottom", size=9.5, color=style.DIM)
    for line in np.arange(0.5, len(columns) - 0.5):
        axes.axhline(line, color=style.PALE, lw=0.7, zorder=0)


def _small_shape(axes: Axes, c: ColumnFacts, left: float, y: int, width: float) -> None:
    """Draw a column's counts as bars standing in its row."""
    counts = c.shape.counts
    if c.kind in ("identifier", "text", "constant") or not counts.any():
        return
    each = width / max(len(counts), 6)
    height = 0.78 * counts / counts.max()
    add_boxes(axes, left + each * np.arange(len(counts)), y + 0.39, each * 0.86, -height, FAMILY[c.kind], alpha=0.7)


def _range(c: ColumnFacts) -> str:
    """Say the range of numbers and dates, or the number of levels and the largest of them."""
    if c.kind in ("identifier", "text"):
        return f"{count(c.distinct)} different"
    if c.shape.levels:
        return f"{count(c.distinct)}: {', '.join(c.examples[:3])}" if c.distinct > 2 else ", ".join(c.examples[:2])
    if c.kind == "datetime":
        return f"{c.shape.low[:7]} to {c.shape.high[:7]}"
    return f"{c.shape.low} to {c.shape.high}".replace("-", "−")
