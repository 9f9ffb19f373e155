"""Maps: components and scaling against algebra, measures against their definitions, classes, new rows, odd tables."""

import json
from itertools import pairwise

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.distance import cdist

from envelt import Study
from envelt.core.embed import nearest as search
from envelt.core.embed.affinity import affinities
from envelt.core.embed.layout import lay_out, schedule_of
from envelt.core.embed.mds import classical_scaling
from envelt.core.embed.nearest import nearest_rows
from envelt.core.embed.pca import principal_components
from envelt.core.embed.quality import agreement, quality_of
from envelt.core.embed.repulsion import Repulsion
from envelt.errors import EnveltError, InfiniteValueError, OptionError, UnknownColumnError

BANDS = [f"sound_b{i:02d}" for i in range(1, 13)]


@pytest.fixture(scope="module")
def bands(state):
    return state.embed(*BANDS)


def matrix(seed, n, d):
    r = np.random.default_rng(seed)
    return r.normal(size=(n, d)) @ np.diag(np.linspace(3, 0.2, d)) + r.normal(size=d) * 5


# --- algebra ----------------------------------------------------------------------------------------------


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 500), st.integers(3, 60), st.integers(1, 12), st.sampled_from([0.0, 1e9]))
def test_components_are_those_of_the_singular_values(seed, n, d, offset):
    values = matrix(seed, n, d) + offset
    found = principal_components(values, 3)
    centred = values - values.mean(axis=0)
    left, length, right = np.linalg.svd(centred, full_matrices=False)
    k = len(found.variance)
    near = 1e-8 if not offset else 1e-5  # the offset itself costs the digits
    assert found.variance == pytest.approx(length[:k] ** 2 / (n - 1), rel=near, abs=near)
    apart = np.diff(length[: k + 1] if len(length) > k else np.append(length, 0)) < -1e-3 * length[0]
    for i in np.flatnonzero(apart & np.append(True, apart[:-1])):
        assert abs(found.loadings[i] @ right[i]) == pytest.approx(1, abs=near)
        assert np.abs(found.scores[:, i]) == pytest.approx(np.abs(left[:, i] * length[i]), abs=near * 100)
        assert found.loadings[i][np.argmax(np.abs(found.loadings[i]))] > 0
    assert found.total == pytest.approx(centred.var(axis=0, ddof=1).sum(), rel=near)


def test_components_found_at_random_and_by_covariance_are_the_same():
    values = matrix(1, 3_000, 400)
    exact = np.linalg.svd(values - values.mean(axis=0), compute_uv=False)[:5] ** 2 / 2_999
    assert principal_components(values, 5).variance == pytest.approx(exact, rel=1e-9)
    wide = np.random.default_rng(2).normal(size=(30_000, 12)) @ np.random.default_rng(3).normal(size=(12, 700))
    found = principal_components(wide, 12)
    assert not found.exact
    centred = wide - wide.mean(axis=0)
    assert found.variance == pytest.approx(np.linalg.eigvalsh(centred.T @ centred)[::-1][:12] / 29_999, rel=1e-6)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 500), st.integers(5, 80))
def test_scaling_recovers_points_of_a_plane(seed, n):
    r = np.random.default_rng(seed)
    plane = r.normal(size=(n, 2)) * [3, 1]
    turned = plane @ np.linalg.qr(r.normal(size=(6, 6)))[0][:2] + 7
    at, whole = classical_scaling(turned)
    assert whole
    assert cdist(at, at) == pytest.approx(cdist(plane, plane), abs=1e-6)


def test_scaling_by_landmarks_recovers_a_plane_too():
    plane = np.random.default_rng(0).normal(size=(2_500, 2)) * [3, 1]
    at, whole = classical_scaling(np.column_stack((plane, np.zeros(2_500))))
    assert not whole
    assert agreement(plane, at)[0] == pytest.approx(1, abs=1e-9)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 500), st.integers(6, 90), st.sampled_from([2, 5, 20]),
       st.sampled_from(["euclidean", "cosine", "manhattan"]))  # fmt: skip
