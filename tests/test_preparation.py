"""Preparations: the same on rows, on files and on one row; without a leak; kept for ever; and refused when damaged."""

import json
import math
import pickle
from pathlib import Path

import jsonschema
import numpy as np
import pandas as pd
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Preparation, Study
from envelt.core.shapes.power import box_cox_parameter, yeo_johnson_parameter
from envelt.core.stats.shrinkage import shrunken_levels
from envelt.demo import csv_path
from envelt.errors import (
    EnveltError,
    InfiniteValueError,
    NotFittedError,
    OptionError,
    PreparationError,
    UnknownColumnError,
)
from envelt.prepare.operations import OPERATIONS
from envelt.prepare.schema import VERSION, preparation_schema

HERE = Path(__file__).parent
pytestmark = pytest.mark.filterwarnings("ignore::envelt.LaterRowsWarning")  # see test_later_rows
KEPT = HERE / "fixtures" / "preparation_version_1.json"


def rows(n=400, seed=0):
    """Return rows of every type, with gaps, codes, spellings and dates."""
    r = np.random.default_rng(seed)
    frame = pd.DataFrame(
        {
            "x": r.lognormal(1, 0.8, n),
            "z": r.normal(5, 2, n),
            "code": r.choice([1.0, 2.0, 7.0], n),
            "zone": r.choice(["north", "south", "east", "rare"], n, p=[0.5, 0.3, 0.19, 0.01]),
            "said": r.choice(["yes", "Yes", "no", "NO "], n),
            "price": [f"{v:,.2f} €" for v in r.uniform(10, 5000, n)],
            "day": pd.Timestamp("2024-01-01") + pd.to_timedelta(r.integers(0, 500, n), "D"),
            "case": r.integers(0, n // 3, n).astype(str),
            "y": r.choice(["no", "yes"], n, p=[0.7, 0.3]),
        }
    )
    frame.loc[r.random(n) < 0.1, "z"] = np.nan
    frame.loc[r.random(n) < 0.05, "zone"] = None
    frame.loc[r.random(n) < 0.05, "x"] = -99
    return frame


def every_operation():
    """Return a preparation in which each operation occurs."""
    return (
        Preparation(outcome="y", unit="case")
        .then("retype", "price", to="number", reason="prices kept as text")
        .then("retype", "said", to="category", fold=True)
        .then("replace", "x", values={"-99": None}, reason="−99 is a code for missing", finding="sentinel-value")
        .then("relabel", "code", labels={"1": "one", "2": "two"})
        .then("derive", "dear", expression="price > 1000 and zone == 'north'")
        .then("derive", "size", cut="z", at=[4, 6], names=["small", "middle", "large"])
        .then("fill", "z", using="median", by=["zone"], flag=True)
        .then("fill", "x", using="mean")
        .then("clip", "price", to="quantiles", low=0.02, high=0.98)
        .then("reexpress", "x", transform="box_cox")
        .then("bin", "price", using="count", bins=4, names=["a", "b", "c", "d"])
        .then("group_feature", "z", by=["zone"], give="difference", to="beside")
        .then("merge_rare", "zone", under=0.05)
        .then("parts_of_date", "day", parts=["year", "month", "weekday", "hour", "days_since"])
        .then("rename", "day_year", to="year")
        .then("rescale", "x", "z", using="median_iqr")
        .then("encode", "zone", using="levels")
        .then("encode", "code", using="rate")
        .then("encode", "size", "dear", "said", "price", using="ordered")
        .then("drop", "day_hour")
    )


# --- the same thing, however it comes in ------------------------------------------------------------------


def test_every_operation_occurs():
    assert {o.name for o in every_operation()} == set(OPERATIONS)


def test_frame_file_arrow_and_one_row_at_a_time_give_the_same(tmp_path):
    import pyarrow as pa

    frame = rows()
    preparation = every_operation().fit(frame)
    whole = preparation.transform(frame)
    assert list(whole.columns) == list(preparation.get_feature_names_out())
    assert {"y", "case"}.isdisjoint(whole.columns)
    frame.to_parquet(tmp_path / "rows.parquet")
    frame.to_csv(tmp_path / "rows.csv", index=False)
    for other in (tmp_path / "rows.parquet", tmp_path / "rows.csv", pa.table(frame), frame.to_dict("list")):
        np.testing.assert_array_equal(preparation.transform(other).to_numpy(), whole.to_numpy())
    for i, row in enumerate(frame.head(60).to_dict("records")):
        one = preparation.transform_row(row)
        assert list(one) == list(whole.columns)
        assert list(one.values()) == pytest.approx(whole.iloc[i].tolist(), rel=1e-12, abs=1e-12, nan_ok=True)
    arrow = preparation.set_output(transform="arrow").transform(frame)
    assert arrow.to_pandas().equals(preparation.set_output(transform="default").transform(frame))


def test_the_input_is_not_changed_and_the_output_is_the_callers_own():
    frame = rows()
    before = frame.copy(deep=True)
    preparation = Preparation().then("fill", "z").then("drop", "y").then("retype", "code").then("fill", "code")
    out = preparation.fit_transform(frame)
    study = Study(frame)
    out.loc[:, "x"] = 0.0
    out.loc[:, "code"] = 0.0
    out.loc[:, "z"] = 0.0
    pd.testing.assert_frame_equal(frame, before)
    assert (preparation.transform(frame)["x"] == frame["x"]).all()
    frame.loc[:, "x"] = 0.0
    frame.loc[:, "code"] = 0.0
    assert (study.to_frame()["x"] == before["x"]).all()
    with pytest.raises(PreparationError, match="its own method"):
        preparation.transform(study)


@pytest.mark.parametrize("outcome", ["wintered", "honey_kg", None])
def test_a_proposal_does_to_the_file_what_it_does_to_the_study(outcome):
    study = Study("demo", outcome=outcome)
    view = study.prepare(study.preparation(), fit=True)
    fitted = view.preparation
    by_study = study.prepare(fitted).prepared
    by_file = fitted.transform(csv_path())
    by_pandas = fitted.transform(pd.read_csv(csv_path()))
    np.testing.assert_array_equal(by_study.to_numpy(), by_file.to_numpy())
    np.testing.assert_array_equal(by_study.to_numpy(), by_pandas.to_numpy())
    assert view.missing == 0
    assert len(by_file) == 3_000
    assert all(np.issubdtype(t, np.floating) for t in by_file.dtypes)
    assert all(o.reason for o in fitted)


def test_the_proposal_says_what_led_to_it(wintered):
    proposed = wintered.preparation()
    table = proposed.table
    caused = set(table["finding"])
    assert {"made-up-of-others", "same-column", "sentinel-value", "level-spelling", "coded-numbers"} <= caused
    dropped = {c for o in proposed if o.name == "drop" for c in o.columns}
    assert {"spring_frames", "weight_lb", "record", "colony", "survey", "remarks"} <= dropped
    known = (HERE.parent / "docs" / "findings.md").read_text()
    assert all(f"`{code}`" in known for code in caused - {""})
    assert "because" in repr(proposed)
    assert "sentinel-value" in proposed._repr_html_()
    assert not proposed.is_fitted


def test_what_a_study_declares_goes_in_as_it_stands():
    frame = rows(600)
    study = Study(
        frame, outcome="y", unit="case", ignore=["price"], missing=["-99"],
        columns={
            "code": {"kind": "ordinal", "labels": {"1": "low", "2": "middle", "7": "high"}},
            "z": {"range": [0, 10]},
        },
    ).derive("early", "day < '2024-06-01'").derive("wide", cut="x", at=[3], names=["narrow", "broad"])  # fmt: skip
    proposed = study.preparation()
    by_name = {(o.name, o.columns): o for o in proposed}
    assert by_name["relabel", ("code",)]["labels"] == {"1": "low", "2": "middle", "7": "high"}
    assert by_name["clip", ("z",)].options["low"] == 0
    assert by_name["derive", ("early",)]["expression"] == "day < '2024-06-01'"
    assert by_name["encode", ("code",)]["order"] == ["low", "middle", "high"]
    fitted = study.prepare(proposed, fit=True).preparation
    np.testing.assert_array_equal(study.prepare(fitted).prepared.to_numpy(), fitted.transform(frame).to_numpy())
    assert "price" not in fitted.get_feature_names_out()


# --- references and properties ----------------------------------------------------------------------------


def test_what_is_learned_is_numpys_pandas_and_scipys():
    frame = rows()
    x = frame["x"].replace(-99, np.nan)
    fitted = every_operation().fit(frame)
    told = {(o["operation"], *o["columns"]): o["fitted"] for o in fitted.to_dict()["operations"]}
    z = frame["z"]
    assert told["fill", "z"]["z"]["value"] == z.median()
    groups = frame.groupby("zone")["z"].median()
    assert told["fill", "z"]["z"]["groups"] == pytest.approx(groups.to_dict(), rel=1e-15)
    assert told["fill", "x"]["x"]["value"] == pytest.approx(x.mean(), rel=1e-14)
    price = frame["price"].str.rstrip(" €").str.replace(",", "").astype(float)
    assert told["clip", "price"]["price"]["low"] == pytest.approx(price.quantile(0.02), rel=1e-14)
    power = stats.boxcox(x.fillna(x.mean()).to_numpy())[1]
    assert told["reexpress", "x"]["x"]["parameter"] == pytest.approx(power, abs=1e-5)
    event, codes = (frame["y"] == "yes").to_numpy(float), pd.Categorical(frame["code"])
    n = np.bincount(codes.codes)
    rates = shrunken_levels(n, np.bincount(codes.codes, event) / n, event.mean(), event.std())
    of = told["encode", "code"]["code"]["rates"]
    assert [of[k][0] for k in ("one", "two", "7")] == pytest.approx(rates, rel=1e-12)
    clipped = price.clip(*price.quantile([0.02, 0.98]))
    assert told["bin", "price"]["price"]["cuts"] == pytest.approx(clipped.quantile([0.25, 0.5, 0.75]), rel=1e-14)


usual = st.floats(-1e5, 1e5).map(lambda v: round(v, 4))
BACK = [
    ("rescale", {"using": "z_score"}), ("rescale", {"using": "median_iqr"}), ("rescale", {"using": "unit_range"}),
    *(("reexpress", {"transform": t}) for t in ("as_is", "cube_root", "yeo_johnson", "rank_normal", "log_offset")),
    ("fill", {"using": "median"}), ("rename", {"to": "v"}),
]  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(st.lists(usual, min_size=3, max_size=30), st.sampled_from(BACK), st.sampled_from(BACK))
def test_the_way_back_gives_what_was_there(values, first, second):
    frame = pd.DataFrame({"x": values})
    name = "v" if first[0] == "rename" else "x"
    assume(len(set(values)) > 2 and second[0] != "rename" and not first[0] == second[0] == "reexpress")
    if "yeo_johnson" in str(first) + str(second):
        # a power fitted to a handful of values far from zero can take all their digits: no double holds them
        assume(abs(yeo_johnson_parameter(np.array(values), 1.0).value - 1) * np.log1p(np.abs(values).max()) < 8)
        assume(first[0] in ("reexpress", "fill", "rename"))
    preparation = Preparation().then(first[0], "x", **first[1]).then(second[0], name, **second[1]).fit(frame)
    out = preparation.transform(frame)
    back = preparation.inverse(out[name])
    assert back.name == "x"
    scale = max(abs(v) for v in values)
    assert back.to_numpy() == pytest.approx(values, rel=1e-9, abs=1e-9 * scale)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(0.01, 1e4), min_size=3, max_size=30, unique=True),
       st.sampled_from(["log", "log1p", "sqrt", "reciprocal", "square", "box_cox"]))  # fmt: skip
