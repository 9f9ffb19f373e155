"""Rows that come in units: against matrices written out, against rows where each is a unit, and on noise."""

import itertools
import pickle

import numpy as np
import pandas as pd
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import linalg, stats

from envelt import Study
from envelt.core.stats.correlation import pearson, spearman
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.group_pairs import all_pairs
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.of_units.groups import between_groups
from envelt.core.stats.of_units.means import UnitMeans
from envelt.core.stats.of_units.tables import between_cells
from envelt.core.stats.rates import event_rates
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.straight import not_straight
from envelt.core.stats.trend import smooth_trend
from envelt.errors import OptionError
from samples import rows

drawn = st.lists(st.tuples(st.integers(0, 6), st.integers(0, 2), st.integers(0, 1)), min_size=10, max_size=40)
quick = settings(max_examples=60, deadline=None)


def columns(given_rows):
    unit, row, column = (np.unique(c, return_inverse=True)[1] for c in zip(*given_rows, strict=True))
    assume(unit.max() > 1 and row.max() > 0 and column.max() > 0)
    return unit, row, column


def spread_written_out(parts):
    """Trace and Satterthwaite's df of the covariance of a sum of units' vectors, from the vectors themselves."""
    away = parts - parts.mean(axis=0)
    count = len(parts)
    products = away @ away.T
    trace = count / (count - 1) * np.trace(products)
    beside = np.sum(products**2) - np.sum(np.diag(products) ** 2)
    squared = beside / (count * (count - 1)) * count**2 * (count / (count - 1)) ** 2
    return trace, squared


@given(drawn)
@quick
def test_chi_square_and_rank_sums_by_units_are_the_sums_over_units_written_out(given_rows):
    unit, row, column = columns(given_rows)
    n, units = len(unit), unit.max() + 1
    one = {k: (row[:, None] == np.arange(row.max() + 1)) * 1.0 for k in "r"}["r"]
    other = (column[:, None] == np.arange(column.max() + 1)) * 1.0
    p, q = one.mean(axis=0), other.mean(axis=0)
    cells = ((one - p) / np.sqrt(p))[:, :, None] * ((other - q) / np.sqrt(q))[:, None, :]
    parts = np.stack([cells[unit == u].sum(axis=0).ravel() for u in range(units)])
    spread = between_cells(row, column, (len(p), len(q)), unit, units)
    trace, squared = spread_written_out(parts)
    assert spread.length == pytest.approx(np.sum(parts.sum(axis=0) ** 2), rel=1e-9, abs=1e-9)
    assert spread.mean == pytest.approx(trace, rel=1e-9, abs=1e-9)
    x2 = stats.chi2_contingency(pd.crosstab(row, column).to_numpy(), correction=False).statistic
    assert spread.length / n == pytest.approx(x2, rel=1e-9, abs=1e-9)
    most = min((len(p) - 1) * (len(q) - 1), units - 1)
    if most > 1 and trace > 1e-9:
        assert spread.df == pytest.approx(np.clip(trace**2 / max(squared, 1e-300), 1, most), rel=1e-6)
    x = stats.rankdata(column * 3.0 + row + unit)
    centred = x - x.mean()
    parts = np.stack([((one - p) / np.sqrt(p) * centred[:, None])[unit == u].sum(axis=0) for u in range(units)])
    spread, effect = between_groups(x, row, len(p), unit, units)
    assert spread.mean == pytest.approx(spread_written_out(parts)[0], rel=1e-9, abs=1e-9)
    assert spread.length == pytest.approx(np.sum(parts.sum(axis=0) ** 2), rel=1e-9, abs=1e-9)
    alone = np.sum(((one - p) / np.sqrt(p) * centred[:, None]) ** 2)
    assert effect == pytest.approx(spread.mean / alone if alone > 0 else 1)