def test_nearest_rows_are_the_nearest(seed, n, d, distance):
    values = np.random.default_rng(seed).normal(size=(n, d)) + 1
    found = nearest_rows(values, 4, distance)
    apart = cdist(values, values, {"manhattan": "cityblock"}.get(distance, distance))
    np.fill_diagonal(apart, np.inf)
    ours = np.take_along_axis(apart, found.at, 1)
    assert ours == pytest.approx(np.sort(apart, axis=1)[:, :4], abs=1e-9)
    assert (found.at != np.arange(n)[:, None]).all()


def test_an_index_is_measured_and_left_where_it_misses(monkeypatch):
    monkeypatch.setattr(search, "EXACT_ROWS", 300)
    values = np.random.default_rng(0).normal(size=(500, 8))
    exact = nearest_rows(values, 5)

    def good(rows, asked, k):
        return search.nearest_among(rows.astype(float), asked.astype(float), k)

    def bad(rows, asked, k):
        at, far = good(rows, asked, k)
        return np.roll(at, 7, axis=0), far

    found = nearest_rows(values, 5, index=good)
    assert "100.0%" in found.how
    assert (found.at == exact.at).mean() > 0.99
    assert (nearest_rows(values, 5, index=bad).at == exact.at).all()


def test_the_known_index_finds_nearly_all(monkeypatch):
    pytest.importorskip("faiss")
    from envelt.adapters.neighbour_index import neighbour_index

    monkeypatch.setattr(search, "EXACT_ROWS", 1_000)
    values = np.random.default_rng(0).normal(size=(6_000, 10))
    found, exact = nearest_rows(values, 10, index=neighbour_index()), nearest_rows(values, 10)
    assert "index" in found.how
    assert np.mean([len(np.intersect1d(a, b)) for a, b in zip(found.at, exact.at, strict=True)]) > 9


def test_affinities_have_the_entropy_asked_for():
    near = nearest_rows(matrix(4, 200, 6), 15)
    p = affinities(near, 8.0)
    assert p.sum() == pytest.approx(1)
    assert abs(p - p.T).max() == 0
    square = near.distance**2
    wanted = np.log(8.0)
    for row in range(0, 200, 50):
        low, high = 1e-9, 1e9
        for _ in range(200):
            beta = np.sqrt(low * high)
            w = np.exp(-beta * (square[row] - square[row, 0]))
            w /= w.sum()
            low, high = (beta, high) if -(w * np.log(w)).sum() > wanted else (low, beta)
        one = p[row].toarray().ravel()[near.at[row]] * 400
        back = np.array([p[j, row] for j in near.at[row]]) * 400
        assert one == pytest.approx(back)
        assert (one >= w - 1e-6).all()  # the other direction only adds


def test_repulsion_by_the_grid_is_that_of_all_pairs():
    at = (np.random.default_rng(0).normal(size=(2_000, 2)) * [12, 7]).astype(np.float32)
    force, total = Repulsion().forces(at)
    apart = at[:, None].astype(float) - at[None]
    near = 1 / (1 + (apart**2).sum(axis=2))
    np.fill_diagonal(near, 0)
    exact = np.einsum("ij,ijk->ik", near**2, apart)
    assert total == pytest.approx(near.sum(), rel=5e-3)
    assert np.abs(force - exact).max() < 0.03 * np.abs(exact).max()


# --- measures ---------------------------------------------------------------------------------------------


def naive_quality(values, at, k):
    """Follow the published definitions, pair by pair."""
    n = len(values)
    full, flat = (cdist(v, v) for v in (values, at))
    rank_full, rank_flat = (np.argsort(np.argsort(d + np.diag([np.inf] * n), axis=1), axis=1) + 1 for d in (full, flat))
    trust = keep = shared = 0
    for i in range(n):
        here = {j for j in range(n) if j != i and rank_full[i, j] <= k}
        there = {j for j in range(n) if j != i and rank_flat[i, j] <= k}
        trust += sum(rank_full[i, j] - k for j in there - here)
        keep += sum(rank_flat[i, j] - k for j in here - there)
        shared += len(here & there) / k
    norm = 2 / (n * k * (2 * n - 3 * k - 1))
    return 1 - norm * trust, 1 - norm * keep, shared / n


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 500), st.integers(30, 60), st.integers(3, 8))
def test_measures_are_those_of_their_definitions(seed, n, k):
    values = np.random.default_rng(seed).normal(size=(n, 5))
    at = values[:, :2] + np.random.default_rng(seed + 1).normal(size=(n, 2))
    found = quality_of(values, at, k)
    ours = [found.trustworthiness.value, found.continuity.value, found.neighbour_recall.value]
    assert ours == pytest.approx(naive_quality(values, at, k), abs=1e-12)
    assert quality_of(at, at, k).trustworthiness.value == quality_of(at, at, k).triplet_order.value == 1
    part = quality_of(values, at, k, most=n - 5)
    assert part.trustworthiness.error > 0
    assert found.trustworthiness.error == 0


