"""How a column is distributed, alone and by group: the arithmetic behind every picture of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.grouping import Grouping, Groups
from ..columns.names import named_limits
from ..columns.table import CategoryColumn
from ..finding import Finding, by_weight
from ..later import Later
from ..magnitude import in_unit
from ..shapes.bins import Bins, readable_bins
from ..shapes.calendar import Profile, calendar_bins, calendar_profile
from ..shapes.density import Density, densities, natural_bounds, overlap
from ..shapes.qq import QQ, normal_qq
from ..shapes.resolution import recorded_step
from ..shapes.spikes import round_spikes
from ..stats.clustered_groups import clustered_summary
from ..stats.group_pairs import all_pairs
from ..stats.groups import GroupedRows, GroupSummary, grouped_rows, one_group
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

    ``labels`` are those of the rows, ``side`` is −1 below and 1 above.
    """

    labels: pd.Index[Any]
    values: Floats
    groups: Ints
    side: Ints


@dataclass(frozen=True)
class Binned:
    """Edges of bins on the scale, and the rows of each group in `Bins.all_edges`, shape (groups, bins).

    For dates ``calendar`` has the unit of the bins, and the rows by month and weekday.
    """

    bins: Bins
    counts: Ints
    calendar: tuple[str, Profile] | None = None


@dataclass(frozen=True)
class NumberDistribution:
    """A numeric (or date) column, in groups; each part is made when it is asked for.

    Parameters
    ----------
    name
        Of the column, or of several together.
    groups
        What the groups are called; ``outside`` counts the rows that are in none.
    scale
        On which bins and densities stand: their positions are `Scale.place` of the values.
    dates
        Whether the values are days since 1970.
    """

    name: str
    groups: Groups
    outside: int
    scale: Scale
    look: Look
    dates: bool
    _summary: Later[GroupSummary]
    _binned: Later[Binned]
    _density: Later[Density | None]
    _outliers: Later[Outliers]
    _shapes: Later[tuple[ColumnShape, ...]]
    _findings: Later[tuple[Finding, ...]]
    _step: Later[float]
    _qq: tuple[Later[QQ | None], ...]
    _spread: Later[tuple[tuple[float, float], ...]]

    @property
    def summary(self) -> GroupSummary:
        """The groups described."""
        return self._summary()

    @property
    def bins(self) -> Bins:
        """The bins, on the scale."""
        return self._binned().bins

    @property
    def counts(self) -> Ints:
        """The rows of each group in `Bins.all_edges`, shape (groups, bins)."""
        return self._binned().counts

    @property
    def calendar(self) -> tuple[str, Profile] | None:
        """For dates: the unit of the bins, and the rows by month and weekday."""
        return self._binned().calendar

    @property
    def density(self) -> Density | None:
        """The groups' densities on the scale."""
        return self._density()

    @property
    def outliers(self) -> Outliers:
        """Over all groups."""
        return self._outliers()

    @property
    def shapes(self) -> tuple[ColumnShape, ...]:
        """What was seen in each column, one a column."""
        return self._shapes()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say, on the columns and on the groups."""
        return self._findings()

    @property
    def step(self) -> float:
        """The step in which the values of all groups were recorded; 0 for none, and on log scales."""
        return self._step()

    def qq(self, i: int) -> QQ | None:
        """Return a group's Q–Q plot against the normal, on the scale."""
        return self._qq[i]()

    @property
    def spread(self) -> tuple[tuple[float, float], ...]:
        """The mean and standard deviation of each group on the scale."""
        return self._spread()

    @property
    def overlap(self) -> float:
        """Of two groups' densities; NaN for other numbers of groups."""
        made = self.density if len(self.groups) == 2 else None
        return float("nan") if made is None else overlap(made.density[0], made.density[1], made.at)

    @property
    def picture(self) -> str:
        """Which picture is drawn."""
        return self.chosen[0]

    @property
    def chosen(self) -> tuple[str, str]:
        """Which picture is drawn, and the reason in a line where none was asked for."""
        look, asked = self.look, self.look.picture
        if asked == "auto":
            plain = look.arrange == "line" and not look.numbers and not look.normal
            asked = "dots" if look.box else asked if plain else "histogram"
        n = self.summary.moments.n
        peaks = asked == "auto" and MOST_IN_LINE < len(n) <= MOST_AS_ROWS and self._has_two_peaks
        return chosen_picture(asked, n, peaks, self.dates)

    @property
    def _has_two_peaks(self) -> bool:
        return any(f.code == "two-peaks" for s in self.shapes for f in s.findings)

    @property
    def missing(self) -> int:
        """Rows without a value."""
        return int(self.summary.missing.sum())

    def placed(self, i: int, most: int) -> Floats:
        """Return a group's values on the scale, sorted; an even choice of so many where there are more."""
        return self.scale.place(self.summary.ordered[i].sample(most))

    def ends(self, i: int) -> Floats:
        """Return where a group's smallest and largest value lie on the scale."""
        ordered = self.summary.ordered[i]
        return self.scale.place(np.array([ordered.low, ordered.high]))

    def body(self, i: int) -> Ints:
        """Return a group's counts in the bins that are drawn, tails left out."""
        counts: Ints = self.counts[i]
        return counts[int(self.bins.below > 0) : len(counts) - int(self.bins.above > 0)]