def test_the_way_back_of_values_above_zero(values, transform):
    frame = pd.DataFrame({"x": values})
    if transform == "box_cox":  # likewise
        assume(abs(box_cox_parameter(np.array(values), 1.0).value) * np.abs(np.log(values)).max() < 12)
    preparation = Preparation().then("reexpress", "x", transform=transform).fit(frame)
    assert preparation.inverse(preparation.transform(frame)["x"]).to_numpy() == pytest.approx(values, rel=1e-9)


def test_levels_codes_and_dates_come_back_and_others_say_why_not():
    frame = rows()
    preparation = (
        Preparation().then("relabel", "said", labels={"yes": "ja", "Yes": "Ja", "no": "nein", "NO ": "Nein"})
        .then("encode", "said", using="ordered").then("parts_of_date", "day", parts=["days_since"])
        .then("encode", "zone").then("bin", "x").then("group_feature", "z", by=["y"], to="made")
    ).fit(frame)  # fmt: skip
    out = preparation.transform(frame)
    assert preparation.inverse(out["said"]).tolist() == frame["said"].tolist()
    assert preparation.inverse(out["day_days_since"]).tolist() == [str(d.date()) for d in frame["day"]]
    for name, why in (("x", "levels do not say"), ("made", "made from other columns"), ("zone=east", "not say which")):
        with pytest.raises(PreparationError, match=why):
            preparation.inverse(out[name])


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.integers(1, 40))
def test_rows_do_not_see_each_other_once_it_is_fitted(seed, cut):
    frame = rows(120, seed % 50)
    preparation = every_operation().fit(rows(300, 77))
    whole = preparation.transform(frame)
    parts = pd.concat([preparation.transform(frame.iloc[:cut]), preparation.transform(frame.iloc[cut:])])
    np.testing.assert_array_equal(whole.to_numpy(), parts.to_numpy())
    mixed = frame.sample(frac=1, random_state=seed)
    np.testing.assert_array_equal(preparation.transform(mixed).to_numpy(), whole.loc[mixed.index].to_numpy())


