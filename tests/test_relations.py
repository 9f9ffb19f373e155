"""Relations of columns of all kinds: against SciPy on each pair's own rows, by properties, and on planted data."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.relations.mixed import correlation_ratio, cramers_v
from envelt.core.stats.exact import exact_p
from envelt.core.stats.form import relation_form
from envelt.core.stats.matrices import pearson_matrix, spearman_matrix
from envelt.core.stats.of_rows import tables as ct
from envelt.core.stats.sampling import Sampling
from envelt.demo import hives
from envelt.errors import OptionError, UnknownColumnError
from samples import rows


def rng(seed=0):
    return np.random.default_rng(seed)


def codes(view):
    return [f.code for f in view.findings]


def columns_of(seed, rows, ties, gaps, offset):
    r = rng(seed)
    cause = r.normal(size=rows)
    out = []
    for k in range(4):
        x = cause * k + r.normal(size=rows) * 2
        x = np.round(x, 0 if ties else 9) + offset
        x[r.random(rows) < gaps * k] = np.nan
        out.append(x)
    return out


@given(
    st.integers(0, 10**6), st.integers(3, 120), st.booleans(), st.sampled_from([0.0, 0.1, 0.3]),
    st.sampled_from([0.0, 1e6]),
)  # fmt: skip
@settings(deadline=None, max_examples=60)
def test_every_coefficient_interval_and_p_is_scipys_on_the_rows_where_both_are_present(seed, rows, ties, gaps, offset):
    columns = columns_of(seed, rows, ties, gaps, offset)
    assume(all(np.isfinite(c).any() for c in columns))
    names = list("abcd")
    study = Study(pd.DataFrame(dict(zip(names, columns, strict=True))), kinds=dict.fromkeys(names, "continuous"))
    for method in ("pearson", "spearman", "kendall"):
        view = study.relations(*names, method=method)
        for row in view.pairs.itertuples():
            x, y = study.table[row.first].numbers, study.table[row.second].numbers
            both = ~(np.isnan(x) | np.isnan(y))
            x, y = x[both], y[both]
            assert row.n == len(x)
            seen = {"pearson": stats.pearsonr, "spearman": stats.spearmanr, "kendall": stats.kendalltau}[method](x, y)
            assert row.coefficient == pytest.approx(seen.statistic, abs=1e-12 if not offset else 1e-9)
            if abs(row.coefficient) > 1 - 1e-9 or len(x) < 3:
                continue
            if len(x) >= 10:
                assert row.p == pytest.approx(seen.pvalue, rel=1e-6, abs=1e-12)
            if method == "pearson" and len(x) > 3:
                low, high = seen.confidence_interval()
                assert [row.low, row.high] == pytest.approx([low, high], abs=1e-9)
        known = view.table.to_numpy()
        np.testing.assert_array_equal(known, known.T)


@pytest.mark.parametrize("alternative", ["two-sided", "greater", "less"])
def test_of_under_ten_rows_ranks_have_exact_p_and_sides_are_kept(alternative):
    r = rng(1)
    for n in range(3, 8):
        x, y = r.permutation(n).astype(float), r.permutation(n).astype(float)
        tau = stats.kendalltau(x, y, method="exact", alternative=alternative).pvalue
        assert exact_p(x, y, "kendall", alternative) == pytest.approx(tau)
        draws = stats.permutation_test(
            (x,), lambda a, y=y: np.corrcoef(a, y)[0, 1], permutation_type="pairings", n_resamples=10**6,  # ranks both
            alternative=alternative,
        )  # fmt: skip
        if alternative != "two-sided":  # SciPy doubles the smaller side; here both sides are counted
            assert exact_p(x, y, "spearman", alternative) == pytest.approx(draws.pvalue)
    frame = pd.DataFrame({"a": r.normal(size=60)}).assign(b=lambda f: f["a"] + r.normal(size=60))
    row = Study(frame).relations(method="pearson", alternative=alternative, confidence=0.9).pairs.iloc[0]
    seen = stats.pearsonr(frame["a"], frame["b"], alternative=alternative)
    assert row["p"] == pytest.approx(seen.pvalue, rel=1e-9)
    low, high = seen.confidence_interval(0.9)
    assert [row["low"], row["high"]] == pytest.approx([low, high], abs=1e-9)


@given(st.integers(0, 10**6), st.integers(2, 6), st.integers(10, 200))
@settings(deadline=None, max_examples=40)
def test_correlation_ratio_and_v_are_their_definitions(seed, levels, rows):
    r = rng(seed)
    a, b = r.integers(-1, levels, rows), r.integers(-1, 3, rows)
    y = np.where(r.random(rows) < 0.1, np.nan, a * 0.5 + r.normal(size=rows))
    keep = (a >= 0) & ~np.isnan(y)
    groups = [y[keep & (a == k)] for k in range(levels) if (keep & (a == k)).any()]
    seen = correlation_ratio(a.astype(np.int64), levels, y, Sampling.of_rows(len(y)))
    if len(groups) > 1 and keep.sum() > len(groups):
        f, p = stats.f_oneway(*groups)
        within = sum(((g - g.mean()) ** 2).sum() for g in groups) / (keep.sum() - len(groups))
        epsilon = 1 - within / y[keep].var(ddof=1)
        assert seen.value == pytest.approx(np.sqrt(max(epsilon, 0)), abs=1e-9)
        assert stats.f.sf(seen.statistic, *seen.df) == pytest.approx(p, rel=1e-6)
        assert seen.statistic == pytest.approx(f, rel=1e-7)
    both = (a >= 0) & (b >= 0)
    table = np.bincount(a[both] * 3 + b[both], minlength=levels * 3).reshape(levels, 3)
    v = cramers_v(a.astype(np.int64), levels, b.astype(np.int64), 3, Sampling.of_rows(len(b)))
    if min((table.sum(axis=0) > 0).sum(), (table.sum(axis=1) > 0).sum()) > 1:
        assert v.value**2 == pytest.approx(ct.cramers_v(table).estimate ** 2, abs=1e-12)  # a root of rounding is not
        used = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0]
        wanted = stats.chi2_contingency(used, correction=False).pvalue
        assert stats.chi2.sf(v.statistic, v.df[0]) == pytest.approx(wanted, rel=1e-6)


def test_a_variance_that_cancels_is_computed_again():
    r = rng(2)
    x = np.r_[r.normal(size=500) * 1e-7 + 3.0, np.full(500, 1e6)]
    y = np.r_[x[:500] * 2 + r.normal(size=500) * 1e-7, np.full(500, np.nan)]
    seen = pearson_matrix([x, y]).r[0, 1]
    assert seen == pytest.approx(stats.pearsonr(x[:500], y[:500]).statistic, abs=1e-6)
    assert spearman_matrix([x, y]).r[0, 1] == pytest.approx(stats.spearmanr(x[:500], y[:500]).statistic, abs=1e-12)


@pytest.fixture(scope="module")
def related():
    return Study("demo", outcome="wintered").relations()


def test_what_was_planted_between_columns_is_found(related):
    members = {frozenset(m) for m in related.groups["members"]}
    assert frozenset({"weight_kg", "weight_lb"}) in members
    humidity = related.with_outcome.loc["humidity"]
    assert (humidity["form"], humidity["method"]) == ("curved", "correlation_ratio")
    assert humidity["coefficient"] > 0.25
    pair = related.together.iloc[0]
    assert {pair["first"], pair["second"]} == {"entrance", "exposure"}
    assert pair["low"] > 0.005
    found = {f.code: f for f in related.findings}
    assert set(found["equal-summaries"].columns) == {"gain_july", "gain_august"}
    assert {"exposure", "entrance"} <= set(found["more-together"].columns)
    # a number and two levels go along no curve: the rate does, which against says
    assert not any("wintered" in f.columns for f in related.findings if f.code == "curved-relation")
    assert "colony_state" in found["turns-round"].columns
    honey = Study("demo", outcome="honey_kg").relations("gain_july", "gain_august", "honey_kg")
    assert "the same correlation with honey_kg" in {f.code: f for f in honey.findings}["equal-summaries"].statement


def test_inflation_is_that_of_regressing_each_on_the_others():
    r = rng(3)
    x = r.normal(size=(400, 4))
    x[:, 3] = x[:, 0] + 0.5 * x[:, 1] + r.normal(size=400) * 0.3
    frame = pd.DataFrame(x, columns=list("abcd"))
    frame.loc[::17, "b"] = np.nan
    table = Study(frame).relations().inflation
    whole = frame.dropna().to_numpy()
    for k, name in enumerate("abcd"):
        others = np.column_stack([np.ones(len(whole)), np.delete(whole, k, axis=1)])
        fit = others @ np.linalg.lstsq(others, whole[:, k], rcond=None)[0]
        share = 1 - ((whole[:, k] - fit) ** 2).sum() / ((whole[:, k] - whole[:, k].mean()) ** 2).sum()
        assert table.loc[name, "vif"] == pytest.approx(1 / (1 - share), rel=1e-6)
    assert table.loc["d", "explained_by"][0] == "a"
    total = frame.assign(total=frame["a"] + frame["b"] + 2 * frame["c"])
    view = Study(total).relations()
    assert np.isinf(view.inflation.loc["total", "vif"])
    assert "made-up-of-others" in codes(view)


def test_groups_keep_the_one_with_fewest_missing_and_most_about_the_outcome():
    r = rng(4)
    cause = r.normal(size=800)
    frame = pd.DataFrame({f"m{k}": cause + r.normal(size=800) * 0.3 for k in range(3)})
    frame["y"] = frame["m2"] + r.normal(size=800)
    frame.loc[:50, "m0"] = np.nan
    frame["other"] = r.normal(size=800)
    groups = Study(frame, outcome="y").relations().groups
    assert groups["members"].tolist() == [["m0", "m1", "m2"]]
    assert (groups["keep"][0], groups["why"][0]) == ("m2", "fewest missing, most about the outcome")


def test_a_few_rows_or_clusters_that_make_a_correlation_are_named_and_clean_ones_are_not():
    r = rng(5)
    n = 400
    level = r.integers(0, 3, n)
    frame = pd.DataFrame({"x": r.normal(size=n), "y": r.normal(size=n), "level": np.array(list("abc"))[level]})
    frame.loc[[7, 200], ["x", "y"]] = 25.0
    frame["p"], frame["q"] = level * 3 + r.normal(size=n), level * 3 + r.normal(size=n)
    frame["u"] = r.normal(size=n)
    frame["v"] = frame["u"] + r.normal(size=n)
    found = {f.code: f for f in Study(frame).relations().findings}
    assert set(found["few-rows-correlate"].columns) == {"x", "y"}
    assert {"7", "200"} <= set(found["few-rows-correlate"].evidence["rows"])
    assert found["vanishes-within"].columns == ("p", "q", "level")
    assert not any({"u", "v"} == set(f.columns[:2]) for f in found.values())
    sign = np.where(level == 1, -1, 1)
    frame["s"], frame["t"] = frame["u"], sign * frame["u"] + (level == 1) * 0 + 0.3 * r.normal(size=n)
    assert "only-within" not in codes(Study(frame[["s", "t"]]).relations())


def test_groups_of_rows_have_a_matrix_each_and_pairs_that_differ_are_first():
    r = rng(6)
    n = 900
    zone = r.choice(["east", "west"], n)
    a, c = r.normal(size=n), r.normal(size=n)
    frame = pd.DataFrame({"a": a, "b": np.where(zone == "east", 1, -1) * a + r.normal(size=n), "c": c, "zone": zone})
    view = Study(frame).relations("a", "b", "c", by="zone")
    first = view.differ.iloc[0]
    assert {first["first"], first["second"]} == {"a", "b"}
    assert (first["lowest_in"], first["highest_in"]) == ("west", "east")
    assert first["q"] < 1e-6
    whole = view.pairs.set_index(["first", "second"]).loc[("a", "b"), "method"]  # one coefficient, to be compared
    east = frame.loc[frame["zone"] == "east", ["a", "b"]].corr(whole).iloc[0, 1]
    assert view.by.loc[("east", "a"), "b"] == pytest.approx(east, abs=1e-9)


def test_units_widen_intervals_and_repeating_rows_as_units_does_not():
    r = rng(7)
    frame = pd.DataFrame({"x": r.normal(size=200)}).assign(y=lambda f: f["x"] + r.normal(size=200), who=np.arange(200))
    alone = Study(frame.drop(columns="who")).relations("x", "y").pairs.iloc[0]
    whole = Study(pd.concat([frame] * 3), unit="who").relations("x", "y").pairs.iloc[0]
    assert [whole["low"], whole["high"]] == pytest.approx([alone["low"], alone["high"]], rel=0.02)
    assert whole["p"] == pytest.approx(alone["p"], rel=0.05)


def test_tests_of_every_kind_count_units_and_not_the_rows_they_repeat():
    r = rng(11)
    cause = r.normal(size=120)
    frame = pd.DataFrame(
        {
            "x": cause + 2 * r.normal(size=120), "y": cause + 2 * r.normal(size=120), "who": np.arange(120),
            "place": np.where(cause + 2 * r.normal(size=120) > 0, "hill", "shore"),
            "sort": np.array(["oak", "elm", "ash"])[np.digitize(cause + 2 * r.normal(size=120), [-1, 1])],
        }
    )  # fmt: skip
    times = 8
    for method, columns in (("auto", ("x", "sort", "place")), ("kendall", ("x", "y"))):
        alone = Study(frame.drop(columns="who")).relations(*columns, method=method).pairs
        units = Study(pd.concat([frame] * times, ignore_index=True), unit="who").relations(*columns, method=method)
        rows = Study(pd.concat([frame] * times, ignore_index=True)).relations(*columns, method=method)
        key = ["first", "second"]
        merged = alone.merge(units.pairs, on=key, suffixes=("", "_units")).merge(
            rows.pairs.rename(columns={"p": "p_rows"}), on=key, suffixes=("", "_rows")
        )
        assert len(merged) == len(alone)
        for pair in merged.itertuples():
            # bias corrections and degrees of freedom see the rows; the tests must not
            assert stats.norm.isf(pair.p_units / 2) == pytest.approx(stats.norm.isf(pair.p / 2), rel=0.1, abs=0.1)
            assert pair.p_rows < pair.p_units
    few = pd.DataFrame(
        {"x": [1.0, 1, 2, 2, 3, 3, 4, 4], "y": [2.0, 2, 1, 1, 3, 3, 4, 4], "who": [0, 0, 1, 1, 2, 2, 3, 3]}
    )
    kinds = {"x": "discrete", "y": "discrete"}
    sure = [
        Study(few, kinds=kinds, unit=unit).relations("x", "y", method="spearman").pairs.iloc[0]["p"]
        for unit in (None, "who")
    ]
    assert sure[1] > sure[0]


BAD = {
    "constant": lambda r: pd.DataFrame({"a": r.normal(size=50), "b": np.ones(50), "c": r.normal(size=50)}),
    "two common rows": lambda r: pd.DataFrame({"a": [*range(40), *[None] * 38], "b": [*[None] * 38, *range(40)]}),
    "no common row": lambda r: pd.DataFrame({"a": [1.5, 2.5, None, None] * 10, "b": [None, None, 1.5, 2.5] * 10}),
    "perfect": lambda r: pd.DataFrame({"a": np.arange(50.0), "b": -np.arange(50.0)}),
    "many levels": lambda r: pd.DataFrame(
        {"a": r.choice([f"v{i}" for i in range(5000)], 20000), "b": r.normal(size=20000)}
    ),
}


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize("case", BAD)
def test_odd_columns_are_related_without_a_warning(case, tmp_path):
    frame = BAD[case](rng(8))
    kinds = {n: "discrete" for n in frame if case.startswith(("two", "no", "perf"))}
    view = Study(frame, kinds=kinds).relations(*frame.columns)
    assert view.draw().alternative
    view.save(tmp_path / "r.json")
    assert len(str(view)) > 50
    if case == "constant":
        assert np.isnan(view.table.loc["a", "b"])
        assert "of one value" in str(view.about)
    if case == "perfect":
        assert view.pairs.iloc[0]["coefficient"] == -1
    if case == "many levels":
        assert view.pairs.iloc[0]["coefficient"] < 0.1


def test_options_that_cannot_be_say_what_can():
    study = Study("demo", outcome="wintered")
    for options, said in (
        ({"method": "pearsn"}, "Did you mean 'pearson'"), ({"at_least": 3}, "from 0 to 1"),
        ({"confidence": 95}, "between 0 and 1"), ({"alternative": "greater"}, "with a sign"),
        ({"order": "best"}, "similar"),
    ):  # fmt: skip
        with pytest.raises(OptionError, match=said):
            study.relations(**options)
    with pytest.raises(OptionError, match="no order"):
        study.relations("apiary", "mites", method="spearman")
    with pytest.raises(UnknownColumnError):
        study.relations("mitez", "humidity")
    with pytest.raises(OptionError, match="two or more"):
        study.relations("mites")
    for call, said in (
        (lambda: study.pairwise("mites"), "two columns or more"),
        (lambda: study.pairwise("mites", "humidity", "fed", colour="honey_kg"), "one pair"),
        (lambda: study.pairwise("mites", "fed", ranks=True), "two numbers"),
        (lambda: study.pairwise(most=1), "from 2 up"),
        (lambda: study.pairwise(by=["fed", "roof"]), "one column"),
    ):
        with pytest.raises(OptionError, match=said):
            call().draw()


def test_forms_are_told_from_rows_that_were_not_fitted():
    r = rng(9)
    u = r.random(1500)
    noise = r.normal(size=1500)
    shapes = {
        "linear": 3 * u, "monotone": np.exp(4 * u) / 8, "curved": 12 * (u - 0.5) ** 2, "none": 0 * u,
    }  # fmt: skip
    for form, y in shapes.items():
        assert relation_form(u, y + 0.6 * noise, rows(u)) == form
    assert relation_form(u[:20], u[:20], rows(u[:20])) == "not decided"
    few = relation_form(u[:60], 0.3 * u[:60] + noise[:60], rows(u[:60]))
    assert few in ("none", "not decided")
    units = np.repeat(np.arange(150), 10)
    fake = np.repeat(r.normal(size=150), 10)  # one value a unit: rows alone would see a shape
    assert relation_form(np.repeat(r.random(150), 10), fake, Sampling.of_units(units)) in ("none", "not decided")


def test_pairwise_shows_what_was_chosen_and_one_pair_large(tmp_path):
    study = Study("demo", outcome="wintered")
    view = study.pairwise()
    assert len(view.columns) == 6
    assert not {"altitude_m", "altitude_band"} <= set(view.columns)
    assert any(line.startswith("left out: ") for line in view.about)
    assert len(view.table) == 15
    figure = view.draw()
    assert len(figure.axes) == 21
    wanted = study.pairwise("gain_july", "honey_kg")
    frame = hives()[["gain_july", "honey_kg"]].dropna()
    assert wanted.table.iloc[0]["coefficient"] == pytest.approx(frame.corr().iloc[0, 1], abs=1e-9)
    for options in ({}, {"ranks": True}, {"colour": "altitude_m"}, {"colour": "roof"}, {"by": "fed", "panels": True}):
        path = tmp_path / "p.png"
        study.pairwise("gain_july", "honey_kg", **options).save(path)
        assert path.stat().st_size > 10_000
    r = rng(10)
    town = pd.DataFrame(
        {"longitude": r.uniform(14, 15, 300), "latitude": r.uniform(47, 48, 300), "y": ["no", "yes"] * 150}
    )
    axes = Study(town, outcome="y").pairwise("longitude", "latitude").draw().axes[0]
    assert axes.get_aspect() == pytest.approx(1 / np.cos(np.deg2rad(47.5)), rel=0.01)
