"""In what order of an outcome the rows of a file stand."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import number_label
from ..words import plural


def order_of(y: NDArray[np.float64], levels: tuple[str, ...] | None) -> str:
    """Say how rows stand in the order of what is known of them; nothing where they do not.

    Parameters
    ----------
    y
        Numbers, or the codes of levels, shape (n,), none missing.
    levels
        Of codes.
    """
    return _numbers(y) if levels is None else _classes(y.astype(np.int64), levels)


def _classes(codes: NDArray[np.int64], levels: tuple[str, ...]) -> str:
    """Classes one after the other, or in two blocks each."""
    starts = np.flatnonzero(np.diff(codes, prepend=-1))
    if len(starts) > 2 * len(np.unique(codes)):
        return ""
    rows = np.diff(starts, append=len(codes))
    blocks = [f"{plural(n, 'row')} of {levels[codes[s]]!r}" for s, n in zip(starts, rows, strict=True)]
    return f"first {', then '.join(blocks[:3])}{', …' if len(blocks) > 3 else ''}"


def _numbers(y: NDArray[np.float64]) -> str:
    """Rising or falling throughout, or all rows of the most frequent value first or last."""
    steps = np.diff(y)
    if (steps >= 0).all() or (steps <= 0).all():
        first, last = ("smallest", "largest") if y[-1] > y[0] else ("largest", "smallest")
        return f"the {first} first, the {last} last"
    down, up = int(np.count_nonzero(steps < 0)), int(np.count_nonzero(steps > 0))
    breaks = min(down, up)
    if down + up >= T.SORTED_STEPS and breaks <= T.SORTED_BREAKS * (down + up):
        first = "smallest" if up > breaks else "largest"
        return f"the {first} first, in {breaks + 1} stretches"
    unique, rows = np.unique(y, return_counts=True)
    most = int(np.argmax(rows))
    at = np.flatnonzero(y == unique[most])
    apart = at[-1] - at[0] + 1 == len(at) and (at[0] == 0 or at[-1] == len(y) - 1)
    if not apart or not T.SORTED_SHARE * len(y) <= len(at) <= len(y) - T.SPREAD_ROWS:
        return ""
    return (
        f"all {plural(len(at), 'row')} that are {number_label(unique[most])} stand {'first' if at[0] == 0 else 'last'}"
    )
