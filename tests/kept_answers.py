"""What every step says of three made-up tables: a number for each table of it, in tests/fixtures/kept_answers.json.

    python tests/kept_answers.py     # write it anew, where an answer was changed on purpose: say so in the commit

The references stand in the other tests; this holds every number that is shown to what it was when they held, so that
none moves unseen.
"""

from __future__ import annotations

import json
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from envelt import Preparation, Study
from envelt.errors import EnveltError

FILE = Path(__file__).parent / "fixtures" / "kept_answers.json"
CLOSE = 2e-6
"""How far a sum may lie off: about so much of one number, or 1e-12 of one near zero."""

OPERATIONS: list[tuple[str, list[str], dict[str, Any]]] = [
    ("replace", ["code"], {"values": {"-9": None}}),
    ("fill", ["tail", "code"], {"using": "median", "flag": True}),
    ("fill", ["smooth"], {"using": "mean", "by": ["level"]}),
    ("clip", ["heaped"], {"to": "quantiles", "low": 0.05, "high": 0.9}),
    ("clip", ["normal"], {"to": "fences", "outside": "missing"}),
    ("fill", ["normal"], {"using": "mean"}),
    ("derive", ["ratio"], {"expression": "tail / (1 + heaped)"}),
    ("group_feature", ["heaped"], {"by": ["level"], "give": "difference"}),
    ("group_feature", ["tail"], {"by": ["level", "one"], "give": "mean"}),
    ("parts_of_date", ["day"], {"parts": ["year", "month", "days_since", "weekday"]}),
    ("reexpress", ["tail"], {"transform": "box_cox"}),
    ("reexpress", ["smooth"], {"transform": "yeo_johnson"}),
    ("reexpress", ["ratio"], {"transform": "rank_normal"}),
    ("bin", ["count"], {"using": "count", "bins": 3}),
    ("bin", ["code"], {"using": "width", "bins": 4}),
    ("rescale", ["normal", "tail"], {"using": "median_iqr"}),
    ("rescale", ["smooth"], {"using": "z_score"}),
    ("rescale", ["heaped"], {"using": "unit_range"}),
    ("merge_rare", ["level"], {"under": 0.1}),
    ("encode", ["level"], {"using": "rate"}),
    ("encode", ["grade"], {"using": "ordered"}),
    ("encode", ["count", "code", "flag"], {"using": "levels"}),
]


