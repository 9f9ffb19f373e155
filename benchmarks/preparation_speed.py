"""How fast a preparation is beside the same written by hand, and transforms beside SciPy's; ratios of one run.

Run: python benchmarks/preparation_speed.py [ROWS]
"""

from __future__ import annotations

import math
import sys
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
from scipy import stats
from sklearn.compose import ColumnTransformer
from sklearn.impute import SimpleImputer
from sklearn.linear_model import LogisticRegression
from sklearn.model_selection import cross_val_score
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import OneHotEncoder, StandardScaler

from envelt import Preparation, Study
from envelt.core.shapes.power import box_cox_parameter, yeo_johnson_parameter
from relations_speed import peak

ROWS = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000


def table(rows: int, seed: int = 0) -> pd.DataFrame:
    """Return 40 columns: 30 numbers, 8 categories, a date, a yes/no outcome."""
    r = np.random.default_rng(seed)
    columns: dict[str, Any] = {f"x{i}": r.gamma(2, 3, rows) for i in range(30)}
    for i in range(5):
        columns[f"x{i}"][r.random(rows) < 0.05] = np.nan
    columns["x7"][r.random(rows) < 0.01] = -99.0
    for i, levels in enumerate((5, 6, 8, 10, 30, 100, 300, 1000)):
        columns[f"c{i}"] = pd.Categorical.from_codes(r.integers(0, levels, rows), [f"l{k}" for k in range(levels)])
    columns["day"] = np.datetime64("2024-01-01") + r.integers(0, 700, rows).astype("timedelta64[D]")
    columns["y"] = np.where(r.random(rows) < 0.3, "yes", "no")
    return pd.DataFrame(columns)


PREPARATION = (
    Preparation(outcome="y")
    .then("drop", "x29")
    .then("replace", "x7", values={"-99": None})
    .then("fill", *(f"x{i}" for i in range(10)), using="median")
    .then("clip", "x5", "x6", to="fences")
    .then("reexpress", "x8", "x9", transform="log1p")
    .then("reexpress", "x10", transform="box_cox")
    .then("bin", "x11", using="count", bins=5)
    .then("merge_rare", "c4", under=0.02)
    .then("group_feature", "x12", by=["c0"], give="difference")
    .then("parts_of_date", "day", parts=["year", "month", "days_since"])
    .then("rescale", *(f"x{i}" for i in range(11)), using="z_score")
    .then("encode", "c5", "c6", "c7", using="rate")
)


def by_hand(frame: pd.DataFrame) -> pd.DataFrame:
    """Fit and apply the same twelve operations, as a practitioner writes them."""
    out = frame.drop(columns=["x29", "y"])
    out["x7"] = out["x7"].replace(-99.0, np.nan)
    for i in range(10):
        out[f"x{i}"] = out[f"x{i}"].fillna(out[f"x{i}"].median())
    for c in ("x5", "x6"):
        q1, q3 = out[c].quantile([0.25, 0.75])
        out[c] = out[c].clip(q1 - 1.5 * (q3 - q1), q3 + 1.5 * (q3 - q1))
    for c in ("x8", "x9"):
        out[c] = np.log1p(out[c])
    out["x10"] = stats.boxcox(out["x10"].to_numpy())[0]
    out["x11"] = pd.qcut(out["x11"], 5)
    shares = out["c4"].value_counts(normalize=True)
    kept = shares.index[shares >= 0.02]
    out["c4"] = out["c4"].astype(object).where(out["c4"].isin(kept), "other")
    out["x12 by c0"] = out["x12"] - out.groupby("c0", observed=True)["x12"].transform("mean")
    first = out["day"].min()
    out["year"], out["month"] = out["day"].dt.year, out["day"].dt.month
    out["days"] = (out["day"] - first).dt.days
    out = out.drop(columns="day")
    for i in range(11):
        c = f"x{i}"
        out[c] = (out[c] - out[c].mean()) / out[c].std()
    event = (frame["y"] == "yes").to_numpy(float)
    fold = np.random.default_rng(0).integers(0, 5, len(out))
    for c in ("c5", "c6", "c7"):
        codes, base = out[c].cat.codes.to_numpy(), event.mean()
        held = np.empty(len(out))
        for f in range(5):
            train = fold != f
            n = np.bincount(codes[train], minlength=1000)
            s = np.bincount(codes[train], event[train], minlength=1000)
            held[~train] = ((s + 20 * base) / (n + 20))[codes[~train]]
        out[c] = held
    return out


def timed(work: Callable[[], Any], times: int = 1) -> float:
    """Return the seconds of the quickest of several runs."""
    best = math.inf
    for _ in range(times):
        start = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - start)
    return best


