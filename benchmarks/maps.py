"""What maps keep, how fast they come, and what each choice gains and costs.

    python benchmarks/maps.py [figures|shapes|speed|choices]

figures: 1,800 small pictures of twelve drawn shapes with shifts and noise, ten seeds, beside principal components.
shapes: nested rings, a roll, ten Gaussians of unequal spread, and noise. speed: 60,000 rows × 500 columns beside the
search for all nearest rows alone, growth from 10,000 to 100,000 rows, memory. choices: the pull towards the start and
the number of neighbours, which were chosen on these figures.
"""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd

from envelt import Study
from envelt.adapters.neighbour_index import neighbour_index
from envelt.core.embed import embed as maker
from envelt.core.embed.layout import schedule_of
from envelt.core.embed.nearest import nearest_rows
from relations_speed import peak

NOISE = 0.17  # so that principal components have about 0.83, 0.11 and 0.67


def pictures(seed: int, rows: int = 1_800, noise: float = NOISE) -> tuple[np.ndarray, np.ndarray]:
    """Return pictures of 8 × 8 cells, shape (rows, 64), and which of twelve shapes each is."""
    r = np.random.default_rng(seed)
    y, x = np.mgrid[0:16, 0:16] / 15 - 0.5
    ring, square = x**2 + y**2, (np.abs(x) < 0.35) & (np.abs(y) < 0.35)
    drawn = [
        np.abs(x) < 0.1, np.abs(y) < 0.1, (np.abs(x) < 0.1) | (np.abs(y) < 0.1), np.abs(x - y) < 0.12,
        np.abs(x + y) < 0.12, (np.abs(x - y) < 0.12) | (np.abs(x + y) < 0.12), ring < 0.1,
        (ring < 0.16) & (ring > 0.06), (np.abs(x) < 0.3) & (np.abs(y) < 0.3),
        square & ~((np.abs(x) < 0.2) & (np.abs(y) < 0.2)), (y > -0.3) & (y < 0.3) & (np.abs(x) < (0.3 - y) / 2),
        ((np.abs(x - 0.25) < 0.1) | (np.abs(x + 0.25) < 0.1)) & (np.abs(y) < 0.4),
    ]  # fmt: skip
    which = np.arange(rows) % 12
    out = np.empty((rows, 64))
    for i, k in enumerate(which):
        moved = np.roll(drawn[k].astype(float), (r.integers(-1, 2), r.integers(-1, 2)), (0, 1))
        out[i] = (moved.reshape(8, 2, 8, 2).mean((1, 3)) * r.uniform(0.7, 1.3)).ravel()
    return out + r.normal(0, noise, out.shape), which


def agreement_of_labels(at: np.ndarray, labels: np.ndarray, k: int = 10) -> float:
    """Return how often most of the nearest rows on a map have a row's label."""
    near = nearest_rows(np.asarray(at, float), k).at
    size = int(labels.max()) + 1
    return float(
        np.mean([np.bincount(labels[n], minlength=size).argmax() == w for n, w in zip(near, labels, strict=True)])
    )


def judged(values: np.ndarray, labels: np.ndarray, **options: Any) -> tuple[float, ...]:
    """Return trustworthiness, recall, triplet order and label agreement of a map, those of PCA, and its seconds."""
    frame = pd.DataFrame(values, columns=[f"c{i}" for i in range(values.shape[1])])
    study = Study(frame, kinds=dict.fromkeys(frame.columns, "continuous"))
    start = time.perf_counter()
    view = study.embed(scaled=False, **options)
    at = view.table[["x", "y"]].to_numpy()
    took = time.perf_counter() - start
    q = view.quality
    pca = study.embed(method="pca", scaled=False).table[["x", "y"]].to_numpy()
    return (
        *q.loc[["trustworthiness", "neighbour_recall", "triplet_order"], "map"], agreement_of_labels(at, labels),
        *q.loc[["trustworthiness", "neighbour_recall", "triplet_order"], "pca"], agreement_of_labels(pca, labels), took,
    )  # fmt: skip