def bell_and_mccaffrey(x, group, unit, contrast):
    """CR2 variance and degrees of freedom of a contrast of group means, by matrices of rows."""
    design = (group[:, None] == np.arange(len(contrast))) * 1.0
    inverse = np.linalg.inv(design.T @ design)
    hat = design @ inverse @ design.T
    residual = x - hat @ x
    total, vectors = 0.0, []
    for u in np.unique(unit):
        mine = unit == u
        root = linalg.fractional_matrix_power(np.eye(mine.sum()) - hat[np.ix_(mine, mine)], -0.5).real
        weight = root @ design[mine] @ inverse @ contrast
        total += float(weight @ residual[mine]) ** 2
        vectors.append((np.eye(len(x)) - hat)[:, mine] @ weight)
    gram = np.array(vectors) @ np.array(vectors).T
    return total, np.trace(gram) ** 2 / np.sum(gram**2)


@pytest.mark.parametrize("seed", range(6))
def test_means_and_differences_by_units_are_bell_and_mccaffreys(seed):
    r = np.random.default_rng(seed)
    unit = np.repeat(np.arange(9), r.integers(2, 6, 9))
    group = np.where(r.random(len(unit)) < 0.2, 1 - unit % 2, unit % 2)  # some units lie in both groups
    x = r.normal(size=9)[unit] + r.normal(size=len(unit))
    means = UnitMeans.of(x + 1e6, group, 2, unit, 9)
    for k in (0, 1):
        variance, df = bell_and_mccaffrey(x, group, unit, np.eye(2)[k])
        assert means.variance[k] * means.scale**2 == pytest.approx(variance, rel=1e-6)
        assert means.df[k] == pytest.approx(df, rel=1e-6)
    variance, df = means.contrast()
    assert (variance * means.scale**2, df) == pytest.approx(
        bell_and_mccaffrey(x, group, unit, np.array([-1.0, 1.0])), rel=1e-6
    )


def test_units_of_one_row_give_what_rows_give():
    r = np.random.default_rng(3)
    n = 300
    group, x = r.integers(0, 2, n), r.normal(size=n)
    alone = Sampling.of_units(r.permutation(n))
    one, other = (GroupedRows(x, group, ("a", "b"), s) for s in (alone, rows(x)))
    assert one.tests["welch_t"] == pytest.approx(other.tests["welch_t"], rel=1e-9)
    for name in ("mean_difference", "hedges_g"):
        assert one.effects[name] == pytest.approx(other.effects[name], rel=0.02)
    assert one.summary.half_width == pytest.approx(other.summary.half_width, rel=1e-9)
    four = r.integers(0, 4, n)
    a, b = (all_pairs(GroupedRows(x, four, ("a", "b", "c", "d"), s)) for s in (alone, rows(x)))
    assert a.p == pytest.approx(b.p, rel=1e-9)
    assert a.low == pytest.approx(b.low, rel=1e-9)
    table = [Crossing.of(four, group, (4, 2), s) for s in (alone, rows(x))]
    assert table[0].chi_square().p == pytest.approx(table[1].chi_square().p, abs=0.02)
    assert table[0].design_effect == pytest.approx(1, abs=0.03)
    y = 0.3 * x + r.normal(size=n)
    for of in (pearson, spearman):
        assert list(of(x, y, alone)[0]) == pytest.approx(list(of(x, y, rows(x))[0]), abs=0.03)
    seen = [event_rates(four, group == 1, 4, s) for s in (alone, rows(x))]
    assert seen[0].low == pytest.approx(seen[1].low, abs=0.01)


