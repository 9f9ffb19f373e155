"""How many rows each operation of a preparation changed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from ..core.words import plural
from ..write.digits import count
from .parts import style
from .parts.labels import label_rows

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..prepare.watched import Watched
    from .parts.canvas import Page

MOST = 40


def draw_prepared(rows: Sequence[tuple[str, str, Watched]], n: int, page: Page) -> Figure:
    """Draw a bar an operation, from the top in their order: the share of rows it changed."""
    shown = rows[:MOST]
    hidden = len(rows) - len(shown)
    more = f" Not drawn: the last {plural(hidden, 'operation')}." if hidden else ""
    note = f"Bars: rows in which a value changed. A column that is dropped or renamed changes none.{more}"
    with style.house_style():
        crowded = len(shown) > 26
        height = max(420, min(style.HEIGHT, 190 + 30 * len(shown)))
        canvas = page.begin(note, height)
        axes = canvas.place(400, 110, 300, 92)
        for y, (_, _, w) in enumerate(shown):
            share = w.rows_changed / max(n, 1)
            axes.barh(y, share, 0.62, color=style.PALETTE[0], alpha=0.85)
            axes.text(
                1.02,
                y,
                _said(w),
                va="center",
                size=8 if crowded else 9,
                color=style.DIM,
                transform=axes.get_yaxis_transform(),
            )
        label_rows(
            axes,
            [f"{i}  {name}: {columns}" for i, (name, columns, _) in enumerate(shown, 1)],
            8 if crowded else 9.5,
            62,
        )
        axes.set_ylim(len(shown) - 0.4, -0.6)
        axes.set_xlim(0, 1)
        axes.set_xlabel("rows changed")
        style.percent_axis(axes.xaxis, 5)
        axes.grid(axis="x")
        style.bare(axes, "left")
        told = "; ".join(f"{name}: {count(w.rows_changed)} rows changed" for name, _, w in shown)
        return canvas.describe(f"What {plural(len(rows), 'operation')} changed. {told[:700]}.")


def _said(w: Watched) -> str:
    parts = []
    if w.missing_before != w.missing_after and w.operation.name != "drop":
        parts.append(f"missing {count(w.missing_before)} → {count(w.missing_after)}")
    if w.columns_out:
        parts.append(f"makes {plural(len(w.columns_out), 'column')}")
    return ", ".join(parts)
