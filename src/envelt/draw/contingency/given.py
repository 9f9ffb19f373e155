"""Figures as they are given, as bars from zero, side by side."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ...core.words import plural
from ...write.digits import in_line, visible
from ..parts import style
from ..parts.labels import label_rows, margin, short_labels
from ..parts.values_axis import tick_label

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

MOST_ROWS, MOST_BARS = 40, 120


def draw_given(table: pd.DataFrame, name: str, of: tuple[str, ...], page: Page) -> Figure:
    """Draw a bar a figure, one colour a column, each with its number.

    Parameters
    ----------
    of
        What the rows are, and the columns, where they are levels; a table with more of these than there are colours is
        turned where it has fewer rows.
    """
    from matplotlib.patches import Rectangle

    if len(table) < len(table.columns) > style.MOST_CLASSES:
        table, of = table.T, of[::-1]
    across = min(len(table.columns), style.MOST_CLASSES)
    down = min(len(table), MOST_ROWS, max(1, MOST_BARS // max(across, 1)))
    hidden = [f"{plural(n, what)} more in the table" for n, what in
              ((len(table) - down, "row"), (len(table.columns) - across, "column")) if n > 0]  # fmt: skip
    values = table.to_numpy(float)[:down, :across]
    labels = [visible(str(t)) for t in table.index[:down]]
    several = len(of) > 1
    with style.house_style():
        note = " ".join(["Figures as they are given: no interval can be known.", *(f"{h}." for h in hidden)])
        height = min(style.HEIGHT, max(330, 215 + (30 + 24 * across) * down, 260 + 40 * across * several))
        canvas = page.begin(note, height=height)
        axes = canvas.place(margin(labels), 118, 240 if several else 110, 80)
        thick = 0.8 / across
        known = values[~np.isnan(values)]
        write = in_line(known)
        for c in range(across):
            y = np.arange(down) + (c - (across - 1) / 2) * thick
            axes.barh(y, values[:, c], thick * 0.9, **_fill(c))
            for at, v in zip(y, values[:, c], strict=True):
                if v == v and down * across <= 60:
                    axes.annotate(write(float(v)), (v, at), xytext=(5 if v >= 0 else -5, 0), va="center",
                                  textcoords="offset points", ha="left" if v >= 0 else "right", color=style.DIM,
                                  size=10 if down * across <= 24 else 8.5)  # fmt: skip
        label_rows(axes, labels, 11 if down <= 20 else 9)
        axes.set_ylim(down - 0.45, -0.55)
        low, high = min(float(known.min(initial=0)), 0.0), max(float(known.max(initial=0)), 0.0)
        axes.set_xlim(low * 1.08, high * 1.08 or 1.0)
        axes.axvline(0, color=style.INK, lw=0.8)
        axes.xaxis.set_major_formatter(lambda v, _: tick_label(v))
        axes.set_xlabel(style.shorten(name, 80))
        style.bare(axes, "left")
        if several:
            axes.text(1.03, 1.0, style.shorten(of[1], 22), weight="bold", size=11, va="top", transform=axes.transAxes)
            for k, label in enumerate(short_labels(tuple(visible(str(c)) for c in table.columns[:across]), 20)):
                place: dict[str, Any] = {"transform": axes.transAxes}
                top = 0.9 - 32 / height * k
                axes.add_patch(Rectangle((1.03, top - 0.021), 0.016, 0.02, clip_on=False, **_fill(k), **place))
                axes.text(1.07, top, label, size=10, va="top", **place)
        rows = zip(labels[:12], values, strict=False)
        told = "; ".join(f"{row} {', '.join(tick_label(v) for v in cells if v == v)}" for row, cells in rows)
        return canvas.describe(f"{name} by {table.index.name}: {told}.")


def _fill(k: int) -> dict[str, Any]:
    """Return the colour of the k-th column, and beyond six the hatch that tells it apart."""
    hatch = "///" if k >= len(style.PALETTE) else None
    return {"facecolor": style.colour(k), "hatch": hatch, "edgecolor": "white", "lw": 0}
