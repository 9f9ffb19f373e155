"""Kernel densities on a fine grid, corrected at bounds that values cannot cross."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy import special

from .quantiles import sorted_quantiles

Floats = NDArray[np.float64]

FINE = 4096
"""Cells of the grid the kernel is applied on."""
SHOWN = 512
"""Points of the density that is given back."""
REACH = 4.0
"""Bandwidths beyond the values, where the Gaussian has fallen to 0.0003 of its peak."""
LEAST_STEPS = 4096
LEAST_CELLS = 3.0
"""A bandwidth spans so many cells at least, or the grid would be seen."""


@dataclass(frozen=True)
class Density:
    """Densities of groups on one grid.

    Parameters
    ----------
    at
        Shape (512,), in the units of the values.
    density
        Shape (groups, 512), per unit; each group's integral is 1; NaN for a group that has none.
    bandwidths
        Standard deviation of the kernel, one a group.
    rule
        How the bandwidth was chosen.
    bounds
        What values cannot go below and above; infinite where there is no bound.
    """

    at: Floats
    density: Floats
    bandwidths: Floats
    rule: str
    bounds: tuple[float, float]


def silverman(ordered: Floats) -> float:
    """Return Silverman's bandwidth, 0.9 min(sd, IQR / 1.34) n^(−1/5) (1986, eq. 3.31); 0 for a constant.

    Where the quartiles coincide the standard deviation stands alone.
    """
    if len(ordered) < 2 or ordered[0] == ordered[-1]:
        return 0.0
    n, scale = len(ordered), float(ordered[-1] - ordered[0])
    from_median = (ordered - ordered[n // 2]) / scale  # within a deviation of the mean, so that little cancels
    away = float(from_median.mean())
    sd = scale * np.sqrt(max(float(from_median @ from_median) - n * away * away, 0.0) / (n - 1))
    q1, q3 = sorted_quantiles(ordered, np.array([0.25, 0.75]))
    spread = min(sd, float(q3 - q1) / 1.34) if q3 > q1 else sd
    return float(0.9 * spread * len(ordered) ** -0.2)


def natural_bounds(
    low: float, high: float, name_limits: tuple[float, float] = (-np.inf, np.inf)
) -> tuple[float, float]:
    """Return what values cannot cross: zero where none is below it, and limits that are known and hold.

    Parameters
    ----------
    low, high
        The smallest and largest value.
    name_limits
        What a person declared, or what the column's name says.
    """
    lower = name_limits[0] if name_limits[0] <= low else -np.inf
    upper = name_limits[1] if name_limits[1] >= high else np.inf
    if low >= 0:
        lower = max(lower, 0.0)
    if high <= 0:
        upper = min(upper, 0.0)
    return float(lower), float(upper)


def densities(
    groups: list[Floats], bounds: tuple[float, float] = (-np.inf, np.inf), bandwidth: float | None = None
) -> Density | None:
    """Estimate the density of each group on one grid.

    A Gaussian kernel applied to linearly binned rows by FFT; within four bandwidths of a bound the kernel is
    replaced by Jones's linear boundary kernel, set to zero where negative, and the whole brought to 1.

    Parameters
    ----------
    groups
        Each group's values, sorted.
    bounds
        What values cannot cross.
    bandwidth
        In the units of the values; by default Silverman's 0.9 rule for each group.

    Returns
    -------
    Density or None
        ``None`` where no group has two different values.

    References
    ----------
    Silverman (1982), Applied Statistics 31, 93–99 (FFT); Jones (1993), Statistics and Computing 3, 135–146,
    eq. 3.4 (bounds).
    """
    usable = [g for g in groups if len(g) > 1 and g[0] < g[-1]]
    if not usable:
        return None
    low, high = min(g[0] for g in usable), max(g[-1] for g in usable)
    if not 1e-290 < high - low < 1e290 or high - low < LEAST_STEPS * np.spacing(max(abs(low), abs(high))):
        return None  # of numbers that differ in their last digits no grid is fine enough
    chosen = np.array([(bandwidth or silverman(g)) if len(g) > 1 and g[0] < g[-1] else np.nan for g in groups])
    reach = REACH * np.nanmax(np.where(np.isnan(chosen), 0, chosen))
    left, right = max(low - reach, bounds[0]), min(high + reach, bounds[1])
    at = np.linspace(left, right, SHOWN)
    curves = np.full((len(groups), SHOWN), np.nan)
    for i, (g, h) in enumerate(zip(groups, chosen, strict=True)):
        if not np.isnan(h):
            curves[i] = _one(g, float(h), at, bounds)
    rule = "given" if bandwidth else "Silverman's 0.9 rule"
    return Density(at, curves, chosen, rule, bounds)


def _one(ordered: Floats, h: float, at: Floats, bounds: tuple[float, float]) -> Floats:
    """Return one group's density at the points of a grid, brought to an integral of 1 over them."""
    left, right = float(at[0]), float(at[-1])
    cells = int(np.clip(2 ** np.ceil(np.log2(max((right - left) / h * LEAST_CELLS, 2))), FINE, 1 << 18))
    grid = np.linspace(left, right, cells)
    delta = grid[1] - grid[0]
    weight = linear_binning(ordered, left, delta, cells) / len(ordered)
    span = min(int(np.ceil(8 * h / delta)), cells - 1)
    u = np.clip(np.arange(-span, span + 1) * (delta / h), -1e3, 1e3)  # beyond 40 the kernel is nothing
    kernel = np.exp(-u * u / 2) / np.sqrt(2 * np.pi)
    plain = _convolve(weight, kernel, span) / h
    near_low, near_high = (left - bounds[0]) < REACH * h, (bounds[1] - right) < REACH * h
    if near_low or near_high:
        slope = _convolve(weight, u * kernel, span) / h
        plain = _at_bounds(plain, slope, (grid - bounds[0]) / h, (grid - bounds[1]) / h)
    plain = np.maximum(plain, 0.0)
    values = np.interp(at, grid, plain)
    return np.asarray(values / np.trapezoid(values, at), np.float64)