# --- no leak ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("unit", [None, "case"])
def test_noise_at_a_thousand_levels_gives_the_training_rows_no_advantage(unit):
    from scipy.stats import mannwhitneyu

    found = []
    for seed in range(12):
        r = np.random.default_rng(seed)
        n = 6_000
        frame = pd.DataFrame({"level": r.integers(0, 1_000, n).astype(str), "y": r.choice(["no", "yes"], n)})
        frame["case"] = r.integers(0, 2_500, n)
        preparation = Preparation(outcome="y", unit=unit, seed=seed).then("encode", "level", using="rate")
        encoded = preparation.fit_transform(frame)["level"]
        event = frame["y"] == "yes"
        area = mannwhitneyu(encoded[event], encoded[~event]).statistic / (event.sum() * (~event).sum())
        naive = frame.assign(e=event).groupby("level")["e"].transform("mean")
        leaked = mannwhitneyu(naive[event], naive[~event]).statistic / (event.sum() * (~event).sum())
        found.append((area, leaked))
    areas, leaks = np.array(found).T
    assert leaks.min() > 0.65  # what rates learned from the rows themselves would claim
    assert areas.max() < 0.52
    assert abs(areas.mean() - 0.5) < 0.01


def test_a_real_level_keeps_its_rate_and_a_unit_its_fold():
    r = np.random.default_rng(1)
    levels = r.integers(0, 30, 8_000)
    rate = r.uniform(0.1, 0.9, 30)[levels]
    frame = pd.DataFrame({"level": levels.astype(str), "case": r.integers(0, 900, 8_000)})
    frame["y"] = np.where(r.random(8_000) < rate, "yes", "no")
    preparation = Preparation(outcome="y", unit="case").then("encode", "level", using="rate")
    encoded = preparation.fit_transform(frame)["level"]
    assert np.corrcoef(encoded, rate)[0, 1] > 0.98
    per_case = frame.assign(e=encoded).groupby(["case", "level"])["e"].nunique()
    assert (per_case == 1).all()  # all rows of a case and level were held out together
    assert frame.assign(e=encoded).groupby("level")["e"].nunique().max() == 5
    later = preparation.transform(frame)["level"]
    assert later.groupby(frame["level"]).nunique().max() == 1


