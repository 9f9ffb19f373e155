"""An outcome that grows in proportion to a candidate: a total of larger and smaller things, where a rate is asked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.outcome import NumericOutcome, Outcome
from ..columns.table import Column, NumericColumn
from ..columns.times import is_time
from ..finding import Finding, marked
from ..stats.correlation import pearson, pearson_coefficient
from ..stats.sampling import Sampling
from ..words import plural

Floats = NDArray[np.float64]


def size_findings(candidates: list[Column], outcome: Outcome, sampling: Sampling) -> list[Finding]:
    """Say of which candidate the outcome is a multiple, or nearly: both of many sizes, and straight in logarithms.

    Told is the candidate whose logarithm goes with the outcome's most, by `thresholds.SIZE_TOGETHER` or more, along a
    line whose slope says that twice the one is about twice the other (`thresholds.SIZE_SLOPE`, reduced major axis: the
    ratio of the deviations of both logarithms).

    Parameters
    ----------
    candidates
        Columns as long as the outcome.
    sampling
        Of all rows.
    """
    if not isinstance(outcome, NumericOutcome) or not _of_many_sizes(np.where(outcome.known, outcome.values, np.nan)):
        return []
    best: tuple[float, NumericColumn, NDArray[np.bool_], float] | None = None
    y = np.where(outcome.known & (outcome.values > 0), outcome.values, np.nan)
    for c in candidates:
        if not isinstance(c, NumericColumn) or is_time(c.name, c.values[~c.missing]) or not _of_many_sizes(c.values):
            continue
        both = ~np.isnan(y) & (c.values > 0)
        if both.sum() < T.SIZE_ROWS:
            continue
        a, b = np.log(c.values[both]), np.log(y[both])
        r = pearson_coefficient(a, b)
        slope = float(np.std(b) / np.std(a))
        if r >= T.SIZE_TOGETHER and T.SIZE_SLOPE[0] <= slope <= T.SIZE_SLOPE[1] and (best is None or r > best[0]):
            best = r, c, both, slope
    if best is None or best[0] > T.SIZE_MADE:
        return []
    _, c, both, slope = best
    told, _ = pearson(np.log(c.values[both]), np.log(y[both]), sampling.take(both))
    per, name = marked(c.name), marked(outcome.name)
    return [
        Finding(
            "outcome-in-proportion",
            "caution" if told.estimate < T.RATIO_MADE and _counts(c.values[both]) and _counts(y[both]) else "note",
            (c.name, outcome.name),
            f"{name} grows with the size of {per}: twice the one goes with {2**slope:.1f} times the other (their "
            f"logarithms correlate at {told.estimate:.2f}, {told.low:.2f} to {told.high:.2f}, in "
            f"{plural(int(both.sum()), 'row')}). What else goes with {name} may go with size alone.",
            f"Ask whether {name} ÷ {per}, a rate, is what you want to explain; if not, keep {per} in every model, and "
            "take logarithms of both.",
            {"correlation_of_logarithms": list(told), "slope": slope, "rows": int(both.sum())},
        )
    ]


def _counts(values: Floats) -> bool:
    """Say whether amounts are whole: of how many there are, a share of them is asked."""
    return bool((values == np.floor(values)).all())


def _of_many_sizes(values: Floats) -> bool:
    """Say whether amounts are of many sizes, hardly any 0."""
    there = values[~np.isnan(values)]
    if len(there) < T.SIZE_ROWS or there.min() < 0 or (there > 0).mean() < T.SIZE_POSITIVE:
        return False
    low, high = np.quantile(there[there > 0], [0.05, 0.95])
    return bool(high >= T.SIZE_SIZES * low)
