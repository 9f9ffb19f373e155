"""What every transform does to one column: its shape, its distance from normal, its straight-line fit."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from ..distribution.column_findings import peaks_of
from ..distribution.tails import beyond, far_limits
from ..estimate import UNDEFINED_TEST, Significance
from ..magnitude import in_unit
from ..parallel import in_threads
from ..shapes.dip import dip_test
from ..shapes.peaks import TwoPeaks
from ..shapes.quantiles import sorted_quantiles
from ..shapes.resolution import multiples_of, recorded_step
from ..shapes.spikes import atom_at, round_spikes
from ..stats.held_out_line import StraightLine, line_targets
from ..stats.heldout import HeldOutRows
from ..stats.sampling import Sampling
from ..tallies.moments import Moments
from .forms import ALL, NAMES, Transform, fit_transform, why_not

Floats = NDArray[np.float64]

BINS = 24
POINTS = 120
"""Of a Q–Q line."""
TAIL = 0.002
"""Of the rows beyond either end of a small histogram, which are counted at the edge."""
DIP_ROWS = 20_000
MOST_STEPS = 1_000
"""Of the largest count; what has more is an amount."""


@dataclass(frozen=True)
class Seen:
    """One transform of a column.

    Parameters
    ----------
    transform
        With what was fitted; nothing where it cannot be used.
    why_not
        Then the reason.
    skewness, excess_kurtosis
        G1 and G2 of the transformed values.
    distance
        The largest gap between the distribution functions of the standardized sample and of the normal.
    outcome_share
        The held-out share of a straight-line fit of the outcome; NaN without one.
    edges, counts
        Of a small histogram; rows beyond its ends are in the end bins.
    quantiles
        Of the standardized sample, at `Compared.normal`.
    step
        What one more on this scale means, in words.
    gain
        How much likelier the values are as a transformed normal than as a normal, in units of log-likelihood; NaN
        where that is not defined.
    """

    name: str
    transform: Transform | None = None
    why_not: str = ""
    skewness: float = np.nan
    excess_kurtosis: float = np.nan
    distance: float = np.nan
    outcome_share: float = np.nan
    edges: Floats = field(default_factory=lambda: np.zeros(0))
    counts: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    quantiles: Floats = field(default_factory=lambda: np.zeros(0))
    step: str = ""
    gain: float = np.nan

    @property
    def usable(self) -> bool:
        """Whether it can be used."""
        return self.transform is not None


@dataclass(frozen=True)
class Compared:
    """All transforms of one column.

    Parameters
    ----------
    name, n, missing
        Of the column.
    seen
        By the transform's name.
    top, top_share, second_share
        The most frequent value, the share of rows that hold it, and the share of the next most frequent.
    distinct
        How many different values there are.
    dip
        The dip test of the values as they are, those that heap at zero left out.
    peaks
        Two peaks, where they are surely there.
    slips
        How many values lie so far from the rest that a slip is likelier than a tail.
    far
        Between which limits the others lie.
    step, mean, dispersion
        Of counts from zero up the step they are written in, 0 for what is none; in it their mean, and their variance
        over it, which is 1 for Poisson's; else NaN.
    effect
        What units inflate the variance of the distribution function by; 1 where rows are cases.
    """

    name: str
    n: int
    missing: int
    seen: dict[str, Seen]
    top: float
    top_share: float
    second_share: float
    distinct: int
    dip: Significance
    peaks: TwoPeaks | None
    slips: int
    far: tuple[float, float]
    step: float
    mean: float
    dispersion: float
    normal: Floats
    effect: float

    @property
    def cases(self) -> float:
        """How many rows that are cases would tell as much."""
        return self.n / self.effect

    @cached_property
    def usable(self) -> list[Seen]:
        """The transforms that can be used, in order."""
        return [s for s in self.seen.values() if s.usable]


def compare(name: str, values: Floats, sampling: Sampling, held: HeldOutRows | None = None) -> Compared:
    """Try every transform on a column.

    Parameters
    ----------
    values
        Shape (n,), NaN where missing.
    sampling
        Of these rows.
    held
        Of these rows those with an outcome, where there is one.
    """
    present = ~np.isnan(values)
    kept = values if present.all() else values[present]
    missing = len(values) - len(kept)
    if len(kept) == 0:
        nothing = {f: Seen(f, why_not="missing in every row") for f in NAMES}
        none = np.nan
        return Compared(name, 0, missing, nothing, none, none, none, 0, UNDEFINED_TEST, None, 0, ALL, 0.0, none, none,
                        np.zeros(0), 1.0)  # fmt: skip
    order = np.argsort(kept)
    ordered = kept[order]
    first = np.flatnonzero(np.concatenate(([True], ordered[1:] > ordered[:-1])))
    distinct, count = ordered[first], np.diff(np.append(first, len(ordered)))
    line = None
    if held is not None and len(distinct) > 1:
        line = _line(values, distinct, held)
    at = int(np.argmax(count))
    positions = (np.arange(POINTS) + 0.5) / POINTS if len(ordered) > POINTS else (np.arange(len(ordered)) + 0.5) / len(
        ordered)  # fmt: skip
    normal = ndtri(positions)
    below, effect = np.cumsum(count), sampling.distribution_effect(values)

    def look(form: str) -> Seen:
        return _seen(form, kept, distinct, count, below, positions, line, effect)

    seen = in_threads(look, NAMES, len(kept))
    dip, peaks = _peaks(ordered, effect)
    far = far_limits(ordered, sorted_quantiles(ordered, np.array([0.25, 0.5, 0.75])))
    return Compared(
        name, len(kept), missing, {s.name: s for s in seen}, float(distinct[at]), float(count[at]) / len(kept),
        float(np.partition(count, -2)[-2]) / len(kept) if len(count) > 1 else 0.0,
        len(distinct), dip, peaks, sum(beyond(ordered, far)), far,
        *_of_counts(distinct, count), normal, effect,
    )  # fmt: skip


def _of_counts(distinct: Floats, count: NDArray[np.int64]) -> tuple[float, float, float]:
    """Return the step of counts, 0 for what is none, and in that step their mean, and their variance over it.

    Counts are multiples, from few up, of the step that they are recorded in.
    """
    step = recorded_step(distinct)
    if step == 0 or distinct[0] < 0 or distinct[-1] > MOST_STEPS * step:
        return 0.0, np.nan, np.nan
    counted, n = multiples_of(distinct, step), int(count.sum())
    mean = float(count @ counted) / n
    if 2 * counted[0] > mean:  # what has no small values was measured
        return 0.0, np.nan, np.nan
    return step, mean, float(count @ (counted - mean) ** 2) / max(n - 1, 1) / mean


def _peaks(ordered: Floats, effect: float) -> tuple[Significance, TwoPeaks | None]:
    """Test for two peaks as the distribution does: zeros that heap aside, round numbers spread over their spacing."""
    step = recorded_step(ordered)
    spikes, low = round_spikes(ordered, step, effect), atom_at(ordered, step, 0, effect)
    body = ordered[ordered != 0] if low is not None and low.value == 0 else ordered
    dip = dip_test(body[:: max(1, len(body) // DIP_ROWS)], effect, spikes.spacing if spikes else step)[0]
    return dip, peaks_of(body, dip)


def _line(values: Floats, distinct: Floats, held: HeldOutRows) -> StraightLine | None:
    of_known = values[held.known]
    here = ~np.isnan(of_known)
    held = held.take(here)
    if not line_targets(held.target):
        return None
    place = np.searchsorted(distinct, of_known[here])
    counts = np.bincount(place, minlength=len(distinct))
    used = np.flatnonzero(counts)
    if len(used) < 2:
        return None
    if len(used) == len(distinct):
        return StraightLine(place, counts, held)
    renumber = np.zeros(len(distinct), np.int64)
    renumber[used] = np.arange(len(used))
    return _Some(StraightLine(renumber[place], counts[used], held), used)


class _Some(StraightLine):
    """A line through some of the distinct values: those of rows with an outcome."""

    def __init__(self, line: StraightLine, used: NDArray[np.intp]) -> None:
        self._of_some, self._used = line, used

    def share(self, values: Floats) -> float:
        """Return the share of the line in the images of all distinct values."""
        return self._of_some.share(values[self._used])


def _seen(
    form: str, values: Floats, distinct: Floats, count: NDArray[np.int64], below: NDArray[np.int64],
    positions: Floats, line: StraightLine | None, effect: float,
) -> Seen:  # fmt: skip
    reason = why_not(form, float(distinct[0]), float(distinct[-1]))
    if reason:
        return Seen(form, why_not=reason)
    transform = fit_transform(form, distinct if form == "as_is" else values, effect)
    images = transform.apply(distinct)
    if not np.isfinite(images).all() or (len(images) > 1 and images.min() == images.max()):
        return Seen(form, why_not="its values leave the range of numbers, or become one")
    n = len(values)
    moments = Moments(1)
    if len(distinct) == n:
        moments.add_groups([images if images[0] <= images[-1] else images[::-1]])
    else:
        moments.add(images, weight=count)
    told = moments.finish()
    mean, sd = float(told.mean[0]), float(told.sd[0])
    if not 0 < sd < np.inf:
        return Seen(form, transform, distance=np.nan, step="")
    falling = images[0] > images[-1]
    standard = (images - mean) / sd
    under = ndtr(standard)
    upto = below / n
    before = upto - count / n
    if falling:
        upto, before = 1 - before, 1 - upto
    distance = float(max(np.abs(upto - under).max(), np.abs(before - under).max()))
    rows = np.minimum((positions * n).astype(np.int64), n - 1)
    at = np.searchsorted(below, rows, "right")
    quantiles = standard[at][::-1] if falling else standard[at]
    edges, counts = _histogram(images, count, falling)
    return Seen(
        form, transform, "", float(told.skewness[0]), float(told.excess_kurtosis[0]), distance,
        np.nan if line is None else line.share(images), edges, counts, quantiles,
        step_in_words(transform, distinct, below, mean, sd), _gain(transform, distinct, count, sd, effect),
    )  # fmt: skip


SLOPES = {
    "log": (-1.0, 0.0), "sqrt": (-0.5, -np.log(2)), "cube_root": (-2 / 3, -np.log(3)), "reciprocal": (-2.0, 0.0),
    "square": (1.0, np.log(2)),
}  # fmt: skip
"""The logarithm of each transform's slope, as a multiple of log x, and a constant."""