def _at_bounds(plain: Floats, slope: Floats, above: Floats, below: Floats) -> Floats:
    """Apply Jones's linear boundary kernel (a2 − a1 u) k(u) / (a0 a2 − a1²), with a_l = ∫ u^l k(u) du inside."""
    phi_above, phi_below = _normal(above), _normal(below)
    a0 = special.ndtr(above) - special.ndtr(below)
    a1 = phi_below - phi_above
    far = special.ndtri(1 - 1e-16)  # beyond it the normal density is nothing
    a2 = a0 - np.clip(above, -far, far) * phi_above + np.clip(below, -far, far) * phi_below
    return np.asarray((a2 * plain - a1 * slope) / (a0 * a2 - a1 * a1))


def _normal(z: Floats) -> Floats:
    near = np.clip(np.where(np.isfinite(z), z, 0.0), -37.0, 37.0)  # beyond it is nothing
    return np.asarray(np.where(np.isfinite(z), np.exp(-near * near / 2) / np.sqrt(2 * np.pi), 0.0))


def _convolve(weight: Floats, kernel: Floats, span: int) -> Floats:
    """Return sums over cells of weight(j) · kernel((x_i − x_j) / h)."""
    size = scipy.fft.next_fast_len(len(weight) + 2 * span, real=True)
    whole = scipy.fft.irfft(scipy.fft.rfft(weight, size) * scipy.fft.rfft(kernel, size), size)
    return np.asarray(whole[span : span + len(weight)], np.float64)


def linear_binning(ordered: Floats, left: float, delta: float, cells: int) -> Floats:
    """Share each row between the two grid points about it; exact sums over the sorted values of a cell."""
    grid = left + delta * np.arange(cells + 1)
    places = np.searchsorted(ordered, grid, "left")
    places[-1] = len(ordered)
    n = np.diff(places)
    starts = places[:-1]
    filled = n > 0
    total = np.zeros(cells)
    total[filled] = np.add.reduceat(ordered, starts[filled]) if filled.any() else 0.0
    right = np.clip((total - n * grid[:-1]) / delta, 0, n)
    weight = n - right
    weight[1:] += right[:-1]
    weight[-1] += right[-1]
    return np.asarray(weight, np.float64)


def overlap(first: Floats, second: Floats, at: Floats) -> float:
    """Return the area under the smaller of two densities: 1 where they agree, 0 where they do not meet.

    References
    ----------
    Weitzman (1970), "Measures of overlap of income distributions".
    """
    return float(np.clip(np.trapezoid(np.minimum(first, second), at), 0, 1))
