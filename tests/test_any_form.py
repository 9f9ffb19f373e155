"""The same answer whatever the order, the zone, the spelling or the form of the input; each of these once broke."""

import pickle
import time
import warnings

import numpy as np
import pandas as pd
import pytest

from envelt import Preparation, Study
from envelt.core.columns.expression import written_column
from envelt.core.columns.yes_no import rises
from envelt.errors import EnveltError, ExpressionError, OptionError

N = 200


def rng(seed=0):
    return np.random.default_rng(seed)


@pytest.mark.parametrize("seed", [1, 3, 4])
def test_a_pair_of_few_values_has_a_form_and_no_warning(seed):
    r = rng(seed)
    k = r.integers(0, 3, 800)
    j = np.clip(k + r.integers(0, 2, 800) * (k > 0), 0, 3)
    frame = pd.DataFrame({"a": np.array([2.5, 4, 6])[k], "b": np.array([0.1, 0.3, 0.7, 1.0])[j]})
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        pairs = Study(frame, kinds={"a": "continuous", "b": "continuous"}).relations().pairs
    assert pairs["form"].isin(["linear", "monotone"]).all()


@pytest.mark.parametrize("seed", range(8))
def test_the_form_of_a_pair_is_one_whichever_comes_first(seed):
    r = rng(seed)
    x = r.normal(size=300)
    frame = pd.DataFrame({"a": np.exp(x) + r.normal(size=300), "b": r.integers(0, 2, 300) + 2 * (x > 0)})
    told = [Study(frame[list(order)]).relations().pairs for order in ("ab", "ba")]
    assert told[0]["form"].tolist() == told[1]["form"].tolist()
    assert told[0]["coefficient"].to_numpy() == pytest.approx(told[1]["coefficient"].to_numpy(), abs=1e-12)
    kinds = dict.fromkeys("ab", "continuous")
    both = {Study(frame, outcome=y, kinds=kinds).against(x).form for x, y in ("ab", "ba")}
    assert both == set(Study(frame, kinds=kinds).relations().pairs["form"])


def counted(seed=0):
    r = rng(seed)
    return pd.DataFrame({
        "x": np.where(r.random(120) < 0.25, np.nan, np.round(r.normal(size=120), 1)), "g": r.choice(list("abc"), 120),
        "y": r.choice(["yes", "no"], 120), "n": r.integers(1, 5, 120),
    })  # fmt: skip


def test_rows_that_stand_for_several_count_as_many_in_every_step():
    frame = counted()
    full = frame.loc[frame.index.repeat(frame["n"])]
    study = Study(frame, outcome="y", counts="n")
    told, whole = study.inventory(), Study(full.drop(columns="n"), outcome="y").inventory()
    counts = ["present", "missing", "missing_share", "distinct", "reason"]
    assert told.table.loc[["x", "g", "y"], counts].equals(whole.table.loc[["x", "g", "y"], counts])
    gaps = [f for f in told.findings if f.code == "missing-values"]
    assert [f.statement for f in gaps] == [f.statement for f in whole.findings if f.code == "missing-values"]
    assert study.rank().table.loc["x", "missing_share"] == told.table.loc["x", "missing_share"]
    assert len(study.to_frame()) == len(full)
    frame.loc[5, ["x", "n"]] = [-900.0, 3]
    ranged = Study(frame, outcome="y", counts="n", columns={"x": {"range": [-10, 10]}}).inventory()
    (said,) = [f for f in ranged.findings if f.code == "out-of-range"]
    assert (said.evidence["count"], said.evidence["rows"]) == (3, ["5"])


