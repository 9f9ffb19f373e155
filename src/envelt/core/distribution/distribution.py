"""How a column is distributed, alone and by group: the arithmetic behind every picture of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.grouping import Grouping
from ..columns.names import named_limits
from ..columns.table import CategoryColumn
from ..finding import Finding, by_weight
from ..shapes.bins import Bins, readable_bins
from ..shapes.calendar import Profile, calendar_bins, calendar_profile
from ..shapes.density import Density, densities, natural_bounds, overlap
from ..shapes.ranks import run_lengths
from ..shapes.resolution import recorded_step
from ..shapes.spikes import round_spikes
from ..stats.clustered_groups import clustered_summary
from ..stats.group_pairs import all_pairs
from ..stats.groups import GroupSummary, summarise_groups
from .column_findings import ColumnShape, column_shape_of
from .group_findings import few_rows, intervals_mislead, small_difference, spread_differs
from .look import Look, Scale, checked_scale

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Units = NDArray[np.int64] | None

FEW_DOTS = 60
"""So few rows in the smallest group are shown one by one."""
MOST_IN_LINE = 6
"""Groups whose histograms stand one above the other."""
MOST_AS_ROWS = 30
ENOUGH_FOR_BOX = 20
MOST_DENSITIES = 200
NAMED = 400


@dataclass(frozen=True)
class Outliers:
    """Values strictly beyond the fences of their group, the furthest first.

    ``rows`` are positions, ``side`` is −1 below and 1 above, ``labels`` are those of the furthest 400 rows.
    """

    rows: Ints
    values: Floats
    groups: Ints
    side: Ints
    labels: tuple[str, ...]


@dataclass(frozen=True)
class NumberDistribution:
    """A numeric (or date) column, in groups.

    Parameters
    ----------
    grouping
        The groups; their labels are those of ``summary``.
    scale
        On which bins and densities stand: their positions are `Scale.place` of the values.
    bins, counts
        Edges on the scale, and the rows of each group in `Bins.all_edges`, shape (groups, bins).
    density
        On the scale.
    outliers
        Over all groups.
    shapes
        What was seen in each column, one a column.
    overlap
        Of two groups' densities; NaN for other numbers of groups.
    picture, why
        Which picture, and the reason in a line.
    calendar
        For dates: the unit of the bins, and the rows by month and weekday.
    """

    name: str
    grouping: Grouping
    summary: GroupSummary
    scale: Scale
    bins: Bins
    counts: Ints
    density: Density | None
    outliers: Outliers
    shapes: tuple[ColumnShape, ...]
    overlap: float
    picture: str
    why: str
    look: Look
    findings: tuple[Finding, ...]
    calendar: tuple[str, Profile] | None = None

    @property
    def missing(self) -> int:
        """Rows without a value."""
        return int(self.summary.missing.sum())

    @property
    def placed(self) -> list[Floats]:
        """Each group's values on the scale, sorted."""
        return [self.scale.place(g) for g in self.summary.ordered]

    def body(self, i: int) -> Ints:
        """Return a group's counts in the bins that are drawn, tails left out."""
        counts = self.counts[i]
        return counts[int(self.bins.below > 0) : len(counts) - int(self.bins.above > 0)]

    def top_values(self, most: int) -> list[tuple[Floats, Ints]]:
        """Return each group's most frequent values and their counts, most frequent first, smaller first on ties."""
        return [_tops(g, most) for g in self.summary.ordered]


@dataclass(frozen=True)
class LevelDistribution:
    """A category column, in groups: ``counts`` of shape (groups, levels)."""

    name: str
    grouping: Grouping
    levels: tuple[str, ...]
    ordered: bool
    counts: Ints
    missing: Ints
    look: Look
    why: str
    findings: tuple[Finding, ...]


def _tops(ordered: Floats, most: int) -> tuple[Floats, Ints]:
    if len(ordered) == 0:
        return np.zeros(0), np.zeros(0, np.int64)
    runs = run_lengths(ordered)
    values = ordered[np.cumsum(runs) - 1]
    order = np.argsort(-runs, kind="stable")[:most]
    return values[order], runs[order]