def _gain(transform: Transform, distinct: Floats, count: NDArray[np.int64], sd: float, effect: float) -> float:
    """Return how much likelier the values are as a transformed normal: −n log sd + Σ log f′, less that as they are."""
    if transform.name == "as_is":
        return 0.0
    if transform.name == "log1p":
        slopes = -np.log1p(distinct)
    elif transform.name in SLOPES and distinct[0] > 0:
        times, plus = SLOPES[transform.name]
        slopes = times * np.log(distinct) + plus
    else:
        return transform.gain if np.isfinite(transform.parameter) else np.nan
    n = count.sum()
    away, unit = in_unit(distinct - float(count @ distinct) / n)
    plain = float(np.sqrt(count @ away**2 / (n - 1)))
    return float(n * (np.log(plain) + np.log(unit) - np.log(sd)) + count @ slopes) / effect


def _histogram(images: Floats, count: NDArray[np.int64], falling: bool) -> tuple[Floats, NDArray[np.int64]]:
    """Count images in a few even bins between their outer quantiles; what lies beyond goes to the end bins."""
    if falling:
        images, count = images[::-1], count[::-1]
    below = np.cumsum(count)
    ends = np.searchsorted(below, np.array([TAIL, 1 - TAIL]) * below[-1])
    low, high = images[ends[0]], images[min(ends[1], len(images) - 1)]
    if not low < high:
        low, high = images[0], images[-1]
    edges = np.linspace(low, high, BINS + 1)
    cell = np.clip(np.searchsorted(edges, images, "right") - 1, 0, BINS - 1)
    return edges, np.bincount(cell, weights=count, minlength=BINS).astype(np.int64)