@pytest.mark.parametrize("number", [False, True])
def test_rates_of_units_are_drawn_in_as_far_as_units_ask_for(number):
    r = np.random.default_rng(2)
    level = r.integers(0, 8, 120)
    y = level / 8 + r.normal(size=120)
    once = pd.DataFrame(
        {"unit": np.arange(120), "level": level.astype(str), "y": y if number else np.where(y > 0.4, "yes", "no")}
    )
    told = once.loc[np.repeat(np.arange(120), 6)].reset_index(drop=True)

    def rates(frame, unit):
        made = Preparation(outcome="y", unit=unit).then("encode", "level", using="rate").fit(frame)
        return made.transform(once)["level"].to_numpy()

    base = once["y"].mean() if number else (once["y"] == "yes").mean()
    alone = rates(once, None)
    assert rates(told, "unit") == pytest.approx(alone, abs=0.02 * np.std(alone))  # U / (U − 1) apart
    assert np.std(rates(told, None)) > 1.1 * np.std(alone)  # rows told six times are taken for six
    away = {"unit": 0.0, None: 0.0}
    for seed in range(20):  # a level says nothing of the units
        noise = told.assign(y=np.random.default_rng(seed).permutation(once["y"])[told["unit"]])
        for unit in away:
            away[unit] += np.abs(rates(noise, unit) - base).mean()
    assert away["unit"] < 0.4 * away[None]


def test_three_classes_get_a_rate_each_and_a_number_its_mean():
    frame = rows()
    three = Preparation().then("encode", "zone", using="rate").then("drop", *frame.columns.drop("zone"))
    out = three.fit(frame, np.resize(["a", "b", "c"], len(frame))).transform(frame)
    assert list(out.columns) == [f"zone: rate of {k}" for k in "abc"]
    assert out.sum(axis=1).to_numpy() == pytest.approx(np.ones(len(out)))
    mean = three.fit(frame, frame["z"].fillna(0)).transform(frame)["zone"]
    assert mean.between(frame["z"].min(), frame["z"].max()).all()


# --- later rows that are otherwise ------------------------------------------------------------------------


def test_later_rows_may_be_in_another_order_with_more_columns_and_other_types():
    frame = rows()
    preparation = every_operation().fit(frame)
    whole = preparation.transform(frame)
    other = frame[frame.columns[::-1]].assign(extra=1, code=frame["code"].astype(int), day=frame["day"].astype(str))
    np.testing.assert_array_equal(preparation.transform(other).to_numpy(), whole.to_numpy())
    other = other.assign(z=other["z"].map(lambda v: None if v != v else str(v)))
    np.testing.assert_array_equal(preparation.transform(other).to_numpy(), whole.to_numpy())
    said = {f.code for f in Study(other, kinds={"z": "nominal"}).prepare(preparation).findings}
    assert {"columns-unknown", "another-type"} <= said
    with pytest.raises(PreparationError, match="holds 'many'"):
        preparation.transform(frame.assign(z="many"))


def test_columns_that_are_gone_are_refused_or_missing_as_declared():
    frame = rows()
    preparation = every_operation().fit(frame)
    preparation.transform(frame.drop(columns=["y", "case"]))  # neither is needed
    with pytest.raises(PreparationError, match="not there: 'z'"):
        preparation.transform(frame.drop(columns="z"))
    lenient = every_operation().set_params(absent="missing").fit(frame)
    out = lenient.transform(frame.drop(columns="z"))
    assert (out["z_missing"] == 1).all()
    assert lenient.transform_row(frame.drop(columns="z").iloc[0].to_dict())["z_missing"] == 1
    with pytest.raises(PreparationError, match="no 'z'"):
        preparation.transform_row(frame.drop(columns="z").iloc[0].to_dict())


