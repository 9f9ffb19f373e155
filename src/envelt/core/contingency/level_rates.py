"""The outcome at each level of an axis: rates of the event, or means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.axes import AxisLevels, TableAxis
from ..columns.grouping import OneOfGroups
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..estimate import Significance
from ..stats.crossing import Crossing
from ..stats.groups import GroupedRows
from ..stats.rates import Rates, rates_of
from ..stats.sampling import Sampling
from ..stats.shrinkage import shrunken_levels

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class OutcomeRates:
    """The outcome at each level of the rows.

    Parameters
    ----------
    n
        Rows with an outcome.
    rates
        Of the event, for two classes; ``shrunken`` is drawn towards all rows as far as n asks for.
    class_shares
        For more classes: shape (levels, classes).
    mean, low, high
        For a numeric outcome.
    along
        How the rates differ from level to level.
    """

    n: Ints
    shrunken: Floats
    rates: Rates | None = None
    class_shares: Floats | None = None
    mean: tuple[Floats, Floats, Floats] | None = None
    along: RateSteps | None = None


@dataclass(frozen=True)
class RateSteps:
    """How the event's rate differs from level to level.

    Parameters
    ----------
    differs
        Chi-square that it does not.
    step
        The level, among those that have rows, after which it jumps, where one jump says nearly all; else nothing.
    """

    differs: Significance
    step: int | None


def along_levels(table: Crossing, ordered: bool) -> RateSteps:
    """Return how the rate of the second column differs between rows; of ordered ones, whether it jumps once.

    One step says nearly all where the best of them has nine tenths of chi-square, and a straight line along the levels
    surely misses some of it.
    """
    whole = table.chi_square()
    counts = table.counts[table.counts.sum(axis=1) > 0]
    if not ordered or len(counts) < 4 or not whole.p < T.GROUP_P:
        return RateSteps(whole, None)
    n = float(counts.sum())
    below = np.cumsum(counts, axis=0)[:-1]
    rest = counts.sum(axis=0) - below
    rate = counts[:, 1].sum() / n
    # chi-square of two rows and two columns: n (difference of rates)² · shares of rows over p (1 − p)
    apart = below[:, 1] / below.sum(axis=1) - rest[:, 1] / rest.sum(axis=1)
    splits = apart**2 * below.sum(axis=1) * rest.sum(axis=1) / (n * rate * (1 - rate))
    k = int(np.argmax(splits))
    plain = float(splits[k]) >= T.STEP_SHARE_OF_CHI * whole.statistic
    return RateSteps(whole, k if plain and table.not_on_a_line().p < T.GROUP_P else None)


def outcome_rates(
    rows: TableAxis, outcome: Outcome, weight: Ints | None, sampling: Sampling, part: OneOfGroups | None
) -> OutcomeRates:
    """Return the outcome at each level of the rows of a part; fields as in `CrossTable`."""
    inside = outcome.known & (rows.codes >= 0)
    inside = inside if part is None else inside & part.keep
    codes = rows.codes[inside].astype(np.int64)
    w, some = None if weight is None else weight[inside], sampling.take(inside)
    if isinstance(outcome, ClassOutcome):
        return _class_rates(codes, outcome, outcome.codes[inside], rows.axis, w, some)
    assert isinstance(outcome, NumericOutcome)
    values = outcome.values[inside]
    if w is not None:
        values, codes, some = np.repeat(values, w), np.repeat(codes, w), some.repeated(w)
    groups = GroupedRows(values, codes, rows.axis.labels, some)
    m = groups.summary.moments
    base = float(values.mean()) if len(values) else np.nan
    shrunken = shrunken_levels(m.n, m.mean, base, m.within_sd, groups.design_effect)
    return OutcomeRates(m.n, shrunken, mean=(m.mean, *groups.summary.mean_interval))


def _class_rates(
    codes: Ints,
    outcome: ClassOutcome,
    classes: NDArray[np.integer],
    axis: AxisLevels,
    weight: Ints | None,
    sampling: Sampling,
) -> OutcomeRates:
    k, size = len(outcome.levels), len(axis.levels)
    counted = np.bincount(codes * k + classes, weights=weight, minlength=size * k)
    table = np.rint(counted).astype(np.int64).reshape(size, k)
    n, events = table.sum(axis=1), table[:, outcome.event_code]
    hit = classes == outcome.event_code
    rates = rates_of(n, events, codes, hit, sampling)
    base = float(events.sum()) / max(int(n.sum()), 1)
    crossed = Crossing.of(codes, hit.astype(np.int8), (size, 2), sampling, np.stack([n - events, events], axis=1))
    shrunken = shrunken_levels(n, rates.rate, base, np.sqrt(base * (1 - base)), crossed.design_effect)
    along = along_levels(crossed, axis.ordered)
    if k == 2:
        return OutcomeRates(n, shrunken, rates, along=along)
    shares = np.divide(table, n[:, None], out=np.full(table.shape, np.nan), where=n[:, None] > 0)
    return OutcomeRates(n, shrunken, rates, class_shares=shares, along=along)
