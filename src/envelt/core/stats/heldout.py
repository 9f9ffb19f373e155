"""The held-out share: what one candidate alone removes of the outcome's uncertainty on rows it was not fitted on.

0 is nothing, 1 is everything, below 0 says that nothing is there. Rows are counted once, into cells of
(value, hash block, outcome); every fold of every repeat is a regrouping of those cells.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..estimate import Z95
from ..shapes.quantiles import sorted_quantiles
from .folds import Folds
from .shrinkage import shrunken, smoothed_bins
from .targets import ClassTarget, Target

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

FOLD_SHARES = np.arange(1, T.BINS) / T.BINS


@dataclass(frozen=True)
class HeldOut:
    """A held-out share with its interval, and the area under the ROC curve where the outcome is binary.

    ``auc`` is the mean area within folds, of the event's held-out rates: 0.5 is chance, and a candidate
    that carries nothing scatters around it.
    """

    share: float
    low: float
    high: float
    auc: float


@dataclass(frozen=True)
class Fit:
    """One fold of one repeat: the rule fitted on the other folds, and the sums of the rows held out."""

    repeat: int
    fold: int
    base: Floats
    rates: Floats
    held_out: Floats
    levels: Ints | None = None  # which levels ``rates`` and ``held_out`` speak of; None: all, in order
    edges: Floats | None = None  # of a numeric candidate's bins


def level_fits(codes: NDArray[np.integer], levels: int, target: Target, folds: Folds) -> list[Fit]:
    """Fit a category candidate in every fold.

    Parameters
    ----------
    codes
        Level of each row, shape (n,), ``-1`` for missing, which is a level of its own.
    """
    size = levels + int((codes < 0).any())
    codes = np.where(codes < 0, levels, codes)
    fits = []
    for repeat, fold_of_block in enumerate(folds.fold_of_block):
        fold = fold_of_block[folds.blocks]
        sums = target.sums(codes.astype(np.int64) * T.FOLDS + fold, size * T.FOLDS)
        sums = sums.reshape(size, T.FOLDS, -1)
        whole = sums.sum(axis=1)
        for f in range(T.FOLDS):
            train = whole - sums[:, f]
            base, variance = _base(target, train)
            held = np.flatnonzero(target.rows(sums[:, f]))
            rates = shrunken(target, train, base, variance)[held]
            fits.append(Fit(repeat, f, base, rates, sums[held, f], held))
    return fits


def _base(target: Target, train: Floats) -> tuple[Floats, Floats]:
    total = train.sum(axis=0)
    base = target.base(total)
    return base, target.variance(total, base)


@dataclass(frozen=True)
class BinnedCounts:
    """A numeric candidate counted once into cells fine enough for the bins of every fold.

    Parameters
    ----------
    sums
        Shape (cells, blocks, F): cells in order of value.
    absent
        Sums of the rows with no value, shape (blocks, F).
    cuts
        For each set of edges the cell each bin starts at.
    edges
        The edges of each (repeat, fold), and last those of all rows.
    order
        Positions of the present rows in order of value.
    starts
        The place in ``order`` at which each cell starts.
    """

    sums: Floats
    absent: Floats
    cuts: list[Ints]
    edges: list[Floats]
    order: NDArray[np.intp]
    starts: Ints

    def bins(self, which: int) -> Floats:
        """Return sums of the bins of one set of edges, missing last: shape (bins + 1, blocks, F)."""
        cumulated = np.concatenate([np.zeros((1, *self.sums.shape[1:])), np.cumsum(self.sums, axis=0)])
        ends = np.concatenate(([0], self.cuts[which], [len(self.sums)]))
        return np.concatenate([np.diff(cumulated[ends], axis=0), self.absent[None]])


def binned_counts(values: Floats, target: Target, folds: Folds) -> BinnedCounts:
    """Count a numeric candidate, shape (n,), NaN for missing.

    The bins of a fold have their edges at the type-7 quantiles of its training rows; a value equal to an
    edge goes right.
    """
    missing = np.isnan(values)
    present = np.flatnonzero(~missing)
    order = present[np.argsort(values[present])] if missing.any() else np.argsort(values)
    ordered = values[order]
    blocks = folds.blocks[order]
    edges = [np.unique(q) for q in _training_quantiles(ordered, blocks, folds)]
    edges.append(np.unique(sorted_quantiles(ordered, FOLD_SHARES)) if len(ordered) else np.zeros(0))
    places = [np.searchsorted(ordered, e, "left") for e in edges]
    starts = np.unique(np.concatenate([[0], *places])).astype(np.int64)
    starts = starts[starts < len(ordered)] if len(ordered) else np.zeros(1, np.int64)
    cuts = [np.searchsorted(starts, p, "left").astype(np.int64) for p in places]
    sizes = np.diff(np.concatenate((starts, [len(ordered)])))
    cell = np.repeat(np.arange(len(starts)), sizes) * T.BLOCKS + blocks
    ordered_target = _reorder(target, order)
    sums = ordered_target.sums(cell, len(starts) * T.BLOCKS).reshape(len(starts), T.BLOCKS, -1)
    lost = target.take(missing).sums(folds.blocks[missing].astype(np.int64), T.BLOCKS)
    return BinnedCounts(sums, lost, cuts, edges, order, starts)


def _training_quantiles(ordered: Floats, blocks: NDArray[np.uint8], folds: Folds) -> list[Floats]:
    """Return the quantiles of every fold's training rows, from the sorted values of all.

    The place of the j-th training row among all sorted rows is found by counting in strides: the count of
    held-out rows up to each stride is enough to jump to the right one.
    """
    out = []
    for fold_of_block in folds.fold_of_block:
        fold = fold_of_block.astype(np.uint8)[blocks]
        for f in range(T.FOLDS):
            kept = np.flatnonzero(fold != f)
            if len(kept) == 0:
                out.append(np.zeros(0))
                continue
            at = FOLD_SHARES * (len(kept) - 1)
            below = np.floor(at).astype(np.int64)
            above = np.minimum(below + 1, len(kept) - 1)
            low, high = ordered[kept[below]], ordered[kept[above]]
            out.append(low + (at - below) * (high - low))
    return out


def _reorder(target: Target, order: NDArray[np.intp]) -> Target:
    return target.take(order)  # type: ignore[arg-type]  # positions select as masks do


def bin_fits(counts: BinnedCounts, target: Target, folds: Folds) -> list[Fit]:
    """Fit a numeric candidate in every fold from its counts."""
    fits = []
    cumulated = np.concatenate([np.zeros((1, *counts.sums.shape[1:])), np.cumsum(counts.sums, axis=0)])
    for repeat, fold_of_block in enumerate(folds.fold_of_block):
        member = (fold_of_block[:, None] == np.arange(T.FOLDS)).astype(np.float64)  # (blocks, folds)
        by_fold = np.einsum("cbk,bf->fck", cumulated, member, optimize=True)
        absent = member.T @ counts.absent
        for f in range(T.FOLDS):
            which = repeat * T.FOLDS + f
            ends = np.concatenate(([0], counts.cuts[which], [len(counts.sums)]))
            held = np.concatenate([np.diff(by_fold[f][ends], axis=0), absent[f : f + 1]])
            whole = np.concatenate([np.diff(by_fold[:, ends].sum(axis=0), axis=0), absent.sum(axis=0)[None]])
            train = whole - held
            base, variance = _base(target, train)
            rates = smoothed_bins(target, train, base, variance)
            fits.append(Fit(repeat, f, base, rates, held, edges=counts.edges[which]))
    return fits


RowGains = Callable[[list[Floats]], list[Floats]]
"""From the gains of every fit's cells to the gain of every row, a list over repeats."""


