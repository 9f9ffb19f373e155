"""The held-out share: what one candidate alone removes of the outcome's uncertainty on rows it was not fitted on.

0 is nothing, 1 is everything, below 0 says that nothing is there. Rows are counted once, into cells of
(value, hash block, outcome); every fold of every repeat is a regrouping of those cells. Candidates with equally many
cells are fitted together.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..parallel import in_threads
from ..shapes.quantiles import value_edges
from .folds import Folds, blocks_of, deal
from .sampling import Sampling
from .shrinkage import shrunken, smoothed_bins
from .targets import ClassTarget, Target

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

MANY_LEVELS = 1_000
"""More levels are regrouped fold by fold, of which each holds few."""
TOGETHER = 64
"""Candidates fitted at once."""
PAIRWISE = 64
"""With so few cells, rates are ranked by comparing all pairs."""


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
class HeldOutRows:
    """Which rows have an outcome, and of these the outcome, the sampling, and how they are dealt into folds.

    Parameters
    ----------
    known
        Of all rows; all else is of those that have an outcome.
    seed
        The same seed, the same folds.
    whole
        The folds that keep units whole, or times apart. Where rows are cases there are none: a candidate's rows are
        dealt by what it and the outcome say in them.
    """

    known: NDArray[np.bool_]
    target: Target
    sampling: Sampling
    seed: int
    whole: Folds | None = None

    def take(self, keep: NDArray[np.bool_]) -> HeldOutRows:
        """Return some of the rows that have an outcome."""
        known = self.known.copy()
        known[known] = keep
        whole = None if self.whole is None else self.whole.take(keep)
        return replace(self, known=known, target=self.target.take(keep), sampling=self.sampling.take(keep), whole=whole)

    def over_rows(self) -> HeldOutRows:
        """Return the same rows as if each were a case."""
        return replace(self, sampling=Sampling.of_rows(len(self.target)), whole=None)

    def folds(self, cell: NDArray[np.integer], repeats: int = T.REPEATS) -> Folds:
        """Return the folds of the rows for a candidate, of which ``cell`` has what each row says, shape (n,)."""
        if self.whole is not None:
            return Folds(self.whole.blocks, self.whole.fold_of_block[:repeats])
        outcome = self.target.ordinals
        says = cell.astype(np.int64) * (int(outcome.max(initial=0)) + 1) + outcome
        return deal(blocks_of(says, self.seed), self.target.load, self.seed, repeats)


@dataclass(frozen=True)
class Cells:
    """A candidate counted once, into cells by hash block.

    Parameters
    ----------
    sums
        Shape (cells, blocks, F); the last cell holds the missing.
    codes
        The cell of each row, shape (n,).
    folds
        Of the rows.
    edges
        Inner edges of the bins of a number; nothing for levels.
    """

    sums: Floats
    codes: NDArray[np.integer]
    folds: Folds
    edges: Floats | None = None


@dataclass(frozen=True)
class Fit:
    """One fold of one repeat for C candidates: the rules fitted on the other folds, and the rows held out.

    ``base`` has shape (C, K), ``rates`` (C, cells, K), ``held_out`` (C, cells, F). ``levels`` says which cells these
    are; all, in order, by default.
    """

    repeat: int
    fold: int
    base: Floats
    rates: Floats
    held_out: Floats
    levels: Ints | None = None


def number_cells(values: Floats, held: HeldOutRows, ordered: Floats | None = None) -> Cells:
    """Count a numeric candidate, shape (n,), NaN for missing, in bins of all its values.

    The bins never look at the outcome, so nothing leaks, and one count serves every fold; see `value_edges`.

    Parameters
    ----------
    ordered
        The values sorted, where they already are.
    """
    if ordered is None:
        ordered = np.sort(values)
        ordered = ordered[: np.searchsorted(ordered, np.nan)] if len(ordered) and np.isnan(ordered[-1]) else ordered
    edges = value_edges(ordered, T.BINS)
    codes = np.searchsorted(edges, values, "right").astype(np.uint8)
    if len(ordered) < len(values):
        codes[np.isnan(values)] = len(edges) + 1
    folds = held.folds(codes)
    return Cells(_sums(codes, len(edges) + 2, held.target, folds), codes, folds, edges)


def level_cells(codes: NDArray[np.integer], levels: int, held: HeldOutRows, repeats: int = T.REPEATS) -> Cells:
    """Count a category candidate: the level of each row, shape (n,), ``-1`` for missing, a level of its own."""
    codes = np.where(codes < 0, levels, codes)
    target = held.target
    folds = held.folds(codes if held.whole else _by_outcome(codes, levels + 1, target), repeats)
    sums = np.zeros((levels + 1, 0, 0)) if levels > MANY_LEVELS else _sums(codes, levels + 1, target, folds)
    return Cells(sums, codes, folds)


def _by_outcome(codes: NDArray[np.integer], levels: int, target: Target) -> Ints:
    """Return the place of each row's level in an order that knows nothing of names: by its rows and their outcome."""
    place = np.empty(levels, np.int64)
    place[np.lexsort(target.sums(codes, levels).T)] = np.arange(levels)
    return np.asarray(place[codes])


