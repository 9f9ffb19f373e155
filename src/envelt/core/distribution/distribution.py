"""How a column is distributed, alone and by group: the arithmetic behind every picture of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import OptionError, option
from ..columns.grouping import Groups
from ..columns.names import named_limits
from ..columns.table import CategoryColumn
from ..finding import Finding, by_weight
from ..kept import Remade, kept
from ..magnitude import in_unit
from ..shapes.bins import Bins, readable_bins
from ..shapes.calendar import Profile, calendar_bins, calendar_profile
from ..shapes.density import Density, densities, natural_bounds, overlap
from ..shapes.qq import QQ, normal_qq
from ..shapes.resolution import recorded_step
from ..shapes.spikes import round_spikes
from ..stats.group_pairs import all_pairs
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows, one_group
from .alike import equal_groups
from .chosen import MOST_AS_ROWS, MOST_DENSITIES, MOST_IN_LINE, chosen_picture
from .column_findings import ColumnShape, column_shape_of
from .crowded import bins_of_several
from .ends import heaped_ends
from .group_findings import few_rows, intervals_mislead, small_difference, spread_differs
from .look import Look, Scale, checked_scale
from .tails import Advise

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Outliers:
    """Values strictly beyond the fences of their group, the furthest first.

    ``labels`` are those of the rows, ``side`` is −1 below and 1 above; ``cases`` are what an identifier calls them,
    where there is one.
    """

    labels: pd.Index[Any]
    values: Floats
    groups: Ints
    side: Ints
    cases: tuple[str, ...] | None = None


@dataclass(frozen=True)
class Binned:
    """Edges of bins on the scale, and the rows of each group in `Bins.all_edges`, shape (groups, bins).

    For dates ``calendar`` has the unit of the bins, and the rows by month and weekday.
    """

    bins: Bins
    counts: Ints
    calendar: tuple[str, Profile] | None = None


@dataclass(frozen=True)
class NumberDistribution(Remade):
    """A numeric (or date) column, in groups; each part is made when it is asked for.

    Parameters
    ----------
    columns, name
        The columns whose values these are, stacked one after the other, and what to call them together.
    rows, groups
        The values of the rows, and what the groups are called.
    row_labels, cases
        Of the rows of the table, and the column that says which case each is.
    dates
        Whether the values are days since 1970.
    limits
        What a person declared values can be.
    shaped
        Whether to look for what is worth a finding in each column.
    advise, beside
        As in `column_shape_of`.
    """

    columns: tuple[str, ...]
    name: str
    rows: GroupedRows
    groups: Groups
    look: Look
    row_labels: pd.Index[Any]
    cases: CategoryColumn | None = None
    dates: bool = False
    limits: tuple[float, float] | None = None
    shaped: bool = True
    advise: Advise | None = None
    beside: tuple[CategoryColumn, ...] = ()

    @cached_property
    def scale(self) -> Scale:
        """On which bins and densities stand: their positions are `Scale.place` of the values."""
        return Scale(self.look.scale)

    @cached_property
    def outside(self) -> int:
        """How many rows are in no group."""
        return int((self.rows.codes < 0).sum())

    @kept
    def pooled(self) -> Floats:
        """The values of all groups, sorted."""
        if len(self.rows.ordered) == 1:
            return self.rows.ordered[0]
        pooled = np.concatenate([*self.rows.ordered, np.zeros(0)])
        pooled.sort(kind="stable")
        return pooled

    @property
    def summary(self) -> GroupSummary:
        """The groups described."""
        return self.rows.summary

    @cached_property
    def _binned(self) -> Binned:
        look, scale, pooled, calendar = self.look, self.scale, self.pooled, None
        if len(pooled) == 0:
            bins = Bins(np.array([0.0, 1.0]))
        elif self.dates and look.width is None and look.bins is None:
            bins, unit = calendar_bins(pooled, look.calendar)
            calendar = unit, calendar_profile(self.rows.ordered)
        else:
            start = None if look.start is None else float(scale.place(np.array([look.start]))[0])
            plain = scale.name == "linear" and not self.dates
            heaps = round_spikes(pooled, recorded_step(pooled), self.rows.distribution_effect) if plain else None
            bins = readable_bins(scale.place(pooled), look.bins, look.width, start, heaps.spacing if heaps else None)
            if scale.name != "linear":
                bins = between_values(bins, scale, pooled)
        counts = np.array([bins.count_all(scale.place(g)) for g in self.rows.ordered]).reshape(len(self.groups), -1)
        return Binned(bins, counts, calendar)

    @property
    def bins(self) -> Bins:
        """The bins, on the scale."""
        return self._binned.bins

    @property
    def counts(self) -> Ints:
        """The rows of each group in `Bins.all_edges`, shape (groups, bins)."""
        return self._binned.counts

    @property
    def calendar(self) -> tuple[str, Profile] | None:
        """For dates: the unit of the bins, and the rows by month and weekday."""
        return self._binned.calendar

    @cached_property
    def density(self) -> Density | None:
        """The groups' densities on the scale."""
        if len(self.groups) > MOST_DENSITIES:
            return None
        ordered = [g for g in self.rows.ordered if len(g)]
        low, high = (min(g[0] for g in ordered), max(g[-1] for g in ordered)) if ordered else (0.0, 1.0)
        limits = self.limits or named_limits(self.columns[0])
        if self.scale.name == "linear" and not self.dates:
            heaped = heaped_ends(self.pooled, self.rows.distribution_effect)
            limits = max(limits[0], heaped[0]), min(limits[1], heaped[1])
        bounds = _bounds(self.scale, float(low), float(high), limits, self.dates)
        return densities([self.scale.place(g) for g in self.rows.ordered], bounds, self.look.bandwidth)

    @cached_property
    def outliers(self) -> Outliers:
        """Over all groups."""
        values, codes = self.rows.values, self.rows.codes
        fences = np.concatenate([self.summary.fences, [[-np.inf, np.inf]]])
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
        rows = at % max(len(self.row_labels), 1)
        labels = self.row_labels[rows] if len(at) else self.row_labels[:0]
        cases = None
        if self.cases is not None:
            cases = tuple(self.cases.levels[k] if k >= 0 else "" for k in self.cases.codes[rows].tolist())
        return Outliers(labels, x, codes[at].astype(np.int64), np.where(x > ends[:, 1], 1, -1), cases)

    @cached_property
    def shapes(self) -> tuple[ColumnShape, ...]:
        """What was seen in each column over all rows that have a group, one a column."""
        if self.dates or not self.shaped:
            return ()
        size = len(self.rows.values) // len(self.columns)
        alone, found = len(self.columns) == 1, []
        for i, name in enumerate(self.columns):
            part = slice(i * size, (i + 1) * size)
            x = np.where(self.rows.codes[part] >= 0, self.rows.values[part], np.nan)
            whole = alone and len(self.groups) == 1
            one = self.rows if whole else one_group(x, name, self.rows.sampling.take(np.arange(part.start, part.stop)))
            if len(one.ordered[0]) == 0:
                continue
            own = self.bins if alone and self.scale.name == "linear" else readable_bins(one.ordered[0])

            def rows(low: float, high: float, x: Floats = x) -> list[str]:
                with np.errstate(invalid="ignore"):
                    at = np.flatnonzero((x < low) | (x > high))
                return [str(r) for r in self.row_labels[at[:50]]]

            found.append(column_shape_of(name, one, rows, own, advise=self.advise, beside=self.beside))
        return tuple(found)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say, on the columns and on the groups."""
        findings = [f for s in self.shapes for f in s.findings]
        if self.picture == "histogram" and not self.dates:
            findings += bins_of_several(self.name, self.pooled, self.bins, self.scale)
        if len(self.groups) > 1 and not self.dates:
            by, summary = self.groups.names, self.summary
            findings += few_rows(self.name, summary.labels, summary.moments.n, by)
            if len(self.columns) == 1 and self.groups.names:
                of = (self.groups.names, self.rows.codes, len(self.groups))
                findings += equal_groups(self.name, self.rows.values, of, self.rows.sampling)
            findings += spread_differs(self.name, self.rows, by)
            findings += small_difference(self.name, self.rows, self.overlap, by)
            if self.look.picture == "interval":
                findings += intervals_mislead(self.name, summary, all_pairs(self.rows), by)
        return by_weight(findings)

    @cached_property
    def step(self) -> float:
        """The step in which the values of all groups were recorded; 0 for none, and on log scales."""
        return recorded_step(self.pooled) if self.scale.name == "linear" else 0.0

    @cached_property
    def _qq(self) -> dict[int, QQ | None]:
        return {}

    def qq(self, i: int) -> QQ | None:
        """Return a group's Q–Q plot against the normal, on the scale."""
        if i not in self._qq:
            self._qq[i] = normal_qq(self.scale.place(self.rows.ordered[i]), self.step)
        return self._qq[i]

    @cached_property
    def spread(self) -> tuple[tuple[float, float], ...]:
        """The mean and standard deviation of each group on the scale."""
        found = []
        for g in self.rows.ordered:
            placed, unit = in_unit(self.scale.place(g))
            sd = unit * float(placed.std(ddof=1)) if len(placed) > 1 else 0.0
            found.append((unit * float(placed.mean()) if len(placed) else float("nan"), sd))
        return tuple(found)

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
        asked, n = self.look.picture, self.summary.moments.n
        peaks = asked == "auto" and MOST_IN_LINE < len(n) <= MOST_AS_ROWS and self._has_two_peaks
        picture, why = chosen_picture(asked, n, peaks, self.dates)
        able = picture if asked != "auto" else self.look.using(picture, self.dates)
        return (picture, why) if able == picture else (able, f"{able}: {' and '.join(self.look.given)} asked for")

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


def checked(made: NumberDistribution) -> NumberDistribution:
    """Return a distribution that can be looked at as was asked.

    Raises
    ------
    OptionError
        A calendar was asked of numbers, bins that cannot be, or a scale on which values or limits have no place.
    """
    look, name, dates = made.look, made.name, made.dates
    if look.calendar is not None and not dates:
        raise OptionError(f"The calendar is for dates, and {name} is none: use bins or width.")
    if look.picture == "bars":
        raise OptionError(f"Bars are for categories; for numbers use {option('picture', 'histogram')}.")
    if dates and look.scale != "linear":
        raise OptionError(f"Dates are shown on the linear scale only, not on {look.scale}.")
    if look.scale != "linear":
        low = float(np.fmin.reduce(made.rows.values, initial=np.inf))
        checked_scale(look.scale, low if np.isfinite(low) else 0.0, name)
        if look.limits is not None:
            checked_scale(look.scale, look.limits[0], "the axis")
    if look.given:
        look.refuse_beyond(made.picture, dates, len(made.groups))
    if look.bins is not None or look.width is not None or look.start is not None:
        made.bins  # noqa: B018 - bins that cannot be are refused at the call
    return made


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
