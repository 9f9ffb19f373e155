"""Where an axis of values ends."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def near_ends(values: Floats, some: Floats | None = None) -> tuple[float, float]:
    """Return the smallest and largest value, or the ends of the middle 99.8 % where a few lie far out.

    Parameters
    ----------
    values
        None missing, at least one, shape (n,).
    some
        Of them, to find the middle of; all by default.
    """
    low, high = float(values.min()), float(values.max())
    near = np.quantile(values if some is None else some, [0.001, 0.999])
    return (float(near[0]), float(near[1])) if high - low > 2 * float(near[1] - near[0]) > 0 else (low, high)
