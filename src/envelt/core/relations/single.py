"""One pair of columns, large: rows or their density, a line, a trend, and each column's own distribution."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.table import CategoryColumn, Column
from ..stats.matrices import ranks_of_rows
from ..stats.sampling import Sampling
from ..stats.trend import Line, Trend, least_squares, smooth_trend
from .panels import Axis, Panel, PanelClasses, axis_of, panels_of
from .side import Side, side_of

Floats = NDArray[np.float64]

LATITUDE = ("lat", "latitude")
LONGITUDE = ("lon", "long", "lng", "longitude")


@dataclass(frozen=True)
class Single:
    """A pair as a picture shows it.

    Parameters
    ----------
    across, up, panel
        As in a pair plot, by class.
    classes, label
        The classes, and the column they are of.
    line, trend
        Of two numbers.
    shade
        For each dot of the panel the third column's value, by class; nothing where none colours it.
    shade_name, shade_ends
        What colours the dots, and the ends of its scale.
    ranks
        Whether ranks stand in the place of values.
    aspect
        Of a map: how long a degree across is, over one up; 0 for no map.
    """

    across: Axis
    up: Axis
    panel: Panel
    label: str
    classes: tuple[str, ...]
    line: Line | None
    trend: Trend | None
    shade: Floats | None
    shade_name: str
    shade_ends: tuple[float, float]
    ranks: bool
    aspect: float


def single_pair(
    first: Column,
    second: Column,
    classes: PanelClasses | None,
    third: Column | None,
    ranks: bool,
    sampling: Sampling,
    seed: int,
) -> Single:
    """Sum up one pair for a picture.

    Raises
    ------
    OptionError
        Ranks of levels without an order, or a colour where levels are drawn.
    """
    refuse_levels(first, second, ranks or third is not None)
    sides = [side_of(first), side_of(second)]
    numeric = all(s.what == "number" for s in sides)
    if ranks:
        sides = [_ranked(s) for s in sides]
    rows = len(first)
    of = classes or PanelClasses("", (), np.zeros(rows, np.int64))
    axes = [axis_of(s, of) for s in sides]
    if third is not None:
        return _shaded(sides, axes, of, third, ranks, sampling, seed)
    panel = panels_of(sides, axes, of, seed)[0]
    line = trend = None
    if numeric:
        x, y, both = _both(sides)
        line, trend = least_squares(x, y), smooth_trend(x, y, sampling.take(both))
    return Single(axes[0], axes[1], panel, of.name, of.labels, line, trend, None, "", (0.0, 1.0), ranks, _aspect(axes))


def refuse_levels(first: Column, second: Column, numbers: bool) -> None:
    """Refuse levels where two numbers are asked for.

    Raises
    ------
    OptionError
    """
    if numbers and any(isinstance(c, CategoryColumn) for c in (first, second)):
        raise OptionError("Rank against rank, and a third column by colour, are for two numbers.")


def _ranked(side: Side) -> Side:
    assert side.numbers is not None
    return Side(side.name, "continuous", "number", ranks_of_rows(side.numbers), None, 0, True)


def _both(sides: list[Side]) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    x, y = sides[0].numbers, sides[1].numbers
    assert x is not None
    assert y is not None
    both = ~(np.isnan(x) | np.isnan(y))
    return x[both], y[both], both


def _shaded(
    sides: list[Side], axes: list[Axis], of: PanelClasses, third: Column, ranks: bool, sampling: Sampling, seed: int
) -> Single:
    """Show some rows as dots in the colour of a third column."""
    assert not isinstance(third, CategoryColumn)
    x, y, z = sides[0].numbers, sides[1].numbers, third.numbers
    assert x is not None
    assert y is not None
    assert z is not None
    there = np.flatnonzero(~(np.isnan(x) | np.isnan(y) | np.isnan(z)))
    if len(there) == 0:
        raise OptionError(f"No row has all of {sides[0].name}, {sides[1].name} and {third.name}.")
    n = len(there)
    some = there if n <= 4_000 else np.random.default_rng([seed, 0xD1]).choice(there, 4_000, replace=False)
    panel = Panel(0, 1, n, np.zeros((1, 1, 1), np.int64), ((x[some], y[some]),))
    ends = np.quantile(z[there], [0.02, 0.98])
    line, trend = least_squares(x[there], y[there]), smooth_trend(x[there], y[there], sampling.take(there))
    low, high = (
        (float(ends[0]), float(ends[1]))
        if ends[0] < ends[1]
        else (float(z[there].min()) - 0.5, float(z[there].max()) + 0.5)
    )
    return Single(axes[0], axes[1], panel, "", (), line, trend, z[some], third.name, (low, high), ranks, _aspect(axes))


def _aspect(axes: list[Axis]) -> float:
    """Return the scale of a map where one column is a longitude and the other a latitude; 0 where they are not."""
    names = [a.name.casefold().rpartition("_")[2] for a in axes]
    if names[0] in LONGITUDE and names[1] in LATITUDE and axes[1].low >= -90 and axes[1].high <= 90:
        middle = np.deg2rad((axes[1].low + axes[1].high) / 2)
        return float(1 / max(np.cos(middle), 0.05))
    return 0.0
