"""A difference over all rows beside the one within groups of rows, pooled over the groups.

Each is given with the chance that the two differ no more than they would if the groups did not matter: from the rows'
influence on both, so that what the two share counts once. Where the groups have nothing to do with either side, nor
with the outcome, that chance is told too large, never too small: both distances from nothing are then noise, and their
product is smaller than its first order.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..estimate import UNDEFINED, UNDEFINED_TEST, Z95, Estimate, Significance
from ..magnitude import in_unit
from ..tallies.moments import Moments
from .clustered import unit_variance
from .proportions import odds_ratio, risk_difference
from .two_groups import welch_t

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
Units = Codes | None


@dataclass(frozen=True)
class Stratified:
    """A difference over all rows and within groups.

    Parameters
    ----------
    crude
        Over all rows that have a group.
    pooled
        Within groups, one estimate for all of them.
    agreement
        Whether the groups differ from it more than by chance: Breslow–Day with Tarone's correction for odds, Cochran's
        Q for others; not given where rows come in units.
    change
        z and p of the distance between crude and pooled.
    groups
        How many groups hold something on both sides.
    apart
        From the smallest to the largest difference of a group with ten rows a side (of slopes in all): rates, means or
        slopes.
    """

    crude: Estimate
    pooled: Estimate
    agreement: Significance
    change: Significance
    groups: int
    apart: float = 0.0


def stratified_odds(cells: NDArray[np.int64], at: Codes | None = None, units: Units = None) -> dict[str, Stratified]:
    """Return odds ratio and risk difference of the second side against the first, over all rows and within groups.

    Parameters
    ----------
    cells
        Counts of shape (groups, 2, 2): side by no event and event.
    at, units
        The place of each row in ``cells.ravel()`` and its unit, shape (n,); variances then are of sums over units.

    References
    ----------
    Mantel & Haenszel (1959), J Natl Cancer Inst 22, 719–748; variances: Robins, Breslow & Greenland (1986), Biometrics
    42, 311–323, and Greenland & Robins (1985), Biometrics 41, 55–68; agreement: Breslow & Day (1980), eq. 4.30, with
    Tarone (1985), Biometrika 72, 91–95.
    """
    whole = cells.sum(axis=0).astype(float)
    both = cells.sum(axis=2).min(axis=1) > 0
    args = (whole[0, 1], whole[0].sum(), whole[1, 1], whole[1].sum())
    used = cells[both].astype(float)
    groups = int(both.sum())
    if groups == 0:
        empty = Stratified(UNDEFINED, UNDEFINED, UNDEFINED_TEST, UNDEFINED_TEST, 0)
        return {"odds_ratio": empty, "risk_difference": empty}
    log_odds, odds_variance, odds_influence = _pooled_log_odds(used)
    risk, risk_variance, risk_influence = _pooled_risk(used)
    out = {}
    for effect, crude, value, variance, some in (
        ("odds_ratio", odds_ratio(*args), log_odds, odds_variance, odds_influence),
        ("risk_difference", risk_difference(*args), risk, risk_variance, risk_influence),
    ):
        influence = np.zeros(cells.shape)
        influence[both] = some
        of_crude = _crude_influence(whole, effect)
        if at is not None and units is not None:
            variance = unit_variance(units, influence.ravel()[at])
            crude = _of_units(crude, effect, unit_variance(units, np.tile(of_crude, (len(cells), 1, 1)).ravel()[at]))
            spread = unit_variance(units, (of_crude[None] - influence).ravel()[at])
        else:
            spread = float(np.sum(cells * (of_crude[None] - influence) ** 2))
        odds = effect == "odds_ratio"
        agreement = UNDEFINED_TEST if units is not None else _breslow_day(used, np.exp(value)) if odds else _agree(used)
        distance = (np.log(crude.estimate) if odds and crude.estimate > 0 else crude.estimate) - value
        change = _z_test(float(distance), spread, variance)
        out[effect] = Stratified(crude, _interval(value, variance, odds), agreement, change, groups, _rates_apart(used))
    return out


def _rates_apart(cells: Floats) -> float:
    """Return from the smallest to the largest risk difference of groups that can be read."""
    n = cells.sum(axis=2)
    rate = cells[:, :, 1] / n
    return _reach((rate[:, 1] - rate[:, 0])[n.min(axis=1) >= T.FEW_ROWS])


def _reach(values: Floats) -> float:
    return float(values.max() - values.min()) if len(values) else 0.0


def _interval(value: float, variance: float, logged: bool) -> Estimate:
    """Return an estimate with its 95 % interval, off the log scale where it is on it."""
    if not (np.isfinite(value) and np.isfinite(variance)):
        return UNDEFINED
    ends = value + np.array([0.0, -Z95, Z95]) * np.sqrt(variance)
    point, low, high = np.exp(ends) if logged else ends
    return Estimate(float(point), float(low), float(high))


def _z_test(distance: float, variance: float, of_pooled: float) -> Significance:
    """Test a distance; where it varies only as rounding does beside the pooled estimate there is none."""
    if not (variance > 1e-20 * of_pooled and np.isfinite(distance)):
        return UNDEFINED_TEST
    z = distance / np.sqrt(variance)
    return Significance(float(z), float(2 * special.ndtr(-abs(z))))


def _of_units(crude: Estimate, effect: str, variance: float) -> Estimate:
    """Return the crude estimate with the interval that counts units."""
    odds = effect == "odds_ratio"
    if not crude.estimate > 0 and odds:
        return crude
    return _interval(float(np.log(crude.estimate)) if odds else crude.estimate, variance, odds)


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


def _pooled_risk(cells: Floats) -> tuple[float, float, Floats]:
    """Return the Mantel–Haenszel risk difference, its variance, and the influence of a row in each cell."""
    n0, n1 = cells[:, 0].sum(axis=1), cells[:, 1].sum(axis=1)
    c, a = cells[:, 0, 1], cells[:, 1, 1]
    n = n0 + n1
    weight, top = n0 * n1 / n, (a * n0 - c * n1) / n
    total = float(weight.sum())
    risk = float(top.sum()) / total
    variance = np.sum((a * (n1 - a) * n0**3 + c * (n0 - c) * n1**3) / (n0 * n1 * n**2)) / total**2
    influence = np.empty(cells.shape)
    for event in (0, 1):
        influence[:, 1, event] = (event * n0 - c) / n - top / n - risk * (n0 - weight) / n
        influence[:, 0, event] = (a - event * n1) / n - top / n - risk * (n1 - weight) / n
    return risk, float(variance), influence / total


def _crude_influence(whole: Floats, effect: str) -> Floats:
    """Return the influence of a row in each cell of one table, shape (2, 2)."""
    sign = np.array([[1.0, -1.0], [-1.0, 1.0]])
    if effect == "odds_ratio":
        return np.asarray(sign / (whole + 0.5 * bool((whole == 0).any())))
    n = whole.sum(axis=1, keepdims=True)
    rate = whole[:, 1:] / n
    return np.asarray((np.array([[0.0, 1.0]]) - rate) / n * np.array([[-1.0], [1.0]]))


def _breslow_day(cells: Floats, odds: float) -> Significance:
    """Breslow & Day's test that all groups have one odds ratio, with Tarone's correction."""
    n0, n1, events = cells[:, 0].sum(axis=1), cells[:, 1].sum(axis=1), cells[:, :, 1].sum(axis=1)
    informative = (events > 0) & (events < n0 + n1)
    if informative.sum() < 2 or not np.isfinite(odds):
        return UNDEFINED_TEST
    n0, n1, events, a = n0[informative], n1[informative], events[informative], cells[informative, 1, 1]
    # A (n0 − m + A) = odds (n1 − A)(m − A): the root that keeps its digits for either sign
    half = n0 - events + odds * (n1 + events)
    root = np.sqrt(np.maximum(half**2 + 4 * (1 - odds) * odds * n1 * events, 0.0))
    with np.errstate(divide="ignore", invalid="ignore"):
        expected = np.where(half > 0, 2 * odds * n1 * events / (half + root), (root - half) / (2 * (1 - odds)))
        parts = np.stack([expected, n1 - expected, events - expected, n0 - events + expected])
        variance = 1 / np.sum(1 / parts, axis=0)
    away = a - expected
    statistic = float(np.sum(away**2 / variance) - np.sum(away) ** 2 / np.sum(variance))
    return Significance(statistic, float(special.chdtrc(len(a) - 1, max(statistic, 0.0))))


def _agree(cells: Floats) -> Significance:
    """Cochran's Q of risk differences; half a row is added to groups where one side has a rate of 0 or 1."""
    n, x = cells.sum(axis=2), cells[:, :, 1]
    edge = ((x == 0) | (x == n)).any(axis=1, keepdims=True)
    n, x = n + edge, x + 0.5 * edge
    rate = x / n
    return cochran_q(rate[:, 1] - rate[:, 0], (rate * (1 - rate) / n).sum(axis=1))