def test_two_maps_agree_however_they_lie():
    at = np.random.default_rng(0).normal(size=(100, 2))
    other = at[:, ::-1] * [-3, 3] + 40
    fit, away = agreement(at, other)
    assert fit == pytest.approx(1)
    assert away.max() < 1e-6
    other[17] += 30
    assert int(np.argmax(agreement(at, other)[1])) == 17


# --- what a map shows -------------------------------------------------------------------------------------


def test_the_sound_bands_fall_into_the_four_states(bands):
    separation = bands.separation
    assert (separation["full_space"] > 0.95).all()
    assert (separation["on_map"] > 0.9).all()
    assert separation["chance"].sum() == pytest.approx(1, abs=2e-3)
    codes = {f.code for f in bands.findings}
    assert {"classes-separate", "pieces-by-column"} <= codes
    assert "map-misleads" not in codes
    assert bands.quality.loc["trustworthiness", "map"] > bands.quality.loc["trustworthiness", "pca"] + 0.05
    assert list(bands.table.columns) == ["x", "y", "class"]
    assert bands.settings.loc["nearest", "chosen"].startswith("15")


def test_swapped_labels_are_among_the_first_suspects(state):
    frame = state.to_frame()
    levels = list(frame["colony_state"].cat.categories)
    found = []
    for seed in range(3):
        r = np.random.default_rng(seed)
        swapped = r.choice(len(frame), 30, replace=False)
        new = frame["colony_state"].astype(str).to_numpy().copy()
        new[swapped] = [r.choice([v for v in levels if v != new[i]]) for i in swapped]
        view = Study(frame[BANDS].assign(colony_state=new), outcome="colony_state").embed()
        first = view.suspects.head(60)
        at = frame.index.get_indexer(first["row"])
        found.append(len(set(at.tolist()) & set(swapped.tolist())) / 30)
        right = first["neighbours_class"].to_numpy() == frame["colony_state"].astype(str).to_numpy()[at]
        assert right.mean() > 0.8
    assert min(found) >= 0.9, found


def test_seeds_agree_and_rows_that_moved_are_named(state, bands):
    other = state.embed(*BANDS, seed=3)
    assert bands.agreement(other) >= 0.95
    assert state.embed(*BANDS).table.equals(bands.table)
    flat = state.embed(*BANDS, method="pca")
    assert 0.5 < bands.agreement(flat) < 1
    moved = bands.moved(flat, 7)
    assert len(moved) == 7
    assert moved["distance"].is_monotonic_decreasing
    assert "agreement" in bands.beside(flat).alternative
    with pytest.raises(OptionError, match="same rows"):
        bands.agreement(state.where("altitude_m > 500").embed(*BANDS))


def test_new_rows_are_placed_among_their_like(state):
    training, test = state.split(0.2)
    view = training.embed(*BANDS)
    before = view.table
    placed = view.place(test.to_frame())
    pd.testing.assert_frame_equal(view.table, before)

    def agree(at, labels, mine, own):
        near = search.nearest_among(before[["x", "y"]].to_numpy(), at, 11)[0][:, 1 if own else 0 :][:, :10]
        return np.mean([pd.Series(labels[n]).mode()[0] == m for n, m in zip(near, mine, strict=True)])

    labels = training.to_frame()["colony_state"].astype(str).to_numpy()
    mapped = agree(before[["x", "y"]].to_numpy(), labels, labels, True)
    new = agree(placed.to_numpy(), labels, test.to_frame()["colony_state"].astype(str).to_numpy(), False)
    assert new >= mapped - 0.02
    again = view.place(training.to_frame())
    assert agreement(before[["x", "y"]].to_numpy(), again.to_numpy())[0] > 0.98
    line = training.embed(*BANDS, method="pca")
    exact = line.place(training.to_frame())
    assert exact.to_numpy() == pytest.approx(line.table[["x", "y"]].to_numpy(), abs=1e-8)
    with pytest.raises(UnknownColumnError):
        view.place(test.to_frame().drop(columns="sound_b03"))
    with pytest.raises(OptionError, match="holds text"):
        view.place(test.to_frame().assign(sound_b03="loud"))


