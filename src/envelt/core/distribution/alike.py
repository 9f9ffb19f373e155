"""Groups with one mean and one deviation that look unlike."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..finding import Finding, marked
from ..magnitude import spread_of
from ..stats.alike import too_alike
from ..stats.sampling import Sampling
from ..words import plural

Floats = NDArray[np.float64]


def equal_groups(
    name: str, values: Floats, groups: tuple[tuple[str, ...], NDArray[np.integer], int], sampling: Sampling
) -> list[Finding]:
    """Say that groups agree in mean and deviation beyond chance, though their shapes differ.

    Parameters
    ----------
    values
        Shape (n,), NaN where missing.
    groups
        The columns that make the groups, the group of each row (``-1`` for none), and how many there are.
    """
    by, codes, size = groups
    gap = too_alike(values, codes.astype(np.int64), size, sampling)
    if gap is None or gap < T.SHAPES_APART:
        return []
    keep = (codes >= 0) & ~np.isnan(values)
    used = np.unique(codes[keep])
    sd = float(np.mean([spread_of(values[keep & (codes == g)], 1) for g in used]))
    mean, k, made = float(values[keep].mean()), len(used), " and ".join(map(marked, by))
    return [
        Finding(
            "equal-summaries",
            "caution",
            (name, *by),
            f"The {plural(k, 'group')} of {made} have the same mean ({mean:.3g}) and deviation ({sd:.3g}) of "
            f"{marked(name)}, closer than chance makes them, yet their shapes differ: at some value {gap:.0%} of the "
            "rows of two of them lie on different sides.",
            "Do not judge by the numbers: look at the rows of each group.",
            {"mean": mean, "sd": sd, "largest_gap": gap, "groups": k},
        )
    ]
