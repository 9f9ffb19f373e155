"""A bin that is high since two round numbers fell into it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import short_label
from ..finding import Finding, marked
from ..shapes.bins import Bins
from ..words import listed
from .look import Scale

Floats = NDArray[np.float64]

MOST_SAID = 2


def bins_of_several(name: str, ordered: Floats, bins: Bins, scale: Scale) -> list[Finding]:
    """Say which bins of a log scale hold several values that are heaps each, where the bins beside hold fewer.

    On a linear scale bins are as wide as the step of the heaps; on a log scale their width in values grows.

    Parameters
    ----------
    ordered
        The values, sorted, shape (n,), none missing.
    bins
        On the scale; what lies beyond their ends is left out.
    """
    edges = bins.edges
    if scale.name == "linear" or len(ordered) == 0 or len(edges) < 3:
        return []
    values, rows = np.unique(ordered, return_counts=True)
    placed = scale.place(values)
    heaps = (rows >= T.SPIKE_SHARE / 5 * len(ordered)) & (placed >= edges[0]) & (placed <= edges[-1])
    at = np.minimum(np.searchsorted(edges, placed[heaps], "right") - 1, len(edges) - 2)  # the last is closed
    held, n = bins.count(placed[heaps]), bins.count(scale.place(ordered))
    of_heaps = np.bincount(at, weights=rows[heaps], minlength=len(edges) - 1)
    beside = np.minimum(np.append(held[1:], held[-2]), np.insert(held[:-1], 0, held[1]))
    crowded = np.flatnonzero((held > 1) & (held > beside) & (2 * of_heaps > n))
    crowded = crowded[np.argsort(-n[crowded], kind="stable")][:MOST_SAID]
    return [_said(name, scale.value(edges[k : k + 2]), values[heaps][at == k], rows[heaps][at == k]) for k in crowded]


def _said(name: str, ends: Floats, values: Floats, rows: NDArray[np.intp]) -> Finding:
    told = listed([f"{short_label(v)} ({r:,} rows)" for v, r in zip(values.tolist(), rows.tolist(), strict=True)], 3)
    low, high = (short_label(float(e)) for e in ends)
    return Finding(
        "bin-of-several-heaps",
        "note",
        (name,),
        f"On this scale the bin of {marked(name)} from {low} to {high} holds several values that are heaps each, "
        f"{told}: it is high for that, and is no peak.",
        "Take more bins (bins=…), or the linear scale, where bins are as wide as the heaps are apart.",
        {"from": float(ends[0]), "to": float(ends[1]), "values": values.tolist(), "rows": rows.tolist()},
    )
