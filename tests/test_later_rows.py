"""Later rows through a preparation: what is otherwise is said, one path for rows and tables, no silent difference."""

import datetime
import io
import itertools
import json
import warnings

import joblib
import numpy as np
import pandas as pd
import polars as pl
import pytest
import sklearn
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from sklearn.base import clone
from sklearn.compose import ColumnTransformer
from sklearn.linear_model import LogisticRegression
from sklearn.model_selection import GridSearchCV
from sklearn.pipeline import make_pipeline
from sklearn.utils.estimator_checks import check_estimator

from envelt import LaterRowsWarning, Preparation, Study
from envelt.core.columns.raw import RawNumbers, RawWords
from envelt.core.transforms.forms import NAMES, fit_transform
from envelt.errors import EnveltError, NotFittedError, OptionError, PreparationError
from envelt.prepare.frame import _levels_apart, chance_beyond, frame_of, unlike

N = 800


def rows(seed=0, n=N):
    r = np.random.default_rng(seed)
    return pd.DataFrame({
        "weight": r.normal(30, 4, n), "mites": r.poisson(6, n).astype(float), "zone": r.choice(list("abc"), n),
        "seen": pd.Timestamp("2023-01-01") + pd.to_timedelta(r.integers(0, 600, n), "D"),
        "fed": r.random(n) < 0.4, "gaps": np.where(r.random(n) < 0.05, np.nan, r.normal(size=n)),
    })  # fmt: skip


PREPARATION = (
    Preparation()
    .then("clip", "mites", to="quantiles", low=0.0, high=0.99)
    .then("fill", "weight", "mites", "gaps")
    .then("reexpress", "mites", transform="log1p")
    .then("parts_of_date", "seen", parts=["month", "days_since"])
    .then("encode", "zone", "fed")
    .then("rescale", "weight", "mites", "gaps")
)


def said(preparation, frame):
    """Return what `transform` warns of, in one warning at most."""
    with warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        preparation.transform(frame)
    assert len(caught) <= 1
    assert all(issubclass(w.category, LaterRowsWarning) for w in caught)
    return str(caught[0].message) if caught else ""


OTHERWISE = {
    "another unit": (lambda f: f.assign(weight=f["weight"] * 1000), "no training row is near: weight in 800 of 800"),
    "a line": (lambda f: f.assign(weight=f["weight"] * 1.5 + 3), "weight in"),
    "a share": (lambda f: f.assign(weight=f["weight"] / 100), "trained on"),
    "thirty years on": (lambda f: f.assign(seen=f["seen"] + pd.DateOffset(years=30)), "seen in 800 of 800"),
    "all missing": (lambda f: f.assign(weight=np.nan), "weight is missing in 100%, not 0%"),
    "half missing": (lambda f: f.assign(gaps=f["gaps"].where(f.index % 2 == 0)), "gaps is missing in 5"),
    "one level": (lambda f: f.assign(zone="a"), "zone by 6"),
    "new levels": (lambda f: f.assign(zone="z"), "levels that the training rows do not have ('z')"),
    "all fed": (lambda f: f.assign(fed=True), "fed by 6"),
    "shifted": (lambda f: f.assign(weight=f["weight"] + 2), "another distribution"),
    "wider": (lambda f: f.assign(gaps=f["gaps"] * 3), "gaps"),
    "one far value": (lambda f: f.assign(weight=f["weight"].where(f.index > 0, 5000.0)), "of 800 (to 5000, trained on"),
    "below zero": (lambda f: f.assign(mites=-f["mites"] - 1), "mites"),
    "many clipped": (lambda f: f.assign(mites=np.where(f.index % 3 == 0, 14.0, f["mites"])), "mites"),
    "a column gone": (lambda f: f.drop(columns="gaps"), "is not there and taken as missing"),
    "text for numbers": (lambda f: f.assign(weight=f["weight"].round(2).astype(str)), ""),
    "yes for true": (lambda f: f.assign(fed=np.where(f["fed"], "yes", "no")), ""),
    "1 for true": (lambda f: f.assign(fed=f["fed"].astype(int)), ""),
    "days as text": (lambda f: f.assign(seen=f["seen"].dt.strftime("%Y-%m-%d")), ""),
    "days as numbers": (lambda f: f.assign(seen=f["seen"].dt.strftime("%Y%m%d").astype(int)), ""),
    "as it was": (lambda f: f, ""),
}


