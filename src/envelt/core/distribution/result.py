"""How a column is distributed, as views and pictures see it; each part is made when it is asked for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..columns.grouping import Groups
from ..finding import Finding
from ..later import Later
from ..shapes.bins import Bins
from ..shapes.calendar import Profile
from ..shapes.density import Density, overlap
from ..shapes.qq import QQ
from ..stats.group_summary import GroupSummary
from ..words import plural
from .column_findings import ColumnShape
from .look import Look, Scale

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

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


def chosen_picture(asked: str, n: NDArray[np.integer], two_peaks: bool = False, dates: bool = False) -> tuple[str, str]:
    """Choose a picture by rows and groups, and say why in one line; what was asked for wins."""
    if asked != "auto":
        return asked, ""
    groups, least = len(n), int(n.min()) if len(n) else 0
    if dates:
        return "histogram", "histogram: dates, by a unit of the calendar"
    if int(n.sum()) <= FEW_DOTS * max(groups, 1) and groups <= MOST_AS_ROWS:
        return "dots", f"dots: with {plural(int(n.sum()), 'row')} every one can be seen"
    if groups == 1:
        return "histogram", f"histogram: {plural(int(n.sum()), 'row')} of one group, too many to see one by one"
    if groups <= MOST_IN_LINE:
        return "histogram", f"histograms in line: {plural(groups, 'group')} on one axis"
    if least < ENOUGH_FOR_BOX or groups > MOST_AS_ROWS:
        why = f"the smallest has {plural(least, 'row')}" if groups <= MOST_AS_ROWS else "too many for boxes"
        return "interval", f"means with intervals: {plural(groups, 'group')}, {why}"
    if two_peaks:
        return "violin", f"violins: {plural(groups, 'group')}, and a box would hide the second peak"
    return "box", f"boxes: {plural(groups, 'group')}, too many for histograms in line"