@dataclass(frozen=True)
class LevelDistribution:
    """A category column, in groups: ``counts`` of shape (groups, levels)."""

    name: str
    groups: Groups
    outside: int
    levels: tuple[str, ...]
    ordered: bool
    counts: Ints
    missing: Ints
    look: Look
    why: str
    findings: tuple[Finding, ...]


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
    groups: GroupedRows | None = None,
    summary: Later[GroupSummary] | None = None,
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
    groups, summary
        The rows of the groups, and the groups described, where they already are.

    Raises
    ------
    OptionError
    """
    check_look(look, name, values, dates)
    rows = groups or grouped_rows(values, grouping.codes, grouping.labels)
    given = _Given(
        columns, name, values, grouping, look, row_labels, dates, limits, Scale(look.scale), rows,
        summary or Later(lambda: _described(rows, values, grouping, units)),
    )  # fmt: skip
    binned = Later(lambda: _binned(given))
    if look.bins is not None or look.width is not None or look.start is not None:
        binned()  # bins that cannot be are refused at the call
    density = Later(lambda: _density(given))
    seen = Later(lambda: _shapes(given, binned) if shapes and not dates else ())
    return NumberDistribution(
        name, grouping.groups, grouping.outside, given.scale, look, dates, given.summary, binned, density,
        Later(lambda: _outliers(given)), seen, Later(lambda: _findings(given, seen(), density)),
        Later(lambda: recorded_step(given.pooled) if given.scale.name == "linear" else 0.0),
        tuple(Later(partial(_qq, given, i)) for i in range(len(grouping))), Later(lambda: _spread(given)),
    )  # fmt: skip


def check_look(look: Look, name: str, values: Floats, dates: bool) -> None:
    """Refuse a calendar for numbers, and scales that values or limits cannot be placed on.

    Raises
    ------
    OptionError
    """
    if look.calendar is not None and not dates:
        raise OptionError(f"The calendar is for dates, and {name} is none: use bins or width.")
    if look.picture == "bars":
        raise OptionError("Bars are for categories; for numbers use picture='histogram'.")
    if dates and look.scale != "linear":
        raise OptionError(f"Dates are shown on the linear scale only, not on {look.scale}.")
    if look.scale != "linear":
        low = float(np.fmin.reduce(values, initial=np.inf))
        checked_scale(look.scale, low if np.isfinite(low) else 0.0, name)
        if look.limits is not None:
            checked_scale(look.scale, look.limits[0], "the axis")


@dataclass(frozen=True)
class _Given:
    """What a distribution is made from."""

    columns: list[str]
    name: str
    values: Floats
    grouping: Grouping
    look: Look
    row_labels: pd.Index[Any]
    dates: bool
    limits: tuple[float, float] | None
    scale: Scale
    rows: GroupedRows
    summary: Later[GroupSummary]

    @cached_property
    def pooled(self) -> Floats:
        """The values of all groups, sorted."""
        if len(self.rows.ordered) == 1:
            return self.rows.ordered[0]
        pooled = np.concatenate([*self.rows.ordered, np.zeros(0)])
        pooled.sort(kind="stable")
        return pooled


def _described(rows: GroupedRows, values: Floats, grouping: Grouping, units: Units) -> GroupSummary:
    return rows.summary if units is None else clustered_summary(rows.summary, values, grouping.codes, units)


def _binned(given: _Given) -> Binned:
    look, scale, pooled, calendar = given.look, given.scale, given.pooled, None
    if len(pooled) == 0:
        bins = Bins(np.array([0.0, 1.0]))
    elif given.dates and look.width is None and look.bins is None:
        bins, unit = calendar_bins(pooled, look.calendar)
        calendar = unit, calendar_profile(given.rows.ordered)
    else:
        start = None if look.start is None else float(scale.place(np.array([look.start]))[0])
        heaps = round_spikes(pooled, recorded_step(pooled)) if scale.name == "linear" and not given.dates else None
        bins = readable_bins(scale.place(pooled), look.bins, look.width, start, heaps.spacing if heaps else None)
        if scale.name != "linear":
            bins = between_values(bins, scale, pooled)
    counts = np.array([bins.count_all(scale.place(g)) for g in given.rows.ordered]).reshape(len(given.grouping), -1)
    return Binned(bins, counts, calendar)


def _density(given: _Given) -> Density | None:
    if len(given.grouping) > MOST_DENSITIES:
        return None
    ordered = [g for g in given.rows.ordered if len(g)]
    low, high = (min(g[0] for g in ordered), max(g[-1] for g in ordered)) if ordered else (0.0, 1.0)
    limits = given.limits or named_limits(given.columns[0])
    bounds = _bounds(given.scale, float(low), float(high), limits, given.dates)
    return densities([given.scale.place(g) for g in given.rows.ordered], bounds, given.look.bandwidth)


def _qq(given: _Given, i: int) -> QQ | None:
    step = recorded_step(given.pooled) if given.scale.name == "linear" else 0.0
    return normal_qq(given.scale.place(given.rows.ordered[i]), step)


def _spread(given: _Given) -> tuple[tuple[float, float], ...]:
    found = []
    for g in given.rows.ordered:
        placed, unit = in_unit(given.scale.place(g))
        sd = unit * float(placed.std(ddof=1)) if len(placed) > 1 else 0.0
        found.append((unit * float(placed.mean()) if len(placed) else float("nan"), sd))
    return tuple(found)


def _findings(given: _Given, seen: tuple[ColumnShape, ...], density: Later[Density | None]) -> tuple[Finding, ...]:
    findings = [f for s in seen for f in s.findings]
    if len(given.grouping) > 1 and not given.dates:
        made = density() if len(given.grouping) == 2 else None
        share = float("nan") if made is None else overlap(made.density[0], made.density[1], made.at)
        findings += group_findings(given, share)
    return by_weight(findings)


def group_findings(given: _Given, share: float) -> list[Finding]:
    """Look at groups side by side; ``share`` is that of the rows of two groups that coincide."""
    name, summary, by = given.name, given.summary(), given.grouping.names
    found = few_rows(name, summary.labels, summary.moments.n, by)
    found += spread_differs(name, summary, given.rows.ordered, by)
    found += small_difference(name, summary, share, by)
    if given.look.picture == "interval":
        found += intervals_mislead(name, summary, all_pairs(summary), by)
    return found


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


def _bounds(scale: Scale, low: float, high: float, limits: tuple[float, float], dates: bool) -> tuple[float, float]:
    """Return what values cannot cross, on the scale."""
    if scale.name == "linear" and not dates:
        return natural_bounds(low, high, limits)
    return (0.0 if scale.name == "log1p" else -np.inf), np.inf


def _outliers(given: _Given) -> Outliers:
    values, codes = given.values, given.grouping.codes
    fences = np.concatenate([given.summary().fences, [[-np.inf, np.inf]]])
    if len(fences) == 2:
        low, high = fences[0]
        with np.errstate(invalid="ignore"):
            at = np.flatnonzero(((values < low) | (values > high)) & (codes == 0))
    else:
        each = fences[codes]
        with np.errstate(invalid="ignore"):
            at = np.flatnonzero((values < each[:, 0]) | (values > each[:, 1]))
    x, ends = values[at], fences[codes[at]]
    beyond = np.maximum(ends[:, 0] - x, x - ends[:, 1])
    order = np.argsort(-beyond, kind="stable")
    at, x, ends = at[order], x[order], ends[order]
    labels = given.row_labels[at % max(len(given.row_labels), 1)] if len(at) else given.row_labels[:0]
    return Outliers(labels, x, codes[at], np.where(x > ends[:, 1], 1, -1))


def _shapes(given: _Given, binned: Later[Binned]) -> tuple[ColumnShape, ...]:
    """Look at each column over all rows that have a group."""
    size = len(given.values) // len(given.columns)
    codes, found = given.grouping.codes, []
    for i, name in enumerate(given.columns):
        part = slice(i * size, (i + 1) * size)
        x = np.where(codes[part] >= 0, given.values[part], np.nan)
        alone = len(given.columns) == 1
        whole = alone and len(given.grouping) == 1
        one = given.rows if whole else one_group(x, name)
        if len(one.ordered[0]) == 0:
            continue
        own = binned().bins if alone and given.scale.name == "linear" else readable_bins(one.ordered[0])

        def rows(low: float, high: float, x: Floats = x) -> list[str]:
            with np.errstate(invalid="ignore"):
                at = np.flatnonzero((x < low) | (x > high))
            return [str(r) for r in given.row_labels[at[:50]]]

        found.append(column_shape_of(name, one, rows, own))
    return tuple(found)


def chosen_picture(asked: str, n: NDArray[np.integer], two_peaks: bool = False, dates: bool = False) -> tuple[str, str]:
    """Choose a picture by rows and groups, and say why in one line; what was asked for wins."""
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
        column.name,
        grouping.groups,
        grouping.outside,
        column.levels,
        ordered,
        counts,
        missing,
        look,
        why,
        by_weight(findings),
    )
