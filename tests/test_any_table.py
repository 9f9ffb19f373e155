"""Any step, with any options, on any table: a view that can be read, drawn and saved, or an error that helps."""

import json
import re

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.core.choices import CROSSINGS as TABLE_PICTURES
from envelt.core.distribution.look import ARRANGEMENTS, MEASURES, PICTURES, SCALES
from envelt.errors import EnveltError

KINDS = [
    lambda r, n: r.normal(size=n),
    lambda r, n: r.integers(0, 3, n).astype(float),
    lambda r, n: np.round(r.gamma(1, 10, n)),
    lambda r, n: np.full(n, 3.0),
    lambda r, n: r.choice([1e300, -1e300, 0, 1], n),
    lambda r, n: r.choice([5e-324, 0, 1e-310], n),
    lambda r, n: r.choice([np.inf, -np.inf, 1.0, 2.0], n),
    lambda r, n: 1e9 + r.normal(size=n),
    lambda r, n: r.lognormal(0, 4, n),
    lambda r, n: r.choice(["a", "b", "c"], n).astype(object),
    lambda r, n: r.choice(["yes", "no"], n).astype(object),
    lambda r, n: r.choice(["low", "medium", "high"], n).astype(object),
    lambda r, n: np.array([f"k{i}" for i in range(n)], object),
    lambda r, n: pd.Timestamp("2020-02-27") + pd.to_timedelta(r.integers(0, r.choice([1, 3, 400, 9000]), n), "D"),
    lambda r, n: np.array([" ".join(r.choice(["a", "bee", "sat", "on", "hive"], 6)) for _ in range(n)], object),
]


def column(r, n):
    made = pd.Series(KINDS[r.integers(len(KINDS))](r, n))
    return made.where(r.random(n) > r.choice([0.1, 0.5, 0.97, 1])) if r.random() < 0.5 else made


def some(r, **choices):
    """Give each option with a chance of a quarter, at one of its values."""
    return {name: values[r.integers(len(values))] for name, values in choices.items() if r.random() < 0.25}


def calls(r, names):
    a, b, c = (str(v) for v in r.choice(names, 3))
    look = some(
        r, picture=PICTURES, scale=SCALES, bins=(1, 9, 40), width=(0.1, 1.0, 7.0), measure=MEASURES, start=(0.5,),
        arrange=ARRANGEMENTS, numbers=(True,), normal=(True,), box=(True,), limits=((0, 10),), by=(b, (b, c)),
    )  # fmt: skip
    table = some(
        r, picture=TABLE_PICTURES, order=("rate", "count", "level"), shares=("row", "column", "all"), bins=(1, 5),
        colour=("residual",), largest=(1, 3), missing=(True,), by=(c,),
    )  # fmt: skip
    yield from (("distribution", (a,), look), ("against", (a,), look), ("against", (b,), some(r, by=(c,))))
    yield from (("contingency", (a, b), table), ("contingency", (a,), {}), ("balance", (), some(r, by=(a,))))


def attempt(call, *words, **options):
    try:
        return call(*words, **options)
    except EnveltError as error:
        return error


@pytest.mark.parametrize("seed", range(24))
def test_any_step_on_any_table_gives_a_view_or_says_what_to_do(seed, tmp_path):
    r = np.random.default_rng(seed)
    n = int(r.choice([1, 2, 5, 9, 25, 60, 300]))
    frame = pd.DataFrame({f"c{i}": column(r, n) for i in range(6)})
    names = list(frame.columns)
    unit = r.choice(names) if r.random() < 0.15 else None
    study = attempt(Study, frame, outcome=r.choice([None, *names]), unit=unit)
    if isinstance(study, EnveltError):
        study = Study(frame.mask(frame.isin([np.inf, -np.inf])))
    whole = [(step, (), {}) for step in ("inventory", "distribution", "against", "rank")]
    for step, columns, options in [*(c for _ in range(3) for c in calls(r, names)), *whole]:
        view = attempt(getattr(study, step), *columns, **options)
        if isinstance(view, EnveltError):
            assert re.fullmatch(r".{20,}[.?]", str(view), re.DOTALL)
            continue
        assert view.title in str(view)
        assert json.dumps(view.to_dict(), allow_nan=False)
        view.save(tmp_path / "view.md")
        view.save(tmp_path / "view.csv")
        if r.random() < 0.5:
            assert len(view.draw().alternative) > 20