@pytest.mark.parametrize("otherwise", OTHERWISE)
def test_what_is_otherwise_in_later_rows_is_said(otherwise):
    change, expected = OTHERWISE[otherwise]
    fitted = clone(PREPARATION).set_params(absent="missing").fit(rows())
    later = change(rows(1))
    told = said(fitted, later)
    assert expected in told if expected else told == ""
    if not expected:  # and it is the same
        assert fitted.transform(later).equals(fitted.transform(rows(1))) or otherwise == "text for numbers"


def test_rows_of_the_same_kind_are_seldom_called_others():
    fitted = clone(PREPARATION).fit(rows())
    assert sum(bool(said(fitted, rows(seed, 400))) for seed in range(2, 62)) <= 1
    assert sum(bool(said(fitted, rows(seed, 1))) for seed in range(2, 62)) <= 1


def test_units_count_as_the_cases_they_are():
    def herd(seed, units):
        r = np.random.default_rng(seed)
        unit = np.repeat(np.arange(units), 30)
        level = r.normal(size=units)[unit]
        frame = pd.DataFrame({"hive": unit, "x": level + r.normal(0, 0.1, len(unit))})
        return frame.assign(zone=r.choice(list("abc"), units)[unit])

    plain = Preparation().then("rescale", "x").then("encode", "zone")
    told = {True: 0, False: 0}
    for unit in (True, False):
        fitted = plain.set_params(unit="hive" if unit else None).fit(herd(0, 60))
        told[unit] = sum(bool(said(fitted, herd(seed, 12))) for seed in range(1, 31))
    assert told[True] <= 1 < told[False]


def test_the_chance_beyond_is_that_of_all_orders():
    for trained, later in ((2, 3), (3, 3), (4, 2), (5, 3)):
        beyond = [
            sum(k < chosen[0] or k > chosen[-1] for k in range(trained + later) if k not in chosen)
            for chosen in itertools.combinations(range(trained + later), trained)
        ]
        for rows in range(later + 1):
            share = np.mean([b >= rows for b in beyond])
            assert chance_beyond(rows, later, trained) == pytest.approx(share)


@pytest.mark.parametrize(("then", "now", "apart"), [([50, 50], [80, 20], 0.3), ([20, 30, 50], [20, 60, 20], 0.3)])
def test_numbers_of_few_values_are_as_far_apart_as_their_shares(then, now, apart):
    made = [RawNumbers(np.repeat(np.arange(float(len(n))), 4 * np.array(n))) for n in (then, now)]
    (drifted,) = unlike({"x": made[1]}, {"x": frame_of(made[0], 400)}, 400)
    assert drifted.evidence["columns"]["x"]["far"] == pytest.approx(apart)
    assert unlike({"x": made[0]}, {"x": frame_of(made[0], 400)}, 400) == []


@pytest.mark.parametrize("shift", [0.0, 0.5, 1.0])
def test_numbers_of_many_values_are_about_as_far_apart_as_a_test_says(shift):
    r = np.random.default_rng(2)
    first, second = r.normal(size=4_000), r.normal(shift, 1, 4_000)
    second = np.clip(second, first.min(), first.max())
    found = unlike({"x": RawNumbers(second)}, {"x": frame_of(RawNumbers(first), 4_000)}, 4_000)
    far = found[0].evidence["columns"]["x"]["far"] if found else 0.0
    true = stats.ks_2samp(first, second).statistic
    assert far <= true + 1e-9
    assert far > 0.95 * true if true > 0.1 else far == 0.0


