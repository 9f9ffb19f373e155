"""Numbers against their definitions, written out: by units, within groups, at a glance, along lines, together."""

from itertools import combinations

import numpy as np
import pandas as pd
import pytest
from scipy import optimize, stats

from envelt import Preparation, Study
from envelt.core import thresholds as T
from envelt.core.against.shape import bend_finding
from envelt.core.columns.coarse import Coarse
from envelt.core.columns.grouping import Grouping
from envelt.core.embed import quality
from envelt.core.relations.findings import _agreeing
from envelt.core.stats import cut, held_out_line, heldout
from envelt.core.stats.alike import too_alike
from envelt.core.stats.between import share_error
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.explained import explained_share, ratio_within
from envelt.core.stats.folds import deal, hash_blocks
from envelt.core.stats.group_pairs import all_pairs
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.mantel_haenszel import stratified_rates
from envelt.core.stats.of_rows.many_groups import epsilon_squared
from envelt.core.stats.of_rows.tables import chi_square_sparse
from envelt.core.stats.of_units.pairs import UnitsByLevels
from envelt.core.stats.of_units.spread import spread_of
from envelt.core.stats.of_units.tables import between_cells, effective_rows
from envelt.core.stats.rates import BinEnds, calendar_rate_bins
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.straight import not_straight
from envelt.core.stats.stratified import cochran_q, unbiased_totals
from envelt.core.stats.targets import ClassTarget, NumberTarget
from envelt.core.stats.within_groups import stratified_means, stratified_slope
from envelt.core.within.groups import levels_within, number_within, slope_within, within_findings
from envelt.core.within.joint import scores_of, slope_along, slopes_of_each, surely
from envelt.core.within.rule import ONLY, TURNS, VANISHES, Demands, Relation, becomes, least_points
from samples import rows, told_of
from test_formulas import box_f

UNITS = np.repeat(np.arange(40), 8)


def clustered(seed, n=320):
    """Groups, sides and numbers of rows of which eight make a unit."""
    r = np.random.default_rng(seed)
    group = (UNITS + r.integers(0, 2, n)) % 4
    side = (r.random(n) < 0.3 + 0.1 * group).astype(np.int64)
    shared = r.normal(size=40)[UNITS]
    return r, group, side, shared + r.normal(size=n)


def test_what_a_group_lost_with_its_mean_is_given_back_to_each_unit():
    _, group, _, y = clustered(1)
    pairs = UnitsByLevels.of(UNITS, group, (40, 4))
    made = unbiased_totals(pairs, y)
    for k, (u, g) in enumerate(zip(pairs.unit, pairs.level, strict=True)):
        own = (u == UNITS) & (group == g)
        share = own.sum() / (group == g).sum()
        assert made[k] == pytest.approx(y[own].sum() / np.sqrt(1 - share))


@pytest.mark.parametrize("alone", [False, True])
def test_the_slope_within_groups_without_each_unit_is_fitted_anew(alone):
    r, group, _, y = clustered(2)
    group = np.where(alone & (UNITS == 0), 4, group)  # a unit that is a group by itself goes with it
    x = r.gamma(2, 1, 320) + group
    y = y + 0.3 * x + group

    def slope(keep, grouped=True):
        labels = group[keep] if grouped else np.zeros(keep.sum())
        frame = pd.DataFrame({"x": x[keep], "y": y[keep]})
        away = frame - frame.groupby(labels).transform("mean")
        return float((away["x"] @ away["y"]) / (away["x"] @ away["x"]))

    made = stratified_slope(x, y, group, Sampling.of_units(UNITS))
    for grouped, shown in ((True, made.pooled), (False, made.crude)):
        without = np.array([slope(u != UNITS, grouped) for u in range(40)])
        error = np.sqrt(39 / 40 * np.sum((without - without.mean()) ** 2))
        assert shown.estimate == pytest.approx(slope(UNITS >= 0, grouped))
        assert (shown.high - shown.low) / 2 >= stats.t.ppf(0.975, 39) * error * 0.9999  # fewer degrees of freedom
        assert (shown.high - shown.low) / 2 < stats.t.ppf(0.975, 10) * error
    apart = np.array([slope(u != UNITS, False) - slope(u != UNITS) for u in range(40)])
    z = (made.crude.estimate - made.pooled.estimate) / np.sqrt(39 / 40 * np.sum((apart - apart.mean()) ** 2))
    assert made.change == pytest.approx((z, 2 * stats.t.sf(abs(z), 39)))


def test_how_units_spread_is_the_covariance_of_their_sums():
    r = np.random.default_rng(3)
    parts = r.normal(size=(30, 5)) * np.array([3, 1, 1, 0.5, 0.1]) + r.normal(size=(30, 1))
    made = spread_of([(1.0, parts)], 5)
    covariance = 30 * np.cov(parts.T)
    assert made.length == pytest.approx(np.sum(parts.sum(axis=0) ** 2))
    assert made.mean == pytest.approx(np.trace(covariance))
    away = parts - parts.mean(axis=0)
    products = away @ away.T
    beside = (np.sum(products**2) - np.sum(np.diag(products) ** 2)) / (30 * 29)
    squared = beside * 30 * 30 * (30 / 29) ** 2  # tr(C²), free of what each unit adds with itself
    df = made.mean**2 / max(squared, made.mean**2 / 5)
    assert made.df == pytest.approx(max(df, 1))
    own = np.sum(away**2, axis=1)
    known = 2 * made.mean**2 / (np.sum((own - own.mean()) ** 2) * (30 / 29) ** 3)
    assert made.df_within == pytest.approx(max(min(made.df * 29, known), 1))
    f = made.length / made.mean
    assert made.test == pytest.approx((f, stats.f.sf(f, made.df, made.df_within)))
    one = spread_of([(1.0, parts[:, :1])], 1)
    assert one.df == 1
    assert one.df_within <= 29
    assert np.isnan(spread_of([(1.0, parts[:2])], 5).test.p)


