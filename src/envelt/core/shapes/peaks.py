"""How many peaks a distribution has, and whether its bins decide that."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .bins import Bins
from .density import densities, silverman

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class TwoPeaks:
    """Two peaks of a density and the valley between them, in the units of the values.

    ``depth`` is the density at the valley over that at the lower peak, ``lower`` that at the lower peak over that at
    the higher.
    """

    first: float
    second: float
    valley: float
    depth: float
    lower: float

    def times(self, unit: float) -> TwoPeaks:
        """Return the same of values in a unit that is so many times smaller."""
        return replace(self, first=self.first * unit, second=self.second * unit, valley=self.valley * unit)


def peaks_in(counts: Ints) -> list[int]:
    """Return the places of peaks in counts that chance does not explain.

    A peak stands more than five standard errors above the lowest counts between it and the next peak.
    """
    kept: list[int] = []
    valley = np.inf
    for i, c in enumerate(counts.tolist()):
        valley = min(valley, c)
        if not kept:
            kept.append(i)
            valley = c
        elif _rises(c, valley):
            top = counts[kept[-1]]
            if _rises(top, valley):
                kept.append(i)
            elif c > top:
                kept[-1] = i
            valley = c
        elif c > counts[kept[-1]]:
            kept[-1], valley = i, c
    return kept if counts.sum() else []


def _rises(peak: float, valley: float) -> bool:
    return bool((peak - valley) / np.sqrt(max(peak + valley, 1.0)) > T.PEAK_SURE)


def peaks_by_width(ordered: Floats, bins: Bins, step: float) -> dict[float, int]:
    """Return how many peaks half, the same and twice the width of the bins show."""
    width = float(bins.edges[1] - bins.edges[0])
    found = {}
    for factor in (0.5, 1.0, 2.0):
        size = width * factor
        if step and abs(size / step - round(size / step)) > 1e-6:  # bins of unequal numbers of steps invent peaks
            continue
        shift = step / 2 if step and size < 1.5 * step else bins.edges[0] % size if factor < 1 else 0.0
        first = np.floor((bins.edges[0] - shift) / size) * size + shift
        edges = first + size * np.arange(int(np.ceil((bins.edges[-1] - first) / size)) + 1)
        found[size] = len(peaks_in(Bins(edges).count(ordered)))
    return found


def two_peaks(ordered: Floats) -> TwoPeaks | None:
    """Return the two peaks of a density with the deepest valley between them.

    Its bandwidth is narrowed until it has two.
    """
    bandwidth = silverman(ordered)
    for narrower in (1.0, 0.7, 0.5, 0.35, 0.25):
        made = densities([ordered], bandwidth=bandwidth * narrower or None)
        if made is None:
            return None
        f = made.density[0]
        tops = np.flatnonzero((f[1:-1] > f[:-2]) & (f[1:-1] >= f[2:])) + 1
        tops = tops[f[tops] > 0.1 * f.max()]
        if len(tops) > 1:
            a, b, valley = _deepest(f, tops)
            low, high = sorted((float(f[a]), float(f[b])))
            depth = float(f[valley]) / low
            return TwoPeaks(float(made.at[a]), float(made.at[b]), float(made.at[valley]), depth, low / high)
    return None


def _deepest(f: Floats, tops: NDArray[np.intp]) -> tuple[int, int, int]:
    """Return two peaks and the valley between them that lies furthest below the lower of the two."""
    best = (-1.0, 0, 0, 0)
    for i, a in enumerate(tops):
        for b in tops[i + 1 :]:
            valley = int(a) + int(np.argmin(f[a : b + 1]))
            best = max(best, (float(min(f[a], f[b]) - f[valley]), int(a), int(b), valley))
    return best[1:]
