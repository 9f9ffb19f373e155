"""A proposal loses nothing by default: what could cost something is tried on rows held out first."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sklearn.linear_model import LogisticRegression, Ridge

from envelt import Preparation, Study
from envelt.core.proposal.blocks import bent, indicators, straight
from envelt.core.proposal.trial import Change, Trial, bearable
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.targets import ClassTarget, NumberTarget
from envelt.errors import OptionError

N = 900


def rng():
    return np.random.default_rng(24)


def dropped(preparation):
    return {c for o in preparation if o.name == "drop" for c in o.columns}


def transforms(preparation):
    return {c: o["transform"] for o in preparation if o.name == "reexpress" for c in o.columns}


def suggested(preparation):
    return {c: s.says for s in preparation.suggestions for c in s.columns}


def prices():
    """Prices by district, of which a district has thirty rows, and by a size that is told twice."""
    r = rng()
    district = r.integers(0, 30, N)
    size = r.lognormal(4, 0.5, N)
    price = r.normal(0, 8, 30)[district] + 10 * np.log(size) + r.normal(0, 1.5, N)
    return pd.DataFrame({
        "district": [f"district {d:02d}" for d in district], "size": size,
        "size_again": size * r.normal(1, 0.002, N), "noise": r.normal(size=N), "price": price,
    })  # fmt: skip


def test_what_carries_much_is_kept_and_what_says_it_twice_is_not():
    proposed = Study(prices(), outcome="price").preparation()
    assert "district" not in dropped(proposed)
    assert len(dropped(proposed) & {"size", "size_again"}) == 1
    assert "log" in transforms(proposed)[next(iter({"size", "size_again"} - dropped(proposed)))]


def test_what_would_cost_is_no_operation_but_said_with_its_figures():
    frame = prices()
    frame["valued"] = frame["price"] + rng().normal(0, 0.5, N)  # all but the outcome, and yet it may be known before
    proposed = Study(frame, outcome="price").preparation()
    assert "valued" not in dropped(proposed)
    assert "of R²" in suggested(proposed)["valued"]
    again = Preparation.from_dict(proposed.to_dict())
    assert again.suggestions == proposed.suggestions
    assert "For you to say" in repr(again)


def test_nothing_is_dropped_without_an_outcome_but_what_holds_nothing():
    frame = prices().drop(columns="price").assign(one="x", row=[f"r{i}" for i in range(N)])
    proposed = Study(frame).preparation()
    assert dropped(proposed) == {"one", "row"}
    assert "size" in suggested(proposed) or "size_again" in suggested(proposed)


def test_transforms_are_taken_where_a_line_gains_and_not_for_a_shape():
    r = rng()
    x, z = r.lognormal(0, 1, N), r.lognormal(0, 1, N)
    frame = pd.DataFrame({"by_log": x, "by_itself": z, "y": 3 * np.log(x) + z + r.normal(0, 0.5, N)})
    study = Study(frame, outcome="y")
    assert transforms(study.preparation()) == {"by_log": "log"}
    trees = study.preparation(for_model="trees")
    assert not {"reexpress", "rescale"} & {o.name for o in trees}
    with pytest.raises(OptionError, match="for_model='linear' or 'trees'"):
        study.preparation(for_model="tree")


def test_a_gap_that_tells_gets_a_column_and_one_that_does_not_gets_none():
    r = rng()
    frame = pd.DataFrame({"a": r.normal(size=N), "b": r.normal(size=N)})
    gone = r.random(N) < 0.3
    frame["y"] = np.where(r.random(N) < np.where(gone, 0.8, 0.3), "yes", "no")
    frame.loc[gone, "a"] = np.nan
    frame.loc[r.random(N) < 0.3, "b"] = np.nan
    flagged = {c for o in Study(frame, outcome="y").preparation() if o.name == "fill" and o["flag"] for c in o.columns}
    assert flagged == {"a"}


def test_grades_get_a_column_each_where_their_steps_are_unlike():
    r = rng()
    grade = r.integers(1, 5, N)
    even, odd = grade * 1.0, np.array([0.0, 5.0, -3.0, 1.0])[grade - 1]
    for y, using in ((even, "ordered"), (odd, "levels")):
        frame = pd.DataFrame({"grade": grade, "x": r.normal(size=N), "y": y + r.normal(0, 0.5, N)})
        proposed = Study(frame, outcome="y", kinds={"grade": "ordinal"}).preparation()
        assert [o["using"] for o in proposed if o.name == "encode"] == [using]


def test_a_likely_unit_is_kept_and_asked_about():
    r = rng()
    hive = np.repeat(np.arange(75), 12)
    frame = pd.DataFrame(
        {"hive": [f"hive {h}" for h in hive], "age": r.integers(1, 9, 75)[hive], "x": r.normal(size=N)}
    )
    frame["y"] = r.normal(0, 2, 75)[hive] + r.normal(size=N)
    frame["site"] = r.choice(list("abcd"), 75)[hive]
    study = Study(frame, outcome="y")
    assert "likely-unit" in [f.code for f in study.inventory().findings]
    proposed = study.preparation()
    assert "hive" not in dropped(proposed)
    assert "unit=hive" in suggested(proposed)["hive"]
    assert "hive" not in suggested(Study(frame, outcome="y", unit="hive").preparation())


def test_dates_give_the_parts_that_vary():
    r = rng()
    weekly = pd.Timestamp("2021-01-04") + pd.to_timedelta(7 * r.integers(0, 150, N), "D")
    clock = pd.Timestamp("2021-01-04") + pd.to_timedelta(r.integers(0, 90_000, N), "min")
    frame = pd.DataFrame({"weekly": weekly, "clock": clock, "y": r.normal(size=N)})
    parts = {
        c: o["parts"] for o in Study(frame, outcome="y").preparation() if o.name == "parts_of_date" for c in o.columns
    }
    assert parts == {"weekly": ["month", "days_since"], "clock": ["month", "days_since", "weekday", "hour"]}


def test_a_part_of_the_rows_has_the_event_of_all_and_kinds_of_its_own():
    r = rng()
    frame = pd.DataFrame({
        "at": np.arange(N) * 1.5, "y": r.permutation(np.repeat(["a", "b"], [N // 2 + 2, N // 2 - 2])),
        "x": [f"{v:.3f}" for v in r.normal(size=N)],
    })  # fmt: skip
    frame.loc[N - 120 :, "x"] = [f"bad {k % 9}" for k in range(120)]  # texts that stand in the test rows only
    study = Study(frame, outcome="y")
    assert study.table["x"].kind != "continuous"
    for seed in range(6):
        first, second = Study(frame, outcome="y", seed=seed).split(0.3)
        assert first.outcome.event == second.outcome.event == study.outcome.event
    training, test = study.split(0.25, by="at")
    assert training.table["x"].kind == "continuous"
    assert test.table["x"].kind != "continuous"


def test_of_many_rows_a_part_is_looked_at_and_said():
    r = rng()
    n = 100_400
    frame = pd.DataFrame({"x": r.normal(size=n), "y": r.choice(["a", "b"], n)})
    proposed = Study(frame, outcome="y").preparation()
    assert proposed.event == Study(frame, outcome="y").outcome.event
    assert proposed.suggestions[0].says.startswith("This was proposed from 100,000 of 100,400 rows")


def test_the_unit_is_no_feature_that_others_are_weighed_beside():
    r = rng()
    unit = np.repeat(np.arange(90), 10)
    level = r.normal(0, 2, 90)[unit]
    frame = pd.DataFrame({"unit": unit, "x": level + r.normal(0, 0.3, N), "y": level + r.normal(0, 0.5, N)})
    frame["twice"] = frame["x"] + r.normal(0, 0.02, N)
    proposed = Study(frame, outcome="y", unit="unit").preparation()
    assert len(dropped(proposed) & {"x", "twice"}) == 1
    assert proposed.unit == "unit"


def test_codes_a_letter_apart_are_not_joined():
    r = rng()
    code = r.choice(["2000F", "2000J", "1100F"], N, p=[0.7, 0.02, 0.28])
    frame = pd.DataFrame({"code": code, "y": r.choice(["no", "yes"], N)})
    assert not [o for o in Study(frame, outcome="y").preparation() if o.name == "replace"]


def test_the_order_of_rows_and_columns_changes_no_proposal():
    frame = prices()
    other = frame.sample(frac=1, random_state=3)[["noise", "size_again", "price", "district", "size"]]
    first, second = (Study(f, outcome="price").preparation() for f in (frame, other))
    assert {(o.name, *sorted(o.columns)) for o in first} == {(o.name, *sorted(o.columns)) for o in second}


# --- the model behind it ------------------------------------------------------------------------------


def halves(n):
    return np.arange(n) % 5


def test_losses_are_those_of_ridge_regression_on_rows_held_out():
    r = rng()
    a, b = straight(r.normal(size=200)), bent(r.lognormal(size=200), 3)
    target = NumberTarget.of(a[:, 0] + b[:, 0] ** 2 + r.normal(size=200))
    trial = Trial({("a", "values"): a, ("b", "values"): b}, target, halves(200), Sampling.of_rows(200), [])
    keys = [("a", "values"), ("b", "values")]
    expected = np.empty(200)
    x = np.concatenate((a, b), axis=1)
    for fold in range(5):
        inside = halves(200) == fold
        model = Ridge(alpha=1.0).fit(x[~inside], target.values[~inside])
        expected[inside] = (target.values[inside] - model.predict(x[inside])) ** 2
    assert np.sort(trial.losses(keys)) == pytest.approx(np.sort(expected), rel=1e-6)
    alone = trial.change(keys, keys[:1])
    away = trial.losses(keys[:1]) - trial.losses(keys)
    assert alone.error == pytest.approx(away.std() / np.sqrt(200) / trial.base)
    assert alone.cost == pytest.approx((trial.losses(keys[:1]) - trial.losses(keys)).mean() / trial.base)


def test_a_bend_is_flat_below_its_knot_and_straight_above():
    x = rng().lognormal(size=301)
    line, hinge = bent(x, 1).T
    below = x <= np.median(x)
    assert np.ptp(hinge[below]) == pytest.approx(0, abs=1e-12)
    assert np.corrcoef(hinge[~below], line[~below])[0, 1] == pytest.approx(1)


def test_a_change_may_cost_next_to_nothing_and_little_of_its_noise():
    assert bearable(Change(0.0004, 0.0))
    assert bearable(Change(-0.01, 0.001))
    assert bearable(Change(0.002, 0.01))
    assert not bearable(Change(0.003, 0.01))
    assert not bearable(Change(0.0006, 0.0))


def test_no_column_gains_more_than_is_said_before_rows_are_looked_at():
    r = rng()
    x = [r.normal(size=300) for _ in range(4)]
    target = NumberTarget.of(x[0] + 0.3 * x[2] ** 2 + r.normal(size=300))
    blocks = {(str(i), "values"): straight(v) for i, v in enumerate(x)} | {("2", "square"): straight(x[2] ** 2)}
    trial = Trial(blocks, target, halves(300), Sampling.of_rows(300), [])
    now = [(str(i), "values") for i in range(4)]
    base = float(target.values @ target.values)

    def fitted(names):
        design = np.concatenate([blocks[n] for n in names], axis=1)
        model = Ridge(alpha=1.0).fit(design, target.values)
        return float(np.sum((target.values - model.predict(design)) ** 2) + model.coef_ @ model.coef_)

    gained = (fitted(now) - fitted([*now, ("2", "square")])) / base
    (said,) = trial.most_gained(now, [("2", "square")])
    assert said == pytest.approx(gained, rel=0.05)
    assert said > (fitted(now) - fitted([*now[:2], now[3], ("2", "square")])) / base


def test_classes_start_from_logistic_regression_and_one_step_is_near_the_whole_way():
    r = rng()
    x = np.stack([r.normal(size=600) for _ in range(3)], axis=1)
    y = (r.random(600) < 1 / (1 + np.exp(-x @ [1.0, -0.5, 0.0]))).astype(np.int64)
    blocks = {(n, "values"): straight(x[:, i]) for i, n in enumerate("abc")}
    trial = Trial(blocks, ClassTarget(y, 2), halves(600), Sampling.of_rows(600), list(blocks))
    expected = np.empty(600)
    design = np.concatenate(list(blocks.values()), axis=1)
    for fold in range(5):
        inside = halves(600) == fold
        model = LogisticRegression(C=1.0, tol=1e-10).fit(design[~inside], y[~inside])
        expected[inside] = -np.log(model.predict_proba(design[inside])[np.arange(inside.sum()), y[inside]])
    assert trial.losses(list(blocks)).mean() == pytest.approx(expected.mean(), rel=2e-3)
    whole = LogisticRegression(C=1.0, tol=1e-10).fit(design, y).decision_function(design)
    by_fold = np.argsort(halves(600), kind="stable")
    assert trial._whole(y[by_fold].astype(float), list(blocks)) == pytest.approx(whole[by_fold], abs=1e-2)
    shares = np.array([y[halves(600) != fold].mean() for fold in halves(600)])
    assert trial.base == pytest.approx(-np.log(np.where(y, shares, 1 - shares)).mean())
    assert trial.change(list(blocks), [("a", "values"), ("b", "values")]).cost < 0.002 < trial.change(
        list(blocks), [("b", "values"), ("c", "values")]).cost  # fmt: skip


@settings(max_examples=25, deadline=None)
@given(st.integers(2, 12), st.integers(30, 200), st.integers(0, 2**32 - 1))
def test_indicators_hold_each_row_once_at_most(levels, n, seed):
    codes = np.random.default_rng(seed).integers(-1, levels, n)
    made = indicators(codes, levels)
    assert made.shape[0] == n
    assert set(np.unique(made)) <= {0.0, 1.0}
    assert (made.sum(axis=1) <= 1).all()
    assert (made.sum(axis=0) >= 10).all()
