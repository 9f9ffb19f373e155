"""Rank against a loop of pandas and NumPy that does the same: 200,000 rows, 30 numbers, 10 categories.

    python benchmarks/rank_speed.py [rows]

The loop bins each number with numpy.digitize at its training quantiles, takes means with a pandas groupby,
shrinks them towards the base rate and adds up the log loss on the fold held out: five folds, five times.
"""

from __future__ import annotations

import sys
import time
import tracemalloc

import numpy as np
import pandas as pd

from envelt import Study

FOLDS = REPEATS = 5


def made(rows: int) -> pd.DataFrame:
    """Make 30 numbers, 10 categories of 2 to 1,000 levels and an outcome of two classes."""
    rng = np.random.default_rng(0)
    columns: dict[str, np.ndarray] = {f"number_{i}": rng.normal(size=rows) for i in range(30)}
    for levels in (2, 3, 5, 8, 15, 30, 80, 200, 500, 1000):
        columns[f"category_{levels}"] = np.array([f"level {k}" for k in range(levels)])[rng.integers(0, levels, rows)]
    score = columns["number_0"] + 0.5 * columns["number_1"] ** 2
    columns["outcome"] = np.where(rng.random(rows) < 1 / (1 + np.exp(1.5 - score)), "yes", "no")
    return pd.DataFrame(columns)


def by_loop(frame: pd.DataFrame) -> dict[str, float]:
    """Score every candidate with groupby means and digitize, fold by fold."""
    rng = np.random.default_rng(0)
    y = (frame["outcome"] == "yes").to_numpy().astype(float)
    shares = {}
    for name in frame.columns.drop("outcome"):
        values = frame[name]
        loss = base_loss = 0.0
        for _ in range(REPEATS):
            fold = rng.permutation(len(y)) % FOLDS
            for f in range(FOLDS):
                train, test = fold != f, fold == f
                codes = values
                if values.dtype.kind == "f":
                    x = values.to_numpy()
                    codes = pd.Series(np.digitize(x, np.quantile(x[train], np.arange(1, 20) / 20)))
                base = y[train].mean()
                stats = pd.Series(y[train]).groupby(codes[train].to_numpy()).agg(["mean", "size"])
                rate = (stats["mean"] * stats["size"] + 20 * base) / (stats["size"] + 20)
                held = codes[test].map(rate).fillna(base).to_numpy()
                loss -= np.sum(np.log(np.where(y[test] == 1, held, 1 - held)))
                base_loss -= np.sum(np.log(np.where(y[test] == 1, base, 1 - base)))
        shares[name] = 1 - loss / base_loss
    return shares


def main() -> None:
    """Time both in one run, and what rank needs in memory."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 200_000
    frame = made(rows)
    study = Study(frame, outcome="outcome")
    started = time.perf_counter()
    view = study.rank()
    view.table, view.findings  # noqa: B018  a view is made when it is read
    ours = time.perf_counter() - started
    started = time.perf_counter()
    shares = by_loop(frame)
    theirs = time.perf_counter() - started
    tracemalloc.start()
    study.where("number_0 < 99").rank().table  # noqa: B018
    peak = tracemalloc.get_traced_memory()[1]
    print(f"{rows:,} rows × 40 candidates: rank {ours:.2f} s, loop {theirs:.2f} s, ratio {theirs / ours:.1f}")
    table = rows * (30 * 8 + 11 * 4) >> 20
    print(f"peak memory of rank beyond the table: {peak / 2**20:.0f} MiB (the table: {table} MiB)")
    for name in ("number_0", "number_1", "category_1000"):
        print(f"  {name}: share {view.table.loc[name, 'held_out_share']:.4f}, loop {shares[name]:.4f}")


if __name__ == "__main__":
    main()
