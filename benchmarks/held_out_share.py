"""How often the held-out share cries wolf, and how often its interval holds the truth.

    python benchmarks/held_out_share.py [shuffles] [tables]

Shuffles: 1,000 rows whose outcome is shuffled; how many give a share above 0.01.
Tables: made from a known rate; how many intervals hold the true share of the rules that were fitted.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import numpy as np

from envelt.core import thresholds as T
from envelt.core.stats.heldout import (
    HeldOutRows,
    fits_of,
    held_out,
    held_out_levels,
    level_cells,
    number_cells,
    summarise,
)
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.shrinkage import shrunken
from envelt.core.stats.targets import ClassTarget, NumberTarget, Target


def rows_of(target: Target, seed: int) -> HeldOutRows:
    """Return rows that are cases."""
    return HeldOutRows(np.ones(len(target), bool), target, Sampling.of_rows(len(target)), seed)


def shuffled_shares(seed: int) -> tuple[float, float, float]:
    """Return the share of a number, of a 300-level category and of a level a row, on a shuffled outcome."""
    rng = np.random.default_rng(seed)
    n = 1000
    target = ClassTarget((rng.random(n) < 0.22).astype(np.int64), 2)
    held = rows_of(target, seed)
    (number,) = held_out([number_cells(rng.gamma(2.0, size=n), held)], held)
    category = held_out_levels(rng.integers(0, 300, n), 300, held)
    return number.share, category.share, held_out_levels(np.arange(n), n, held).share


def numeric_covered(slope: float, n: int, event: float, bent: bool, seed: int) -> bool:
    """Say whether the interval of a numeric candidate holds the true share of its fitted rules."""
    rng = np.random.default_rng(seed)

    def rate(x: np.ndarray) -> np.ndarray:
        shape = x**2 - 1 if bent else x
        return 1 / (1 + np.exp(-(np.log(event / (1 - event)) + slope * shape)))

    x = rng.normal(size=n)
    target = ClassTarget((rng.random(n) < rate(x)).astype(np.int64), 2)
    held = rows_of(target, seed)
    cells = number_cells(x, held)
    fits = fits_of([cells], target)
    fresh = rng.normal(size=20_000)
    p = rate(fresh)[:, None] * [-1, 1] + [1, 0]
    loss = base = 0.0
    for fit in fits:
        rates = fit.rates[0, np.searchsorted(cells.edges, fresh, "right")]
        loss -= np.mean(np.sum(p * np.log(rates), axis=1))
        base -= np.mean(np.sum(p * np.log(fit.base), axis=1))
    result = summarise(fits, target, held.sampling)[0]
    return bool(result.low <= 1 - loss / base <= result.high)


def category_covered(spread: float, levels: int, n: int, event: float, seed: int) -> bool:
    """Say whether the interval of a category candidate holds the true share of its fitted rules."""
    rng = np.random.default_rng(seed)
    rate = 1 / (1 + np.exp(-(np.log(event / (1 - event)) + spread * rng.normal(size=levels))))
    codes = rng.integers(0, levels, n)
    target = ClassTarget((rng.random(n) < rate[codes]).astype(np.int64), 2)
    held = rows_of(target, seed)
    folds = level_cells(codes, levels, held).folds
    p = rate[:, None] * [-1, 1] + [1, 0]
    loss = base_loss = 0.0
    for fold_of_block in folds.fold_of_block:
        fold = fold_of_block[folds.blocks]
        for f in range(T.FOLDS):
            train = target.take(fold != f).sums(codes[fold != f], levels)
            base = target.base(train.sum(axis=0))
            rates = shrunken(target, train, base, target.variance(train.sum(axis=0), base))
            loss -= np.mean(np.sum(p * np.log(rates), axis=1))
            base_loss -= np.mean(np.sum(p * np.log(base), axis=1))
    result = held_out_levels(codes, levels, held)
    return bool(result.low <= 1 - loss / base_loss <= result.high)


def numeric_outcome_covered(slope: float, n: int, seed: int) -> bool:
    """The same for a numeric outcome."""
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n)
    y = slope * x + rng.normal(size=n)
    target = NumberTarget.of(y)
    held = rows_of(target, seed)
    cells = number_cells(x, held)
    fits = fits_of([cells], target)
    fresh = rng.normal(size=20_000)
    mean, sd = y.mean(), y.std()
    truth = (slope * fresh - mean) / sd
    noise = 1 / sd**2
    loss = base = 0.0
    for fit in fits:
        loss += np.mean((truth - fit.rates[0, np.searchsorted(cells.edges, fresh, "right"), 0]) ** 2) + noise
        base += np.mean((truth - fit.base[0, 0]) ** 2) + noise
    result = summarise(fits, target, held.sampling)[0]
    return bool(result.low <= 1 - loss / base <= result.high)


SCENES = {
    **{
        f"number, slope {s}, n {n}, event {e}{', bent' if b else ''}": partial(numeric_covered, s, n, e, b)
        for s, n, e, b in [
            (0.0, 200, 0.5, False), (0.0, 1000, 0.2, False), (0.5, 200, 0.5, False), (0.5, 1000, 0.2, False),
            (0.5, 3000, 0.05, False), (1.0, 1000, 0.2, False), (2.0, 1000, 0.5, False), (0.7, 1000, 0.2, True),
            (3.0, 3000, 0.2, False),
        ]
    },
    **{
        f"category, spread {s}, {k} levels, n {n}, event {e}": partial(category_covered, s, k, n, e)
        for s, k, n, e in [
            (0.0, 5, 1000, 0.2), (0.0, 300, 1000, 0.2), (0.5, 5, 200, 0.5), (0.5, 50, 1000, 0.2),
            (1.0, 300, 1000, 0.2), (1.0, 50, 3000, 0.05), (2.0, 20, 1000, 0.5),
        ]
    },
    **{
        f"number on a numeric outcome, slope {s}, n {n}": partial(numeric_outcome_covered, s, n)
        for s, n in [(0.0, 500), (0.3, 200), (0.5, 1000), (2.0, 1000)]
    },
}  # fmt: skip


def main() -> None:
    """Run both and print what came out."""
    shuffles = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    tables = int(sys.argv[2]) if len(sys.argv) > 2 else 500
    with ProcessPoolExecutor() as pool:
        shares = np.array(list(pool.map(shuffled_shares, range(shuffles), chunksize=20)))
        print(f"{shuffles} shuffles of 1,000 rows, share above 0.01:")
        for name, column in zip(("number", "300-level category", "level a row"), shares.T, strict=True):
            print(f"  {name:20s} {np.mean(column > 0.01):6.1%}   (largest {column.max():.4f})")
        print(f"coverage of the 95 % interval, {tables} tables each:")
        held = []
        for name, scene in SCENES.items():
            held.append(np.mean(list(pool.map(scene, range(tables), chunksize=10))))
            print(f"  {name:60s} {held[-1]:6.1%}")
        print(f"  {'all':60s} {np.mean(held):6.1%}")


if __name__ == "__main__":
    main()
