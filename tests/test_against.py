"""One candidate against the outcome, alone and within parts, and all candidates at a glance."""

import numpy as np
import pandas as pd
import pytest
from scipy import stats

from envelt import Study
from envelt.core.against.by_number import shrunken_means
from envelt.core.stats.form import relation_form
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.of_rows.two_groups import kruskal_wallis_of_two, rank_pair
from envelt.core.stats.shrinkage import shrunken_levels
from envelt.errors import OptionError, OutcomeError
from samples import rows


def rng(seed=0):
    return np.random.default_rng(seed)


def made(n=1200, seed=0):
    r = rng(seed)
    x = r.normal(size=n)
    frame = pd.DataFrame(
        {
            "x": x,
            "bent": r.normal(size=n),
            "count": r.poisson(3, n),
            "place": r.choice(["hill", "mill", "till"], n, p=[0.6, 0.3, 0.1]),
            "when": pd.Timestamp("2024-01-01") + pd.to_timedelta(r.integers(0, 700, n), "D"),
            "side": r.choice(["left", "right"], n),
            "key": [f"k{i}" for i in range(n)],
        }
    )
    score = x + 0.8 * (frame["place"] == "mill") + (frame["bent"] ** 2 - 1)
    frame["honey"] = score + r.normal(size=n)
    frame["wintered"] = np.where(r.random(n) < 1 / (1 + np.exp(-score)), "yes", "no")
    return frame


@pytest.mark.parametrize(("n1", "n2"), [(1, 9), (40, 300), (2000, 700), (3, 3)])
@pytest.mark.parametrize("step", [0, 1])
def test_groups_placed_in_each_other_by_blocks_are_placed_as_one_by_one(n1, n2, step):
    r = rng(n1 + n2 + step)
    a, b = (np.sort(np.round(r.normal(m, 3, n)) if step else r.normal(m, 3, n)) for m, n in ((0, n1), (1, n2)))
    pair = rank_pair(a, b)
    below = lambda x, y: ((y[None, :] < x[:, None]).sum(axis=1) + (y[None, :] <= x[:, None]).sum(axis=1)) / 2  # noqa: E731
    assert pair.first_in_second.tolist() == below(a, b).tolist()
    assert pair.second_in_first.tolist() == below(b, a).tolist()
    pooled = np.r_[a, b]
    counts = np.unique(pooled, return_counts=True)[1].astype(float)
    assert pair.ties == np.sum(counts**3 - counts)
    shares = np.linspace(0, 1, 11)
    assert pair.quantiles(shares) == pytest.approx(np.quantile(pooled, shares), abs=1e-12)
    if len(np.unique(pooled)) > 1:
        assert kruskal_wallis_of_two(pair) == pytest.approx(stats.kruskal(a, b).statistic, rel=1e-9, abs=1e-12)


def test_a_number_by_class_has_rates_a_cut_and_the_distribution():
    frame = made()
    view = Study(frame, outcome="wintered").against("x")
    assert list(view.tables)[:5] == ["table", "rates", "cut", "tests", "effects"]
    assert {"bins", "density", "top_values", "outliers"} < set(view.tables)
    assert view.rates["n"].sum() == len(frame)
    row = view.cut.iloc[0]
    assert row["event_is"] == "above"
    assert row["cut_low"] <= row["cut"] <= row["cut_high"]
    assert row["balanced_accuracy"] == pytest.approx((row["sensitivity"] + row["specificity"]) / 2)
    held = frame["x"] >= row["cut"]
    in_sample = (held[frame["wintered"] == "yes"].mean() + (~held)[frame["wintered"] == "no"].mean()) / 2
    assert row["balanced_accuracy"] <= in_sample + 0.002  # rows not used to find it cannot flatter it


def test_pictures_of_one_candidate_can_be_chosen_and_need_the_outcome_only_for_against():
    study = Study(made(), outcome="wintered")
    for picture in ("box", "violin", "density", "qq", "cumulative", "dots", "interval"):
        assert picture.capitalize() in study.against("x", picture=picture).draw().alternative
    with pytest.raises(OptionError, match="levels against classes are shown as rates"):
        study.against("place", picture="density")
    with pytest.raises(OptionError, match="Name a candidate"):
        study.against(picture="box")
    with pytest.raises(OutcomeError, match="outcome itself"):
        study.against("x", by="wintered")
    assert Study(made()).distribution("x").table.loc["all", "n"] == 1200


