"""The rows and columns of a cross-tabulation: levels, bins, units of the calendar, combinations of columns."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TypedDict

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from ..asked import finite_number, whole_number
from ..finding import marked
from ..shapes.bins import readable_bins
from ..shapes.calendar import calendar_bins, fitting_unit, unit_apart, unit_labels
from ..shapes.quantiles import sorted_quantiles
from ..words import plural
from .labels import cut_labels, number_label, number_labels
from .table import CategoryColumn, Column, TimeColumn, largest_apart

Codes = NDArray[np.int64] | NDArray[np.int32]
Floats = NDArray[np.float64]

FEW_VALUES = 8
USUAL_BINS = 8
CALENDAR_BINS = 16
MOST_LEVELS = 200
"""Without a word on it, tables have so many levels; the smallest of more are joined."""
MOST_COMBINED = 2_000
ABSENT = "missing"


class CrossingOptions(TypedDict, total=False):
    """The options of `Study.contingency`, but for the figures that are given."""

    by: str | Iterable[str] | None
    shares: str
    picture: str
    colour: str
    order: str
    counts: str | None
    bins: int | None
    width: float | None
    start: float | None
    cuts: Iterable[float]
    calendar: str | None
    largest: int | None
    missing: bool


@dataclass(frozen=True)
class Cuts:
    """How numbers and dates become levels.

    Parameters
    ----------
    bins, width, start
        As for histograms.
    at
        Cut points, in order; a value on one goes right.
    calendar
        A unit for dates.
    largest
        How many levels stay apart; the others become one.
    missing
        Whether missing is a level of its own.
    apart
        Whether each value stays a level, of numbers and dates too, where no cut is asked for.
    """

    bins: int | None = None
    width: float | None = None
    start: float | None = None
    at: tuple[float, ...] = ()
    calendar: str | None = None
    largest: int | None = None
    missing: bool = False
    apart: bool = False

    def __post_init__(self) -> None:
        object.__setattr__(self, "at", tuple(finite_number(point, "cut points") for point in self.at))
        for name in ("width", "start"):
            if getattr(self, name) is not None:
                finite_number(getattr(self, name), f"{name} of the bins")
        for name, what in (("bins", "number of bins"), ("largest", "number of levels kept")):
            if getattr(self, name) is not None:
                whole_number(getattr(self, name), 1, what)
        if any(not a < b for a, b in pairwise(self.at)):
            raise OptionError(f"Cut points go from low to high, each once, not {', '.join(f'{v:g}' for v in self.at)}.")


@dataclass(frozen=True)
class AxisLevels:
    """The rows, or the columns, of a table: what they are called.

    Parameters
    ----------
    names
        The columns it is made of.
    levels
        One tuple a level, one text a column.
    ordered
        Whether the order of the levels means something.
    missing
        Rows without a level.
    notes
        How numbers were cut and levels joined.
    joined
        How many levels were joined into the last one.
    """

    names: tuple[str, ...]
    levels: tuple[tuple[str, ...], ...]
    ordered: bool
    missing: int
    notes: tuple[str, ...] = ()
    joined: int = 0

    @property
    def labels(self) -> tuple[str, ...]:
        """One text a level."""
        return tuple(", ".join(level) for level in self.levels)

    @property
    def other(self) -> bool:
        """Whether the last level holds levels that were joined."""
        return self.joined > 0


@dataclass(frozen=True)
class TableAxis:
    """An axis with the level of each row of the data, shape (n,), ``-1`` for missing."""

    axis: AxisLevels
    codes: Codes

    @property
    def size(self) -> int:
        """How many levels there are."""
        return len(self.axis.levels)


def axis_of(columns: list[Column], cuts: Cuts) -> TableAxis:
    """Return the axis that one column makes, or the combinations of several; empty ones are kept.

    Raises
    ------
    OptionError
        A column is missing in every row, or there would be more than 2,000 combinations.
    """
    whole = _one(columns[0], cuts)
    for column in columns[1:]:
        one = _one(column, cuts)
        a, b, size = whole.axis, one.axis, one.size
        if whole.size * size > MOST_COMBINED:
            raise OptionError(
                f"{' and '.join((*a.names, *b.names))} make {plural(whole.size * size, 'combination')}; at most "
                f"{MOST_COMBINED:,} are tabulated. Keep fewer levels: largest=… (--largest)."
            )
        codes = np.where((whole.codes < 0) | (one.codes < 0), -1, whole.codes * size + one.codes)
        levels = tuple((*x, *y) for x in a.levels for y in b.levels)
        axis = AxisLevels(
            (*a.names, *b.names), levels, a.ordered and b.ordered, int((codes < 0).sum()), (*a.notes, *b.notes)
        )
        whole = TableAxis(axis, codes)
    return whole


def _one(column: Column, cuts: Cuts) -> TableAxis:
    if column.empty:
        raise OptionError(f"{column.name!r} is missing in every row: there is nothing to tabulate.")
    if isinstance(column, CategoryColumn):
        ordered = column.ordered or column.kind == "binary"
        missing = int((column.codes < 0).sum()) if column.codes.min(initial=0) < 0 else 0
        levels = tuple((level,) for level in column.levels)
        axis = TableAxis(AxisLevels((column.name,), levels, ordered, missing), column.codes)
        axis = axis if cuts.apart and cuts.largest is None else _joined(axis, cuts.largest)
    else:
        axis = _binned(column, cuts)
    if cuts.apart and axis.size > MOST_COMBINED:
        raise OptionError(
            f"{column.name!r} has {axis.size:,} levels; at most {MOST_COMBINED:,} stand apart. Keep the rows of fewer, "
            "with a condition."
        )
    if cuts.missing and axis.axis.missing:
        place = axis.size - bool(axis.axis.joined)  # "other" stays last
        codes = np.where(axis.codes < 0, place, axis.codes + (axis.codes >= place))
        known = axis.axis.levels
        with_missing = (*known[:place], (ABSENT,), *known[place:])
        return TableAxis(replace(axis.axis, levels=with_missing, missing=0, ordered=False), codes)
    return axis


def _joined(whole: TableAxis, largest: int | None) -> TableAxis:
    """Keep the largest levels apart and join the others, where there are more than asked for."""
    most, axis = largest or MOST_LEVELS, whole.axis
    if whole.size <= most + 1:
        return whole
    kept, codes, other = largest_apart(whole.codes, whole.size, most)
    joined = whole.size - most
    levels = (*(axis.levels[k] for k in kept), (other,))
    note = f"the {most:,} largest levels of {marked(axis.names[0])}; {joined:,} joined as other"
    shown = replace(axis, levels=levels, notes=(*axis.notes, note), ordered=False, joined=joined)
    return TableAxis(shown, codes.astype(np.int64))


def _binned(column: Column, cuts: Cuts) -> TableAxis:
    values = column.numbers
    assert values is not None
    present = np.sort(values[~np.isnan(values)])
    missing = len(values) - len(present)
    if isinstance(column, TimeColumn):
        fitting = fitting_unit(float(present[0]), float(present[-1]), CALENDAR_BINS)
        bins, unit = calendar_bins(present, cuts.calendar or (unit_apart(present) if cuts.apart else fitting))
        labels, inner, note = list(unit_labels(bins, unit)), bins.edges[1:-1], f"{marked(column.name)} by {unit}"
    elif cuts.at:
        inner, labels = np.array(cuts.at), list(cut_labels(cuts.at))
        note = (
            f"{marked(column.name)} cut at {', '.join(number_label(v) for v in cuts.at)}; a value on a cut goes right"
        )
    elif cuts.bins is None and cuts.width is None and (cuts.apart or column.distinct <= FEW_VALUES):
        distinct = np.unique(present)
        inner, labels, note = distinct[1:], number_labels(distinct), ""
    else:
        body = present if cuts.bins or cuts.width else _within_fences(present)
        bins = readable_bins(body, cuts.bins or (None if cuts.width else USUAL_BINS), cuts.width, cuts.start)
        edges = bins.all_edges
        inner, labels = edges[1:-1], _ranges(edges)
        if present[0] < edges[0]:
            labels[0] = f"under {number_label(np.ceil(edges[1]) if _on_halves(edges) else edges[1])}"
        if present[-1] > edges[-1]:
            labels[-1] = f"{_first_of(edges)} up"
        note = f"{marked(column.name)} in bins of {number_label(float(f'{np.median(np.diff(bins.edges)):.6g}'))}"
        if len(labels) > MOST_COMBINED:
            raise OptionError(f"{len(labels):,} bins of {column.name} are too many to tabulate: take a larger width.")
    codes = np.where(np.isnan(values), -1, np.searchsorted(inner, values, "right"))
    levels = tuple((label,) for label in labels)
    axis = AxisLevels((column.name,), levels, True, missing, (note,) if note else ())
    return TableAxis(axis, codes.astype(np.int64))


def _within_fences(present: Floats) -> Floats:
    """Return the values within Tukey's fences, so that a few far ones do not take the bins; all where they agree."""
    q1, q3 = sorted_quantiles(present, np.array([0.25, 0.75]))
    inside = present[(present >= q1 - 1.5 * (q3 - q1)) & (present <= q3 + 1.5 * (q3 - q1))]
    return inside if q3 > q1 else present


def _on_halves(edges: Floats) -> bool:
    return bool((np.mod(edges, 1) == 0.5).all())


def _first_of(edges: Floats) -> str:
    """Name the least value of the last bin."""
    return str(int(np.ceil(edges[-2]))) if _on_halves(edges) else number_labels(edges)[-2]


def _ranges(edges: Floats) -> list[str]:
    """Name bins; of whole numbers, edges on halves, by the values in them."""
    if _on_halves(edges):
        ends = [(int(np.ceil(a)), int(np.floor(b))) for a, b in pairwise(edges)]
        return [f"{a}" if a == b else f"{a} to {b}" for a, b in ends]
    return [f"{a} to {b}" for a, b in pairwise(number_labels(edges))]