@pytest.mark.parametrize("seed", range(3))
def test_the_interval_of_a_correlation_by_units_is_the_jackknifes(seed):
    r = np.random.default_rng(seed)
    unit = np.repeat(np.arange(20), r.integers(1, 7, 20))
    x = r.normal(size=20)[unit] + r.normal(size=len(unit))
    y = x + r.normal(size=20)[unit]
    e, _ = pearson(x, y, Sampling.of_units(unit))
    z = np.arctanh([np.corrcoef(x[unit != u], y[unit != u])[0, 1] for u in range(20)])
    se = np.sqrt(19 / 20 * np.sum((z - z.mean()) ** 2))
    want = np.tanh(np.arctanh(np.corrcoef(x, y)[0, 1]) + np.array([-1, 1]) * stats.t.ppf(0.975, 19) * se)
    assert [e.low, e.high] == pytest.approx(want, rel=1e-9)


def clustered(seed, units=40, size=10, of_unit=True):
    r = np.random.default_rng([seed, of_unit])
    unit = np.repeat(np.arange(units), size)
    shared = r.normal(size=units)[unit]
    x = r.normal(size=units)[unit] if of_unit else r.normal(size=len(unit))
    return Sampling.of_units(unit), x, 0.8 * shared + 0.6 * r.normal(size=len(unit))


@pytest.mark.parametrize("of_unit", [True, False])
def test_tests_keep_their_level_and_intervals_hold_on_noise_that_comes_in_units(of_unit):
    p, held = [], []
    for seed in range(200):
        sampling, x, y = clustered(seed, of_unit=of_unit)
        two, three = (x > 0).astype(int), np.digitize(x, [-0.5, 0.7])
        pair, many = GroupedRows(y, two, ("a", "b"), sampling), GroupedRows(y, three, ("a", "b", "c"), sampling)
        table = Crossing.of(three, (y > 0.5).astype(int), (3, 2), sampling)
        p.append(
            [
                *(t.p for t in (*pair.tests.values(), *many.tests.values())), table.chi_square().p, table.trend().p,
                pearson(x, y, sampling)[1].p, spearman(x, y, sampling)[1].p, not_straight(x, y, sampling).p,
            ]
        )  # fmt: skip
        rates = event_rates(two, y > 0.5, 2, sampling)
        truth = stats.norm.sf(0.5)
        low, high = pair.summary.mean_interval
        two_by_two = Crossing.of(two, (y > 0.5).astype(int), (2, 2), sampling).two_by_two()
        held.append(
            [
                rates.low[1] <= truth <= rates.high[1], low[0] <= 0 <= high[0],
                *(e.low <= t <= e.high for e, t in zip(two_by_two.values(), (0, 1, 1), strict=True)),
                *(pair.effects[n].low <= t <= pair.effects[n].high
                  for n, t in (("mean_difference", 0), ("hedges_g", 0), ("superiority", 0.5))),
                (e := pearson(x, y, sampling)[0]).low <= 0 <= e.high,
            ]
        )  # fmt: skip
    rejected, covered = np.mean(np.array(p) < 0.05, axis=0), np.mean(held, axis=0)
    assert (rejected <= 0.105).all(), rejected  # 6 % and three standard errors
    assert (covered >= 0.895).all(), covered
    assert rejected.mean() > 0.02
    assert covered.mean() < 0.985


def noise(seed, units=60, size=30):
    """A table of units whose rows share what they say, in which nothing is related."""
    r = np.random.default_rng(seed)
    unit = np.repeat(np.arange(units), size)
    n = len(unit)

    def number():
        return r.normal(size=units)[unit] + 0.7 * r.normal(size=n)

    frame = pd.DataFrame({"case": unit})
    for k in range(5):
        frame[f"x{k}"] = number()
    for k in range(3):
        frame[f"c{k}"] = np.array(["a", "b", "c"])[np.digitize(number(), [-0.6, 0.6])]
    frame["of_unit"] = r.normal(size=units)[unit]
    frame["band"] = np.array(["low", "high"])[(r.random(units) < 0.5).astype(int)[unit]]
    frame["day"] = pd.Timestamp("2024-01-01") + pd.to_timedelta(np.repeat(r.integers(0, 300, units), size), "D")
    for k in (0, 2):
        frame.loc[number() > 1.2, f"x{k}"] = np.nan
    frame["y"] = number()
    frame["won"] = np.where(frame["y"] > 0.4, "yes", "no")
    return frame


