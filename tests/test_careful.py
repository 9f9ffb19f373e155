"""What a careful colleague would add: each said where it is so, and not where it only seems so."""

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.core.distribution.lone import lone_value
from envelt.core.stats.alike import too_alike
from envelt.core.stats.sampling import Sampling
from samples import found, rows

N = 600


def said(frame, code, step="inventory", *asked, by=None, **options):
    view = getattr(Study(frame, **options), step)(*asked, **({"by": by} if by else {}))
    return [f for f in view.findings if f.code == code]


def rng(seed):
    return np.random.default_rng(seed)


def flags(r, k=4):
    kind = r.integers(0, k + 1, N)
    return pd.DataFrame({f"f{i}": np.where(kind == i, "yes", "no") for i in range(k)})


def test_flags_are_redundant_only_where_never_two_are_set_and_chance_would_set_many():
    r = rng(1)
    frame = flags(r)
    (found,) = said(frame, "redundancy-of-flags")
    assert found.columns == ("f0", "f1", "f2", "f3")
    assert found.evidence["none"] == (frame == "no").all(axis=1).sum()
    assert not said(frame[["f0", "f1"]], "redundancy-of-flags")  # two are one column told twice
    both, row = frame.copy(), int(np.flatnonzero(frame["f0"] == "yes")[0])
    both.loc[row, "f1"] = "yes"
    assert said(both, "redundancy-of-flags")[0].evidence["contradict"] == [str(row)]
    both.loc[np.flatnonzero(frame["f0"] == "yes")[:4], "f1"] = "yes"
    assert [f.columns for f in said(both, "redundancy-of-flags")] in ([("f0", "f2", "f3")], [("f1", "f2", "f3")])
    rare = frame.where(
        np.repeat(rng(2).random((N, 1)) < 0.1, 4, axis=1), "no"
    )  # so rare that chance would set no two either
    assert not said(rare, "redundancy-of-flags")
    assert not said(frame.apply(lambda c: r.permutation(c)), "redundancy-of-flags")
    numbers = (frame == "yes").astype(int)
    assert said(numbers, "redundancy-of-flags")[0].columns == found.columns
    numbers.loc[5, "f2"] = np.nan  # a flag with gaps is none
    assert said(numbers, "redundancy-of-flags")[0].columns == ("f0", "f1", "f3")


