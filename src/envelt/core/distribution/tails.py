"""What lies far out in a column: slips, tails, and centres that disagree."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...errors import option
from .. import thresholds as T
from ..columns.labels import number_label, short_label
from ..finding import Finding, marked
from ..magnitude import in_unit
from ..sentinels import SENTINELS, sentinel_finding
from ..shapes.quantiles import sorted_quantiles
from ..shapes.ranks import run_lengths
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows
from ..stats.sampling import Sampling
from ..tallies.moments import Moments
from ..words import plural

Floats = NDArray[np.float64]
RowsBeyond = Callable[[float, float], list[str]]
"""The names of the rows below the one value or above the other."""


def far_limits(ordered: Floats, quartiles: Floats) -> tuple[float, float]:
    """Return how far a value may lie before it is gross: ten interquartile ranges from the quartiles.

    Where no value is below zero it must also lie three ranges of the logarithms of those above it out (five where the
    middle half is skewed itself), so that the far end of a long tail is not called a slip; of others likewise below the
    largest value.
    """
    if len(ordered) == 0:
        return -np.inf, np.inf
    q1, middle, q3 = quartiles
    if not q3 > q1:
        return -np.inf, np.inf
    low, high = q1 - T.FAR_IQRS * (q3 - q1), q3 + T.FAR_IQRS * (q3 - q1)
    if ordered[0] >= 0:
        skewed = q3 - middle >= T.FAR_SKEWED * (middle - q1)  # the middle half leans too: its tail reaches far
        first, last = _log_reach(ordered, T.FAR_LOG_SKEWED if skewed else T.FAR_LOG)
        low, high = min(low, first), max(high, last)
    else:
        low = min(low, float(ordered[-1]) - _log_reach(ordered[-1] - ordered[::-1], T.FAR_LOG)[1])
    below, above = ordered[: np.searchsorted(ordered, low, "left")], ordered[np.searchsorted(ordered, high, "right") :]
    beyond = np.concatenate([below, above])
    code = int(run_lengths(beyond).max(initial=0))  # one value many times is a code, the others are slips
    slips = code <= T.FAR_SHARE_OF_A_CODE * len(ordered) and len(beyond) - code <= T.FAR_SHARE * len(ordered)
    return (float(low), float(high)) if slips else (-np.inf, np.inf)


def _log_reach(ordered: Floats, ranges: float) -> tuple[float, float]:
    """Return so many interquartile ranges of the logarithms beyond their quartiles; of the values above zero."""
    positive = ordered[int(np.searchsorted(ordered, 0.0, "right")) :]
    if len(positive) < 4:
        return -np.inf, np.inf
    l1, l3 = np.log(sorted_quantiles(positive, np.array([0.25, 0.75])))
    with np.errstate(over="ignore"):
        return float(np.exp(l1 - ranges * (l3 - l1))), float(np.exp(l3 + ranges * (l3 - l1)))


def beyond(ordered: Floats, far: tuple[float, float]) -> tuple[int, int]:
    """Return how many values lie beyond limits on either side, where a wide gap parts them from the rest; else none."""
    below = int(np.searchsorted(ordered, far[0], "left"))
    above = len(ordered) - int(np.searchsorted(ordered, far[1], "right"))
    return (below, above) if below + above and _stand_apart(ordered, below, above) else (0, 0)


def _listed(rows: list[str], most: int = 5) -> str:
    return f"row{'s' if len(rows) > 1 else ''} {', '.join(rows[:most])}{', …' if len(rows) > most else ''}"


def gross_outliers(name: str, ordered: Floats, far: tuple[float, float], rows: RowsBeyond) -> list[Finding]:
    """Find values so far out that a slip is likelier than a tail."""
    below, above = beyond(ordered, far)
    if not below + above:
        return []
    mark = float(ordered[0] if below else ordered[-1])
    many = int(np.searchsorted(ordered, mark, "right") - np.searchsorted(ordered, mark, "left"))
    if mark in SENTINELS and many == below + above >= T.SENTINEL_ROWS:
        return [sentinel_finding(name, number_label(mark), many, len(ordered))]
    at = rows(*far)
    ends = [number_label(ordered[0])] * bool(below) + [number_label(ordered[-1])] * bool(above)
    return [
        Finding(
            "gross-outliers",
            "caution",
            (name,),
            f"{below + above:,} {'values' if below + above > 1 else 'value'} of {marked(name)} "
            f"{'lie' if below + above > 1 else 'lies'} over {T.FAR_IQRS:.0f} interquartile ranges from the "
            f"middle half, as far as {' and '.join(ends)}: {_listed(at)}.",
            "Check these rows: a slip of the pen, another unit, a code for missing. As they are, they set the mean, "
            "the deviation and the axis of every picture.",
            {"rows": at[:50], "count": below + above, "low": far[0], "high": far[1]},
        )
    ]


def values_apart(name: str, ordered: Floats, rows: RowsBeyond) -> list[Finding]:
    """Find a few values that a gap parts from all others, in a column whose others have no long tail.

    Of positive numbers it must be a gap of their logarithms too.
    """
    if len(ordered) < T.APART_ROWS or len(run_lengths(ordered)) < T.FEW_DISTINCT:
        return []
    for upper in (False, True):
        for few in range(1, T.APART_MOST + 1):
            rest = ordered[:-few] if upper else ordered[few:]
            value, near = (ordered[-few], rest[-1]) if upper else (ordered[few - 1], rest[0])
            if value != near and _parted(float(value), float(near), rest):
                low, high = (-np.inf, float(rest[-1])) if upper else (float(rest[0]), np.inf)
                values = [float(v) for v in (ordered[-few:] if upper else ordered[:few])]
                widest = float(np.diff(ordered[-few - 1 :] if upper else ordered[: few + 1]).max())
                alone = widest >= T.APART_ALONE * float(ordered[-1] - ordered[0])
                return [_said_apart(name, values, float(near), rows(low, high), alone)]
    return []


def _parted(value: float, near: float, rest: Floats) -> bool:
    """Say whether a value is parted from the nearest of the others, of positive numbers also in their logarithms."""
    q1, q3 = sorted_quantiles(rest, np.array([0.25, 0.75]))
    if not _is_gap(value, near, q1, q3) or _leans(rest):
        return False
    return not (rest[0] > 0 and value > 0) or _is_gap(*np.log([value, near, q1, q3]))


def _is_gap(value: float, near: float, q1: float, q3: float) -> bool:
    """Say whether a value lies far enough from the next one, and from the middle half between two quartiles."""
    reach = q3 - q1
    beyond = max(value - q3, q1 - value)
    return bool(reach > 0 and abs(value - near) >= T.APART_GAP * reach and beyond >= T.APART_IQRS * reach)


def _leans(values: Floats) -> bool:
    """Say whether values are skewed, either way."""
    away = in_unit(values - values.mean())[0]
    return bool(abs(np.mean(away**3)) > T.APART_SKEW * np.mean(away**2) ** 1.5)


def _said_apart(name: str, values: list[float], near: float, at: list[str], alone: bool) -> Finding:
    shown = " and ".join(number_label(v) for v in dict.fromkeys(values))
    return Finding(
        "outliers-apart",
        "caution" if alone else "note",
        (name,),
        f"{marked(name)} is {shown} in {plural(len(values), 'row')} ({_listed(at)}), and {short_label(near)} is "
        "the next: apart from all others.",
        "Look whether that can be, or a digit is wrong; and whether what you find hangs on it.",
        {"values": values, "next": near, "rows": at},
    )


def _stand_apart(ordered: Floats, below: int, above: int) -> bool:
    """Say whether there is a wide gap before or among the far values: a tail that thins out has none."""
    iqr = float(np.diff(sorted_quantiles(ordered, np.array([0.25, 0.75])))[0])
    low, high = np.diff(ordered[: below + 1]), np.diff(ordered[len(ordered) - above - 1 :])
    return bool(max(low.max(initial=0.0) * bool(below), high.max(initial=0.0) * bool(above)) >= T.FAR_GAP * iqr)


def many_outliers(name: str, ordered: Floats, summary: GroupSummary, rows: RowsBeyond) -> list[Finding]:
    """Find more values beyond Tukey's fences than a normal distribution has, or fences that mean nothing."""
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
            f"{n:,} of {plural(len(ordered), 'value')} of {marked(name)} lie beyond Tukey's fences, {below:,} below "
            f"{short_label(low)} and {above:,} above {short_label(high)}; a normal distribution would have about "
            f"{expected:,.0f} ({_listed(at)}).",
            "Beyond the fences is not wrong: look at the rows, then keep, mend, or use a measure they do not move.",
            {"count": n, "below": below, "above": above, "rows": at[:50]},
        )
    ]


