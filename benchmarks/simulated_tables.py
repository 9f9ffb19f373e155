"""The two simulated tables the core stands on: how well they hold, or, in about ten minutes, made anew.

    python benchmarks/simulated_tables.py
    python benchmarks/simulated_tables.py dip src/envelt/core/dip_table.py
    python benchmarks/simulated_tables.py band src/envelt/core/qq_table.py

dip: quantiles of sqrt(n) · dip of uniform samples, for a p-value. band: the pointwise level at which the band of
a Q–Q plot holds 95 % of normal samples whole, the line through their quartiles fitted.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from scipy import special

from envelt.core.shapes.dip import dip_statistic, dip_test
from envelt.core.shapes.qq import normal_qq
from envelt.core.shapes.quantiles import sorted_quantiles

DIP_SIZES = (8, 10, 14, 20, 30, 50, 100, 200, 500, 1000, 3000, 10000)
DIP_SHARES = (0, 0.01, 0.05, *np.arange(0.1, 0.9, 0.1).round(1), 0.9, 0.95, 0.975, 0.99, 0.995, 0.998, 0.999, 0.9995)
BAND_SIZES = (8, 10, 12, 15, 20, 25, 30, 40, 50, 75, 100, 150, 200, 300, 500, 1000, 2000, 5000)


def dip_quantiles() -> str:
    """Return the module that holds the table of the dip."""
    rng = np.random.default_rng(1985)
    rows = []
    for n in DIP_SIZES:
        draws = 40_000 if n < 5000 else 20_000
        dips = [np.sqrt(n) * dip_statistic(np.sort(rng.random(n))) for _ in range(draws)]
        rows.append(np.quantile(dips, DIP_SHARES))
    written = "\n".join(wrapped(row) for row in rows)
    p = ", ".join(f"{1 - s:.6g}" for s in DIP_SHARES)
    return f'''"""Quantiles of sqrt(n) · dip of uniform samples, simulated: benchmarks/simulated_tables.py."""

import numpy as np

# fmt: off
LOG_SIZES = np.log({list(DIP_SIZES)})
P_VALUES = np.array([{p}])
QUANTILES = np.array([
{written}
])
# fmt: on
'''


def wrapped(row: np.ndarray) -> str:
    """Return a row of the table in two lines."""
    half = len(row) // 2
    parts = (row[:half], row[half:])
    return "    [" + ",\n     ".join(", ".join(f"{q:.5f}" for q in part) for part in parts) + "],"


def band_levels() -> str:
    """Return the module that holds the levels of the band."""
    rng = np.random.default_rng(2013)
    levels = []
    for n in BAND_SIZES:
        draws = int(min(40_000, 4e7 / n))
        i = np.arange(1.0, n + 1)
        least = []
        for _ in range(draws):
            x = np.sort(rng.normal(size=n))
            q1, q3 = sorted_quantiles(x, np.array([0.25, 0.75]))
            u = special.ndtr((x - (q1 + q3) / 2) / (q3 - q1) * 1.3489795003921634)
            below = special.betainc(i, n + 1 - i, u)
            least.append(2 * min(below.min(), 1 - below.max()))
        levels.append(np.quantile(least, 0.05))
    return f'''"""Pointwise levels of the simultaneous 95 % band of a Q–Q plot: benchmarks/simulated_tables.py."""

import numpy as np

LOG_SIZES = np.log({list(BAND_SIZES)})
LEVELS = np.array([{", ".join(f"{v:.4g}" for v in levels)}])
'''


def checks(samples: int = 4000) -> None:
    """Print how uniform the dip's p-values are on uniform samples, and how many normal samples the band holds."""
    for n in (20, 170, 1500):
        rng = np.random.default_rng(n)
        p = np.array([dip_test(np.sort(rng.random(n)), 1.0)[0].p for _ in range(samples)])
        below = ", ".join(f"{np.mean(p < share):.3f} below {share}" for share in (0.01, 0.05, 0.2, 0.5, 0.8))
        print(f"dip, n = {n}: of {samples} p-values {below}")
    for n in (50, 500):
        rng = np.random.default_rng(n)
        made = (normal_qq(np.sort(rng.normal(5, 3, n))) for _ in range(samples))
        print(f"band, n = {n}: holds {np.mean([q is not None and q.outside == 0 for q in made]):.1%} whole (93 to 97)")


if __name__ == "__main__" and len(sys.argv) == 1:
    checks()
elif __name__ == "__main__":
    made = {"dip": dip_quantiles, "band": band_levels}[sys.argv[1]]()
    Path(sys.argv[2]).write_text(made)
