"""Transforms: parameters and values against SciPy, what is suggested, and what a person sees."""

import json

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.shapes.power import box_cox_parameter, log_offset_parameter, yeo_johnson_parameter
from envelt.core.transforms.compare import compare
from envelt.core.transforms.forms import FORMS, NAMES, fit_transform, why_not
from envelt.core.transforms.suggest import suggest
from envelt.demo import planted
from envelt.errors import OptionError
from samples import rows

DRAWN = {
    "lognormal": lambda r, n: r.lognormal(1, 1, n),
    "gamma": lambda r, n: r.gamma(2, 3, n),
    "near one": lambda r, n: r.normal(100, 3, n),
    "heavy": lambda r, n: r.pareto(1.2, n) + 0.5,
    "rounded": lambda r, n: np.round(r.gamma(2, 3, n)) + 1,
    "many decades": lambda r, n: 10.0 ** r.uniform(-12, 15, n),
}
SIGNED = {
    "both signs": lambda r, n: r.normal(1, 4, n),
    "all below": lambda r, n: -r.gamma(2, 3, n),
    "heavy": lambda r, n: r.standard_t(2, n),
    "zeros": lambda r, n: r.poisson(2, n).astype(float),
}


@pytest.mark.parametrize("rows", [40, 60_000])  # by the values themselves, and by bins of them
@pytest.mark.parametrize("name", DRAWN)
def test_box_cox_is_scipys_with_its_interval(name, rows):
    values = DRAWN[name](np.random.default_rng(3), rows)
    found = box_cox_parameter(values, 1.0)
    with np.errstate(all="ignore"):
        _, power, (low, high) = stats.boxcox(values, alpha=0.05)
    assert [found.value, found.low, found.high] == pytest.approx([power, low, high], abs=1e-4)
    assert fit_transform("box_cox", values, 1.0).apply(values) == pytest.approx(
        stats.boxcox(values, found.value), rel=1e-12
    )
    gain = stats.boxcox_llf(found.value, values) - stats.boxcox_llf(1, values)
    assert found.gain == pytest.approx(gain, abs=1e-2 + 1e-4 * abs(gain))


@pytest.mark.parametrize("rows", [40, 60_000])
@pytest.mark.parametrize("name", SIGNED)
def test_yeo_johnson_is_scipys_and_its_interval_is_where_the_likelihood_falls(name, rows):
    values = SIGNED[name](np.random.default_rng(4), rows)
    found = yeo_johnson_parameter(values, 1.0)
    power = stats.yeojohnson(values)[1]
    assert found.value == pytest.approx(power, abs=1e-4)
    assert fit_transform("yeo_johnson", values, 1.0).apply(values) == pytest.approx(
        stats.yeojohnson(values, found.value), rel=1e-12, abs=1e-12
    )
    top = stats.yeojohnson_llf(power, values)
    for end in (found.low, found.high):
        assert top - stats.yeojohnson_llf(end, values) == pytest.approx(stats.chi2.ppf(0.95, 1) / 2, rel=1e-2)


def test_the_offset_of_a_logarithm_is_the_likeliest():
    r = np.random.default_rng(5)
    values = np.maximum(r.lognormal(2, 0.6, 5_000) - 3, 0)
    found = log_offset_parameter(values, 1.0)

    def likelihood(c):
        logs = np.log(values + c)
        return -len(values) / 2 * np.log(logs.var()) - logs.sum()

    around = [likelihood(found.value * f) for f in (0.98, 1, 1.02)]
    assert around[1] > max(around[0], around[2])
    fall = around[1] - np.array([likelihood(found.low), likelihood(found.high)])
    assert fall == pytest.approx([stats.chi2.ppf(0.95, 1) / 2] * 2, rel=1e-3)


usual = st.floats(-1e6, 1e6).map(lambda v: round(v, 6))


