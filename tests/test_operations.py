"""Each operation against pandas and NumPy written out, one row beside a table, and the way back."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Preparation, Study
from envelt.core.stats.shrinkage import shrunken_levels
from envelt.errors import PreparationError

pytestmark = pytest.mark.filterwarnings("ignore::envelt.LaterRowsWarning")  # later rows are far off on purpose

R = np.random.default_rng(40)
N = 90
GRADE = R.choice(["10", "9", "2", "-1"], N).astype(object)
FRAME = pd.DataFrame(
    {
        "x": np.round(R.gamma(2, 3, N), 1),
        "gap": np.where(R.random(N) < 0.2, np.nan, np.round(R.normal(5, 2, N))),
        "kind": np.where(R.random(N) < 0.15, None, R.choice(["a", "b", "c", "d"], N, p=[0.5, 0.3, 0.15, 0.05])),
        "grade": GRADE,
        "said": R.choice(["no", "yes", "Maybe"], N).astype(object),
        "day": pd.Timestamp("2023-11-20 07:30") + pd.to_timedelta(R.integers(0, 900, N), "h"),
        "y": R.choice(["out", "in"], N),
    }
)
FRAME.loc[[3, 50], "day"] = pd.NaT
LATER = pd.DataFrame(
    {
        "x": [0.0, 100.0, np.nan, 4.0], "gap": [np.nan, np.nan, 3.0, -50.0], "kind": ["a", None, "new", "d"],
        "grade": ["2", "10", None, "9"], "said": ["yes", "Maybe", None, "no"], "y": ["in", "out", "in", None],
        "day": pd.to_datetime(["2025-03-01 23:59", None, "2023-12-31 12:00", "2024-02-29 00:00"]),
    }
)  # fmt: skip
X, GAP, KIND, DAY = (FRAME[c] for c in ("x", "gap", "kind", "day"))
FENCE = (2.5 * X.quantile(0.25) - 1.5 * X.quantile(0.75), 2.5 * X.quantile(0.75) - 1.5 * X.quantile(0.25))


def put_by(f):
    """Medians of gap within kind and said, of all rows where a group is new or has none."""
    known = FRAME.groupby(["kind", "said"])["gap"].median().dropna().to_dict()
    each = [known.get((k, s), GAP.median()) for k, s in zip(f["kind"], f["said"], strict=True)]
    return f["gap"].fillna(pd.Series(each, f.index))


def cut_at(f, cuts, names):
    """Levels of x, a value on a cut to the right."""
    return [None if v != v else names[sum(v >= c for c in cuts)] for v in f["x"]]


def ranked(order, unseen):
    """A code for each level of kind, by an order."""
    return lambda f: [np.nan if pd.isna(v) else order.index(v) if v in order else unseen for v in f["kind"]]


def joined(f, least):
    """Levels of kind, those of too few training rows and new ones as other."""
    counts = KIND.value_counts()
    return [None if pd.isna(v) else v if counts.get(v, 0) >= least else "other" for v in f["kind"]]


def usual(f):
    """The mean of x within said; that of all rows where said is missing."""
    return f["said"].map(FRAME.groupby("said")["x"].mean()).fillna(X.mean())


BOTH = FRAME.groupby(["kind", "said"])["x"].mean().to_dict()
CODED = dict(zip("abcd", ("one", "two", "two", "four"), strict=True))
QUARTERS = [X.quantile(q) for q in (0.25, 0.5, 0.75)]
WIDE = [X.min() + k * (X.max() - X.min()) / 3 for k in (1, 2)]
SINCE = pd.Timestamp("2023-11-20")


def carried_on(function, values, trained):
    """Return a function's images, beyond the training values along the line through the last twentieth of these."""
    low, high = trained.min(), trained.max()
    step = (high - low) / 20
    out = function(values.clip(low, high))
    out = out.where(~(values < low), function(low) + (values - low) * (function(low + step) - function(low)) / step)
    return out.where(
        ~(values > high), function(high) + (values - high) * (function(high) - function(high - step)) / step
    )