@pytest.mark.parametrize("tied_now", [True, False])
def test_a_value_of_half_the_rows_that_spreads_or_gathers_is_seen(tied_now):
    r = np.random.default_rng(4)
    rest = np.concatenate(([-1.0], r.uniform(1, 2, 999)))
    tied, spread = np.concatenate((rest, np.zeros(1_000))), np.concatenate((rest, r.uniform(0, 1, 1_000)))
    now, then = (tied, spread) if tied_now else (spread, tied)
    (drifted,) = unlike({"x": RawNumbers(now)}, {"x": frame_of(RawNumbers(then), 2_000)}, 2_000)
    true = stats.ks_2samp(then, now).statistic
    assert true - 0.06 < drifted.evidence["columns"]["x"]["far"] <= true + 1e-9


def test_levels_drawn_alike_are_as_far_apart_as_chance_makes_and_are_not_told():
    r = np.random.default_rng(3)
    share = r.dirichlet(np.ones(40))

    def levels(n):
        return RawWords(r.choice(40, n, p=share).astype(np.int32), [f"l{k}" for k in range(40)])

    trained = frame_of(levels(300), 300)
    far = [_levels_apart(levels(200), trained, np.arange(200), 1.0) for _ in range(60)]
    assert np.mean([d for d, _ in far]) == pytest.approx(np.mean([noise for _, noise in far]), rel=0.2)
    assert [f for _ in range(60) for f in unlike({"c": levels(200)}, {"c": trained}, 200)] == []


def test_copies_of_a_counted_row_do_not_help_to_make_its_own_rate():
    r = np.random.default_rng(6)
    frame = pd.DataFrame({"c": [f"c{k}" for k in range(150)], "y": r.choice(["no", "yes"], 150), "n": 4})
    study = Study(frame, outcome="y", counts="n", kinds={"c": "nominal"})
    view = study.prepare(Preparation(outcome="y").then("encode", "c", using="rate"), fit=True)
    assert view.prepared["c"].nunique() == 1  # the rate of all: no other row has the level


def test_a_yes_written_otherwise_is_said_to_be_read():
    fitted = Preparation().then("encode", "c").fit(pd.DataFrame({"c": ["yes", "no"] * 20}))
    view = Study(pd.DataFrame({"c": ["Y", "N"] * 20}), missing=[]).prepare(fitted)
    assert view.prepared["c=yes"].tolist() == [1.0, 0.0] * 20
    assert "another-type" in [f.code for f in view.findings]


def test_gaps_that_come_in_units_count_as_the_units_they_are():
    def herd(seed, units):
        r = np.random.default_rng(seed)
        unit = np.repeat(np.arange(units), 20)
        x = np.where((r.random(units) < 0.3)[unit], -1.0, r.random(len(unit)))
        return pd.DataFrame({"hive": unit, "x": x})

    plain = Preparation().then("replace", "x", values={"-1": None}).then("fill", "x")
    told = {}
    for unit in ("hive", None):
        fitted = clone(plain).set_params(unit=unit).fit(herd(0, 60))
        told[unit] = sum("filled" in said(fitted, herd(seed, 10)) for seed in range(1, 31))
    assert told["hive"] == 0


