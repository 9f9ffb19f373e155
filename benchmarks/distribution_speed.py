"""Densities, all candidates at a glance, and a sheet of small pictures, each against what it is measured by.

    python benchmarks/distribution_speed.py [rows]

1. A density of two groups, at the same bandwidth, against scipy.stats.gaussian_kde on 200 points.
2. `against()` for 30 numbers and a binary outcome, against a loop of pandas and SciPy: group tables, Welch,
   Mann–Whitney and the points of the effects; then also their intervals and the shares explained, which ours gives.
3. A sheet of 40 small distributions against 40 empty Matplotlib axes.
"""

from __future__ import annotations

import io
import sys
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
from scipy import stats

from envelt import Study
from envelt.core.shapes.density import densities


def timed(call: Callable[[], Any], times: int = 1) -> tuple[float, Any]:
    """Return the shortest time of a few runs, and what the last returned."""
    best, result = np.inf, None
    for _ in range(times):
        started = time.perf_counter()
        result = call()
        best = min(best, time.perf_counter() - started)
    return best, result


def density(rows: int) -> None:
    """Compare densities of two groups, from their values as they come, sorting included."""
    r = np.random.default_rng(0)
    values, group = r.normal(size=rows), r.random(rows) < 0.4
    values[group] = 0.7 * values[group] + 1
    parts = values[group], values[~group]

    def ours() -> Any:
        return densities([np.sort(p) for p in parts])

    fast, made = timed(ours, 3)
    at = np.linspace(made.at[0], made.at[-1], 200)

    def theirs() -> list[Any]:
        return [
            stats.gaussian_kde(p, bw_method=h / p.std(ddof=1))(at) for p, h in zip(parts, made.bandwidths, strict=True)
        ]

    slow, want = timed(theirs)
    far = max(np.abs(np.interp(at, made.at, f) - w).max() / w.max() for f, w in zip(made.density, want, strict=True))
    print(f"density, {rows:,} rows: {fast:.3f} s against {slow:.1f} s, ratio {slow / fast:.0f} (wanted 100)")
    print(f"  largest difference {far:.2%} of the peak (1 % allowed)")


def glance(rows: int, columns: int = 30) -> None:
    """Compare all of against with the loop a person would write."""
    r = np.random.default_rng(1)
    frame = pd.DataFrame({f"x{i}": r.normal(0.02 * i * 0, 1, rows) for i in range(columns)})
    frame.iloc[::7, ::3] = np.nan
    frame["y"] = np.where(r.random(rows) < 0.3, "yes", "no")
    study = Study(frame, outcome="y")
    study.where("x0 < 99").against()  # the first call loads what it needs

    def read() -> object:
        view = study.against()
        view.table, view.groups, view.findings  # noqa: B018  # each is made when it is read
        return view

    fast, view = timed(read)

    def loop(whole: bool) -> dict[str, Any]:
        out = {}
        for name in frame.columns[:-1]:
            grouped = frame.groupby("y")[name]
            table = grouped.describe().assign(skew=grouped.skew(), kurt=grouped.apply(pd.Series.kurt))
            a, b = (frame.loc[frame["y"] == level, name].dropna().to_numpy() for level in ("no", "yes"))
            t, u = stats.ttest_ind(b, a, equal_var=False), stats.mannwhitneyu(b, a)
            pooled = np.sqrt((a.var(ddof=1) + b.var(ddof=1)) / 2)
            difference, superiority = (b.mean() - a.mean()) / pooled, u.statistic / len(a) / len(b)
            # what the intervals and the shares explained stand on
            more: Any = None
            if whole:
                more = t.confidence_interval(), stats.brunnermunzel(a, b), stats.f_oneway(a, b), stats.kruskal(a, b)
            out[name] = table, t.pvalue, u.pvalue, difference, superiority, more
        return out

    for whole, what in ((False, "points only"), (True, "with intervals")):
        slow, want = timed(lambda whole=whole: loop(whole))
        ratio = f"ratio {slow / fast:.1f} (wanted 8)"
        print(f"against, {rows:,} × {columns}: {fast:.2f} s against {slow:.1f} s for the loop {what}, {ratio}")
    got = view.table.loc["x3", "estimate"]
    print(f"  g of x3: {got:.6f}, loop {want['x3'][3]:.6f}")


def sheet() -> None:
    """Compare a sheet of 40 columns with 40 empty axes."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    r = np.random.default_rng(2)
    study = Study(pd.DataFrame({f"column_{i}": r.gamma(1 + i % 5, size=3000) for i in range(40)}))
    view = study.distribution()

    def empty() -> None:
        figure = Figure(figsize=(12.8, 8))
        FigureCanvasAgg(figure)
        figure.subplots(6, 7)
        figure.savefig(io.BytesIO(), format="png")

    def drawn() -> None:
        view.draw().savefig(io.BytesIO(), format="png")

    drawn()
    bare, full = timed(empty, 3)[0], timed(drawn, 3)[0]
    print(f"sheet of 40: {full:.2f} s, 42 empty axes {bare:.2f} s; twice that plus 2 s is {2 * bare + 2:.2f} s")


if __name__ == "__main__":
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    density(rows)
    glance(rows)
    sheet()
