"""Pairs of candidates that say more about the outcome together than each alone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.table import CategoryColumn, Column
from ..parallel import in_threads
from ..shapes.quantiles import value_edges
from ..stats.clustered import unit_codes
from ..stats.folds import Folds
from ..stats.heldout import Cells, HeldOut, held_out, held_out_levels, level_cells
from ..stats.targets import Target

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
Progress = Callable[[int, int, str], None]

BINS = 6
MOST_LEVELS = 12
CLOSER = 12
AT_ONCE = 2_000_000  # rows of pairs that are held at once
"""Pairs whose joint share is given with its interval."""


@dataclass(frozen=True)
class Joint:
    """What two candidates say together on held-out rows.

    Parameters
    ----------
    first, second
        Their names.
    share
        Of the two together, with its interval.
    alone
        The shares of each alone, in the same bins.
    excess
        Of the joint share over the sum of both, with a 95 % interval.
    labels, rate, n
        The bins of each, and in each combination the event's rate (the outcome's mean) and the rows.
    """

    first: str
    second: str
    share: HeldOut
    alone: tuple[float, float]
    excess: tuple[float, float, float]
    labels: tuple[tuple[str, ...], tuple[str, ...]]
    rate: Floats
    n: Codes


@dataclass(frozen=True)
class _Binned:
    name: str
    codes: Codes
    labels: tuple[str, ...]


def binned(column: Column) -> _Binned | None:
    """Return a candidate in at most twelve levels, or six bins; missing is a level; nothing where it has neither."""
    if isinstance(column, CategoryColumn):
        if column.kind in ("identifier", "text", "constant") or len(column.levels) > MOST_LEVELS:
            return None
        codes, labels = column.codes.astype(np.int64), column.levels
    else:
        values = column.numbers
        assert values is not None
        ordered = np.sort(values[~np.isnan(values)])
        edges = value_edges(ordered, BINS)
        if len(edges) == 0:
            return None
        codes = np.where(np.isnan(values), -1, np.searchsorted(edges, values, "right"))
        ends = [f"{e:.4g}" for e in edges]
        between = [f"{a} to {b}" for a, b in pairwise(ends)]
        labels = (f"under {ends[0]}", *between, f"{ends[-1]} up")
    if (codes < 0).any():
        codes, labels = np.where(codes < 0, len(labels), codes), (*labels, "missing")
    return _Binned(column.name, codes, labels)


def joint_shares(
    columns: list[Column],
    target: Target,
    y: Floats,
    known: NDArray[np.bool_],
    folds: Folds,
    units: Codes | None = None,
    progress: Progress | None = None,
) -> list[Joint]:
    """Return the pairs that say more together, the largest excess first, as many as a person reads.

    All pairs are looked at with one set of folds; the best few again with all, for their shares and intervals.

    Parameters
    ----------
    columns
        Of all rows.
    target, y, known
        The outcome of the rows that have one: as shares take it, as a picture does (1 for the event, or the number),
        and which rows those are.
    folds, units
        Of those rows.
    """
    made = [b for b in map(binned, columns) if b is not None]
    made = [_Binned(b.name, b.codes[known], b.labels) for b in made]
    quick = Folds(folds.blocks, folds.fold_of_block[:1])
    alone = [held_out_levels(b.codes, len(b.labels), target, quick).share for b in made]
    pairs = [(i, j) for i in range(len(made)) for j in range(i + 1, len(made))]

    def cells(pair: tuple[int, int]) -> Cells:
        a, b = made[pair[0]], made[pair[1]]
        return level_cells(a.codes * len(b.labels) + b.codes, len(a.labels) * len(b.labels), target, quick)

    shares: list[float] = []
    at_once = max(1, AT_ONCE // max(len(target), 1))
    for start in range(0, len(pairs), at_once):
        if progress is not None:
            progress(start, len(pairs), made[pairs[start][0]].name)
        some = in_threads(cells, pairs[start : start + at_once], len(target))
        shares += [h.share for h in held_out(some, target, quick, auc=False)]
    excess = np.array([s - max(alone[i], 0) - max(alone[j], 0) for s, (i, j) in zip(shares, pairs, strict=True)])
    best = [pairs[k] for k in np.argsort(-excess, kind="stable")[:CLOSER] if excess[k] > T.LITTLE]
    found = [_closer(made[i], made[j], target, y, folds, units) for i, j in best]
    return sorted(found, key=lambda f: -f.excess[0])


def _closer(a: _Binned, b: _Binned, target: Target, y: Floats, folds: Folds, units: Codes | None) -> Joint:
    sizes = len(a.labels), len(b.labels)
    cell = a.codes * sizes[1] + b.codes
    within = None if units is None else unit_codes(units)
    both = held_out([level_cells(cell, sizes[0] * sizes[1], target, folds)], target, folds, within)[0]
    alone = [held_out([level_cells(c.codes, len(c.labels), target, folds)], target, folds, within)[0] for c in (a, b)]
    half = [(h.high - h.low) / 2 for h in (both, *alone)]
    excess = both.share - max(alone[0].share, 0) - max(alone[1].share, 0)
    # errors of the three lean the same way, so their root sum of squares is too large, never too small
    reach = float(np.sqrt(np.sum(np.square(half))))
    n = np.bincount(cell, minlength=sizes[0] * sizes[1])
    total = np.bincount(cell, weights=y, minlength=sizes[0] * sizes[1])
    rate = np.where(n > 0, total / np.maximum(n, 1), np.nan)
    return Joint(
        a.name, b.name, both, (alone[0].share, alone[1].share), (excess, excess - reach, excess + reach),
        (a.labels, b.labels), rate.reshape(sizes), n.reshape(sizes),
    )  # fmt: skip
