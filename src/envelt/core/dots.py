"""Where to put one dot a row so that no two hide each other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SIZES = (9.0, 7.0, 5.5, 4.5, 3.5, 3.0, 2.5, 2.0)
"""Diameters that are tried, in pixels."""
MOST_DOTS = 5_000


def dot_levels(places: Floats, diameter: float) -> Ints:
    """Return the level of each dot: 0 on the line, then 1, −1, 2, −2, … diameters off it.

    Parameters
    ----------
    places
        Sorted positions along the line, in the unit of the diameter, shape (n,).

    Returns
    -------
    array of int
        Two dots of one level are at least a diameter apart.
    """
    ends: list[float] = []
    levels = np.zeros(len(places), np.int64)
    for i, x in enumerate(places.tolist()):
        k = next((j for j, end in enumerate(ends) if x - end >= diameter), len(ends))
        if k == len(ends):
            ends.append(x)
        else:
            ends[k] = x
        levels[i] = (k + 1) // 2 * (1 if k % 2 else -1)
    return levels


def fitted_dots(groups: list[Floats], height: float) -> tuple[list[Ints], float, bool]:
    """Choose the largest diameter at which every group fits its height.

    Parameters
    ----------
    groups
        Sorted positions in pixels.
    height
        Pixels across the line that a group may take.

    Returns
    -------
    list, float, bool
        The level of each dot, the diameter, and whether every group fits.
    """
    levels: list[Ints] = []
    for diameter in SIZES:
        levels = [dot_levels(g, diameter) for g in groups]
        if all(len(v) == 0 or (v.max() - v.min() + 1) * diameter <= height for v in levels):
            return levels, diameter, True
    return levels, SIZES[-1], False
