"""Q–Q plots against the normal, one panel a group, with a simultaneous band."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.distribution.distribution import NumberDistribution
from ...core.shapes.qq import QQ
from ...core.shapes.resolution import said_of_step
from ...write.digits import count
from ..parts import style
from ..parts.groups import group_colour, group_label, shown_groups
from ..parts.values_axis import tick_label

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ..parts.canvas import Canvas, Page

MOST_PANELS = 6


def draw_qq(result: NumberDistribution, page: Page) -> Canvas:
    """Draw each group's values against the quantiles of the normal through its quartiles."""
    shown = shown_groups(result, MOST_PANELS)
    step = result.step
    made = {i: result.qq(i) for i in shown.order}
    ends = [float(v) for i, qq in made.items() if qq is not None for v in result.ends(i)]
    span = (min(ends), max(ends)) if ends else (0.0, 1.0)
    reach = 1.06 * max((float(qq.theory[-1]) for qq in made.values() if qq is not None), default=1.0)
    steps = ""
    if step and any(m == m for m in result.summary.modes):
        steps = f" Recorded in {said_of_step(step)}, which makes the steps; red only where that cannot explain it."
    scale = "" if result.scale.name == "linear" else f" Values on the {result.scale.name} scale."
    note = f"{shown.note}Band: 95 % of normal samples lie in it whole. Points off it in red.{steps}{scale}"
    canvas = page.begin(note)
    columns = 1 if len(made) == 1 else 2 if len(made) in (2, 4) else 3
    rows = -(-len(made) // columns)
    width, height = (style.WIDTH - 60) / columns, (style.HEIGHT - 105 - 40) / rows
    for k, (i, qq) in enumerate(made.items()):
        left, top = 20 + (k % columns) * width, 105 + (k // columns) * height
        axes = canvas.place(left + 82, top + 30, style.WIDTH - left - width + 12, style.HEIGHT - top - height + 52)
        _panel(axes, result, i, qq, (*span, reach), 26 if columns < 3 else 12)
    return canvas


def _panel(
    axes: Axes, result: NumberDistribution, i: int, qq: QQ | None, limits: tuple[float, float, float], most: int
) -> None:
    label, (low, high, reach) = group_label(result, i, most), limits
    n = int(result.summary.moments.n[i])
    if qq is None:
        why = "fewer than 8 values" if n < 8 else "the quartiles coincide"
        axes.set_title(f"{label} (n = {count(n)})", loc="left", size=11, weight="bold")
        axes.text(0.5, 0.5, f"No Q–Q plot: {why}.", ha="center", transform=axes.transAxes, color=style.DIM)
        axes.set_xticks([])
        axes.set_yticks([])
        return
    colour = group_colour(result, i)
    axes.fill_between(qq.theory, qq.low, qq.high, color=style.LINE, lw=0)
    ends = qq.theory[[0, -1]]
    axes.plot(ends, qq.line[0] + qq.line[1] * ends, color=style.DIM, lw=1.2)
    axes.set_xlim(-reach, reach)
    off = qq.off
    axes.plot(qq.theory[~off], qq.sample[~off], "o", ms=4, color=colour, mew=0)
    axes.plot(qq.theory[off], qq.sample[off], "o", ms=4, color=style.STOP, mew=0)
    where = "all inside the band" if not qq.outside else f"{count(qq.outside)} outside the band"
    axes.set_title(f"{label} (n = {count(n)}): {where}", loc="left", size=11, weight="bold")
    axes.set_xlabel("standard normal quantile", size=10)
    axes.set_ylabel(style.shorten(result.name, 40), size=10)
    # the band of the outermost points can reach far: the axis is that of the values of all groups
    margin = 0.05 * (high - low) or 1.0
    axes.set_ylim(low - 3 * margin, high + 3 * margin)
    axes.yaxis.set_major_formatter(lambda v, _: tick_label(float(result.scale.value(np.array([v]))[0])))