def _sums(codes: NDArray[np.integer], cells: int, target: Target, folds: Folds) -> Floats:
    cell = codes.astype(np.int64)
    cell *= T.BLOCKS
    cell += folds.blocks
    return target.sums(cell, cells * T.BLOCKS).reshape(cells, T.BLOCKS, -1)


def fits_of(candidates: Sequence[Cells], target: Target) -> list[Fit]:
    """Fit candidates of equally many cells in every fold: numbers, or levels, not both."""
    first = candidates[0]
    fits = []
    sums = None if first.sums.shape[1] == 0 else np.stack([c.sums for c in candidates])
    for repeat, fold_of_block in enumerate(np.stack([c.folds.fold_of_block for c in candidates], axis=1)):
        if sums is None:
            by_fold = _regrouped(first, target, fold_of_block[0][first.folds.blocks])
        else:
            member = (fold_of_block[..., None] == np.arange(T.FOLDS)).astype(np.float64)  # (candidates, blocks, folds)
            by_fold = np.moveaxis(np.matmul(np.moveaxis(sums, 2, 3), member[:, None]), 3, 0)
        whole = by_fold.sum(axis=0)
        for fold in range(T.FOLDS):
            train, held = whole - by_fold[fold], by_fold[fold]
            total = train.sum(axis=1)
            base = target.base(total)
            rule = shrunken if first.edges is None else smoothed_bins
            rates = rule(target, train, base, target.variance(total, base))
            some = np.flatnonzero(target.rows(held[0])) if sums is None else None
            if some is not None:
                rates, held = rates[:, some], held[:, some]
            fits.append(Fit(repeat, fold, base, rates, held, some))
    return fits


def _regrouped(cells: Cells, target: Target, fold: NDArray[np.integer]) -> Floats:
    """Count one candidate of many levels by fold, shape (folds, 1, cells, F)."""
    size = len(cells.sums)
    sums = target.sums(fold.astype(np.int64) * size + cells.codes, size * T.FOLDS)
    return sums.reshape(T.FOLDS, 1, size, -1)


def held_out(candidates: Sequence[Cells], held: HeldOutRows, auc: bool = True) -> list[HeldOut]:
    """Return the held-out share of each candidate.

    Parameters
    ----------
    held
        The rows that were counted; those of one unit count as the one case they are.
    auc
        Whether the area under the curve is wanted too; else it is NaN.
    """
    out: list[HeldOut | None] = [None] * len(candidates)
    alike: dict[tuple[int, bool], list[int]] = {}
    for i, c in enumerate(candidates):
        alike.setdefault((len(c.sums), c.edges is None), []).append(i)
    batches = []
    for (size, _), members in alike.items():
        together = 1 if size > MANY_LEVELS else TOGETHER
        batches += [members[start : start + together] for start in range(0, len(members), together)]

    target, sampling = held.target, held.sampling

    def fitted(some: list[int]) -> list[HeldOut]:
        counted = [candidates[i] for i in some]
        fits = fits_of(counted, target)
        return summarise(fits, target, sampling, _RowGains(fits, counted, target) if sampling.clustered else None, auc)

    for some, made in zip(batches, in_threads(fitted, batches, len(target) * len(candidates)), strict=True):
        for i, h in zip(some, made, strict=True):
            out[i] = h
    return [h for h in out if h is not None]


@dataclass(frozen=True)
class _RowGains:
    """From the gains of every fit's cells to the gain of every row of one candidate, a list over repeats."""

    fits: list[Fit]
    counted: list[Cells]
    target: Target

    def __call__(self, gains: list[Floats], which: int) -> list[Floats]:
        out = [np.zeros(len(self.target)) for _ in range(T.REPEATS)]
        folds = self.counted[which].folds
        for fit, gain in zip(self.fits, gains, strict=True):
            inside = folds.fold_of_block[fit.repeat][folds.blocks] == fit.fold
            cell = self.counted[which].codes[inside].astype(np.int64)
            cell = cell if fit.levels is None else np.searchsorted(fit.levels, cell)
            out[fit.repeat][inside] = self.target.take(inside).gain_of_rows(gain[which], cell)
        return out