def cochran_q(difference: Floats, variance: Floats) -> Significance:
    """Cochran's Q (1954, Biometrics 10, 101–129): whether differences of known variance are one."""
    known = variance > 0
    if known.sum() < 2:
        return UNDEFINED_TEST
    weight = 1 / variance[known]
    mean = np.sum(weight * difference[known]) / np.sum(weight)
    q = float(np.sum(weight * (difference[known] - mean) ** 2))
    return Significance(q, float(special.chdtrc(int(known.sum()) - 1, q)))


def stratified_means(y: Floats, side: Codes, group: Codes, units: Units = None) -> Stratified:
    """Return the difference of means of the second side against the first, over all rows and within groups.

    The groups' differences are weighted by their inverse variances. A side of under ten rows in a group takes the
    variance common to all sides and groups: its own cannot be known.

    Parameters
    ----------
    y, side, group, units
        Of the rows, shape (n,): the value, 0 or 1, the group, the unit; none missing.
    """
    if len(y) == 0:
        return Stratified(UNDEFINED, UNDEFINED, UNDEFINED_TEST, UNDEFINED_TEST, 0)
    y, scale = in_unit(y - y[0])
    size = int(group.max()) + 1
    cell = side * size + group
    n = np.bincount(cell, minlength=2 * size).astype(float).reshape(2, size)
    mean = (np.bincount(cell, weights=y, minlength=2 * size) / np.maximum(n.ravel(), 1)).reshape(2, size)
    away = y - mean.ravel()[cell]
    squares = np.bincount(cell, weights=away**2, minlength=2 * size).reshape(2, size)
    freedom = np.maximum(n - 1, 0)
    common = squares.sum() / max(float(freedom.sum()), 1.0)
    variance = np.where(n >= T.FEW_ROWS, squares / np.maximum(freedom, 1), common)
    both = n.min(axis=0) > 0
    of_group = (variance / np.maximum(n, 1)).sum(axis=0)
    usable = both & (of_group > 0)
    whole = np.bincount(side, minlength=2)
    moments = Moments(2)
    moments.add(y, side)
    crude = welch_t(moments.finish())[1]
    if not usable.any() or np.isnan(crude.low):
        return Stratified(_scaled(crude, scale), UNDEFINED, UNDEFINED_TEST, UNDEFINED_TEST, int(both.sum()))
    weight = np.where(usable, 1 / np.where(usable, of_group, 1.0), 0.0)
    weight /= weight.sum()
    difference = mean[1] - mean[0]
    pooled = float(np.sum(weight * difference))
    sign = np.array([-1.0, 1.0])[side]
    mean_of_side = np.bincount(side, weights=y, minlength=2) / whole
    influence = sign * weight[group] * away / n.ravel()[cell]
    of_crude = sign * (y - mean_of_side[side]) / whole[side]
    agreement = cochran_q(difference[usable], of_group[usable])
    known = float(np.sum((weight**2 * of_group)[usable]))
    apart = _reach(difference[usable & (n.min(axis=0) >= T.FEW_ROWS)])
    return _stratified(crude, pooled, known, agreement, (of_crude, influence), units, int(both.sum()), apart, scale)


