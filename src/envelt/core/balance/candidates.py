"""Whether the candidates are the same over time: what was learned of early rows need not hold of late ones."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import short_label
from ..columns.table import CategoryColumn, Column, NumericColumn
from ..columns.times import counts_on, is_time
from ..finding import Finding, marked
from ..magnitude import spread_of
from ..stats.crossing import Crossing
from ..stats.groups import GroupedRows
from ..stats.sampling import Sampling
from ..words import plural
from .drift import over_time, stretches

Floats = NDArray[np.float64]
Codes = NDArray[np.integer]

MOST_NAMED = 4
SCREENED = 20_000
"""Rows on which all candidates are looked at first."""


class _Shift(NamedTuple):
    """A candidate that is not the same in two stretches of time: how far apart, and what it is there."""

    name: str
    size: float
    what: str
    first: int
    last: int
    ends: tuple[str, str]


def candidate_drift(columns: list[Column], sampling: Sampling) -> list[Finding]:
    """Find candidates that drift over the first column of times, by much: of all of them one finding.

    Means of a number must lie 0.8 of its deviation apart, or the share of some level 30 points.

    Parameters
    ----------
    columns
        The candidates.
    sampling
        Of their rows.
    """
    times = over_time(columns)
    if not times:
        return []
    time = times[0]
    _, bins, called = stretches(time, np.ones(len(time), bool))
    codes, size, n = bins.codes, len(bins.ends), len(time)
    moving = [c for c in columns if c is not time]
    if n > SCREENED:  # what shifts by much shows on few rows, drawn at random: months may come round in the file
        at = np.sort(np.random.default_rng(0).choice(n, SCREENED, replace=False))
        few = sampling.take(at)
        moving = [c for c in moving if _shift(c.take(at), codes[at], size, few) is not None]
    shifts = [s for c in moving if (s := _shift(c, codes, size, sampling)) is not None]
    if not shifts:
        return []
    shifts.sort(key=lambda s: -s.size)
    told = "; ".join(
        f"{marked(s.name)} ({s.what}{s.ends[0]} in {called(s.first)}, {s.ends[1]} in {called(s.last)})"
        for s in shifts[:MOST_NAMED]
    )
    more = f"; and {len(shifts) - MOST_NAMED} more" if len(shifts) > MOST_NAMED else ""
    return [
        Finding(
            "candidates-drift",
            "note",
            (*(s.name for s in shifts), time.name),
            f"{plural(len(shifts), 'candidate')} {'is' if len(shifts) == 1 else 'are'} not the same over "
            f"{marked(time.name)}: {told}{more}.",
            "Test a model on later rows than it was fitted on: what only tells the time will not hold.",
            {"size": {s.name: s.size for s in shifts}},
        )
    ]


def _shift(c: Column, codes: Codes, size: int, sampling: Sampling) -> _Shift | None:
    """Return how far a column shifts between stretches, where that is far and sure."""
    use = (codes >= 0) & ~c.missing
    there = np.flatnonzero(np.bincount(codes[use], minlength=size) >= T.SPREAD_ROWS)
    if len(there) < 2:
        return None
    place = np.full(size, -1)
    place[there] = np.arange(len(there))
    use[use] = place[codes[use]] >= 0
    at, some = place[codes[use]], sampling.take(use)
    if isinstance(c, NumericColumn):
        return _of_number(c, c.values[use], at, there, some)
    if isinstance(c, CategoryColumn) and c.kind in ("binary", "nominal", "ordinal") and c.distinct <= T.TELLER_LEVELS:
        return _of_levels(c, at, c.codes[use].astype(np.int64), there, some)
    return None


def _of_number(c: NumericColumn, x: Floats, at: Codes, there: NDArray[np.intp], sampling: Sampling) -> _Shift | None:
    if counts_on(c.name, c.values) or is_time(c.name, x):
        return None
    groups = GroupedRows(x, at, tuple(str(k) for k in range(len(there))), sampling)
    mean, spread = groups.summary.moments.mean, spread_of(x)
    low, high = int(np.argmin(mean)), int(np.argmax(mean))
    if not spread > 0 or mean[high] - mean[low] < T.SHIFT_SD * spread:
        return None
    test = groups.tests.get("welch_anova", groups.tests.get("welch_t"))
    if test is None or not test.p < T.DRIFT_P:
        return None
    first, last = sorted((low, high))
    ends = short_label(float(f"{mean[first]:.3g}")), short_label(float(f"{mean[last]:.3g}"))
    return _Shift(c.name, float((mean[high] - mean[low]) / spread), "mean ", int(there[first]), int(there[last]), ends)


def _of_levels(
    c: CategoryColumn, at: Codes, levels: Codes, there: NDArray[np.intp], sampling: Sampling
) -> _Shift | None:
    table = Crossing.of(at, levels, (len(there), len(c.levels)), sampling)
    share = table.counts / table.counts.sum(axis=1, keepdims=True)
    level = int(np.argmax(share.max(axis=0) - share.min(axis=0)))
    of = share[:, level]
    if np.minimum(of, 1 - of).max() < T.LEAST_POINTS:
        return None  # times cut in two, and no drift
    if of.max() - of.min() < T.SHIFT_SHARE or not table.chi_square().p < T.DRIFT_P:
        return None
    first, last = sorted((int(np.argmin(of)), int(np.argmax(of))))
    ends = f"{of[first]:.0%}", f"{of[last]:.0%}"
    # 0.8 of a deviation as 30 points: so that numbers and levels stand in one order
    size = float(of.max() - of.min()) * T.SHIFT_SD / T.SHIFT_SHARE
    return _Shift(c.name, size, f"{c.levels[level]!r} ", int(there[first]), int(there[last]), ends)
