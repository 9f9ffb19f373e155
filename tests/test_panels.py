"""What a picture of two numbers holds: cells and dots against counts by hand, and ends that hold the rows."""

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.core.against.cloud import CELLS, MOST_DOTS, MOST_GROUP_DOTS, make_cloud
from envelt.core.columns.grouping import Grouping
from envelt.core.relations.panels import BINS, DOTS, GRID, PanelClasses, axis_of, panels_of
from envelt.core.relations.side import side_of


def numbers(n=3_000, seed=1):
    r = np.random.default_rng(seed)
    x = r.normal(40, 9, n)
    return pd.DataFrame({
        "fine": x, "whole": np.round(x / 3 + r.normal(size=n)), "tenths": np.round(r.gamma(4, 0.1, n), 1),
        "wide": np.where(np.arange(n) < 2, 9e4, r.uniform(1, 9, n)),
        "many": r.choice(list("abcdefghijk"), n, p=np.arange(1, 12) / 66),
    })  # fmt: skip


def sides_and_axes(frame, classes):
    kinds = {c: "continuous" for c in frame if c != "many"} | {"many": "nominal"}
    table = Study(frame, kinds={c: k for c, k in kinds.items() if c in frame}).table
    sides = [side_of(table[c]) for c in frame]
    return sides, [axis_of(s, classes) for s in sides]


