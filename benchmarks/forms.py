"""How often the form of a relation is told right, on made-up pairs whose form is known.

    python benchmarks/forms.py [pairs]

Straight lines, monotone curves, bends, waves and no relation, with noise of several kinds, and either an R² of 0.3 or
more and 200 rows or more, or 1,000 rows or more. At least 90 % should be right; beside it the same at fewer rows and
weaker relations, where "not decided" is no mistake.
"""

from __future__ import annotations

import sys
from collections import Counter

import numpy as np

from envelt.core.stats.form import relation_form
from envelt.core.stats.sampling import Sampling

SHAPES = {
    "linear": [lambda u: u],
    "monotone": [
        lambda u: np.exp(3 * u), lambda u: np.log(u + 0.03), lambda u: 1 / (1 + np.exp(-14 * (u - 0.5))),
        lambda u: u**4, lambda u: -np.sqrt(u + 0.001),
    ],
    "curved": [
        lambda u: (u - 0.5) ** 2, lambda u: -((u - 0.4) ** 2), lambda u: np.sin(2 * np.pi * u),
        lambda u: np.sin(4 * np.pi * u), lambda u: np.abs(u - 0.5),
    ],
    "none": [lambda u: 0 * u],
}  # fmt: skip


def pair(r: np.random.Generator, form: str, n: int, share: float) -> tuple[np.ndarray, np.ndarray]:
    """Make a pair of a form with so much of the variance explained."""
    u = r.random(n)
    shape = SHAPES[form][r.integers(len(SHAPES[form]))](u)
    noise = [r.normal(size=n), r.laplace(size=n), r.uniform(-1, 1, n)][r.integers(3)]
    noise = noise / noise.std()
    if form == "none":
        return (u if r.random() < 0.5 else np.exp(2 * u)), noise
    y = shape / shape.std() * np.sqrt(share / (1 - share)) + noise
    return u, y * r.choice([-1, 1])


def told(r: np.random.Generator, pairs: int, strong: bool) -> Counter[tuple[str, str]]:
    """Count what is said of pairs of each form."""
    seen: Counter[tuple[str, str]] = Counter()
    for i in range(pairs):
        form = ["linear", "monotone", "curved", "curved", "none"][i % 5]
        if strong:
            few = i % 2
            n = int(r.integers(200, 600) if few else r.integers(1000, 4000))
            share = r.uniform(0.3, 0.8) if few else r.uniform(0.1, 0.8)
        else:
            n, share = int(r.integers(20, 200)), r.uniform(0.02, 0.4)
        seen[form, relation_form(*pair(r, form, n, share), Sampling.of_rows(n), i)] += 1
    return seen


def main() -> None:
    """Print the shares told right, and the confusions."""
    pairs = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    r = np.random.default_rng(11)
    for strong, what in ((True, "enough rows"), (False, "few rows or weak")):
        seen = told(r, pairs, strong)
        right = sum(n for (a, b), n in seen.items() if a == b)
        open_ = sum(n for (_, b), n in seen.items() if b == "not decided")
        print(f"{what}: {right / pairs:.1%} right, {open_ / pairs:.1%} not decided, of {pairs}")
        for (a, b), n in sorted(seen.items()):
            print(f"  {a:9} told {b:12} {n}")


if __name__ == "__main__":
    main()
