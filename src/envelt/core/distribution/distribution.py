"""How a column is distributed, alone and by group: the arithmetic behind every picture of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import OptionError, option
from ..columns.grouping import Grouping
from ..columns.names import named_limits
from ..columns.table import CategoryColumn
from ..finding import Finding, by_weight
from ..later import Later
from ..magnitude import in_unit
from ..shapes.bins import Bins, readable_bins
from ..shapes.calendar import calendar_bins, calendar_profile
from ..shapes.density import Density, densities, natural_bounds, overlap
from ..shapes.qq import QQ, normal_qq
from ..shapes.resolution import recorded_step
from ..shapes.spikes import round_spikes
from ..stats.group_pairs import all_pairs
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows, grouped_rows, one_group
from ..stats.sampling import Sampling
from .column_findings import ColumnShape, column_shape_of, heaped_ends
from .group_findings import few_rows, intervals_mislead, small_difference, spread_differs
from .look import Look, Scale, checked_scale
from .result import MOST_DENSITIES, Binned, LevelDistribution, NumberDistribution, Outliers

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


def number_distribution(
    columns: list[str],
    name: str,
    values: Floats,
    grouping: Grouping,
    look: Look,
    *,
    row_labels: pd.Index[Any],
    sampling: Sampling,
    cases: CategoryColumn | None = None,
    dates: bool = False,
    limits: tuple[float, float] | None = None,
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
    row_labels, cases
        Of the rows of the table, and the column that says which case each is.
    limits
        What a person declared values can be.
    sampling
        What the rows are a sample of: cases each, or units.
    shapes
        Whether to look for what is worth a finding.
    groups, summary
        The rows of the groups, and the groups described, where they already are.

    Raises
    ------
    OptionError
    """
    check_look(look, name, values, dates)
    rows = groups or grouped_rows(values, grouping.codes, grouping.labels, sampling)
    given = _Given(
        columns, name, values, grouping, look, row_labels, cases, dates, limits, Scale(look.scale), rows,
        summary or Later(lambda: rows.summary),
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
        raise OptionError(f"Bars are for categories; for numbers use {option('picture', 'histogram')}.")
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
    cases: CategoryColumn | None
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
    if given.scale.name == "linear" and not given.dates:
        heaped = heaped_ends(given.pooled)
        limits = max(limits[0], heaped[0]), min(limits[1], heaped[1])
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
    found += spread_differs(name, given.rows, by)
    found += small_difference(name, given.rows, share, by)
    if given.look.picture == "interval":
        found += intervals_mislead(name, summary, all_pairs(given.rows), by)
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
    rows = at % max(len(given.row_labels), 1)
    labels = given.row_labels[rows] if len(at) else given.row_labels[:0]
    cases = None
    if given.cases is not None:
        cases = tuple(given.cases.levels[k] if k >= 0 else "" for k in given.cases.codes[rows].tolist())
    return Outliers(labels, x, codes[at], np.where(x > ends[:, 1], 1, -1), cases)


def _shapes(given: _Given, binned: Later[Binned]) -> tuple[ColumnShape, ...]:
    """Look at each column over all rows that have a group."""
    size = len(given.values) // len(given.columns)
    codes, found = given.grouping.codes, []
    for i, name in enumerate(given.columns):
        part = slice(i * size, (i + 1) * size)
        x = np.where(codes[part] >= 0, given.values[part], np.nan)
        alone = len(given.columns) == 1
        whole = alone and len(given.grouping) == 1
        one = given.rows if whole else one_group(x, name, given.rows.sampling.take(np.arange(i * size, (i + 1) * size)))
        if len(one.ordered[0]) == 0:
            continue
        own = binned().bins if alone and given.scale.name == "linear" else readable_bins(one.ordered[0])

        def rows(low: float, high: float, x: Floats = x) -> list[str]:
            with np.errstate(invalid="ignore"):
                at = np.flatnonzero((x < low) | (x > high))
            return [str(r) for r in given.row_labels[at[:50]]]

        found.append(column_shape_of(name, one, rows, own))
    return tuple(found)


def level_distribution(column: CategoryColumn, grouping: Grouping, look: Look) -> LevelDistribution:
    """Count the levels of a category column in groups.

    Raises
    ------
    OptionError
        A picture for numbers was asked for.
    """
    if look.picture not in ("auto", "bars"):
        raise OptionError(
            f"{column.name!r} is {column.kind}, which has levels and no {look.picture}: use "
            f"{option('picture', 'bars')}, or declare it a number: {option('kind', f'{column.name}=continuous')}."
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