def test_the_warning_can_be_an_error_and_a_view_has_it_as_findings():
    fitted = clone(PREPARATION).fit(rows())
    with pytest.raises(LaterRowsWarning):  # as all warnings are errors here
        fitted.transform(rows(1).assign(weight=0.0))
    view = Study(rows(1).assign(weight=0.0)).prepare(fitted)
    assert "outside-training" in [f.code for f in view.findings]


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(NAMES), st.integers(0, 2**32 - 1), st.floats(-1e6, 1e6))
def test_no_value_is_thrown_far_by_a_transform_and_all_come_back(name, seed, value):
    x = np.random.default_rng(seed).lognormal(0, 1, 200)
    t = fit_transform(name, x, 1.0)
    low, high = x.min(), x.max()
    image, ends = t.carried_on(np.array([value]))[0], t.carried_on(np.array([low, high]))
    reach = abs(ends[1] - ends[0])
    beyond = max(low - value, value - high, 0.0) / (high - low)
    assert min(abs(image - e) for e in ends) <= reach * (1 + 20 * beyond) + 1e-9
    if beyond and not np.isnan(image):
        assert t.brought_back(np.array([image]))[0] == pytest.approx(value, rel=1e-6, abs=1e-6)
    rising = t.carried_on(np.linspace(low - 3, high + 3, 500))
    steps = np.diff(rising) * np.sign(ends[1] - ends[0])
    assert (steps >= -1e-9 * reach).all()


ODD = {
    "number": ["2", "a", "nan", True, 2**60 + 1, None, pd.NA, np.nan, np.inf, pd.Timestamp("2020-01-01"), pd.NaT, 3,
               np.float32(2.5), "1e3", datetime.date(2020, 1, 1)],
    "date": ["2023-05-01", "2023-05-01 14:00", 20240203, 1_700_000_000, pd.Timestamp("2023-05-01T14:00+02:00"),
             datetime.date(2023, 5, 1), datetime.datetime(2023, 5, 1, 14, tzinfo=datetime.UTC), "x", True, None, pd.NaT,
             np.datetime64("2023-05-01")],
    "level": [1, True, "True", None, np.nan, "(missing)", pd.NA, 2.0, "a"],
    "yes": [1, 0, 1.0, "True", True, "yes", None, 2],
}  # fmt: skip


def outcome_of(call):
    """Return what a call gives, or what it is refused with."""
    try:
        return call()
    except EnveltError as error:
        return f"{type(error).__name__}: {error}"


@pytest.mark.parametrize(("kind", "value"), [(k, v) for k, values in ODD.items() for v in values])
@pytest.mark.filterwarnings("ignore::envelt.LaterRowsWarning")
def test_a_row_is_a_table_of_one_row(kind, value):
    r = np.random.default_rng(0)
    trained, preparation = {
        "number": (r.normal(3, 1, 60), Preparation().then("rescale", "c").then("fill", "c")),
        "date": (pd.date_range("2023-01-01", periods=60, freq="31h"),
                 Preparation().then("parts_of_date", "c", parts=["month", "hour", "days_since"])),
        "level": (r.choice(["a", "b", None], 60), Preparation().then("encode", "c")),
        "yes": (r.random(60) < 0.5, Preparation().then("encode", "c")),
    }[kind]  # fmt: skip
    fitted = preparation.fit(pd.DataFrame({"c": trained}))
    table = outcome_of(lambda: fitted.transform(pd.DataFrame({"c": pd.Series([value])})).iloc[0].to_dict())
    row = outcome_of(lambda: fitted.transform_row({"c": value}))
    if isinstance(table, str):
        assert row == table
        return
    assert list(row) == list(table)
    assert [float(v) for v in row.values()] == pytest.approx([float(v) for v in table.values()], nan_ok=True)


def test_a_zone_is_kept_and_later_times_are_shown_by_its_clock():
    seen = pd.date_range("2023-01-01", periods=60, freq="31h", tz="America/New_York")
    fitted = Preparation().then("parts_of_date", "c", parts=["hour"]).fit(pd.DataFrame({"c": seen}))
    hours = [float(h) for h in seen[:9].hour]
    for same in (seen[:9], seen[:9].tz_convert("UTC"), seen[:9].tz_localize(None), seen[:9].astype(str)):
        assert fitted.transform(pd.DataFrame({"c": same}))["c_hour"].tolist() == hours
        assert [fitted.transform_row({"c": v})["c_hour"] for v in same] == hours
    again = Preparation.from_dict(json.loads(json.dumps(fitted.to_dict())))
    assert again.transform_row({"c": seen[5].tz_convert("Asia/Tokyo")}) == {"c_hour": hours[5]}


