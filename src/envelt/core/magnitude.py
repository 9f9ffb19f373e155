"""Numbers so large or small that their squares are not numbers any more."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def power_of(reach: float) -> float:
    """Return a power of two to measure in: 1 where fourth powers are ordinary numbers, 0 where there is nothing.

    Examples
    --------
    >>> power_of(3.0), power_of(0.0), power_of(2.0**900)
    (1.0, 0.0, 8.452712498170644e+270)
    """
    if reach == 0:
        return 0.0
    if 1e-60 < reach < 1e60 or not np.isfinite(reach):
        return 1.0
    return float(2.0 ** np.floor(np.log2(reach)))


def spread_of(values: Floats, ddof: int = 0) -> float:
    """Return the standard deviation of values of any magnitude, none missing; 0 where there is but one."""
    if len(values) <= ddof:
        return 0.0
    away, unit = in_unit(values - values[0])
    return unit * float(np.std(away, ddof=ddof))


def in_unit(values: Floats) -> tuple[Floats, float]:
    """Return values in a unit in which their squares are ordinary numbers, and the unit: nearly always 1.

    Parameters
    ----------
    values
        Shape (n,), none missing.
    """
    unit = power_of(float(np.max(np.abs(values), initial=0.0))) or 1.0
    return (values if unit == 1 else values / unit), unit