def number_distribution(
    columns: list[str],
    name: str,
    values: Floats,
    grouping: Grouping,
    look: Look,
    *,
    row_labels: pd.Index[Any],
    dates: bool = False,
    limits: tuple[float, float] | None = None,
    units: Units = None,
    shapes: bool = True,
    summary: GroupSummary | None = None,
) -> NumberDistribution:
    """Describe a column of numbers (or of days since 1970) in groups.

    Parameters
    ----------
    columns
        The columns whose values these are, stacked one after the other.
    name
        What to call them together.
    values, grouping
        Of the rows, shape (n,), NaN for missing.
    row_labels
        Of the rows of the table.
    limits
        What a person declared values can be.
    units
        The unit of each row, where intervals count units.
    shapes
        Whether to look for what is worth a finding.
    summary
        The groups described, where they already are.

    Raises
    ------
    OptionError
    """
    described = summary is not None
    summary = summary or summarise_groups(values, grouping.codes, grouping.labels)
    if units is not None and not described:
        summary = clustered_summary(summary, values, grouping.codes, units)
    pooled = np.sort(values[~np.isnan(values) & (grouping.codes >= 0)])
    low, high = (float(pooled[0]), float(pooled[-1])) if len(pooled) else (0.0, 1.0)
    if look.calendar is not None and not dates:
        raise OptionError(f"The calendar is for dates, and {name} is none: use bins or width.")
    if dates and look.scale != "linear":
        raise OptionError(f"Dates are shown on the linear scale only, not on {look.scale}.")
    scale = checked_scale(look.scale, low, name)
    if look.limits is not None:
        checked_scale(look.scale, look.limits[0], "the axis")
    placed = scale.place(pooled)
    calendar = None
    if len(pooled) == 0:
        bins = Bins(np.array([0.0, 1.0]))
    elif dates and look.width is None and look.bins is None:
        bins, unit = calendar_bins(pooled, look.calendar)
        calendar = unit, calendar_profile(summary.ordered)
    else:
        start = None if look.start is None else float(scale.place(np.array([look.start]))[0])
        heaps = round_spikes(pooled, recorded_step(pooled)) if scale.name == "linear" and not dates else None
        bins = readable_bins(placed, look.bins, look.width, start, heaps.spacing if heaps else None)
        if scale.name != "linear":
            bins = between_values(bins, scale, pooled)
    counts = np.array([bins.count_all(scale.place(g)) for g in summary.ordered]).reshape(len(grouping), -1)
    density = None
    if len(grouping) <= MOST_DENSITIES:
        bounds = _bounds(scale, low, high, limits or named_limits(columns[0]), dates)
        density = densities([scale.place(g) for g in summary.ordered], bounds, look.bandwidth)
    outliers = _outliers(values, grouping, summary, row_labels)
    seen = _shapes(columns, values, grouping, summary, bins, row_labels, scale) if shapes and not dates else ()
    two_peaks = any(f.code == "two-peaks" for s in seen for f in s.findings)
    asked = look.picture
    if asked == "auto":
        asked = "dots" if look.box else "histogram" if look.arrange != "line" or look.numbers or look.normal else asked
    picture, why = chosen_picture(asked, summary.moments.n, two_peaks, dates)
    share = float("nan")
    if density is not None and len(grouping) == 2:
        share = overlap(density.density[0], density.density[1], density.at)
    findings = [f for s in seen for f in s.findings]
    if len(grouping) > 1 and not dates:
        findings += group_findings(name, summary, share, grouping.names, look.picture == "interval")
    return NumberDistribution(
        name, grouping, summary, scale, bins, counts, density, outliers, seen, share, picture, why, look,
        by_weight(findings), calendar,
    )  # fmt: skip


def between_values(bins: Bins, scale: Scale, ordered: Floats) -> Bins:
    """Move edges on a log scale half-way between recorded values, so that no bin is empty for want of a value."""
    step = recorded_step(ordered)
    if not step:
        return bins
    low = -step / 2 if scale.name == "log1p" and step < 2 else 0.0
    inner = (np.floor(scale.value(bins.edges) / step) + 0.5) * step
    edges = np.unique(np.clip(np.concatenate([[ordered[0] - step / 2], inner, [ordered[-1] + step / 2]]), low, None))
    edges = edges[(edges >= ordered[0] - step / 2) & (edges <= ordered[-1] + step / 2)]
    if scale.name == "log" and edges[0] <= 0:
        edges[0] = ordered[0] / 2
    return Bins(scale.place(edges)) if len(edges) > 1 else bins


def group_findings(
    name: str, summary: GroupSummary, share: float, by: tuple[str, ...], of_intervals: bool = False
) -> list[Finding]:
    """Look at groups side by side."""
    found = few_rows(name, summary.labels, summary.moments.n, by)
    found += spread_differs(name, summary, by)
    found += small_difference(name, summary, share, by)
    if of_intervals:
        found += intervals_mislead(name, summary, all_pairs(summary), by)
    return found


def _bounds(scale: Scale, low: float, high: float, limits: tuple[float, float], dates: bool) -> tuple[float, float]:
    """Return what values cannot cross, on the scale."""
    if scale.name == "linear" and not dates:
        return natural_bounds(low, high, limits)
    return (0.0 if scale.name == "log1p" else -np.inf), np.inf