MULTIPLIED = {"log": "", "log1p": " of 1 + x", "log_offset": " of {:.3g} + x"}


def step_in_words(transform: Transform, distinct: Floats, below: NDArray[np.int64], mean: float, sd: float) -> str:
    """Say what one more on the transformed scale means: a factor, or where it takes the median."""
    if transform.name == "as_is":
        return ""
    if transform.name in MULTIPLIED:
        return f"+1 is ×2.72{MULTIPLIED[transform.name].format(transform.parameter)}"
    middle = float(distinct[int(np.searchsorted(below, below[-1] / 2))])
    start = float(transform.apply(np.array([middle]))[0])
    for size in (1.0, 0.1, 0.01, 0.001):
        for step in (size, -size):
            end = float(transform.inverse(np.array([start + step]))[0])
            moved = f"{end:.3g}" != f"{middle:.3g}"
            if size <= 3 * sd and np.isfinite(end) and distinct[0] <= end <= distinct[-1] and moved:
                return f"{step:+g}: {middle:.3g} → {end:.3g}".replace("-", "−")
    end = float(transform.inverse(np.array([start + sd]))[0])
    return f"{float(f'{sd:.2g}'):+g}: {middle:.3g} → {end:.3g}".replace("-", "−") if np.isfinite(end) else ""
