"""Where some rows lie among all, in each of a few columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from ..core.rows.rows import Beside
from ..core.words import plural
from .parts import style
from .parts.values_axis import set_date_ticks

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from .parts.canvas import Page

MOST_PANELS = 6


def draw_rows(columns: Sequence[Beside], titles: Sequence[str], rows: int, page: Page) -> Figure:
    """Draw the share of all rows in each bin, or at each level, and beside it that of the rows asked for."""
    shown = list(zip(columns, titles, strict=True))[:MOST_PANELS]
    across = 1 if len(shown) == 1 else 2 if len(shown) <= 4 else 3
    down = -(-max(len(shown), 1) // across)
    with style.house_style():
        left_out = len(columns) - len(shown)
        more = f" {plural(left_out, 'more column')} not drawn." if left_out else ""
        canvas = page.begin(f"Grey: all rows. Blue: the {plural(rows, 'row')} asked for. Shares of each.{more}")
        width, height = (1280 - 50) / across, (800 - 155) / down
        for k, (column, title) in enumerate(shown):
            x, y = 25 + (k % across) * width, 105 + (k // across) * height
            beside = 70 if len(column.edges) else 130  # ticks, or names of levels
            axes = canvas.place(x + beside, y + 24, 1280 - x - width + 20, 800 - y - height + 40)
            _draw(axes, column, title)
        said = ", ".join(titles[:MOST_PANELS])
        return canvas.describe(f"Where {plural(rows, 'row')} lie among all in {said or 'no column'}.")


def _draw(axes: Axes, column: Beside, title: str) -> None:
    all_rows, some = (n / max(int(n.sum()), 1) for n in (column.of_all, column.among))
    axes.set_title(style.shorten(title, 44), loc="left", size=12)
    if not len(column.edges):
        places = np.arange(len(column.levels))
        axes.barh(places - 0.2, all_rows, 0.38, color=style.LINE)
        axes.barh(places + 0.2, some, 0.38, color=style.PALETTE[0])
        axes.set_yticks(places, [style.shorten(name, 18) for name in column.levels], size=9.5)
        axes.invert_yaxis()
        style.percent_axis(axes.xaxis, 5)
        style.bare(axes, "left")
        return
    if column.dates:
        set_date_ticks(axes.xaxis, 6)
    axes.stairs(all_rows, column.edges, fill=True, color=style.LINE)
    axes.stairs(some, column.edges, color=style.PALETTE[0], linewidth=1.8)
    style.percent_axis(axes.yaxis, 5)
