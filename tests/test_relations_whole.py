"""Relations and pair plots as a whole: what does not depend on order or units, and what whole commands give."""

import json

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from threadpoolctl import threadpool_info

from envelt import Study
from envelt.core.relations.panels import PanelClasses, axis_of, panels_of
from envelt.core.relations.side import side_of


def rng(seed=0):
    return np.random.default_rng(seed)


def mixed(seed, rows=240, gaps=0.1):
    """Columns of all kinds, some related, with gaps."""
    r = rng(seed)
    cause = r.normal(size=rows)
    frame = pd.DataFrame(
        {
            "a": cause + r.normal(size=rows),
            "b": np.exp(cause + 0.3 * r.normal(size=rows)),
            "c": (cause - 1) ** 2 + 0.5 * r.normal(size=rows),
            "grade": pd.Categorical.from_codes(np.digitize(cause, [-1, 0, 1]), ["poor", "fair", "good", "best"], True),
            "place": r.choice(["hill", "shore", "wood"], rows),
            "fed": np.where(cause + r.normal(size=rows) > 0, "yes", "no"),
        }
    )
    for name in frame.columns[:4]:
        frame.loc[r.random(rows) < gaps, name] = None
    return frame


@given(st.integers(0, 10**6))
@settings(deadline=None, max_examples=12)
def test_nothing_depends_on_the_order_of_rows_or_columns_and_all_is_between_0_and_1(seed):
    frame = mixed(seed)
    whole = Study(frame).relations("a", "b", "c", "grade", method="spearman").table
    r = rng(seed)
    other = frame.iloc[r.permutation(len(frame))][list(r.permutation(frame.columns))].reset_index(drop=True)
    again = Study(other).relations("a", "b", "c", "grade", method="spearman").table
    pd.testing.assert_frame_equal(whole, again.loc[whole.index, list(whole.columns)], atol=1e-12)
    auto = Study(frame).relations()
    values = auto.table.to_numpy()
    np.testing.assert_array_equal(values, values.T)
    assert (np.diag(values) == 1).all()
    assert np.abs(values).max() <= 1
    pairs = auto.pairs
    assert ((pairs["low"] <= pairs["coefficient"] + 1e-12) & (pairs["coefficient"] <= pairs["high"] + 1e-12)).all()
    assert (pairs["q"] >= pairs["p"] - 1e-15).all()
    own = [int(frame[[f, s]].notna().all(axis=1).sum()) for f, s in zip(pairs["first"], pairs["second"], strict=True)]
    assert list(pairs["n"]) == own


@given(st.integers(0, 10**6), st.floats(-1e5, 1e5), st.sampled_from([1e-9, 0.1, 3.0, 1e9]))
@settings(deadline=None, max_examples=12)
def test_pearson_keeps_under_other_units_and_spearman_under_any_rising_curve(seed, shift, factor):
    frame = mixed(seed)[["a", "c"]]
    before = {m: Study(frame).relations("a", "c", method=m).table.loc["a", "c"] for m in ("pearson", "spearman")}
    units = frame.assign(a=frame["a"] * factor + shift * factor, c=-frame["c"])
    kinds = {"a": "continuous", "c": "continuous"}
    after = Study(units, kinds=kinds).relations("a", "c", method="pearson").table.loc["a", "c"]
    assert after == pytest.approx(-before["pearson"], abs=1e-8)
    curve = frame.assign(a=np.arctan(frame["a"]), c=np.exp(frame["c"] / 4))
    assert Study(curve).relations("a", "c", method="spearman").table.loc["a", "c"] == pytest.approx(
        before["spearman"], abs=1e-12
    )


@pytest.mark.parametrize("method", ["pearson", "spearman", "kendall", "auto"])
def test_each_group_has_what_its_rows_alone_would_have(method):
    frame = mixed(3, 600)
    columns = ["a", "b", "grade"]
    view = Study(frame).relations(*columns, by="place", method=method)
    for place in ("hill", "shore", "wood"):
        alone = Study(frame).where(f'place == "{place}"').relations(*columns, method=method).table
        np.testing.assert_allclose(view.by.loc[place].to_numpy(), alone.to_numpy(), atol=1e-12)
    differ = view.differ
    assert (differ["lowest"] <= differ["highest"]).all()
    assert set(differ["lowest_in"]) <= {"hill", "shore", "wood"}