@pytest.mark.parametrize("using", ["levels", "ordered", "rate"])
def test_new_levels_are_taken_as_declared(using):
    frame = rows().assign(zone=lambda f: f["zone"].fillna("north"))
    later = frame.head(4).assign(zone="abroad")
    only = [c for c in frame.columns if c not in ("zone", "y")]
    start = Preparation(outcome="y").then("drop", *only)
    other = start.then("encode", "zone", using=using).fit(frame)
    out = other.transform(later)
    wanted = {"levels": 0.0, "rate": (frame["y"] == "yes").mean()}
    if using in wanted:
        assert out.to_numpy() == pytest.approx(np.full(out.shape, wanted[using]))
    assert [*other.transform_row(later.iloc[0].to_dict()).values()] == pytest.approx(out.iloc[0].tolist())
    found = Study(later.assign(more=range(4))).prepare(other).findings
    assert [f.code for f in found if f.columns == ("zone",)] == ["unseen-levels"]
    missing = start.then("encode", "zone", using=using, unseen="missing").fit(frame).transform(later)
    assert missing.isna().all(axis=None) or using != "ordered"
    with pytest.raises(PreparationError, match="'abroad'"):
        start.then("encode", "zone", using=using, unseen="error").fit(frame).transform(later)
    merged = start.then("merge_rare", "zone", under=0.05).then("encode", "zone").fit(frame).transform(later)
    assert (merged["zone=other"] == 1).all()
    strict = start.then("merge_rare", "zone", under=0.05, unseen="error").fit(frame)
    assert set(strict.transform(frame)["zone"]) == {"north", "south", "east", "other"}  # what is rare is not new
    with pytest.raises(PreparationError, match="'abroad'"):
        strict.transform(later)


def test_values_that_a_transform_cannot_take_are_taken_as_declared():
    frame = pd.DataFrame({"x": [1.0, 2.0, 5.0, 9.0]})
    later = pd.DataFrame({"x": [-3.0, 0.0, 2.0]})
    line = Preparation().then("reexpress", "x", transform="log").fit(frame)
    slope = math.log(1.4) / 0.4  # of the twentieth of the training range that is next to 1
    assert line.transform(later)["x"].tolist() == pytest.approx([-4 * slope, -slope, math.log(2)])
    assert line.transform_row({"x": -3})["x"] == pytest.approx(-4 * slope)
    near = Preparation().then("reexpress", "x", transform="log", outside="nearest").fit(frame)
    assert near.transform(later)["x"].tolist() == pytest.approx([0.0, 0.0, math.log(2)])
    assert near.transform_row({"x": -3})["x"] == 0.0
    gone = Preparation().then("reexpress", "x", transform="log", outside="missing").fit(frame)
    assert gone.transform(later)["x"].isna().tolist() == [True, True, False]
    with pytest.raises(PreparationError, match="2 rows of 'x'"):
        Preparation().then("reexpress", "x", transform="log", outside="error").fit(frame).transform(later)


# --- kept as JSON -----------------------------------------------------------------------------------------


def test_saved_and_loaded_it_gives_identical_bytes(tmp_path):
    frame = rows()
    preparation = every_operation().then("reexpress", "z", transform="rank_normal").fit(frame)
    preparation.save(tmp_path / "p.json")
    again = Preparation.load(tmp_path / "p.json")
    assert again.transform(frame).to_numpy().tobytes() == preparation.transform(frame).to_numpy().tobytes()
    assert again.to_dict() == preparation.to_dict()
    again.save(tmp_path / "q.json")
    assert (tmp_path / "q.json").read_bytes() == (tmp_path / "p.json").read_bytes()
    assert pickle.loads(pickle.dumps(preparation)).transform(frame).equals(preparation.transform(frame))
    jsonschema.validate(json.loads((tmp_path / "p.json").read_text()), preparation_schema())


def test_the_schema_that_is_published_is_the_one_that_is_used():
    published = json.loads((HERE.parent / "docs" / "preparation.schema.json").read_text())
    assert published == json.loads(json.dumps(preparation_schema()))
    jsonschema.Draft202012Validator.check_schema(published)
    told = (HERE.parent / "docs" / "preparation.md").read_text()
    for name, kind in OPERATIONS.items():
        assert f"`{name}`" in told
        assert all(f"`{option}`" in told for option in kind.OPTIONS), name


def test_a_preparation_written_by_the_first_version_loads_for_ever():
    kept = json.loads(KEPT.read_text())
    assert kept["preparation"]["version"] == 1
    loaded = Preparation.from_dict(kept["preparation"])
    out = loaded.transform(pd.DataFrame(kept["rows"]))
    assert list(out.columns) == kept["features"]
    np.testing.assert_allclose(out.to_numpy(), np.array(kept["prepared"], float), rtol=1e-12)


def damaged():
    """Return files that are no preparation, each with what the error says."""
    good = json.dumps(every_operation().fit(rows()).to_dict())
    form = json.loads(good)

    def changed(change):
        other = json.loads(good)
        change(other)
        return json.dumps(other)

    def without_state(f):
        del f["operations"][7]["fitted"]["x"]

    return {
        "no JSON": (good[:-40], "not JSON"),
        "a list": ("[1, 2]", "no preparation"),
        "another file": ('{"a": 1}', "no preparation"),
        "a later version": (changed(lambda f: f.update(version=VERSION + 1)), "up to date"),
        "no version": (changed(lambda f: f.pop("version")), "version"),
        "an unknown operation": (changed(lambda f: f["operations"][0].update(operation="retyp")), "'retype'"),
        "an unknown option": (changed(lambda f: f["operations"][0].update(colour="red")), "colour"),
        "a wrong type": (changed(lambda f: f["operations"][6].update(using=3)), "operation 7"),
        "NaN": (good.replace("0.02", "NaN"), "NaN"),
        "1e400": (good.replace("0.02", "1e400"), "finite"),
        "nothing learned": (changed(lambda f: f["operations"][6].pop("fitted")), "Fit it again"),
        "half learned": (changed(without_state), "'x'"),
        "a feature too many": (changed(lambda f: f["fitted"]["features"].append("w")), "'w'"),
        "nested deep": ("[" * 200_000, "nested"),
        "not text": (None, "UTF-8"),
        "options that do not go together": (
            json.dumps({**form, "operations": [{"operation": "clip", "columns": ["x"], "low": 3, "high": 1}]}),
            "low must lie below",
        ),
    }  # fmt: skip