def test_each_file_is_read_by_its_own_form_and_what_is_unlike_is_said(tmp_path):
    (tmp_path / "a.csv").write_text(
        "id;x;d\n" + "\n".join(f"{i};0,{143 + i};{1 + i % 28:02d}.03.2020" for i in range(40))
    )
    (tmp_path / "b.csv").write_text(
        "id,x,d\n" + "\n".join(f"{i},0.{1435 + i},2020-03-{1 + i % 28:02d}" for i in range(40, 80))
    )
    paths = [tmp_path / "a.csv", tmp_path / "b.csv"]
    for kinds in ({}, {"x": "continuous", "d": "datetime"}):
        study = Study(paths, kinds=kinds)
        assert study.inventory().table["kind"][["x", "d"]].tolist() == ["continuous", "datetime"]
        frame = study.to_frame()
        assert frame["x"].to_numpy() == pytest.approx([*(0.143 + np.arange(40) / 1e3), *(0.1475 + np.arange(40) / 1e4)])
        assert frame["d"].iloc[[0, 40]].dt.month.tolist() == [3, 3]
        unlike = [f for f in study.inventory().findings if f.code == "unlike-files"]
        assert [f.columns for f in unlike] == [("x",), ("d",)]
    assert "a.csv: numbers kept as text, decimal commas; b.csv: plain numbers" in unlike[0].statement
    (tmp_path / "b.csv").write_text("id,x\n" + "\n".join(f"{i},w{i % 3}" for i in range(40)))
    (said,) = [f for f in Study(paths).inventory().findings if f.code == "unlike-files"]
    assert "all of it is kept as text" in said.statement
    same = Study(paths[1]).inventory().findings
    assert not [f for f in same if f.code == "unlike-files"]


def zoned(tmp_path, zone="America/New_York"):
    stamps = pd.date_range("2021-03-01", periods=800, freq="97min", tz=zone)
    frame = pd.DataFrame({"ts": stamps, "x": np.arange(800) % 7})
    frame.to_csv(tmp_path / "z.csv", index=False)
    frame.to_parquet(tmp_path / "z.parquet")
    return frame


def test_a_time_of_a_zone_is_one_instant_with_the_clock_of_its_zone(tmp_path):
    frame = zoned(tmp_path)
    noon = pd.Timestamp("2021-03-14T12:00Z")  # the day on which summer time begins
    for data in (frame, tmp_path / "z.csv", tmp_path / "z.parquet"):
        study = Study(data)
        assert len(study.where("hour(ts) >= 12").to_frame()) == (frame["ts"].dt.hour >= 12).sum()
        assert len(study.where("ts >= '2021-03-14T12:00Z'").to_frame()) == (frame["ts"] >= noon).sum()
        reason = study.inventory().table.loc["ts", "reason"]
        assert reason.endswith(("America/New_York time", "UTC−05:00 and UTC−04:00 time"))
        again = study.to_frame()
        again.to_csv(tmp_path / "again.csv", index=False)
        back = Study(tmp_path / "again.csv").table["ts"]
        assert (back.instants == study.table["ts"].instants).all()
        assert (back.values == study.table["ts"].values).all()
    universal = Study(frame.assign(ts=frame["ts"].dt.tz_convert("UTC")))
    assert (universal.table["ts"].instants == Study(frame).table["ts"].instants).all()
    both = Study(frame.assign(utc=frame["ts"].dt.tz_convert("UTC")))
    assert len(both.where("ts == utc").to_frame()) == len(frame)
    later = frame["ts"].dt.tz_localize(None) + pd.Timedelta("1h")  # without a zone: by what the clocks show
    ends = Study(frame.assign(end=later.mask(frame.index < 3, later - pd.Timedelta("2h"))))
    (wrong,) = [f for f in ends.inventory().findings if f.code == "dates-out-of-order"]
    assert wrong.evidence == {"rows": ["0", "1", "2"], "count": 3}
    assert len(ends.where("end < ts").to_frame()) == 3