def told(name: str, f: tuple[float, ...]) -> bool:
    """Print a row, and say whether the figures asked for are met."""
    good = f[0] >= 0.985 and f[1] >= 3.3 * f[5] and f[3] >= 0.97 and f[2] >= f[6] - 0.03 and f[8] < 8
    print(
        f"{name:14} trust {f[0]:.4f} recall {f[1]:.3f} ({f[1] / f[5]:.1f}×) triplets {f[2]:.3f} ({f[2] - f[6]:+.3f}) "
        f"labels {f[3]:.3f} | pca {f[4]:.3f} {f[5]:.3f} {f[6]:.3f} {f[7]:.3f} | {f[8]:.1f} s", flush=True
    )  # fmt: skip
    return good


def figures() -> None:
    """Ten seeds of the drawn shapes."""
    met = [told(f"seed {seed}", judged(*pictures(seed))) for seed in range(10)]
    print(f"all figures met on {sum(met)} of 10 seeds (9 asked)")


def shapes() -> None:
    """Three other made-up shapes, and noise."""
    r = np.random.default_rng(0)
    n = 2_000
    turn = r.uniform(0, 2 * np.pi, n)
    which = np.arange(n) % 3
    rings = np.column_stack((np.cos(turn), np.sin(turn), r.normal(0, 0.05, n))) * (which + 1)[:, None]
    told("nested rings", judged(rings + r.normal(0, 0.03, rings.shape), which))
    t = 1.5 * np.pi * (1 + 2 * r.random(n))
    roll = np.column_stack((t * np.cos(t), 21 * r.random(n), t * np.sin(t)))
    told("a roll", judged(roll, np.digitize(t, np.quantile(t, [0.2, 0.4, 0.6, 0.8]))))
    centres, spread = r.normal(size=(10, 20)) * 6, np.linspace(0.5, 3, 10)
    ten = np.arange(n) % 10
    told("ten Gaussians", judged(centres[ten] + r.normal(size=(n, 20)) * spread[ten][:, None], ten))
    noise = pd.DataFrame(r.normal(size=(n, 20))).add_prefix("c").assign(y=r.choice(["a", "b", "c"], n))
    view = Study(noise, outcome="y").embed()
    print(view.separation.round(3).to_string(), [f.code for f in view.findings])


def speed() -> None:
    """Time and memory, end to end through the public call."""

    def made(n: int) -> Study:
        r = np.random.default_rng(0)
        centres = r.normal(size=(30, 40)) * 3
        values = (centres[r.integers(0, 30, n)] + r.normal(size=(n, 40))) @ r.normal(size=(40, 500))
        frame = pd.DataFrame(values + r.normal(size=values.shape)).add_prefix("c")
        return Study(frame, kinds=dict.fromkeys(frame.columns, "continuous"))

    print("index:", "faiss" if neighbour_index() else "none")
    took = {}
    for n in (10_000, 60_000, 100_000):
        study = made(n)
        before = peak(anew=True)
        start = time.perf_counter()
        view = study.embed()
        at = view.table
        took[n] = time.perf_counter() - start
        print(f"{n:,} × 500: {took[n]:.1f} s, peak {peak():,.0f} MB in all, {peak() - before:,.0f} beside the data; "
              f"{view.settings.loc['found by', 'chosen']}")  # fmt: skip
        if n == 60_000:
            scores = np.ascontiguousarray(view._answers.map.reduced, np.float32)
            length, start = np.einsum("ij,ij->i", scores, scores), time.perf_counter()
            for row in range(0, n, 1_000):
                np.argpartition(length - 2 * scores[row : row + 1_000] @ scores.T, 15, axis=1)
            brute = time.perf_counter() - start
            print(f"  all nearest rows alone, by products: {brute:.1f} s: {brute / took[n]:.1f} times as long")
        del at, view, study
    print(f"100,000 over 10,000 rows: {took[100_000] / took[10_000]:.1f} times (at most 15)")


def choices() -> None:
    """What the pull towards the start, the steps and the neighbours gain and cost, on three seeds."""
    plain = maker.schedule_of
    for pull in (0.0, 0.7, 1.3, 2.0):
        for late in (100, 200, 400):
            for k in (10, 15, 30):
                maker.schedule_of = lambda n, p=pull, s=late: replace(schedule_of(n), pull=p, late=s)
                rows = np.array([judged(*pictures(seed), nearest=k) for seed in range(3)])
                told(f"{pull:g} {late} {k}", tuple(rows.mean(axis=0)))
    maker.schedule_of = plain


if __name__ == "__main__":
    for part in sys.argv[1:] or ["figures", "shapes", "speed"]:
        {"figures": figures, "shapes": shapes, "speed": speed, "choices": choices}[part]()