def one_row(frame: pd.DataFrame) -> None:
    """Compare one row through the preparation with a dict lookup written by hand."""
    names = ("x7", "x8", "x9", "c4", "c5")
    rows = [{k: v for k, v in r.items() if k != "y"} for r in frame.head(200)[[*names, "y"]].to_dict("records")]
    preparation = (
        Preparation(outcome="y").then("replace", "x7", values={"-99": None}).then("fill", "x7", "x8", "x9")
        .then("clip", "x7", to="fences").then("reexpress", "x8", transform="log1p")
        .then("merge_rare", "c4", under=0.02).then("rescale", "x7", "x8", "x9").then("encode", "c5", using="rate")
        .then("encode", "c4", using="ordered").then("rename", "x7", to="a").then("rename", "x8", to="b")
        .then("clip", "a", to="limits", low=-5, high=5).then("clip", "b", to="limits", low=-5, high=5)
    )  # fmt: skip
    preparation.fit(frame[[*names, "y"]])
    told = [o.get("fitted") for o in preparation.to_dict()["operations"]]
    fill, fence, keep, scale, rate, order = (
        told[1],
        told[2]["x7"],
        set(told[4]["c4"]["levels"]),
        told[5],
        told[6],
        told[7],
    )
    place = {w: float(k) for k, w in enumerate(order["c4"]["order"])}
    low, high = fence["low"], fence["high"]
    (c7, w7), (c8, w8), (c9, w9) = ((scale[c]["centre"], scale[c]["width"]) for c in ("x7", "x8", "x9"))
    f7, f8, f9 = (fill[c]["value"] for c in ("x7", "x8", "x9"))
    rates, base = {k: v[0] for k, v in rate["c5"]["rates"].items()}, rate["c5"]["base"][0]

    def hand(row: dict[str, Any]) -> dict[str, Any]:
        a, b, c = row["x7"], row["x8"], row["x9"]
        a = f7 if a == -99 or a != a else a
        b = f8 if b != b else b
        c = f9 if c != c else c
        a = low if a < low else high if a > high else a
        level = row["c4"] if row["c4"] in keep else "other"
        a, b, c = (a - c7) / w7, (math.log1p(b) - c8) / w8, (c - c9) / w9
        a, b = min(max(a, -5), 5), min(max(b, -5), 5)
        return {"a": a, "b": b, "x9": c, "c4": place[level], "c5": rates.get(row["c5"], base)}

    assert all(abs(v - hand(r)[k]) < 1e-12 for r in rows for k, v in preparation.transform_row(r).items()), (
        "the two must give the same"
    )
    mine = timed(lambda: [preparation.transform_row(r) for r in rows], 20) / len(rows)
    theirs = timed(lambda: [hand(r) for r in rows], 20) / len(rows)
    frames = [pd.DataFrame([r]) for r in rows[:20]]
    framed = timed(lambda: [preparation.transform(f) for f in frames], 3) / len(frames)
    print(
        f"one row, a dict: {1e3 * mine:.4f} ms, by hand {1e3 * theirs:.4f} ms: {mine / theirs:.1f} times (at most 20)"
    )
    print(f"one row, a data frame: {1e3 * framed:.2f} ms")


def proposing(frame: pd.DataFrame) -> None:
    """Compare proposing with five folds of a logistic regression on the same rows, prepared as by hand."""
    some = frame.head(20_000)
    start = time.process_time()
    Study(some, outcome="y").preparation()
    mine = time.process_time() - start
    x, y = some.drop(columns=["y", "day"]), some["y"]
    numbers = list(x.select_dtypes("number"))
    hot = OneHotEncoder(handle_unknown="infrequent_if_exist", min_frequency=10)
    scaled = make_pipeline(SimpleImputer(strategy="median", add_indicator=True), StandardScaler())
    hand = ColumnTransformer([("number", scaled, numbers), ("level", hot, [c for c in x if c not in numbers])])
    start = time.process_time()
    cross_val_score(make_pipeline(hand, LogisticRegression(max_iter=1000)), x, y, cv=5)
    theirs = time.process_time() - start
    print(
        f"proposing, 20,000 × 41: {mine:.1f} s of processor time (at most 4), five folds of a logistic regression "
        f"of all columns {theirs:.1f} s: {mine / theirs:.2f} times"
    )
    if len(frame) > len(some):
        start = time.process_time()
        Study(frame, outcome="y").preparation()
        print(f"proposing, {len(frame):,} × 41: {time.process_time() - start:.1f} s of processor time")


def main() -> None:
    """Print the ratios."""
    frame = table(ROWS)
    size = frame.memory_usage(deep=True).sum() / 1e6
    before = peak(anew=True)
    mine = timed(lambda: PREPARATION.then("drop", "c1").without(13).fit_transform(frame), 2)
    more = (peak() - before) * 1.048576
    print(f"{ROWS:,} rows × {frame.shape[1]} columns, {size:.0f} MB")
    print(f"peak memory beside the data: {more:.0f} MB, {(more + size) / size:.2f} times with the data")
    theirs = timed(lambda: by_hand(frame))
    print(
        f"fit and transform, 12 operations: {mine:.2f} s, by hand {theirs:.2f} s: {mine / theirs:.2f} times (at most 2)"
    )
    plain = PREPARATION.without(6)
    mine = timed(lambda: plain.fit_transform(frame), 2)
    start = time.perf_counter()
    stats.boxcox(frame["x10"].to_numpy())
    box = time.perf_counter() - start
    print(f"the same without Box–Cox: {mine:.2f} s, by hand {theirs - box:.2f} s: {mine / (theirs - box):.2f} times")
    one_row(frame)
    proposing(frame)
    x = np.random.default_rng(1).gamma(2, 3, ROWS)
    for name, mine_of, theirs_of in (
        ("Box–Cox", box_cox_parameter, lambda v: stats.boxcox(v)[1]),
        ("Yeo–Johnson", yeo_johnson_parameter, lambda v: stats.yeojohnson(v)[1]),
    ):
        a, b = timed(lambda f=mine_of: f(x), 3), timed(lambda f=theirs_of: f(x), 2)
        away = abs(mine_of(x).value - theirs_of(x))
        print(
            f"{name} parameter: {1e3 * a:.1f} ms, SciPy {1e3 * b:.0f} ms: {b / a:.0f} times (at least 40), "
            f"{away:.1e} apart"
        )
    study = Study(pd.DataFrame({"x": x, "y": frame["y"]}), outcome="y")
    whole = timed(lambda: study.transforms("x").table)
    both = timed(lambda: (stats.boxcox(x), stats.yeojohnson(x)))
    print(
        f"study.transforms('x'), eleven transforms with outcome shares: {whole:.2f} s, SciPy's two alone {both:.2f} s"
    )


if __name__ == "__main__":
    main()
