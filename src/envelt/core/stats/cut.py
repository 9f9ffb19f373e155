"""Where to cut a number so that the two sides differ most in their rate of the event."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .folds import blocks_of, deal, hash_blocks
from .sampling import Sampling

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Cut:
    """The cut with the largest balanced accuracy.

    Parameters
    ----------
    at
        Values from here up are on one side, in the units of the values.
    low, high
        A 95 % interval for where it lies.
    above
        Whether the event is commoner from the cut up.
    balanced_accuracy, accuracy_low, accuracy_high
        Mean of sensitivity and specificity on rows the cut was not chosen on, with its 95 % interval: 0.5 is
        chance.
    sensitivity, specificity
        On those rows.
    """

    at: float
    low: float
    high: float
    above: bool
    balanced_accuracy: float
    accuracy_low: float
    accuracy_high: float
    sensitivity: float
    specificity: float


def best_cut(values: Floats, event: NDArray[np.bool_], sampling: Sampling, seed: int = 0) -> Cut | None:
    """Find the cut that separates best, how surely it lies there, and how well it does on other rows.

    Parameters
    ----------
    values, event
        Of the rows, shape (n,), NaN for missing.
    sampling
        Of the rows: folds never split a unit.

    Returns
    -------
    Cut or None
        ``None`` where a class has under ten rows or all values are equal.

    References
    ----------
    The cut maximises Youden's J = sensitivity + specificity − 1 (1950, Cancer 3, 32–35). Its place converges with
    the cube root of n, where the bootstrap fails (Abrevaya & Huang 2005, Econometrica 73, 1175–1204): the interval is
    from subsamples of n^0.8 rows (Politis, Romano & Wolf 1999), rescaled, in shares of the rows.
    """
    keep = ~np.isnan(values)
    x, hit, sampling = values[keep], event[keep], sampling.take(keep)
    n = len(x)
    if min(int(hit.sum()), n - int(hit.sum())) < T.FEW_ROWS or x.min() == x.max():
        return None
    edges = _places(x)
    cell = np.searchsorted(edges, x, "right")
    k = len(edges) + 1
    blocks = blocks_of(cell * 2 + hit, seed) if sampling.units is None else hash_blocks(sampling.units, seed)
    folds = deal(blocks, hit.astype(np.float64), seed)
    told = np.bincount((folds.blocks.astype(np.int64) * k + cell) * 2 + hit, minlength=T.BLOCKS * k * 2)
    counts = told.reshape(T.BLOCKS, k, 2)
    total = counts.sum(axis=0)
    best = int(np.argmax(np.abs(_gain(total))))
    above = bool(_gain(total)[best] > 0)
    rng = np.random.default_rng([seed, 0xC07])
    clustered = sampling.clustered
    low, high = _interval_of_units(counts, sampling.cases, best, rng) if clustered else _interval(total, best, rng)
    right, rows = _held_out(counts, folds.fold_of_block)
    specificity, sensitivity = (float(v) for v in right.sum(axis=0) / np.maximum(rows.sum(axis=0), 1))
    accuracy = (sensitivity + specificity) / 2
    yes, no = int(hit.sum()), int(n - hit.sum())
    se = 0.5 * np.sqrt(sensitivity * (1 - sensitivity) / yes + specificity * (1 - specificity) / no)
    if clustered:
        se = max(se, _error_of_units(right, rows))
    half = float(se) * sampling.quantile
    return Cut(
        float(edges[best]), float(edges[low]), float(edges[high]), above, accuracy,
        accuracy - half, accuracy + half, sensitivity, specificity,
    )  # fmt: skip


def _places(x: Floats) -> Floats:
    """Return up to 199 places to cut at: values, so that a value on a cut goes right."""
    ordered = np.sort(x)
    at = np.linspace(0, len(ordered) - 1, T.CUT_CELLS + 1)[1:-1].astype(np.int64)
    places = np.unique(ordered[at])
    return places[places > ordered[0]] if places[-1] > ordered[0] else ordered[-1:]


def _gain(counts: Floats | Ints) -> Floats:
    """Return sensitivity + specificity − 1 of each cut, the event above it; counts of shape (…, cells, 2)."""
    share = counts / np.maximum(counts.sum(axis=-2, keepdims=True), 1)
    below = np.cumsum(share, axis=-2)[..., :-1, :]
    return np.asarray(below[..., 0] - below[..., 1], np.float64)


def _interval(total: Ints, best: int, rng: np.random.Generator) -> tuple[int, int]:
    """Return the places between which the cut lies, from subsamples."""
    n = int(total.sum())
    size = int(np.ceil(n**0.8))
    drawn = rng.multinomial(size, (total / n).ravel(), T.CUT_DRAWS).reshape(T.CUT_DRAWS, *total.shape)
    return _reach(total, drawn, best, size / n)


def _reach(total: Ints, drawn: Ints, best: int, ratio: float) -> tuple[int, int]:
    """Return the places within what 95 % of subsamples reach, rescaled by the cube root of their size's ratio."""
    found = np.argmax(np.abs(_gain(drawn)), axis=1)
    share = np.cumsum(total.sum(axis=1))[:-1] / total.sum()
    far = float(np.quantile(np.abs(share[found] - share[best]), 0.95)) * ratio ** (1 / 3)
    low = int(np.searchsorted(share, share[best] - far - 1e-12))
    high = int(np.searchsorted(share, share[best] + far + 1e-12, "right")) - 1
    return min(low, best), max(min(high, len(share) - 1), best)


def _interval_of_units(blocks: Ints, units: int, best: int, rng: np.random.Generator) -> tuple[int, int]:
    """Return the places between which the cut lies, from draws of whole units: of the blocks they are dealt to.

    Drawn with replacement, as rows are: of a third of the blocks without it the draws would be too much alike.
    """
    used = np.flatnonzero(blocks.sum(axis=(1, 2)))
    size = int(np.clip(np.ceil(len(used) * units**-0.2), 1, len(used)))
    drawn = np.stack([blocks[rng.choice(used, size)].sum(axis=0) for _ in range(T.CUT_DRAWS)])
    return _reach(blocks.sum(axis=0), drawn, best, size / len(used))


def _error_of_units(right: Floats, rows: Floats) -> float:
    """Return the standard error of balanced accuracy from what differs between blocks of whole units."""
    share = right.sum(axis=0) / np.maximum(rows.sum(axis=0), 1)
    away = (right - share * rows) / np.maximum(rows.sum(axis=0), 1)
    used = max(int(np.count_nonzero(rows.sum(axis=1))), 2)
    return 0.5 * float(np.sqrt(np.sum(away.sum(axis=1) ** 2) * used / (used - 1)))


def _held_out(blocks: Ints, fold_of_block: Ints) -> tuple[Floats, Floats]:
    """Return rows rightly called on held-out rows, and rows, of rest and event in each block, over all repeats.

    The cut and its direction are chosen on the other folds.
    """
    right = np.zeros((len(blocks), 2))
    rows = np.zeros((len(blocks), 2))
    for folds in fold_of_block:
        for fold in range(T.FOLDS):
            out = folds == fold
            gain = _gain(blocks[~out].sum(axis=0))
            best = int(np.argmax(np.abs(gain)))
            below = blocks[out, : best + 1].sum(axis=1)
            above = blocks[out].sum(axis=1) - below
            first, second = (below, above) if gain[best] > 0 else (above, below)
            right[out] += np.stack([first[:, 0], second[:, 1]], axis=1)
            rows[out] += below + above
    return right, rows