RELATIONS = {
    "missing-follows-outcome", "bend-without-trend", "spread-differs", "significant-but-tiny", "outcome-drift",
    "means-differ-rows-overlap", "turns-round", "vanishes-within", "groups-disagree", "counts-mislead",
    "step-not-trend", "too-good-to-be-true", "strong-candidate", "intervals-mislead", "more-together",
    "only-within", "equal-summaries",
}  # fmt: skip


@pytest.mark.parametrize("outcome", ["won", "y"])
def test_noise_that_comes_in_units_raises_no_finding_about_a_relation(outcome):
    raised = 0
    for seed in range(4):
        frame = noise(seed, 60, 15).drop(columns="won" if outcome == "y" else "y")
        study = Study(frame, outcome=outcome, unit="case")
        found = [*study.inventory().findings, *study.balance().findings, *study.rank().findings]
        found += study.against().findings
        for name in study.candidates:
            found += [
                *study.against(name).findings,
                *study.against(name, by="band" if name != "band" else "c0").findings,
            ]
            found += study.contingency(name, outcome).findings if outcome == "won" else ()
            if name not in ("c0", "day"):
                found += study.distribution(name, by="c0").findings
        raised += bool({f.code for f in found} & RELATIONS)
    assert raised == 0


def test_a_finding_carries_the_numbers_of_its_table():
    r = np.random.default_rng(1)
    frame = noise(1)
    frame["side"] = np.where(frame["case"] % 2, "left", "right")
    frame["z"] = frame["x1"] * np.where(frame["side"] == "left", 1, 3) + r.normal(size=len(frame)) / 9
    study = Study(frame, outcome="side", unit="case")
    against = study.against("x1")
    found = {f.code: f for f in study.distribution("z", by="side").findings}
    assert "spread-differs" in found
    frame["w"] = frame["x4"] + np.where(frame["side"] == "left", 1.2, 0)
    view = Study(frame, outcome="side", unit="case").against("w")
    for f in view.findings:
        if f.code in ("means-differ-rows-overlap", "significant-but-tiny"):
            assert f.evidence["p"] == view.tests.loc["welch_t", "p"]
    assert against.table["n"].sum() == frame["x1"].notna().sum()


CASES = {
    "some missing": lambda unit: np.where(np.arange(len(unit)) % 7 == 0, np.nan, unit),
    "one case": lambda unit: unit * 0,
    "two cases": lambda unit: unit % 2,
    "a case a row": lambda unit: np.arange(len(unit)),
    "nested in a class": lambda unit: unit,
}


