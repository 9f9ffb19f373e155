"""Columns as a linear model takes them: numbers straight or with bends, gaps, levels by indicators.

Numbers are in units of their deviation, so that one penalty fits all; indicators are 0 and 1, as a model gets them.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Codes = NDArray[np.integer]

RARE = 10
"""Rows under which a level is joined with the other rare ones."""
MOST_LEVELS = 60
"""That get an indicator, the largest; the rest is told by none."""
FAR = 30.0
"""Deviations from the middle at which a bent number is held: a slip would bend all knots."""


def straight(values: Floats) -> Floats:
    """Return a number, none missing, in units of its deviation, shape (n, 1); nothing where it does not vary."""
    spread = float(values.std())
    if not 0 < spread < np.inf:
        return np.zeros((len(values), 0))
    return np.asarray(((values - values.mean()) / spread)[:, None])


def bent(values: Floats, bends: int) -> Floats:
    """Return a number straight, and its hinges at inner quantiles, shape (n, 1 + bends at most)."""
    line = straight(values)
    if not bends or not line.shape[1]:
        return line
    x = np.clip(line[:, 0], -FAR, FAR)
    knots = np.unique(np.quantile(x, np.arange(1, bends + 1) / (bends + 1)))
    knots = knots[(knots > x.min()) & (knots < x.max())]
    hinges = [straight(np.maximum(x - k, 0)) for k in knots]
    return np.concatenate((line, *hinges), axis=1)


def gap(missing: NDArray[np.bool_]) -> Floats:
    """Return whether a value is missing, shape (n, 1); nothing where too few are, or too few are not."""
    n = int(missing.sum())
    return np.zeros((len(missing), int(RARE <= n <= len(missing) - RARE))) + missing[:, None]


def indicators(codes: Codes, levels: int) -> Floats:
    """Return a column of 0 and 1 for each level of ten rows at least and one for all others, −1 being missing."""
    n = np.bincount(codes + 1, minlength=levels + 1)
    kept = np.flatnonzero(n >= RARE)
    kept = kept[np.argsort(-n[kept], kind="stable")][:MOST_LEVELS]
    place = np.full(levels + 1, len(kept))
    place[kept] = np.arange(len(kept))
    at = place[codes + 1]
    width = len(kept) + int((at == len(kept)).sum() >= RARE)
    return (at[:, None] == np.arange(width)).astype(np.float64) if width > 1 else np.zeros((len(codes), 0))
