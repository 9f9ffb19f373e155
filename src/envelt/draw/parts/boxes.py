"""Many rectangles at once: one artist, where one each would take most of the time of a picture."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from numpy.typing import ArrayLike


def add_boxes(
    axes: Axes, x: ArrayLike, y: ArrayLike, width: ArrayLike, height: ArrayLike, colours: Any, **look: Any
) -> None:
    """Draw rectangles from their corner, and how wide and high they are, each shape (n,) or one for all.

    The limits of the axes stay as they are.

    Parameters
    ----------
    colours
        One each, or one for all.
    look
        Of the whole, such as ``edgecolors``.
    """
    from matplotlib.collections import PolyCollection

    left, bottom, w, h = np.broadcast_arrays(*(np.atleast_1d(np.asarray(v, float)) for v in (x, y, width, height)))
    across, up = np.stack([left, left + w, left + w, left], 1), np.stack([bottom, bottom, bottom + h, bottom + h], 1)
    axes.add_collection(PolyCollection(list(np.stack([across, up], 2)), facecolors=colours, **look), autolim=False)
