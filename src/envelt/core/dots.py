"""Where to put one dot a row so that no two hide each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .ranks import run_lengths

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SIZES = (9.0, 7.0, 5.5, 4.5, 3.5, 3.0, 2.5, 2.0, 1.5)
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


@dataclass(frozen=True)
class DotField:
    """Where the dots of several groups go.

    Parameters
    ----------
    places, levels
        Of each group's dots: along its line, and off it, in diameters.
    diameter
        In the unit of the places.
    beside
        Whether dots of one value stand side by side, within the step in which values were recorded.
    left_out
        Dots for which there is no room.
    """

    places: list[Floats]
    levels: list[Ints]
    diameter: float
    beside: bool
    left_out: int


def fitted_dots(groups: list[Floats], height: float, step: float = 0.0) -> DotField:
    """Choose the largest diameter at which every group fits its height.

    Where none does, dots of one value stand side by side within the step; and where that is not enough, those
    beyond the height are left out.

    Parameters
    ----------
    groups
        Sorted positions in pixels.
    height
        Pixels across the line that a group may take.
    step
        The step in which values were recorded, in pixels; 0 for none.
    """
    for diameter in SIZES:
        levels = [dot_levels(g, diameter) for g in groups]
        if all(_reach(v) * diameter <= height for v in levels):
            return DotField(groups, levels, diameter, False, 0)
    places = groups
    for diameter in SIZES:
        places = [side_by_side(g, diameter, step) for g in groups]
        levels = [dot_levels(g, diameter) for g in places]
        if all(_reach(v) * diameter <= height for v in levels):
            return DotField(places, levels, diameter, True, 0)
    diameter = SIZES[-1]
    most = int(height / diameter - 1) // 2
    kept = [np.abs(v) <= most for v in levels]
    places = [v[k] for v, k in zip(places, kept, strict=True)]
    levels = [v[k] for v, k in zip(levels, kept, strict=True)]
    return DotField(places, levels, diameter, step >= 2 * diameter, int(sum((~k).sum() for k in kept)))


def _reach(levels: Ints) -> int:
    return 0 if len(levels) == 0 else 2 * int(np.abs(levels).max()) + 1


def side_by_side(places: Floats, diameter: float, step: float) -> Floats:
    """Spread dots of one place over as many places as fit side by side in 0.9 of the step about it.

    Parameters
    ----------
    places
        Sorted, shape (n,).

    Returns
    -------
    array of float
        Sorted, shape (n,).
    """
    fit = int(0.9 * step / diameter)
    if fit < 2 or len(places) == 0:
        return places
    runs = run_lengths(places)
    within = np.arange(len(places)) - np.repeat(np.cumsum(runs) - runs, runs)
    abreast = np.minimum(np.repeat(runs, runs), fit)
    return np.sort(places + (within % abreast - (abreast - 1) / 2) * diameter)