@settings(max_examples=60, deadline=None)
@given(st.lists(usual, min_size=3, max_size=40), st.sampled_from(NAMES))
def test_there_and_back_is_where_one_was(values, name):
    values = np.array(values)
    if why_not(name, values.min(), values.max()) or name in ("box_cox", "yeo_johnson", "log_offset"):
        return  # fitted powers of wild values have their own test
    transform = fit_transform(name, values, 1.0)
    images = transform.apply(values)
    assert transform.inverse(images) == pytest.approx(values, rel=1e-9, abs=1e-9)
    order = np.argsort(values, kind="stable")
    steps = np.diff(images[order])
    assert (steps <= 0).all() if name == "reciprocal" else (steps >= 0).all()


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(["box_cox", "yeo_johnson", "log_offset"]))
def test_fitted_powers_come_back_too(seed, name):
    r = np.random.default_rng(seed)
    values = r.gamma(r.uniform(0.5, 9), 3, 60) + 0.01 - (5 if name != "box_cox" else 0)
    transform = fit_transform(name, values, 1.0)
    images = transform.apply(values)
    assert transform.inverse(images) == pytest.approx(values, rel=1e-9, abs=1e-9)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.booleans())
def test_shape_and_distance_are_scipys(seed, tied):
    r = np.random.default_rng(seed)
    values = r.gamma(2, 3, 80) + 0.1
    values = np.round(values) + 1 if tied else values
    for seen in compare("x", values, rows(values)).usable:
        images = seen.transform.apply(values)
        assert seen.skewness == pytest.approx(stats.skew(images, bias=False), abs=1e-8)
        assert seen.excess_kurtosis == pytest.approx(stats.kurtosis(images, bias=False), abs=1e-8)
        standard = (images - images.mean()) / images.std(ddof=1)
        assert seen.distance == pytest.approx(stats.ks_1samp(standard, stats.norm.cdf).statistic, abs=1e-12)
        assert seen.counts.sum() == 80


def naive_share(x, y, fold, classes):
    """Fit a line on four folds and score the fifth, by SciPy's optimizer."""
    from scipy.optimize import minimize

    loss = base = 0.0
    for f in range(5):
        train, test = fold != f, fold == f
        if not classes:
            line = stats.linregress(x[train], y[train])
            loss += np.sum((y[test] - line.intercept - line.slope * x[test]) ** 2)
            base += np.sum((y[test] - y[train].mean()) ** 2)
            continue

        def nats(b, rows):
            return np.sum(np.logaddexp(0, b[0] + b[1] * x[rows]) - y[rows] * (b[0] + b[1] * x[rows]))

        loss += nats(minimize(nats, [0, 0], args=(train,), tol=1e-10).x, test)
        rate = (y[train].sum() + 0.5) / (train.sum() + 1)
        base -= np.sum(y[test] * np.log(rate) + (1 - y[test]) * np.log(1 - rate))
    return 1 - loss / base


@pytest.mark.parametrize("classes", [False, True])
def test_the_outcome_share_is_that_of_a_straight_line_on_rows_held_out(classes):
    r = np.random.default_rng(8)
    x = r.lognormal(0, 1, 600)
    z = np.log(x) + r.normal(size=600)
    y = np.where(z > 0.5, "yes", "no") if classes else z
    study = Study(pd.DataFrame({"x": x, "y": y}), outcome="y")
    table = study.transforms("x").table
    held = study._context.held_out
    folds = held.folds(np.argsort(np.argsort(x)), 1)
    fold = folds.fold_of_block[0][folds.blocks]
    target = (y == "yes").astype(float) if classes else y
    for name in ("as_is", "log", "sqrt"):
        images = fit_transform(name, x, 1.0).apply(x)
        scaled = (images - images.mean()) / images.std()
        assert table.loc[name, "outcome_share"] == pytest.approx(naive_share(scaled, target, fold, classes), abs=2e-4)
    assert table["outcome_share"].idxmax() in ("log", "box_cox", "log_offset", "yeo_johnson")
    assert [f.code for f in study.transforms("x").findings] == ["straighter-with"]


