"""The odds ratio and the risk difference of two sides, over all rows and pooled within groups."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..estimate import UNDEFINED_TEST, Significance
from .crossing import Crossing
from .of_units.pairs import UnitsByLevels
from .of_units.spread import spread_of
from .sampling import Sampling
from .stratified import NOTHING, Stratified, interval_of, tested, unbiased_totals, units_in
from .within_groups import stratified_risk

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
SIGN = np.array([[1.0, -1.0], [-1.0, 1.0]])


def stratified_rates(cells: Codes, at: Codes, sampling: Sampling) -> dict[str, Stratified]:
    """Return odds ratio and risk difference of the second side against the first, over all rows and within groups.

    Parameters
    ----------
    cells
        Counts of shape (groups, 2, 2): side by no event and event.
    at
        The place of each row in ``cells.ravel()``, shape (n,); needed over units.
    sampling
        Of the rows; over units variances are the jackknife's, which leaves out a unit at a time.

    References
    ----------
    Mantel & Haenszel (1959), J Natl Cancer Inst 22, 719–748; the variance of the odds ratio: Robins, Breslow &
    Greenland (1986), Biometrics 42, 311–323; of the risk difference: see `stratified_risk`; agreement: Breslow & Day
    (1980), eq. 4.30, with Tarone (1985), Biometrika 72, 91–95, and over units the squared distances of that test by
    units, see `of_units.spread`.
    """
    both = cells.sum(axis=2).min(axis=1) > 0
    if not both.any():
        return {"odds_ratio": NOTHING, "risk_difference": NOTHING}
    crude = Crossing.of(at // 2 % 2, at % 2, (2, 2), sampling, cells.sum(axis=0)).two_by_two()
    risk = stratified_risk(cells, at, sampling, crude["risk_difference"])
    used = cells[both].astype(float)
    value, variance, some = _pooled_log_odds(used)
    whole = cells.sum(axis=0).astype(float)
    if sampling.clustered:
        of_pooled, of_crude = _without_each_unit(cells, at, sampling)
        variance, spread = float(np.sum(of_pooled**2)), float(np.sum((of_crude - of_pooled) ** 2))
    else:
        influence = np.zeros(cells.shape)
        influence[both] = some
        apart = SIGN / (whole + 0.5 * bool((whole == 0).any())) - influence
        spread = float(np.sum(cells * apart**2))
    odds = crude["odds_ratio"]
    distance = (np.log(odds.estimate) if odds.estimate > 0 else np.nan) - value
    pooled = interval_of(value, variance, sampling.quantile, True)
    agreement = _odds_agree(cells, float(np.exp(value)), at, sampling)
    change = tested(float(distance), spread, variance, sampling)
    return {
        "odds_ratio": Stratified(odds, pooled, agreement, change, int(both.sum()), risk.apart),
        "risk_difference": risk,
    }


def _pooled_log_odds(cells: Floats) -> tuple[float, float, Floats]:
    """Return the Mantel–Haenszel log odds ratio, its variance, and the influence of a row in each cell."""
    d, c, b, a = cells[:, 0, 0], cells[:, 0, 1], cells[:, 1, 0], cells[:, 1, 1]
    n = cells.sum(axis=(1, 2))
    r, s = a * d / n, b * c / n
    big_r, big_s = float(r.sum()), float(s.sum())
    if min(big_r, big_s) <= 0:
        return np.nan, np.nan, np.zeros(cells.shape)
    p, q = (a + d) / n, (b + c) / n
    variance = (
        np.sum(p * r) / (2 * big_r**2) + np.sum(p * s + q * r) / (2 * big_r * big_s) + np.sum(q * s) / (2 * big_s**2)
    )
    odds = big_r / big_s
    left = (r - odds * s) / n
    influence = np.empty(cells.shape)
    influence[:, 1, 1] = d / n - left
    influence[:, 0, 0] = a / n - left
    influence[:, 1, 0] = -odds * c / n - left
    influence[:, 0, 1] = -odds * b / n - left
    return float(np.log(odds)), float(variance), influence / big_r


def _without_each_unit(cells: Codes, at: Codes, sampling: Sampling) -> tuple[Floats, Floats]:
    """Return what each unit adds to the pooled and the crude log odds ratio; squares sum to their variances.

    sqrt((U − 1) / U) times the distance of the estimate without the unit from the mean of these (Efron & Stein 1981,
    Annals of Statistics 9, 586–596).
    """
    assert sampling.units is not None
    pairs = UnitsByLevels.of(sampling.units, at // 4, (sampling.cases, len(cells)))
    own = np.bincount(pairs.at * 4 + at % 4, minlength=4 * len(pairs.n)).reshape(-1, 2, 2).astype(float)
    full = cells.astype(float)
    r, s = _products(full)
    left = _products(full[pairs.level] - own)
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = [v.sum() - pairs.of_units(v[pairs.level] - w) for v, w in zip((r, s), left, strict=True)]
        pooled = np.log(ratio[0]) - np.log(ratio[1])
        of_unit = np.bincount(sampling.units * 4 + at % 4, minlength=4 * sampling.cases).reshape(-1, 2, 2)
        rest = full.sum(axis=0) - of_unit
        crude = np.sum(SIGN * np.log(rest), axis=(1, 2))
    scale = np.sqrt((sampling.cases - 1) / max(sampling.cases, 1))
    pooled, crude = (v if np.isfinite(v).all() else np.full(len(v), np.nan) for v in (pooled, crude))
    return scale * (pooled - pooled.mean()), scale * (crude - crude.mean())


def _products(cells: Floats) -> tuple[Floats, Floats]:
    """Return a d / n and b c / n of each table, 0 where there is no row."""
    n = np.maximum(cells.sum(axis=(1, 2)), 1)
    return cells[:, 1, 1] * cells[:, 0, 0] / n, cells[:, 1, 0] * cells[:, 0, 1] / n


def _odds_agree(cells: NDArray[np.int64], odds: float, at: Codes, sampling: Sampling) -> Significance:
    """Return Breslow & Day's test that all groups have one odds ratio, with Tarone's correction.

    Of groups of eight rows or more in which it expects three rows or more in each cell: of smaller ones chi-square is
    not the distribution of what it sums.
    """
    n0, n1, events = cells[:, 0].sum(axis=1), cells[:, 1].sum(axis=1), cells[:, :, 1].sum(axis=1)
    can = (np.minimum(n0, n1) > 0) & (events > 0) & (events < n0 + n1) & (n0 + n1 >= T.AGREE_ROWS)
    if can.sum() < 2 or not np.isfinite(odds):
        return UNDEFINED_TEST
    n0, n1, events = (v.astype(float) for v in (n0, n1, events))
    # A (n0 − m + A) = odds (n1 − A)(m − A): the root that keeps its digits for either sign
    half = n0 - events + odds * (n1 + events)
    root = np.sqrt(np.maximum(half**2 + 4 * (1 - odds) * odds * n1 * events, 0.0))
    with np.errstate(divide="ignore", invalid="ignore"):
        expected = np.where(half > 0, 2 * odds * n1 * events / (half + root), (root - half) / (2 * (1 - odds)))
        parts = np.stack([expected, n1 - expected, events - expected, n0 - events + expected])
        variance = 1 / np.sum(1 / parts, axis=0)
    can &= np.nan_to_num(parts.min(axis=0)) >= T.AGREE_EXPECTED
    if can.sum() < 2:
        return UNDEFINED_TEST
    away = np.where(can, cells[:, 1, 1] - expected, 0.0)
    variance = np.where(can, variance, 0.0)
    statistic = float(np.sum(away[can] ** 2 / variance[can]) - np.sum(away) ** 2 / np.sum(variance))
    if not sampling.clustered:
        return Significance(statistic, float(special.chdtrc(int(can.sum()) - 1, max(statistic, 0.0))))
    # a row's part of its group's distance: its residual, times its side less the share that the first side weighs
    safe = np.maximum(np.stack([n0, n1]), 1)
    rate = np.stack([events - expected, expected]) / safe
    weigh = np.stack([n0, n1]) * rate * (1 - rate)
    share = np.divide(weigh[0], weigh.sum(axis=0), out=np.zeros(len(can)), where=weigh.sum(axis=0) > 0)
    of_side = np.stack([share - 1, share], axis=1)
    row_part = of_side[:, :, None] * (np.array([0.0, 1.0]) - rate.T[:, :, None])
    return _agreement(row_part, variance, can, at, sampling, statistic)


def _agreement(
    row_part: Floats, variance: Floats, can: NDArray[np.bool_], at: Codes, sampling: Sampling, statistic: float
) -> Significance:
    """Test by units that distances of groups are one: row parts of shape (groups, 2, 2), variances of the groups."""
    group = at // 4
    can = can & (units_in(group, len(can), sampling) >= T.AGREE_UNITS)
    keep = can[group]
    some = sampling.take(keep)
    if some.units is None or can.sum() < 2:
        return UNDEFINED_TEST
    variance = np.where(can, variance, 0.0)
    part = row_part.ravel()[at[keep]]
    pairs = UnitsByLevels.of(some.units, group[keep], (some.cases, len(can)))
    total = unbiased_totals(pairs, part)
    inside = pairs.matrix(total / np.sqrt(variance[pairs.level]))
    of_unit = np.bincount(pairs.unit, weights=total, minlength=some.cases)[:, None] / np.sqrt(variance.sum())
    return Significance(statistic, spread_of([(1.0, inside), (-1.0, of_unit)], int(can.sum()) - 1).test.p)