def test_what_follows_only_one_way_is_not_the_same():
    r = rng(4)
    site = r.integers(0, 12, 900)
    frame = pd.DataFrame(
        {
            "site": np.array([f"site {k}" for k in range(12)])[site],
            "zone": np.array(["north", "middle", "south"])[site % 3],
            "height": 40.0 * site + r.normal(size=900),
            "again": np.array([f"place {k}" for k in range(12)])[site],
        }
    )
    frame.loc[:3, "again"] = "place 0"
    view = Study(frame, kinds={"site": "nominal", "again": "nominal"}).relations()
    assert view.table.loc["site", "zone"] > 0.95
    assert view.table.loc["site", "height"] > 0.95
    assert [set(m) for m in view.groups["members"]] == [{"site", "again"}]


def test_of_independent_columns_hardly_any_table_has_a_sure_pair():
    sure = 0
    for seed in range(40):
        r = rng(seed)
        frame = pd.DataFrame({f"x{k}": r.normal(size=150) for k in range(6)})
        frame["kind"], frame["y"] = r.choice(list("abcd"), 150), np.where(r.random(150) < 0.3, "yes", "no")
        sure += bool((Study(frame, outcome="y", seed=seed).relations().pairs["q"] < 0.05).any())
    assert sure <= 6  # of 40 at a rate of 0.05, more than six have a chance of 0.4 %


@given(st.integers(0, 10**6), st.booleans())
@settings(deadline=None, max_examples=20)
def test_panels_hold_every_row_once(seed, coarse):
    frame = mixed(seed, 400)
    if coarse:
        frame["a"] = frame["a"].round(0)
    table = Study(frame, kinds={"a": "continuous"}).table
    r = rng(seed)
    classes = PanelClasses("fed", ("no", "yes"), r.integers(-1, 2, 400))
    sides = [side_of(table[n]) for n in ("a", "c", "grade", "place")]
    axes = [axis_of(s, classes) for s in sides]
    known = classes.codes >= 0
    for axis, name in zip(axes, ("a", "c", "grade", "place"), strict=True):
        there = known & frame[name].notna().to_numpy()
        assert axis.counts.sum() + axis.beyond >= there.sum() >= axis.counts.sum()
        for k in range(2):
            of_class = there & (classes.codes == k)
            assert 0 <= of_class.sum() - axis.counts[k].sum() <= axis.beyond
    for panel in panels_of(sides, axes, classes, seed):
        a, b = axes[panel.first], axes[panel.second]
        both = frame[a.name].notna() & frame[b.name].notna()
        assert panel.n == both.sum()
        shown = panel.grid.sum() if panel.grid.size else 0
        assert shown <= (both.to_numpy() & known).sum()
        if not (a.beyond or b.beyond):
            assert shown == (both.to_numpy() & known).sum()
        for k, (x, y) in enumerate(panel.dots):
            assert len(x) == len(y) <= (both.to_numpy() & (classes.codes == k)).sum()


def test_sparse_classes_are_dots_on_top_and_dense_ones_are_not():
    r = rng(5)
    n = 60_000
    frame = pd.DataFrame({"x": r.normal(size=n), "y": r.normal(size=n), "z": r.normal(size=n)})
    frame["class"] = np.where(np.arange(n) < 25, "rare", "common")
    axes = Study(frame, outcome="class").pairwise("x", "y", "z").draw().axes
    drawn = [line for ax in axes for line in ax.collections if hasattr(line, "get_offsets")]
    sizes = [len(c.get_offsets()) for c in drawn] + [
        len(line.get_xdata()) for ax in axes for line in ax.lines if line.get_linestyle() in ("None", "none", "")
    ]
    assert 25 in sizes
    assert max(sizes) < 5_000


def test_threads_of_matrix_products_are_given_back():
    def limits():
        return sorted((lib["filepath"], lib["num_threads"]) for lib in threadpool_info() if lib["user_api"] == "blas")

    frame = pd.DataFrame(rng(6).normal(size=(30_000, 4)), columns=list("abcd"))
    frame.iloc[::9, 1] = np.nan
    before = limits()
    assert before
    assert np.isfinite(Study(frame).relations(method="pearson").table.to_numpy()).all()
    assert limits() == before


def test_of_hundreds_of_columns_a_person_sees_pairs_and_groups_and_the_square_is_saved(tmp_path):
    r = rng(7)
    causes = r.normal(size=(200, 30))
    frame = pd.DataFrame(
        causes[:, np.arange(300) % 30] + 0.3 * r.normal(size=(200, 300)), columns=[f"c{k}" for k in range(300)]
    )
    view = Study(frame).relations(at_least=0.5)
    assert len(view.groups) == 30
    assert {len(m) for m in view.groups["members"]} == {10}
    text = str(view)
    assert text.count("\n") < 80
    assert "saved .csv" in text
    view.save(tmp_path / "square.csv")
    assert pd.read_csv(tmp_path / "square.csv", index_col=0).shape == (300, 300)
    assert "Not drawn: 180 columns" in " ".join(t.get_text() for t in view.draw().texts)


