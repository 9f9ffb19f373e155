"""One value inside the range that far more rows have than the values beside it: a default, a guess, a mark."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import number_label
from ..finding import Finding, marked
from ..shapes.ranks import run_lengths
from ..shapes.spikes import Atom
from ..words import be, plural

Floats = NDArray[np.float64]

ON_GRID = 1e-6
"""Of a step, that rounding in a file may take a value off a grid."""


def lone_value(ordered: Floats, step: float, effect: float = 1.0) -> Atom | None:
    """Return the most frequent value, not 0 and at no end, where it has ten times the rows of those beside it.

    Beside it: the nearest thirty rows on either side, ten at least, as rows a step where a step was recorded, else a
    value. No other value may be a quarter as frequent.

    Parameters
    ----------
    ordered, step
        Sorted values, shape (n,), and the step in which they were recorded, 0 for none.
    effect
        What units inflate variances by: rows are counted by what they say.
    """
    n, near = len(ordered), int(30 * effect)
    counts = run_lengths(ordered)
    if len(counts) < T.LONE_DISTINCT:
        return None
    k = int(np.argmax(counts))
    rows, second = int(counts[k]), int(np.partition(counts, -2)[-2])
    start = int(counts[:k].sum())
    value = float(ordered[start])
    left, right = ordered[max(start - near, 0) : start], ordered[start + rows : start + rows + near]
    inside = min(len(left), len(right)) >= T.FEW_ROWS
    if rows < max(T.LONE_SHARE * n, 20 * effect) or not inside or value == 0 or 4 * second > rows:
        return None
    if step:
        expected = (len(left) + len(right)) / max((float(right[-1]) - float(left[0])) / step, 1.0)
    else:
        expected = float(max(run_lengths(left).max(), run_lengths(right).max()))
    if rows > T.LONE_RATIO * max(expected, 1.0):
        expected = max(expected, _on_grid(ordered, value, rows))
    return Atom(value, rows, expected) if rows > T.LONE_RATIO * max(expected, 1.0) else None


def _on_grid(ordered: Floats, value: float, rows: int) -> float:
    """Return the rows a step of the two steps on either side of a value, on the coarsest grid on which most rows lie.

    Years of schooling are whole for most, whatever a few write. 0 where there is no such grid, or the value is not on
    it.
    """
    top = int(np.floor(np.log10(float(ordered[-1]) - float(ordered[0]))))
    for wide in (m * 10.0**k for k in range(top, top - 4, -1) for m in (5, 2, 1)):
        on = np.abs(ordered / wide - np.rint(ordered / wide)) < ON_GRID
        if np.mean(on) >= T.LONE_ON_GRID:
            low, high = np.searchsorted(ordered, [value - 2.5 * wide, value + 2.5 * wide])
            return float(high - low - rows) / 4 if abs(value / wide - round(value / wide)) < ON_GRID else 0.0
    return 0.0


def said_of_lone(name: str, lone: Atom | None, n: int) -> list[Finding]:
    """Say which value stands alone."""
    if lone is None:
        return []
    value, expected = number_label(lone.value), f"{max(lone.expected, 1.0):,.0f}"
    return [
        Finding(
            "heaping-at-one-value",
            "caution",
            (name,),
            f"{plural(lone.rows, 'row')} of {marked(name)} ({lone.rows / n:.0%}) {be(lone.rows)} exactly {value}, "
            f"where the values beside it lead to expect about {expected}: a default, a guess, or a mark.",
            f"Ask what {value} stands for before it counts as an amount; a column of its own keeps it apart.",
            {"value": lone.value, "rows": lone.rows, "expected": lone.expected},
        )
    ]
