"""Classical multidimensional scaling: a map whose distances are as near as can be to those in the full space."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

Floats = NDArray[np.float64]

LANDMARKS = 1_500
"""Rows that are scaled; the others are set by their distances to these."""


def _apart(first: Floats, second: Floats, distance: str) -> Floats:
    """Return the distance of every row of one from every row of the other."""
    if distance == "cosine":
        return np.asarray(scipy.spatial.distance.cdist(first, second, "cosine"))
    return np.asarray(
        scipy.spatial.distance.cdist(first, second, "cityblock" if distance == "manhattan" else "euclidean")
    )


def classical_scaling(values: Floats, distance: str = "euclidean", seed: int = 0) -> tuple[Floats, bool]:
    """Return a map, shape (n, 2), and whether every row was scaled.

    Torgerson's double centring of squared distances (1952, Psychometrika 17, 401–419); above `LANDMARKS` rows those
    of a sample, on which the others are placed by triangulation (de Silva & Tenenbaum 2004, Stanford).
    """
    n = len(values)
    some = np.arange(n)
    if n > LANDMARKS:
        some = np.sort(np.random.default_rng([seed, 0x3D5]).choice(n, LANDMARKS, replace=False))
    square = _apart(values[some], values[some], distance) ** 2
    means = square.mean(axis=0)
    centred = -(square - means[:, None] - means[None] + means.mean()) / 2
    power, turned = np.linalg.eigh(centred)
    power, turned = power[::-1][:2], turned[:, ::-1][:, :2]
    length = np.sqrt(np.maximum(power, 0.0))
    signs = np.where(turned[np.argmax(np.abs(turned), axis=0), [0, 1][: turned.shape[1]]] < 0, -1.0, 1.0)
    turned = turned * signs
    at = np.zeros((len(some), 2))
    at[:, : turned.shape[1]] = turned * length
    if len(some) == n:
        return at, True
    back = np.divide(turned, length, out=np.zeros_like(turned), where=length > 1e-12)
    placed = np.empty((n, 2))
    for start in range(0, n, 20_000):
        away = _apart(values[start : start + 20_000], values[some], distance) ** 2
        placed[start : start + 20_000] = -0.5 * (away - means) @ back
    return placed, False
