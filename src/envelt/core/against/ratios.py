"""Amounts of which the one for each of the other says more about the outcome than either: a rate beside two totals."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import Column, NumericColumn
from ..columns.times import is_time
from ..estimate import Estimate
from ..finding import Finding, marked
from ..shapes.ranks import ranks_of
from ..stats.correlation import certainty, estimate_of, pearson_coefficient
from ..stats.sampling import Sampling

Floats = NDArray[np.float64]

SCREENED = 3_000
"""Rows on which pairs are looked at before the best of them are on all."""
MOST_AMOUNTS = 80
MOST_TRIED = 20
MOST_SAID = 2


@dataclass(frozen=True)
class _Told:
    of: str
    per: str
    ratio: Estimate
    alone: tuple[float, float]
    rows: int


def ratio_findings(candidates: list[Column], outcome: Outcome, sampling: Sampling) -> list[Finding]:
    """Say of which two amounts the ratio goes with the outcome surely more than each of them does.

    Correlations are Spearman's, on the rows that have both. Told is a ratio that goes with the outcome by
    `thresholds.RATIO_GAINS` more than the better of the two, where Fisher's z of both are so far apart, over the root
    of the sum of their squared errors (they lean the same way, so that it is too large), as by chance in one table of
    a hundred; and only of amounts that grow together (correlation of logarithms over `thresholds.RATIO_TOGETHER`), as
    totals of larger and smaller things do.

    Parameters
    ----------
    candidates
        Columns as long as the outcome.
    sampling
        Of all rows.
    """
    y = outcome.is_event.astype(np.float64) if isinstance(outcome, ClassOutcome) else outcome.values
    known = np.flatnonzero(outcome.known)
    amounts = {c.name: c.values for c in candidates if isinstance(c, NumericColumn) and _is_amount(c)}
    names = list(amounts)[:MOST_AMOUNTS]
    if len(names) < 2 or len(known) < T.RATIO_ROWS:
        return []
    few = known if len(known) <= SCREENED else np.sort(np.random.default_rng(0).choice(known, SCREENED, replace=False))
    tried = _promising([amounts[n][few] for n in names], y[few])
    sure = -float(special.ndtri(T.RATIO_BY_CHANCE / (len(names) * (len(names) - 1))))
    found: list[_Told] = []
    some = sampling.take(known)
    for i, j in tried:
        of, per = names[i], names[j]
        if any(n in (f.of, f.per) for f in found for n in (of, per)):
            continue
        told = _told(of, per, amounts[of][known], amounts[per][known], y[known], some, sure)
        if told is not None:
            found.append(told)
        if len(found) == MOST_SAID:
            break
    return [_said(f, outcome) for f in found]


def _is_amount(c: NumericColumn) -> bool:
    """Say whether a column holds amounts that can be divided: none below 0, hardly any 0, of several sizes."""
    there = c.values[~np.isnan(c.values)]
    if c.kind == "constant" or len(there) < T.RATIO_ROWS or there.min() < 0 or is_time(c.name, there):
        return False
    low, high = np.quantile(there, [0.05, 0.95])
    return bool((there > 0).mean() >= T.RATIO_POSITIVE and high >= T.RATIO_SIZES * low)


def _promising(amounts: list[Floats], y: Floats) -> list[tuple[int, int]]:
    """Return pairs whose ratio seems to go with the outcome by more than either, those that gain most first."""
    with np.errstate(divide="ignore", invalid="ignore"):
        logs = [np.where(v > 0, np.log(v), np.nan) for v in amounts]
    gains = []
    for i, j in combinations(range(len(logs)), 2):
        both = ~np.isnan(logs[i]) & ~np.isnan(logs[j])
        if both.sum() < T.RATIO_ROWS:
            continue
        a, b = logs[i][both], logs[j][both]
        if not pearson_coefficient(a, b) >= T.RATIO_TOGETHER:
            continue
        ranks = ranks_of(y[both])
        alone = max(abs(pearson_coefficient(v, ranks)) for v in (a, b))
        gain = abs(pearson_coefficient(a - b, ranks)) - alone
        if gain >= T.RATIO_GAINS / 2:
            gains.append((-gain, i, j))
    return [(i, j) for _, i, j in sorted(gains)[:MOST_TRIED]]


def _told(of: str, per: str, a: Floats, b: Floats, y: Floats, sampling: Sampling, sure: float) -> _Told | None:
    """Return what a ratio says on all rows that have it, the way round that it rises with the outcome."""
    both = ~np.isnan(a) & ~np.isnan(b) & (a > 0) & (b > 0)
    if both.sum() < T.RATIO_ROWS:
        return None
    ranks, some = ranks_of(y[both]), sampling.take(both)
    first, second, ratio = ranks_of(a[both]), ranks_of(b[both]), ranks_of(a[both] / b[both])
    r, alone = pearson_coefficient(ratio, ranks), [pearson_coefficient(v, ranks) for v in (first, second)]
    best = int(np.argmax(np.abs(alone)))
    gain = abs(r) - abs(alone[best])
    if not gain >= T.RATIO_GAINS or abs(r) > T.RATIO_MADE:  # NaN where a column does not vary there
        return None
    own = certainty(r, ratio, ranks, some, "spearman")
    other = certainty(alone[best], (first, second)[best], ranks, some, "spearman")
    if not math.atanh(abs(r)) - math.atanh(abs(alone[best])) >= sure * math.hypot(own.se, other.se):
        return None
    told, n = estimate_of(abs(r), own), int(both.sum())  # b ÷ a has the ranks of a ÷ b turned round
    return _Told(of, per, told, (alone[0], alone[1]), n) if r > 0 else _Told(per, of, told, (alone[1], alone[0]), n)


def _said(f: _Told, outcome: Outcome) -> Finding:
    what = f"{outcome.event!r} of {marked(outcome.name)}" if isinstance(outcome, ClassOutcome) else marked(outcome.name)
    return Finding(
        "together-as-ratio",
        "note",
        (f.of, f.per, outcome.name),
        f"{marked(f.of)} ÷ {marked(f.per)} goes with {what} at {f.ratio.estimate:+.2f} ({f.ratio.low:+.2f} to "
        f"{f.ratio.high:+.2f}, Spearman); {marked(f.of)} alone at {f.alone[0]:+.2f}, {marked(f.per)} alone at "
        f"{f.alone[1]:+.2f}.",
        "What counts is how much of the one there is for each of the other: make a column of it, and look at that.",
        {"ratio": list(f.ratio), "alone": list(f.alone), "rows": f.rows},
    )