# operation, column, options, {column made: what it holds by pandas}
CASES = [
    ("fill", "gap", {}, {"gap": lambda f: f["gap"].fillna(GAP.median())}),
    ("fill", "gap", {"using": "mean", "flag": True},
     {"gap": lambda f: f["gap"].fillna(GAP.mean()), "gap_missing": lambda f: f["gap"].isna() * 1.0}),
    ("fill", "gap", {"using": "most_frequent"}, {"gap": lambda f: f["gap"].fillna(GAP.mode()[0])}),
    ("fill", "gap", {"using": "constant", "value": -7}, {"gap": lambda f: f["gap"].fillna(-7)}),
    ("fill", "gap", {"by": ["kind", "said"]}, {"gap": put_by}),
    ("fill", "gap", {"by": ["said"], "using": "mean"},
     {"gap": lambda f: f["gap"].fillna(f["said"].map(FRAME.groupby("said")["gap"].mean()).fillna(GAP.mean()))}),
    ("fill", "kind", {"using": "most_frequent"}, {"kind": lambda f: f["kind"].fillna(KIND.mode()[0])}),
    ("fill", "kind", {"using": "constant", "value": "none"}, {"kind": lambda f: f["kind"].fillna("none")}),
    ("fill", "kind", {"using": "constant", "value": 3}, {"kind": lambda f: f["kind"].fillna("3")}),
    ("fill", "day", {"using": "constant", "value": "2020-01-02"},
     {"day": lambda f: f["day"].fillna(pd.Timestamp("2020-01-02"))}),
    ("clip", "x", {}, {"x": lambda f: f["x"].clip(*FENCE)}),
    ("clip", "x", {"outside": "missing"}, {"x": lambda f: f["x"].where(f["x"].between(*FENCE))}),
    ("clip", "x", {"to": "quantiles"}, {"x": lambda f: f["x"].clip(X.quantile(0.01), X.quantile(0.99))}),
    ("clip", "x", {"to": "quantiles", "low": 0.1, "high": 1.0},
     {"x": lambda f: f["x"].clip(X.quantile(0.1), X.max())}),
    ("clip", "x", {"to": "limits", "high": 4}, {"x": lambda f: f["x"].clip(upper=4)}),
    ("clip", "x", {"to": "limits", "low": 4, "outside": "missing"}, {"x": lambda f: f["x"].where(f["x"] >= 4)}),
    ("reexpress", "x", {}, {"x": lambda f: carried_on(np.log1p, f["x"], FRAME["x"])}),
    ("reexpress", "x", {"transform": "square"}, {"x": lambda f: carried_on(np.square, f["x"], FRAME["x"])}),
    ("reexpress", "x", {"transform": "square", "outside": "nearest"}, {"x": lambda f: f["x"] ** 2}),
    ("reexpress", "gap", {"transform": "cube_root"}, {"gap": lambda f: carried_on(np.cbrt, f["gap"], FRAME["gap"])}),
    ("rescale", "x", {}, {"x": lambda f: (f["x"] - X.mean()) / X.std()}),
    ("rescale", "x", {"using": "median_iqr"}, {"x": lambda f: (f["x"] - X.median()) / stats.iqr(X)}),
    ("rescale", "x", {"using": "unit_range"}, {"x": lambda f: (f["x"] - X.min()) / (X.max() - X.min())}),
    ("bin", "x", {"bins": 4, "names": list("klmn")}, {"x": lambda f: cut_at(f, QUARTERS, "klmn")}),
    ("bin", "x", {"using": "width", "bins": 3, "names": list("klm")}, {"x": lambda f: cut_at(f, WIDE, "klm")}),
    ("bin", "x", {"using": "cuts", "cuts": [4], "names": ["low", "high"]},
     {"x": lambda f: cut_at(f, [4], ["low", "high"])}),
    ("merge_rare", "kind", {"under": 0.1}, {"kind": lambda f: joined(f, 0.1 * KIND.notna().sum())}),
    ("merge_rare", "kind", {"under": int(KIND.value_counts()["c"])},
     {"kind": lambda f: joined(f, KIND.value_counts()["c"])}),
    ("merge_rare", "kind", {"under": int(KIND.value_counts()["c"]) + 1, "into": "few", "unseen": "missing"},
     {"kind": lambda f: [None if v == "new" or pd.isna(v) else v if v in ("a", "b") else "few" for v in f["kind"]]}),
    ("encode", "kind", {},
     {f"kind={k}": lambda f, k=k: (f["kind"] == k) * 1.0 for k in "abcd"} | {
         "kind=missing": lambda f: f["kind"].isna() * 1.0}),
    ("encode", "kind", {"using": "ordered"}, {"kind": ranked(list("abcd"), 1.5)}),
    ("encode", "kind", {"using": "ordered", "order": list("dbca"), "unseen": "missing"},
     {"kind": ranked(list("dbca"), np.nan)}),
    ("encode", "grade", {"using": "ordered"},
     {"grade": lambda f: [np.nan if pd.isna(v) else ["-1", "2", "9", "10"].index(v) for v in f["grade"]]}),
    ("encode", "said", {"using": "ordered"},  # no before what is said otherwise
     {"said": lambda f: [np.nan if pd.isna(v) else ["no", "Maybe", "yes"].index(v) for v in f["said"]]}),
    ("relabel", "kind", {"labels": CODED}, {"kind": lambda f: [CODED.get(v, v) for v in f["kind"]]}),
    ("relabel", "said", {"labels": {"yes": "ja", "no": "nein"}, "unseen": "missing"},
     {"said": lambda f: f["said"].map({"yes": "ja", "no": "nein"})}),
    ("replace", "gap", {"values": {"5": None, "4": 40}}, {"gap": lambda f: f["gap"].replace({5: np.nan, 4: 40})}),
    ("replace", "kind", {"values": {"a": None, "b": "c", "c": 3}},
     {"kind": lambda f: [{"a": None, "b": "c", "c": "3"}.get(v, v) for v in f["kind"]]}),
    ("retype", "grade", {"marks": ["-1"]}, {"grade": lambda f: pd.to_numeric(f["grade"]).replace(-1, np.nan)}),
    ("retype", "gap", {"to": "category", "marks": [5]},
     {"gap": lambda f: [None if v != v or v == 5 else f"{v:g}" for v in f["gap"]]}),
    ("derive", "more", {"cut": "x", "at": [4.0], "names": ["low", "high"]},
     {"more": lambda f: cut_at(f, [4], ["low", "high"])}),
    ("derive", "more", {"expression": "x * 2 + gap"}, {"more": lambda f: f["x"] * 2 + f["gap"]}),
    ("group_feature", "x", {"by": ["said"], "give": "difference"},
     {"x by said, difference": lambda f: f["x"] - usual(f)}),
    ("group_feature", "x", {"by": ["said"], "to": ""}, {"mean x by said": usual}),
    ("group_feature", "x", {"by": ["kind", "said"], "to": "usual"}, {"usual": lambda f: [
        BOTH.get((k, s), X.mean()) for k, s in zip(f["kind"], f["said"], strict=True)]}),
    ("parts_of_date", "day", {"parts": ["year", "month", "weekday", "hour", "days_since"], "keep": True},
     {"day": lambda f: f["day"], "day_year": lambda f: f["day"].dt.year, "day_month": lambda f: f["day"].dt.month,
      "day_weekday": lambda f: f["day"].dt.day_of_week + 1, "day_hour": lambda f: f["day"].dt.hour,
      "day_days_since": lambda f: (f["day"] - SINCE) / pd.Timedelta(days=1)}),
    ("parts_of_date", "day", {"parts": ["days_since"], "since": "2024-01-01"},
     {"day_days_since": lambda f: (f["day"] - pd.Timestamp("2024-01-01")) / pd.Timedelta(days=1)}),
    ("rename", "x", {"to": "w"}, {"w": lambda f: f["x"]}),
    ("drop", "x", {}, {}),
]  # fmt: skip


