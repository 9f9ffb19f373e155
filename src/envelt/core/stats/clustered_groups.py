"""Comparisons of groups and tables when rows come in units: same estimates, honest intervals and tests.

Variances are of sums over units (the sandwich); statistics that are quadratic forms are divided by their
design effect, see `clustered`.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ..later import Later
from ..magnitude import in_unit
from ..shapes.ranks import average_ranks_in
from . import tables as ct
from .clustered import group_design_effect, rate_design_effects, table_design_effect, unit_codes, unit_variance
from .correlation import ranks
from .groups import GroupComparison, GroupSummary
from .many_groups import explained_interval
from .proportions import odds_ratio, risk_difference, risk_ratio, wilson
from .rates import Rates
from .two_groups import two_sided_t

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


def clustered_summary(summary: GroupSummary, values: Floats, codes: NDArray[np.integer], units: Codes) -> GroupSummary:
    """Return a summary whose intervals of means count units: the sandwich variance, Student's t of units − 1.

    Parameters
    ----------
    summary
        As computed over rows.
    values, codes, units
        Of the rows, as in `clustered_comparison`.
    """
    keep = ~np.isnan(values) & (codes >= 0)
    x, group, k = values[keep], codes[keep].astype(np.int64), len(summary.labels)
    unit = unit_codes(units[keep])
    n = np.maximum(summary.moments.n, 1)
    key, at = np.unique(unit * k + group, return_inverse=True)
    away, size_of = in_unit((x - summary.moments.mean[group]) / n[group])
    total = np.bincount(at, weights=away, minlength=len(key))
    of_group = key % k
    size = np.bincount(of_group, minlength=k).astype(float)
    with np.errstate(divide="ignore", invalid="ignore"):
        variance = np.bincount(of_group, weights=total**2, minlength=k) * size / (size - 1)
        half = special.stdtrit(np.where(size > 1, size - 1, np.nan), 0.975) * np.sqrt(variance) * size_of
    return replace(summary, half_width=half)


def clustered_comparison(
    comparison: GroupComparison, values: Floats, codes: NDArray[np.integer], units: Codes
) -> GroupComparison:
    """Return a comparison with tests and intervals that count units.

    Parameters
    ----------
    comparison
        As computed over rows.
    values, codes, units
        Of the rows, shape (n,): the value (NaN for missing), the group (``-1`` for none) and the unit.
    """
    both = Later(lambda: _clustered(comparison, values, codes, units))
    return GroupComparison(
        Later(lambda: clustered_summary(comparison.summary, values, codes, units)),
        Later(lambda: both()[0]),
        Later(lambda: both()[1]),
    )


def _clustered(
    comparison: GroupComparison, values: Floats, codes: NDArray[np.integer], units: Codes
) -> tuple[dict[str, Significance], dict[str, Estimate]]:
    """Return tests and effects that count units; of fewer than three units the estimates alone."""
    keep = ~np.isnan(values) & (codes >= 0)
    x, group = values[keep], codes[keep].astype(np.int64)
    unit = np.unique(units[keep], return_inverse=True)[1].astype(np.int64)
    tests, effects = dict(comparison.tests), dict(comparison.effects)
    if len(x) == 0:
        return tests, effects
    if unit.max() < 2:
        alone = {name: Estimate(e.estimate, np.nan, np.nan) for name, e in effects.items()}
        return {name: Significance(t.statistic, np.nan) for name, t in tests.items()}, alone
    k = len(comparison.summary.labels)
    x = x - x[0]
    ranked = ranks(x)
    of_values = group_design_effect(unit, group, k, x)
    of_ranks = group_design_effect(unit, group, k, ranked)
    if k == 2 and len(np.unique(group)) == 2:
        tests["welch_t"], effects["mean_difference"], widening = _difference(x, group, unit)
        effects["hedges_g"] = _widened(effects["hedges_g"], comparison, widening)
        u = tests["mann_whitney"]
        z = special.ndtri(u.p / 2) / np.sqrt(of_ranks)
        tests["mann_whitney"] = Significance(u.statistic, float(2 * special.ndtr(z)))
        effects["superiority"] = _superiority(comparison, x, group, unit)
    elif "welch_anova" in tests:
        f, n = tests["welch_anova"], comparison.summary.moments.n
        df1 = int(np.count_nonzero(n)) - 1
        tests["welch_anova"] = _deflated_f(f.statistic, of_values, df1, int(unit.max()) - df1)
        h = tests["kruskal_wallis"].statistic
        tests["kruskal_wallis"] = Significance(h, float(special.chdtrc(df1, h / of_ranks)) if h == h else np.nan)
    for name, inflation in (("omega_squared", of_values), ("epsilon_squared", of_ranks)):
        effects[name] = _explained(effects[name], name, len(x), len(np.unique(group)), inflation)
    return tests, effects


def _difference(x: Floats, group: Codes, unit: Codes) -> tuple[Significance, Estimate, float]:
    """t, difference of means with its interval, and how much wider than over rows the interval is."""
    n = np.bincount(group, minlength=2).astype(np.float64)
    mean = np.bincount(group, weights=x, minlength=2) / n
    sign = np.array([-1.0, 1.0])[group]
    influence, of_x = in_unit(sign * (x - mean[group]) / n[group])
    variance = unit_variance(unit, influence)
    difference = float(mean[1] - mean[0])
    plain = float(np.sum(influence**2))
    if variance <= 0:
        return UNDEFINED_TEST, Estimate(difference, np.nan, np.nan), 1.0
    df = float(unit.max() - 1)
    half = of_x * float(special.stdtrit(df, 0.975) * np.sqrt(variance))
    t = difference / of_x / np.sqrt(variance)
    interval = Estimate(difference, difference - half, difference + half)
    return Significance(float(t), two_sided_t(float(t), df)), interval, float(np.sqrt(variance / plain))


def _widened(g: Estimate, comparison: GroupComparison, factor: float) -> Estimate:
    centre = (g.low + g.high) / 2
    return Estimate(g.estimate, centre - factor * (centre - g.low), centre + factor * (g.high - centre))


def _superiority(comparison: GroupComparison, x: Floats, group: Codes, unit: Codes) -> Estimate:
    """Obuchowski (1997), Biometrics 53, 567–578, on the logit."""
    plain = comparison.effects["superiority"]
    first, second = np.sort(x[group == 0]), np.sort(x[group == 1])
    theta = plain.estimate
    if theta in (0.0, 1.0):
        return plain
    influence = np.empty(len(x))
    influence[group == 1] = (average_ranks_in(first, x[group == 1]) / len(first) - theta) / len(second)
    influence[group == 0] = (1 - average_ranks_in(second, x[group == 0]) / len(second) - theta) / len(first)
    se = np.sqrt(unit_variance(unit, influence)) / (theta * (1 - theta))
    half = float(special.stdtrit(float(unit.max() - 1), 0.975)) * se
    low, high = special.expit(special.logit(theta) + np.array([-half, half]))
    return Estimate(theta, float(low), float(high))


def _deflated_f(f: float, inflation: float, df1: int, df2: int) -> Significance:
    if f != f or df2 < 1:
        return UNDEFINED_TEST
    return Significance(f, float(special.fdtrc(df1, df2, f / inflation)))


def _explained(plain: Estimate, name: str, n: int, k: int, inflation: float) -> Estimate:
    """Recover the classical F from the estimate, and invert it at the effective number of rows."""
    e = plain.estimate
    if e != e or plain.low != plain.low or e >= 1:
        return plain
    f = 1 + e * n / ((k - 1) * (1 - e)) if name == "omega_squared" else (e / (k - 1)) / ((1 - e) / (n - k))
    return Estimate(e, *explained_interval(f / inflation, k - 1, float(n - k), n / inflation))


def clustered_rates(rates: Rates, codes: NDArray[np.integer], event: NDArray[np.bool_], units: Codes) -> Rates:
    """Return rates whose Wilson intervals count the effective number of rows."""
    n = rates.n / rate_design_effects(units, codes, event, len(rates.n))
    _, low, high = wilson(np.nan_to_num(rates.rate) * n, n)
    return Rates(rates.n, rates.events, rates.rate, low, high)


def clustered_table(
    counts: NDArray[np.int64], rows: NDArray[np.integer], columns: NDArray[np.integer], units: Codes
) -> tuple[Significance, Estimate]:
    """Return chi-square and Cramér's V of a table with p and interval that count units."""
    keep = (rows >= 0) & (columns >= 0)
    chi, v = ct.chi_square(counts), ct.cramers_v(counts)
    if np.isnan(chi.p):
        return chi, v
    unit = np.unique(units[keep], return_inverse=True)[1].astype(np.int64)
    shape = (counts.shape[0], counts.shape[1])
    inflation = table_design_effect(unit, rows[keep].astype(np.int64), columns[keep].astype(np.int64), shape)
    r, c = ct.without_empty(counts).shape
    p = float(special.chdtrc((r - 1) * (c - 1), chi.statistic / inflation))
    p = max(p, ct.chi_square_sparse(counts).p) if ct.expected_are_small(counts) else p
    return Significance(chi.statistic, p), ct.cramers_v(counts, inflation)


def clustered_two_by_two(
    rates: Rates, codes: NDArray[np.integer], event: NDArray[np.bool_], units: Codes
) -> dict[str, Estimate]:
    """Return risk difference, risk ratio and odds ratio at each level's effective number of rows."""
    if rates.n.min() == 0:
        return dict.fromkeys(("risk_difference", "risk_ratio", "odds_ratio"), UNDEFINED)
    n = rates.n / rate_design_effects(units, codes, event, 2)
    x = rates.rate * n
    args = (float(x[0]), float(n[0]), float(x[1]), float(n[1]))
    return {
        "risk_difference": risk_difference(*args),
        "risk_ratio": risk_ratio(*args),
        "odds_ratio": odds_ratio(*args),
    }
