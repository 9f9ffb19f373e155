"""Dots with intervals, one row each: rates of levels, means of groups, shares of candidates."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ...write.digits import visible
from . import style
from .labels import LETTERS, label_rows

if TYPE_CHECKING:
    from matplotlib.axes import Axes

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Row:
    """One dot with its interval, a label on the left and cells of text on the right."""

    label: str
    at: float
    low: float
    high: float
    cells: tuple[str, ...]
    colour: str = style.PALETTE[0]
    hollow: bool = False


def interval_rows(axes: Axes, rows: Sequence[Row], heading: tuple[str, ...], letters: int = LETTERS) -> None:
    """Draw rows from the top down.

    Parameters
    ----------
    axes
        Receives the rows; its x limits are left to the caller.
    heading
        Stands over the cells on the right, one a cell; empty for none.
    letters
        Of a label in one line.
    """
    crowded = len(rows) > 24
    size = 11 if len(rows) <= 22 else 10 if len(rows) <= 26 else 9 if len(rows) <= 32 else 7.8
    for y, row in enumerate(rows):
        if row.at != row.at:
            continue
        width = 1.7 if crowded else 2.6
        if row.low == row.low:
            axes.plot([row.low, row.high], [y, y], color=row.colour, lw=width, alpha=0.75, solid_capstyle="butt")
        face = "white" if row.hollow else row.colour
        axes.plot([row.at], [y], "o", color=row.colour, mfc=face, ms=5.5 if crowded else 8, mew=1.4, clip_on=False)
    label_rows(axes, [visible(r.label) for r in rows], size, letters)
    axes.set_ylim(len(rows) - 0.4, -0.6)
    pixels = style.width_of(axes)
    edge = 14.0
    for column in range(max((len(r.cells) for r in rows), default=0)):
        cells = [r.cells[column] for r in rows]
        head = heading[column] if heading else ""
        edge += 0.86 * size * max(len(c) for c in [*cells, head]) + 14
        x = 1 + edge / pixels
        for y, cell in enumerate(cells):
            axes.text(
                x,
                y,
                cell,
                transform=axes.get_yaxis_transform(),
                ha="right",
                va="center",
                size=size,
                color=style.DIM,
            )
        axes.text(x, 1.0, head, transform=axes.transAxes, ha="right", va="bottom", size=size, color=style.DIM)
    axes.grid(axis="x")
    axes.set_axisbelow(True)
    style.bare(axes, "left")


def all_rows_line(axes: Axes, at: float, text: str) -> None:
    """Mark the value of all rows together."""
    axes.axvline(at, color=style.DIM, lw=1, ls="--", zorder=1)
    spot: dict[str, Any] = {
        "xy": (at, 1),
        "xycoords": ("data", "axes fraction"),
        "xytext": (0, 4),
        "textcoords": "offset points",
    }
    axes.annotate(text, ha="center", size=10, color=style.DIM, **spot)