class Advice(NamedTuple):
    """The transform that is suggested for a column, "" for none, the skewness it leaves, and why.

    Where zeros stand apart it is that of the values above zero.
    """

    transform: str
    skewness: float
    why: str
    above_zero: bool = False

    @property
    def said(self) -> str:
        """What it does, in words."""
        what = "the values above zero" if self.above_zero else "it"
        return self.why if not self.transform else f"{self.transform} would bring {what} to {self.skewness:.1f}"


Advise = Callable[[str, Floats, Sampling], Advice]
"""From a column's name, values and sampling to what is suggested for it: `transforms.suggest.advised`."""


def long_tail(name: str, core: Floats, column: GroupedRows, advise: Advise | None) -> list[Finding]:
    """Find skewness, say which way the tail points, and what is suggested for it.

    Parameters
    ----------
    core
        Sorted values without those far out, shape (n,).
    column, advise
        All rows, and what suggests a transform.
    """
    if len(core) < T.LEAST_SHAPE:
        return []
    skewness, whole = _skewness(core), float(column.summary.moments.skewness[0])
    # standard error under normality (Cramér 1946, 27.7.9)
    if not abs(skewness) > max(T.TAIL_SKEWNESS, T.TAIL_SURE * np.sqrt(6 / len(core))):
        return []
    side = "right" if skewness > 0 else "left"
    advice = None if advise is None else advise(name, column.values, column.sampling)
    far = len(column.ordered[0]) - len(core)
    of = f" ({whole:.1f} with {plural(far, 'value')} far out)" if far else ""
    helps, axis = "", "Use"
    if advice is not None:
        left = advice.transform == ""
        helps = f"; {advice.said}"
        if side == "right" and core[0] >= 0 and not left:
            axis = f"Try {option('scale', 'log' if advice.transform == 'log' else 'log1p')} in the picture, and use"
    return [
        Finding(
            "long-tail",
            "note",
            (name,),
            f"{marked(name)} has a long {side} tail (skewness {skewness:.1f}{of}){helps}.",
            f"{axis} medians or ranks to compare groups; a mean is pulled towards the tail.",
            {
                "skewness": skewness, "of_all": whole, "side": side,
                "transform": "" if advice is None else advice.transform,
                "skewness_after": float("nan") if advice is None else advice.skewness,
                "above_zero": advice is not None and advice.above_zero,
            },
        )
    ]  # fmt: skip


def _skewness(x: Floats) -> float:
    tally = Moments()
    tally.add_groups([x if x[0] <= x[-1] else x[::-1]])
    return float(tally.finish().skewness[0])


def centre_disagrees(name: str, summary: GroupSummary) -> list[Finding]:
    """Find a mean and a median that lean against the skewness."""
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