def summarise(fits: list[Fit], target: Target, row_gains: RowGains | None = None, units: Ints | None = None) -> HeldOut:
    """Pool the folds into a share with its interval.

    share = 1 − pooled loss / pooled base loss. The interval is S ± sqrt((1.96 · 1.2 · SE)² + (1 / (2 n H))²)
    with H the base loss a row in nats and SE² the mean over repeats of var(z) / n, where
    z = ((b − l) − S b) / mean(b) of each row. With ``units`` z is summed over each unit first, so that rows
    of one unit count as the one case they are.

    Parameters
    ----------
    row_gains
        Needed with ``units``: turns cell gains into row gains.
    units
        The unit of each row, shape (n,), 0 … U − 1.
    """
    n = len(target)
    loss = sum(target.loss(f.held_out, f.rates) for f in fits)
    base_loss = sum(target.loss(f.held_out, np.tile(f.base, (len(f.held_out), 1))) for f in fits)
    if n == 0 or base_loss <= 0:
        return HeldOut(np.nan, np.nan, np.nan, np.nan)
    share = 1 - loss / base_loss
    scale = base_loss / n / T.REPEATS
    gains = [target.gain(f.rates, f.base, share, scale) for f in fits]
    if units is None or row_gains is None:
        variance = _row_variance(fits, gains, target, n)
    else:
        variance = _unit_variance(row_gains(gains), units, n)
    floor = 1 / (2 * n * target.entropy(scale))
    half = float(np.sqrt((Z95 * T.WIDEN) ** 2 * variance + floor**2))
    return HeldOut(share, share - half, share + half, _auc(fits, target))