def test_noise_is_said_to_be_noise():
    silent = 0
    for seed in range(2):
        r = np.random.default_rng(seed)
        frame = pd.DataFrame(r.normal(size=(500, 12))).add_prefix("c").assign(y=r.choice(["a", "b", "c"], 500))
        view = Study(frame, outcome="y").embed()
        codes = [f.code for f in view.findings]
        assert "no-separation" in codes
        assert (view.separation["full_space"] - view.separation["chance"]).abs().max() < 0.08
        silent += not {"classes-separate", "rows-among-others", "class-in-pieces", "pieces-by-column"} & set(codes)
    assert silent == 2


def test_mixed_kinds_weigh_alike_and_grades_keep_their_order():
    r = np.random.default_rng(0)
    frame = pd.DataFrame(
        {
            "x": r.normal(size=400) * 1e6 + 1e9,
            "zone": r.choice(list("abcdef"), 400),
            "grade": pd.Categorical(r.choice(["low", "middle", "high"], 400), ["low", "middle", "high"], ordered=True),
            "day": pd.Timestamp("2024-01-01") + pd.to_timedelta(r.integers(0, 300, 400), "D"),
        }
    )
    view = Study(frame).embed(method="pca")
    values = view._answers.map.values
    widths = [e.width for e in view._answers.encoders]
    ends = np.cumsum([0, *widths])
    variances = [values[:, a:b].var(axis=0).sum() for a, b in pairwise(ends)]
    assert variances == pytest.approx(np.ones(4), rel=1e-6)
    grade = values[:, ends[2]]
    means = pd.Series(grade).groupby(frame["grade"].astype(str)).first()
    assert means["low"] < means["middle"] < means["high"]
    assert view.variance["cumulated"].iloc[-1] == pytest.approx(1)
    assert "levels off" in " ".join(view.about)


def test_a_class_in_two_pieces_and_what_the_map_was_told_are_said():
    r = np.random.default_rng(0)
    n = 300
    values = np.concatenate([r.normal(0, 1, (n, 5)), r.normal(9, 1, (n, 5)), r.normal(-9, 1, (n, 5))])
    frame = pd.DataFrame(values).add_prefix("c").assign(y=["one"] * 2 * n + ["two"] * n)
    view = Study(frame, outcome="y").embed()
    assert "class-in-pieces" in {f.code for f in view.findings}
    told = Study(frame.assign(name=[f"id{i}" for i in range(3 * n)]), outcome="y").embed("c0", "c1", "y", "name")
    assert {"outcome-among-inputs", "identifier-among-inputs"} <= {f.code for f in told.findings}


def test_the_layout_can_be_watched_and_stopped(state):
    seen = []

    def watch(step, of, at):
        seen.append((step, of, at.shape))
        if step == 40:
            raise KeyboardInterrupt

    small = state.where("altitude_m > 900")
    view = small.embed(*BANDS, on_step=watch)
    assert view.table.notna()[["x", "y"]].all(axis=None)
    assert [s[0] for s in seen] == list(range(1, 41))
    formed = small.embed(*BANDS, frames=4)
    assert len(formed.frames) == 4
    assert formed.frames["trustworthiness"].iloc[-1] > formed.frames["trustworthiness"].iloc[0]
    assert "formed" in formed.draw().alternative


# --- odd tables -------------------------------------------------------------------------------------------


def odd_tables():
    r = np.random.default_rng(0)
    x = r.normal(size=(40, 3))
    return {
        "five rows": pd.DataFrame(x[:5]),
        "duplicates": pd.DataFrame(np.repeat(x[:6], 300, axis=0)),
        "one column": pd.DataFrame(x[:, :1]),
        "two values": pd.DataFrame({"a": [0.0, 1.0] * 20, "b": [1.0, 0.0] * 20}),
        "wide": pd.DataFrame(r.normal(size=(12, 60))),
        "far off": pd.DataFrame(x + 1e9),
        "constant and missing": pd.DataFrame(x).assign(c=1.0, gone=np.nan),
        "levels only": pd.DataFrame({"a": r.choice(list("uvw"), 60), "b": r.choice(list("pq"), 60)}),
        "gaps": pd.DataFrame(np.where(r.random((60, 4)) < 0.3, np.nan, r.normal(size=(60, 4)))),
    }


