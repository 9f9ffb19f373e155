"""A heat map of how columns go together, in an order in which blocks stand together."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ...core.relations.relations import KENDALL, Relations
from ...core.words import plural
from ...write.digits import places
from ..parts import style
from ..parts.boxes import add_boxes

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..parts.canvas import Canvas, Page

MOST = 120
"""Columns drawn; of more, those in the strongest pairs."""
NUMBERS = 24
"""Columns up to which the numbers stand in their cells."""
LISTED = 14
TALLER, MOST_HEIGHT = 9, 1_300
"""Pixels a column of many, so that names can be read."""
RIGHT = 330
GAP = 0.35
"""Between the outcome's edge and the others, in cells."""


def draw_relations(
    relations: Relations,
    names: tuple[str, ...],
    order: list[int],
    page: Page,
    *,
    outcome: str | None,
    at_least: float | None,
    triangle: bool,
) -> Figure:
    """Draw the matrix coloured around zero, the outcome set apart, a key, and the strongest pairs beside it."""
    shown, hidden = _drawn(relations, order)
    edge = relations.names.index(outcome) if outcome is not None else None
    inner = [i for i in shown if i != edge]
    with style.house_style():
        note = "Blue: one rises with the other; red: one falls; grey: strength without a direction."
        note += " Upper half left out: it repeats the lower." if triangle else ""
        note += f" Not drawn: {plural(hidden, 'column')} of the weakest pairs." if hidden else ""
        height = max(style.HEIGHT, min(150 + TALLER * len(inner), MOST_HEIGHT))
        canvas = page.begin(note, height)
        letters = 22 if len(inner) <= 40 else 18
        labels = [style.shorten_middle(names[i], letters) for i in inner]
        size = 10.0 if len(inner) <= 24 else 8.0 if len(inner) <= 45 else 6.4 if len(inner) <= 80 else 5.2
        left = 40 + 0.62 * size * 1.4 * max((len(t) for t in labels), default=4)
        bottom = 52 + 0.45 * size * 1.4 * max((len(t) for t in labels), default=4)
        axes = canvas.place(left, 92, RIGHT, bottom)
        _cells(axes, relations, inner, edge, at_least, triangle)
        _labels(axes, labels, names[edge] if edge is not None else None, size)
        _key(canvas, height)
        _list(canvas, relations, names, shown, at_least)
    return canvas.describe(_told(relations, names, shown))


def _drawn(relations: Relations, order: list[int]) -> tuple[list[int], int]:
    if len(order) <= MOST:
        return order, 0
    strength = np.nan_to_num(relations.strength, nan=0.0)
    np.fill_diagonal(strength, 0.0)
    kept = set(np.argsort(-strength.max(axis=0), kind="stable")[:MOST].tolist())
    return [i for i in order if i in kept], len(order) - MOST


def _cells(
    axes: Axes, relations: Relations, inner: list[int], edge: int | None, at_least: float | None, triangle: bool
) -> None:
    p = len(inner)
    rows = [*inner, *([edge] if edge is not None else [])]
    value = relations.coefficient[np.ix_(rows, inner)]
    strength = np.abs(value)
    signed = relations.method[np.ix_(rows, inner)]
    bare = ~((signed > 0) & (signed <= KENDALL)) | _unsigned(relations, rows, inner)
    colours = _colours(value, bare)
    skip = np.isnan(value)
    if at_least is not None:
        skip |= strength < at_least
    if triangle:
        skip[:p][np.triu_indices(p)] = True
    at, across = np.nonzero(~skip)
    down = at + GAP * (at == p)  # the outcome stands apart, behind the others
    add_boxes(axes, across, down, 1, 1, colours[~skip], edgecolors="white", linewidths=0.6)
    size = 10 if p <= 12 else 8 if p <= 18 else 6.5
    for a, b, y in zip(at, across, down, strict=True) if p <= NUMBERS else ():
        text = places(float(value[a, b]), 2).replace("0.", ".")
        colour = "white" if strength[a, b] > 0.55 else style.INK
        axes.text(b + 0.5, y + 0.5, text, ha="center", va="center", size=size, color=colour)
    axes.set_xlim(0, max(p, 1))
    axes.set_ylim(len(rows) + (GAP if edge is not None else 0), 0)


