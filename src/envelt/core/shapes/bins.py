"""Bins a person can read: round widths on multiples of the width, halves for whole numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from .. import thresholds as T
from .quantiles import few_values, sorted_quantiles
from .resolution import recorded_step

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

MOST_BINS = 60
LEAST_SPAN = 1e-290
"""Values closer together than this are one value: widths between them are no numbers."""
MOST_ASKED = 10_000
LEAST_IN_BODY = 4.0
"""Bins across the middle half of the rows, below which a tail is cut so that the body can be seen."""
ROUND = (1.0, 2.0, 2.5, 5.0)


@dataclass(frozen=True)
class Bins:
    """Edges of bins closed on the left, the last on both sides.

    ``below`` and ``above`` count the values of a long tail that lie outside the edges; ``outer`` is how far
    those tails reach, on round edges.
    """

    edges: Floats
    below: int = 0
    above: int = 0
    outer: tuple[float, float] = (float("nan"), float("nan"))

    def count(self, ordered: Floats) -> Ints:
        """Count a sorted array into the bins."""
        places = np.searchsorted(ordered, self.edges, "left")
        places[-1] = np.searchsorted(ordered, self.edges[-1], "right")
        return np.diff(places).astype(np.int64)

    @property
    def all_edges(self) -> Floats:
        """The edges, with one more at either end for the rows of a tail that was cut."""
        low = [self.outer[0]] if self.below else []
        high = [self.outer[1]] if self.above else []
        return np.concatenate([low, self.edges, high])

    def count_all(self, ordered: Floats) -> Ints:
        """Count a sorted array into `all_edges`: every value is in one bin."""
        places = np.searchsorted(ordered, self.all_edges, "left")
        if self.above:  # the body's last bin is closed on both sides
            places[-2] = np.searchsorted(ordered, self.edges[-1], "right")
        places[-1] = np.searchsorted(ordered, self.all_edges[-1], "right")
        return np.diff(places).astype(np.int64)


def readable_bins(
    ordered: Floats,
    bins: int | None = None,
    width: float | None = None,
    start: float | None = None,
    heaps: float | None = None,
    step: float | None = None,
) -> Bins:
    """Choose bins for a sorted, non-empty array.

    Freedman & Diaconis's width (1981), Scott's (1979) where the quartiles coincide, rounded to 1, 2, 2.5 or
    5 × 10^k and to a multiple of the step in which the values were recorded (of dozens to so many dozens), so that no
    bin holds more steps than its neighbour. Bins of one step, and of whole numbers, have their edges half-way between
    values. At most 60 bins; where a tail would then leave under four bins to the middle half of the rows, the bins
    cover Tukey's fences and the rest is counted at the edge.

    Parameters
    ----------
    ordered
        Sorted values, shape (n,).
    bins
        About how many bins; the width is still rounded.
    width, start
        The width and an edge to start from, in the units of the values; no tail is cut.
    heaps
        The spacing of round numbers at which rows are heaped: bins are then of one step, which shows the heaps, or of
        multiples of the spacing, which even them out; any other width would invent peaks.

    step
        In which the values were recorded, where it is known.

    Raises
    ------
    OptionError
        The width is not above zero, or there would be more than 10,000 bins.
    """
    low, high = float(ordered[0]), float(ordered[-1])
    step = recorded_step(ordered) if step is None else step
    whole = bool((ordered == np.floor(ordered)).all())
    step = max(step, 1.0) if whole else step
    if bins is not None and not 1 <= bins <= MOST_ASKED:
        raise OptionError(f"The number of bins must be from 1 to {MOST_ASKED:,}, not {bins:,}.")
    if width is not None or start is not None:
        return _asked_for(ordered, width or _chosen_width(ordered, bins, whole, step), start, whole, step)
    if not high - low > LEAST_SPAN:
        half = 0.5 if whole else max(abs(low) * 0.05, 0.5)
        return Bins(np.array([low - half, high + half]))
    if heaps is not None and bins is None:
        return _heaped(ordered, low, high, whole, step, heaps)
    wanted = _chosen_width(ordered, bins, whole, step)
    most = MOST_BINS if bins is None else max(bins, 1)
    fitting = _fitting_width(low, high, wanted, whole, step, most)
    q1, q3 = (float(q) for q in sorted_quantiles(ordered, np.array([0.25, 0.75])))
    if bins is not None or fitting == wanted or q3 - q1 >= LEAST_IN_BODY * fitting or q1 == q3:
        return _spanning(ordered, low, high, fitting, whole, step)
    near_low, near_high = max(low, q1 - 1.5 * (q3 - q1)), min(high, q3 + 1.5 * (q3 - q1))
    # two bins are kept for the tails
    fitting = _fitting_width(near_low, near_high, wanted, whole, step, MOST_BINS - 2)
    return _spanning(ordered, near_low, near_high, fitting, whole, step)


def _heaped(ordered: Floats, low: float, high: float, whole: bool, step: float, heaps: float) -> Bins:
    """Return bins of one step over the body where it has few enough, else of multiples of the heaps' spacing."""
    q1, q3 = (float(q) for q in sorted_quantiles(ordered, np.array([0.25, 0.75])))
    near_low, near_high = max(low, q1 - 1.5 * (q3 - q1)), min(high, q3 + 1.5 * (q3 - q1))
    for ends in ((low, high), (near_low, near_high)):
        if _bins_needed(*ends, step, whole, step) <= MOST_BINS - 2:
            return _spanning(ordered, *ends, step, whole, step)
    fitting = heaps
    for times in (2, 5, 10, 20, 50, 100, 200, 500, 1000):
        if _bins_needed(near_low, near_high, fitting, whole, step) <= MOST_BINS - 2:
            break
        fitting = heaps * times
    ends = (low, high) if _bins_needed(low, high, fitting, whole, step) <= MOST_BINS else (near_low, near_high)
    return _spanning(ordered, *ends, fitting, whole, step)


