"""Rates of levels and bins, pulled towards the whole as far as the training rows ask for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .targets import Target

Floats = NDArray[np.float64]


def level_strength(n: Floats, means: Floats, base: Floats, variance: Floats) -> float:
    """Return m, the weight in rows that the base rate has in every level; infinite where levels are noise.

    Moment empirical Bayes: ρ = max(0, X² / D − (L − 1)) / (n − Σ n_l² / n), m = 1 / ρ − 1, never below
    ``LEAST_STRENGTH`` so that no rate is zero. X² / D is the between-level sum of squares in units of
    variance, D = K − 1 for classes and 1 for a number.

    Parameters
    ----------
    n
        Training rows at each level, shape (L,).
    means
        Shape (L, D').
    base, variance
        Shape (D',).
    """
    total = n.sum()
    present = int(np.count_nonzero(n))
    if present < 2:
        return np.inf
    weight = 1 / np.maximum(base, 1e-300) if len(base) > 1 else 1 / np.maximum(variance, 1e-300)
    x2 = float(np.sum(n[:, None] * (means - base) ** 2 * weight))
    d = max(len(base) - 1, 1)
    rho = max(0.0, x2 / d - (present - 1)) / (total - np.sum(n * n) / total)
    return max(1 / rho - 1, T.LEAST_STRENGTH) if rho > 0 else np.inf


def shrunken_levels(n: NDArray[np.integer], mean: Floats, base: float, sd: float) -> Floats:
    """Return each level's mean drawn towards the base as far as its rows ask for; the base where it has none.

    Parameters
    ----------
    n, mean
        Rows and mean (or rate) of each level, shape (L,).
    base, sd
        The mean of all rows, and the standard deviation within levels.
    """
    rows = n.astype(np.float64)
    away = np.where(rows > 0, np.nan_to_num(mean) - base, 0.0)
    scale = sd or float(np.max(np.abs(away), initial=0.0)) or 1.0
    strength = level_strength(rows, (away / scale)[:, None], np.zeros(1), np.array([float(sd > 0)]))
    weight = rows / (rows + strength) if np.isfinite(strength) else np.zeros(len(rows))
    return np.asarray(base + weight * away, np.float64)


def shrunken(target: Target, train: Floats, base: Floats, variance: Floats) -> Floats:
    """Return the rate of every level, shape (L, D'), from its training sums, shape (L, F)."""
    n, means = target.rows(train), target.means(train)
    m = level_strength(n, means, base, variance)
    weight = (n / (n + m))[:, None] if np.isfinite(m) else np.zeros((len(n), 1))
    return base + weight * (means - base)


def smoothed_bins(target: Target, train: Floats, base: Floats, variance: Floats) -> Floats:
    """Return the rate of every bin of a numeric candidate; the last bin holds the missing.

    The bins with rows are smoothed by block James–Stein: their rates on polynomials orthonormal under the
    bins' weights, in blocks of 1, 2, 4, 8, … coefficients, each times max(0, 1 − 2 d σ² / |c|²)
    (Cavalier & Tsybakov 2001, Mathematical Methods of Statistics 10, 247–282). What is present as a whole,
    and missing, are two levels of their own.

    Parameters
    ----------
    train
        Training sums of the bins and of missing, shape (B + 1, F).
    """
    ends = np.stack([train[:-1].sum(axis=0), train[-1]])
    centre, absent = shrunken(target, ends, base, variance) if ends[1].any() else (target.means(ends)[0], base)
    n = target.rows(train[:-1])
    rates = np.tile(centre, (len(n), 1))
    used = np.flatnonzero(n)
    if len(used) > 1:
        means = target.means(train[:-1][used])
        rates[used] += _james_stein(n[used], means - target.means(ends)[0], variance)
    everything = np.concatenate([rates, absent[None]])
    return target.bounded(everything, target.rows(train), base, T.LEAST_STRENGTH)


def _james_stein(n: Floats, deviation: Floats, variance: Floats) -> Floats:
    """Smooth deviations of bins from their common mean, shape (B, D')."""
    total = n.sum()
    weight = np.sqrt(n / total)
    at = np.linspace(-1, 1, len(n))
    # rows of weight × Legendre polynomials, made orthonormal; the constant is the common mean
    basis, _ = np.linalg.qr(weight[:, None] * np.polynomial.legendre.legvander(at, len(n) - 1))
    coefficients = basis[:, 1:].T @ (weight[:, None] * deviation)
    sigma2 = variance / total
    start, width = 0, 1
    while start < len(coefficients):
        block = coefficients[start : start + width]
        energy = np.sum(block**2, axis=0)
        with np.errstate(divide="ignore", invalid="ignore"):
            keep = np.where(energy > 0, np.maximum(0.0, 1 - 2 * len(block) * sigma2 / energy), 0.0)
        coefficients[start : start + width] = block * keep
        start, width = start + width, width * 2
    return np.asarray((basis[:, 1:] @ coefficients) / weight[:, None])