def test_many_columns_named_in_a_pair_plot_are_cut_and_said():
    frame = pd.DataFrame(rng(8).normal(size=(80, 30)), columns=[f"c{k}" for k in range(30)])
    view = Study(frame).pairwise(*frame.columns)
    assert len(view.columns) == 12
    assert "left out" in " ".join(view.about)


def test_whole_commands_relate_print_and_save(run, tmp_path):
    mixed(9).to_csv("t.csv", index=False)

    given_ = json.loads(run("relations", "t.csv", "--outcome", "fed", "--at-least", "0.4", "--json")[1])
    strengths = [abs(row["coefficient"]) for row in given_["tables"]["pairs"]]
    assert strengths
    assert min(strengths) >= 0.4
    assert strengths == sorted(strengths, reverse=True)
    status, printed, _ = run(
        "relations", "t.csv", "a", "b", "c", "--method", "kendall", "--out", "k.csv", "--out", "k.svg"
    )
    assert status == 0
    assert "Kendall" in printed
    frame = pd.read_csv("t.csv")
    saved = pd.read_csv("k.csv", index_col=0)
    wanted = frame[["a", "b", "c"]].corr("kendall")
    np.testing.assert_allclose(saved.to_numpy(float), wanted.to_numpy(), atol=1e-5)
    assert "<svg" in (tmp_path / "k.svg").read_text()
    assert run("pairwise", "t.csv", "a", "b", "--panels", "--by", "fed", "--out", "p.png")[0] == 0
    assert (tmp_path / "p.png").stat().st_size > 10_000


def test_columns_that_equal_each_other_are_said_by_one_of_the_two():
    r = np.random.default_rng(3)
    x = r.normal(100, 10, 4000)
    frame = pd.DataFrame({"x": x, "copy": x.copy(), "z": r.normal(size=4000)})
    for spoil in ("nothing", "a row", "gaps"):
        frame["copy"] = x
        if spoil == "a row":
            frame.loc[17, "copy"] += 6  # a correlation above 0.9999, and a row that contradicts
        if spoil == "gaps":
            frame.loc[r.random(4000) < 0.2, "copy"] = np.nan
        study = Study(frame)
        codes = {f.code for f in [*study.inventory().findings, *study.relations().findings]
                 if {"x", "copy"} <= set(f.columns)}  # fmt: skip
        assert codes & {"same-column", "say-nearly-the-same"}, spoil


def test_follows_exactly_is_said_only_where_no_row_contradicts():
    r = np.random.default_rng(4)
    frame = pd.DataFrame(r.gamma(2, 5, (3000, 3)).round(2), columns=["a", "b", "c"])
    two = frame.drop(columns="c").assign(total=frame["a"] + frame["b"])
    told = [
        "made-up-of-others" in {f.code for f in view.findings}
        for view in (Study(two).inventory(), Study(two).relations())
    ]
    assert told == [True, False]  # with its recipe, and once
    frame["total"] = frame["a"] + frame["b"] + frame["c"]
    assert "made-up-of-others" in {f.code for f in Study(frame).relations().findings}
    frame.loc[5, "total"] += 0.05  # one row in three thousand
    view = Study(frame).relations()
    assert "made-up-of-others" not in {f.code for f in view.findings}


def test_pairs_that_say_more_together_are_measured_on_rows_that_did_not_choose_them():
    r = np.random.default_rng(6)
    held = []
    for seed in range(25):
        frame = pd.DataFrame(r.normal(size=(400, 14)), columns=[f"x{k}" for k in range(14)])
        frame["y"] = np.where(r.random(400) < 0.4, "yes", "no")
        view = Study(frame, outcome="y", seed=seed).relations()
        held += (view.together["low"] > 0).tolist()
        assert len(view.together) <= 12
    assert np.mean(held or [0]) <= 0.05  # of pairs of noise, though the best of 91 were chosen
    late = pd.DataFrame(r.normal(size=(3000, 70)), columns=[f"n{k}" for k in range(70)])
    late["p"], late["q"] = r.choice([-1.0, 1.0], (2, 3000))
    late["p"] += r.normal(size=3000) / 9
    late["y"] = np.where(late["p"] * late["q"] + 0.4 * late["q"] + r.normal(size=3000) > 0, "yes", "no")
    first = Study(late, outcome="y").relations().together.iloc[0]
    assert {first["first"], first["second"]} == {"p", "q"}  # columns 71 and 72 of the file
