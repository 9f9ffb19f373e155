"""What a person waits for, through the public calls, beside the same answers by hand in pandas and SciPy, in one run.

    python benchmarks/steps_speed.py [rows] [columns of the wide table]

Ratios are of seconds within this run; the best of three for what takes under a second. Peak memory is of a process of
its own that reads the file and takes every step.
"""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
from scipy import stats

from envelt import Study

NUMBERS, LEVELS = 30, 10


def made_up(rows: int) -> pd.DataFrame:
    """Return 30 numbers, six with gaps, ten categories and a binary outcome."""
    r = np.random.default_rng(0)
    columns: dict[str, object] = {}
    for i in range(NUMBERS):
        columns[f"n{i}"] = r.normal(50, 10, rows) if i % 3 else r.gamma(2, 10, rows)
    for i in range(0, NUMBERS, 5):
        columns[f"n{i}"][r.random(rows) < 0.05] = np.nan  # type: ignore[index]
    for i in range(LEVELS):
        names = np.array([f"level {k}" for k in range(3 + 4 * i)], object)
        columns[f"c{i}"] = names[r.integers(0, len(names), rows)]
    n1: np.ndarray = columns["n1"]  # type: ignore[assignment]
    columns["y"] = np.where(r.random(rows) < 1 / (1 + np.exp(-(n1 - 50) / 10)), "yes", "no")
    return pd.DataFrame(columns)


def seconds(work: Callable[[], object], times: int = 1) -> float:
    """Return the least time of a few."""
    best = float("inf")
    for _ in range(times):
        begun = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - begun)
    return best


def by_hand(path: str) -> None:
    """Find a notebook's answers with pandas and SciPy."""
    frame = pd.read_parquet(path)
    numbers = frame.select_dtypes("number")
    frame.describe(include="all")
    frame.isna().mean(), frame.nunique(), frame.duplicated().sum(), numbers.skew()
    yes = (frame["y"] == "yes").to_numpy()
    for name in numbers:
        x = frame[name].to_numpy()
        frame.groupby("y")[name].describe()
        a, b = x[yes & ~np.isnan(x)], x[~yes & ~np.isnan(x)]
        stats.ttest_ind(a, b, equal_var=False), stats.mannwhitneyu(a, b)
        np.histogram(x[~np.isnan(x)], bins="auto")
    for i in range(LEVELS):
        stats.chi2_contingency(pd.crosstab(frame[f"c{i}"], frame["y"]))
    places = np.linspace(0, 100, 200)
    for side in (yes, ~yes):
        stats.gaussian_kde(frame["n1"].to_numpy()[side])(places)


CALLS = """
import json, sys, time
import numpy, pandas, scipy.stats, pyarrow.parquet
from envelt import Study
def high_water():
    return int(next(line for line in open("/proc/self/status") if line.startswith("VmHWM")).split()[1]) * 1024
before = high_water()
took = {}
def timed(name, work):
    begun = time.perf_counter(); made = work(); took[name] = time.perf_counter() - begun
    return made
study = timed("Study(path)", lambda: Study(sys.argv[1], outcome="y"))
timed("inventory()", lambda: (study.inventory().table, study.inventory().findings))
timed("distribution()", lambda: (study.distribution().table, study.distribution().findings))
timed("against()", lambda: (study.against().table, study.against().groups))
timed("density by class", lambda: study.distribution("n1", by="y", picture="density").density)
timed("against() findings", lambda: study.against().findings)
timed("rank()", lambda: study.rank().table)
peak = high_water() - before
own = sum(getattr(c, "values", getattr(c, "codes", None)).nbytes for c in study.table)
print(json.dumps({"took": took, "peak": peak, "own": own}))
"""


def main() -> None:
    """Print the ratios, the seconds of each step, and what share of them its numbers need."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    wide = int(sys.argv[2]) if len(sys.argv) > 2 else 5_000
    frame = made_up(rows)
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "table.parquet")
        frame.to_parquet(path)
        hand = seconds(lambda: by_hand(path))
        run = subprocess.run([sys.executable, "-c", CALLS, path], capture_output=True, text=True, check=True)
    got = json.loads(run.stdout)
    took = got["took"]
    notebook = sum(v for k, v in took.items() if k not in ("rank()", "against() findings"))
    print(
        f"{rows:,} × {frame.shape[1]}: a notebook's answers {hand:.1f} s by hand, {notebook:.1f} s: "
        f"{hand / notebook:.1f} times (6)"
    )
    arrays = [frame[f"n{i}"].to_numpy() for i in range(NUMBERS)]
    sort = seconds(lambda: [np.sort(a) for a in arrays], 3)
    print(
        f"rank() {took['rank()'] / sort:.1f} times numpy.sort of its numbers (at most 7); the sheet's numbers "
        f"{took['distribution()'] / sort:.1f} times (at most 4)"
    )
    study = Study(frame, outcome="y")
    crossed = seconds(lambda: [stats.chi2_contingency(pd.crosstab(frame[f"c{i}"], frame["y"])) for i in range(LEVELS)])
    ours = seconds(lambda: [study.contingency(f"c{i}", "y").tests for i in range(LEVELS)])
    print(f"ten contingency().tests: {crossed / ours:.0f} times crosstab + chi2_contingency (15)")
    yes = (frame["y"] == "yes").to_numpy()
    n1, places = frame["n1"].to_numpy(), np.linspace(0, 100, 200)
    kernel = seconds(lambda: [stats.gaussian_kde(n1[s])(places) for s in (yes, ~yes)])
    fresh = study.where("n1 > -1e9")
    ours = seconds(lambda: fresh.distribution("n1", by="y", picture="density").density)
    print(f"density by class: {kernel / ours:.0f} times gaussian_kde at 200 places (60)")
    ratios = []
    for name in ("n2", "n4", "n7", "n8"):
        x = frame[name].to_numpy()
        tested = seconds(
            lambda x=x: (stats.ttest_ind(x[yes], x[~yes], equal_var=False), stats.mannwhitneyu(x[yes], x[~yes])), 2
        )
        ratios.append(tested / seconds(lambda name=name: study.against(name).tests))
    print(f"against(c).tests: {np.median(ratios):.1f} times ttest_ind + mannwhitneyu (6)")
    print(
        f"peak memory {got['peak'] / got['own']:.2f} times the table's own {got['own'] / 2**20:.0f} MiB (at most 2.5)"
    )
    for step, spent in took.items():
        print(f"  {step:20s} {spent:6.2f} s, {sort / spent:5.0%} of it what numpy.sort of the numbers takes")
    r = np.random.default_rng(1)
    flat = pd.DataFrame({**{f"n{i}": r.normal(size=200) for i in range(wide)}, "y": r.choice(["yes", "no"], 200)})
    study = Study(flat, outcome="y")
    for step in ("inventory", "distribution", "against", "rank"):
        spent = seconds(lambda step=step: getattr(study, step)().table)
        print(f"200 × {wide:,} {step:14s} {spent:6.1f} s, {1000 * spent / wide:.2f} ms a column")


if __name__ == "__main__":
    main()
