"""Axes for rows of dots with intervals, and which levels have a row."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from . import style
from .intervals import Row
from .labels import margin

if TYPE_CHECKING:
    from collections.abc import Callable

    from matplotlib.axes import Axes

    from .canvas import Canvas


Drawn = tuple[NDArray[np.intp], NDArray[np.intp]]


def largest_levels(n: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the levels to draw, in their order, and those to join."""
    if len(n) <= style.MOST_LEVELS:
        return np.arange(len(n)), np.zeros(0, int)
    order = np.argsort(-n, kind="stable")
    return np.sort(order[: style.MOST_LEVELS - 1]), order[style.MOST_LEVELS - 1 :]


def drawn_levels(n: np.ndarray, shown: tuple[int, ...] | None, order: Callable[[np.ndarray], np.ndarray]) -> Drawn:
    """Return the levels to draw, and those to join: those that a person chose, else the largest in an order.

    Parameters
    ----------
    n
        Rows of each level.
    order
        Puts levels in the order they are drawn in.
    """
    if shown is not None:
        return np.array(shown[: style.MOST_LEVELS], np.intp), np.zeros(0, np.intp)
    kept, rest = largest_levels(n)
    return order(kept), rest


def row_axes(canvas: Canvas, rows: list[Row], cells: int = 2) -> Axes:
    """Add axes for rows with a label on the left and cells on the right."""
    return canvas.place(margin([r.label for r in rows], 90), 120, 50 + 70 * cells, 90)


def fitting_height(rows: int, a_row: int = 150) -> int:
    """Return how high a figure of a few rows need be, in pixels: two bars fill no page."""
    return min(style.HEIGHT, max(210 + a_row * rows, 420))