DAMAGED = damaged()


@pytest.mark.parametrize("what", DAMAGED)
def test_a_damaged_file_is_refused_in_a_sentence(tmp_path, what):
    text, message = DAMAGED[what]
    path = tmp_path / "p.json"
    path.write_bytes(b"\xff\xfe\x00" if text is None else text.encode())
    with pytest.raises(PreparationError) as refused:
        Preparation.load(path)
    assert message in str(refused.value)
    assert len(str(refused.value)) < 400


def test_a_file_that_is_too_large_or_not_there_is_refused(tmp_path):
    with pytest.raises(PreparationError, match="--propose"):
        Preparation.load(tmp_path / "none.json")
    large = tmp_path / "large.json"
    with large.open("wb") as file:
        file.truncate(100_000_000)
    with pytest.raises(PreparationError, match="100 MB"):
        Preparation.load(large)


def test_a_write_that_is_interrupted_leaves_the_old_file(tmp_path, monkeypatch):
    path = tmp_path / "p.json"
    Preparation().then("drop", "x").save(path)
    before = path.read_bytes()
    monkeypatch.setattr("os.replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(EnveltError, match="No space left"):
        Preparation().then("drop", "y").save(path)
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["p.json"]


def test_a_file_that_is_written_over_keeps_its_mode_and_a_link_stays_one(tmp_path):
    path, link = tmp_path / "p.json", tmp_path / "link.json"
    Preparation().then("drop", "x").save(path)
    path.chmod(0o640)
    link.symlink_to(path)
    Preparation().then("drop", "y").save(link)
    assert link.is_symlink()
    assert path.stat().st_mode & 0o777 == 0o640
    assert Preparation.load(path) is not None
    assert '"y"' in path.read_text()


# --- bad input --------------------------------------------------------------------------------------------

BAD = {
    "zeros for a logarithm": ("reexpress", "code", {"transform": "log"}, "values at zero"),
    "below zero for Box–Cox": ("reexpress", "signed", {"transform": "box_cox"}, "below zero"),
    "a constant": ("reexpress", "one", {"transform": "sqrt"}, "one value"),
    "all missing": ("fill", "gone", {}, "missing in every training row"),
    "all missing, scaled": ("rescale", "gone", {}, "missing in every training row"),
    "text for a number": ("rescale", "zone", {}, "retype it first"),
    "a number for a date": ("parts_of_date", "z", {}, "holds none"),
    "no such column": ("clip", "zz", {}, "No column 'zz'"),
    "an escape": ("derive", "new", {"expression": "__import__('os').system('true')"}, "."),
    "an attribute": ("derive", "new", {"expression": "z.real"}, "."),
    "a new name that is taken": ("rename", "z", {"to": "x"}, "already"),
    "a number as text": ("fill", "z", {"using": "constant", "value": "none"}, "give a number"),
}


@pytest.mark.parametrize("what", BAD)
def test_what_cannot_be_fitted_says_why(what):
    name, column, options, message = BAD[what]
    frame = rows().assign(code=lambda f: f["code"] - 1, signed=lambda f: f["z"] - 9, one=3.0, gone=np.nan)
    with pytest.raises(EnveltError, match=message):
        Preparation().then(name, column, **options).fit(frame)


def test_a_column_for_each_of_very_many_levels_is_refused_and_codes_or_rates_are_not():
    frame = pd.DataFrame({"case": [f"k{i}" for i in range(200_000)], "y": np.arange(200_000) % 2})
    with pytest.raises(PreparationError, match=r"200,000 levels of 'case'.*merge_rare"):
        Preparation().then("encode", "case", using="levels").fit(frame)
    codes = Preparation().then("encode", "case", using="ordered").fit_transform(frame)
    assert sorted(codes["case"]) == list(range(200_000))
    rates = Preparation(outcome="y").then("encode", "case", using="rate").fit_transform(frame)
    assert rates["case"].to_numpy() == pytest.approx(0.5, abs=0.01)


def test_infinity_no_rows_and_other_lengths_are_refused():
    frame = rows(40)
    preparation = Preparation().then("rescale", "z").then("drop", "y")
    with pytest.raises(InfiniteValueError, match="'z'"):
        preparation.fit(frame.assign(z=np.inf))
    fitted = preparation.fit(frame)
    with pytest.raises(InfiniteValueError):
        fitted.transform(frame.assign(z=-np.inf))
    with pytest.raises(InfiniteValueError, match="inf"):
        fitted.transform_row({**frame.iloc[0].to_dict(), "z": math.inf})
    with pytest.raises(PreparationError, match="no training row"):
        Preparation().then("drop", "x").fit(frame.head(0))
    assert fitted.transform(frame.head(0)).shape == (0, 8)
    with pytest.raises(PreparationError, match="3 rows"):
        Preparation().then("encode", "zone", using="rate").fit(frame, ["a", "b", "a"])
    with pytest.raises(PreparationError, match="give it to fit"):
        Preparation().then("encode", "zone", using="rate").fit(frame)
    with pytest.raises(NotFittedError, match="--fit"):
        preparation.without(1).transform(frame)


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda: Preparation().then("fil", "x"), "Did you mean 'fill'"),
        (lambda: Preparation().then("fill", "x", usin="mean"), "Did you mean 'using'"),
        (lambda: Preparation().then("fill", "x", using="modus"), "using of fill"),
        (lambda: Preparation().then("fill", "x", "x"), "twice"),
        (lambda: Preparation().then("fill"), "needs a column"),
        (lambda: Preparation().then("fill", 3), "by text"),
        (lambda: Preparation().then("fill", "x", using="constant"), "value"),
        (lambda: Preparation().then("clip", "x", to="limits"), "needs low"),
        (lambda: Preparation().then("clip", "x", to="limits", low=math.nan), "finite"),
        (lambda: Preparation().then("bin", "x", using="cuts", cuts=[3, 1]), "must rise"),
        (lambda: Preparation().then("bin", "x", bins=True), "bins"),
        (lambda: Preparation().then("replace", "x"), "values"),
        (lambda: Preparation().then("rename", "x", "y", to="z"), "1 column"),
        (lambda: Preparation().then("group_feature", "x"), "by="),
        (lambda: Preparation().then("derive", "x", expression="y", cut="z"), "one of"),
        (lambda: len(Preparation("fill")), "as a list"),
        (lambda: len(Preparation([3])), "An operation is a dict"),
        (lambda: Preparation(absent="gone").fit(rows(40)), "absent"),
        (lambda: Preparation(seed=-1).fit(rows(40)), "seed"),
        (lambda: Preparation().without(1), "none is number 1"),
        (lambda: Preparation().set_params(units="x"), "Did you mean 'unit'"),
        (lambda: Preparation().set_output(transform="excel"), "returns"),
    ],
)
def test_a_mistake_is_named_when_it_is_made(make, message):
    with pytest.raises(OptionError, match=message):
        make()