RowGains = Callable[[list[Floats], int], list[Floats]]


def summarise(
    fits: list[Fit],
    target: Target,
    sampling: Sampling,
    row_gains: RowGains | None = None,
    auc: bool = True,
) -> list[HeldOut]:
    """Pool the folds into a share with its interval, for each candidate that was fitted.

    share = 1 − pooled loss / pooled base loss. The interval is S ± sqrt((1.96 · 1.2 · SE)² + (1 / (2 n H))²)
    with H the base loss a row in nats and SE² the mean over repeats of var(z) / n, where
    z = ((b − l) − S b) / mean(b) of each row. Over units z is summed over each unit first, and t stands for 1.96.

    Parameters
    ----------
    row_gains
        Needed over units: turns cell gains into row gains.
    """
    n, size = len(target), len(fits[0].base)
    loss = np.sum([target.loss(f.held_out, f.rates) for f in fits], axis=0)
    base_loss = np.sum([target.loss(f.held_out, np.broadcast_to(f.base[:, None], f.rates.shape)) for f in fits], axis=0)
    if n == 0 or base_loss.min() <= 0:
        return [HeldOut(np.nan, np.nan, np.nan, np.nan)] * size
    share = 1 - loss / base_loss
    scale = base_loss / n / T.REPEATS
    gains = [target.gain(f.rates, f.base, share, scale) for f in fits]
    if row_gains is None:
        variance = _row_variance(fits, gains, target, n)
    else:
        of_repeats = ([sampling.variance((z - z.mean()) / n) for z in row_gains(gains, c)] for c in range(size))
        variance = np.array([np.mean(v) for v in of_repeats])
    floor = 1 / (2 * n * target.entropy(scale))
    half = np.sqrt((sampling.quantile * T.WIDEN) ** 2 * variance + floor**2)
    if sampling.tells_nothing:
        half = np.full(size, np.nan)
    area = _auc(fits, target) if auc else np.full(size, np.nan)
    parts = (share, share - half, share + half, area)
    return [HeldOut(*(float(v[c]) for v in parts)) for c in range(size)]


def _row_variance(fits: list[Fit], gains: list[Floats], target: Target, n: int) -> Floats:
    """Return the mean over repeats of var(z) / n."""
    first, second = np.zeros((T.REPEATS, len(gains[0]))), np.zeros((T.REPEATS, len(gains[0])))
    for fit, gain in zip(fits, gains, strict=True):
        s1, s2 = target.gain_moments(fit.held_out, gain)
        first[fit.repeat] += s1
        second[fit.repeat] += s2
    return np.asarray(np.mean(second / n - (first / n) ** 2, axis=0) / n)


def _auc(fits: list[Fit], target: Target) -> Floats:
    """Return the mean within-fold area under the curve of the event's held-out rates."""
    size = len(fits[0].base)
    if not isinstance(target, ClassTarget) or target.classes != 2:
        return np.full(size, np.nan)
    area, used = np.zeros(size), np.zeros(size)
    for fit in fits:
        rest, event = fit.held_out[..., 0], fit.held_out[..., 1]
        both = (rest.sum(axis=1) > 0) & (event.sum(axis=1) > 0)
        won = (_won_by_pairs if fit.rates.shape[1] <= PAIRWISE else _won_by_order)(fit.rates[..., 1], rest, event)
        area[both] += won[both] / (rest.sum(axis=1) * event.sum(axis=1))[both]
        used += both
    return np.asarray(np.divide(area, used, out=np.full(size, np.nan), where=used > 0))


def _won_by_pairs(rates: Floats, rest: Floats, event: Floats) -> Floats:
    """Return the pairs of an event and another row in which the event has the higher rate, ties by half."""
    above = (rates[:, :, None] > rates[:, None, :]) + 0.5 * (rates[:, :, None] == rates[:, None, :])
    return np.asarray(np.sum(event * np.matmul(above, rest[..., None])[..., 0], axis=1))


def _won_by_order(rates: Floats, rest: Floats, event: Floats) -> Floats:
    """Return the same by putting rates in order."""
    won = np.zeros(len(rates))
    for c in range(len(rates)):
        _, group = np.unique(rates[c], return_inverse=True)
        r, e = np.bincount(group, weights=rest[c]), np.bincount(group, weights=event[c])
        won[c] = np.sum(e * (np.cumsum(r) - r / 2))
    return won


def held_out_levels(codes: NDArray[np.integer], levels: int, held: HeldOutRows) -> HeldOut:
    """Return the held-out share of a category candidate."""
    return held_out([level_cells(codes, levels, held)], held)[0]