def stratified_slope(x: Floats, y: Floats, group: Codes, units: Units = None) -> Stratified:
    """Return the slope of the least-squares line of y on x, over all rows and within groups.

    Variances are White's (1980, Econometrica 48, 817–838); the groups' slopes are weighted by their inverse
    variances as of even residuals, those of a group of under ten rows being taken from all groups.

    Parameters
    ----------
    x, y, group, units
        Of the rows, shape (n,), none missing.
    """
    if len(y) < T.FEW_ROWS:
        return Stratified(UNDEFINED, UNDEFINED, UNDEFINED_TEST, UNDEFINED_TEST, 0)
    (x, of_x), (y, of_y) = in_unit(x - x[0]), in_unit(y - y[0])
    scale = of_y / of_x
    size = int(group.max()) + 1
    n = np.bincount(group, minlength=size).astype(float)

    def centred(v: Floats) -> Floats:
        return np.asarray(v - (np.bincount(group, weights=v, minlength=size) / np.maximum(n, 1))[group])

    dx, dy = centred(x), centred(y)
    sxx, sxy = (np.bincount(group, weights=dx * d, minlength=size) for d in (dx, dy))
    usable = (n > 2) & (sxx > 0)
    all_x = x - x.mean()
    whole = float(np.sum(all_x**2))
    if not usable.any() or whole <= 0:
        return Stratified(UNDEFINED, UNDEFINED, UNDEFINED_TEST, UNDEFINED_TEST, int(usable.sum()))
    slope = np.where(usable, sxy / np.where(usable, sxx, 1.0), 0.0)
    left = dy - slope[group] * dx
    squares = np.bincount(group, weights=left**2, minlength=size)
    freedom = np.maximum(n - 2, 1)
    common = squares[usable].sum() / freedom[usable].sum()
    residual = np.where(n >= T.FEW_ROWS, squares / freedom, common)
    variance = residual / np.where(usable, sxx, 1.0)
    usable &= variance > 0
    if not usable.any():
        return Stratified(UNDEFINED, UNDEFINED, UNDEFINED_TEST, UNDEFINED_TEST, 0)
    weight = np.where(usable, 1 / np.where(usable, variance, 1.0), 0.0)
    weight /= weight.sum()
    pooled = float(np.sum(weight * slope))
    crude = float(np.sum(all_x * (y - y.mean()))) / whole
    rest = y - y.mean() - crude * all_x
    of_crude = all_x * rest / whole
    influence = weight[group] * dx * left / np.where(usable, sxx, 1.0)[group]
    larger = len(y) / (len(y) - 2)
    estimate = _interval(crude, larger * float(np.sum(of_crude**2)), False)
    known = larger * float(np.sum(influence**2))
    agreement = cochran_q(slope[usable], variance[usable])
    apart = _reach(slope[usable & (n >= T.FEW_ROWS)])
    return _stratified(
        estimate, pooled, known, agreement, (of_crude, influence), units, int(usable.sum()), apart, scale
    )


def _stratified(
    crude: Estimate,
    pooled: float,
    variance: float,
    agreement: Significance,
    influence: tuple[Floats, Floats],
    units: Units,
    groups: int,
    apart: float,
    scale: float,
) -> Stratified:
    """Put a difference together, its variances of sums over units where rows come in them."""
    of_crude, of_pooled = influence
    spread = float(np.sum((of_crude - of_pooled) ** 2))
    if units is not None:
        crude = _interval(crude.estimate, unit_variance(units, of_crude), False)
        variance, spread = unit_variance(units, of_pooled), unit_variance(units, of_crude - of_pooled)
        agreement = UNDEFINED_TEST
    change = _z_test(crude.estimate - pooled, spread, variance)
    return Stratified(
        _scaled(crude, scale),
        _scaled(_interval(pooled, variance, False), scale),
        agreement,
        change,
        groups,
        scale * apart,
    )


def _scaled(e: Estimate, scale: float) -> Estimate:
    return Estimate(*(scale * v for v in e))