def test_a_sign_stands_where_levels_have_an_order_and_does_not_turn_with_their_names():
    g = rng().integers(0, 2, 400)
    x = g + rng(1).normal(size=400)

    def coefficient(*levels, **more):
        frame = pd.DataFrame({"x": x, "g": np.array(levels)[g]})
        return float(Study(frame, **more).relations().pairs["coefficient"].iloc[0])

    size = coefficient("a", "b")
    assert coefficient("b", "a") == coefficient("male", "female") == coefficient("female", "male") == size > 0
    assert coefficient("no", "yes") == coefficient("absent", "light") == size == -coefficient("yes", "no")
    assert coefficient("dead", "alive", outcome="g", event="alive") == size
    assert coefficient("dead", "alive", outcome="g", event="dead") == -size
    study = Study(pd.DataFrame({"x": x, "g": np.array(["dead", "alive"])[g]}), outcome="g", event="dead")
    assert study.pairwise("x", "g").table["coefficient"].iloc[0] == pytest.approx(-size)
    ordered = {"columns": {"g": {"order": ["small", "big"]}}}
    assert coefficient("small", "big", **ordered) == size == -coefficient("big", "small", **ordered)
    assert not rises("f", "m")
    assert not rises("south", "north")


FAMILIES = {
    "poisson": lambda r: r.poisson(3, 400), "overdispersed": lambda r: r.negative_binomial(2, 0.2, 400),
    "with zeros": lambda r: np.where(r.random(400) < 0.2, 0, np.round(r.lognormal(3, 1, 400), 2)),
    "below zero": lambda r: r.lognormal(0, 1, 400) - 1, "tail": lambda r: r.lognormal(0, 1, 400),
}  # fmt: skip


@pytest.mark.parametrize("family", FAMILIES)
def test_the_suggestion_for_skew_is_one_in_any_unit(family):
    x = FAMILIES[family](rng(3)).astype(float)
    told = {
        Study(pd.DataFrame({"x": x * k}), kinds={"x": "continuous"}).transforms().suggested["x"]
        for k in (1, 2, 8, 100, 0.01)
    }
    told = {"log_offset" if t == "log1p" and family == "overdispersed" else t for t in told}  # the 1 is another number
    assert len(told) == 1
    assert family != "poisson" or told == {"sqrt"}


DTYPES = [
    "Int8", "Int64", "UInt8", "UInt64", "Float32", "Float64", "boolean", "string", "category", "int64[pyarrow]",
    "uint8[pyarrow]", "double[pyarrow]", "bool[pyarrow]", "string[pyarrow]", "date32[pyarrow]", "date64[pyarrow]",
    "timestamp[ns][pyarrow]", "timestamp[s, tz=UTC][pyarrow]", "duration[ns][pyarrow]", "time64[us][pyarrow]",
    "binary[pyarrow]", "datetime64[ns]", "timedelta64[ns]", "datetime64[ns, UTC]", "period[D]", "complex128",
    "float16", "Sparse[float]",
]  # fmt: skip


@pytest.mark.parametrize("dtype", DTYPES)
@pytest.mark.parametrize("holds", ["nothing", "one value", "values"])
def test_every_dtype_goes_through_every_step(dtype, holds):
    values = pd.Series([None] * 60, dtype=dtype) if holds == "nothing" else pd.Series(made_of(dtype)).astype(dtype)
    if holds == "one value":
        values = values.iloc[[0]].repeat(60).reset_index(drop=True)
    frame = pd.DataFrame({"x": rng().normal(size=60), "y": rng(1).choice(["yes", "no"], 60)}).assign(z=values.array)
    study = Study(frame, outcome="y")
    for step in ("inventory", "balance", "distribution", "against", "relations", "transforms", "rank", "embed"):
        view = getattr(study, step)()
        assert view.to_dict()["step"] == step
        assert str(view)
    prepared = study.prepare(study.preparation(), fit=True)
    assert prepared.to_dict()["step"] == "prepare"


def made_of(dtype):
    at = rng(5).integers(0, 40, 60)
    if dtype in ("string", "category", "string[pyarrow]"):
        return [f"w{k}" for k in at]
    if "bool" in dtype:
        return [bool(k % 2) for k in at]
    if dtype == "binary[pyarrow]":
        return [f"w{k}".encode() for k in at]
    if "time64" in dtype:
        return pd.array([int(k) % 24 * 3_600_000_000 for k in at], dtype="int64[pyarrow]")
    if any(word in dtype for word in ("date", "timestamp", "period")):
        days = pd.Timestamp("2024-01-01") + pd.to_timedelta(at, "D")
        return days.tz_localize("UTC") if "UTC" in dtype else days.date.tolist() if dtype[:6] == "date32" else days
    if "duration" in dtype or "timedelta" in dtype:
        return pd.to_timedelta(at, "h")
    return at


