"""How often the suggested transform is a right one, on distributions whose truth is known.

    python benchmarks/suggestions.py [samples of each size]

Right is judged on 50,000 other draws of the same distribution, not on the sample: a transform must take off two fifths
of the skewness (of heavy tails: of the excess kurtosis) and not lie further from normal; to leave the column alone is
right where none does that, or the skewness is under 0.5. Of Poisson counts the root is right too, whose variance it
makes the same at every mean (Bartlett 1936). Of two peaks, and of a normal or flat distribution, only leaving it alone
is right.
"""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Callable
from typing import Any

import numpy as np

from envelt.core.stats.sampling import Sampling
from envelt.core.transforms.compare import compare
from envelt.core.transforms.suggest import suggest

SIZES = (50, 100, 300, 1_000, 10_000, 100_000)
Draw = Callable[[np.random.Generator, int], Any]

DISTRIBUTIONS: dict[str, Draw] = {
    "lognormal, 1": lambda r, n: r.lognormal(1, 1, n),
    "lognormal, 0.5": lambda r, n: r.lognormal(3, 0.5, n),
    "gamma, 2": lambda r, n: r.gamma(2, 3, n),
    "exponential": lambda r, n: r.exponential(3, n),
    "gamma, 0.5": lambda r, n: r.gamma(0.5, 3, n),
    "Poisson, 1": lambda r, n: r.poisson(1, n).astype(float),
    "Poisson, 3": lambda r, n: r.poisson(3, n).astype(float),
    "Poisson, 20": lambda r, n: r.poisson(20, n).astype(float),
    "t, 2": lambda r, n: r.standard_t(2, n),
    "Cauchy": lambda r, n: r.standard_cauchy(n),
    "Pareto, 1.5": lambda r, n: r.pareto(1.5, n) + 1,
    "beta, 5 and 1": lambda r, n: r.beta(5, 1, n),
    "beta, 2 and 5": lambda r, n: r.beta(2, 5, n),
    "zeros and lognormal": lambda r, n: np.where(r.random(n) < 0.4, 0.0, r.lognormal(2, 1, n)),
}
ALONE: dict[str, Draw] = {
    "two peaks, even": lambda r, n: np.where(r.random(n) < 0.5, r.normal(10, 1, n), r.normal(15, 1, n)),
    "two peaks, 7 : 3": lambda r, n: np.where(r.random(n) < 0.7, r.normal(10, 1, n), r.normal(15, 1, n)),
    "uniform": lambda r, n: r.uniform(0, 1, n),
    "normal about 0": lambda r, n: r.normal(0, 1, n),
    "normal, 20 ± 6": lambda r, n: r.normal(20, 6, n),
    "normal, 100 ± 5": lambda r, n: r.normal(100, 5, n),
}
HEAVY = ("t, 2", "Cauchy")


def right_ones(name: str, draw: Draw) -> set[str]:
    """Return the transforms that do enough on many other rows."""
    values = draw(np.random.default_rng(987), 50_000)
    compared = compare("x", values, Sampling.of_rows(len(values)))
    seen = compared.seen
    plain = seen["as_is"]
    measure = "excess_kurtosis" if name in HEAVY else "skewness"
    before = abs(getattr(plain, measure))
    worse = 0.005 if compared.top_share < 0.05 else 0.05  # of tied values the distance says little
    good = {
        s.name
        for s in seen.values()
        if s.usable and abs(getattr(s, measure)) <= 0.6 * before and s.distance <= plain.distance + worse
    }
    good |= {"sqrt"} if name.startswith("Poisson") else set()
    return good | ({"as_is"} if before < 0.5 or not good else set())


def main() -> None:
    """Print the share of right suggestions for each distribution and size."""
    samples = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    totals: Counter[int] = Counter()
    print(f"{'':22}" + "".join(f"{n:>9,}" for n in SIZES) + "   most frequent at the smallest and largest")
    for name, draw in (DISTRIBUTIONS | ALONE).items():
        right = {"as_is"} if name in ALONE else right_ones(name, draw)
        cells, most = [], []
        for n in SIZES:
            times = max(5, samples // (1 + n // 2_000))
            drawn = (draw(np.random.default_rng([n, i]), n) for i in range(times))
            found = Counter(suggest(compare("x", v, s := Sampling.of_rows(len(v))), (v, s)).name for v in drawn)
            share = sum(k for f, k in found.items() if f in right) / times
            cells.append(share)
            most.append(found.most_common(1)[0][0])
        totals.update({n: round(1000 * s) for n, s in zip(SIZES, cells, strict=True)})
        print(f"{name:22}" + "".join(f"{s:9.0%}" for s in cells) + f"   {most[0]}, {most[-1]}", flush=True)
    cases = len(DISTRIBUTIONS | ALONE)
    print(f"{'all':22}" + "".join(f"{totals[n] / cases / 1000:9.1%}" for n in SIZES))


if __name__ == "__main__":
    main()
