"""What heaps at the ends of a column of numbers: zeros, what an instrument stops at, "that or more"."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import number_label
from ..finding import Finding, marked
from ..shapes.ranks import run_lengths
from ..shapes.resolution import recorded_step
from ..shapes.spikes import Atom, atom_at
from ..words import be, plural

Floats = NDArray[np.float64]


def distinct_in(ordered: Floats) -> int:
    """Return how many different values sorted values have."""
    return int(np.count_nonzero(np.diff(ordered))) + 1


def heaped_ends(ordered: Floats, effect: float) -> tuple[float, float]:
    """Return between which values a column was cut off: its ends where rows heap there, else infinities.

    Parameters
    ----------
    ordered, effect
        Sorted values, shape (n,), and what units inflate their variances by.
    """
    step = recorded_step(ordered) if len(ordered) else 0.0
    ends = []
    for end, none in ((0, -np.inf), (-1, np.inf)):
        atom = atom_at(ordered, step, end, effect)
        heaped = atom is not None and atom.rows > T.BOUND_RATIO * atom.expected and is_limit(atom, ordered)
        ends.append(float(ordered[end]) if heaped else none)
    return ends[0], ends[1]


def is_limit(bound: Atom, ordered: Floats) -> bool:
    """Say whether a heap at the end is the largest of many values, as where an instrument stops."""
    rest = ordered[ordered != bound.value]
    ratio = T.BOUND_MODE if distinct_in(rest) >= T.BOUND_DISTINCT else T.BOUND_MODE_OF_FEW
    if bound.rows > T.BOUND_SHARE * len(ordered):
        return False
    return distinct_in(rest) > T.FEW_DISTINCT and bound.rows >= ratio * int(run_lengths(rest).max(initial=1))


def said_of_zeros(name: str, zeros: Atom | None, n: int) -> list[Finding]:
    """Say that far more of n rows are 0 than their neighbours lead to expect."""
    if zeros is None:
        return []
    return [
        Finding(
            "excess-zeros",
            "note",
            (name,),
            f"{plural(zeros.rows, 'row')} of {marked(name)} ({zeros.rows / n:.0%}) {be(zeros.rows)} exactly 0, "
            "where the values beside it "
            f"lead to expect about {zeros.expected:,.0f}.",
            "Zero may mean none, not looked, or below what can be measured: consider a column of its own for it.",
            {"rows": zeros.rows, "expected": zeros.expected},
        )
    ]


def said_of_bound(name: str, bound: Atom | None, n: int, which: str) -> list[Finding]:
    """Say that many of n rows hold the lowest or the highest value."""
    if bound is None:
        return []
    return [
        Finding(
            "values-at-bound",
            "caution",
            (name,),
            f"{plural(bound.rows, 'row')} of {marked(name)} ({bound.rows / n:.1%}) {be(bound.rows)} exactly "
            f"{number_label(bound.value)}, "
            f"its {which} value, where about {bound.expected:,.0f} would be expected: the instrument or the form "
            "stops there.",
            "Their true values lie beyond: treat them as “this or more extreme”, and expect means to be off.",
            {"value": bound.value, "rows": bound.rows, "expected": bound.expected},
        )
    ]


def top_value(name: str, ordered: Floats) -> list[Finding]:
    """Find a largest number that heaps where the values before it thin out: "that, or more".

    Of few values with uneven gaps, as middles of ranges have, it is the one with most rows.
    """
    if len(ordered) < T.ROWS_FOR_TOP or distinct_in(ordered) < T.TOP_DISTINCT:
        return []
    unique, rows = np.unique(ordered[ordered >= ordered[-1] - 3], return_counts=True)
    last, n = float(ordered[-1]), len(ordered)
    if np.array_equal(unique, last - np.arange(4)[::-1]) and (ordered == np.floor(ordered)).all():
        *before, top = (int(k) for k in rows)
        expected = max(before[-1], 2 * before[-1] - before[-2])
        if before[-1] > before[0] and top > T.TOP_FAR * max(before):
            expected = max(before)  # so few that their order is chance
        elif before[-1] > before[0]:
            return []
        if top < T.TOP_RATIO * expected or top - expected < T.TOP_SURE * np.sqrt(expected + 1):
            return []
    else:
        unique, rows = np.unique(ordered, return_counts=True)
        *before, top = (int(k) for k in rows)
        gaps = np.diff(unique)
        uneven = len(unique) <= T.BY_VALUE and gaps[-1] > T.TOP_GAP * np.median(gaps)
        if not uneven or top < T.TOP_RATIO * before[-1] or top < max(before) or top < T.TOP_SHARE * n:
            return []
    share = top / n
    return [
        Finding(
            "top-value",
            "note",
            (name,),
            f"{number_label(last)} is the largest value of {marked(name)} and holds {plural(top, 'row')} "
            f"({share:.1%}), more than the value before it ({plural(before[-1], 'row')} at "
            f"{number_label(unique[-2])}): it may stand for {number_label(last)} or more.",
            "Read it as a class of its own; means and slopes past it are too small.",
            {"value": last, "rows": top, "before": before},
        )
    ]


def both_ends(name: str, ordered: Floats) -> list[Finding]:
    """Find a scale both of whose ends hold far more rows than any value between them.

    Of fewer values than that it is a scale of grades, of which the ends may be popular.
    """
    unique, rows = np.unique(ordered, return_counts=True)
    n, inner = len(ordered), rows[1:-1]
    if n < T.ROWS_FOR_TOP or len(unique) < T.BOTH_ENDS_VALUES:
        return []
    ends = rows[[0, -1]]
    if ends.min() < T.BOTH_ENDS_SHARE * n or ends.min() < T.BOUND_MODE_OF_FEW * inner.max():
        return []
    low, high = (number_label(v) for v in unique[[0, -1]])
    return [
        Finding(
            "values-at-bound",
            "note",
            (name,),
            f"{marked(name)} is exactly {low} in {ends[0] / n:.0%} of the rows and exactly {high} in "
            f"{ends[1] / n:.0%}, the ends of its scale; no value between holds over {inner.max() / n:.0%}.",
            "None and all are answers of their own: keep them apart from what lies between, as levels or flags.",
            {"values": [float(unique[0]), float(unique[-1])], "rows": ends.tolist()},
        )
    ]
