"""How time and memory grow where a table grows in a way that tables seldom do.

Each case is run at half its size and at its size: the ratio of the two says how it grows (2 is in proportion, 4 with
the square). Run: python benchmarks/growth.py [CASE ...], one process a case, so that the peaks are each its own.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd

from envelt import Study

RNG = np.random.default_rng(0)


def levels(n: int) -> int:
    """Set a million levels against a number, and write the page; gives its bytes."""
    frame = pd.DataFrame({"c": [f"l{i}" for i in RNG.integers(0, n, n)], "y": RNG.normal(size=n)})
    page = Path(tempfile.mkdtemp()) / "page.html"
    Study(frame, outcome="y", kinds={"c": "nominal"}).against("c").save(page)
    return page.stat().st_size


def copies(n: int) -> int:
    """Find that columns are all the same; gives the number of findings."""
    x = RNG.normal(size=200)
    return len(Study(pd.DataFrame({f"c{i}": x for i in range(n)})).inventory().findings)


def derived(n: int) -> int:
    """Open a study file of derived columns, each made from the one before."""
    folder = Path(tempfile.mkdtemp())
    pd.DataFrame({"d": RNG.normal(size=200)}).to_csv(folder / "x.csv", index=False)
    made = "".join(f"[derived.d{i}]\nexpression = 'd{i - 1 if i else ''} + 1'\n" for i in range(n))
    (folder / "s.toml").write_text(f"[study]\ndata = 'x.csv'\n{made}")
    return len(Study(folder / "s.toml").table.columns)


def wide(n: int) -> int:
    """Write the report of a table of many columns and 200 rows; gives its bytes."""
    columns = {f"c{i}": RNG.normal(size=200) if i % 3 else RNG.choice(list("abcd"), 200) for i in range(n)}
    page = Path(tempfile.mkdtemp()) / "report.html"
    Study(pd.DataFrame({**columns, "y": RNG.choice(["no", "yes"], 200)}), outcome="y").report(page)
    return page.stat().st_size


def two_rows(n: int) -> int:
    """Rank many columns of two rows."""
    frame = pd.DataFrame(RNG.normal(size=(2, n))).rename(columns=lambda i: f"c{i}").assign(y=["no", "yes"])
    return len(Study(frame, outcome="y").rank().table)


CASES: dict[str, tuple[Callable[[int], int], int]] = {
    "levels": (levels, 1_000_000), "copies": (copies, 1_000), "derived": (derived, 800), "wide": (wide, 5_000),
    "two_rows": (two_rows, 20_000),
}  # fmt: skip


def one(name: str) -> None:
    """Run a case at half its size, then whole."""
    work, n = CASES[name]
    seconds = []
    for size in (n // 2, n):
        started = time.perf_counter()
        made = work(size)
        seconds.append(time.perf_counter() - started)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    grown = f"{seconds[1] / seconds[0]:.1f} times half of it"
    print(f"{name} {n:,}: {seconds[1]:.1f} s, {grown}; {peak:.2f} GB; gave {made:,}")


if __name__ == "__main__":
    asked = sys.argv[1:] or list(CASES)
    if len(asked) == 1:
        one(asked[0])
    else:
        for case in asked:
            subprocess.run([sys.executable, __file__, case], check=True)
