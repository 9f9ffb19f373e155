"""Bins a person can read: round widths on multiples of the width, halves for whole numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .quantiles import sorted_quantiles

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

MOST_BINS = 60
DATE_WIDTHS = (1.0, 2.0, 7.0, 14.0, 28.0, 91.0, 182.0, 365.25)  # days
ROUND = (1.0, 2.0, 2.5, 5.0)


@dataclass(frozen=True)
class Bins:
    """Edges of bins closed on the left, the last on both sides.

    ``below`` and ``above`` count the values of a long tail that lie outside the edges.
    """

    edges: Floats
    below: int = 0
    above: int = 0

    def count(self, ordered: Floats) -> Ints:
        """Count a sorted array into the bins."""
        places = np.searchsorted(ordered, self.edges, "left")
        places[-1] = np.searchsorted(ordered, self.edges[-1], "right")
        return np.diff(places).astype(np.int64)


def readable_bins(ordered: Floats) -> Bins:
    """Choose bins for a sorted, non-empty array.

    Freedman & Diaconis's width (1981), Scott's (1979) where the quartiles coincide, rounded to 1, 2, 2.5 or
    5 × 10^k. Whole numbers get a whole width and edges on halves. At most 60 bins; where a tail would need
    more, the bins cover Tukey's fences and the rest is counted at the edge.
    """
    whole = bool((ordered == np.floor(ordered)).all())
    low, high = float(ordered[0]), float(ordered[-1])
    if low == high:
        half = 0.5 if whole else max(abs(low) * 0.05, 0.5)
        return Bins(np.array([low - half, high + half]))
    wanted = _start_width(ordered)
    width = _round_width(wanted, whole)
    if _bins_needed(low, high, width, whole) > MOST_BINS:
        q1, q3 = sorted_quantiles(ordered, np.array([0.25, 0.75]))
        fence_low, fence_high = max(low, q1 - 1.5 * (q3 - q1)), min(high, q3 + 1.5 * (q3 - q1))
        if fence_low < fence_high:
            low, high = fence_low, fence_high
        while _bins_needed(low, high, width, whole) > MOST_BINS:
            width = _wider(width, whole)
    first, last = _span(low, high, width, whole)
    edges = np.asarray(np.arange(first, last + 1) * width - (0.5 if whole else 0.0), np.float64)
    below = int(np.searchsorted(ordered, edges[0], "left"))
    above = len(ordered) - int(np.searchsorted(ordered, edges[-1], "right"))
    return Bins(edges, below, above)


def date_bins(ordered: Floats) -> Bins:
    """Choose bins of whole days, weeks or about months for sorted days, about thirty of them."""
    low, high = float(np.floor(ordered[0])), float(np.floor(ordered[-1])) + 1
    wanted = (high - low) / 30
    width = next((w for w in DATE_WIDTHS if w >= wanted), DATE_WIDTHS[-1] * float(np.ceil(wanted / DATE_WIDTHS[-1])))
    return Bins(np.asarray(low + width * np.arange(int(np.ceil((high - low) / width)) + 1), np.float64))


def _start_width(ordered: Floats) -> float:
    n = len(ordered)
    q1, q3 = sorted_quantiles(ordered, np.array([0.25, 0.75]))
    spread = 2 * (q3 - q1) if q3 > q1 else 3.49 * float(np.std(ordered - ordered[0]))
    width = spread / n ** (1 / 3)
    return float(min(max(width, (ordered[-1] - ordered[0]) * 1e-9), ordered[-1] - ordered[0]))


def _round_width(width: float, whole: bool) -> float:
    """Return the nearest round width, in ratio; whole numbers take whole widths and no 2.5."""
    if whole and width <= 1:
        return 1.0
    choices = _round_widths(width, whole)
    return float(choices[np.argmin(np.abs(np.log(choices / width)))])


def _wider(width: float, whole: bool) -> float:
    """Return the next larger round width."""
    choices = _round_widths(width, whole)
    return float(choices[choices > width * (1 + 1e-9)].min())


def _round_widths(width: float, whole: bool) -> Floats:
    """Return the round widths about a width, sorted."""
    scale = 10.0 ** np.floor(np.log10(width))
    choices = np.array([m * s for s in (scale / 10, scale, scale * 10) for m in ROUND])
    return choices[(choices >= 1) & (choices == np.floor(choices))] if whole else choices


def _span(low: float, high: float, width: float, whole: bool) -> tuple[int, int]:
    """Return the first and last edge, in widths (less a half for whole numbers)."""
    shift = 0.5 if whole else 0.0
    first = int(np.floor((low + shift) / width + 1e-9))
    last = max(int(np.ceil((high + shift) / width - 1e-9)), first + 1)
    if whole and last * width - shift <= high:
        last += 1
    return first, last


def _bins_needed(low: float, high: float, width: float, whole: bool) -> int:
    first, last = _span(low, high, width, whole)
    return last - first