def test_cells_by_units_are_what_chi_square_sums():
    _, group, side, _ = clustered(4)
    made = between_cells(group, side, (4, 2), UNITS, 40)
    table = pd.crosstab(group, side).to_numpy()
    assert made.length == pytest.approx(320 * stats.chi2_contingency(table, correction=False).statistic)
    p, q = table.sum(axis=1) / 320, table.sum(axis=0) / 320
    parts = np.array([
        [sum(((group == a) - p[a]) [u == UNITS] * ((side == b) - q[b])[u == UNITS]) / np.sqrt(p[a] * q[b])
         for a in range(4) for b in range(2)] for u in range(40)
    ])  # fmt: skip
    assert made.mean == pytest.approx(np.trace(40 * np.cov(parts.T)))


def test_rates_by_units_count_so_many_rows_and_a_rate_of_nothing_takes_what_the_others_have():
    _, group, _, y = clustered(5)
    event = (y > 0.4) & (group != 3)
    made = effective_rows(group, event, 4, UNITS, 40)
    together = alone = 0.0
    for g in range(4):
        at = group == g
        n, rate = at.sum(), event[at].mean()
        left = np.bincount(UNITS[at], weights=event[at] - rate, minlength=40)
        size = np.bincount(UNITS[at], minlength=40)
        together, alone = together + np.sum(left**2), alone + np.sum((event[at] - rate) ** 2)
        if g == 3:
            continue
        used = size > 0
        a = 1 / np.sqrt(1 - size[used] / n)
        variance = np.sum((a * left[used]) ** 2) / n**2
        # Bell and McCaffrey: (Σ λ)² / Σ λ² of the matrix of each unit's part under equal variances
        e = np.eye(n) - 1 / n
        parts = np.stack([e[(UNITS[at] == u)].sum(axis=0) * k for u, k in zip(np.flatnonzero(used), a, strict=True)])
        gram = parts @ parts.T
        df = np.trace(gram) ** 2 / np.sum(gram**2)
        effect = variance / (rate * (1 - rate) / n) * (stats.t.ppf(0.975, df) / stats.norm.ppf(0.975)) ** 2
        assert made[g] == pytest.approx(n / max(effect, 1), rel=1e-6)
    n, units = (group == 3).sum(), len(np.unique(UNITS[group == 3]))
    largest = np.sum(np.bincount(UNITS[group == 3]) ** 2) / n
    few = (stats.t.ppf(0.975, units - 1) / stats.norm.ppf(0.975)) ** 2
    assert made[3] == pytest.approx(n / (max(min(together / alone, largest), 1) * few), rel=1e-6)


def test_a_table_with_an_empty_cell_has_a_change_of_odds_and_one_without_events_has_none():
    cells = np.array([[[20, 0], [10, 6]], [[15, 0], [9, 12]]])
    at = np.repeat(np.arange(8), cells.ravel())
    none = stratified_rates(cells, at, rows(at))["odds_ratio"]
    assert np.isnan(none.pooled.estimate)
    assert np.isnan(none.change.p)
    cells[0, 0] = 18, 2
    at = np.repeat(np.arange(8), cells.ravel())
    some = stratified_rates(cells, at, rows(at))["odds_ratio"]
    n = cells.sum(axis=(1, 2))
    want = np.sum(cells[:, 1, 1] * cells[:, 0, 0] / n) / np.sum(cells[:, 1, 0] * cells[:, 0, 1] / n)
    assert some.pooled.estimate == pytest.approx(want)
    assert some.groups == 2
    assert 0 < some.change.p < 1


def test_q_of_cochran_is_its_weighted_sum():
    away, variance = np.array([0.3, -0.1, 0.9, 5.0]), np.array([0.04, 0.09, 0.2, 0.0])
    weight = 1 / variance[:3]
    q = np.sum(weight * (away[:3] - np.average(away[:3], weights=weight)) ** 2)
    assert cochran_q(away, variance) == pytest.approx((q, stats.chi2.sf(q, 2)))
    assert np.isnan(cochran_q(away[2:], variance[2:]).p)