def test_gaps_that_all_lie_in_a_few_levels_are_told_and_those_spread_by_chance_are_not():
    r = rng(4)
    yard = r.choice([f"Y{k:02d}" for k in range(30)], N)
    frame = pd.DataFrame({"x": r.normal(size=N), "yard": yard})
    frame.loc[np.isin(yard, ["Y03", "Y17"]), "x"] = np.nan
    (found,) = said(frame, "missing-follows-column")
    assert found.columns == ("x", "yard")
    assert found.evidence["missing"]["'Y03'"] == [(yard == "Y03").sum()] * 2
    spread = frame.assign(x=frame["x"].where(r.random(N) > 0.07))
    assert not said(spread, "missing-follows-column")
    few = pd.DataFrame({"x": r.normal(size=N), "yard": yard})
    few.loc[np.flatnonzero(yard == "Y03")[:3], "x"] = np.nan  # three gaps fall into one yard once in a thousand tables
    assert not said(few, "missing-follows-column")
    whole = pd.DataFrame({"x": r.normal(size=N), "yard": yard, "hive": np.arange(N) // 10})
    at = whole["hive"].isin([3, 9])
    whole.loc[at, "x"], whole.loc[at, "yard"] = np.nan, "Y05"  # of two hives: no more than two cases
    assert said(whole.drop(columns="hive"), "missing-follows-column")
    assert not [f for f in said(whole, "missing-follows-column", unit="hive") if "yard" in f.columns]


def test_swapped_cells_are_far_in_both_columns_and_ordinary_in_each_others():
    r = rng(5)
    frame = pd.DataFrame({"tall": r.normal(180, 8, N), "wide": r.normal(52, 4, N), "other": r.normal(0, 1, N)})
    assert not said(frame, "swapped-outliers")
    swapped = frame.copy()
    swapped.loc[9, ["tall", "wide"]] = frame.loc[9, ["wide", "tall"]].to_numpy()
    (found,) = said(swapped, "swapped-outliers")
    assert (found.columns, found.evidence["rows"]) == (("tall", "wide"), ["9"])
    far = frame.copy()
    far.loc[9, ["tall", "wide"]] = [300.0, 120.0]  # both far out, and at home in neither place
    assert not said(far, "swapped-outliers")


@pytest.mark.parametrize("scale", [1.0, 1000.0])
def test_one_value_that_heaps_inside_the_range_is_told_and_popular_ones_are_not(scale):
    r = rng(6)
    smooth = r.integers(1900, 2000, 2_000).astype(float)
    heaped = np.sort(np.where(r.random(2_000) < 0.2, 1950.0, smooth)) * scale
    atom = lone_value(heaped, scale)
    assert atom.value == 1950 * scale
    assert atom.rows == (heaped == 1950 * scale).sum()
    near = heaped[(heaped != atom.value) & (np.abs(heaped - atom.value) <= 2 * scale)]
    assert atom.expected == pytest.approx(len(near) / 4, rel=0.5)
    assert lone_value(np.sort(smooth), 1.0) is None
    popular = np.where(r.random(2_000) < 0.3, r.choice([1940.0, 1950.0, 1960.0], 2_000), smooth)
    assert lone_value(np.sort(popular), 1.0) is None  # others are a quarter as frequent
    assert lone_value(np.sort(np.maximum(smooth, 1950.0)), 1.0) is None  # an end
    assert lone_value(heaped, scale, effect=25.0) is None  # so many rows of a unit say little
    assert lone_value(np.repeat(np.arange(9.0), [5, 5, 5, 200, 5, 5, 5, 5, 5]), 1.0) is None
    school = np.round(r.normal(12, 2.5, 2_000)) * scale  # whole for most, and twelve for most of these
    school[:700], school[700:790] = 12 * scale, r.uniform(4, 20, 90) * scale
    assert lone_value(np.sort(school), 0.0) is None


def test_a_count_is_out_of_a_total_only_where_it_never_passes_it_and_reaches_it():
    r = rng(7)
    total = r.integers(2, 12, N)
    y = r.binomial(total, 0.7)
    kinds = {"y": "discrete", "total": "discrete"}
    (found,) = said(pd.DataFrame({"y": y, "total": total}), "bounded-by-total", "balance", outcome="y", kinds=kinds)
    assert found.evidence["equal"] == pytest.approx((y == total).mean())
    past = np.where(np.arange(N) == 4, total + 1, y)
    assert not said(pd.DataFrame({"y": past, "total": total}), "bounded-by-total", "balance", outcome="y", kinds=kinds)
    above = total + 40  # never passed, and never reached
    assert not said(pd.DataFrame({"y": y, "total": above}), "bounded-by-total", "balance", outcome="y", kinds=kinds)


def test_a_count_that_is_never_nothing_is_told_where_one_is_its_commonest_value():
    r = rng(8)
    y = r.poisson(1.5, N)
    kinds = {"y": "discrete"}
    cut = pd.DataFrame({"y": y[y > 0], "x": r.normal(size=(y > 0).sum())})
    (found,) = said(cut, "truncated-at-bound", "balance", outcome="y", kinds=kinds)
    assert found.evidence["ones"] == (y == 1).sum()
    whole = pd.DataFrame({"y": y, "x": r.normal(size=N)})
    assert not said(whole, "truncated-at-bound", "balance", outcome="y", kinds=kinds)
    high = pd.DataFrame({"y": r.integers(1, 9, N), "x": r.normal(size=N)})
    assert not said(high, "truncated-at-bound", "balance", outcome="y", kinds=kinds)


def test_groups_are_too_alike_seldom_by_chance_and_only_where_shapes_differ():
    raised = 0
    for seed in range(300):
        r = rng(seed)
        raised += too_alike(r.normal(size=90), np.repeat(np.arange(3), 30), 3, rows(np.zeros(90))) is not None
    assert raised <= 2
    shapes = [rng(1).normal(size=40), rng(2).exponential(size=40), np.repeat([0.0, 1.0], 20)]
    x = np.concatenate([(v - v.mean()) / v.std(ddof=1) for v in shapes])
    codes = np.repeat(np.arange(3), 40)
    gap = too_alike(x, codes, 3, rows(x))
    grid = np.sort(x)
    below = [np.searchsorted(np.sort(x[codes == k]), grid, "right") / 40 for k in range(3)]
    assert gap == pytest.approx(max(np.max(np.abs(a - b)) for a in below for b in below))
    assert too_alike(x, codes, 3, Sampling.of_units(np.arange(120) // 2)) is None
    same = pd.DataFrame({"x": np.tile(x[:40], 3), "g": np.repeat(list("abc"), 40)})  # one design, three times
    assert not said(same, "equal-summaries", "distribution", "x", by="g")
    for step, asked in (("distribution", ("x",)), ("against", ("x",)), ("relations", ())):
        frame = pd.DataFrame({"x": x, "g": np.repeat(list("abc"), 40), "y": rng(3).normal(size=120)})
        assert said(frame, "equal-summaries", step, *asked, by="g", outcome="y")


def test_relations_of_candidates_vanish_show_only_within_or_turn_between_groups():
    codes = ("vanishes-within", "only-within", "turns-between-groups", "turns-round")

    def found(frame):
        kinds = {"x": "continuous", "third": "continuous"} if "third" in frame else None
        told = Study(frame, outcome="y", kinds=kinds).against().findings
        return {(f.code, f.columns[0]) for f in told if f.code in codes}

    r = rng(9)
    third = r.integers(0, 5, 1_500)
    gone = pd.DataFrame({"x": third + r.normal(0, 1.5, 1_500), "third": third, "y": third + r.normal(0, 1.5, 1_500)})
    assert ("vanishes-within", "x") in found(gone)
    # two deviations of y up the third, and one down x within: over all rows nothing
    third = r.integers(0, 5, 1_500)
    x = third + r.normal(0, 1.8, 1_500)
    slope = -np.cov(x, third)[0, 1] / np.var(x)
    only = pd.DataFrame({"x": x, "third": third, "y": third + slope * x + r.normal(size=1_500)})
    assert ("only-within", "x") in found(only)
    side = r.choice(["left", "right"], 1_500)
    x = r.normal(size=1_500)
    crossed = pd.DataFrame({"x": x, "side": side, "y": np.where(side == "left", 1, -1) * x + r.normal(size=1_500)})
    assert found(crossed) in ({("turns-between-groups", "x")}, {("turns-between-groups", "side")})
    plain = pd.DataFrame({"x": x, "side": side, "y": x + (side == "left") + r.normal(size=1_500)})
    assert not found(plain)
    raised = 0
    for seed in range(40):  # each candidate adds its own
        r = rng(seed)
        frame = pd.DataFrame({f"x{k}": r.normal(size=500) for k in range(5)} | {"g": r.choice(list("abc"), 500)})
        frame["y"] = frame["x0"] + 0.5 * frame["x1"] + (frame["g"] == "a") + r.normal(size=500)
        raised += bool(found(frame))
    assert raised <= 2


def test_levels_without_an_order_turn_as_a_whole():
    r = rng(10)
    size = r.normal(size=2_000)
    grade = np.clip(np.round(2 - size + r.normal(0, 0.7, 2_000)), 0, 4).astype(int)  # the clearest are the smallest
    frame = pd.DataFrame({"size": size, "grade": np.array(list("vwxyz"))[grade]})
    frame["y"] = 2.0 * size + 1.0 * grade + r.normal(0, 2.0, 2_000)
    found = said(frame, "turns-round", "against", outcome="y")
    assert [f.columns[:2] for f in found if f.columns[0] == "grade"] in ([("grade", "size")], [])
    means = frame.groupby("grade")["y"].mean()
    for f in found:
        if f.columns[0] == "grade":
            assert f.evidence["overall"][0] == pytest.approx(means.max() - means.min(), rel=0.2)
    noise = 0
    for seed in range(60):
        r = rng(seed)
        frame = pd.DataFrame(
            {"a": r.choice(list("pqrstuvw"), 400), "b": r.choice(list("klm"), 400), "y": r.normal(size=400)}
        )
        noise += bool(said(frame, "turns-round", "against", outcome="y"))
    assert noise == 0


def test_rows_beyond_a_gap_that_make_a_correlation_are_told_and_a_long_tail_is_not():
    r = rng(11)
    x, y = r.normal(size=N), r.normal(size=N)
    far = np.arange(N) < 60
    made = pd.DataFrame({"x": np.where(far, x + 30, x), "y": np.where(far, y + 8, y)})
    (found,) = said(made, "few-rows-correlate", "relations")
    assert (found.weight, len(found.evidence["rows"])) == ("caution", 60)
    assert found.evidence["without"] == pytest.approx(np.corrcoef(x[60:], y[60:])[0, 1])
    assert said(made.assign(z=r.normal(size=N)), "few-rows-correlate", "relations", outcome="z")[0].weight == "note"
    tail = pd.DataFrame({"x": r.lognormal(0, 1, N), "y": y})
    tail["y"] += tail["x"]
    assert not said(tail, "few-rows-correlate", "relations")
    many = pd.DataFrame({"x": np.where(np.arange(N) < 200, x + 30, x), "y": np.where(np.arange(N) < 200, y + 8, y)})
    assert not said(many, "few-rows-correlate", "relations")  # a third of the rows are no few


def test_zero_below_a_scale_may_be_no_grade_and_nines_are_a_mark_whatever_their_share():
    r = rng(12)
    rating = np.where(r.random(N) < 0.5, 0, r.choice([1, 2, 3, 4, 5], N, p=[0.05, 0.15, 0.4, 0.25, 0.15]))
    (found,) = said(pd.DataFrame({"rating": rating, "x": r.normal(size=N)}), "sentinel-value")
    assert found.columns == ("rating",)
    falling = r.choice(6, N, p=[0.4, 0.25, 0.15, 0.1, 0.06, 0.04])
    assert not said(pd.DataFrame({"rating": falling, "x": r.normal(size=N)}), "sentinel-value")
    upper = np.where(r.random(N) < 0.6, 999, r.integers(2, 90, N))
    assert said(pd.DataFrame({"upper": upper, "x": r.normal(size=N)}), "sentinel-value")[0].evidence["value"] == "999"


def test_notes_of_many_transforms_are_one():
    r = rng(13)
    frame = pd.DataFrame({f"x{k}": np.exp(r.normal(size=N)) for k in range(4)})
    frame["y"] = np.log(frame).sum(axis=1) + r.normal(size=N)
    found = said(frame, "straighter-with", "transforms", outcome="y")
    assert len(found) == 1
    assert set(found[0].columns) == {"x0", "x1", "x2", "x3"}
    assert len(said(frame, "straighter-with", "transforms", "x0", outcome="y")) == 1


def test_relations_and_crossings_give_one_interval_of_v_and_of_a_ratio():
    r = rng(14)
    case = np.repeat(np.arange(150), 4)
    a = r.integers(0, 3, N)
    b = np.where((r.random(150) < 0.4)[case], a, r.integers(0, 4, N))
    frame = pd.DataFrame({"a": np.array(list("xyz"))[a], "b": np.array(list("klmn"))[b], "y": a + r.normal(size=N)})
    for unit in (None, "case"):
        study = Study(frame.assign(case=case), outcome="y", unit=unit)
        pair = study.relations("a", "b").pairs.iloc[0]
        effect = study.contingency("a", "b").effects.loc["cramers_v"]
        assert pair[["coefficient", "low", "high"]].to_list() == pytest.approx(effect.to_list(), abs=1e-6)
        ratio = study.relations("a", "y").pairs.iloc[0]
        omega = study.against("a").effects.loc["omega_squared"]
        assert ratio[["low", "high"]].to_numpy() ** 2 == pytest.approx(
            omega[["low", "high"]].to_numpy(float), abs=0.004
        )


@pytest.mark.parametrize(
    ("form", "day"),
    [
        ("%m/%d/%Y %H:%M", "month first"), ("%d.%m.%Y %H:%M:%S", "day first"), ("%Y/%m/%d %H:%M:%S", "%Y/%m/%d"),
        ("%m/%d/%y %I:%M %p", "month first"), ("%Y-%m-%d %H:%M", "year-month-day"),
    ],
)  # fmt: skip
def test_dates_with_a_time_of_day_are_read_in_any_form(form, day):
    at = pd.Timestamp("2021-03-28 11:30") + pd.to_timedelta(np.arange(200) * 37, "min")
    frame = pd.DataFrame({"at": at.strftime(form), "x": np.arange(200.0)})
    study = Study(frame)
    assert study.table["at"].kind == "datetime"
    minutes = np.diff(study.table["at"].values) / 60e6
    assert np.allclose(minutes, 37)
    (told,) = [f for f in study.inventory().findings if f.code == "read-from-text"]
    assert day in told.statement
    odd = frame.assign(at=frame["at"].where(np.arange(200) != 7, "soon"))
    assert Study(odd).table["at"].kind != "datetime"


def test_numbers_of_what_rows_are_of_stand_in_blocks_and_measures_do_not():
    r = rng(15)
    size = r.integers(6, 20, 60)
    code = np.repeat(100 * np.cumsum(r.integers(1, 5, 60)), size)
    n = len(code)
    frame = pd.DataFrame(
        {"class": code, "x": r.normal(size=n), "y": np.repeat(r.normal(size=60), size) + r.normal(size=n)}
    )
    study = Study(frame, outcome="y")
    assert study.table["class"].kind == "identifier"
    assert [f.columns[0] for f in study.inventory().findings if f.code == "likely-unit"] == ["class"]
    assert not [f for f in study.balance().findings if f.code == "drift-along-rows"]  # blocks are its order
    mixed = frame.sample(frac=1, random_state=1)
    assert Study(mixed, outcome="y").table["class"].kind != "identifier"
    bought = pd.DataFrame({"hid": np.repeat(np.arange(1, 401), 2), "price": r.normal(size=800).round(3)})
    bought["y"] = r.choice(list("ab"), 800)
    assert [f.columns[0] for f in said(bought, "likely-unit", outcome="y")] == ["hid"]


def test_what_complete_rows_would_cost_is_counted_without_the_outcome():
    r = rng(16)
    frame = pd.DataFrame({c: r.normal(size=N) for c in "abcdy"})
    for name, share in (("a", 0.1), ("b", 0.2), ("y", 0.5)):
        frame[name] = frame[name].where(r.random(N) > share)
    (found,) = said(frame, "missing-costs-rows", outcome="y")
    assert found.columns == ("b", "a")
    assert found.evidence["rows"] == frame[["a", "b"]].isna().any(axis=1).sum()
    assert not said(frame.drop(columns="b"), "missing-costs-rows", outcome="y")


def test_two_units_give_a_coefficient_and_no_interval():
    r = rng(17)
    frame = pd.DataFrame({"a": r.choice(list("xyz"), 80), "b": r.choice(list("klm"), 80), "y": r.normal(size=80)})
    study = Study(frame.assign(case=np.repeat(["p", "q"], 40)), outcome="y", unit="case")
    for pair in (("a", "b"), ("a", "y")):
        told = study.relations(*pair).pairs.iloc[0]
        assert told["coefficient"] >= 0
        assert np.isnan([told["low"], told["high"], told["p"]]).all()


def test_short_words_that_end_in_id_are_no_ids():
    r = rng(18)
    for name, kind in (("bid", "continuous"), ("hid", "identifier"), ("pid", "identifier")):
        values = np.sort(np.resize(np.arange(1_000, 1_300), N)) if kind == "identifier" else r.integers(1_000, 9_000, N)
        assert Study(pd.DataFrame({name: values, "x": r.normal(size=N)})).table[name].kind == kind


@pytest.mark.parametrize(
    ("how", "make"),
    [
        ("√a", np.sqrt), ("log(a)", np.log), ("log10(a)", np.log10), ("a²", np.square),
        ("1 ÷ a", lambda a: 1 / a), ("2.5 × log(a) + 7", lambda a: 2.5 * np.log(a) + 7),
    ],
)  # fmt: skip
def test_what_is_another_number_in_another_scale_is_told_with_its_scale(how, make):
    r = rng(19)
    frame = pd.DataFrame({"a": r.gamma(3, 20, N).round(1) + 1, "x": r.normal(size=N)})
    frame["b"] = make(frame["a"]) if how == "a²" else make(frame["a"]).map(lambda v: float(f"{v:.5g}"))
    (found,) = said(frame, "made-up-of-others")
    assert found.evidence["how"] in {"a²": ("a²", "√b"), "1 ÷ a": ("1 ÷ a", "1 ÷ b")}.get(how, (how,))
    (loud,) = said(frame, "made-up-of-others", outcome="a")
    assert (loud.weight, set(loud.columns)) == ("stop", {"a", "b"})
    near = frame.assign(b=frame["b"] + r.normal(0, 0.05 * frame["b"].std(), N))
    assert not said(near, "made-up-of-others")
    slips = frame.copy()
    slips.loc[[3, 8], "b"] = slips["b"].max() * 3
    told = said(slips, "made-up-of-others")[0].evidence
    assert told["against"] == 2


def test_the_logarithm_of_a_ratio_is_told_and_called_no_exponential():
    r = rng(20)
    frame = pd.DataFrame({"odds": np.zeros(N), "won": r.gamma(3, 9, N), "lost": r.gamma(4, 8, N)})
    frame["odds"] = np.log(frame["won"] / frame["lost"]).round(4)
    assert said(frame, "made-up-of-others")[0].evidence["how"] == "log(won ÷ lost)"
    frame["rest"] = 100 - frame["won"] - frame["lost"]
    recipes = said(frame, "made-up-of-others")[0].evidence["recipes"]
    assert recipes["rest"] == "100 − won − lost"


def test_logarithms_and_roots_of_whole_numbers_are_told_and_measures_are_not():
    r = rng(21)
    whole = r.integers(2, 90, N)
    for undone, make in (("exp(x)", np.log), ("10 ** x", np.log10), ("x ** 2", np.sqrt)):
        (found,) = said(pd.DataFrame({"x": make(whole), "y": r.normal(size=N)}), "logarithm-of-units")
        assert (found.evidence["undone"], found.evidence["highest"]) == (undone, whole.max())
        assert Study(pd.DataFrame({"x": make(whole)})).derive("back", undone).table["back"].values == pytest.approx(
            whole
        )
        part = np.where(np.arange(N) == 5, make(whole + 0.4), make(whole))
        assert not said(pd.DataFrame({"x": part, "y": r.normal(size=N)}), "logarithm-of-units")
    for x in (whole + 1e-9, whole / 10, r.normal(size=N), np.log(whole * 1_000_003)):
        assert not said(pd.DataFrame({"x": x, "y": r.normal(size=N)}), "logarithm-of-units")
    assert said(pd.DataFrame({"log_x": np.log(whole), "y": r.normal(size=N)}), "logarithm-of-units")[0].weight == "note"


def test_peaks_are_told_apart_by_the_column_that_does():
    r = rng(22)
    side = r.random(N) < 0.4
    x = np.where(side, 10.0, 17.0) + r.normal(0, 1, N)
    frame = pd.DataFrame({"x": x, "kind": np.where(side, "small", np.where(r.random(N) < 0.5, "large", "huge"))})
    frame["weak"] = np.where(r.random(N) < 0.25, r.permutation(side), side)
    frame["many"] = [f"{'a' if s else 'b'}{k % 20}" for k, s in enumerate(side)]
    frame["y"] = r.normal(size=N)
    for step, asked in (("distribution", ()), ("distribution", ("x",)), ("balance", ())):
        (found,) = said(frame, "two-peaks", step, *asked, outcome="x" if step == "balance" else "y")
        assert found.columns == ("x", "kind")
        valley = found.evidence["valley"]
        right = ((x > valley) == (frame["kind"] != "small")).mean()
        assert found.evidence["share"] == pytest.approx(right)
        assert found.statement.split(" apart, ")[1].split(" above")[0] in (
            "'small' below and 'large', 'huge'",
            "'small' below and 'huge', 'large'",
        )
    assert said(frame.drop(columns="kind"), "two-peaks", "distribution", "x")[0].columns == ("x",)
    holes = frame.assign(kind=frame["kind"].where(r.random(N) < 0.5), x=frame["x"].where(r.random(N) < 0.9))
    assert said(holes, "two-peaks", "distribution", "x")[0].columns == ("x", "kind")


def test_what_turns_only_because_a_third_column_has_gaps_is_not_told():
    r = rng(23)
    site = r.choice(3, 2_400)
    size = r.normal(size=2_400) + np.array([0.0, 3.0, 6.0])[site]
    y = np.where(site == 0, 2.0 * size, -3.0 * site) + r.normal(size=2_400)
    frame = pd.DataFrame({"size": size, "queen": r.choice(["old", "young"], 2_400), "y": y})
    frame.loc[site > 0, "queen"] = None  # queens were looked at in one place only, where there is no fall
    told = [f for f in Study(frame, outcome="y").against().findings if set(f.columns) >= {"size", "queen"}]
    assert not [f for f in told if f.code in ("turns-round", "vanishes-within", "only-within")]
    second, u = r.random(2_400) < 0.5, r.normal(size=2_400)
    turned = pd.DataFrame({"size": u + 3 * second, "y": u - 2 * second + r.normal(0, 0.7, 2_400)})
    turned["queen"] = np.where(r.random(2_400) < 0.2, None, np.where(second, "old", "young"))
    (found,) = said(turned, "turns-round", "against", outcome="y")
    assert found.columns[:2] == ("size", "queen")


def test_a_correlation_of_candidates_that_levels_make_is_a_note_and_one_with_the_outcome_a_caution():
    r = rng(24)
    kind = r.choice(4, 900)
    frame = pd.DataFrame({"a": kind + r.normal(0, 0.8, 900), "b": kind + r.normal(0, 0.8, 900)})
    frame["kind"] = np.array(list("wxyz"))[kind]
    frame["y"] = r.normal(size=900)
    weights = {}
    for outcome in ("y", "b", None):
        (found,) = said(frame, "vanishes-within", "relations", outcome=outcome)
        weights[outcome] = found.weight
        assert set(found.columns) == {"a", "b", "kind"}
    assert weights == {"y": "note", "b": "caution", None: "caution"}


def test_what_by_its_name_was_taken_after_the_outcome_or_with_it_is_told():
    r = rng(25)
    base = r.normal(40, 6, N)

    def later(names, outcome):
        noise = {n: (base + r.normal(0, s, N)).round(1) for n, s in names.items()}
        return [f.columns for f in said(pd.DataFrame(noise), "known-later", outcome=outcome)]

    weights = {"weight_0m": 3, "weight_3m": 3, "weight_8m": 3, "feed_2w": 3}
    assert later(weights, "weight_3m") == [("weight_8m", "weight_3m")]
    assert later(weights, "weight_8m") == []
    years = {"height93": 3, "height97": 3, "girth97": 2, "cover97": 40, "girth95": 3}
    assert later(years, "height97") == [("girth97", "height97")]  # cover says little of it
    assert later(years, "height93") == [("height97", "girth97", "cover97", "girth95", "height93")]
    assert later({"height97": 3, "girth97": 2, "x": 3}, "height97") == []  # of one time only: a part of names
    items = {"item1": 2, "item2": 2, "item3": 40}
    assert later(items, "item1") == [("item2", "item1")]  # no times, but of one set and numbered after it
    assert later(items, "item2") == []


def test_doubts_of_one_kind_are_one_note_and_of_few_columns_each_its_own():
    r = rng(26)
    grades = pd.DataFrame({f"q{k}": r.integers(1, 7, N) for k in range(5)}).assign(x=r.normal(size=N))
    (joined,) = said(grades, "coded-numbers")
    assert joined.columns == ("q0", "q1", "q2", "q3", "q4")
    assert len(said(grades[["q0", "q1", "x"]], "coded-numbers")) == 2
    settled = said(grades, "coded-numbers", kinds={f"q{k}": "ordinal" for k in range(4)})
    assert [f.columns for f in settled] == [("q4",)]


def test_a_weak_bend_of_a_strong_line_is_no_curve_and_a_plain_one_is():
    r = rng(27)
    x = r.uniform(0, 10, 2_000)
    for bend, told in ((0.06, False), (0.5, True)):  # two in a hundred of the variance, and many
        frame = pd.DataFrame({"x": x, "y": x + bend * (x - 5) ** 2 + r.normal(0, 1.5, 2_000)})
        assert bool(said(frame, "curved-relation", "against", outcome="y")) == told


def drifting(seed, number=0.0, level=0.0, dates=False):
    r = rng(seed)
    year = r.integers(2010, 2020, 1_500)
    late = (year - 2010) / 9
    frame = pd.DataFrame({"year": year, "x": r.normal(size=1_500) + number * late, "y": r.normal(size=1_500)})
    frame["kind"] = np.where(
        r.random(1_500) < 0.3 + level * late, "new", np.where(r.random(1_500) < 0.5, "old", "mixed")
    )
    frame["z"] = r.normal(size=1_500)
    return frame.assign(year=pd.to_datetime(frame["year"].astype(str) + "-06-01")) if dates else frame


@pytest.mark.parametrize("dates", [False, True])
def test_candidates_that_drift_over_time_are_told_at_once_and_how_far(dates):
    (found,) = said(drifting(28, 2.5, 0.5, dates), "candidates-drift", "balance", outcome="y")
    assert found.columns == ("x", "kind", "year")
    frame = drifting(28, 2.5, 0.5)
    means, share = frame.groupby("year")["x"].mean(), frame["kind"].eq("new").groupby(frame["year"]).mean()
    size = found.evidence["size"]
    assert size["x"] == pytest.approx((means.max() - means.min()) / frame["x"].std(), rel=0.01)
    assert size["kind"] == pytest.approx((share.max() - share.min()) / 0.3 * 0.8)
    assert not said(drifting(28, 0.3, 0.1, dates), "candidates-drift", "balance", outcome="y")


def test_candidates_do_not_drift_by_chance_nor_by_being_the_time_nor_by_their_units():
    raised = 0
    for seed in range(30):
        frame = drifting(seed)
        raised += bool(said(frame, "candidates-drift", "balance", outcome="y"))
    assert raised == 0
    told = drifting(29).assign(after=lambda f: np.where(f["year"] > 2014, "yes", "no"))
    assert not said(told, "candidates-drift", "balance", outcome="y")
    r = rng(30)
    case = np.repeat(np.arange(30), 50)  # each seen in one year: thirty numbers, not 1,500
    panel = pd.DataFrame(
        {"year": (2010 + case % 10), "x": r.normal(size=30)[case], "y": r.normal(size=1_500), "case": case}
    )
    assert said(panel.drop(columns="case"), "candidates-drift", "balance", outcome="y")
    assert not said(panel, "candidates-drift", "balance", outcome="y", unit="case")


def test_peaks_of_a_series_are_told_only_where_a_column_tells_them_apart_or_it_is_sorted():
    r = rng(31)
    walk = np.where(np.arange(N) < 250, 0.0, 6.0) + np.convolve(r.normal(size=N + 30), np.ones(31) / 4, "valid")
    frame = pd.DataFrame({"x": walk, "y": r.normal(size=N)})
    assert not said(frame, "two-peaks", "distribution", "x")
    assert said(frame.assign(x=np.sort(walk)), "two-peaks", "distribution", "x")
    assert said(frame.sample(frac=1, random_state=1), "two-peaks", "distribution", "x")
    told = said(frame.assign(part=np.where(walk < 3, "early", "late")), "two-peaks", "distribution", "x")
    assert [f.columns for f in told] == [("x", "part")]


def test_many_zeros_far_from_all_others_are_an_answer_and_few_are_a_mark():
    r = rng(32)
    paid = r.normal(60, 6, N).round(1)
    for share, told in ((0.02, True), (0.3, False)):
        frame = pd.DataFrame({"paid": np.where(r.random(N) < share, 0.0, paid), "x": r.normal(size=N)})
        assert bool(said(frame, "sentinel-value")) == told
    assert said(frame, "excess-zeros", "distribution", "paid")


def test_what_moves_with_time_is_no_leak_in_a_series_and_a_copy_is():
    r = rng(33)
    trend = np.arange(N) / N
    frame = pd.DataFrame({"at": pd.date_range("2001-01-01", periods=N), "carbon": trend + r.normal(0, 0.004, N)})
    frame["y"] = trend + r.normal(0, 0.01, N)
    frame["leak"] = np.sin(np.arange(N) / 9) + frame["y"]
    series = Study(frame, outcome="y").rank().findings
    assert {f.code for f in series if "carbon" in f.columns} == {"strong-candidate"}
    shuffled = frame.drop(columns="at").sample(frac=1, random_state=0)
    assert "carbon" in {
        c for f in Study(shuffled, outcome="y").rank().findings if f.weight == "stop" for c in f.columns
    }


def test_numbers_of_cases_begin_at_one_or_are_named_so():
    r = rng(34)
    y = r.normal(size=N)
    place = np.argsort(np.argsort(y + r.normal(0, 0.1, N)))
    frame = pd.DataFrame({"no": place + 1, "y": y, "x": r.normal(size=N)})
    assert said(frame, "known-later", outcome="y")[0].columns == ("no", "y")
    metres = frame.rename(columns={"no": "metres"}).assign(metres=place + 18)
    assert not said(metres, "known-later", outcome="y")


def test_a_column_under_the_same_names_repeats_another_and_pairs_of_candidates_turn_within_the_classes():
    r = rng(35)
    a = r.choice(["no", "yes"], N)
    frame = pd.DataFrame({"a": a, "b": a, "c": np.where(a == "no", "left", "right"), "x": r.normal(size=N)})
    told = [f.statement for f in said(frame, "same-column")]
    assert len(told) == 1
    assert "repeats" in told[0]
    kind = r.choice(3, N)
    birds = pd.DataFrame({"kind": np.array(list("pqr"))[kind]})
    inner = r.normal(size=N)
    birds["long"], birds["deep"] = 3 * kind + inner, -3 * kind + inner + r.normal(0, 0.7, N)
    (found,) = said(birds, "turns-round", "relations", outcome="kind")
    assert (set(found.columns), found.weight) == ({"long", "deep", "kind"}, "note")


def test_few_rows_of_a_few_places_are_told_and_places_of_many_are_names():
    region = np.repeat(["north", "south", "east", "west"], [300, 200, 90, 10])
    frame = pd.DataFrame({"region": region, "x": rng(36).normal(size=N)})
    (found,) = said(frame, "rare-levels")
    assert "region 'west' (10)." in found.statement
    many = frame.assign(region=rng(36).choice([f"{a}{b}" for a in "pqrst" for b in "vwxyz"], N))
    assert not said(many, "rare-levels")


def test_blocks_of_rows_that_no_column_names_are_told_and_sorted_files_and_series_are_not():
    r = rng(37)
    income, party = r.integers(5, 40, 150), r.integers(1, 7, 150)
    case = np.repeat(np.arange(150), 4)
    frame = pd.DataFrame({"income": income[case], "party": party[case], "cost": r.normal(size=600).round(2)})
    (found,) = said(frame, "unnamed-unit")
    assert (found.columns, found.evidence["usual"]) == (("income", "party"), 4)
    borders = 1 + (frame[["income", "party"]].diff().iloc[1:] != 0).any(axis=1).sum()
    assert found.evidence["blocks"] == borders
    assert not said(frame.sample(frac=1, random_state=1), "unnamed-unit")
    assert not said(frame.sort_values(["income", "party"]), "unnamed-unit")
    named = frame.assign(case_id=case + 1_000)
    assert not said(named, "unnamed-unit")  # as the likely unit says
    assert not said(named, "unnamed-unit", unit="case_id")
    slow = np.cumsum(r.random((600, 2)) < 0.2, axis=0) % 5  # two series that change by themselves
    assert not said(pd.DataFrame({"a": slow[:, 0], "b": slow[:, 1], "x": r.normal(size=600)}), "unnamed-unit")


def test_columns_in_another_scale_are_one_story_and_so_are_a_date_and_its_year():
    r = rng(38)
    frame = pd.DataFrame({f"x{k}": r.gamma(3, 20, N).round(2) + 1 for k in range(4)})
    frame = frame.assign(**{f"log_x{k}": np.log(frame[f"x{k}"]).round(5) for k in range(4)})
    (found,) = said(frame, "made-up-of-others")
    assert len(found.evidence["recipes"]) == 4
    at = pd.Timestamp("2011-01-01") + pd.to_timedelta(r.integers(0, 3_650, N), "D")
    drift = pd.DataFrame({"at": at, "year": at.year, "x": r.normal(size=N)})
    drift["y"] = (drift["year"] - 2015) + r.normal(size=N)
    (told,) = said(drift, "outcome-drift", "balance", outcome="y")
    assert told.columns == ("y", "at", "year")
    assert "Likewise over year." in told.statement
    assert " in 2011 to " in told.statement  # a year is said as one
    visits = pd.DataFrame({"PollDates": np.repeat([f"{k}/1-3/08" for k in range(40)], 3), "x": r.normal(size=120)})
    visits["shared"], visits["y"] = np.repeat(r.normal(size=40), 3), r.normal(size=120)
    assert not said(visits, "likely-unit", outcome="y")  # a day names no case


def test_years_that_come_round_in_a_long_file_hide_no_drift():
    year = np.tile(np.arange(2_000, 2_012), 20_000)
    frame = pd.DataFrame({"year": year, "x": rng(39).normal(size=len(year)) + 0.3 * (year - 2_000)})
    frame["y"] = rng(40).normal(size=len(year))
    (found,) = said(frame, "candidates-drift", "balance", outcome="y")
    assert found.columns == ("x", "year")


# --- what only looks like it ------------------------------------------------------------------------------


def test_the_far_ends_of_two_tails_are_no_swap_and_two_values_in_each_others_place_are():
    r = np.random.default_rng(41)
    wind = r.gamma(4, 0.25, 900)
    frame = pd.DataFrame({"dust": 5 - 1.2 * wind + r.normal(0, 0.35, 900), "wind": wind})
    assert found(frame, "swapped-outliers") == []
    body = pd.DataFrame({"weight": r.normal(66, 9, 300), "height": r.normal(170, 7, 300)})
    body.loc[11, ["weight", "height"]] = [168.0, 57.0]
    (f,) = found(body, "swapped-outliers")
    assert f.evidence["rows"] == ["11"]


def test_the_next_count_is_no_gap_and_a_far_place_is():
    r = np.random.default_rng(42)
    visits = (r.random(2000) < 0.15).astype(float) + (r.random(2000) < 0.03) * r.integers(1, 8, 2000)
    frame = pd.DataFrame({"visits": visits, "days": r.poisson(0.2 + 1.5 * visits)})
    assert found(frame, "few-rows-correlate", "relations", outcome="visits") == []
    near = pd.DataFrame({"x": r.normal(size=300), "y": r.normal(size=300)})
    near.loc[:19] += 14.0
    assert found(near, "few-rows-correlate", "relations", outcome="y") != []


def test_the_end_of_amounts_over_powers_of_ten_is_no_slip_and_a_slip_of_a_point_is():
    r = np.random.default_rng(43)
    paid = np.exp(np.abs(r.normal(0, 2.2, 1000))) * 500
    paid[:2] = 4.9e6, 4.5e6
    assert found(pd.DataFrame({"paid": paid}), "gross-outliers", "distribution") == []
    claw = r.normal(30, 2, 900)
    claw[17] = 341.4
    (f,) = found(pd.DataFrame({"claw": claw}), "gross-outliers", "distribution")
    assert f.evidence["rows"] == ["17"]


def test_days_of_hours_in_even_blocks_are_cases_and_what_is_sorted_or_scattered_is_not():
    r = np.random.default_rng(44)
    day = np.repeat(np.arange(373, 433), 24)
    nox = r.normal(size=60)[day - 373] + r.normal(0, 0.8, len(day))
    frame = pd.DataFrame({"julday": day, "wind": r.gamma(3, 1, len(day)), "nox": nox})
    (f,) = found(frame, "likely-unit", outcome="nox")
    assert f.columns == ("julday",)
    assert found(frame.sample(frac=1, random_state=1), "likely-unit", outcome="nox") == []
    tied = frame.assign(julday=np.sort(r.poisson(60, len(day))))
    assert found(tied, "likely-unit", outcome="nox") == []
    assert found(frame.assign(nox=r.normal(size=len(day))), "likely-unit", outcome="nox") == []


def test_a_column_without_a_value_is_missing_and_a_large_curve_is_a_caution():
    r = np.random.default_rng(45)
    x = r.uniform(0, 30, 500)
    frame = pd.DataFrame({"age": x, "sex": np.nan, "height": 250 * (1 - np.exp(-x / 5)) + r.normal(0, 10, 500)})
    (f,) = found(frame, "mostly-missing")
    assert (f.columns, f.weight, f.evidence["rows"]) == (("sex",), "caution", 500)
    (curve,) = found(frame, "curved-relation", "against", outcome="height")
    assert curve.weight == "caution"
    line = np.polyval(np.polyfit(x, frame["height"], 1), x)
    rest = 1 - np.corrcoef(line, frame["height"])[0, 1] ** 2
    assert 0.15 <= curve.evidence["gain"] <= rest
    frame["height"] = 4 * x + 0.02 * x**2 + r.normal(0, 10, 500)
    assert [f.weight for f in found(frame, "curved-relation", "against", outcome="height")] in ([], ["note"])


@pytest.mark.parametrize(("low", "scale"), [(False, 1.0), (True, 1.0), (False, 1e-6), (True, 1e5)])
def test_a_value_apart_is_told_with_the_next_and_its_row_at_any_scale_and_tails_have_none(low, scale):
    r = np.random.default_rng(46)
    body = np.clip(r.normal(170, 7, 400), 152, 188)
    body[55] = 120 if low else 221
    near = np.sort(body)[1 if low else -2]
    (f,) = found(pd.DataFrame({"height": scale * body}), "outliers-apart", "distribution")
    assert f.evidence["rows"] == ["55"]
    assert f.evidence["values"] == pytest.approx([scale * body[55]])
    assert f.evidence["next"] == pytest.approx(scale * near)
    told = 0
    for k in range(20):
        r = np.random.default_rng(k)
        tails = pd.DataFrame({"n": r.normal(size=400), "e": r.exponential(1, 400), "l": r.lognormal(0, 1, 400)})
        told += len(found(scale * tails, "outliers-apart", "distribution"))
    assert told <= 2


def test_an_identifier_whose_first_part_was_given_with_the_outcome_is_told_and_numbers_at_random_are_not():
    r = np.random.default_rng(47)
    n = 400
    kind = r.choice(["carnica", "ligustica"], n, p=[0.6, 0.4])
    size = np.where(kind == "carnica", r.choice(["877", "602"], n), "1142")
    tag = [f"{s}-{k}" for s, k in zip(size, r.choice(100_000, n, replace=False), strict=True)]
    frame = pd.DataFrame({"tag": tag, "x": r.normal(size=n), "kind": kind})
    (f,) = found(frame, "known-later", outcome="kind")
    assert f.evidence["right"] == 1
    assert "1142" in f.statement
    assert found(frame.assign(kind=r.permutation(kind)), "known-later", outcome="kind") == []
    plain = frame.assign(tag=[f"T{k:06d}" for k in r.choice(1_000_000, n, replace=False)])
    assert found(plain, "known-later", outcome="kind") == []


def test_a_copy_that_one_far_row_spoils_is_strong_by_its_ranks():
    r = np.random.default_rng(48)
    weight = np.round(r.normal(66, 12, 180))
    told = weight + r.integers(-2, 3, 180)
    weight[11] = 166
    frame = pd.DataFrame({"told": told, "x": r.normal(size=180), "weight": weight})
    (f,) = found(frame, "strong-candidate", "rank", outcome="weight")
    assert f.columns[0] == "told"
    assert Study(frame, outcome="weight").rank().table.loc["told", "held_out_share"] < 0.9
