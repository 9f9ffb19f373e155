"""What a pair plot shows: counts in grids and bins, and a few rows as dots, by class."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..parallel import in_threads
from ..shapes.ends import near_ends
from ..shapes.resolution import recorded_step
from .side import Side, numbers_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

MOST_CLASSES = 12
DOTS = 1_500
"""Rows of a panel up to which each is a dot; a class of fewer is drawn as dots on top of the others' density."""
GRID = (56, 40)
BINS = 40
FEW_ROWS = 40
"""Rows of which the margins show each, and whose dots are large."""
MOST_LEVELS = 8


@dataclass(frozen=True)
class Axis:
    """One column as a panel takes it.

    Parameters
    ----------
    low, high
        The ends of a number's axis: all values, or the middle 99.8 % where a few lie far out.
    labels
        Of levels, the largest; nothing for a number.
    counts
        Rows of each class in bins between the ends, or at each level, shape (classes, bins).
    missing
        Rows without a value.
    dates
        Whether the numbers are days.
    step
        In which the numbers were recorded, where it is wide enough to see; else 0.
    beyond
        Rows that lie outside the ends.
    """

    name: str
    low: float
    high: float
    labels: tuple[str, ...]
    counts: Ints
    missing: int
    dates: bool = False
    step: float = 0.0
    beyond: int = 0

    @property
    def number(self) -> bool:
        """Whether it is a number, or a date."""
        return not self.labels


@dataclass(frozen=True)
class Panel:
    """One pair.

    Parameters
    ----------
    first, second
        Places of the columns: across and up.
    n
        Rows where both are present.
    grid
        Rows of each class in a grid, shape (classes, across, up): of two numbers cells, of levels and a number bins.
    dots
        For each class x and y of some rows; empty where the class is drawn by its density.
    """

    first: int
    second: int
    n: int
    grid: Ints
    dots: tuple[tuple[Floats, Floats], ...]


@dataclass(frozen=True)
class PanelClasses:
    """Which rows are of which class: the largest six; ``codes`` are ``-1`` for the others."""

    name: str
    labels: tuple[str, ...]
    codes: Ints

    @property
    def size(self) -> int:
        """How many there are."""
        return max(len(self.labels), 1)


def axis_of(side: Side, classes: PanelClasses) -> Axis:
    """Return a column as a panel takes it."""
    if side.numbers is None or side.what != "number":
        codes, labels = _levels(side)
        return Axis(side.name, -0.5, len(labels) - 0.5, labels, _counted(codes, len(labels), classes), side.missing)
    values = numbers_of(side)
    low, high, step = _ends(values)
    bins = _whole_steps(low, high, step, BINS)
    place = _cells(values, low, high, bins)
    beyond = int(np.count_nonzero((values < low) | (values > high)))
    counted = _counted(place, bins, classes)
    return Axis(side.name, low, high, (), counted, side.missing, side.dates, step, beyond)


def _levels(side: Side) -> tuple[Ints, tuple[str, ...]]:
    """Return levels as codes, the largest eight apart and the others together."""
    assert side.codes is not None
    n = np.bincount(side.codes[side.codes >= 0], minlength=side.size)
    if side.size <= MOST_LEVELS:
        return side.codes, side.labels
    kept = np.sort(np.argsort(-n, kind="stable")[: MOST_LEVELS - 1])
    renumber = np.full(side.size + 1, MOST_LEVELS - 1, np.int64)
    renumber[kept] = np.arange(len(kept))
    renumber[-1] = -1
    return renumber[side.codes], (*(side.labels[k] for k in kept), "other")


