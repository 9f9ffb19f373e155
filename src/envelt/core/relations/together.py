"""Pairs of candidates that say more about the outcome together than each alone."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.coarse import Coarse, coarse_of, said_by
from ..columns.table import Column
from ..parallel import Progress, in_threads
from ..stats.folds import blocks_of
from ..stats.heldout import Cells, HeldOut, HeldOutRows, held_out, held_out_levels, level_cells
from ..stats.sampling import Sampling

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

MOST_COLUMNS = 60
"""Candidates of which all pairs are looked at: those that say most alone."""
CLOSER = 12
"""Pairs whose joint share is given with its interval."""
CHOOSING = 20
"""Of the 50 hash blocks of rows: those on which pairs are chosen; their shares are measured on the others."""
AT_ONCE = 2_000_000
"""Rows of pairs that are held at once."""


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


def joint_shares(
    columns: list[Column],
    held: HeldOutRows,
    y: Floats,
    progress: Progress | None = None,
) -> list[Joint]:
    """Return the pairs that say more together, the largest excess first, as many as a person reads.

    All pairs of the sixty candidates that say most alone are looked at on two fifths of the cases. The best few are
    measured on the others, so that shares and intervals know nothing of the search.

    Parameters
    ----------
    columns
        Of all rows.
    held
        The outcome of the rows that have one, their folds and their sampling.
    y
        The outcome of those rows as a picture takes it: 1 for the event, or the number.
    """
    coarse = [b.with_missing().take(held.known) for b in map(coarse_of, columns) if b is not None]
    made = [replace(b, codes=b.codes.astype(np.int64)) for b in coarse]  # combinations are more than a byte holds
    choosing = _choosing(made, held)
    if len(made) < 2 or choosing.all() or not choosing.any():
        return []
    some = held.take(choosing)
    unsure = replace(some, sampling=Sampling.of_rows(len(some.target)))  # pairs are chosen by their shares alone

    def shares_of(cells: list[Cells]) -> Floats:
        return np.array([h.share for h in held_out(cells, unsure, auc=False)])

    def cells_of(b: Coarse) -> Cells:
        return level_cells(b.codes[choosing], len(b.labels), some, 1)

    alone = shares_of(in_threads(cells_of, made, len(some.target)))
    kept = np.sort(np.argsort(-np.nan_to_num(alone, nan=-np.inf), kind="stable")[:MOST_COLUMNS])
    made, alone = [made[k] for k in kept], alone[kept]
    codes = [b.codes[choosing] for b in made]
    pairs = [(i, j) for i in range(len(made)) for j in range(i + 1, len(made))]

    def joint_cells(pair: tuple[int, int]) -> Cells:
        a, b = made[pair[0]], made[pair[1]]
        cell = codes[pair[0]] * len(b.labels) + codes[pair[1]]
        return level_cells(cell, len(a.labels) * len(b.labels), some, 1)

    shares: list[Floats] = []
    at_once = max(1, AT_ONCE // max(len(some.target), 1))
    for start in range(0, len(pairs), at_once):
        if progress is not None:
            progress(start, len(pairs), made[pairs[start][0]].name)
        shares.append(shares_of(in_threads(joint_cells, pairs[start : start + at_once], len(some.target))))
    excess = np.concatenate(shares) - np.array([max(alone[i], 0) + max(alone[j], 0) for i, j in pairs])
    best = [pairs[k] for k in np.argsort(-excess, kind="stable")[:CLOSER] if excess[k] > T.LITTLE]
    rest = held.take(~choosing)
    found = [_closer(made[i].take(~choosing), made[j].take(~choosing), rest, y[~choosing]) for i, j in best]
    return sorted(found, key=lambda f: -f.excess[0])


def _choosing(made: list[Coarse], held: HeldOutRows) -> NDArray[np.bool_]:
    """Return the rows on which pairs are chosen, by what all columns say in them; units stay whole."""
    if held.whole is not None:
        return np.asarray(held.whole.blocks < CHOOSING)
    says = said_by([b.codes for b in made], held.target.ordinals)
    return np.asarray(blocks_of(says, held.seed) < CHOOSING)


def _closer(a: Coarse, b: Coarse, held: HeldOutRows, y: Floats) -> Joint:
    sizes = len(a.labels), len(b.labels)
    cell = a.codes * sizes[1] + b.codes
    both = held_out_levels(cell, sizes[0] * sizes[1], held)
    alone = [held_out_levels(c.codes, len(c.labels), held) for c in (a, b)]
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