@pytest.mark.parametrize("outcome", ["wintered", "honey"])
@pytest.mark.parametrize("candidate", ["x", "place", "when"])
def test_parts_are_what_the_rows_of_each_part_give_alone(outcome, candidate):
    frame = made(seed=3)
    whole = Study(frame, outcome=outcome).against(candidate, by="side")
    assert whole.by.index.tolist() == sorted(whole.by.index, key=whole.by.index.tolist().index)
    for side in ("left", "right"):
        alone = Study(frame, outcome=outcome).where(f"side == '{side}'").against(candidate)
        row = whole.by.loc[side]
        effect = alone.effects.loc[row["effect"]]
        assert row["n"] == (frame["side"] == side).sum()
        assert row[["estimate", "low", "high"]].tolist() == pytest.approx(effect.tolist(), nan_ok=True)
    whole.picture()


def test_levels_are_shrunk_towards_the_whole_by_their_rows():
    r = rng(5)
    n = np.array([400, 300, 200, 3])
    codes = np.repeat(range(4), n)
    y = r.normal(np.array([0.0, 0.5, 1.0, 0.4])[codes], 1)
    y[-3:] = [1.9, 2.2, 1.0]
    comparison = GroupedRows(y, codes, ("a", "b", "c", "few"), rows(y))
    shrunken = shrunken_means(comparison)
    means = comparison.summary.moments.mean
    assert means.argmax() == 3
    assert abs(shrunken[3] - means[3]) > 0.3 * abs(means[3] - y.mean())
    assert shrunken[:3] == pytest.approx(means[:3], abs=0.05)
    noise = shrunken_levels(np.full(30, 20), r.normal(0, 1 / np.sqrt(20), 30) * 0.5, 0.0, 1.0)
    assert np.ptp(noise) == 0  # levels that differ less than chance makes them are all the whole


def test_small_levels_top_no_list_of_means():
    r = rng(6)
    frame = pd.DataFrame({"place": ["mill"] * 200 + ["hill"] * 200 + ["pond"] * 3, "y": r.normal(0, 1, 403)})
    frame.loc[400:, "y"] = [1.4, 1.5, 1.6]
    frame.loc[:199, "y"] += 0.9
    view = Study(frame, outcome="y").against("place")
    assert view.table["mean"].idxmax() == "pond"
    assert "last and hollow, at the shrunken mean: 1 level of under 10 rows" in view.about
    assert view.shown["table"].frame.index.tolist() == ["mill", "hill", "pond"]


def test_forms_that_only_the_other_side_shows():
    r = rng(8)
    z = r.normal(size=2000)
    boomerang = z**2 + 0.1 * r.normal(size=2000)
    assert relation_form(boomerang, z, rows(z)) == "curved"
    assert relation_form(z, boomerang, rows(z)) == "curved"
    assert relation_form(z, np.zeros(2000), rows(z)) == "none"
    assert relation_form(z[:12], boomerang[:12], rows(z[:12])) == "not decided"  # too few rows to say


@pytest.mark.parametrize("outcome", ["wintered", "honey"])
def test_the_glance_agrees_with_each_candidate_and_leaves_row_names_out(outcome):
    frame = made(seed=9)
    study = Study(frame, outcome=outcome)
    view = study.against()
    table = view.table
    assert set(table.index) == set(study.candidates)
    assert table.loc["key", "measure"] == "none"
    assert np.isnan(table.loc["key", "q"])
    assert (table["q"].dropna() >= table["p"].dropna()).all()
    one = study.against("x").effects
    measure = "hedges_g" if outcome == "wintered" else "spearman"
    assert table.loc["x", ["estimate", "low", "high"]].tolist() == pytest.approx(one.loc[measure].tolist())
    assert table.loc["place", "highest"] == "mill"
    assert table.loc["bent", "association"] > 0.2  # no trend, seen all the same
    assert "bent" in view.first
    assert table.loc["place", "estimate"] == pytest.approx(table.loc["place", "high"] - table.loc["place", "low"])
    v = study.against("place").effects.loc["cramers_v" if outcome == "wintered" else "omega_squared", "estimate"]
    assert table.loc["place", "association"] == pytest.approx(v if outcome == "wintered" else np.sqrt(v))


def test_the_glance_of_more_classes_is_of_the_event_and_holds_the_group_tables():
    frame = made(seed=10)
    frame["state"] = np.where(frame["x"] > 1, "high", np.where(frame["x"] < -1, "low", "middle"))
    view = Study(frame, outcome="state", event="high").against()
    event, rest = frame.loc[frame["state"] == "high", "bent"], frame.loc[frame["state"] != "high", "bent"]
    pooled = np.sqrt((event.var() + rest.var()) / 2)
    assert view.table.loc["bent", "estimate"] == pytest.approx((event.mean() - rest.mean()) / pooled, rel=0.01)
    assert view.groups.loc["x", "n"].sum() == len(frame)
    assert view.table.loc["x", "association"] == view.table["association"].max()