@pytest.mark.parametrize(("name", "column", "options", "made"), CASES, ids=[f"{c[0]}-{i}" for i, c in enumerate(CASES)])
def test_it_does_what_pandas_would_to_training_rows_later_rows_and_one_row(name, column, options, made):
    fitted = Preparation().then(name, column, **options).fit(FRAME)
    stay = [c for c in FRAME.columns if c != column or name in ("group_feature",)]
    assert set(fitted.get_feature_names_out()) == {*stay, *made}
    for frame in (FRAME, LATER):
        out = fitted.transform(frame)
        for new, of in made.items():
            want = pd.Series(list(of(frame)), index=frame.index)
            got = out[new]
            if pd.api.types.is_numeric_dtype(got):
                assert got.to_numpy(float) == pytest.approx(want.to_numpy(float), rel=1e-12, abs=1e-12, nan_ok=True)
            elif pd.api.types.is_datetime64_any_dtype(got):
                assert (pd.to_datetime(got).eq(pd.to_datetime(want)) | (got.isna() & want.isna())).all()
            else:
                assert [None if pd.isna(v) else str(v) for v in got] == [None if pd.isna(v) else v for v in want]
        for i, row in enumerate(frame.head(12).to_dict("records")):
            one = fitted.transform_row(row)
            for new in made:
                a, b = one[new], out[new].iloc[i]
                assert (pd.isna(a) and pd.isna(b)) or a == b or a == pytest.approx(b, rel=1e-12)


def test_the_steps_say_how_many_rows_they_changed_and_what_is_missing():
    preparation = (
        Preparation().then("drop", "day").then("fill", "gap", flag=True).then("clip", "x")
        .then("replace", "said", values={"Maybe": None}).then("encode", "kind").then("rename", "grade", to="mark")
        .then("group_feature", "x", by=["said"], to="usual")
    )  # fmt: skip
    table = Study(FRAME).prepare(preparation, fit=True).table
    gaps, kinds, maybe = int(GAP.isna().sum()), int(KIND.isna().sum()), int((FRAME["said"] == "Maybe").sum())
    assert min(gaps, kinds, maybe) > 0
    clipped = int((~X.between(*FENCE)).sum())
    assert table["rows_changed"].tolist() == [0, gaps, clipped, maybe, N, 0, N]
    assert table["missing_before"].tolist() == [2, gaps, 0, 0, kinds, 0, 0]
    assert table["missing_after"].tolist() == [0, 0, 0, maybe, 0, 0, 0]