def test_counted_rows_are_learned_from_as_often_as_they_count():
    r = np.random.default_rng(5)
    frame = rows(3, 200).assign(y=r.choice(["no", "yes"], 200), n=r.integers(0, 4, 200))
    preparation = Preparation(outcome="y").then("fill", "gaps").then("encode", "zone", using="rate")
    preparation = preparation.then("drop", "seen", "fed", "weight", "mites")
    view = Study(frame, outcome="y", counts="n").prepare(preparation, fit=True)
    full = clone(preparation).fit(frame.loc[frame.index.repeat(frame["n"])].drop(columns="n"))
    for mine, theirs in zip(view.preparation.to_dict()["operations"], full.to_dict()["operations"], strict=True):
        assert json.dumps(mine, sort_keys=True) == json.dumps(theirs, sort_keys=True)
    assert view.prepared.columns.tolist() == ["zone", "gaps"]
    assert len(view.prepared) == 200
    late = frame["n"] == 0
    rest = full.transform(frame.drop(columns="n"))
    assert np.allclose(view.prepared[late], rest[late])


@pytest.mark.filterwarnings("error")
def test_marks_of_a_study_go_with_a_preparation_made_by_hand():
    frame = rows(4)
    frame.loc[::9, "weight"] = -99.0
    study = Study(frame, missing=["-99"])
    fitted = study.prepare(clone(PREPARATION), fit=True).preparation
    assert abs(fitted.transform(frame)["weight"]).max() < 6


def test_the_event_of_a_rate_is_declared_and_written():
    frame = rows().assign(y=np.where(rows()["fed"], "yes", "no"))
    for event, share in ((None, 0.4), ("no", 0.6)):
        fitted = Preparation(event=event).then("encode", "zone", using="rate").fit(frame[["zone"]], frame["y"])
        learned = fitted.to_dict()["operations"][0]["fitted"]["zone"]
        assert learned["event"] == (event or "yes")
        assert learned["base"][0] == pytest.approx(share, abs=0.05)


def test_levels_called_missing_stand_beside_gaps():
    frame = pd.DataFrame({"c": ["missing", "(missing)", None, "a"] * 9})
    out = Preparation().then("encode", "c").fit_transform(frame)
    assert (out.sum(axis=1) == 1).all()
    assert len(set(out.columns)) == 4


# --- the file -----------------------------------------------------------------------------------------


def test_a_file_can_be_read_corrected_and_not_broken(tmp_path):
    path = tmp_path / "p.json"
    clone(PREPARATION).fit(rows()).save(path)
    text = path.read_text("utf-8")
    assert max(map(len, text.splitlines())) < 160
    form = json.loads(text)
    assert all("outside" in o for o in form["operations"] if o["operation"] == "reexpress")  # defaults too
    form["operations"][2]["transform"] = "sqrt"
    with pytest.raises(PreparationError, match="fit it again"):
        Preparation.from_dict(form)
    del form["operations"][2]["digest"]  # which is no way around it
    with pytest.raises(PreparationError, match="fit it again"):
        Preparation.from_dict(form)
    operations = [{k: v for k, v in o.items() if k not in ("fitted", "digest")} for o in form["operations"]]
    del form["fitted"]
    assert Preparation.from_dict({**form, "operations": operations}).fit(rows()).is_fitted


BROKEN = {
    "a seed too large": (lambda f: f.update(seed=2**70), "seed"),
    "ends that fall": (lambda f: f["operations"][2]["fitted"]["mites"].update(ends=[3.0, 1.0]), "must rise"),
    "a width of nothing": (lambda f: f["operations"][5]["fitted"]["weight"].update(width=0), "above 0"),
    "limits that fall": (lambda f: f["operations"][0]["fitted"]["mites"].update(low=9.0, high=1.0), "must rise"),
    "an object for a name": (lambda f: f["operations"][0].update(operation={"a": 1}), "unknown"),
    "an object for a column": (lambda f: f["operations"][0].update(columns=[{"a": 1}]), "columns"),
    "too few quantiles": (lambda f: f["fitted"]["columns"][0]["frame"].update(quantiles=[1.0]), "quantiles"),
}


