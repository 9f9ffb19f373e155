"""What a careful colleague would say of one column of numbers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.table import number_label, short_label
from ..estimate import UNDEFINED_TEST, Significance
from ..finding import Finding, marked
from ..shapes.bins import Bins
from ..shapes.dip import dip_test
from ..shapes.peaks import peaks_by_width, two_peaks
from ..shapes.quantiles import sorted_quantiles
from ..shapes.resolution import recorded_step, step_in_words
from ..shapes.spikes import Atom, RoundSpikes, atom_at, round_spikes
from ..stats.groups import GroupedRows, GroupSummary
from ..tallies.moments import Moments

Floats = NDArray[np.float64]
DIP_ROWS = 20_000
"""An even choice of so many sorted values has the dip of all to 1 in 40,000, and a dip of 0.01 is sure by far."""
RowsBeyond = Callable[[float, float], list[str]]


@dataclass(frozen=True)
class ColumnShape:
    """What was seen in one column of numbers.

    Parameters
    ----------
    step
        In which the values were recorded; 0 for none.
    spikes, zeros, bound
        Rows heaped at round numbers, at zero, and at an end of the range.
    dip
        The dip test; ``spread_over`` is the step ties were spread over for it.
    """

    name: str
    step: float
    spikes: RoundSpikes | None
    zeros: Atom | None
    bound: Atom | None
    dip: Significance
    spread_over: float
    findings: tuple[Finding, ...]


def column_shape_of(
    name: str, column: GroupedRows, rows: RowsBeyond, bins: Bins, step: float | None = None
) -> ColumnShape:
    """Look at one column.

    Parameters
    ----------
    column
        The rows of the column, as one group.
    rows
        Returns the labels of the rows whose value lies below the first or above the second number.
    bins
        The bins it is shown in.
    step
        In which the values were recorded, where it is known.
    """
    ordered, summary = column.ordered[0], column.summary
    step = recorded_step(ordered) if step is None else step
    spikes, atoms = round_spikes(ordered, step), [atom_at(ordered, step, end) for end in (0, -1)]
    zeros = next((a for a in atoms if a and a.value == 0), None)
    bound = next((a for a in atoms if a and a.value != 0 and a.rows > T.BOUND_RATIO * a.expected), None)
    far = _far(ordered, summary)
    core = ordered[(ordered >= far[0]) & (ordered <= far[1])]
    body = core[core != 0] if zeros else core
    if bound:
        body = body[body != bound.value]
    some = body[:: max(1, len(body) // DIP_ROWS)]
    distinct_few = len(ordered) > 0 and _distinct(ordered) <= T.FEW_DISTINCT
    dip, spread = (UNDEFINED_TEST, 0.0) if distinct_few else dip_test(some, spikes.spacing if spikes else step)
    found: list[Finding] = []
    if len(ordered) >= T.LEAST_SHAPE and ordered[0] < ordered[-1]:
        found += _few_values(name, ordered)
        found += _gross(name, ordered, far, rows)
        found += _zeros(name, zeros, len(ordered))
        found += _bound(name, bound, len(ordered), "lowest" if bound and bound.value == ordered[0] else "highest")
        if not distinct_few:
            found += _outliers(name, ordered, summary, rows)
            found += _tail(name, core)
            found += _centre(name, summary)
            found += _spikes(name, spikes)
            peaks = _peaks(name, body, dip, spread)
            found += peaks
            found += _widths(name, body, bins, step)
            found += _steps(name, ordered, step, summary)
    return ColumnShape(name, step, spikes, zeros, bound, dip, spread, tuple(found))


def _distinct(ordered: Floats) -> int:
    return int(np.count_nonzero(np.diff(ordered))) + 1


def _far(ordered: Floats, summary: GroupSummary) -> tuple[float, float]:
    """Return how far a value may lie before it is gross: ten interquartile ranges from the quartiles.

    Where all values are above zero it must also lie three ranges of the logarithms out, so that the far end of a
    long tail is not called a slip.
    """
    if len(ordered) == 0:
        return -np.inf, np.inf
    q1, _, q3 = summary.quartiles[0]
    if not q3 > q1:
        return -np.inf, np.inf
    low, high = q1 - T.FAR_IQRS * (q3 - q1), q3 + T.FAR_IQRS * (q3 - q1)
    if ordered[0] > 0:
        l1, l3 = sorted_quantiles(np.log(ordered), np.array([0.25, 0.75]))
        with np.errstate(over="ignore"):
            low, high = min(low, float(np.exp(l1 - 3 * (l3 - l1)))), max(high, float(np.exp(l3 + 3 * (l3 - l1))))
    beyond = np.searchsorted(ordered, low, "left") + len(ordered) - np.searchsorted(ordered, high, "right")
    return (float(low), float(high)) if beyond <= T.FAR_SHARE * len(ordered) else (-np.inf, np.inf)


def _listed(rows: list[str], most: int = 5) -> str:
    return f"row{'s' if len(rows) > 1 else ''} {', '.join(rows[:most])}{', …' if len(rows) > most else ''}"


def _gross(name: str, ordered: Floats, far: tuple[float, float], rows: RowsBeyond) -> list[Finding]:
    below, above = (
        int(np.searchsorted(ordered, far[0], "left")),
        len(ordered) - int(np.searchsorted(ordered, far[1], "right")),
    )
    if not below + above:
        return []
    at = rows(*far)
    ends = [number_label(ordered[0])] * bool(below) + [number_label(ordered[-1])] * bool(above)
    return [
        Finding(
            "gross-outliers",
            "caution",
            (name,),
            f"{below + above:,} values of {marked(name)} lie over {T.FAR_IQRS:.0f} interquartile ranges from the "
            f"middle half, as far as {' and '.join(ends)}: {_listed(at)}.",
            "Check these rows: a slip of the pen, another unit, a code for missing. As they are, they set the mean, "
            "the deviation and the axis of every picture.",
            {"rows": at[:50], "count": below + above, "low": far[0], "high": far[1]},
        )
    ]


def _outliers(name: str, ordered: Floats, summary: GroupSummary, rows: RowsBeyond) -> list[Finding]:
    q1, _, q3 = summary.quartiles[0]
    if q1 == q3:
        return [
            Finding(
                "equal-quartiles",
                "note",
                (name,),
                f"At least half of the rows of {marked(name)} are {number_label(q1)}, so the quartiles coincide and no "
                "value is called an outlier.",
                "Look at the other rows by themselves, or split the column: is it this value, and if not, how much.",
                {"value": float(q1)},
            )
        ]
    low, high = summary.fences[0]
    below = int(np.searchsorted(ordered, low, "left"))
    above = len(ordered) - int(np.searchsorted(ordered, high, "right"))
    n = below + above
    expected = 0.007 * len(ordered)  # of a normal distribution
    if n <= T.OUTLIER_RATIO * expected + T.SURE * np.sqrt(max(expected, 1.0)):
        return []
    at = rows(float(low), float(high))
    return [
        Finding(
            "many-outliers",
            "note",
            (name,),
            f"{n:,} of {len(ordered):,} values of {marked(name)} lie beyond Tukey's fences, {below:,} below "
            f"{short_label(low)} and {above:,} above {short_label(high)}; a normal distribution would have about "
            f"{expected:,.0f} ({_listed(at)}).",
            "Beyond the fences is not wrong: look at the rows, then keep, mend, or use a measure they do not move.",
            {"count": n, "below": below, "above": above, "rows": at[:50]},
        )
    ]


def _tail(name: str, core: Floats) -> list[Finding]:
    if len(core) < T.LEAST_SHAPE:
        return []
    skewness = _skewness(core)
    # standard error under normality (Cramér 1946, 27.7.9)
    if not abs(skewness) > max(T.TAIL_SKEWNESS, T.SURE * np.sqrt(6 / len(core))):
        return []
    side = "right" if skewness > 0 else "left"
    transform, after = _best_transform(core, skewness)
    flips = side == "right" and core[0] >= 0
    axis = f"Try scale={'log' if transform == 'log' else 'log1p'!r} in the picture, and" if flips else "Use"
    helps = f"{transform} would bring it to {after:.1f}" if transform else "no simple transform straightens it"
    return [
        Finding(
            "long-tail",
            "note",
            (name,),
            f"{marked(name)} has a long {side} tail (skewness {skewness:.1f}); {helps}.",
            f"{axis} medians or ranks to compare groups; a mean is pulled towards the tail.",
            {"skewness": skewness, "side": side, "transform": transform, "skewness_after": after},
        )
    ]


def _skewness(x: Floats) -> float:
    tally = Moments()
    tally.add_groups([x if x[0] <= x[-1] else x[::-1]])
    return float(tally.finish().skewness[0])


def _best_transform(core: Floats, skewness: float) -> tuple[str, float]:
    """Return the transform that leaves the least skewness, and how much; none if it does not halve it."""
    flipped = core[-1] - core if skewness < 0 else core
    tried: dict[str, Floats] = {}
    if flipped[-1 if skewness < 0 else 0] > 0:
        tried["log"] = np.log(flipped)
    if flipped.min() >= 0:
        tried["square root"], tried["log1p"] = np.sqrt(flipped), np.log1p(flipped)
    results = {t: _skewness(v) for t, v in tried.items() if v.min() < v.max()}
    if not results:
        return "", float("nan")
    best = min(results, key=lambda t: abs(results[t]))
    if not abs(results[best]) < abs(skewness) / 2:
        return "", results[best]
    return (f"{best} of the largest value less it" if skewness < 0 else best), results[best]


def _centre(name: str, summary: GroupSummary) -> list[Finding]:
    m = summary.moments
    n, sd, g1 = int(m.n[0]), float(m.sd[0]), float(m.skewness[0])
    mean, median = float(m.mean[0]), float(summary.quartiles[0][1])
    if not (sd > 0 and np.isfinite(sd) and g1 == g1):
        return []
    shift = (mean - median) / sd
    q1, _, q3 = summary.quartiles[0]
    width = (q3 - q1) / 1.349 if q3 > q1 else sd
    robust = (mean - median) / width
    sure = abs(shift) * np.sqrt(n) / 0.7555 > T.SURE and abs(g1) > T.SURE * np.sqrt(6 / n)
    if not (sure and shift * g1 < 0 and abs(robust) > T.CENTRE_SHIFT and abs(g1) > T.CENTRE_SKEWNESS):
        return []
    side = "right" if g1 > 0 else "left"
    return [
        Finding(
            "centre-disagrees",
            "note",
            (name,),
            f"The mean of {marked(name)} ({short_label(mean)}) lies {'above' if shift > 0 else 'below'} its median "
            f"({short_label(median)}), yet its skewness is {g1:.2f}, a long {side} tail: a few far values on the "
            f"{side} set the skewness, the bulk leans the other way.",
            "Do not sum this shape up in one word; look at the histogram, and at the far values apart.",
            {"mean": mean, "median": median, "skewness": g1},
        )
    ]


def _spikes(name: str, spikes: RoundSpikes | None) -> list[Finding]:
    if spikes is None:
        return []
    spacing = number_label(spikes.spacing)
    return [
        Finding(
            "round-number-spikes",
            "caution",
            (name,),
            f"{spikes.share:.0%} of the rows of {marked(name)} are multiples of {spacing}, where their surroundings "
            f"lead to expect {spikes.expected:.0%}: numbers were rounded or guessed.",
            f"Use bins of {spacing} or a multiple of it, and read no peak finer than that.",
            {
                "spacing": spikes.spacing,
                "share": spikes.share,
                "expected": spikes.expected,
                "values": list(spikes.values),
            },
        )
    ]


def _zeros(name: str, zeros: Atom | None, n: int) -> list[Finding]:
    if zeros is None:
        return []
    return [
        Finding(
            "excess-zeros",
            "note",
            (name,),
            f"{zeros.rows:,} rows of {marked(name)} ({zeros.rows / n:.0%}) are exactly 0, where the values beside it "
            f"lead to expect about {zeros.expected:,.0f}.",
            "Zero may mean none, not looked, or below what can be measured: consider a column of its own for it.",
            {"rows": zeros.rows, "expected": zeros.expected},
        )
    ]


def _bound(name: str, bound: Atom | None, n: int, which: str) -> list[Finding]:
    if bound is None:
        return []
    return [
        Finding(
            "values-at-bound",
            "caution",
            (name,),
            f"{bound.rows:,} rows of {marked(name)} ({bound.rows / n:.1%}) are exactly {number_label(bound.value)}, "
            f"its {which} value, where about {bound.expected:,.0f} would be expected: the instrument or the form "
            "stops there.",
            "Their true values lie beyond: treat them as “this or more extreme”, and expect means to be off.",
            {"value": bound.value, "rows": bound.rows, "expected": bound.expected},
        )
    ]


def _peaks(name: str, body: Floats, dip: Significance, spread: float) -> list[Finding]:
    if not (dip.p < T.DIP_P and dip.statistic > T.DIP_LEAST):
        return []
    peaks = two_peaks(body)
    if peaks is None:
        return []
    where = ", ".join(short_label(float(f"{p:.3g}")) for p in (peaks.first, peaks.second))
    jitter = f", ties spread over their step of {number_label(spread)}" if spread else ""
    p = "p < 0.001" if dip.p < 0.001 else f"p = {dip.p:.3f}"
    return [
        Finding(
            "two-peaks",
            "caution",
            (name,),
            f"{marked(name)} has more than one peak, near {where}, with a valley at {float(f'{peaks.valley:.3g}'):g} "
            f"(dip {dip.statistic:.3f}, {p}{jitter}).",
            "Two kinds of row are mixed: find the column that tells them apart. A mean, and a box, describe neither.",
            {"dip": dip.statistic, "p": dip.p, "peaks": [peaks.first, peaks.second], "valley": peaks.valley},
        )
    ]


def _widths(name: str, core: Floats, bins: Bins, step: float) -> list[Finding]:
    counts = peaks_by_width(core, bins, step)
    if len(set(counts.values())) < 2:
        return []
    told = ", ".join(f"{k} in bins of {short_label(w)}" for w, k in counts.items())
    return [
        Finding(
            "bins-change-story",
            "caution",
            (name,),
            f"How many peaks {marked(name)} seems to have depends on the width of the bins: {told}.",
            "Try other widths before reading a peak: --width at the command line, width= in Python.",
            {"peaks": {short_label(w): k for w, k in counts.items()}},
        )
    ]


def _few_values(name: str, ordered: Floats) -> list[Finding]:
    distinct = _distinct(ordered)
    if distinct > T.FEW_DISTINCT or len(ordered) < T.ROWS_PER_STEP * distinct:
        return []
    values = ", ".join(number_label(v) for v in pd.unique(ordered)[:10])
    return [
        Finding(
            "few-values",
            "note",
            (name,),
            f"{marked(name)} has only {distinct} different values ({values}) in {len(ordered):,} rows: really levels.",
            f"If they are grades or names, say so: --kind {name}=ordinal (or nominal); rates then come by value.",
            {"distinct": distinct},
        )
    ]


def _steps(name: str, ordered: Floats, step: float, summary: GroupSummary) -> list[Finding]:
    q1, _, q3 = summary.quartiles[0]
    width = float(q3 - q1) / 1.349 if q3 > q1 else float(summary.moments.sd[0])
    if not (step and step > T.STEP_SHARE * width and _distinct(ordered) < len(ordered) / 2):
        return []
    return [
        Finding(
            "recorded-resolution",
            "note",
            (name,),
            f"{marked(name)} was recorded in {step_in_words(step)}, {step / width:.2f} of a standard deviation: a "
            "density, a Q–Q plot and a cumulative curve show that as steps, ranks as ties.",
            f"Do not read the steps as structure; bins are of {number_label(step)} or its multiples.",
            {"step": step, "of_sd": step / width},
        )
    ]
