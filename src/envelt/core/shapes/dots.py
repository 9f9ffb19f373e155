"""Where to put one dot a row so that no two hide each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .ranks import run_lengths

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SIZES = (9.0, 7.0, 5.5, 4.5, 3.5, 3.0, 2.5, 2.0, 1.5)
"""Diameters that are tried, in pixels; of few dots larger ones first, so that each can be seen."""
LARGER, FEW_DOTS = (18.0, 14.0, 11.0), 60
MOST_DOTS = 5_000
NO_PLACE = 1 << 30


def dot_levels(places: Floats, diameter: float, most: int | None = None, whole: bool = False) -> Ints:
    """Return the level of each dot: 0 on the line, then 1, −1, 2, −2, … diameters off it.

    Parameters
    ----------
    places
        Sorted positions along the line, in the unit of the diameter, shape (n,).
    most
        How many levels there is room for; a dot beyond them is at `NO_PLACE`.
    whole
        Look no further once a dot finds no place: those after it have none either.

    Returns
    -------
    array of int
        Two dots of one level are at least a diameter apart.
    """
    ends: list[float] = []
    apart = diameter * (1 - 1e-9)  # dots set side by side are a diameter apart, to rounding
    levels = np.zeros(len(places), np.int64)
    for i, x in enumerate(places.tolist()):
        k = next((j for j, end in enumerate(ends) if x - end >= apart), len(ends))
        if k == most:
            if whole:
                levels[i:] = NO_PLACE
                break
            levels[i] = NO_PLACE
            continue
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


def fitted_dots(groups: list[Floats], height: float, step: float = 0.0, size: float = 1.0) -> DotField:
    """Choose the largest diameter at which every group fits its height.

    Where none does, dots of one value stand side by side, as many abreast for every value, so that heights still
    compare; and where that is not enough, those beyond the height are left out.

    Parameters
    ----------
    groups
        Sorted positions in pixels.
    height
        Pixels across the line that a group may take.
    step
        Pixels along the line that the dots of one value may take: the step in which values were recorded; 0 for none.
    size
        How many times as large as usual dots should be, where there is room.
    """
    sizes = (*(LARGER if sum(map(len, groups)) <= FEW_DOTS else ()), *SIZES)
    sizes = tuple(size * d for d in sizes) if size != 1 else sizes
    largest = max((int(run_lengths(g).max(initial=0)) for g in groups if len(g)), default=0)
    for beside in (False, True):
        for diameter in sizes:
            abreast = max(1, min(-(-largest // _room(height, diameter)), int(step / diameter))) if beside else 1
            places = [side_by_side(g, diameter, abreast) for g in groups]
            levels = [dot_levels(g, diameter, _room(height, diameter), whole=True) for g in places]
            if all((v < NO_PLACE).all() for v in levels):
                return DotField(places, levels, diameter, beside, 0)
    levels = [dot_levels(g, diameter, _room(height, diameter)) for g in places]
    kept = [v < NO_PLACE for v in levels]
    levels = [v[k] for v, k in zip(levels, kept, strict=True)]
    places = [v[k] for v, k in zip(places, kept, strict=True)]
    return DotField(places, levels, diameter, abreast > 1, int(sum((~k).sum() for k in kept)))


def _room(height: float, diameter: float) -> int:
    """Return how many levels a height holds: an odd number, as many above the line as below it."""
    return 2 * int((height / diameter - 1) // 2) + 1


def side_by_side(places: Floats, diameter: float, abreast: int) -> Floats:
    """Spread dots of one place over so many places side by side, a diameter apart, about it.

    Parameters
    ----------
    places
        Sorted, shape (n,).

    Returns
    -------
    array of float
        Sorted, shape (n,).
    """
    if abreast < 2 or len(places) == 0:
        return places
    runs = run_lengths(places)
    within = np.arange(len(places)) - np.repeat(np.cumsum(runs) - runs, runs)
    columns = np.minimum(np.repeat(runs, runs), abreast)
    return np.sort(places + (within % columns - (columns - 1) / 2) * diameter)