@pytest.mark.parametrize("broken", BROKEN)
def test_a_file_that_holds_what_cannot_be_is_refused(broken):
    form = json.loads(json.dumps(clone(PREPARATION).fit(rows()).to_dict()))
    BROKEN[broken][0](form)
    with pytest.raises(PreparationError, match=BROKEN[broken][1]):
        Preparation.from_dict(form)


# --- pipelines ----------------------------------------------------------------------------------------


@pytest.mark.filterwarnings("ignore")
def test_scikit_learns_own_checks_pass():
    results = check_estimator(Preparation(), on_fail=None, on_skip=None)
    assert [r["check_name"] for r in results if r["status"] == "failed"] == []
    # the array API is asked for by an environment variable, and nothing here computes by it
    assert {r["check_name"] for r in results if r["status"] != "passed"} <= {"check_array_api_input"}


@pytest.mark.filterwarnings("ignore::envelt.LaterRowsWarning")
def test_it_goes_in_a_grid_a_column_transformer_two_processes_and_a_file():
    frame, y = rows(), np.where(rows()["weight"] > 30, "heavy", "light")
    line = make_pipeline(clone(PREPARATION), LogisticRegression(max_iter=500))
    grid = {"preparation__fill__using": ["mean", "median"], "preparation__clip__high": [0.9, 0.99]}
    best = GridSearchCV(line, grid, cv=3, n_jobs=2, error_score="raise").fit(frame, y)
    assert best.best_score_ > 0.9
    assert set(best.best_params_) == set(grid)
    beside = ColumnTransformer([("p", clone(PREPARATION), list(frame.columns))]).set_output(transform="pandas")
    assert beside.fit_transform(frame).shape == (N, len(beside.get_feature_names_out()))
    fitted = clone(PREPARATION).fit(frame)
    kept = io.BytesIO()
    joblib.dump(fitted, kept)
    kept.seek(0)
    assert joblib.load(kept).transform(frame).equals(fitted.transform(frame))


def test_it_takes_and_gives_what_pipelines_have():
    frame = rows()
    fitted = clone(PREPARATION).fit(frame)
    plain = fitted.transform(frame)
    polars = (
        clone(PREPARATION).set_output(transform="polars").fit(pl.from_pandas(frame)).transform(pl.from_pandas(frame))
    )
    assert isinstance(polars, pl.DataFrame)
    assert np.allclose(polars.to_pandas(), plain)
    with sklearn.config_context(transform_output="polars"):
        assert isinstance(fitted.transform(frame), pl.DataFrame)
    numbers = Preparation().then("rescale", "0").fit(frame[["weight", "mites"]].to_numpy())
    out = numbers.transform(frame[["weight", "mites"]].to_numpy())
    assert isinstance(out, np.ndarray)
    assert out.dtype == np.float64
    with pytest.raises(PreparationError, match="X has 1 features, but Preparation is expecting 2 features"):
        numbers.transform(np.zeros((3, 1)))
    assert not hasattr(numbers, "feature_names_in_")
    assert fitted.feature_names_in_.tolist() == list(frame.columns)
    assert fitted.n_features_in_ == frame.shape[1]
    with pytest.raises(PreparationError, match="not equal to feature_names_in_"):
        fitted.get_feature_names_out([*"abcdef"])
    with pytest.raises(NotFittedError):
        Preparation().get_feature_names_out()
    with pytest.raises(OptionError, match="no parameter 'fil__using'"):
        clone(PREPARATION).set_params(fil__using="mean")
    with pytest.raises(OptionError, match="using of fill cannot be"):
        clone(PREPARATION).set_params(fill__using="mode").fit(frame)
