"""Ten two-way tables with tests and effects against pandas.crosstab and SciPy, and the search for what turns round.

python benchmarks/contingency_speed.py [rows]
"""

from __future__ import annotations

import sys
import time

import numpy as np
import pandas as pd
from scipy import stats

from envelt import Study
from envelt.core.columns.coarse import coarse_of
from envelt.core.within.search import turn_rounds


def main() -> None:
    """Time both in one run."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    r = np.random.default_rng(0)
    sizes = [2, 3, 4, 5, 6, 7, 8, 9, 10, 12] * 2
    names = [np.array([f"level {k}" for k in range(size)]) for size in sizes]
    frame = pd.DataFrame({f"c{i}": n[r.integers(0, len(n), rows)] for i, n in enumerate(names)})
    study = Study(frame)
    pairs = [(f"c{i}", f"c{i + 10}") for i in range(10)]
    Study(frame.head(1000)).contingency("c0", "c1")  # the first call loads what it needs
    started = time.perf_counter()
    views = [study.contingency(a, b) for a, b in pairs]
    answers = [(v.table, v.tests, v.effects) for v in views]
    ours = time.perf_counter() - started
    started = time.perf_counter()
    tables = [pd.crosstab(frame[a], frame[b]) for a, b in pairs]
    theirs_p = [stats.chi2_contingency(t, correction=False).pvalue for t in tables]
    theirs = time.perf_counter() - started
    same = all((v.table == t.reindex_like(v.table)).all().all() for v, t in zip(views, tables, strict=True))
    p = max(abs(v.tests.loc["chi_square", "p"] - q) for v, q in zip(views, theirs_p, strict=True))
    print(f"ten tables, {rows:,} rows: {ours:.3f} s against {theirs:.2f} s, ratio {theirs / ours:.1f} (wanted 20)")
    print(f"  {len(answers)} tables, the same counts: {same}; largest difference of p {p:.1e}")
    frame["y"] = np.where(r.random(rows) < 0.3, "yes", "no")
    outcome = Study(frame, outcome="y").outcome
    columns = [c for c in (coarse_of(study.table[f"c{i}"]) for i in range(20)) if c is not None]
    from envelt.core import thresholds as T

    usual, T.TURN_OVERALL = T.TURN_OVERALL, 0.0  # every pair is looked at, as if each column carried something
    started = time.perf_counter()
    found = turn_rounds(columns, outcome)
    took = time.perf_counter() - started
    T.TURN_OVERALL = usual
    print(f"turn-round search, 20 × 20 columns, {rows:,} rows: {took:.2f} s (wanted under 3), {len(found)} found")


if __name__ == "__main__":
    main()
