"""What every picture of two numbers has: the line and the trend through the rows, and their figures beside them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.estimate import Estimate
from ...core.relations.correlating import USUAL
from ...core.relations.two_numbers import TwoNumbers
from ...core.stats.trend import Line, Trend
from ...write.digits import count, places, significant
from . import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

SHOWN = ("pearson", "spearman")


def draw_fit(axes: Axes, line: Line, trend: Trend | None) -> None:
    """Draw the least-squares line from side to side, and the trend with its band, in no class's colour."""
    from matplotlib.patheffects import withStroke

    ends = np.array(axes.get_xlim())
    if line.slope == line.slope:
        axes.plot(ends, line.at(ends), color=style.INK, lw=1.6, ls="--")
    if trend is not None:
        axes.fill_between(trend.at, trend.low, trend.high, color=style.INK, alpha=0.2, lw=0)
        axes.plot(
            trend.at, trend.mean, lw=2.4, color=style.INK, path_effects=[withStroke(linewidth=4.5, foreground="white")]
        )


def figures(two: TwoNumbers) -> str:
    """Return n, the form, the coefficients, R² and the slope, with their intervals, a line each."""
    method, line = two.asked.method, two.line
    told = [f"n = {count(two.n)}", "", f"form: {two.form}", ""]
    for name in SHOWN if method == "auto" else (method,):
        told += [name.capitalize(), estimated(two.coefficient(name).estimate)]
    told += ["", f"R² of the line {places(line.line.r_squared, 2)}", f"slope {significant(line.slope.estimate, 3)}"]
    if line.slope.low == line.slope.low:
        told.append(f"({significant(line.slope.low, 3)} to {significant(line.slope.high, 3)})")
    if two.asked.confidence != USUAL.confidence:
        told += ["", f"intervals: {100 * two.asked.confidence:g} %"]
    return "\n".join(told)


def estimated(e: Estimate) -> str:
    """Return a coefficient, with its interval where it has one."""
    if e.estimate != e.estimate:
        return "–"
    interval = f" ({places(e.low, 2)} to {places(e.high, 2)})" if e.low == e.low else ""
    return f"{places(e.estimate, 2)}{interval}"
