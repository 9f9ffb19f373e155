"""Rates of levels and bins, pulled towards the whole as far as the training rows ask for."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .targets import Target

Floats = NDArray[np.float64]


def level_strength(n: Floats, means: Floats, base: Floats, variance: Floats) -> Floats:
    """Return m, the weight in rows that the base rate has in every level; infinite where levels are noise.

    Moment empirical Bayes: ρ = max(0, X² / D − (L − 1)) / (n − Σ n_l² / n), m = 1 / ρ − 1, never below
    ``LEAST_STRENGTH`` so that no rate is zero. X² / D is the between-level sum of squares in units of
    variance, D = K − 1 for classes and 1 for a number.

    Parameters
    ----------
    n
        Training rows at each level, shape (…, L).
    means
        Shape (…, L, D').
    base, variance
        Shape (…, D').

    Returns
    -------
    array of float
        Shape (…).
    """
    total = n.sum(axis=-1)
    present = np.count_nonzero(n, axis=-1)
    classes = base.shape[-1] > 1
    weight = 1 / np.maximum(base if classes else variance, 1e-300)
    x2 = np.sum(n[..., None] * (means - base[..., None, :]) ** 2 * weight[..., None, :], axis=(-2, -1))
    d = max(base.shape[-1] - 1, 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        rho = np.maximum(0.0, x2 / d - (present - 1)) / (total - np.sum(n * n, axis=-1) / total)
        strength = np.maximum(1 / rho - 1, T.LEAST_STRENGTH)
    return np.where((present > 1) & (rho > 0), strength, np.inf)


def shrunken_levels(n: NDArray[np.integer], mean: Floats, base: float, sd: float, effect: float = 1.0) -> Floats:
    """Return each level's mean drawn towards the base as far as its rows ask for; the base where it has none.

    Parameters
    ----------
    n, mean
        Rows and mean (or rate) of each level, shape (L,).
    base, sd
        The mean of all rows, and the standard deviation within levels.
    effect
        What units inflate the variance of the levels' means by: they count as so many rows fewer.
    """
    rows = n / (effect if effect > 1 else 1.0)
    away = np.where(rows > 0, np.nan_to_num(mean) - base, 0.0)
    scale = sd or float(np.max(np.abs(away), initial=0.0)) or 1.0
    strength = float(level_strength(rows, (away / scale)[:, None], np.zeros(1), np.array([float(sd > 0)])))
    weight = rows / (rows + strength) if np.isfinite(strength) else np.zeros(len(rows))
    return np.asarray(base + weight * away, np.float64)


def shrunken(target: Target, train: Floats, base: Floats, variance: Floats) -> Floats:
    """Return the rate of every level, shape (…, L, D'), from its training sums, shape (…, L, F)."""
    n, means = target.rows(train), target.means(train)
    m = level_strength(n, means, base, variance)[..., None]
    weight = np.divide(n, n + m, out=np.zeros(n.shape), where=np.isfinite(m) & (n > 0))[..., None]
    centre = base[..., None, :]
    return np.asarray(centre + weight * (means - centre))


def smoothed_bins(target: Target, train: Floats, base: Floats, variance: Floats) -> Floats:
    """Return the rate of every bin of a numeric candidate; the last bin holds the missing.

    The bins with rows are smoothed by block James–Stein: their rates on polynomials orthonormal under the
    bins' weights, in blocks of 1, 2, 4, 8, … coefficients, each times max(0, 1 − 2 d σ² / |c|²)
    (Cavalier & Tsybakov 2001, Mathematical Methods of Statistics 10, 247–282). What is present as a whole,
    and missing, are two levels of their own.

    Parameters
    ----------
    train
        Training sums of the bins and of missing, shape (C, B + 1, F), a candidate each.
    """
    bins, absent = train[:, :-1], train[:, -1:]
    ends = np.stack([bins.sum(axis=1), absent[:, 0]], axis=1)
    gaps = target.rows(ends[:, 1]) > 0
    two = shrunken(target, ends, base, variance)
    present = target.means(ends)[:, 0]
    centre = np.where(gaps[:, None], two[:, 0], present)
    missing = np.where(gaps[:, None], two[:, 1], base)
    n, means = target.rows(bins), target.means(bins)
    rates = np.repeat(centre[:, None], n.shape[1], axis=1)
    used = n > 0
    whole = used.all(axis=1)
    if whole.any() and n.shape[1] > 1:
        rates[whole] += _james_stein(n[whole], means[whole] - present[whole, None], variance[whole])
    for c in np.flatnonzero(~whole & (used.sum(axis=1) > 1)):
        u = used[c]
        rates[c, u] += _james_stein(n[c, u][None], (means[c, u] - present[c])[None], variance[c][None])[0]
    everything = np.concatenate([rates, missing[:, None]], axis=1)
    return target.bounded(everything, target.rows(train), base, T.LEAST_STRENGTH)


def _james_stein(n: Floats, deviation: Floats, variance: Floats) -> Floats:
    """Smooth deviations of bins from their common mean, shape (C, B, D'); every bin has rows."""
    total = n.sum(axis=1, keepdims=True)
    weight = np.sqrt(n / total)
    # rows of weight × Legendre polynomials, made orthonormal; the constant is the common mean
    basis = np.linalg.qr(weight[:, :, None] * _polynomials(n.shape[1]))[0][:, :, 1:]
    coefficients = np.swapaxes(basis, 1, 2) @ (weight[:, :, None] * deviation)
    sigma2 = variance / total
    start, width = 0, 1
    while start < coefficients.shape[1]:
        block = coefficients[:, start : start + width]
        energy = np.sum(block**2, axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            keep = np.where(energy > 0, np.maximum(0.0, 1 - 2 * block.shape[1] * sigma2 / energy), 0.0)
        coefficients[:, start : start + width] = block * keep[:, None]
        start, width = start + width, width * 2
    return np.asarray((basis @ coefficients) / weight[:, :, None])


@lru_cache(maxsize=128)
def _polynomials(bins: int) -> Floats:
    """Return Legendre polynomials of every degree at evenly spaced places, shape (bins, bins)."""
    return np.asarray(np.polynomial.legendre.legvander(np.linspace(-1, 1, bins), bins - 1), np.float64)