@pytest.mark.parametrize("kind", CASES)
@pytest.mark.parametrize("outcome", ["won", "y"])
def test_units_of_every_kind_give_numbers_or_none_and_never_more_than_rows_would(kind, outcome):
    frame = noise(4, 20, 12)
    frame["case"] = CASES[kind](frame["case"].to_numpy().astype(float))
    if kind == "nested in a class":
        frame["won"] = np.where(frame["case"] % 3 == 0, "yes", "no")
    frame = frame.drop(columns="won" if outcome == "y" else "y")
    by_units, by_rows = (
        Study(frame, outcome=outcome, unit=u, ignore=["case"] if u is None else []) for u in ("case", None)
    )
    for name in ("x1", "c1", "day", "of_unit"):
        one, other = by_units.against(name), by_rows.against(name)
        for table in ("tests", "effects"):
            assert getattr(one, table).index.isin(getattr(other, table).index).all()
        p = one.tests["p"].dropna()
        assert ((p >= 0) & (p <= 1)).all()
        e = one.effects.drop(index="omega_squared", errors="ignore").dropna()  # that may lie below 0, its interval not
        assert (e["low"] <= e["estimate"] + 1e-9).all()
        assert (e["estimate"] <= e["high"] + 1e-9).all()
        assert str(one)
        assert by_units.distribution(name, by="c1" if name != "c1" else "band").to_dict()
        assert by_units.against(name, by="c1" if name != "c1" else "band").to_dict()
    for view in (by_units.rank(), by_units.relations(), by_units.against(), by_units.balance(), by_units.inventory()):
        assert view.to_dict()
    if kind == "a case a row":
        assert by_units.against("x1").tests["p"].to_numpy() == pytest.approx(
            by_rows.against("x1").tests["p"].to_numpy(),
            abs=0.12,  # other estimates of the same variances
        )
    if kind in ("one case", "two cases"):
        assert by_units.against("x1").tests["p"].isna().all()
        assert by_units.rank().table[["low", "high", "p"]].isna().all(axis=None)
        assert by_units.distribution("x1").table[["mean_low", "mean_high"]].isna().all(axis=None)
        assert by_units.against("x1", by="c1").pooled[["low", "high", "agreement_p"]].isna().all(axis=None)
        levels = np.arange(len(frame)) % 3
        event = (levels + frame["x1"].fillna(0).to_numpy() > 1).astype(np.int64)
        sampling = Sampling.of_units(frame["case"].to_numpy())
        crossed = Crossing.of(levels, event, (3, 2), sampling)
        assert np.isnan([crossed.trend().p, crossed.not_on_a_line().p, crossed.gamma().low]).all()
    if kind == "one case":
        with pytest.raises(OptionError, match="the 1 case of 'case' stays whole"):
            by_units.split(0.25)
    else:
        assert [0 < len(s.table) < len(frame) for s in by_units.split(0.25)] == [True, True]


def test_a_unit_that_is_also_by_is_a_group_each():
    frame = noise(2, 6, 40)
    study = Study(frame.drop(columns="won").astype({"case": str}), outcome="y", unit="case")
    view = study.against("x1", by="case")
    assert len(view.by) == 6
    slope = view.pooled.loc["slope"]
    assert slope["low"] < slope["pooled"] < slope["high"]
    assert np.isnan(slope["agreement_p"])  # each group is one case: whether they agree cannot be known


def test_pairs_that_differ_between_groups_take_the_error_of_their_coefficient():
    r = np.random.default_rng(0)
    p = []
    for seed in range(25):
        frame = noise(seed, 40, 12)[["case", "x1", "x3", "x4", "c1"]]
        study = Study(frame, unit="case")
        p += study.relations("x1", "x3", "x4", by="c1").differ["p"].tolist()
    assert np.mean(np.array(p) < 0.05) <= 0.12
    x = r.normal(size=900)
    frame = pd.DataFrame({"x": np.exp(x), "y": x**3 + r.normal(size=900), "g": r.choice(["a", "b", "c"], 900)})
    for method, variance in (
        ("spearman", lambda rho, n: (1 + rho**2 / 2) / (n - 3)), ("kendall", lambda tau, n: 0.437 / (n - 4)),
        ("pearson", lambda rho, n: 1 / (n - 3)),
    ):  # fmt: skip
        parts = [frame[frame["g"] == g] for g in "abc"]
        rho = np.array([part[["x", "y"]].corr(method).iloc[0, 1] for part in parts])
        n = np.array([len(part) for part in parts])
        z, w = np.arctanh(rho), 1 / variance(rho, n)
        q = np.sum(w * (z - np.sum(w * z) / w.sum()) ** 2)
        seen = Study(frame).relations("x", "y", by="g", method=method).differ
        assert seen["p"].iloc[0] == pytest.approx(stats.chi2.sf(q, 2), rel=1e-9)