# --- splitting --------------------------------------------------------------------------------------------


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 1000), st.floats(0.1, 0.6))
def test_a_split_keeps_every_row_once_units_whole_and_the_outcomes_share(seed, share):
    frame = rows(900, seed % 7)
    study = Study(frame, outcome="y", unit="case", seed=seed)
    training, test = study.split(share)
    assert sorted([*training.table.rows, *test.table.rows]) == list(range(900))
    assert set(frame.loc[training.table.rows, "case"]).isdisjoint(frame.loc[test.table.rows, "case"])
    assert len(test.table) == pytest.approx(900 * share, abs=12)
    plain, drawn = Study(frame, outcome="y", seed=seed).split(share)
    rates = [s.balance().table.loc["yes", "share"] for s in (plain, drawn)]
    assert rates[0] == pytest.approx(rates[1], abs=0.01)


def test_a_split_by_time_takes_the_last_and_by_levels_divides_none():
    frame = rows(500)
    training, test = Study(frame, outcome="y").split(0.3, by="day")
    assert frame.loc[training.table.rows, "day"].max() < frame.loc[test.table.rows, "day"].min()
    assert len(test.table) == pytest.approx(150, abs=5)
    a, b = Study(frame, outcome="z").split(0.4, by="zone")
    assert set(frame.loc[a.table.rows, "zone"].dropna()).isdisjoint(frame.loc[b.table.rows, "zone"].dropna())
    for bad in (0, 1, "a", True):
        with pytest.raises(OptionError, match=r"between 0 and 1|finite number"):
            Study(frame).split(bad)
    with pytest.raises(UnknownColumnError):
        Study(frame).split(0.2, by="dya")
    with pytest.raises(OptionError, match="leaves no row"):
        Study(frame.head(2)).split(0.01)


# --- in a pipeline of estimators --------------------------------------------------------------------------