def _outliers(values: Floats, grouping: Grouping, summary: GroupSummary, row_labels: pd.Index[Any]) -> Outliers:
    fences = np.concatenate([summary.fences, [[-np.inf, np.inf]]])[grouping.codes]
    with np.errstate(invalid="ignore"):
        beyond = np.maximum(fences[:, 0] - values, values - fences[:, 1])
    at = np.flatnonzero(beyond > 0)
    at = at[np.argsort(-beyond[at], kind="stable")]
    side = np.where(values[at] > fences[at, 1], 1, -1)
    named = tuple(str(r) for r in row_labels[at[:NAMED] % max(len(row_labels), 1)]) if len(at) else ()
    return Outliers(at, values[at], grouping.codes[at], side, named)


def _shapes(
    columns: list[str],
    values: Floats,
    grouping: Grouping,
    summary: GroupSummary,
    bins: Bins,
    row_labels: pd.Index[Any],
    scale: Scale,
) -> tuple[ColumnShape, ...]:
    """Look at each column over all rows that have a group."""
    size = len(values) // len(columns)
    inside = grouping.codes >= 0
    found = []
    for i, name in enumerate(columns):
        part = slice(i * size, (i + 1) * size)
        x = np.where(inside[part], values[part], np.nan)
        one = (
            summary
            if len(columns) == 1 and len(grouping) == 1
            else summarise_groups(x, np.zeros(size, np.int32), (name,))
        )
        if len(one.ordered[0]) == 0:
            continue
        own = bins if len(columns) == 1 and scale.name == "linear" else readable_bins(one.ordered[0])

        def rows(low: float, high: float, x: Floats = x) -> list[str]:
            with np.errstate(invalid="ignore"):
                at = np.flatnonzero((x < low) | (x > high))
            return [str(r) for r in row_labels[at[:50]]]

        found.append(column_shape_of(name, one, rows, own))
    return tuple(found)


def chosen_picture(asked: str, n: NDArray[np.integer], two_peaks: bool = False, dates: bool = False) -> tuple[str, str]:
    """Choose a picture by rows and groups, and say why in one line; what was asked for wins."""
    if asked == "bars":
        raise OptionError("Bars are for categories; for numbers use picture='histogram'.")
    if asked != "auto":
        return asked, ""
    groups, least = len(n), int(n.min()) if len(n) else 0
    if dates:
        return "histogram", "histogram: dates, by a unit of the calendar"
    if int(n.sum()) <= FEW_DOTS * max(groups, 1) and groups <= MOST_AS_ROWS:
        return "dots", f"dots: with {int(n.sum()):,} rows every one can be seen"
    if groups == 1:
        return "histogram", f"histogram: {int(n.sum()):,} rows of one group, too many to see one by one"
    if groups <= MOST_IN_LINE:
        return "histogram", f"histograms in line: {groups} groups on one axis"
    if least < ENOUGH_FOR_BOX or groups > MOST_AS_ROWS:
        why = f"the smallest has {least:,} rows" if groups <= MOST_AS_ROWS else "too many for boxes"
        return "interval", f"means with intervals: {groups:,} groups, {why}"
    if two_peaks:
        return "violin", f"violins: {groups} groups, and a box would hide the second peak"
    return "box", f"boxes: {groups} groups, too many for histograms in line"


def level_distribution(column: CategoryColumn, grouping: Grouping, look: Look) -> LevelDistribution:
    """Count the levels of a category column in groups.

    Raises
    ------
    OptionError
        A picture for numbers was asked for.
    """
    if look.picture not in ("auto", "bars"):
        raise OptionError(
            f"{column.name!r} is {column.kind}, which has levels and no {look.picture}: use picture='bars', or "
            f"declare it a number: kinds={{{column.name!r}: 'continuous'}}."
        )
    size = len(column.levels)
    inside, present = grouping.codes >= 0, column.codes >= 0
    both = inside & present
    cell = grouping.codes[both] * size + column.codes[both]
    counts = np.bincount(cell, minlength=len(grouping) * size).reshape(len(grouping), size)
    missing = np.bincount(grouping.codes[inside & ~present], minlength=len(grouping))
    findings = few_rows(column.name, grouping.labels, counts.sum(axis=1), grouping.names)
    why = "bars: levels are counted" if look.picture == "auto" else ""
    ordered = column.ordered or column.kind == "binary"
    return LevelDistribution(
        column.name, grouping, column.levels, ordered, counts, missing, look, why, by_weight(findings)
    )
