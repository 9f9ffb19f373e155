"""One pair of columns, large: rows or their density, a line, a trend, and each column's own distribution."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.table import CategoryColumn, Column
from .panels import Axis, Panel, PanelClasses, axis_of, panels_of
from .side import Side, numbers_of
from .two_numbers import Pictured, TwoNumbers, pictured

Floats = NDArray[np.float64]

LATITUDE = ("lat", "latitude")
LONGITUDE = ("lon", "long", "lng", "longitude")
MOST_DOTS = 4_000
"""That a third column colours."""


@dataclass(frozen=True)
class Single:
    """A pair as a picture shows it.

    Parameters
    ----------
    across, up, panel
        As in a pair plot, by class.
    classes, label
        The classes, and the column they are of.
    two, fit
        Of two numbers: all that is said of them, and what is drawn through the rows.
    shade
        For each dot of the panel the third column's value, by class; nothing where none colours it.
    shade_name, shade_ends
        What colours the dots, and the ends of its scale.
    ranks, residuals
        Whether ranks, or what the line leaves of the second, stand in the place of values.
    aspect
        Of a map: how long a degree across is, over one up; 0 for no map.
    """

    across: Axis
    up: Axis
    panel: Panel
    label: str
    classes: tuple[str, ...]
    two: TwoNumbers | None
    fit: Pictured | None
    shade: Floats | None
    shade_name: str
    shade_ends: tuple[float, float]
    ranks: bool
    residuals: bool
    aspect: float


def single_pair(
    sides: list[Side],
    classes: PanelClasses | None,
    third: Column | None,
    shown: tuple[bool, bool],
    two: TwoNumbers | None,
    seed: int,
) -> Single:
    """Sum up one pair for a picture.

    Parameters
    ----------
    shown
        Whether ranks, and whether what the line leaves.
    two
        The sides as two numbers, where they are.

    Raises
    ------
    OptionError
        No row has all of the pair and the third column.
    """
    ranks, residuals = shown
    rows, fit = _rows_of(sides[0]), None
    if two is not None:
        fit = pictured(two, ranks, residuals)
        if ranks or residuals:
            across = _shown(sides[0], two.both[0], fit.x) if ranks else sides[0]  # residuals leave it as it is
            sides = [across, _shown(sides[1], two.both[0], fit.y)]
    of = classes or PanelClasses("", (), np.zeros(rows, np.int64))
    axes = [axis_of(s, of) for s in sides]
    aspect = 0.0 if ranks or residuals else _aspect(axes)
    if third is not None:
        panel, shade, ends = _shaded(sides, third, seed)
        return Single(axes[0], axes[1], panel, "", (), two, fit, shade, third.name, ends, ranks, residuals, aspect)
    panel = panels_of(sides, axes, of, seed)[0]
    return Single(axes[0], axes[1], panel, of.name, of.labels, two, fit, None, "", (0.0, 1.0), ranks, residuals, aspect)


def refuse_levels(first: Column, second: Column, numbers: bool) -> None:
    """Refuse levels where two numbers are asked for.

    Raises
    ------
    OptionError
    """
    if numbers and any(isinstance(c, CategoryColumn) for c in (first, second)):
        raise OptionError("Rank against rank, residuals, and a third column by colour, are for two numbers.")


def _rows_of(side: Side) -> int:
    values = side.codes if side.numbers is None else side.numbers
    assert values is not None
    return len(values)


def _shown(side: Side, there: NDArray[np.bool_], values: Floats) -> Side:
    """Return a side with other values on some rows, and none on the others."""
    whole = np.full(len(there), np.nan)
    whole[there] = values
    return Side(side.name, "continuous", "number", whole, None, 0, True)


def _shaded(sides: list[Side], third: Column, seed: int) -> tuple[Panel, Floats, tuple[float, float]]:
    """Return some rows as dots, what a third column has there, and the ends of its scale."""
    assert not isinstance(third, CategoryColumn)
    x, y, z = numbers_of(sides[0]), numbers_of(sides[1]), third.numbers
    assert z is not None
    there = np.flatnonzero(~(np.isnan(x) | np.isnan(y) | np.isnan(z)))
    if len(there) == 0:
        raise OptionError(f"No row has all of {sides[0].name}, {sides[1].name} and {third.name}.")
    n = len(there)
    some = there if n <= MOST_DOTS else np.random.default_rng([seed, 0xD1]).choice(there, MOST_DOTS, replace=False)
    panel = Panel(0, 1, n, np.zeros((1, 1, 1), np.int64), ((x[some], y[some]),))
    low, high = np.quantile(z[there], [0.02, 0.98]).tolist()
    if not low < high:
        low, high = float(z[there].min()) - 0.5, float(z[there].max()) + 0.5
    return panel, z[some], (low, high)


def _aspect(axes: list[Axis]) -> float:
    """Return the scale of a map where one column is a longitude and the other a latitude; 0 where they are not."""
    names = [a.name.casefold().rpartition("_")[2] for a in axes]
    if names[0] in LONGITUDE and names[1] in LATITUDE and axes[1].low >= -90 and axes[1].high <= 90:
        middle = np.deg2rad((axes[1].low + axes[1].high) / 2)
        return float(1 / max(np.cos(middle), 0.05))
    return 0.0