def test_views_go_to_another_process_and_many_levels_warn_of_nothing():
    r = rng()
    frame = pd.DataFrame(
        {"a": r.integers(0, 150, 3000).astype(str), "b": r.choice(list("xyz"), 3000), "x": r.normal(size=3000)}
    )
    study = Study(frame, outcome="b", kinds={"a": "nominal"})
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        views = [
            study.contingency("a", "b"),
            study.balance(by="a"),
            study.relations(),
            study.rank(),
            study.against("x"),
        ]
        for view in views:
            assert pickle.loads(pickle.dumps(view)).to_dict() == view.to_dict()


def test_a_hundred_classes_take_no_longer_than_their_number():
    r = rng()

    def taken(classes):
        frame = pd.DataFrame(
            {f"x{i}": r.lognormal(size=600) for i in range(4)} | {"y": r.integers(0, classes, 600).astype(str)}
        )
        study = Study(frame, outcome="y", kinds={"y": "nominal"})
        start = time.perf_counter()
        shares = study.transforms().table["outcome_share"]
        assert shares.between(-0.02, 0.02).all()  # there is nothing
        return time.perf_counter() - start

    taken(3)
    assert taken(100) < 40 * max(taken(3), 0.05)  # it was a thousand times


def test_many_classes_that_a_line_parts_are_seen_to_be_parted():
    y = np.repeat(np.arange(30), 20)
    frame = pd.DataFrame({"x": y + rng().normal(size=600), "e": rng(1).normal(size=600), "y": y.astype(str)})
    share = Study(frame, outcome="y", kinds={"y": "nominal"}).transforms().table["outcome_share"]
    assert share["x"] > 0.5
    assert "y has 30 classes, more than 20" in str(Study(frame, outcome="y", kinds={"y": "nominal"}).transforms())
    assert abs(share["e"]) < 0.02
    view = Study(frame, outcome="y", kinds={"y": "nominal"}).embed("x", "e", method="pca")
    assert "without colour" in str(view)