def _ends(values: Floats) -> tuple[float, float, float]:
    """Return the ends of an axis, and the step of values that are recorded so coarsely that it shows."""
    present = values[~np.isnan(values)]
    if len(present) == 0:
        return 0.0, 1.0, 0.0
    some = np.sort(present[:: max(1, len(present) // 50_000)])
    low, high = near_ends(present, some)
    step = recorded_step(some)
    if step and high > low and (high - low) / step <= 4 * GRID[0]:
        first = np.floor(low / step + 1e-6)  # 0.3 is three steps of 0.1, though the quotient of floats is above it
        places = np.ceil(high / step - 1e-6) - first + 1
        # so many places that cells of one size fill them, in the grid and on the edge
        common = int(np.lcm.reduce([max(1, -(-int(places) // c)) for c in (BINS, *GRID)]))
        places = common * -(-int(places) // common)
        return float((first - 0.5) * step), float((first - 0.5 + places) * step), step
    margin = (0.05 if len(present) <= FEW_ROWS else 0.02) * (high - low) or 0.5  # dots of few rows are large
    return low - margin, high + margin, 0.0


def _whole_steps(low: float, high: float, step: float, cells: int) -> int:
    """Return how many cells of as many whole steps each there are, about as many as asked for."""
    return cells if not step else max(1, round((high - low) / step / _steps_a_cell(low, high, step, cells)))


def _steps_a_cell(low: float, high: float, step: float, cells: int) -> int:
    return max(1, -(-round((high - low) / step) // cells))


def _cells(values: Floats, low: float, high: float, cells: int) -> Ints:
    """Return the cell of each value, ``-1`` where missing or beyond the ends."""
    with np.errstate(invalid="ignore", over="ignore"):
        at = (values - low) * (cells / (high - low))
        inside = (at >= 0) & (at < cells)
    return np.where(inside, np.where(inside, at, 0), -1).astype(np.int64)


def _counted(place: Ints, size: int, classes: PanelClasses) -> Ints:
    keep = (place >= 0) & (classes.codes >= 0)
    cell = classes.codes[keep] * size + place[keep]
    return np.bincount(cell, minlength=classes.size * size).reshape(classes.size, size).astype(np.int64)


def panels_of(sides: list[Side], axes: list[Axis], classes: PanelClasses, seed: int = 0) -> list[Panel]:
    """Return every pair once, the first column across and the second up."""
    places = in_threads(lambda k: _place(sides[k], axes[k]), list(range(len(sides))), len(classes.codes))

    def one(pair: tuple[int, int]) -> Panel:
        i, j = pair
        size = (_size(axes[i], 0), _size(axes[j], 1))
        across, up = places[i][0], places[j][1]
        keep = (across >= 0) & (up >= 0) & (classes.codes >= 0)
        cell = (classes.codes[keep] * size[0] + across[keep]) * size[1] + up[keep]
        grid = np.bincount(cell, minlength=classes.size * size[0] * size[1]).reshape(classes.size, *size)
        both = _present(sides[i]) & _present(sides[j])
        dots: tuple[tuple[Floats, Floats], ...] = ()
        if axes[i].number and axes[j].number:
            dots = _dots(sides[i], sides[j], both, classes, seed)
        return Panel(i, j, int(both.sum()), grid.astype(np.int64), dots)

    pairs = [(i, j) for j in range(len(sides)) for i in range(j)]
    return in_threads(one, pairs, len(classes.codes))


def _size(axis: Axis, way: int) -> int:
    return _whole_steps(axis.low, axis.high, axis.step, GRID[way]) if axis.number else len(axis.labels)


def _place(side: Side, axis: Axis) -> tuple[Ints, Ints]:
    """Return the cell of each row, across and up."""
    if not axis.number:
        codes = _levels(side)[0]
        return codes, codes
    values = numbers_of(side)
    across = _cells(values, axis.low, axis.high, _size(axis, 0))
    return across, _cells(values, axis.low, axis.high, _size(axis, 1))


def _present(side: Side) -> NDArray[np.bool_]:
    return side.codes >= 0 if side.codes is not None else ~np.isnan(numbers_of(side))


def _dots(
    a: Side, b: Side, both: NDArray[np.bool_], classes: PanelClasses, seed: int
) -> tuple[tuple[Floats, Floats], ...]:
    """Return the rows of each class as dots where they are few, or all of the panel's are."""
    codes = np.where(both, classes.codes, -1)
    n = np.bincount(codes[codes >= 0], minlength=classes.size)
    x, y = numbers_of(a), numbers_of(b)
    few = n.sum() <= DOTS
    rng, out = np.random.default_rng([seed, 0xD0]), []
    for k in range(classes.size):
        if not (few or n[k] <= DOTS // 4):
            out.append((np.zeros(0), np.zeros(0)))
            continue
        at = np.flatnonzero(codes == k)
        at = at if len(at) <= DOTS else rng.choice(at, DOTS, replace=False)
        out.append((x[at], y[at]))
    return tuple(out)
