"""Inventory against the hand-written pandas equivalent: 1,000,000 rows, 30 numbers, 11 texts, in one run.

    python benchmarks/inventory_speed.py [rows]

Reading and encoding aside: the pandas side starts from its data frame, ours from the encoded table.
"""

from __future__ import annotations

import sys
import time
import tracemalloc

import numpy as np
import pandas as pd

from envelt import Study


def made(rows: int) -> pd.DataFrame:
    """Make 30 numbers and 11 texts of 2 to 100,000 levels, some missing."""
    rng = np.random.default_rng(0)
    columns: dict[str, np.ndarray] = {}
    for i in range(30):
        values = rng.normal(size=rows) if i % 3 else np.round(rng.gamma(2.0, 20.0, rows))
        values[rng.random(rows) < 0.02] = np.nan
        columns[f"number_{i}"] = values
    for levels in (2, 3, 5, 8, 15, 30, 80, 200, 1000, 10_000, 100_000):
        columns[f"text_{levels}"] = np.array([f"level {k}" for k in range(levels)])[rng.integers(0, levels, rows)]
    return pd.DataFrame(columns)


def by_pandas(frame: pd.DataFrame) -> None:
    """Describe, count missing and distinct values, and look for duplicate rows."""
    frame.describe(include="all")
    frame.isna().sum()
    frame.nunique()
    frame.duplicated().sum()


def main() -> None:
    """Time both, and what inventory needs in memory."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    frame = made(rows)
    started = time.perf_counter()
    study = Study(frame)
    encoding = time.perf_counter() - started
    started = time.perf_counter()
    study.inventory().to_dict()
    ours = time.perf_counter() - started
    started = time.perf_counter()
    by_pandas(frame)
    theirs = time.perf_counter() - started
    tracemalloc.start()
    study.inventory(rows=1).to_dict()
    peak = tracemalloc.get_traced_memory()[1]
    print(f"{rows:,} × 41: inventory {ours:.2f} s, pandas {theirs:.2f} s, ratio {theirs / ours:.1f}")
    print(f"encoding once {encoding:.2f} s; peak memory of inventory {peak / 2**20:.0f} MiB")


if __name__ == "__main__":
    main()
