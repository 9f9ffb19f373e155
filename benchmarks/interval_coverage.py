"""How often the 95 % intervals of rates and tables hold the truth, over a grid of p and n.

    python benchmarks/interval_coverage.py [draws]

Wilson's is computed exactly from the binomial distribution; the others are simulated with a fixed seed.
"""

from __future__ import annotations

import sys

import numpy as np
from scipy import stats

from envelt.core.estimate import Estimate
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.of_rows.proportions import odds_ratio, risk_difference, risk_ratio, wilson
from envelt.core.stats.sampling import Sampling

SHARES = (0.02, 0.05, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 0.9, 0.95, 0.98)
SIZES = (20, 30, 50, 100, 200, 500)


def told(name: str, covered: list[float]) -> None:
    """Print the mean and the least coverage over a grid."""
    print(f"{name:16s} mean {np.mean(covered):.1%}, least {np.min(covered):.1%}, over {len(covered)} settings")


def rates() -> None:
    """Wilson's interval, exactly: every n from 20 to 100 and some beyond, p in steps of a hundredth."""
    covered = {}
    for n in (*range(20, 101), *SIZES[4:], 1000, 3000):
        x = np.arange(n + 1)
        _, low, high = wilson(x, np.full(n + 1, n))
        for p in np.arange(2, 99) / 100:
            covered[n, p] = float(stats.binom.pmf(x, n, p)[(low <= p) & (p <= high)].sum())
    told("Wilson", list(covered.values()))
    under = ", ".join(f"{c:.1%} at n = {n}, p = {p:g}" for (n, p), c in covered.items() if c < 0.91)
    print(f"  under 91 %: {under or 'nowhere'}")


def pairs(draws: int) -> None:
    """Compare two groups of equal and of unequal sizes."""
    r = np.random.default_rng(5)
    held: dict[str, list[float]] = {"risk difference": [], "risk ratio": [], "odds ratio": []}
    for n1 in (20, 50, 200):
        for n2 in (20, 100):
            for p1 in SHARES[::2]:
                for p2 in SHARES[::2]:
                    x1, x2 = r.binomial(n1, p1, draws), r.binomial(n2, p2, draws)
                    cells, weight = np.unique(np.stack([x1, x2]), axis=1, return_counts=True)
                    truth = {"risk difference": p2 - p1, "risk ratio": p2 / p1,
                             "odds ratio": p2 / (1 - p2) / (p1 / (1 - p1))}  # fmt: skip
                    made = {"risk difference": risk_difference, "risk ratio": risk_ratio, "odds ratio": odds_ratio}
                    for name, interval in made.items():
                        inside = [_holds(interval(int(a), n1, int(b), n2), truth[name]) for a, b in cells.T]
                        known = ~np.isnan(inside)
                        if weight[known].sum() > draws / 2:  # where no case at all is the rule there is no ratio
                            held[name].append(float(np.average(np.array(inside)[known], weights=weight[known])))
    for name, covered in held.items():
        told(name, covered)


def _table(counts: np.ndarray) -> Crossing:
    none = np.zeros(0, np.int64)
    return Crossing.of(none, none, counts.shape, Sampling.of_rows(int(counts.sum())), counts)


def _holds(e: Estimate, truth: float) -> float:
    return float("nan") if np.isnan(e.low) else float(e.low <= truth <= e.high)


def tables(draws: int) -> None:
    """Cramér's V and gamma of tables of several sizes and strengths."""
    r = np.random.default_rng(6)
    for name, size in (("Cramér's V", (3, 4)), ("gamma", (3, 4))):
        covered = []
        for strength in (0.0, 0.3, 0.8, 1.5):
            score = np.outer(np.linspace(-1, 1, size[0]), np.linspace(-1, 1, size[1]))
            p = np.exp(strength * score)
            p /= p.sum()
            if name == "gamma":
                truth = _table((p * 10**9).astype(np.int64)).gamma().estimate
            else:
                expected = np.outer(p.sum(axis=1), p.sum(axis=0))
                truth = float(np.sqrt(np.sum((p - expected) ** 2 / expected) / (min(size) - 1)))
            for n in (50, 100, 300, 1000):
                seen = [r.multinomial(n, p.ravel()).reshape(size) for _ in range(draws // 5)]
                made = [_table(t).gamma() if name == "gamma" else _table(t).cramers_v() for t in seen]
                inside = np.array([_holds(e, truth) for e in made])
                covered.append(float(np.nanmean(inside)))
        told(name, covered)


if __name__ == "__main__":
    draws = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    rates()
    pairs(draws)
    tables(draws)