def test_the_band_of_a_trend_is_wider_where_units_share_what_is_left():
    sampling, x, y = clustered(1)
    band = [smooth_trend(x, y, s) for s in (sampling, rows(x))]
    middle = slice(50, 150)
    width = [np.median((b.high - b.low)[middle]) for b in band]
    assert width[0] > 1.3 * width[1]
    pairs = itertools.pairwise(band[0].mean)
    assert all(np.isfinite(a) and np.isfinite(b) for a, b in pairs)


def test_a_correlation_over_units_is_told_from_nothing_by_interval_and_test_alike():
    r = np.random.default_rng(8)
    sure = 0
    for draw in range(200):
        cases = int(r.integers(5, 40))
        units = np.repeat(np.arange(cases), 6)
        shared = r.normal(size=(2, cases))[:, units]
        x, y = np.exp(1.5 * shared[0]), np.exp(1.5 * shared[1] + (draw % 2) * shared[0] + r.normal(size=len(units)))
        for measure in (pearson, spearman):
            estimate, test = measure(x, y, Sampling.of_units(units))
            assert (estimate.low > 0 or estimate.high < 0) == (test.p < 0.05), (draw, estimate, test)
        sure += draw % 2 == 0 and pearson(x, y, Sampling.of_units(units))[1].p < 0.05
    assert sure <= 4  # of 100 unrelated pairs with long tails; by the jackknife's error alone nine are


RESTING = (
    "curved-relation", "bend-without-trend", "more-together", "only-within", "only-together", "turns-round",
    "turns-between-groups", "vanishes-within", "missing-follows-outcome", "missing-follows-column", "step-to-none",
)  # fmt: skip


def of_hives(seed, effect=0.0, cases=60, each=20):
    """What hives share, and one number of rows that bends the outcome by so much."""
    r = np.random.default_rng(seed)
    hive = np.repeat(np.arange(cases), each)
    n = len(hive)
    shared = {f"x{k}": r.normal(size=cases)[hive] + 0.3 * r.normal(size=n) for k in range(5)}
    frame = pd.DataFrame({"hive_id": hive + 1_000, **shared, "g": r.choice(list("abc"), cases)[hive]})
    frame["gap"] = np.where(r.normal(size=cases)[hive] + r.normal(size=n) > 1.2, np.nan, r.normal(size=n))
    frame["own"] = r.normal(size=n)
    frame["y"] = 2 * r.normal(size=cases)[hive] + r.normal(size=n) + effect * frame["own"] ** 2
    return frame


def test_what_holds_only_if_rows_are_cases_is_left_out_and_said_so():
    raised, left_out = [], 0
    for seed in range(8):
        study = Study(of_hives(seed), outcome="y")
        for view in (study.inventory(), study.against(), study.relations()):
            raised += [f for f in view.findings if f.code in RESTING]
            told = [f for f in view.findings if f.code == "rests-on-rows"]
            assert sorted(d["code"] for f in told for d in f.evidence["left_out"]) == sorted(
                f.code for f in view.found if f.code in RESTING
            )
            left_out += len(told)
            declared = {f.code for f in Study(of_hives(seed), outcome="y", unit="hive_id").against().findings}
            assert "rests-on-rows" not in declared
    assert len(raised) <= 1
    assert left_out > 8  # by rows nearly every table had something to say


def test_what_holds_of_units_too_is_said_and_a_view_goes_to_another_process_with_its_doubt():
    study = Study(of_hives(3, effect=1.0), outcome="y")
    for view in (study.against(), study.relations(), study.against("own")):
        sent = pickle.loads(pickle.dumps(view))
        for one in (view, sent):
            bends = [f for f in one.findings if f.code in ("curved-relation", "bend-without-trend")]
            assert [{*f.columns} for f in bends] == [{"own", "y"}]
    spread = of_hives(3).assign(hive_id=np.random.default_rng(0).permutation(np.repeat(np.arange(60), 20)))
    assert not [f for f in Study(spread, outcome="y").against().findings if f.code == "rests-on-rows"]