def test_a_glance_by_units_counts_units():
    frame = made(seed=11)
    twice = pd.concat([frame.assign(case=range(len(frame)))] * 2, ignore_index=True)
    once = Study(frame, outcome="wintered").against().table
    units = Study(twice, outcome="wintered", unit="case").against().table
    for name in ("x", "place"):
        z = [stats.norm.isf(t.loc[name, "p"] / 2) for t in (units, once)]
        assert z[0] == pytest.approx(z[1], rel=0.05)  # other estimates of the same variance
        assert units.loc[name, "n"] == 2 * once.loc[name, "n"]
    width = (units["high"] - units["low"]) / (once["high"] - once["low"])
    assert width["x"] == pytest.approx(1, abs=0.02)


def test_dates_against_numbers_and_classes_run_over_the_calendar():
    frame = made(seed=12)
    numbers = Study(frame, outcome="honey").against("when")
    months = frame.groupby(frame["when"].dt.to_period("M"))["honey"].agg(["count", "mean"])
    assert numbers.table["n"].tolist() == months["count"].tolist()
    assert numbers.table["mean"].tolist() == pytest.approx(months["mean"].tolist())
    classes = Study(frame, outcome="wintered").against("when")
    assert classes.rates["n"].tolist() == months["count"].tolist()
    assert classes.rates.index[0] == str(months.index[0].start_time.date())
    assert "cut" not in classes.tables


@pytest.mark.parametrize("numeric", [False, True])
def test_all_candidates_name_bends_and_turns_and_confirm_them_on_every_row(numeric):
    r = rng(8)
    n = 120_000  # more rows than are looked at first
    third = r.integers(0, 3, n)
    x = r.random(n) < np.array([0.15, 0.5, 0.85])[third]
    bent = r.normal(size=n)
    score = -1.2 * third + 0.5 * x - 0.5 * bent**2
    y = score + r.normal(size=n) if numeric else np.where(r.random(n) < 1 / (1 + np.exp(-score - 1)), "yes", "no")
    frame = pd.DataFrame({"x": np.where(x, "b", "a"), "third": np.array(["k", "l", "m"])[third], "bent": bent, "y": y})
    frame["noise"] = r.normal(size=n)
    study = Study(frame, outcome="y")
    turn, bend = study.against().findings
    assert (turn.code, turn.columns) == ("turns-round", ("x", "third", "y"))
    gap = frame.assign(y=y if numeric else np.equal(y, "yes")).groupby("x")["y"].mean()
    assert turn.evidence["overall"][0] == pytest.approx(gap["b"] - gap["a"])
    assert (bend.code, bend.columns) == ("bend-without-trend", ("bent", "y"))
    assert "an optimum in the middle" in bend.statement
    assert bend == study.against("bent").findings[0]
    assert [f for f in study.against("x").findings if f.code == "turns-round"] == [turn]
    assert [f for f in study.contingency("x").findings if f.code == "turns-round"] == [turn]
    within = [f for f in study.against("x", by="third").findings if f.code == "turns-round"]
    assert [f.columns for f in within] == [("x", "third", "y")]  # and is told for the groups that were asked about
    assert np.sign(within[0].evidence["pooled"][0] - (not numeric)) == 1


def test_repeating_rows_as_units_changes_no_correlation_with_a_number_or_a_date():
    frame = made(n=300)
    frame["unit"] = range(len(frame))
    four = pd.concat([frame] * 4, ignore_index=True)
    for candidate in ("bent", "when"):
        once = Study(frame.drop(columns="unit"), outcome="honey").against(candidate)
        units = Study(four, outcome="honey", unit="unit").against(candidate)
        rows = Study(four.drop(columns="unit"), outcome="honey").against(candidate)
        # the interval and the test are those of one copy, but for the estimate of the variance
        assert units.tests.loc["spearman", "p"] == pytest.approx(once.tests.loc["spearman", "p"], abs=0.04)
        assert units.effects.loc["spearman"].tolist() == pytest.approx(once.effects.loc["spearman"].tolist(), abs=0.02)
        assert rows.tests.loc["spearman", "p"] < units.tests.loc["spearman", "p"]


