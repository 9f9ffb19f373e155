"""Tests and association in a table of counts."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy import special

from ...estimate import UNDEFINED, UNDEFINED_TEST, Z95, Estimate, Significance
from ..expected import expected_counts, without_empty
from .noncentral import noncentral_chi_square

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


def chi_square(table: Ints) -> Significance:
    """Pearson's chi-square without continuity correction; empty rows and columns are dropped."""
    table = without_empty(table)
    if min(table.shape, default=0) < 2:
        return UNDEFINED_TEST
    expected = expected_counts(table)
    x2 = float(np.sum((table - expected) ** 2 / expected))
    return Significance(x2, float(special.chdtrc((table.shape[0] - 1) * (table.shape[1] - 1), x2)))


def chi_square_sparse(table: Ints) -> Significance:
    """Pearson's chi-square, its p from the statistic's exact mean and variance given both margins.

    The distribution is a scaled chi-square with those two moments. With many rare levels the plain p is
    off, because the variance of the statistic is; this one is not. With large counts the two agree.

    References
    ----------
    Moments: Haldane (1940), Biometrika 31, 346–355, in Dawson's form (1954), Biometrika 41, 274–278.
    """
    plain = chi_square(table)
    table = without_empty(table)
    n = float(table.sum())
    if np.isnan(plain.p) or n < 5:
        return plain
    sizes = [table.sum(axis=a).astype(float) for a in (1, 0)]
    spread = [(n - len(s)) * (len(s) - 1) / (n - 1) for s in sizes]
    excess = [(n * np.sum(1 / s) - len(s) ** 2) / (n - 2) for s in sizes]
    mean = n / (n - 1) * (table.shape[0] - 1) * (table.shape[1] - 1)
    variance = 2 * n / (n - 3) * (spread[0] - excess[0]) * (spread[1] - excess[1])
    variance += n * n / (n - 1) * excess[0] * excess[1]
    if variance <= 1e-9 * mean:  # a level a row: the statistic is fixed by the margins
        return Significance(plain.statistic, 1.0)
    df = 2 * mean * mean / variance
    return Significance(plain.statistic, float(special.chdtrc(df, plain.statistic * df / mean)))