@pytest.mark.parametrize("name", odd_tables())
@pytest.mark.parametrize("method", ["neighbours", "pca", "mds"])
def test_odd_tables_have_a_map(name, method):
    frame = odd_tables()[name].rename(columns=str)
    kinds = {c: "continuous" for c in frame if frame[c].dtype == float and frame[c].notna().any()}
    view = Study(frame, kinds=kinds).embed(method=method)
    assert np.isfinite(view.table[["x", "y"]].to_numpy()).all()
    assert view.draw().alternative
    assert str(view)
    json.dumps(view.to_dict(), allow_nan=False)


BAD = {
    "four rows": (lambda: Study(pd.DataFrame({"a": [1.0, 2.5, 3.1, 4.7]})).embed(), "5 rows or more"),
    "one value": (lambda: Study(pd.DataFrame({"a": [1.0] * 9, "b": [2.0] * 9})).embed("a", "b"), "two different"),
    "nothing usable": (lambda: Study(pd.DataFrame({"a": [1.0] * 9})).embed(), "No candidate"),
    "text": (lambda: Study("demo").embed("remarks", "mites"), "free text"),
    "a method": (lambda: Study("demo").embed(method="neighbour"), "Did you mean 'neighbours'"),
    "a distance": (lambda: Study("demo").embed(distance="euclid"), "Did you mean 'euclidean'"),
    "one neighbour": (lambda: Study("demo").embed(nearest=1), "from 2 up"),
    "half a neighbour": (lambda: Study("demo").embed(nearest=2.5), "whole number"),
    "two colours": (lambda: Study("demo").embed("mites", by=["fed", "forage"]), "one column in by"),
    "many colours": (lambda: Study("demo").embed("mites", "humidity", by="apiary"), "more than a map has colours"),
    "frames of another": (lambda: Study("demo").embed("mites", method="pca", frames=3), "step by step"),
    "no such column": (lambda: Study("demo").embed("mits"), "Did you mean 'mites'"),
}


@pytest.mark.parametrize("what", BAD)
def test_what_makes_no_map_says_why(what):
    make, message = BAD[what]
    with pytest.raises(EnveltError, match=message):
        make()


def test_infinity_is_named_and_an_array_is_a_table():
    with pytest.raises(InfiniteValueError, match="'a'"):
        Study(pd.DataFrame({"a": [1.0, np.inf, 2.0, 3.0, 4.0]})).embed()
    assert len(Study(np.random.default_rng(0).normal(size=(50, 4))).embed().table) == 50


def test_the_command_draws_each_method_panels_and_frames(run, tmp_path):
    for words in (("--panels",), ("--method", "pca"), ("--method", "mds"), ("--frames", "3"), ("--by", "weight_kg")):
        status, out, err = run("embed", "demo", *BANDS[:5], "-o", "colony_state", "--where", "altitude_m > 800", *words,
                               "--out", "map.png")  # fmt: skip
        assert status == 0, err
        assert "trustworthiness" in out
        assert (tmp_path / "map.png").stat().st_size > 10_000
    told = json.loads(run("embed", "demo", *BANDS[:5], "--where", "altitude_m > 1000", "--json")[1])
    assert told["step"] == "embed"
    assert len(told["tables"]["table"]) == len(Study("demo").where("altitude_m > 1000").table)


def test_many_rows_are_drawn_as_density():
    r = np.random.default_rng(0)
    from envelt.core.embed.answers import MapGroups
    from envelt.draw.embed import draw_map
    from envelt.draw.parts.canvas import Page

    at = r.normal(size=(30_000, 2))
    groups = MapGroups("y", ("a", "b"), (at[:, 0] > 0).astype(np.int64), None)
    figure = draw_map(at, groups, np.zeros(0, np.int64), Page("t", "about"), "told.", "neighbours", False)
    assert any(image for axes in figure.axes for image in axes.images)
    assert len(lay_out(affinities(nearest_rows(at[:800], 5), 3.0), at[:800], schedule_of(800))) == 800