def _row_variance(fits: list[Fit], gains: list[Floats], target: Target, n: int) -> float:
    """Return the mean over repeats of var(z) / n."""
    first, second = np.zeros(T.REPEATS), np.zeros(T.REPEATS)
    for fit, gain in zip(fits, gains, strict=True):
        s1, s2 = target.gain_moments(fit.held_out, gain)
        first[fit.repeat] += s1
        second[fit.repeat] += s2
    return float(np.mean(second / n - (first / n) ** 2) / n)


def _unit_variance(rows: list[Floats], units: Ints, n: int) -> float:
    """Return the mean over repeats of the variance of mean z when units, not rows, are drawn."""
    size = int(units.max()) + 1
    variances = []
    for z in rows:
        total = np.bincount(units, weights=z - z.mean(), minlength=size)
        variances.append(float(np.sum(total**2)) * size / max(size - 1, 1) / n**2)
    return float(np.mean(variances))


def _auc(fits: list[Fit], target: Target) -> float:
    """Return the mean within-fold area under the curve of the event's held-out rates."""
    if not isinstance(target, ClassTarget) or target.classes != 2:
        return float("nan")
    areas = []
    for fit in fits:
        rest, event = fit.held_out.T
        if rest.sum() == 0 or event.sum() == 0:
            continue
        _, group = np.unique(fit.rates[:, 1], return_inverse=True)
        rest, event = np.bincount(group, weights=rest), np.bincount(group, weights=event)
        below = np.cumsum(rest) - rest / 2
        areas.append(float(np.sum(event * below) / (rest.sum() * event.sum())))
    return float(np.mean(areas)) if areas else float("nan")


def held_out_levels(
    codes: NDArray[np.integer], levels: int, target: Target, folds: Folds, units: Ints | None = None
) -> HeldOut:
    """Return the held-out share of a category candidate."""
    fits = level_fits(codes, levels, target, folds)

    def row_gains(gains: list[Floats]) -> list[Floats]:
        at = np.where(codes < 0, levels, codes)
        out = [np.zeros(len(target)) for _ in range(T.REPEATS)]
        for fit, gain in zip(fits, gains, strict=True):
            inside = folds.fold_of_block[fit.repeat][folds.blocks] == fit.fold
            assert fit.levels is not None
            cell = np.searchsorted(fit.levels, at[inside])
            out[fit.repeat][inside] = target.take(inside).gain_of_rows(gain, cell)
        return out

    return summarise(fits, target, row_gains, units)


def held_out_bins(
    counts: BinnedCounts, values: Floats, target: Target, folds: Folds, units: Ints | None = None
) -> HeldOut:
    """Return the held-out share of a numeric candidate from its counts."""
    fits = bin_fits(counts, target, folds)

    def row_gains(gains: list[Floats]) -> list[Floats]:
        out = [np.zeros(len(target)) for _ in range(T.REPEATS)]
        for fit, gain in zip(fits, gains, strict=True):
            inside = folds.fold_of_block[fit.repeat][folds.blocks] == fit.fold
            assert fit.edges is not None
            x = values[inside]
            cell = np.where(np.isnan(x), len(gain) - 1, np.searchsorted(fit.edges, x, "right"))
            out[fit.repeat][inside] = target.take(inside).gain_of_rows(gain, cell)
        return out

    return summarise(fits, target, row_gains, units)