def _chosen_width(ordered: Floats, bins: int | None, whole: bool, step: float) -> float:
    if not ordered[-1] - ordered[0] > LEAST_SPAN:
        return 1.0
    narrow = whole and step == 1 and float(ordered[-1] - ordered[0]) < MOST_BINS
    if bins is None and narrow and few_values([ordered], T.BY_VALUE) is not None:
        return 1.0  # each of a few whole numbers is a bar
    wanted = _start_width(ordered) if bins is None else float(ordered[-1] - ordered[0]) / bins
    return _round_width(wanted, whole, step)


def _fitting_width(low: float, high: float, width: float, whole: bool, step: float, most: int) -> float:
    """Return the width, or the next round one of which no more than ``most`` are needed."""
    # on either side of zero there is a bin each, however wide
    while width < 4 * (high - low) and _bins_needed(low, high, width, whole, step) > most:
        width = _wider(width, whole, step)
    return width


def _spanning(ordered: Floats, low: float, high: float, width: float, whole: bool, step: float) -> Bins:
    first, last = _span(low, high, width, whole, step)
    edges = _edges(first, last, width, _shift(width, whole, step))
    below = int(np.searchsorted(ordered, edges[0], "left"))
    above = len(ordered) - int(np.searchsorted(ordered, edges[-1], "right"))
    if not below and not above:
        return Bins(edges)
    first, last = _span(float(ordered[0]), float(ordered[-1]), width, whole, step)
    ends = _edges(first, last, width, _shift(width, whole, step), ends_only=True)
    return Bins(edges, below, above, (float(ends[0]), float(ends[-1])))