def _unsigned(relations: Relations, rows: list[int], columns: list[int]) -> NDArray[np.bool_]:
    signed = np.array([s.signed for s in relations.sides], bool)
    return np.asarray(~(signed[rows][:, None] & signed[columns][None, :]))


def _colours(value: NDArray[np.float64], bare: NDArray[np.bool_]) -> NDArray[np.float64]:
    from matplotlib.colors import LinearSegmentedColormap

    around = LinearSegmentedColormap.from_list("around", [style.PALETTE[3], "#f7f7f5", style.PALETTE[0]])
    plain = LinearSegmentedColormap.from_list("plain", ["#f7f7f5", "#3d434b"])
    filled = np.nan_to_num(value, nan=0.0)
    return np.where(bare[..., None], plain(np.abs(filled)), around((filled + 1) / 2))


def _labels(axes: Axes, labels: list[str], outcome: str | None, size: float) -> None:
    p = len(labels)
    places_, texts = [i + 0.5 for i in range(p)], list(labels)
    if outcome is not None:
        places_.append(p + GAP + 0.5)
        texts.append(style.shorten_middle(outcome, 22))
    axes.set_yticks(places_, texts, size=size)
    if outcome is not None:
        axes.get_yticklabels()[-1].set_fontweight("bold")
    turned: dict[str, Any] = (
        {"rotation": 90 if p > 45 else 60, "ha": "right", "rotation_mode": "anchor"} if p > 6 else {}
    )
    axes.set_xticks([i + 0.5 for i in range(p)], labels, size=size, **turned)
    axes.tick_params(length=0, pad=2)
    style.bare(axes, "left", "bottom")


def _key(canvas: Canvas, height: int) -> None:
    key = canvas.place(style.WIDTH - RIGHT + 34, 112, 60, height - 126)
    at = np.linspace(-1, 1, 201)
    key.imshow(_colours(at[None, :], np.zeros((1, 201), bool)), extent=(-1, 1, 0, 1), aspect="auto")
    key.set_xticks([-1, 0, 1], ["−1", "0", "1"], size=9)
    key.set_yticks([])
    key.tick_params(length=2)
    style.bare(key, "left", "bottom")


def _list(
    canvas: Canvas, relations: Relations, names: tuple[str, ...], shown: list[int], at_least: float | None
) -> None:
    """Write the strongest pairs beside the map."""
    i, j = relations.upper(at_least)
    there = np.isin(i, shown) & np.isin(j, shown)
    pairs = [(int(a), int(b)) for a, b in zip(i[there][:LISTED], j[there][:LISTED], strict=True)]
    width, height = canvas.size
    x = (width - RIGHT + 34) / width
    top = height - 178
    canvas.text(x, top / height, "strongest pairs", size=11, weight="bold", va="top")
    for k, (a, b) in enumerate(pairs):
        y = (top - 26 - 38 * k) / height
        value = float(relations.coefficient[a, b])
        canvas.text(x, y, places(value, 2), size=10.5, va="top", color=style.INK)
        text = f"{style.shorten_middle(names[a], 30)}\n{style.shorten_middle(names[b], 30)}"
        canvas.text(x + 58 / width, y, text, size=9, va="top", color=style.DIM, linespacing=1.25)


def _told(relations: Relations, names: tuple[str, ...], shown: list[int]) -> str:
    i, j = relations.upper()
    pairs = ", ".join(
        f"{names[a]} with {names[b]} {places(float(relations.coefficient[a, b]), 2)}"
        for a, b in zip(i[:12], j[:12], strict=True)
    )
    return f"Heat map of how {plural(len(shown), 'column')} go together. Strongest pairs: {pairs}."
