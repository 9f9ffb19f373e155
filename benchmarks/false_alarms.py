"""How often tables of pure noise raise a finding about a relation: at most 5 % may.

    python benchmarks/false_alarms.py [tables]

Each table has 400 rows, 40 candidates of every kind unrelated to each other and to the outcome, and gaps at random.
Counted: any finding of inventory, balance and rank that relates columns, of against (all candidates, each alone, and
within the groups of another column) and of contingency for every candidate. Before them, tables of columns related by
a common cause, in which no relation turns round; how often relations of columns that are all independent have any
q below 0.05, or a finding; and at the end tables of 60 units of 30 rows that share what they say, the unit declared.
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
    "curved-relation",
    "by-design",
    "known-later",
    "made-up-of-others",
    "drift-along-rows",
    "outcome-missing",
    "duplicate-rows",
    "impossible-value",
    "sentinel-value",
    "only-within",
    "turns-between-groups",
    "redundancy-of-flags",
    "swapped-outliers",
    "heaping-at-one-value",
    "bounded-by-total",
    "truncated-at-bound",
    "equal-summaries",
    "candidates-drift",
    "unnamed-unit",
    "logarithm-of-units",
    "rests-on-rows",
    "only-together",
    "step-to-none",
    "made-from-date",
    "together-as-ratio",
    "redundancy-of-levels",
    "outcome-rhythm",
    "outcome-in-proportion",
}
OF_UNITS = {
    "more-together", "only-within", "equal-summaries", "curved-relation", "intervals-mislead",
    "made-up-of-others", "say-nearly-the-same",
}  # fmt: skip
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


UNITS, SIZE = 60, 30


def unit_noise(seed: int) -> pd.DataFrame:
    """Make a table in which nothing is related, and rows of a unit share much of what they say."""
    r = np.random.default_rng([seed, 60])
    unit = np.repeat(np.arange(UNITS), SIZE)

    def number() -> np.ndarray:
        shared = r.uniform(0.2, 1.0)  # of the variance
        return np.sqrt(shared) * r.normal(size=UNITS)[unit] + np.sqrt(1 - shared) * r.normal(size=len(unit))

    columns: dict[str, object] = {f"m{i}": number() for i in range(6)}
    columns |= {f"row{i}": r.normal(size=len(unit)) for i in range(2)}
    columns |= {f"g{i}": np.exp(number()).round(1) for i in range(2)}
    columns |= {f"k{i}": np.maximum(0, np.round(3 + 2 * number())) for i in range(2)}
    columns |= {f"c{i}": np.array(list("abcdef"))[np.clip(np.round(number() * 1.5 + 2.5), 0, 5).astype(int)]
                for i in range(3)}  # fmt: skip
    columns |= {f"b{i}": np.where(number() > 0.3, "yes", "no") for i in range(3)}
    days = r.integers(0, 300, UNITS)[unit] + r.integers(0, 5, len(unit))
    columns["day"] = pd.Timestamp("2024-01-01") + pd.to_timedelta(days, "D")
    frame = pd.DataFrame({"case": unit, **columns})
    for name in ("m0", "g0", "k1", "c1", "b2", "row1"):
        frame.loc[number() > r.uniform(0.8, 2.0), name] = None
    frame["outcome"] = number() if seed % 3 == 0 else np.where(number() > 0.5, "yes", "no")
    return frame


def unit_alarms(seed: int) -> list[str]:
    """Return the codes of findings about relations of noise that comes in units."""
    study = Study(unit_noise(seed), outcome="outcome", unit="case", seed=seed)
    found = [*study.inventory().findings, *study.balance().findings, *study.rank().findings]
    found += [*study.against().findings, *study.relations().findings]
    for name in study.candidates:
        by = "b0" if name != "b0" else "b1"
        found += [*study.against(name).findings, *study.against(name, by=by).findings]
        found += study.contingency(name, "outcome").findings
        found += study.distribution(name, by=by).findings
    return [f.code for f in found if f.code in RELATIONS | OF_UNITS]


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
        of_units = list(pool.map(unit_alarms, range(tables), chunksize=5))
    told("noise", raised)
    told("noise that comes in units", of_units)


def told(what: str, raised: list[list[str]]) -> None:
    """Print how many tables raise a finding about a relation, and which."""
    share = np.mean([bool(r) for r in raised])
    print(f"{len(raised)} tables of {what}: {share:.1%} raise a finding about a relation (at most 5 % may)")
    for code, n in Counter(code for r in raised for code in set(r)).most_common():
        print(f"  {code:28s} {n / len(raised):.2%}")


if __name__ == "__main__":
    main()