def test_rates_are_those_of_the_rows_and_new_levels_take_the_base():
    fitted = Preparation(outcome="y").then("encode", "kind", using="rate").fit(FRAME)
    event = FRAME["y"] == fitted.to_dict()["fitted"].get("event", "out")
    filled = KIND.fillna("?")
    by = event.groupby(filled).agg(["size", "mean"])
    rates = shrunken_levels(by["size"].to_numpy(), by["mean"].to_numpy(), event.mean(), event.std(ddof=0))
    either = [dict(zip(by.index, r, strict=True)) for r in (rates, 1 - rates)]
    out = fitted.transform(LATER)["kind"].to_numpy()
    base = event.mean()
    wants = [
        [e["a"], e["?"], base if e is either[0] else 1 - base, e["d"]] for e in either
    ]  # whichever class is the event
    assert any(out == pytest.approx(w, rel=1e-9) for w in wants)


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_what_is_done_one_after_the_other_is_what_each_does_alone(data):
    numbers = [c for c in CASES if c[1] in ("x", "gap") and c[0] in ("fill", "clip", "reexpress", "rescale")]
    chosen = data.draw(st.lists(st.sampled_from(numbers), min_size=1, max_size=4))
    whole, step = Preparation(), FRAME[["x", "gap", "kind", "said"]]
    for name, column, options, _ in chosen:
        one = Preparation().then(name, column, **{k: v for k, v in options.items() if k != "flag"})
        try:
            step = one.fit(step).transform(step)
        except PreparationError:  # a logarithm of what was centred
            return
        whole = whole.then(name, column, **one.to_dict()["operations"][0].get("options", {}) | {
            k: v for k, v in options.items() if k != "flag"})  # fmt: skip
    out = whole.fit(FRAME[["x", "gap", "kind", "said"]]).transform(FRAME[["x", "gap", "kind", "said"]])
    pd.testing.assert_frame_equal(out, step)


def test_the_way_back_of_names_codes_labels_and_days():
    fitted = (
        Preparation().then("rename", "x", to="w").then("rescale", "w").then("encode", "said", using="ordered")
        .then("relabel", "grade", labels={"2": "two", "9": "nine"}).then("parts_of_date", "day", parts=["days_since"])
        .then("relabel", "kind", labels={"a": "same", "b": "same"})
    ).fit(FRAME)  # fmt: skip
    out = fitted.transform(FRAME)
    back = fitted.inverse(out["w"])
    assert back.name == "x"
    assert back.to_numpy() == pytest.approx(X.to_numpy())
    assert fitted.inverse(out["gap"]).equals(out["gap"])  # nothing was done to it
    said = fitted.inverse(pd.Series([2.0, 0.0, 0.5, np.nan, 3.0, -1.0], name="said"))
    assert [None if pd.isna(v) else v for v in said] == ["yes", "no", None, None, None, None]
    assert fitted.inverse(out["grade"]).tolist() == FRAME["grade"].tolist()
    days = fitted.inverse(out["day_days_since"])
    assert [None if pd.isna(d) else pd.Timestamp(d) for d in days] == [None if pd.isna(d) else d for d in DAY]
    with pytest.raises(PreparationError, match="two levels share a name"):
        fitted.inverse(out["kind"])


def test_what_is_read_is_counted_where_it_cannot_be():
    frame = pd.DataFrame({"n": ["1", "2,5", "x", "x", None, "y"], "t": ["a ", "A", "a", "b", "B", "B"]})
    read = Preparation().then("retype", "n", form="decimal_comma").then("retype", "t", to="category", fold=True)
    fitted = read.fit(frame)
    assert fitted.transform(frame)["n"].tolist() == pytest.approx([1, 2.5, *[np.nan] * 4], nan_ok=True)
    assert fitted.transform(frame)["t"].tolist()[3:] == ["B"] * 3
    found = next(f for f in Study(frame).prepare(fitted).findings if f.code == "unreadable-values")
    assert (found.evidence["rows"], found.evidence["texts"]) == (3, ["x", "y"])
    with pytest.raises(PreparationError, match="3 rows of n cannot be read"):
        Preparation().then("retype", "n", unreadable="error").fit(frame)
