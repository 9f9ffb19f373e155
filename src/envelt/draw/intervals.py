"""Dots with intervals, one row each: rates of levels, means of groups, shares of candidates."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..write.digits import visible
from . import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Row:
    """One dot with its interval, a label on the left and a text on the right."""

    label: str
    at: float
    low: float
    high: float
    text: str
    colour: str = style.PALETTE[0]
    hollow: bool = False


def interval_rows(axes: Axes, rows: Sequence[Row], heading: str, label_width: int = 34) -> None:
    """Draw rows from the top down.

    Parameters
    ----------
    axes
        Receives the rows; its x limits are left to the caller.
    heading
        Stands over the texts on the right.
    """
    size = 11 if len(rows) <= 22 else 9 if len(rows) <= 32 else 7.8
    for y, row in enumerate(rows):
        if row.at != row.at:
            continue
        if row.low == row.low:
            axes.plot([row.low, row.high], [y, y], color=row.colour, lw=2.2 if len(rows) <= 32 else 1.6, alpha=0.75, solid_capstyle="butt")
        face = "white" if row.hollow else row.colour
        axes.plot([row.at], [y], "o", color=row.colour, mfc=face, ms=7 if len(rows) <= 32 else 5, mew=1.4)
    axes.set_yticks(range(len(rows)), [style.wrapped(visible(r.label), label_width, 1) for r in rows], size=size)
    axes.set_ylim(len(rows) - 0.4, -0.6)
    transform = axes.get_yaxis_transform()
    for y, row in enumerate(rows):
        axes.text(1.012, y, row.text, transform=transform, va="center", size=size, color=style.DIM, clip_on=False)
    axes.text(1.012, 1.0, heading, transform=axes.transAxes, va="bottom", size=10, color=style.DIM)
    axes.grid(axis="x")
    axes.set_axisbelow(True)
    style.bare(axes, "left")
