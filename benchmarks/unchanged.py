"""Whether a change of the code changed an answer: every step on the demo data and on 20 made-up tables.

    python benchmarks/unchanged.py write before.json     # with the code as it was
    python benchmarks/unchanged.py write after.json      # with the code as it is
    python benchmarks/unchanged.py compare before.json after.json

The answers are `to_dict()` of each view, or the message of the error; numbers count as equal within 1e-9.
"""

import json
import math
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import pandas as pd

from envelt import Study
from envelt.errors import EnveltError

CLOSE = 1e-9
STEPS = ("inventory", "balance", "distribution", "against", "rank")


def made_up(seed: int) -> pd.DataFrame:
    """Return a table of many kinds of column, some with gaps, some of one value."""
    r = np.random.default_rng(seed)
    n = int(r.choice([30, 120, 700]))
    z = r.normal(size=n)
    columns = {
        "id": [f"K{i}" for i in r.permutation(n)],
        "unit": r.integers(0, max(n // 3, 2), n).astype(str),
        "normal": z,
        "tail": np.round(r.lognormal(1, 1, n), 2),
        "count": r.poisson(2.2, n),
        "heaped": np.where(r.random(n) < 0.4, 5 * np.round(r.gamma(2, 5, n) / 5), np.round(r.gamma(2, 5, n))),
        "two": np.where(r.random(n) < 0.5, r.normal(0, 1, n), r.normal(7, 1, n)),
        "huge": 1e9 + r.normal(size=n),
        "grade": r.integers(1, 6, n),
        "level": r.choice(["a", "b", "c", "d"], n, p=[0.5, 0.3, 0.15, 0.05]),
        "word": r.choice(["low", "medium", "high"], n),
        "flag": np.where(r.random(n) < 0.4 + 0.3 * (z > 0), "yes", "no"),
        "day": pd.Timestamp("2021-03-01") + pd.to_timedelta(r.integers(0, 900, n), "D"),
        "same": np.full(n, 3.0),
        "twin": 2.5 * z,
    }
    frame = pd.DataFrame(columns)
    frame["y"] = frame["normal"] ** 2 + frame["grade"] + r.normal(size=n)
    for name in r.choice([c for c in frame.columns if c not in ("id", "unit")], 5, replace=False):
        frame[name] = frame[name].where(r.random(n) > r.choice([0.03, 0.3]))
    return frame


def answers(
    name: str, frame: object, cases: list[tuple[str | None, str | None]], columns: list[str]
) -> dict[str, object]:
    """Return what every step says of one table, for pairs of an outcome and a unit."""
    out: dict[str, object] = {}

    def ask(label: str, study: Study, step: str, *words: str, **options: object) -> None:
        try:
            out[f"{name} {label} {step} {words} {options}"] = getattr(study, step)(*words, **options).to_dict()
        except EnveltError as error:
            out[f"{name} {label} {step} {words} {options}"] = f"{type(error).__name__}: {error}"

    for outcome, unit in cases:
        label = f"{outcome} {unit}"
        study = Study(frame, outcome=outcome, unit=unit)
        for step in STEPS:
            ask(label, study, step)
        by = columns[-3]
        ask(label, study, "balance", by=by)
        for column in columns:
            ask(label, study, "distribution", column)
            ask(label, study, "distribution", column, by=by)
            ask(label, study, "against", column)
            ask(label, study, "against", column, by=by)
            ask(label, study, "contingency", column, by)
        ask(label, study, "contingency", by, outcome or columns[-2], by=columns[-4])
        ask(label, study, "distribution", columns[2], scale="log1p", picture="density")
    return out


def of_table(which: int) -> dict[str, object]:
    """Return the answers for one table: the demo data in four cases, then the made-up tables."""
    demo = ["inspected_on", "altitude_m", "mites", "weight_kg", "brood_temp", "zone", "queen_line", "hive_type",
            "altitude_band", "fed", "forage", "humidity", "feed_paid", "gain_august"]  # fmt: skip
    cases = [("wintered", None), ("wintered", "colony"), ("honey_kg", None), ("colony_state", None)]
    if which < len(cases):
        return answers("demo", "demo", [cases[which]], demo)
    seed = which - len(cases)
    frame = made_up(seed)
    columns = [c for c in frame.columns if c not in ("unit", "y")]
    return answers(f"made {seed}", frame, [(("flag", "y")[seed % 2], "unit" if seed % 3 == 0 else None)], columns)


def everything() -> dict[str, object]:
    """Return the answers for all tables."""
    with ProcessPoolExecutor() as pool:
        return {k: v for part in pool.map(of_table, range(24)) for k, v in part.items()}


def differences(before: object, after: object, where: str = "") -> list[str]:
    """Return the places where two answers differ."""
    if isinstance(before, dict) and isinstance(after, dict):
        keys = list(dict.fromkeys([*before, *after]))
        return [d for k in keys for d in differences(before.get(k), after.get(k), f"{where}/{k}")]
    if isinstance(before, list) and isinstance(after, list):
        if len(before) != len(after):
            return [f"{where}: {len(before)} items, now {len(after)}"]
        return [
            d for i, (a, b) in enumerate(zip(before, after, strict=True)) for d in differences(a, b, f"{where}/{i}")
        ]
    numbers = all(isinstance(v, (int, float)) and not isinstance(v, bool) for v in (before, after))
    if numbers and math.isclose(before, after, rel_tol=CLOSE, abs_tol=1e-12):  # type: ignore[arg-type]
        return []
    return [] if before == after else [f"{where}: {str(before)[:160]} -> {str(after)[:160]}"]


if __name__ == "__main__":
    if sys.argv[1] == "write":
        Path(sys.argv[2]).write_text(json.dumps(everything()))
    else:
        first, second = (json.loads(Path(path).read_text()) for path in sys.argv[2:4])
        found = differences(first, second)
        print(f"{len(first)} answers, {len(found)} differences")
        print("\n".join(found[: int(sys.argv[4]) if len(sys.argv) > 4 else 60]))