def _asked_for(ordered: Floats, width: float, start: float | None, whole: bool, step: float) -> Bins:
    """Return bins of the width a person asked for, over all values."""
    if not (np.isfinite(width) and width > 0):
        raise OptionError(f"The width of the bins must be a number above zero, not {width:g}.")
    low, high = float(ordered[0]), float(ordered[-1])
    if not (start is None or np.isfinite(start)):
        raise OptionError(f"Bins can only start from a number, not {start:g}.")
    with np.errstate(over="ignore"):
        needed = np.float64(high - low) / width
    if not needed <= MOST_ASKED:
        if not 1e-300 < high - low < 1e300:
            raise OptionError(f"Values from {low:g} to {high:g} cannot be cut into bins of {width:g}: leave width out.")
        raise OptionError(
            f"Bins of {width:g} would be {needed:,.0f} over {low:g} to {high:g}; at most {MOST_ASKED:,} are made. "
            f"Try a width of {_round_width((high - low) / MOST_BINS, whole, step):g}, or leave it out."
        )
    if start is None:
        first, last = _span(low, high, width, whole, step)
        return Bins(_edges(first, last, width, _shift(width, whole, step)))
    if not max(abs(low - start), abs(high - start)) < 2**50 * width:
        raise OptionError(f"Bins of {width:g} cannot start from {start:g}, so far from {low:g} to {high:g}.")
    first, last = int(np.floor((low - start) / width + 1e-9)), int(np.ceil((high - start) / width - 1e-9))
    return Bins(np.asarray(start + width * np.arange(first, max(last, first + 1) + 1), np.float64))


def _edges(first: int, last: int, width: float, shift: float, ends_only: bool = False) -> Floats:
    """Return first·width … last·width less a shift, each the float nearest to its decimal."""
    k = np.array([first, last]) if ends_only else np.arange(first, last + 1)
    edges = k * width - shift
    if not 1e-290 < width < 1e12:
        return np.asarray(edges, np.float64)
    return np.asarray(np.round(edges, max(2, 4 - int(np.floor(np.log10(width))))), np.float64)


def _shift(width: float, whole: bool, step: float) -> float:
    """Return what edges are shifted down by so that bars stand over the values in them."""
    if whole:
        return 0.5
    return step / 2 if step and width < 1.5 * step else 0.0


def _start_width(ordered: Floats) -> float:
    n = len(ordered)
    q1, q3 = sorted_quantiles(ordered, np.array([0.25, 0.75]))
    scale = float(ordered[-1] - ordered[0])
    spread = 2 * (q3 - q1) if q3 > q1 else 3.49 * scale * float(np.std((ordered - ordered[0]) / scale))
    width = spread / n ** (1 / 3)
    return float(min(max(width, scale * 1e-9), scale))


def _round_width(width: float, whole: bool, step: float) -> float:
    """Return the nearest round width, in ratio, that is a multiple of the step."""
    if step and width <= step:
        return step
    choices = _round_widths(width, whole, step)
    return float(choices[np.argmin(np.abs(np.log(choices / width)))])


def _is_round(step: float) -> bool:
    mantissa = float(f"{step:e}".partition("e")[0])
    return any(abs(mantissa - m) < 1e-6 for m in ROUND)


def _wider(width: float, whole: bool, step: float) -> float:
    """Return the next larger round width."""
    choices = _round_widths(width, whole, step)
    return float(choices[choices > width * (1 + 1e-9)].min())


def _round_widths(width: float, whole: bool, step: float) -> Floats:
    """Return the round widths about a width, sorted; of a step that is not round (dozens) round numbers of it."""
    if step and not _is_round(step):
        return step * _round_widths(width / step, True, 1.0)
    k = int(np.floor(np.log10(width)))
    choices = np.array([float(f"{m}e{j}") for j in (k - 1, k, k + 1, k + 2) for m in ROUND])
    if whole:
        choices = choices[(choices >= 1) & (choices == np.floor(choices))]
    if step:
        ratio = choices / step
        fits = (np.abs(ratio - np.rint(ratio)) < 1e-6) & (ratio > 0.5)
        choices = choices[fits]
    return np.asarray(choices, np.float64)


def _span(low: float, high: float, width: float, whole: bool, step: float) -> tuple[int, int]:
    """Return the first and last edge, in widths (less the shift)."""
    shift = _shift(width, whole, step)
    first = int(np.floor((low + shift) / width + 1e-9))
    last = max(int(np.ceil((high + shift) / width - 1e-9)), first + 1)
    if shift and last * width - shift <= high:
        last += 1
    # what the tolerance let slip: a value just outside
    low_edge, high_edge = _edges(first, last, width, shift, ends_only=True)
    return first - int(low < low_edge), last + int(high > high_edge)


def _bins_needed(low: float, high: float, width: float, whole: bool, step: float) -> int:
    first, last = _span(low, high, width, whole, step)
    return last - first