@pytest.mark.parametrize("scale", [1.0, 1000.0])
def test_axes_hold_what_they_say_and_cells_are_of_whole_steps(scale):
    frame = numbers()
    frame[["fine", "whole", "tenths", "wide"]] *= scale
    classes = PanelClasses("side", ("a", "b"), np.arange(len(frame)) % 3 - 1)
    for side, axis in zip(*sides_and_axes(frame, classes), strict=True):
        if side.what != "number":
            continue
        x, width = frame[side.name].to_numpy(), axis.high - axis.low
        inside = (x >= axis.low) & (x < axis.high)
        assert axis.beyond == (~inside).sum() == (2 if side.name == "wide" else 0)
        assert axis.step == pytest.approx({"whole": scale, "tenths": 0.1 * scale}.get(side.name, 0))
        bins = axis.counts.shape[1]
        if axis.step:
            steps = width / axis.step
            assert axis.low / axis.step - 0.5 == pytest.approx(round(axis.low / axis.step - 0.5))  # half a step below
            assert axis.low < x.min() < axis.low + 1.01 * axis.step
            for cells in (BINS, *GRID):  # whole steps a cell, and as few cells more as that asks for
                assert steps / -(-round(steps) // cells) == pytest.approx(round(steps / -(-round(steps) // cells)))
            assert x.max() < axis.high < x.max() + (steps + 0.01) * axis.step / 2
            assert steps / bins == pytest.approx(round(steps / bins))
            assert bins <= BINS
        else:
            low, high = (x.min(), x.max()) if side.name == "fine" else np.quantile(x, [0.001, 0.999])
            assert (low - axis.low, axis.high - high) == pytest.approx((0.02 * (high - low),) * 2)
            assert bins == BINS
        for k in (0, 1):
            of = classes.codes == k
            want = np.histogram(x[of], np.linspace(axis.low, axis.high, bins + 1))[0]
            assert np.abs(axis.counts[k] - want).sum() <= (2 if side.name == "wide" else 0)


def test_the_largest_levels_stand_apart_and_the_others_together():
    frame = numbers()
    classes = PanelClasses("side", ("a", "b"), np.arange(len(frame)) % 2)
    side, axis = (v[-1] for v in sides_and_axes(frame, classes))
    counts = pd.crosstab(classes.codes, frame["many"])
    largest = [w for w in side.labels if w in counts.sum().nlargest(7).index]
    assert axis.labels == (*largest, "other")
    assert axis.counts[:, :7].tolist() == counts[largest].to_numpy().tolist()
    assert axis.counts[:, 7].tolist() == counts.drop(columns=largest).sum(axis=1).tolist()
    eight = frame.assign(many=frame["many"].where(frame["many"] > "c", None))
    axis = sides_and_axes(eight, classes)[1][-1]
    assert sorted(axis.labels) == list("defghijk")
    assert axis.missing == (frame["many"] <= "c").sum()


@pytest.mark.parametrize("pair", [("fine", "whole"), ("tenths", "fine"), ("whole", "tenths"), ("fine", "many")])
def test_cells_of_a_panel_are_the_counts_between_even_edges(pair):
    frame = numbers()[list(pair)]
    frame.iloc[5, 0] = np.nan
    classes = PanelClasses("side", ("a", "b"), np.arange(len(frame)) % 3 - 1)
    sides, axes = sides_and_axes(frame, classes)
    (panel,) = panels_of(sides, axes, classes)
    assert panel.n == len(frame) - 1
    for k in (0, 1):
        of = (classes.codes == k) & frame[pair[0]].notna().to_numpy()
        x, y = frame[pair[0]].to_numpy()[of], frame[pair[1]].to_numpy()[of]
        if pair[1] == "many":
            y = [axes[1].labels.index(v) if v in axes[1].labels else 7 for v in y]
        edges = [np.linspace(a.low, a.high, s + 1) for a, s in zip(axes, panel.grid.shape[1:], strict=True)]
        assert panel.grid[k].tolist() == np.histogram2d(x, y, edges)[0].tolist()


def test_few_rows_are_dots_and_of_many_only_a_small_class():
    r = np.random.default_rng(3)
    for n, rare, drawn in ((DOTS, 700, (800, 700)), (4_000, 375, (0, 375)), (4_000, 376, (0, 0))):
        frame = pd.DataFrame({"a": r.normal(size=n), "b": r.normal(size=n)})
        codes = (np.arange(n) < rare).astype(np.int64)
        classes = PanelClasses("side", ("common", "rare"), codes)
        sides, axes = sides_and_axes(frame, classes)
        dots = panels_of(sides, axes, classes)[0].dots
        assert tuple(len(x) for x, _ in dots) == drawn
        if drawn[1]:
            assert np.sort(dots[1][0]).tolist() == np.sort(frame["a"][codes == 1]).tolist()


@pytest.mark.parametrize("n", [MOST_DOTS, MOST_DOTS + 1])
def test_a_cloud_is_dots_up_to_so_many_rows_and_then_a_grid(n):
    r = np.random.default_rng(n)
    x, y = r.normal(5, 2, n), r.integers(0, 9, n) * 2.0
    cloud = make_cloud(x, y, None)
    assert cloud.across == pytest.approx((x.min() - 0.03 * np.ptp(x), x.max() + 0.03 * np.ptp(x)))
    assert cloud.up == pytest.approx((0 - 0.03 * 16, 16 + 0.03 * 16))
    assert not cloud.cut
    if n == MOST_DOTS:
        assert cloud.cells is None
        assert (cloud.x.tolist(), cloud.y.tolist()) == (x.tolist(), y.tolist())
        return
    assert cloud.cells.across == pytest.approx(np.linspace(*cloud.across, CELLS[0] + 1))
    assert cloud.cells.up == pytest.approx(np.arange(-1, 18, 2))  # half-way between nine values
    assert cloud.cells.counts.sum() == n
    assert cloud.cells.counts.sum(axis=0).tolist() == np.bincount((y / 2).astype(int)).tolist()
    same = make_cloud(x, np.ones(n), None)
    assert same.up == (0.5, 1.5)
    assert same.cells.up.tolist() == [0.5, 1.5]
    far = make_cloud(np.concatenate(([1e6], x)), np.zeros(n + 1), None)
    assert far.cut
    assert far.across[1] < 50


def test_groups_of_a_cloud_are_the_largest_each_with_its_line():
    r = np.random.default_rng(8)
    n = 2 * MOST_GROUP_DOTS + 5
    codes = r.choice(8, n, p=[0.2, 0.02, 0.2, 0.1, 0.1, 0.05, 0.18, 0.15])
    x = r.normal(size=n)
    y = x * codes + r.normal(size=n)
    cloud = make_cloud(x, y, Grouping.of(("g",), tuple("abcdefgh"), codes))
    assert [g.place for g in cloud.groups] == [0, 2, 3, 4, 6, 7]
    for g in cloud.groups:
        mine = codes == g.place
        assert g.n == mine.sum()
        assert g.x.tolist() == x[mine][::3].tolist()  # an even choice of two thousandths too many
        assert g.line.slope == pytest.approx(np.polyfit(x[mine], y[mine], 1)[0])
        assert g.ends == pytest.approx(np.quantile(x[mine], [0.01, 0.99]))
