"""All pairs of many columns, against pandas, and what a person waits for in relations and pair plots.

    python benchmarks/relations_speed.py [rows of Spearman] [rows of Pearson]

1. Spearman of 30 columns with 5 % scattered gaps, exactly pairwise-complete, against pandas' `corr("spearman")`.
2. Pearson of 30 columns, against pandas' `corr()`, with and without gaps.
3. A pair plot of six columns by class; joint shares of all pairs of 40 candidates at a tenth of the rows.

Values are loaded before. Beside each stands the memory its peak adds to them.
"""

from __future__ import annotations

import io
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from envelt import Study


def timed(call: Callable[[], Any]) -> tuple[float, Any]:
    """Return how long a call takes, and what it returns."""
    started = time.perf_counter()
    result = call()
    return time.perf_counter() - started, result


def peak(anew: bool = False) -> float:
    """Return the most memory this process has held since it was asked anew, in MB; of Linux."""
    if anew:
        Path("/proc/self/clear_refs").write_text("5")
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in lines if line.startswith("VmHWM"))


def numbers(rows: int, columns: int, gaps: float, seed: int = 0) -> pd.DataFrame:
    """Return correlated normals, rounded so that some tie."""
    r = np.random.default_rng(seed)
    common = r.normal(size=rows)
    made = {}
    for k in range(columns):
        values = np.round(r.normal(size=rows) + 0.1 * k / columns * common, 3)
        if gaps:
            values[r.random(rows) < gaps] = np.nan
        made[f"x{k}"] = values
    return pd.DataFrame(made)


def against_pandas(method: str, rows: int, gaps: float, wanted: float) -> None:
    """Compare one matrix."""
    frame = numbers(rows, 30, gaps)
    study = Study(frame)
    held = frame.to_numpy().nbytes / 2**20
    for column in study.table:
        column.numbers  # noqa: B018  values are loaded
    before = peak(anew=True)
    fast, ours = timed(lambda: study.relations(method=method).table)
    more = peak() - before
    slow, theirs = timed(lambda: frame.corr(method))
    far = float(np.abs(ours.to_numpy() - theirs.to_numpy()).max())
    print(
        f"{method}, 30 × {rows:,} rows, {gaps:.0%} gaps: {fast:.2f} s against {slow:.2f} s, ratio {slow / fast:.1f} "
        f"(wanted {wanted:g}); largest difference {far:.1e}; {more:,.0f} MB more at the peak, data {held:,.0f} MB"
    )


def pair_plot(rows: int) -> None:
    """Draw six columns by class."""
    frame = numbers(rows, 6, 0.0, 1)
    frame["class"] = np.where(np.random.default_rng(2).random(rows) < 0.1, "yes", "no")
    study = Study(frame, outcome="class")
    for column in study.table:
        column.kind  # noqa: B018  values are loaded
    before = peak(anew=True)
    names = [f"x{k}" for k in range(6)]
    took, _ = timed(lambda: study.pairwise(*names).draw().savefig(io.BytesIO(), format="png"))
    more, held = peak() - before, frame.memory_usage().sum() / 2**20
    print(
        f"pair plot, six columns × {rows:,} rows by class: {took:.1f} s (wanted 6); {more:,.0f} MB more at the peak, "
        f"data {held:,.0f} MB"
    )


def together(rows: int) -> None:
    """Share explained by every two of forty candidates."""
    frame = numbers(rows, 40, 0.02, 3)
    r = np.random.default_rng(4)
    frame["class"] = np.where(r.random(rows) < 1 / (1 + np.exp(1 - frame["x3"].fillna(0))), "yes", "no")
    study = Study(frame, outcome="class")
    for column in study.table:
        column.kind  # noqa: B018
    before = peak(anew=True)
    took, table = timed(lambda: study.relations().together)
    more, held = peak() - before, frame.memory_usage().sum() / 2**20
    print(
        f"joint shares, 40 candidates × {rows:,} rows: {took:.1f} s (wanted 5); {len(table)} pairs found; {more:,.0f} "
        f"MB more at the peak, data {held:,.0f} MB"
    )


def main() -> None:
    """Time all in one run."""
    ranks = int(sys.argv[1]) if len(sys.argv) > 1 else 200_000
    rows = int(sys.argv[2]) if len(sys.argv) > 2 else 1_000_000
    small = Study(numbers(500, 3, 0.0))
    small.relations(method="pearson").table, small.pairwise().draw()  # the first call loads what it needs
    together(rows // 10)
    pair_plot(rows)
    against_pandas("spearman", ranks, 0.05, 10)
    against_pandas("pearson", rows, 0.05, 4)
    against_pandas("pearson", rows, 0.0, 4)


if __name__ == "__main__":
    main()
