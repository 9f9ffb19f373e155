"""The step in which values were recorded: whole numbers, halves, tenths."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

STEPS = (1.0, 0.5, 0.25, 0.2)
SMALLEST = 1e-6  # of the range: a finer step changes nothing that can be seen
LARGEST_MULTIPLE = 2.0**40
MOST_STEPS = 10_000
"""Between the ends, for the smallest gap between two values to be a step they were recorded in."""
FEWEST_VALUES = 4
"""Different ones, for the same."""
SCREEN = 1_000
SAME_STEP = 1e-6
"""Of a step, how far two may differ and be called the same."""
BLOCK = 1 << 14


def recorded_step(ordered: Floats) -> float:
    """Return the coarsest step of which every value is a multiple; 0 where there is none.

    Parameters
    ----------
    ordered
        Sorted values, shape (n,).

    Returns
    -------
    float
        10^k, or a half, quarter or fifth of it, in the units of the values; or the smallest gap between two values,
        where all are multiples of it (dozens, weeks, counts in another unit).

    Examples
    --------
    >>> recorded_step(np.array([0.5, 1.0, 2.5]))
    0.5
    """
    if len(ordered) < 2 or ordered[0] == ordered[-1]:
        return 0.0
    reach = float(max(abs(ordered[0]), abs(ordered[-1])))
    spread = float(ordered[-1] - ordered[0])
    if not (np.isfinite(spread) and spread > 1e-300):
        return 0.0
    some = ordered[:: max(1, len(ordered) // SCREEN)]
    top = int(np.floor(np.log10(spread)))
    finest = float(f"1e{top - 8}")  # of which every step tried is a multiple
    gap = _gap(ordered, spread)
    if reach / finest <= LARGEST_MULTIPLE and not _multiples(some[:32], finest):
        return gap
    for k in range(top + 1, top - 7, -1):
        for part in STEPS:
            step = float(f"{part}e{k}")
            if step > spread * (1 + 1e-9) or step < SMALLEST * spread or reach / step > LARGEST_MULTIPLE:
                continue
            if step < gap * (1 - 1e-9):
                return gap
            if _multiples(some, step) and _multiples(ordered, step):
                return step
    return gap


def _gap(ordered: Floats, spread: float) -> float:
    """Return the smallest gap between sorted values if all are multiples of it, and not too many; else 0."""
    gaps = np.diff(ordered[:SCREEN])
    if gaps.max(initial=0.0) > 0 and gaps[gaps > 0].min() * MOST_STEPS < spread:
        return 0.0
    gaps = np.diff(ordered)
    gap = float(gaps.min(initial=spread, where=gaps > 1e-12 * spread))
    seldom = np.count_nonzero(gaps > 0) + 1 < FEWEST_VALUES  # so few are multiples of something soon
    reach = float(max(abs(ordered[0]), abs(ordered[-1])))
    if seldom or spread > MOST_STEPS * gap or reach > 100 * MOST_STEPS * gap:
        return 0.0
    gap = reach / max(round(reach / gap), 1)  # with the digits that a difference loses
    return gap if _multiples(ordered, gap) else 0.0


def multiples_of(values: Floats, step: float) -> NDArray[np.int64]:
    """Return values as whole multiples of their recorded step."""
    return np.rint(values / step).astype(np.int64)


def _multiples(values: Floats, step: float) -> bool:
    # block by block, so that what is compared stays in the cache
    return all(_are_multiples(values[i : i + BLOCK], step) for i in range(0, len(values), BLOCK))


def _are_multiples(values: Floats, step: float) -> bool:
    ratio = values / step
    near = np.rint(ratio)
    close = np.abs(ratio - near) <= 1e-9 * np.maximum(1.0, np.abs(ratio))
    return bool((close & ((near != 0) | (values == 0))).all())


def said_of_step(step: float) -> str:
    """Return a step as a person would say it; one of many digits is that of another unit.

    >>> said_of_step(0.25), said_of_step(12.0), said_of_step(0.45359237)
    ('quarters', 'steps of 12', 'steps of 0.45359, as whole numbers of another unit would be')
    """
    named = {1: "whole numbers", 2: "halves", 3: "thirds", 4: "quarters", 10: "tenths", 100: "hundredths"}
    for parts, words in named.items():
        if abs(step * parts - 1) < SAME_STEP:
            return words
    odd = abs(float(f"{step:.3g}") / step - 1) > SAME_STEP
    shown = f"{step:.0f}" if float(step).is_integer() else f"{step:.5g}"
    return f"steps of {shown}" + ", as whole numbers of another unit would be" * odd