def test_it_works_in_a_pipeline_of_estimators():
    pytest.importorskip("sklearn")
    from sklearn.base import clone
    from sklearn.linear_model import LogisticRegression
    from sklearn.model_selection import cross_val_score
    from sklearn.pipeline import Pipeline

    r = np.random.default_rng(0)
    frame = rows(900).drop(columns=["y", "case"])
    y = np.where(r.random(900) < 1 / (1 + np.exp(-(frame["z"].fillna(5) - 5))), "yes", "no")
    steps = tuple(o for o in every_operation())
    preparation = Preparation(steps, seed=1).then("fill", "x", "z", "code")
    preparation = preparation.then(
        "fill", "year", "day_month", "day_weekday", "day_days_since", "beside", "size", "dear"
    )
    preparation = preparation.then("rescale", "year", "day_days_since", "beside")
    line = Pipeline([("prepare", preparation), ("model", LogisticRegression(max_iter=5000, C=0.1))])
    scores = cross_val_score(line, frame, y, cv=4, scoring="roc_auc")
    assert scores.min() > 0.75
    line.set_output(transform="pandas").fit(frame, y)
    assert list(line[:-1].transform(frame).columns) == list(line[:-1].get_feature_names_out())
    copy = clone(preparation)
    assert not copy.is_fitted
    assert repr(copy) == repr(clone(line).named_steps["prepare"])
    assert line.set_params(prepare__seed=5).named_steps["prepare"].seed == 5
    fitted = line.named_steps["model"].fit(line.named_steps["prepare"].fit_transform(frame, y), y)
    assert fitted.n_features_in_ == len(preparation.fit(frame, y).get_feature_names_out())


# --- at the command line ----------------------------------------------------------------------------------


def test_propose_fit_on_the_first_rows_and_apply_to_the_last(run, tmp_path):
    lines = csv_path().read_text(encoding="utf-8").splitlines(keepends=True)
    (tmp_path / "first.csv").write_text("".join(lines[:2001]), encoding="utf-8")
    (tmp_path / "last.csv").write_text(lines[0] + "".join(lines[-1000:]), encoding="utf-8")
    status, out, err = run("prepare", "demo", "-o", "wintered", "--propose", "r.json")
    assert status == 0, err
    assert "because" in out
    assert "Wrote r.json" in err
    status, out, err = run("prepare", "last.csv", "--using", "r.json", "--out", "test.parquet")
    assert (status, "--fit" in err) == (2, True)
    status, out, err = run("prepare", "first.csv", "--using", "r.json", "--fit", "--out", "train.parquet")
    assert status == 0, err
    assert "fitted on these rows" in out
    status, out, err = run("prepare", "last.csv", "--using", "r.json", "--out", "test.parquet", "--out", "test.csv")
    assert status == 0, err
    assert "applied as fitted on 2,000 rows" in out
    training, test = pd.read_parquet(tmp_path / "train.parquet"), pd.read_parquet(tmp_path / "test.parquet")
    assert (len(training), len(test)) == (2000, 1000)
    assert list(training.columns) == list(test.columns)
    assert training.isna().sum().sum() == test.isna().sum().sum() == 0
    assert pd.read_csv(tmp_path / "test.csv").to_numpy() == pytest.approx(test.to_numpy(), rel=1e-12)
    status, out, err = run("prepare", "last.csv", "--using", "r.json", "--keep", "wintered", "--out", "kept.jsonl")
    assert status == 0, err
    assert "wintered" in pd.read_json(tmp_path / "kept.jsonl", lines=True).columns
    told = json.loads(run("prepare", "last.csv", "--using", "r.json", "--json")[1])
    assert len(told["tables"]["table"]) == len(json.loads((tmp_path / "r.json").read_text())["operations"])


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("prepare", "demo"), "--propose FILE"),
        (("prepare", "demo", "--propose", "a.json", "--fit"), "only writes"),
        (("prepare", "demo", "--using", "none.json"), "no file"),
        (("prepare", "demo", "--using", "none.json", "--out", "x.png"), ".parquet"),
        (("prepare", "demo", "--propose", "no/such/folder.json"), "no folder"),
    ],
)
def test_the_command_says_what_to_do(run, words, message):
    status, _, err = run(*words)
    assert status == 2
    assert message in err


def test_the_data_is_never_written_over(run, tmp_path):
    path = tmp_path / "rows.csv"
    rows(60).to_csv(path, index=False)
    before = path.read_bytes()
    Preparation().then("drop", "price").fit(rows(60)).save(tmp_path / "p.json")
    (tmp_path / "link.csv").symlink_to(path)
    for words in (
        ("prepare", path, "--using", "p.json", "--out", "rows.csv"),
        ("prepare", path, "--using", "p.json", "--out", "link.csv"),
        ("prepare", path, "--propose", "rows.csv"),
        ("inventory", "rows.csv", "--out", path),
    ):
        status, _, err = run(*words)
        assert (status, "is the data itself" in err) == (2, True)
    assert path.read_bytes() == before


def test_what_was_done_is_shown_saved_and_drawn(wintered, tmp_path):
    training, test = wintered.split(0.3)
    view = training.prepare(wintered.preparation(), fit=True, keep="wintered")
    assert view.prepared.columns[0] == "wintered"
    later = test.prepare(view.preparation)
    assert later.prepared.shape[1] == view.prepared.shape[1] - 1
    assert later.features["missing"].sum() == 0
    table = later.table.set_index("operation")
    assert table.loc["parts_of_date", "rows_changed"] == len(test.table)
    assert (
        later.table["missing_after"] <= later.table["missing_before"].clip(lower=later.table["missing_after"])
    ).all()
    for ending in ("png", "html", "md", "json", "csv"):
        view.save(tmp_path / f"view.{ending}")
    assert "made-up-of-others" in repr(view.preparation)
    with pytest.raises(OptionError, match="A preparation is needed"):
        wintered.prepare({"operations": []})