def chi_square_simulated(table: Ints, draws: int = 9_999, seed: int = 0) -> Significance:
    """Pearson's chi-square, its p from tables drawn at random with the same margins.

    p = (b + 1) / (B + 1), b of the B tables drawn having a statistic as large (to 1e-9) as the observed.

    References
    ----------
    Hope (1968), Journal of the Royal Statistical Society B 30, 582–598; Patefield (1981), algorithm AS 159.
    """
    plain = chi_square(table)
    table = without_empty(table)
    if np.isnan(plain.p):
        return plain
    expected = expected_counts(table)
    source = scipy.stats.random_table(table.sum(axis=1), table.sum(axis=0), seed=np.random.default_rng(seed))
    reached, done = 0, 0
    while done < draws:
        some = min(draws - done, max(1, 2_000_000 // table.size))
        drawn = source.rvs(some)
        x2 = np.sum((drawn - expected) ** 2 / expected, axis=(1, 2))
        reached += int(np.sum(x2 >= plain.statistic * (1 - 1e-9)))
        done += some
    return Significance(plain.statistic, (reached + 1) / (draws + 1))


def fisher_exact(table: Ints) -> Significance:
    """Fisher's exact test of a 2 × 2 table, two-sided: the sum of probabilities not above the observed.

    The statistic is the sample odds ratio. Probabilities come from exact ratios of neighbours, outward
    from the most likely table.

    References
    ----------
    Fisher (1935), Journal of the Royal Statistical Society 98, 39–54.
    """
    if table.shape != (2, 2) or table.sum() == 0:
        return UNDEFINED_TEST
    (a, b), (c, d) = table.tolist()
    low, high = _likely(a, b, c, d)
    x = np.arange(low, high, dtype=np.float64)
    with np.errstate(divide="ignore"):
        step = np.log((a + b - x) * (a + c - x)) - np.log((x + 1) * (d - a + x + 1))
    log_p = np.concatenate(([0.0], np.cumsum(step)))
    log_p -= log_p.max()
    p = np.exp(log_p)
    observed = p[a - low]
    two_sided = p[p <= observed * (1 + 1e-9)].sum() / p.sum()
    odds = a * d / (b * c) if b * c else (np.inf if a * d else np.nan)
    return Significance(float(odds), float(min(1.0, two_sided)))


def _likely(a: int, b: int, c: int, d: int) -> tuple[int, int]:
    """Return the first and last count of a 2 × 2 table with these margins that is not impossibly rare.

    Counts left out have a probability below 10⁻³³⁰ together, which no double holds: 2 exp(−2 w² / m) at a distance w
    from the mean, for the smallest margin m (Hoeffding 1963, JASA 58, theorem 2 and section 6). The observed
    count is always kept.
    """
    low, high = max(0, a - d), min(a + b, a + c)
    mean = (a + b) * (a + c) / (a + b + c + d)
    reach = np.sqrt(380.5 * min(a + b, c + d, a + c, b + d)) + 1
    return min(max(low, int(mean - reach)), a), max(min(high, int(mean + reach) + 1), a)


def cramers_v(table: Ints, inflation: float = 1.0, error: float | None = None, quantile: float = Z95) -> Estimate:
    """Bias-corrected Cramér's V with a 95 % interval; empty levels are dropped, 0/0 is 0.

    ``inflation`` is the design effect of rows that come in units: V and its interval are those of n / inflation rows.
    ``error`` is the standard error of φ² where it is known better than from so many rows, ``quantile`` what it counts.

    References
    ----------
    Point: Bergsma (2013), Journal of the Korean Statistical Society 42, 323–328. Interval: noncentral
    chi-square inversion (Smithson 2003), for φ² = λ / n, widened to the delta-method standard error
    (Bishop, Fienberg & Holland 1975, 11.3) where that is larger.
    """
    table = without_empty(table)
    if min(table.shape, default=0) < 2:
        return UNDEFINED
    n = float(table.sum())
    r, c = table.shape
    df = (r - 1) * (c - 1)
    x2 = chi_square(table).statistic
    phi2 = x2 / n
    fewer = n / inflation
    v = v_of_phi_squared(phi2, fewer, r, c)
    size = min(r, c) - 1
    low, high = (np.sqrt(noncentral_chi_square(x2 / inflation, df, s) / fewer / size) for s in (0.975, 0.025))
    if error is None:
        error = phi_squared_error(table, fewer)
    half = quantile * error / (2 * np.sqrt(phi2 * size)) if phi2 > 0 else 0.0
    low, high = min(low, v - half, v), max(high, v + half, v)
    return Estimate(v, float(max(0.0, low)), float(min(1.0, high)))


def v_of_phi_squared(phi2: float, n: float, r: int, c: int) -> float:
    """Return Bergsma's bias-corrected V of φ² = χ² / n in a table of r × c levels that all have rows.

    Without the correction V of unrelated columns is about the root of df / n, and grows with their levels. Of rows in
    units n is how many rows would tell as much.
    """
    if n <= 1:
        return 0.0
    corrected = max(0.0, phi2 - (r - 1) * (c - 1) / (n - 1))
    smaller = min(r - (r - 1) ** 2 / (n - 1), c - (c - 1) ** 2 / (n - 1)) - 1
    return min(1.0, float(np.sqrt(corrected / smaller))) if smaller > 0 else 0.0


def phi_squared_influence(table: Ints) -> Floats:
    """Return what a row of each cell adds to φ² = Σ p_ij² / (p_i p_j) − 1, times n, shape of the table; mean 0."""
    p = table / table.sum()
    rows, columns = p.sum(axis=1, keepdims=True), p.sum(axis=0, keepdims=True)
    with np.errstate(invalid="ignore", divide="ignore"):
        part = p * p / (rows * columns)
        slope = 2 * p / (rows * columns) - np.nansum(part, axis=1, keepdims=True) / rows
        slope = np.nan_to_num(slope - np.nansum(part, axis=0, keepdims=True) / columns, nan=0.0, posinf=0.0, neginf=0.0)
    return np.asarray(slope - np.sum(p * slope))


def phi_squared_error(table: Ints, n: float) -> float:
    """Return the delta-method standard error of φ² of n rows under multinomial sampling."""
    return float(np.sqrt(np.sum(table * phi_squared_influence(table) ** 2) / table.sum() / n))
