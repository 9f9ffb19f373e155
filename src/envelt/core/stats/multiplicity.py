"""Many looks at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def q_values(p: Floats) -> Floats:
    """Return Benjamini–Hochberg adjusted p-values; NaN (what cannot be tested) stays outside the family.

    References
    ----------
    Benjamini & Hochberg (1995), Journal of the Royal Statistical Society B 57, 289–300.
    """
    q = np.full(len(p), np.nan)
    tested = np.flatnonzero(~np.isnan(p))
    if len(tested) == 0:
        return q
    order = tested[np.argsort(p[tested], kind="stable")]
    scaled = p[order] * len(tested) / np.arange(1, len(tested) + 1)
    q[order] = np.minimum(1.0, np.minimum.accumulate(scaled[::-1])[::-1])
    return q
