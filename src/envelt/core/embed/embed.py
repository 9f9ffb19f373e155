"""A map of many columns in two, by one of three methods."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .affinity import affinities
from .layout import lay_out, schedule_of
from .mds import classical_scaling
from .nearest import Index, Nearest, nearest_among, nearest_rows, prepared
from .pca import Components, principal_components

Floats = NDArray[np.float64]
OnStep = Callable[[int, int, Floats], None]

DIMENSIONS = 50
"""Of which neighbours are looked for; more are reduced by principal components first."""
LEAST_ROWS = 5


@dataclass(frozen=True)
class Map:
    """Rows in two dimensions.

    Parameters
    ----------
    at
        Shape (n, 2).
    values
        The matrix the map was made of, shape (n, d).
    reduced
        Its principal components where neighbours were looked for among them; else the matrix.
    components
        The principal components, the first two at least.
    nearest
        The nearest rows, for the map of neighbours.
    settings
        What was chosen and why, by name.
    frames
        The map as it formed: steps and places.
    """

    at: Floats
    values: Floats
    reduced: Floats
    components: Components
    nearest: Nearest | None
    settings: dict[str, str]
    distance: str
    method: str
    frames: tuple[tuple[int, Floats], ...] = ()


def make_map(
    values: Floats, method: str, nearest: int | None, distance: str, seed: int, index: Index | None,
    on_step: OnStep | None = None, frames: int = 0,
) -> Map:  # fmt: skip
    """Lay out rows.

    Parameters
    ----------
    values
        Shape (n, d), none missing, not all rows the same.
    nearest
        How many neighbours are held; by default from n.
    """
    n, d = values.shape
    count = min(DIMENSIONS, d, n - 1)
    components = principal_components(values, max(count, 2), seed)
    start = components.scores[:, :2]
    if start.shape[1] < 2:
        start = np.column_stack((start, np.zeros(n)))
    if method == "pca":
        how = "exact" if components.exact else "by random projection"
        return Map(start, values, values, components, None, {"components": how}, distance, method)
    if method == "mds":
        at, whole = classical_scaling(values, distance, seed)
        how = "all rows" if whole else "1,500 rows drawn, the others by their distances to these"
        return Map(at, values, values, components, None, {"scaled": how, "distance": distance}, distance, method)
    reduced = components.scores if d > DIMENSIONS and distance == "euclidean" else values
    k = min(nearest or neighbours_for(n), n - 1)
    found = nearest_rows(reduced, k, distance, index)
    held = affinities(found, max(2.0, 2 * k / 3))
    kept: list[tuple[int, Floats]] = []
    schedule = schedule_of(n)
    total = schedule.early + schedule.late
    wanted = {round(total * (i + 1) / frames) for i in range(frames)} if frames else set()

    def seen(step: int, of: int, at: NDArray[np.float32]) -> None:
        if step in wanted:
            kept.append((step, at.astype(np.float64)))
        if on_step is not None:
            on_step(step, of, at)  # type: ignore[arg-type]

    at = lay_out(held, start, schedule, seen).astype(np.float64)
    settings = {
        "nearest": f"{k}, {'as asked' if nearest else 'from the number of rows'}",
        "distance": distance,
        "found by": found.how,
        "dimensions": f"{reduced.shape[1]}" + (f" principal components of {d:,}" if reduced is not values else ""),
        "start": "the first two principal components",
        "steps": f"{total}",
    }
    return Map(at, values, reduced, components, found, settings, distance, method, tuple(kept))


def neighbours_for(n: int) -> int:
    """Return how many neighbours a map of n rows holds: few of few rows, since more would be most of a class."""
    return int(np.clip(n // 12, 3, 15))


def placed(made: Map, values: Floats) -> Floats:
    """Return where new rows lie on a map, among their nearest rows on it; the map is not moved.

    Parameters
    ----------
    values
        Encoded as the map's rows were, shape (m, d).
    """
    if made.method == "pca" and len(made.components.loadings) > 1:
        return np.asarray((values - made.values.mean(axis=0)) @ made.components.loadings[:2].T)
    rows = made.reduced
    if rows is not made.values:
        values = (values - made.values.mean(axis=0)) @ made.components.loadings.T
    k = min(10, len(rows))
    at, far = nearest_among(prepared(rows, made.distance), prepared(values, made.distance), k, made.distance)
    width = np.maximum(far[:, min(2, k - 1)][:, None], 1e-12)
    weight = np.exp(-((far / width) ** 2))
    weight /= weight.sum(axis=1, keepdims=True)
    return np.asarray(np.einsum("ij,ijk->ik", weight, made.at[at]))
