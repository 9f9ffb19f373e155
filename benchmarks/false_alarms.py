"""How often tables of pure noise raise a finding about a relation: at most 5 % may.

    python benchmarks/false_alarms.py [tables]

Each table has 400 rows, 40 candidates of every kind unrelated to each other and to the outcome, and gaps at random.
Counted: any finding of inventory, balance and rank that relates columns, of against (all candidates, each alone, and
within the groups of another column) and of contingency for every candidate. Before them, tables of columns related by
a common cause, in which no relation turns round; and how often relations of columns that are all independent have any
q below 0.05, or a finding.
"""

from __future__ import annotations

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import pandas as pd

from envelt import Study

RELATIONS = {
    "missing-follows-outcome",
    "missing-together",
    "same-column",
    "likely-unit",
    "dates-out-of-order",
    "bend-without-trend",
    "too-good-to-be-true",
    "strong-candidate",
    "spread-differs",
    "significant-but-tiny",
    "means-differ-rows-overlap",
    "outcome-drift",
    "turns-round",
    "vanishes-within",
    "groups-disagree",
    "missing-follows-column",
    "shared-values",
    "counted-table",
    "ordered-in-time",
    "counts-mislead",
    "step-not-trend",
    "empty-cell",
}
ROWS = 400


def noise(seed: int) -> pd.DataFrame:
    """Make a table in which nothing is related."""
    r = np.random.default_rng(seed)
    columns: dict[str, object] = {f"m{i}": r.normal(size=ROWS) for i in range(14)}
    columns |= {f"g{i}": r.gamma(1.5, 3, ROWS).round(1) for i in range(6)}
    columns |= {f"k{i}": r.poisson(3 + i, ROWS) for i in range(6)}
    columns |= {f"c{i}": r.choice([f"level {k}" for k in range(3 + 4 * i)], ROWS) for i in range(7)}
    columns |= {f"b{i}": r.choice(["yes", "no"], ROWS) for i in range(5)}
    columns |= {f"d{i}": pd.Timestamp("2024-01-01") + pd.to_timedelta(r.integers(0, 300, ROWS), "D") for i in range(2)}
    frame = pd.DataFrame(columns)
    for name in frame.columns[::3]:
        frame.loc[r.random(ROWS) < r.uniform(0.02, 0.3), name] = None
    frame["outcome"] = r.normal(size=ROWS) if seed % 3 == 0 else np.where(r.random(ROWS) < 0.3, "yes", "no")
    return frame


def alarms(seed: int) -> list[str]:
    """Return the codes of findings about relations."""
    study = Study(noise(seed), outcome="outcome", seed=seed)
    found = [*study.inventory().findings, *study.balance().findings, *study.rank().findings]
    found += study.against().findings
    for name in study.candidates:
        found += study.against(name).findings
        found += study.against(name, by="b0" if name != "b0" else "b1").findings
        found += study.contingency(name, "outcome").findings
    return [f.code for f in found if f.code in RELATIONS]


def related(seed: int) -> tuple[bool, list[str]]:
    """Say whether any q of relations is below 0.05, and return the codes of their findings."""
    view = Study(noise(seed), outcome="outcome", seed=seed).relations()
    return bool((view.pairs["q"] < 0.05).any()), [f.code for f in view.findings]


def turned(seed: int) -> bool:
    """Say whether a table raises a turn in which much is related, by one common cause, and nothing turns round."""
    r = np.random.default_rng(seed)
    cause = r.normal(size=ROWS)
    frame = pd.DataFrame({f"x{i}": cause * r.normal() + r.normal(size=ROWS) for i in range(8)})
    for i in range(4):
        frame[f"c{i}"] = np.where(cause + r.normal(size=ROWS) > r.normal(), "up", "down")
    frame["outcome"] = np.where(cause + r.normal(size=ROWS) > 0, "yes", "no")
    return any(f.code == "turns-round" for f in Study(frame, outcome="outcome").against().findings)


def main() -> None:
    """Count tables with at least one such finding."""
    tables = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    with ProcessPoolExecutor() as pool:
        turns = sum(pool.map(turned, range(tables), chunksize=5))
        print(f"{tables} tables of related columns, none turning: {turns / tables:.1%} raise a turn (at most 5 % may)")
        relations = list(pool.map(related, range(tables), chunksize=5))
        sure, said = np.mean([q for q, _ in relations]), np.mean([bool(codes) for _, codes in relations])
        print(f"{tables} tables of noise: {sure:.1%} have a relation with q < 0.05 (at most 7 % may)")
        print(f"  {said:.1%} a finding of relations: {Counter(c for _, codes in relations for c in set(codes))}")
        raised = list(pool.map(alarms, range(tables), chunksize=5))
    share = np.mean([bool(r) for r in raised])
    print(f"{tables} tables of noise: {share:.1%} raise a finding about a relation (at most 5 % may)")
    for code, n in Counter(code for r in raised for code in set(r)).most_common():
        print(f"  {code:28s} {n / tables:.2%}")


if __name__ == "__main__":
    main()