def test_three_classes_have_a_share_too_and_noise_has_none():
    r = np.random.default_rng(9)
    x = r.normal(size=3_000)
    y = np.digitize(x + r.normal(size=3_000), [-0.5, 0.8])
    frame = pd.DataFrame({"x": x, "noise": r.normal(size=3_000), "y": np.array(["a", "b", "c"])[y]})
    table = Study(frame, outcome="y").transforms().table
    assert table.loc["x", "outcome_share"] > 0.2
    assert abs(table.loc["noise", "outcome_share"]) < 0.005


RIGHT = {
    "lognormal": ({"log", "log1p", "box_cox"}, lambda r, n: r.lognormal(1, 1, n)),
    "gamma": ({"cube_root", "sqrt", "log1p", "box_cox"}, lambda r, n: r.gamma(2, 3, n)),
    "counts": ({"sqrt", "log1p", "log_offset"}, lambda r, n: r.poisson(1, n).astype(float)),
    "heavy": ({"rank_normal"}, lambda r, n: r.standard_t(2, n)),
    "two peaks": ({"as_is"}, lambda r, n: np.where(r.random(n) < 0.5, r.normal(0, 1, n), r.normal(6, 1, n))),
    "bounded": ({"as_is"}, lambda r, n: r.uniform(0, 1, n)),
    "normal": ({"as_is"}, lambda r, n: r.normal(20, 5, n)),
    "zeros": ({"log1p"}, lambda r, n: np.where(r.random(n) < 0.4, 0, r.lognormal(2, 1, n))),
    "left": ({"square", "box_cox"}, lambda r, n: r.beta(6, 1, n)),
}


@pytest.mark.parametrize("name", RIGHT)
@pytest.mark.parametrize("size", [400, 5_000])
def test_the_suggestion_fits_the_distribution(name, size):
    right, draw = RIGHT[name]
    found = []
    for seed in range(12):
        values = draw(np.random.default_rng([seed, size]), size)
        found.append(suggest(compare("x", values, rows(values)), (values, rows(values))).name)
    assert sum(f in right for f in found) >= 11, found


def test_what_no_transform_mends_is_said_and_slips_are_set_aside():
    r = np.random.default_rng(2)
    frame = pd.DataFrame(
        {
            "zeros": np.where(r.random(2_000) < 0.3, 0, r.lognormal(2, 1, 2_000)),
            "peaks": np.where(r.random(2_000) < 0.5, r.normal(5, 1, 2_000), r.normal(14, 1, 2_000)),
            "spike": np.where(r.random(2_000) < 0.4, 7.25, r.normal(7, 2, 2_000)),
            "slips": np.append(r.lognormal(3, 0.7, 1_997), [1e7, 2e7, 3e7]),
            "plain": r.normal(50, 5, 2_000),
        }
    )
    sheet = Study(frame).transforms()
    (never,) = [f for f in sheet.findings if f.code == "never-normal"]
    said = {name: e["cause"] for name, e in never.evidence["columns"].items()}
    assert said == {"zeros": "zeros", "peaks": "peaks", "spike": "spike"}
    assert sheet.suggested == {
        "zeros": "log1p", "peaks": "as_is", "spike": "as_is", "slips": "log", "plain": "as_is"
    }  # fmt: skip
    assert "3 values far out set aside" in sheet.table.loc["slips", "note"]