def frame(kind: str) -> pd.DataFrame:
    """Return a table with a bend, a turn-round, a pair that tells only together, heaps, gaps, units, noise."""
    n, r = {"rows": 420, "units": 360, "few": 34}[kind], np.random.default_rng(len(kind))
    unit = np.arange(n) % max(n // 9, 4)
    own = r.normal(size=n)[unit] if kind == "units" else np.zeros(n)  # a unit's own level
    level = r.choice(["a", "b", "c", "d", "e"], n, p=[0.4, 0.25, 0.2, 0.1, 0.05])
    place = pd.Series(level).map({"a": 0.0, "b": 1.0, "c": 2.0, "d": 3.0, "e": 4.0}).to_numpy()
    z = r.normal(size=n) + own
    one, two = r.random(n) < 0.5, r.random(n) < 0.5
    flag = z + 1.5 * (one ^ two) + r.normal(size=n) > 0.7
    turned = 2.5 * place - z + r.normal(0, 0.6, n)
    out = pd.DataFrame(
        {
            "unit": [f"u{k}" for k in unit], "normal": z.round(4), "tail": r.lognormal(1 + z / 3, 0.9).round(2),
            "smooth": turned, "count": r.poisson(np.exp(0.4 + z / 4)), "bend": r.uniform(-2, 2, n).round(3),
            "heaped": np.where(r.random(n) < 0.45, 5 * np.round(r.gamma(3, 4, n) / 5), np.round(r.gamma(3, 4, n))),
            "peaks": np.where(r.random(n) < 0.45, r.normal(0, 1, n), r.normal(6, 1, n)),
            "code": np.where(r.random(n) < 0.06, -9, r.integers(1, 30, n)), "level": level,
            "grade": r.choice(["low", "medium", "high"], n), "one": np.where(one, "yes", "no"),
            "two": np.where(two, "left", "right"), "flag": np.where(flag, "in", "out"),
            "day": pd.Timestamp("2021-03-01") + pd.to_timedelta(np.sort(r.integers(0, 900, n)), "D"),
        }
    )  # fmt: skip
    out["twin"] = (2.5 * out["normal"] + r.normal(0, 0.05, n)).round(3)
    out["y"] = (3 * out["bend"] ** 2 + place + z + r.normal(size=n)).round(3)
    out["state"] = np.select([z < -0.6, z < 0.5, place > 1], ["bare", "thin", "full"], "wild")
    for name, share in (("tail", 0.08), ("smooth", 0.15), ("level", 0.03), ("peaks", 0.02)):
        out.loc[r.random(n) < share, name] = np.nan
    out.loc[(r.random(n) < 0.5) & flag, "code"] = np.nan  # a gap that tells of the outcome
    return out


CASES = [(kind, outcome, unit) for kind in ("rows", "units", "few") for outcome in ("flag", "y", "state", "")
         for unit in ((False, True) if kind == "units" else (False,))]  # fmt: skip
STEPS: dict[str, list[str]] = {
    "glance": ["inventory()", "distribution()", "transforms()", "series('day')"],
    "outcome": ["balance()", "rank()", "rank(time='day')", "against()"],
    "alone": [
        "distribution('normal')",
        "distribution('tail', scale='log')",
        "distribution('heaped')",
        "distribution('code')",
        "distribution('peaks', picture='density')",
        "distribution('level')",
        "distribution('day')",
        "distribution('smooth', by='level')",
        "distribution('tail', by='grade')",
        "distribution('grade', by='level')",
        "transforms('tail')",
    ],
    "profile": ["distribution(by='level')", "distribution(by=['one', 'two'])"],
    "against": [f"against({c!r})" for c in ("normal", "tail", "bend", "heaped", "level", "one", "grade", "day")],
    "within": [f"against({c!r}, by='level')" for c in ("smooth", "one", "grade")],
    "crossed": [
        "contingency('level', 'one')",
        "contingency('grade', 'level', shares='column')",
        "contingency('level')",
        "contingency('bend', 'two')",
        "contingency('one', 'two', by='level')",
        "contingency('grade', 'one', by='two', missing=True)",
    ],
    "together": ["relations()", "relations('normal', 'tail', 'count', 'code', method='spearman')", "pairwise()"],
    "two": [
        "relations('normal', 'tail')",
        "pairwise('bend', 'y')",
        "relations('smooth', 'normal', by='level')",
        "relations('heaped', 'count', method='kendall', alternative='greater', confidence=0.9)",
    ],
    "grouped": ["relations('normal', 'smooth', 'tail', 'count', 'level', 'one', by='grade')"],
    "time": ["series('day', 'normal', by='one', calendar='quarter')", "series('day', 'tail', measure='sum')"],
    "prepared": ["by hand", "proposed"],
}
WHERE_AN_OUTCOME = ("outcome", "against", "within", "prepared")


def said(study: Study, call: str) -> list[tuple[str, Any]]:
    """Return the parts of one answer that hold numbers."""
    try:
        if call == "by hand":
            return by_hand(study)
        if call == "proposed":
            return [("", study.preparation().to_dict())]
        view = eval(f"study.{call}", {"study": study})
    except EnveltError as error:
        return [(type(error).__name__, [])]
    found = " ".join(f.code for f in view.findings)
    return [*view.tables.items(), (found, [f.evidence for f in view.findings])]


def by_hand(study: Study) -> list[tuple[str, Any]]:
    """Return what a preparation by hand learns, and makes of its rows and of others."""
    training, test = study.split(0.3)
    outcome = study.outcome.name if study.outcome else None
    made = Preparation()
    for name, columns, options in OPERATIONS:
        of = [c for c in columns if c != outcome]
        if of:
            made = made.then(name, *of, **options)
    view = training.prepare(made, fit=True)
    later = test.prepare(view.preparation)
    return [("rows", view.prepared), ("learned", view.preparation.to_dict()), ("later", later.prepared),
            ("changes", later.table)]  # fmt: skip


def numbers(thing: Any) -> Iterator[float]:
    """Yield the numbers of a frame, of nested dicts and lists, in their order."""
    if isinstance(thing, pd.DataFrame):
        for column in (thing[name] for name in thing.columns):
            if pd.api.types.is_numeric_dtype(column):
                yield from column.to_numpy(dtype=float, na_value=np.nan)
    elif isinstance(thing, dict):
        for value in thing.values():
            yield from numbers(value)
    elif isinstance(thing, list | tuple | np.ndarray):
        for value in thing:
            yield from numbers(value)
    elif isinstance(thing, int | float | np.number | np.bool_):
        yield float(thing)


def summed(thing: Any) -> list[float]:
    """Return how many numbers there are, how many are finite, and a sum in which each has a weight of its own.

    Summed are inverse hyperbolic sines of a million times each: a number counts by its digits, not by its size.
    """
    values = np.array(list(numbers(thing)))
    there = np.isfinite(values)
    weights = 2 + np.cos(np.arange(len(values)) * 1.7)
    return [len(values), int(there.sum()), round(float((np.arcsinh(1e6 * values) * weights)[there].sum()), 7)]


def answered(case: tuple[str, str, bool], step: str) -> dict[str, list[float]]:
    """Return a line for each part of what a step says of a case."""
    kind, outcome, unit = case
    study = Study(frame(kind), outcome=outcome or None, unit="unit" if unit else None)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        return {f"{call} {part}".strip(): summed(of) for call in STEPS[step] for part, of in said(study, call)}


def named(case: tuple[str, str, bool], step: str) -> str:
    """Return what a case and a step are called in the file."""
    kind, outcome, unit = case
    return f"{kind} {outcome or 'alone'}{' by unit' if unit else ''}: {step}"


ASKED = [(case, step) for case in CASES for step in STEPS if case[1] or step not in WHERE_AN_OUTCOME]


if __name__ == "__main__":
    made = {named(case, step): answered(case, step) for case, step in ASKED}
    lines = ",\n".join(f"{json.dumps(k)}: {json.dumps(v)}" for k, v in made.items())
    FILE.write_text(f"{{\n{lines}\n}}\n")