def test_repeating_rows_as_units_turns_nothing_more_round():
    r = rng(31)
    n = 300
    third = r.integers(0, 3, n)
    x = r.random(n) < np.array([0.2, 0.5, 0.8])[third]
    y = r.random(n) < 1 / (1 + np.exp(1.4 * third - 0.5 * x - 1.0))
    frame = pd.DataFrame(
        {"x": np.where(x, "b", "a"), "third": np.array(["k", "l", "m"])[third], "y": y, "unit": range(n)}
    )
    four = pd.concat([frame] * 4, ignore_index=True)
    turns = lambda f, **o: [g for g in Study(f, outcome="y", **o).against().findings if g.code == "turns-round"]  # noqa: E731
    assert turns(frame.drop(columns="unit")) == []  # too few rows to be sure
    assert len(turns(four.drop(columns="unit"))) == 1  # as if there were four times as many
    assert turns(four, unit="unit") == []


def test_the_spread_of_levels_lies_between_their_rates_and_that_of_all_rows(wintered):
    table = wintered.against().table
    assert table.loc["forage", "estimate"] == 0  # its levels differ by no more than chance: all are drawn to one
    for name in table.index[table["measure"] == "spread"]:
        rates = wintered.against(name).rates
        every = rates["events"].sum() / rates["n"].sum()
        low, high = table.loc[name, ["low", "high"]]
        assert rates["rate"].min() - 1e-12 <= low <= every + 1e-12
        assert every - 1e-12 <= high <= rates["rate"].max() + 1e-12
        if table.loc[name, "estimate"] == 0:
            assert [low, high] == pytest.approx([every, every])


@pytest.mark.parametrize("up", [True, False])
@pytest.mark.parametrize("none", [True, False])
def test_a_stretch_without_the_event_or_with_nothing_else_is_told_to_its_very_end(up, none):
    r = rng(31)
    x = np.round(r.normal(50, 12, 700), 0)
    edge = 62
    far = x >= edge
    event = np.where(far, not none, r.random(700) < 0.4)
    event[np.flatnonzero(x == edge - 1)[0]] = none  # the row beside it is otherwise
    frame = pd.DataFrame({"x": x if up else -x, "y": np.where(event, "yes", "no")})
    (f,) = [f for f in Study(frame, outcome="y").against().findings if f.code == "step-to-none"]
    rest = (event[~far] if none else ~event[~far]).mean()
    assert (f.evidence["rows"], f.evidence["at"]) == (far.sum(), edge if up else -edge)
    assert f.evidence["rest"] == pytest.approx(rest)
    assert f.evidence["expected"] == pytest.approx(far.sum() * rest)
    few = "or more" if up else "or less"
    who = f"{far.sum()} rows with x of {'' if up else '-'}{edge} {few}"
    share = rest if none else 1 - rest
    assert f.statement.replace("−", "-") == (
        f"{f'None of the {who} is' if none else f'The {who} are all'} 'yes'; of the others {share:.0%}."
    )
    assert [g.statement for g in Study(frame, outcome="y").against("x").findings if g.code == f.code] == [f.statement]


def test_levels_without_the_event_are_told_and_units_or_few_rows_are_not():
    r = rng(32)
    place = r.choice(["hill", "mill", "till", "rill"], 900, p=[0.5, 0.3, 0.15, 0.05])
    event = (r.random(900) < 0.3) & (place != "till") & (place != "rill")
    frame = pd.DataFrame({"place": place, "y": np.where(event, "yes", "no"), "x": r.normal(size=900)})
    said = lambda frame, **o: [f for f in Study(frame, outcome="y", **o).against().findings if f.code == "step-to-none"]  # noqa: E731
    (f,) = said(frame)
    at = np.isin(place, ["till", "rill"])
    assert f.evidence["rows"] == at.sum()
    assert f.evidence["rest"] == pytest.approx(event[~at].mean())
    few = frame[(place != "till") & ((place != "rill") | (np.cumsum(place == "rill") < 20))]
    assert said(few) == []  # 19 rows, of which six would have it
    # of 30 units of 30 rows that say one thing each, ten in a row say no by chance
    unit = np.repeat(np.arange(30), 30)
    u = pd.DataFrame({"hive": unit + 500, "x": r.normal(size=30)[unit] + 0.01 * r.normal(size=900)})
    u["y"] = np.where((r.random(30) < 0.3)[unit], "yes", "no")
    u.loc[u["x"] > np.sort(u["x"].groupby(unit).mean())[-5], "y"] = "no"
    assert said(u.drop(columns="hive")) != []
    assert said(u) == []  # the hive is likely the unit
    assert said(u, unit="hive") == []
