"""Levels of a category as bars from zero, counts and shares on them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core.distribution.chosen import MOST_IN_LINE
from ...core.distribution.levels import LevelDistribution
from ...core.words import plural
from ...write.digits import count, percent, visible
from ..parts import style
from ..parts.board import Board
from ..parts.labels import margin, short_labels

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

ALONE, SIDE_BY_SIDE = 30, 10


def draw_bars(result: LevelDistribution, page: Page) -> Figure:
    """Draw counts of one group, or each group's shares side by side; the smallest levels are joined."""
    groups = np.argsort(-result.counts.sum(axis=1), kind="stable")[:MOST_IN_LINE]
    groups = np.sort(groups)
    several, upright = len(result.groups) > 1, result.look.upright
    most = SIDE_BY_SIDE if several else ALONE
    total = result.counts.sum(axis=0)
    levels = np.argsort(-total, kind="stable")
    levels = levels[total[levels] > 0]
    kept, rest = (levels, levels[:0]) if len(levels) <= most else (levels[: most - 1], levels[most - 1 :])
    if result.ordered:
        kept = np.sort(kept)
    counts = result.counts[np.ix_(groups, kept)]
    names = [result.levels[k] for k in kept]
    if len(rest):
        counts = np.concatenate([counts, result.counts[np.ix_(groups, rest)].sum(axis=1, keepdims=True)], axis=1)
        names.append(f"other ({plural(len(rest), 'level')})")
    hidden = len(result.groups) - len(groups)
    note = f"The {count(hidden)} smallest groups are not drawn. " if hidden else ""
    note += "Shares are of each group, so that groups of unequal size compare. " if several else ""
    with style.house_style():
        canvas = page.begin(note + ("Order: declared." if result.ordered else "Sorted by count."))
        spare = 0 if several else max(0, style.HEIGHT - 215 - 90 * len(names))
        right = 250 if several else 60 if upright else 170
        place = (100, 118, right, 130) if upright else (margin(names), 118, right, 80 + spare)
        board = Board(canvas.place(*place), upright)
        axes = board.axes
        n = np.maximum(result.counts[groups].sum(axis=1), 1)
        values = counts / n[:, None] if several else counts.astype(float)
        thick = 0.8 / len(groups)
        size = (10.5 if counts.size <= 24 else 8.5) - (2 if upright and counts.size > 12 else 0)
        for g in range(len(groups)):
            y = np.arange(len(names)) + (g - (len(groups) - 1) / 2) * thick
            colours = [style.colour(int(groups[g]))] * len(names)
            if len(rest) and not several:
                colours[-1] = style.QUIET
            for at, value, rows, colour in zip(y, values[g], counts[g], colours, strict=True):
                board.bar(at, value, thick * 0.9, color=colour)
                share, written = percent(rows / n[g]), count(rows)
                parts = (share, f"({written})") if several else (written, f"({share})")
                board.beyond(parts, value, at, color=style.DIM, size=size)
        board.name_places([visible(t) for t in names], 11 if len(names) <= 20 else 9)
        board.set_ends(0, float(values.max(initial=0)) * (1.02 + 0.08 * upright) or 1)
        if several:
            style.percent_axis(board.values, 8)
            board.values.set_label_text("share of each group")
            labels = short_labels(tuple(visible(result.groups.labels[g]) for g in groups), 15)
            for k, g in enumerate(groups):
                top = 0.97 - 0.085 * k
                axes.text(1.14, top, "■", color=style.colour(int(g)), size=14, va="top", transform=axes.transAxes)
                text = f"{labels[k]}\nn = {count(n[k])}"
                axes.text(1.17, top, text, size=10, va="top", transform=axes.transAxes, linespacing=1.3)
        else:
            board.values.set_major_formatter(lambda v, _: count(v))
            board.values.set_label_text("rows")
        told = "; ".join(f"{t} {count(c)}" for t, c in zip(names[:12], counts.sum(axis=0)[:12], strict=True))
        return canvas.describe(f"Bars of the levels of {result.name}: {told}.")