FLAGS = pd.DataFrame({
    "h": np.arange(N) % 3 == 0, "q": pd.array([None, True, False, True] * (N // 4), dtype="boolean"),
    "s": ["yes", "no"] * (N // 2), "b": [1, 0, 0, 0] * (N // 4), "x": np.arange(N) % 20, "g": ["f", "m"] * (N // 2),
})  # fmt: skip


H, B, S, X = FLAGS["h"], FLAGS["b"] == 1, FLAGS["s"] == "yes", FLAGS["x"]
TRUE = {
    "h": H, "not h": ~H, "h and x > 7": H & (X > 7), "h == 1": H, "h == True": H, "h != 0": H, "s": S,
    "q": FLAGS["q"].fillna(value=False), "not q": ~FLAGS["q"].fillna(value=True), "b or x < 3": B | (X < 3),
    "h + b >= 1": H | B, "x ** -1 > 0.5": X == 1,
}  # fmt: skip


@pytest.mark.parametrize("expression", TRUE)
def test_true_and_false_are_so_by_themselves_and_a_power_of_zero_is_missing(expression):
    kept = Study(FLAGS).where(expression).to_frame()
    assert kept.index.tolist() == np.flatnonzero(TRUE[expression]).tolist()


def test_what_is_not_true_or_false_is_refused_and_an_overflow_too():
    for expression in ("g", "x", "not g", "x ** 9999"):
        with pytest.raises(ExpressionError):
            Study(FLAGS).where(expression)


@pytest.mark.parametrize(
    "name", ["a`b", "`", "", " ", "1x", "and", "x'y", 'x"y', "a\nb", "é", "[x]", "x.y", "hour", "a\\b", "``"]
)
def test_any_name_can_be_written_in_an_expression_and_goes_through_every_step(name):
    frame = pd.DataFrame({name: np.arange(N) % 9, "k": rng().normal(size=N), "y": ["yes", "no"] * (N // 2)})
    study = Study(frame, outcome="y")
    written = written_column(name)
    assert len(study.where(f"{written} > 4").to_frame()) == (frame[name] > 4).sum()
    assert (
        study.derive("twice", f"2 * {written}", kind="continuous").to_frame()["twice"].tolist()
        == (2 * frame[name]).tolist()
    )
    assert name in study.rank().table.index
    assert study.against(name).to_dict()["step"] == "against"
    assert str(study.distribution(name))


def test_columns_may_be_named_by_the_numbers_they_are_called():
    study = Study(pd.DataFrame(rng().normal(size=(60, 5))), outcome=4, kinds={2: "continuous"}, ignore=[0])
    assert study.outcome.name == "4"
    assert study.against(1).to_dict()["step"] == "against"
    assert study.relations([1, 2]).pairs[["first", "second"]].to_numpy().tolist() == [["1", "2"]]
    with pytest.raises(OptionError, match="text"):
        Study(pd.DataFrame({"x": [1, 2]}), outcome=[4])


@pytest.mark.parametrize(
    ("sizes", "share", "became"), [([20, 20, 20, 20], 0.25, 20), ([50, 30, 20], 0.25, (20, 30)), ([90, 10], 0.25, 10)]
)
def test_a_split_of_few_levels_comes_as_near_as_they_allow_and_says_what_it_became(sizes, share, became):
    levels = np.repeat(np.arange(len(sizes)), sizes).astype(object)
    levels[levels == len(sizes) - 1] = None  # rows without a level are one
    frame = pd.DataFrame({"g": [None if v is None else f"g{v}" for v in levels], "x": np.arange(sum(sizes))})
    training, test = Study(frame).split(share, by="g")
    assert len(test.table) in np.atleast_1d(became)
    assert set(training.to_frame()["g"].dropna()).isdisjoint(test.to_frame()["g"].dropna())
    said = f"the test rows: {len(test.table)} of {sum(sizes)} ({len(test.table) / sum(sizes):.1%})"
    assert said in str(test.distribution("x"))


def test_lengths_of_time_are_numbers_in_a_unit_that_is_said(tmp_path):
    took = pd.to_timedelta(rng().integers(60, 90_000, 80), "s")
    frame = pd.DataFrame({"t": took, "c": rng().normal(size=80) + 1j, "k": np.arange(80) % 7})
    frame.loc[3, "t"] = pd.NaT
    table = Study(frame).inventory()
    assert table.table.loc["t", ["kind", "unit"]].tolist() == ["continuous", "hours"]
    assert Study(frame).to_frame()["t"].to_numpy() == pytest.approx(
        frame["t"].dt.total_seconds().to_numpy() / 3600, nan_ok=True
    )
    assert [f.columns for f in table.findings if f.code == "nested-values"] == [("c",)]
    frame.drop(columns="c").to_csv(tmp_path / "t.csv", index=False)
    again = Study(tmp_path / "t.csv")
    assert again.to_frame()["t"].to_numpy() == pytest.approx(Study(frame).to_frame()["t"].to_numpy(), nan_ok=True)
    assert again.inventory().table.loc["t", "unit"] == "hours"


def test_an_error_names_an_option_as_it_is_written_where_it_is_read():
    with pytest.raises(EnveltError) as told:
        Preparation().then("fill", "x", using="median", value=3)
    assert "using='constant'" in str(told.value)
    assert '"using": "constant"' in told.value.typed
    fitted = Preparation().then("fill", "x", using="median").fit(pd.DataFrame({"x": [1.0, 2, 3], "z": [1.0, 2, 3]}))
    with pytest.raises(EnveltError) as told:
        fitted.transform(pd.DataFrame({"z": [1.0]}))
    assert "absent='missing'" in str(told.value)
    assert '"absent": "missing"' in told.value.typed
