"""The shape of the outcome along a number: one jump, a bend without a trend, a curve that a line misses."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import number_label, short_label
from ..finding import Finding, marked
from ..stats.rates import BinEnds
from ..words import p_text

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Along:
    """The outcome in bins of a number.

    Parameters
    ----------
    name, outcome
        Of the columns.
    what
        What differs along it, in words: the rate of a class, the mean of a number.
    bins, n, level
        The ends of the bins, their rows, and the rate or mean in each.
    variance
        Of the outcome over all rows.
    least
        A difference that matters, in its unit.
    write
        Writes a rate or a mean.
    not_straight
        The chance that bins leave as much of a line; asked only where they leave much.
    loud
        The share of the variance beyond a line from which a curve is a caution.
    """

    name: str
    outcome: str
    what: str
    bins: BinEnds
    n: NDArray[np.integer]
    level: Floats
    variance: float
    least: float
    write: Callable[[float], str]
    not_straight: Callable[[], float]
    loud: float = np.inf

    def told(self, k: int) -> str:
        """Say the level of a bin and where it is."""
        return f"{self.write(self.level[k])} at {bin_label(self.bins.left[k], self.bins.right[k])}"


def shape_findings(along: Along) -> list[Finding]:
    """Say that the outcome jumps once along a number, or goes along a curve that a line misses."""
    filled = np.flatnonzero(along.n > 0)
    if len(filled) < 5 or not along.variance > 0:
        return []
    n, level = along.n[filled].astype(float), along.level[filled]
    mean = float(np.sum(n * level) / n.sum())
    between = float(np.sum(n * (level - mean) ** 2))
    total = along.variance * float(n.sum())
    if between < T.SHAPE_GAIN * total:
        return []
    line = _of_line(along.bins.middle[filled], n, level - mean)
    cut, step = _of_step(n, level - mean)
    left = between - line
    share = T.SHAPE_OF_BETWEEN / 2 if left >= T.SHAPE_MUCH * total else T.SHAPE_OF_BETWEEN
    worth = left >= T.SHAPE_GAIN * total and (left >= share * between or left >= T.SHAPE_OF_REST * (total - line))
    if not worth:
        return []
    p = along.not_straight()
    if not p < T.BEND_P:
        return []
    if step >= T.STEP_SHARE_OF_CHI * between:
        found = _jump(along, filled, cut, p)
        if found is not None:
            return [found]
    return [_curve(along, filled, left / total, p)]


def _of_line(x: Floats, n: Floats, away: Floats) -> float:
    """Return how much of the squares between bins a straight line through them takes."""
    dx = x - float(np.sum(n * x) / n.sum())
    spread = float(np.sum(n * dx * dx))
    return float(np.sum(n * dx * away)) ** 2 / spread if spread > 0 else 0.0


def _of_step(n: Floats, away: Floats) -> tuple[int, float]:
    """Return after which bin one step takes most of the squares between bins, and how much."""
    before, rows = np.cumsum(n * away)[:-1], np.cumsum(n)[:-1]
    taken = before**2 * (1 / rows + 1 / (n.sum() - rows))
    k = int(np.argmax(taken))
    return k, float(taken[k])


def _jump(along: Along, filled: NDArray[np.intp], cut: int, p: float) -> Finding | None:
    low, high = filled[: cut + 1], filled[cut + 1 :]
    before, after = (float(np.sum(along.n[part] * along.level[part]) / np.sum(along.n[part])) for part in (low, high))
    if abs(after - before) < 2 * along.least:
        return None
    ends = [part[0] for part in (low, high) if len(part) == 1]  # the last tenth of a long tail is no jump
    if any(along.bins.left[k] != along.bins.right[k] for k in ends):
        return None
    at = along.bins.left[high[0]]
    return Finding(
        "step-not-trend",
        "note",
        (along.name, along.outcome),
        f"{along.what} jumps along {marked(along.name)} instead of rising or falling step by step: "
        f"{along.write(before)} up to {number_label(along.bins.right[low[-1]])}, {along.write(after)} from "
        f"{number_label(at)} on ({p_text(p)}).",
        f"Cut {marked(along.name)} there, or ask what happens at that point; a slope spreads the jump over its range.",
        {"at": float(at), "before": before, "after": after, "p": p},
    )


def _curve(along: Along, filled: NDArray[np.intp], gain: float, p: float) -> Finding:
    level = along.level[filled]
    ends = (0, len(filled) - 1)
    low, high = int(np.argmin(level)), int(np.argmax(level))
    turn = high if high not in ends else low if low not in ends else _bend(along, filled)
    path = f"{along.told(filled[0])}, {along.told(filled[turn])}, {along.told(filled[-1])}"
    return Finding(
        "curved-relation",
        "caution" if gain >= along.loud else "note",
        (along.name, along.outcome),
        f"{along.what} goes along a curve of {marked(along.name)}, which a straight line misses: {path} "
        f"({p_text(p)}; {gain:.1%} of the variance beyond the line).",
        "Use bins or a spline, or a transform that straightens it (transforms); not the slope, nor a correlation.",
        {"gain": gain, "p": p, "at": [float(along.bins.middle[filled[k]]) for k in (0, turn, -1)]},
    )


def _bend(along: Along, filled: NDArray[np.intp]) -> int:
    """Return the bin that lies furthest from the line through the first and the last."""
    x, y = along.bins.middle[filled], along.level[filled]
    line = y[0] + (y[-1] - y[0]) * (x - x[0]) / (x[-1] - x[0] if x[-1] > x[0] else 1.0)
    return int(np.argmax(np.abs(y - line)[1:-1])) + 1


def is_one_bend(n: NDArray[np.integer], level: Floats) -> bool:
    """Say whether one bend explains most of the differences between bins: a parabola along their places.

    It must go down, or up, on both sides: a jump at one end is none.
    """
    filled = n > 0
    if filled.sum() <= 4:
        return False  # a parabola fits four points whatever they are
    weight, y = np.sqrt(n[filled].astype(float)), level[filled]
    x = np.linspace(-1, 1, len(y))
    basis = np.stack([np.ones(len(y)), x, x * x], axis=1) * weight[:, None]
    fit = np.linalg.lstsq(basis, weight * y, rcond=None)[0]
    left = weight * y - basis @ fit
    extreme = y[1:-1].max() if fit[2] < 0 else y[1:-1].min()
    sides = np.sign(-fit[2]) * (extreme - y[[0, -1]])
    if sides.min() < T.BEND_SIDES * sides.max():
        return False
    mean = float(np.sum(weight**2 * y) / np.sum(weight**2))
    total = float(np.sum((weight * (y - mean)) ** 2))
    return total > 0 and 1 - float(left @ left) / total >= T.BEND_SHARE


def bend_finding(
    name: str,
    outcome: str,
    what: str,
    bins: BinEnds,
    level: NDArray[np.float64],
    write: Callable[[float], str],
    p: tuple[float, float],
) -> Finding:
    """Say that what is looked at differs along a number without rising or falling; ``p`` of the trend, of the bins."""
    best, worst = int(np.nanargmax(level)), int(np.nanargmin(level))
    ends = float(np.nanmean(level[[0, -1]]))
    middle = float(np.nanmean(level[len(level) // 4 : len(level) - len(level) // 4]))
    shape = "an optimum in the middle" if middle > ends else "a low in the middle"
    return Finding(
        "bend-without-trend",
        "caution",
        (name, outcome),
        f"{what} does not rise or fall along {marked(name)} (rank test {p_text(p[0])}) yet runs "
        f"from {write(level[worst])} at {bin_label(bins.left[worst], bins.right[worst])} up to "
        f"{write(level[best])} at {bin_label(bins.left[best], bins.right[best])}: {shape}.",
        "A correlation or a straight line misses this. Use bins, a spline, or the distance from the optimum.",
        {"trend_p": p[0], "bins_p": p[1], "middle": middle, "ends": ends},
    )


def as_rate(value: float) -> str:
    """Write a rate in percent, with a digit behind the point where it is small."""
    return f"{value:.1%}" if 0 < value < 0.05 else f"{value:.0%}"


def as_mean(value: float) -> str:
    """Write a mean in three digits, never as a power of ten."""
    return short_label(float(f"{value:.3g}"))


def bin_label(left: float, right: float) -> str:
    """Return a bin's range as text, four significant digits."""
    a, b = (short_label(float(f"{v:.4g}")) for v in (left, right))
    return a if a == b else f"{a} to {b}"