def test_the_contract_of_one_column_and_of_all(wintered):
    one = wintered.transforms("mites")
    assert list(one.table.index) == [
        "as_is", "log", "log1p", "sqrt", "cube_root", "reciprocal", "square", "box_cox", "yeo_johnson", "rank_normal",
        "log_offset",
    ]  # fmt: skip
    columns = ["usable", "parameter", "skewness", "excess_kurtosis", "distance", "outcome_share", "note"]
    assert list(one.table.columns) == columns
    assert one.suggested == "log1p"
    assert not one.table.loc["log", "usable"]
    assert one.table.loc["log", "note"] == "not usable: values at zero"
    assert "×2.72 of 1 + x" in one.table.loc["log1p", "note"]
    fitted = one.parameters
    assert (fitted["low"] <= fitted["parameter"]).all()
    assert (fitted["parameter"] <= fitted["high"]).all()
    sheet = wintered.transforms()
    assert sheet.suggested["mites"] == "log1p"
    assert sheet.table.loc["mites", "skewness_after"] == one.table.loc["log1p", "skewness"]
    assert wintered.transforms("mites", "humidity").table.index.tolist() == ["mites", "humidity"]
    json.dumps(one.to_dict(), allow_nan=False)


def test_every_planted_finding_is_found(wintered):
    items = [i for i in planted()["planted"] if i["step"] == "transforms"]
    found = {(f.code, c) for f in wintered.transforms().findings for c in f.columns}
    assert {(i["finding"], i["columns"][0]) for i in items} <= found
    assert len(items) == 2


def test_groups_are_looked_at_each_by_itself(wintered):
    view = wintered.transforms("frames_bees", by="altitude_band")
    assert view.groups.index.tolist() == ["low", "middle", "high"]
    assert set(view.by["group"]) == {"low", "middle", "high"}
    rows = wintered.where("altitude_band == 'low'").transforms("frames_bees").table.drop(columns="outcome_share")
    alone = view.by[view.by["group"] == "low"].drop(columns="group").set_index("transform")
    pd.testing.assert_frame_equal(alone, rows)


@pytest.mark.parametrize(
    ("column", "message"),
    [("forage", "only quantities"), ("inspected_on", "dates"), ("gone", "missing in every row")],
)
def test_what_is_no_number_is_refused(column, message, wintered):
    frame = wintered.to_frame().head(50).assign(gone=np.nan)
    with pytest.raises(OptionError, match=message):
        Study(frame, kinds={"gone": "continuous"}).transforms(column)


@pytest.mark.parametrize(
    "values",
    [
        [5.0] * 30,
        [1.0, 2.0] * 15,
        [1e150, -1e150, 3.0] * 10,
        [1 + 1e-14, 1.0, 1 - 1e-14] * 9,
        [0.0, *range(1, 9)],
        [4.0],
    ],
)
def test_odd_columns_have_a_table_and_a_picture(values):
    view = Study(pd.DataFrame({"x": values, "z": np.arange(len(values))}), kinds={"x": "continuous"}).transforms("x")
    assert len(view.table) == len(FORMS)
    assert view.suggested in NAMES
    assert view.draw().alternative
    assert str(view)


def test_the_command_and_its_picture(run, tmp_path):
    status, out, err = run("transforms", "demo", "mites", "-o", "wintered", "--out", "mites.png")
    assert status == 0, err
    assert "suggested: log1p" in out
    assert (tmp_path / "mites.png").stat().st_size > 10_000
    told = json.loads(run("transforms", "demo", "--json")[1])
    assert told["values"]["suggested"]["pollen_g"] == "sqrt"
    status, _, err = run("transforms", "demo", "--by", "fed")
    assert (status, "Name a column" in err) == (2, True)


def test_two_peaks_beside_values_far_out_are_said_with_where_they_lie():
    r = np.random.default_rng(3)
    x = np.concatenate([r.normal(20, 1, 400), r.normal(40, 1, 400), [9_999.0, 9_999.0]])
    view = Study(pd.DataFrame({"x": x})).transforms("x")
    never = next(f for f in view.findings if f.code == "never-normal")
    assert never.evidence["cause"] == "peaks"
    assert "near 20" in never.statement
    assert "40" in never.statement