@pytest.mark.parametrize("n", [100, 500])
def test_means_that_lie_on_no_line_are_told_by_boxes_f(n):
    r = np.random.default_rng(n)
    x = r.gamma(2, 3, n)
    y = np.sqrt(x) + r.normal(size=n) * (0.3 + x / 10)
    k = min(max(n // 20, 3), 12)
    edges = np.quantile(x, np.arange(1, k) / k)
    bins = np.searchsorted(edges, x, "left")
    count = np.bincount(bins)
    mean, at = (np.bincount(bins, weights=v) / count for v in (y, x))
    squares = np.array([np.sum((y[bins == b] - mean[b]) ** 2) for b in range(k)])
    pooled = squares.sum() / (n - k)
    variance = (squares + 4 * pooled) / (count - 1 + 4)  # of few rows, drawn to the pooled one
    design = np.column_stack([np.ones(k), at]) * np.sqrt(count)[:, None]
    kept = np.eye(k) - design @ np.linalg.pinv(design)
    want = box_f(mean * np.sqrt(count), kept, variance, count + 3)
    assert not_straight(x, y, rows(x)) == pytest.approx(want, rel=1e-6)
    units = not_straight(x, y, Sampling.of_units(np.arange(n)))
    assert np.log(units.p) == pytest.approx(np.log(want[1]), rel=0.25)
    assert np.isnan(not_straight(x[:29], y[:29], rows(x[:29])).p)
    assert np.isnan(not_straight(np.resize([0.0, 1.0], n), y, rows(x)).p)


@pytest.mark.parametrize("classes", [False, True])
def test_a_line_fitted_to_cells_is_that_of_all_rows(classes, monkeypatch):
    r = np.random.default_rng(6)
    n = 6_000
    x = r.standard_t(3, n)
    place = np.argsort(np.argsort(x))
    y = x + r.normal(size=n)
    target = ClassTarget((y > 0.5).astype(np.int64) + (y > 3), 3) if classes else NumberTarget.of(y)
    folds = deal(hash_blocks(np.arange(n), 0), target.load, 0)
    share = held_out_line.StraightLine(place, np.ones(n, np.int64), told_of(target, folds)).share(np.sort(x))
    starts = held_out_line._starts(np.ones(n, np.int64))
    sizes = np.diff(np.append(starts, n))
    assert starts[0] == 0
    assert (sizes > 0).all()
    assert sizes[:50].max() == sizes[-50:].max() == 1  # the outer hundredths, which pull at a line most
    assert 5 <= sizes[200:-200].max() <= 7  # a thousandth of 5,880 rows
    monkeypatch.setattr(held_out_line, "CELLS", n)
    exact = held_out_line.StraightLine(place, np.ones(n, np.int64), told_of(target, folds)).share(np.sort(x))
    assert share == pytest.approx(exact, abs=2e-4)
    assert not np.isnan(share)
    assert np.isnan(held_out_line.StraightLine(place, np.ones(n, np.int64), told_of(target, folds)).share(np.ones(n)))


def test_a_line_needs_two_values_of_its_outcome_and_more_rows_than_folds():
    assert held_out_line.line_targets(NumberTarget.of(np.arange(6.0)))
    assert not held_out_line.line_targets(NumberTarget.of(np.arange(5.0)))
    assert not held_out_line.line_targets(NumberTarget(np.zeros(9), np.zeros(9, np.int64)))
    assert held_out_line.line_targets(ClassTarget(np.array([0, 0, 1, 0, 0, 0]), 2))
    assert not held_out_line.line_targets(ClassTarget(np.zeros(6, np.int64), 2))
    assert not held_out_line.line_targets(ClassTarget(np.array([0, 0, 1, 0, 0]), 2))


def test_the_base_a_logistic_line_starts_from_is_no_matter_and_its_end_is_the_best():
    r = np.random.default_rng(7)
    at = np.linspace(-2, 3, 12)
    counts = r.multinomial(30, [0.5, 0.3, 0.2], 12) + np.outer(np.arange(12), [0, 1, 2])

    def loss(b):
        line = np.stack([np.zeros(12), b[0] + b[2] * at, b[1] + b[3] * at], axis=1)
        return -np.sum(counts * (line - np.logaddexp.reduce(line, axis=1, keepdims=True)))

    best = optimize.minimize(loss, np.zeros(4), method="BFGS", options={"gtol": 1e-9}).x
    line = np.stack([np.zeros(12), best[0] + best[2] * at, best[1] + best[3] * at], axis=1)
    want = np.exp(line - np.logaddexp.reduce(line, axis=1, keepdims=True))
    assert held_out_line._logistic(at, counts.astype(float)) == pytest.approx(want, abs=3e-5)


SURE, UNSURE = [lambda size, sure=sure: Relation(size, sure) for sure in (True, False)]


@pytest.mark.parametrize(
    ("crude", "within", "p", "said"),
    [
        (SURE(0.3), SURE(-0.1), 0.9, TURNS), (SURE(0.1), SURE(-0.1), np.nan, TURNS),
        (SURE(0.3), SURE(-0.09), 0.9, None),
        (SURE(0.3), UNSURE(-0.3), 0.9, None), (UNSURE(0.3), SURE(-0.3), 0.9, None), (SURE(0.3), SURE(0.3), 0.0, None),
        (SURE(0.3), UNSURE(0.15), 0.04, VANISHES), (SURE(0.3), UNSURE(0.151), 0.04, None),
        (SURE(0.3), UNSURE(0.15), 0.05, None), (SURE(0.3), SURE(0.09), 0.04, VANISHES),
        (SURE(0.3), UNSURE(-0.2), 0.04, VANISHES), (SURE(0.1), UNSURE(0.0), 0.04, VANISHES),
        (SURE(0.09), UNSURE(0.0), 0.04, None), (SURE(0.3), UNSURE(0.0), np.nan, None),
        (UNSURE(0.1), SURE(0.3), 1e-9, ONLY), (UNSURE(0.1), SURE(0.3), 0.01, None), (UNSURE(0.0), UNSURE(0.3), 0, None),
    ],
)  # fmt: skip
def test_what_becomes_of_a_relation_is_one_rule(crude, within, p, said):
    assert becomes(crude, within, p, Demands(0.1, 0.1, 0.5, 0.05, 0.001)) == said
    mirrored = (Relation(-r.size, r.sure) for r in (crude, within))
    assert becomes(*mirrored, p, Demands(0.1, 0.1, 0.5, 0.05, 0.001)) == said


def test_the_smallest_difference_of_rates_that_matters_goes_by_the_rate_where_it_is_rare():
    assert least_points(0.5) == T.TURN_POINTS
    assert [least_points(0.02), least_points(0.98)] == pytest.approx([T.TURN_RELATIVE * 0.02] * 2)


def study_of(frame, outcome):
    kinds = {c: "continuous" if frame[c].dtype == float else "nominal" for c in frame if c != outcome}
    return Study(frame, outcome=outcome, kinds=kinds)


def test_floors_and_contrasts_within_groups_are_of_the_rows_that_have_all():
    r, group, side, y = clustered(8)
    level = r.choice(5, 320, p=[0.3, 0.25, 0.2, 0.15, 0.1])
    frame = pd.DataFrame({"y": y + 0.4 * level, "x": 3 * y + r.normal(size=320), "event": np.where(side, "yes", "no")})
    frame.loc[:5, "x"] = np.nan
    frame.loc[10:15, "y"] = np.nan
    codes = np.where(np.arange(320) < 20, -1, group)
    by = Grouping.of(("place",), tuple("abcd"), codes)
    x, yes = frame["x"].to_numpy(), frame["event"].to_numpy() == "yes"
    event, number = (study_of(frame, o).outcome for o in ("event", "y"))
    keep = ~np.isnan(x) & (codes >= 0)
    (c,) = number_within("x", x, event, by, rows(x)).contrasts
    assert c.label == "yes against no"
    assert c.floor == ("mean_difference", pytest.approx(0.1 * np.std(x[keep])))
    want = stratified_means(x[keep], yes[keep].astype(np.int64), codes[keep], rows(x[keep]))
    assert c.effects["mean_difference"] == want
    keep &= frame["y"].notna().to_numpy()
    (c,) = slope_within("x", x, number, by, rows(x)).contrasts
    assert c.floor == ("slope", pytest.approx(0.1 * frame["y"][keep].std() / frame["x"][keep].std(), rel=0.01))
    assert c.effects["slope"] == stratified_slope(x[keep], frame["y"].to_numpy()[keep], codes[keep], rows(x[keep]))
    seen = levels_within("level", level, tuple("pqrst"), number, by, rows(x))
    order = pd.Series(level[(codes >= 0) & frame["y"].notna().to_numpy()]).value_counts().index
    assert [c.label for c in seen.contrasts] == [f"{'pqrst'[k]} against {'pqrst'[order[0]]}" for k in order[1:]]
    assert {c.floor for c in seen.contrasts} == {("mean_difference", 0.1 * number.deviation)}
    pair = np.isin(level, [order[0], order[1]]) & (codes >= 0) & frame["y"].notna().to_numpy()
    of = stratified_means(
        frame["y"].to_numpy()[pair], (level[pair] == order[1]).astype(np.int64), codes[pair], rows(x[pair])
    )
    assert seen.contrasts[0].effects["mean_difference"] == of
    rates = levels_within("level", level, tuple("pqrst"), event, by, rows(x))
    known = codes >= 0
    assert rates.contrasts[0].floor == ("risk_difference", least_points(yes[known].mean()))


def test_what_turns_within_groups_is_a_caution_and_groups_that_disagree_a_note():
    r = np.random.default_rng(9)
    n = 4_000
    group = r.integers(0, 2, n)
    x = r.normal(size=n) + 3 * group
    frame = pd.DataFrame({"y": 7 * group - x + r.normal(size=n)})
    frame["z"] = np.where(group, 1.0, -1.0) * x + r.normal(size=n)
    by = Grouping.of(("place",), ("a", "b"), group)
    turned = within_findings(slope_within("x", x, study_of(frame, "y").outcome, by, rows(x)))
    assert [(f.code, f.weight) for f in turned] == [(TURNS, "caution")]
    other = within_findings(slope_within("x", x, study_of(frame, "z").outcome, by, rows(x)))
    assert ("groups-disagree", "note") in [(f.code, f.weight) for f in other]
    assert turned[0].evidence["groups"] == 2
    assert turned[0].evidence["pooled"][0] < 0 < turned[0].evidence["crude"][0]


def v_of(table):
    """Bergsma's bias-corrected V, written out."""
    n, (r, c) = table.sum(), table.shape
    phi2 = stats.contingency.association(table, "cramer") ** 2 * (min(r, c) - 1)
    smaller = min(r - (r - 1) ** 2 / (n - 1), c - (c - 1) ** 2 / (n - 1)) - 1
    return np.sqrt(max(phi2 - (r - 1) * (c - 1) / (n - 1), 0) / smaller)


def test_a_glance_gives_each_candidate_what_its_kind_asks_for():
    r = np.random.default_rng(10)
    n = 900
    x, group = r.normal(size=n), r.choice(list("abc"), n, p=[0.5, 0.3, 0.2])
    y = 0.4 * x + (group == "b") + r.normal(size=n)
    frame = pd.DataFrame(
        {"x": x, "noise": r.normal(size=n), "group": group, "y": y, "event": np.where(y > 0.6, "yes", "no")}
    )
    frame.loc[:40, "x"] = np.nan
    there = frame["x"].notna()
    number, event = (study_of(frame.drop(columns=other), o).against() for o, other in (("y", "event"), ("event", "y")))
    first, number, event = number.first, number.table, event.table
    tenths = np.searchsorted(np.quantile(frame["x"][there], np.arange(1, 10) / 10), frame["x"][there], "right")
    table = pd.crosstab(tenths, frame["event"][there]).to_numpy()
    assert event.loc["x", "association"] == pytest.approx(v_of(table), rel=1e-6)
    yes = frame["event"] == "yes"
    chi, rank = stats.chi2_contingency(table).pvalue, stats.mannwhitneyu(x[there & yes], x[there & ~yes]).pvalue
    assert event.loc["x", "p"] == pytest.approx(min(1, 2 * min(chi, rank)), rel=1e-6)
    assert (event.loc["x", "n"], event.loc["x", "missing"]) == (n - 41, 41)
    levels = pd.crosstab(frame["group"], frame["event"]).to_numpy()
    assert event.loc["group", "association"] == pytest.approx(v_of(levels))
    assert event.loc["group", "p"] == pytest.approx(stats.chi2_contingency(levels).pvalue)
    both = pd.crosstab(tenths, 0)[0].to_numpy()
    means = np.array([y[there][tenths == b].mean() for b in range(10)])
    between = np.sum(both * (means - y[there].mean()) ** 2)
    within = sum(np.sum((y[there][tenths == b] - means[b]) ** 2) for b in range(10))
    f = between / 9 / (within / (both.sum() - 10))
    omega = 9 * (f - 1) / (9 * (f - 1) + both.sum())
    assert number.loc["x", "association"] == pytest.approx(np.sqrt(omega), rel=1e-6)
    assert number.loc["x", "estimate"] == pytest.approx(stats.spearmanr(x[there], y[there]).statistic)
    over = stats.kruskal(*(y[there][tenths == b] for b in range(10))).pvalue
    spearman = study_of(frame.drop(columns="event"), "y").against("x").tests.loc["spearman", "p"]
    assert number.loc["x", "p"] == pytest.approx(min(1, 2 * min(over, spearman)), rel=1e-6)
    spread = number.loc["group"]
    assert (spread["lowest"], spread["highest"]) == ("c", "b") or (spread["lowest"], spread["highest"]) == ("a", "b")
    assert spread["estimate"] == pytest.approx(spread["high"] - spread["low"])
    raw = frame.groupby("group")["y"].mean()
    assert raw.min() < spread["low"] < frame["y"].mean() < spread["high"] < raw.max()
    assert list(number.index)[:2] in (["x", "group"], ["group", "x"])
    assert tuple(first) == tuple(number.index)[:2]  # not the noise


def test_two_columns_together_say_their_share_less_what_each_says():
    r = np.random.default_rng(12)
    a, b = r.integers(0, 2, 3_000), r.integers(0, 2, 3_000)
    rate = np.where(a == b, 0.75, 0.25) + 0.08 * a
    frame = pd.DataFrame(
        {"a": a, "b": b, "c": r.normal(size=3_000), "y": np.where(r.random(3_000) < rate, "yes", "no")}
    )
    told = Study(frame, outcome="y", kinds={"a": "binary", "b": "binary"}).relations().together
    first = told.iloc[0]
    assert {first["first"], first["second"]} == {"a", "b"}
    assert first["excess"] == pytest.approx(
        first["joint_share"] - max(first["first_alone"], 0) - max(first["second_alone"], 0)
    )
    assert first["low"] < first["excess"] < first["high"]
    assert first["excess"] - first["low"] == pytest.approx(first["high"] - first["excess"])
    p = np.array([[0.75, 0.25], [0.33, 0.83]])
    entropy = lambda q: -(q * np.log(q) + (1 - q) * np.log(1 - q))  # noqa: E731
    assert first["joint_share"] == pytest.approx(1 - entropy(p).mean() / entropy(p.mean()), abs=0.04)
    assert first["low"] > 0
    assert not len(told) > 1 or told.iloc[1]["low"] < 0


def test_v_over_units_of_one_row_is_v_of_the_rows():
    r = np.random.default_rng(12)
    a = r.integers(0, 3, 400)
    b = np.where(r.random(400) < 0.3, a, r.integers(0, 3, 400))
    plain = Crossing.of(a, b, (3, 3), rows(a)).cramers_v()
    units = Crossing.of(a, b, (3, 3), Sampling.of_units(np.arange(400))).cramers_v()
    assert plain.estimate == pytest.approx(v_of(pd.crosstab(a, b).to_numpy()))
    assert units == pytest.approx(plain, abs=0.003)


def test_identifiers_are_left_out_unless_they_say_more_than_chance():
    r = np.random.default_rng(13)
    told = np.repeat([0.1, 0.9], 40)
    frame = pd.DataFrame({"case": [f"K{k}" for k in range(800)], "hive": np.repeat([f"H{k}" for k in range(80)], 10)})
    frame["y"] = np.where(r.random(800) < np.repeat(told, 10), "yes", "no")
    kinds = {"case": "identifier", "hive": "identifier"}
    advice = Study(frame, outcome="y", kinds=kinds).rank().table["advice"]
    assert advice["case"] == "leave out: names cases"
    assert advice["hive"] == "names cases: the unit?"


def test_epsilon_squared_ends_where_the_ranks_f_has_its_tails():
    n, k, h = 90, 4, 20.0
    made = epsilon_squared(h, n, k)
    f = (h / (k - 1)) / ((n - 1 - h) / (n - k))
    assert made.estimate == pytest.approx(h / (n - 1))
    for end, share in ((made.low, 0.975), (made.high, 0.025)):
        assert stats.ncf.cdf(f, k - 1, n - k, end / (1 - end) * n) == pytest.approx(share, abs=1e-6)


def test_shares_by_units_reach_as_far_as_their_error_on_fishers_z():
    r, _, _, y = clustered(14)
    group = r.integers(0, 4, 320)
    y = y + 2.5 * group
    groups = GroupedRows(y, group, tuple("abcd"), Sampling.of_units(UNITS))
    made = groups.effects["omega_squared"]
    share = np.var(np.array([y[group == g].mean() for g in range(4)])[group]) / np.var(y)
    chance = 3 * groups.design_effect * (1 - share) / 316
    half = stats.t.ppf(0.975, 39) * share_error(y, group, 4, Sampling.of_units(UNITS))
    low, high = ratio_within(np.sqrt(share - chance), share, half)
    assert (made.low, made.high) == pytest.approx((low**2, high**2))  # wider than what F inverted gives
    assert made.estimate == pytest.approx(share - chance, abs=0.01)


def test_areas_under_the_curve_count_ties_by_half_however_they_are_summed():
    r = np.random.default_rng(15)
    rates = r.choice([0.1, 0.2, 0.2, 0.5], (3, 12))
    rest, event = r.integers(0, 9, (3, 12)).astype(float), r.integers(0, 9, (3, 12)).astype(float)
    want = [
        sum(e[i] * q[j] * ((p[i] > p[j]) + 0.5 * (p[i] == p[j])) for i in range(12) for j in range(12))
        for p, q, e in zip(rates, rest, event, strict=True)
    ]
    assert heldout._won_by_pairs(rates, rest, event) == pytest.approx(want)
    assert heldout._won_by_order(rates, rest, event) == pytest.approx(want)


def test_accuracy_by_units_varies_as_blocks_of_them_do():
    r = np.random.default_rng(16)
    rows_of = r.integers(5, 20, (50, 2)).astype(float)
    right = np.floor(rows_of * r.uniform(0.3, 0.9, (50, 2)))
    share = right.sum(axis=0) / rows_of.sum(axis=0)
    away = ((right - share * rows_of) / rows_of.sum(axis=0)).sum(axis=1) / 2  # of the mean of the two
    assert cut._error_of_units(right, rows_of) == pytest.approx(np.sqrt(50 / 49 * np.sum(away**2)))


def test_chi_square_of_sparse_tables_has_the_moments_of_all_tables_with_their_margins():
    table = np.array([[2, 0, 1], [0, 3, 1], [1, 1, 1]])
    a, b = np.repeat(np.arange(3), table.sum(axis=1)), np.repeat(np.arange(3), table.sum(axis=0))
    r = np.random.default_rng(17)
    drawn = []
    for _ in range(20_000):
        t = np.bincount(3 * a + r.permutation(b), minlength=9).reshape(3, 3)
        drawn.append(np.sum((t - np.outer(t.sum(1), t.sum(0)) / 10) ** 2 / (np.outer(t.sum(1), t.sum(0)) / 10)))
    mean, variance = np.mean(drawn), np.var(drawn)
    made = chi_square_sparse(table)
    df = 2 * mean**2 / variance
    assert made.p == pytest.approx(stats.chi2.sf(made.statistic * df / mean, df), abs=0.01)


def test_pairs_of_groups_leave_out_those_of_one_row_or_one_value():
    r = np.random.default_rng(18)
    y = np.concatenate([r.normal(size=20), r.normal(1, 1, 15), [3.0], np.full(6, 2.0)])
    codes = np.repeat(np.arange(4), [20, 15, 1, 6])
    pairs = all_pairs(GroupedRows(y, codes, tuple("abcd"), rows(y)))
    assert sorted(zip(pairs.first.tolist(), pairs.second.tolist(), strict=True)) == [(0, 1)]
    t = stats.ttest_ind(y[codes == 1], y[codes == 0], equal_var=False)
    assert pairs.p.tolist() == pytest.approx([t.pvalue])


def test_columns_agree_where_means_and_deviations_differ_by_a_hundredth_of_a_deviation():
    near = [[100.0, 40.0, 0.3], [100.39, 40.0, 0.31], [100.41, 40.0, 0.3], [100.0, 40.39, 0.3], [100.0, 40.0, 0.329]]
    summary = np.array(near)
    assert _agreeing(summary) == [(0, 1), (0, 3), (1, 2), (1, 3), (1, 4)]


def test_a_candidate_of_one_level_and_a_column_without_days_say_nothing():
    frame = pd.DataFrame(
        {"g": ["a"] * 20 + [None] * 5, "x": np.arange(25.0), "y": np.random.default_rng(19).normal(size=25)}
    )
    row = Study(frame, outcome="y", kinds={"g": "nominal"}).against().table.loc["g"]
    assert (row["n"], row["missing"]) == (20, 5)
    frame["y"] = frame["y"].where(frame.index > 2)
    number = Study(frame.assign(x=frame["x"].where(frame.index < 15)), outcome="y", kinds={"x": "continuous"}).against()
    assert (number.table.loc["x", "n"], number.table.loc["x", "missing"]) == (12, 10)
    none = calendar_rate_bins(np.full(4, np.nan), 12)
    assert none.codes.tolist() == [-1] * 4
    assert len(none.ends) == 0


def test_a_bend_is_named_by_both_its_ends():
    r = np.random.default_rng(20)
    x = r.uniform(0, 1, 3_000)
    event = r.random(3_000) < np.where(x > 0.9, 0.6, 0.15 + 0.3 * np.abs(x - 0.45))
    frame = pd.DataFrame({"x": x, "y": np.where(event, "yes", "no")})
    for f in Study(frame, outcome="y").against("x").findings:
        if f.code == "bend-without-trend":
            rates = Study(frame, outcome="y").against("x").rates["rate"].to_numpy()
            assert f.evidence["ends"] == pytest.approx((rates[0] + rates[-1]) / 2)


def test_evidence_of_one_strong_candidate_is_its_own_and_what_moved_most_comes_first():
    r = np.random.default_rng(21)
    case = np.repeat(np.arange(60), 12)
    shared = r.normal(size=60)
    y = shared[case] + 0.3 * r.normal(size=720)
    frame = pd.DataFrame({"case": [f"K{k}" for k in case], "own": shared[case].round(2), "other": case % 7, "y": y})
    view = Study(frame, outcome="y", unit="case", kinds={"other": "nominal", "own": "continuous"}).rank()
    (kept,) = [f for f in view.findings if f.code == "units-kept-whole"]
    moved = kept.evidence["moved"]
    sizes = {name: abs(a - b) for name, (a, b) in moved.items()}
    assert list(sizes.values()) == sorted(sizes.values(), reverse=True)
    for f in view.findings:
        if f.code in ("strong-candidate", "too-good-to-be-true") and len(f.columns) == 2:
            assert set(f.evidence) == {"held_out_share", "low", "high"}


@pytest.mark.parametrize("classes", [False, True])
def test_what_is_written_of_groups_is_times_for_odds_and_a_signed_difference_for_means(classes):
    r = np.random.default_rng(22)
    place = r.integers(0, 3, 1_200)
    side = np.where(r.random(1_200) < 0.2 + 0.25 * place, "east", "west")
    y = 2.0 * place + r.normal(size=1_200)
    frame = pd.DataFrame({"side": side, "place": np.array(list("abc"))[place]})
    frame["y"] = np.where(y > 2, "yes", "no") if classes else y
    (found,) = [f for f in Study(frame, outcome="y").against("side", by="place").findings if f.code == VANISHES]
    low, high = found.evidence["crude"][1:]
    ends = f"times ({low:.3g} to {high:.3g})" if classes else f"({low:+.3g} to {high:+.3g})"
    assert ends.replace("-", "−") in found.statement


def test_triplets_agree_as_often_as_all_triplets_of_rows_do():
    r = np.random.default_rng(23)
    values, at = r.normal(size=(25, 4)), r.normal(size=(25, 2))
    at[:, 0] += values[:, 0]
    far = ((values[:, None] - values) ** 2).sum(axis=2), ((at[:, None] - at) ** 2).sum(axis=2)
    told = [
        (far[0][i, j] < far[0][i, k]) == (far[1][i, j] < far[1][i, k])
        for i in range(25) for j in range(25) for k in range(25) if len({i, j, k}) == 3
    ]  # fmt: skip
    made = quality._triplets(values, at, r)
    assert made.mean() == pytest.approx(np.mean(told), abs=4 * np.sqrt(0.25 / len(made)))
    assert quality._triplets(values[:2], at[:2], r).tolist() == [1.0]


def test_a_bend_has_its_ends_and_its_middle_in_evidence():
    left = np.arange(8.0)
    level = np.array([0.2, 0.3, 0.5, 0.6, 0.7, 0.5, 0.4, 0.3])
    found = bend_finding("x", "y", "The rate", BinEnds(left, left + 1, left + 0.5), level, str, (0.5, 1e-9))
    assert found.evidence["ends"] == pytest.approx(0.25)
    assert found.evidence["middle"] == pytest.approx((0.5 + 0.6 + 0.7 + 0.5) / 4)
    assert "optimum" in found.statement
    assert (
        "low in the middle" in bend_finding("x", "y", "It", BinEnds(left, left, left), 1 - level, str, (1, 0)).statement
    )


def test_sparse_tables_of_two_columns_have_the_moments_of_every_way_to_deal_them():
    table = np.array([[2, 0], [1, 2], [0, 3]])
    rows_of = np.repeat(np.arange(3), table.sum(axis=1))
    seen = []
    for first in combinations(range(8), 3):
        column = np.ones(8, int)
        column[list(first)] = 0
        t = np.bincount(2 * rows_of + column, minlength=6).reshape(3, 2)
        expected = np.outer(t.sum(axis=1), t.sum(axis=0)) / 8
        seen.append(np.sum((t - expected) ** 2 / expected))
    mean, variance = np.mean(seen), np.var(seen)
    made = chi_square_sparse(table)
    df = 2 * mean**2 / variance
    assert made.p == pytest.approx(stats.chi2.sf(made.statistic * df / mean, df), rel=1e-9)


def test_curves_say_what_a_line_misses():
    r = np.random.default_rng(24)
    x = r.normal(size=800)
    frame = pd.DataFrame({"x": x, "z": x**2 + 0.3 * r.normal(size=800)})
    (found,) = [f for f in Study(frame).relations().findings if f.code == "curved-relation"]
    e = found.evidence
    assert e["pearson"] == pytest.approx(np.corrcoef(frame["x"], frame["z"])[0, 1])
    assert e["gain"] == pytest.approx(e["correlation_ratio"] ** 2 - e["pearson"] ** 2)


def test_rows_without_a_unit_are_folds_of_their_own():
    n = 3_000
    unit = np.where(np.arange(n) % 2, "u", None)
    frame = pd.DataFrame({"unit": unit, "g": np.resize(list("abc"), n), "y": np.random.default_rng(25).normal(size=n)})
    made = Preparation(outcome="y", unit="unit").then("encode", "g", using="rate")
    out = made.fit_transform(frame)["g"].to_numpy()
    shown = [len(np.unique(out[(frame["g"] == level) & (frame["unit"] == "u")])) for level in "abc"]
    alone = [len(np.unique(out[(frame["g"] == level) & frame["unit"].isna()])) for level in "abc"]
    assert shown == [1, 1, 1]  # one unit lies in one fold, and takes the rate of the other four
    assert alone == [5, 5, 5]


def test_what_two_columns_say_together_is_counted_level_by_level():
    r = np.random.default_rng(41)
    n = 4_000
    a, b = r.integers(0, 3, n), r.integers(0, 4, n)
    y = np.where((a + 2 * b) % 3 == 0, 4.0, 0.0) + r.normal(size=n)
    frame = pd.DataFrame({"a": np.array(list("xyz"))[a], "b": np.array(list("klmn"))[b], "y": y})
    frame["c"] = r.choice(list("pq"), n)
    relations = Study(frame, outcome="y").relations()
    told = relations.together.iloc[0]
    assert {told["first"], told["second"]} == {"a", "b"}
    crossed = Study(frame.assign(ab=frame["a"] + frame["b"]), outcome="y").rank()
    shares = crossed.table["held_out_share"]
    assert told["joint_share"] == pytest.approx(shares["ab"], abs=0.02)  # of the rows that did not choose the pair
    assert told["excess"] == pytest.approx(told["joint_share"] - max(shares["a"], 0) - max(shares["b"], 0), abs=0.02)


def test_the_p_of_a_number_without_a_trend_is_that_of_its_values_as_levels():
    r = np.random.default_rng(42)
    n = 900
    x = r.integers(0, 10, n).astype(float)
    y = r.random(n) < 0.3 + 0.12 * np.isin(x, [0, 1, 8, 9])
    x[r.random(n) < 0.1] = np.nan
    frame = pd.DataFrame({"x": x, "y": np.where(y, "yes", "no")})
    p = Study(frame, outcome="y", kinds={"x": "discrete"}).rank().table.loc["x", "p"]
    cells = pd.crosstab(frame["x"].fillna(-1), frame["y"])
    chi = stats.chi2_contingency(cells, correction=False).pvalue
    trend = stats.mannwhitneyu(x[y & ~np.isnan(x)], x[~y & ~np.isnan(x)], use_continuity=False, method="asymptotic")
    assert chi < trend.pvalue
    assert p == pytest.approx(min(1.0, 2 * chi))


@pytest.mark.parametrize(("beside", "told"), [(0.97, True), (1.03, False)])
@pytest.mark.parametrize("of", ["means", "deviations"])
def test_groups_are_too_alike_by_f_and_by_bartlett_at_one_in_a_thousand(of, beside, told):
    r = np.random.default_rng(43)
    sizes = (12, 20, 31, 40)
    k, total = len(sizes), sum(sizes)
    parts = [(v - v.mean()) / v.std(ddof=1) for v in (r.exponential(size=m) for m in sizes)]
    lean = np.array([1.0, -1.0, 1.0, -1.0])

    def drawn(size):
        if of == "means":
            return [p + size * s for p, s in zip(parts, lean, strict=True)]
        return [p * (1 + size * s) for p, s in zip(parts, lean, strict=True)]

    def by_chance(size):
        groups = drawn(size)
        if of == "means":
            return stats.f.cdf(stats.f_oneway(*groups).statistic, k - 1, total - k)
        correction = 1 + (sum(1 / (m - 1) for m in sizes) - 1 / (total - k)) / (3 * (k - 1))
        return stats.chi2.cdf(stats.bartlett(*groups).statistic * correction, k - 1)

    edge = optimize.brentq(lambda size: by_chance(size) - T.ALIKE_BY_CHANCE, 1e-6, 0.2)
    x, codes = np.concatenate(drawn(beside * edge)), np.repeat(np.arange(k), sizes)
    assert (too_alike(x, codes, k, rows(x)) is not None) == told


def test_slopes_of_each_are_those_along_one_column_of_rows_at_a_time():
    r = np.random.default_rng(44)
    n = r.integers(0, 30, (4, 5)).astype(float)
    mean = r.normal(size=(4, 5))
    total, squared = n * mean, n * (mean**2 + r.uniform(0.2, 2, (4, 5)))
    scores = np.array([0.0, 1.0, np.nan, 3.0])
    slopes, errors = slopes_of_each(scores, n, total, squared, 1.7)
    use, larger = ~np.isnan(scores), set()
    for j in range(5):
        one = slope_along(scores, n[:, [j]], total[:, [j]], squared[:, [j]], 1.7)
        assert slopes[j] == pytest.approx(one.estimate)
        freely = (one.high - one.low) / (2 * stats.norm.ppf(0.975))
        at, rows = scores[use], n[use, j]
        line = np.average(mean[use, j], weights=rows) + one.estimate * (at - np.average(at, weights=rows))
        left = np.sum(squared[use, j] - 2 * line * total[use, j] + line**2 * rows)
        sxx = np.sum(rows * (at - np.average(at, weights=rows)) ** 2)
        least_squares = np.sqrt(1.7 * left / (rows.sum() - 2) / sxx)
        assert errors[j] == pytest.approx(max(freely, least_squares))
        larger.add(freely > least_squares)
    assert larger == {True, False}


def test_levels_that_made_their_own_scores_must_differ_by_what_chi_square_asks():
    coarse = Coarse("c", np.repeat(np.arange(5), 20), tuple("abcde"), False)
    scores = np.array([0.0, 0.2, np.nan, 0.7, 1.0])
    asked = stats.chi2.isf(2 * stats.norm.sf(2.8), 3) ** 0.5
    assert surely(coarse, scores, 2.8) == pytest.approx(asked)
    assert surely(Coarse("c", coarse.codes, coarse.labels, True), scores, 2.8) == 2.8
    few = np.r_[coarse.codes, np.full(3, 5)]
    y = np.r_[np.repeat([3.0, 1.0, 2.0, 5.0, 4.0], 20), np.full(3, 9.0)]
    made = scores_of(Coarse("c", few, tuple("abcdef"), False), y)
    assert made == pytest.approx([0.5, 0.0, 0.25, 1.0, 0.75, np.nan], nan_ok=True)  # of three rows there is no mean


@pytest.mark.parametrize("alternative", ["greater", "less"])
def test_one_sided_tests_of_pairs_are_those_of_scipy_either_way(alternative):
    r = np.random.default_rng(45)
    x = r.normal(size=60)
    frame = pd.DataFrame({"x": x, "up": 0.2 * x + r.normal(size=60), "down": -0.2 * x + r.normal(size=60)})
    for method, of in (("pearson", stats.pearsonr), ("spearman", stats.spearmanr)):
        pairs = Study(frame).relations(method=method, alternative=alternative).pairs
        for _, pair in pairs.iterrows():
            wanted = of(frame[pair["first"]], frame[pair["second"]], alternative=alternative).pvalue
            assert pair["p"] == pytest.approx(wanted, rel=1e-6)


def test_the_interval_of_v_is_as_wide_at_least_as_phi_squared_varies():
    value, chi, n, df, effect, error = 0.4, 160.0, 1_000.0, (4.0, 2.0), 2.5, 0.2
    low, high = explained_share(value, chi, df, n, effect, ratio=False, confidence=0.95, error=error, error_df=30.0)
    half = stats.t.ppf(0.975, 30) * error / (2 * np.sqrt(chi / n * df[1]))  # the slope of V along its square
    assert (low, high) == pytest.approx((max(value - half, 0.0), min(value + half, 1.0)))


@pytest.mark.parametrize("alternative", ["greater", "less", "two-sided"])
def test_few_rows_have_kendalls_exact_p_on_either_side(alternative):
    r = np.random.default_rng(46)
    frame = pd.DataFrame(r.permuted(np.tile(np.arange(9.0), (3, 1)), axis=1).T, columns=list("abc"))
    for _, pair in Study(frame).relations(method="kendall", alternative=alternative).pairs.iterrows():
        of = stats.kendalltau(frame[pair["first"]], frame[pair["second"]], method="exact", alternative=alternative)
        assert pair["p"] == pytest.approx(of.pvalue)


@pytest.mark.parametrize(("noise", "told"), [(0.25, False), (0.19, True)])
def test_a_curve_is_named_where_it_says_a_tenth_more_than_the_line(noise, told):
    r = np.random.default_rng(47)
    x = r.uniform(0, 1, 3_000)
    frame = pd.DataFrame({"x": x, "z": -((x - 0.6) ** 2) + r.normal(0, noise, 3_000)})
    study = Study(frame)
    ratio = study.relations("x", "z").pairs.iloc[0]["coefficient"]
    gain = ratio**2 - np.corrcoef(frame["x"], frame["z"])[0, 1] ** 2
    found = [f for f in study.relations().findings if f.code == "curved-relation"]
    assert (gain > T.CURVE_GAIN) == told == bool(found)
    assert gain > T.FORM_GAIN


def test_rows_far_apart_that_agree_with_the_others_carry_nothing():
    r = np.random.default_rng(48)
    x = np.r_[r.normal(size=540), r.normal(12, 1, 60)]
    y = 0.9 * x + r.normal(0, 1.5, 600)  # along one line: without them less, and not half
    frame = pd.DataFrame({"x": x, "y": y})
    whole, left = np.corrcoef(x, y)[0, 1], np.corrcoef(x[:540], y[:540])[0, 1]
    assert whole / 2 < left < whole
    assert not [f for f in Study(frame).relations().findings if f.code == "few-rows-correlate"]
