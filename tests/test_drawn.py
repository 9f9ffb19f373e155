"""What the pictures of distributions show is what the tables say."""

import numpy as np
import pandas as pd
import pytest
from matplotlib.collections import PolyCollection
from matplotlib.colors import to_hex

from envelt import Study
from envelt.draw.parts import style
from envelt.draw.parts.values_axis import tick_label
from envelt.errors import OptionError


def rng(seed=0):
    return np.random.default_rng(seed)


def heights(axes):
    return np.array([p.get_height() for p in axes.patches])


def texts(figure):
    return " | ".join(t.get_text() for t in figure.findobj(match=lambda a: hasattr(a, "get_text")))


def test_bars_are_the_bins_of_the_table(wintered):
    view = wintered.distribution("frames_bees")
    axes = view.draw().axes[0]
    assert heights(axes).tolist() == view.bins["count"].tolist()
    assert [p.get_x() for p in axes.patches] == pytest.approx(view.bins["left"].tolist())
    shares = wintered.distribution("frames_bees", measure="share").draw().axes[0]
    assert heights(shares) == pytest.approx(view.bins["share"].to_numpy())
    density = wintered.distribution("frames_bees", measure="density", normal=True).draw().axes[0]
    widths = view.bins["right"] - view.bins["left"]
    assert np.sum(heights(density) * widths) == pytest.approx(1)


def test_groups_in_line_share_both_axes_and_compare_shares(wintered):
    view = wintered.distribution("weight_kg", by="wintered")
    first, second = view.draw().axes
    assert first.get_xlim() == second.get_xlim()
    assert first.get_ylim() == second.get_ylim()
    for axes, group in ((first, "no"), (second, "yes")):
        bins = view.bins[view.bins["group"] == group]
        assert heights(axes) == pytest.approx(bins["share"].to_numpy())
    assert [to_hex(a.patches[0].get_facecolor()) for a in (first, second)] == list(style.PALETTE[:2])


def test_a_tail_is_cut_said_and_counted(wintered):
    view = wintered.distribution("mites")
    figure = view.draw()
    low, high = figure.axes[0].get_xlim()
    beyond = int((pd.read_csv("src/envelt/demo/hives.csv")["mites"] > high).sum())
    assert beyond > 50
    assert low == -0.5
    assert f"{beyond} rows beyond →" in texts(figure)
    assert f"tail cut: {beyond} rows above 47.5 are counted at the edge" in view.about
    assert view.bins["count"].iloc[-1] == beyond
    for spike in ("5", "10", "15"):
        assert spike in texts(figure).split(" | ")  # what people round to is written over its bar


def test_shares_in_each_bin_fill_it(wintered):
    figure = wintered.distribution("mites", by="wintered", arrange="shares", width=10).draw()
    patches = figure.axes[0].patches
    half = len(patches) // 2
    total = np.array([a.get_height() + b.get_height() for a, b in zip(patches[:half], patches[half:], strict=True)])
    assert set(np.round(total, 9)) <= {0.0, 1.0}
    stacked = wintered.distribution("mites", by="wintered", arrange="stacked", width=10)
    drawn = heights(stacked.draw().axes[0])
    counts = stacked.bins.groupby("group")["count"].sum()
    assert drawn.sum() == counts.sum()


def test_options_choose_the_picture_they_belong_to(wintered):
    some = wintered.where("altitude_m > 1150")  # few enough rows for dots
    assert some.distribution("mites").draw().alternative.count(" Dots of") == 1
    assert some.distribution("mites", numbers=True).draw().alternative.count(" Histogram of") == 1
    assert wintered.distribution("mites", box=True).draw().alternative.count(" Dots of") == 1
    lines = wintered.distribution("weight_kg", by="fed", arrange="overlaid", normal=True).draw().axes[0].lines
    x = wintered.distribution("weight_kg", by="fed").table
    peaks = sorted(
        float(line.get_xdata()[np.argmax(line.get_ydata())]) for line in lines if line.get_linestyle() == "--"
    )
    assert peaks == pytest.approx(sorted(x["mean"]), abs=0.1)
    stacked = wintered.distribution("weight_kg", by="fed", arrange="stacked", numbers=True)
    total = stacked.bins.groupby("left")["count"].sum()
    written = [int(t.get_text().replace(",", "")) for t in stacked.draw().axes[0].texts if t.get_text().isdigit()]
    assert written == [n for n in total if n]


def test_numbers_on_bars_are_their_counts():
    frame = pd.DataFrame({"x": [1.0] * 4 + [2.0] * 9 + [3.0] * 2})
    figure = Study(frame, kinds={"x": "discrete"}).distribution("x", picture="histogram", numbers=True).draw()
    assert {"4", "9", "2"} <= set(texts(figure).split(" | "))


@pytest.mark.parametrize(("scale", "least"), [("log", 0.2), ("log1p", 0.0)])
def test_log_scales_have_ticks_in_original_units_and_bars_whose_areas_are_rows(scale, least):
    x = np.round(rng(1).lognormal(2, 1.2, 2000), 1).clip(least)
    view = Study(pd.DataFrame({"x": x})).distribution("x", scale=scale, picture="histogram")
    axes = view.draw().axes[0]
    place = np.log10 if scale == "log" else lambda v: np.log10(1 + v)
    for tick in axes.get_xticklabels():
        value = float(tick.get_text().replace(",", ""))
        assert tick.get_position()[0] == pytest.approx(place(np.array(value)))
    assert view.bins["count"].sum() == 2000
    density = Study(pd.DataFrame({"x": x})).distribution("x", scale=scale).density
    assert np.trapezoid(density["density"], density["at"]) == pytest.approx(1, abs=0.02)


def test_boxes_stand_at_the_quartiles_and_name_their_outliers():
    x = np.r_[rng(2).normal(50, 4, 80), 95.0]
    view = Study(pd.DataFrame({"x": x})).distribution("x", picture="box")
    figure = view.draw()
    box = figure.axes[0].patches[0]
    q1, q3 = view.table.loc["all", ["q1", "q3"]]
    assert (box.get_x(), box.get_width()) == pytest.approx((q1, q3 - q1))
    assert "95 (row 80)" in texts(figure)
    assert "hides the number of rows and a second peak" in texts(figure)


def test_violins_and_densities_hold_to_their_values(wintered):
    view = wintered.distribution("honey_kg", by="fed", picture="violin")
    axes = view.draw().axes[0]
    bodies = [c for c in axes.collections if isinstance(c, PolyCollection)]
    assert len(bodies) == 2
    assert all(b.get_paths()[0].vertices[:, 0].min() >= 0 for b in bodies)  # no negative honey
    curves = wintered.distribution("honey_kg", by="fed", picture="density").draw().axes[0]
    assert min(line.get_xdata().min() for line in curves.lines if len(line.get_xdata()) > 100) >= 0


def test_every_row_is_a_dot_until_there_are_too_many(wintered):
    some = wintered.where("altitude_m > 1000").distribution("weight_kg", picture="dots", box=True)
    dots = [line for line in some.draw().axes[0].lines if line.get_marker() == "o" and len(line.get_xdata()) > 3]
    assert sum(len(line.get_xdata()) for line in dots) == some.table["n"].sum()
    many = Study(pd.DataFrame({"x": rng(3).normal(size=20_000)})).distribution("x", picture="dots").draw()
    assert "5,000 rows drawn evenly" in texts(many)
    heaped = wintered.distribution("mites", picture="dots").draw()
    heaps = next(line for line in heaped.axes[0].lines if line.get_marker() == "o")
    assert "side by side" in texts(heaped)
    assert len(heaps.get_xdata()) == 3000
    assert (np.rint(heaps.get_xdata()) == np.sort(wintered.table["mites"].values)).all()
    drawn = heaps.get_window_extent(heaped.canvas.get_renderer())
    frame = heaped.axes[0].get_window_extent()
    assert frame.y0 <= drawn.y0 < drawn.y1 <= frame.y1


def test_cumulative_curves_rise_from_0_to_1_at_the_values():
    x = rng(4).gamma(2, 3, 500)
    line = Study(pd.DataFrame({"x": x})).distribution("x", picture="cumulative").draw().axes[0].lines[0]
    at, share = line.get_xdata(), line.get_ydata()
    assert (share[0], share[-1]) == (0, 1)
    assert (np.diff(share) >= 0).all()
    for value in np.quantile(x, [0.1, 0.5, 0.9]):
        drawn = share[np.searchsorted(at, value, "right") - 1]
        assert drawn == pytest.approx(np.mean(x <= value))


def test_an_interval_axis_without_zero_is_marked(wintered):
    cut = wintered.distribution("weight_kg", by="forage", picture="interval")
    assert "axis does not start at 0, and is 0." in texts(cut.draw())  # standard deviations wide
    whole = wintered.distribution("weight_kg", by="forage", picture="interval", limits=(0, 50))
    assert "axis does not start at 0" not in texts(whole.draw())
    assert whole.draw().axes[0].get_xlim() == (0, 50)


def test_auto_chooses_by_rows_and_groups_and_says_why(wintered):
    few = wintered.where("altitude_m > 1150")
    chosen = {
        "histogram": wintered.distribution("mites"),
        "dots": few.distribution("mites"),
        "box": wintered.distribution("honey_kg", by="forage"),
        "violin": wintered.distribution("cell_width_mm", by="forage"),
        "interval": wintered.distribution("honey_kg", by="apiary"),
        "bars": wintered.distribution("forage"),
    }
    for picture, view in chosen.items():
        assert view.chosen == picture
    assert "violins: 7 groups, and a box would hide the second peak" in chosen["violin"].about


def test_dates_draw_time_months_and_weekdays(wintered):
    view = wintered.distribution("inspected_on")
    over_time, months, weekdays = view.draw().axes
    assert heights(over_time).tolist() == view.bins["count"].tolist()
    assert heights(months) == pytest.approx(view.months["count"].to_numpy() / 3000)
    assert heights(weekdays) == pytest.approx(view.weekdays["count"].to_numpy() / 3000)


def test_the_sheet_has_a_panel_a_column_and_counts_the_rest():
    frame = pd.DataFrame(rng(5).normal(size=(60, 80)), columns=[f"c{i}" for i in range(80)])
    view = Study(frame).distribution()
    figure = view.draw()
    assert len(view.table) == 80
    assert sum(len(c.get_paths()) > 0 for c in figure.axes[0].collections) == 63
    assert "17 columns more are in the table" in texts(figure)


def test_labels_and_units_show_in_every_picture():
    columns = {
        "weight_kg": {"label": "Hive weight", "unit": "kg"},
        "fed": {"labels": {"yes": "was fed", "no": "hungry"}},
    }
    study = Study("demo", outcome="honey_kg", columns=columns)
    for view in (
        study.distribution("weight_kg", by="fed"),
        study.against("weight_kg"),
        study.distribution("weight_kg", by="fed", picture="density"),
    ):
        assert "Hive weight (kg)" in texts(view.draw())
    assert "was fed" in texts(study.distribution("weight_kg", by="fed").draw())


def test_scatters_draw_rows_and_many_rows_as_density(honey):
    r = rng(6)
    frame = pd.DataFrame({"x": r.normal(size=300)})
    frame["y"] = frame["x"] + r.normal(size=300)
    few = Study(frame, outcome="y").against("x").draw().axes[0]
    assert max(len(line.get_xdata()) for line in few.lines if line.get_marker() == "o") == 300
    figure = honey.against("frames_bees").draw()
    mesh = figure.axes[0].collections[0]
    assert np.nansum(np.ma.filled(mesh.get_array(), 0)) == 3000  # no row is lost to the grid
    residuals = Study(frame, outcome="y").against("x", residuals=True).draw().axes[0]
    left = next(line for line in residuals.lines if line.get_marker() == "o").get_ydata()
    assert np.mean(left) == pytest.approx(0, abs=1e-9)


def test_ticks_have_few_digits():
    assert [tick_label(v) for v in (0, 2.5, 1940.0, 12345.0, 2e12)] == ["0", "2.5", "1940", "12,345", "2e12"]


def many_kinds(kinds):
    r = np.random.default_rng(0)
    kind = np.sort(r.integers(0, kinds, 600))
    x = r.normal(size=(kinds, 3))[kind] * 5 + r.normal(size=(600, 3))
    frame = pd.DataFrame(x, columns=["a", "b", "c"]).assign(y=x[:, 0] * 2 + r.normal(size=600))
    return frame.assign(kind=[f"kind {k}" for k in kind])


def test_twelve_classes_are_told_apart_and_of_more_the_largest_eleven():
    looks = {(style.colour(k), style.marker(k), str(style.dash(k)), style.key_mark(k)) for k in range(12)}
    assert len(looks) == len({(c, m) for c, m, _, _ in looks}) == len({(c, d) for c, _, d, _ in looks}) == 12
    for kinds, coloured in ((12, 12), (15, 11)):
        axes = Study(many_kinds(kinds), outcome="kind").embed("a", "b", "c").draw().axes[0]
        named = {t.get_text() for t in axes.texts if t.get_zorder() == 6}
        assert len(named) == coloured
        drawn = {
            (to_hex(c), len(part.get_paths()[0].vertices))
            for part in axes.collections
            for c in part.get_facecolors()
            if len(part.get_offsets()) > 50
        }
        assert len(drawn) == coloured + (kinds > 12)
        assert any("other (4 classes)" in t.get_text() for t in axes.texts) == (kinds > 12)
    pair = Study(many_kinds(15), outcome="kind").pairwise("a", "b").draw()
    assert any("other (4 levels)" in t.get_text() for a in pair.axes for t in a.texts)


def test_a_trend_has_no_classs_colour_and_a_numeric_outcome_is_the_last_row_of_pairs():
    study = Study(many_kinds(3), outcome="y")
    axes = study.against("a", by="kind").draw().axes[0]
    lines = [to_hex(line.get_color()) for line in axes.lines if line.get_linestyle() != "None"]
    assert lines.count(style.INK) == 2  # the trend, and the line of all rows
    assert {style.colour(k) for k in range(3)} < set(lines)
    assert study.pairwise().columns[-1] == "y"
    assert study.pairwise("a", "b", "c").columns == ["a", "b", "c"]
    density = study.distribution("a", by="kind", picture="density").draw().axes[0]
    assert len({to_hex(line.get_color()) for line in density.lines if len(line.get_xdata()) > 100}) == 3


def test_upright_is_the_same_picture_with_values_running_up(wintered):
    for picture in ("box", "violin"):
        for scale in ("linear", "log1p"):
            lying, upright = (
                wintered.distribution("mites", by="forage", picture=picture, scale=scale, upright=way).draw().axes[0]
                for way in (False, True)
            )
            assert upright.get_ylim() == lying.get_xlim()
            assert upright.get_ylabel() == lying.get_xlabel()
            assert [t.get_text() for t in upright.get_xticklabels()] == [t.get_text() for t in lying.get_yticklabels()]
            drawn = [sorted(map(tuple, np.concatenate([v.get_xydata() for v in a.lines])[:, ::s].tolist()))
                     for a, s in ((lying, 1), (upright, -1))]  # fmt: skip
            assert drawn[0] == drawn[1]
            assert {"839", "n"} <= {t.get_text() for t in upright.texts} & {t.get_text() for t in lying.texts}
    bars = wintered.distribution("forage", upright=True).draw().axes[0]
    counts = wintered.to_frame()["forage"].value_counts()
    assert sorted(heights(bars)) == sorted(counts)
    assert "839\n(28.0%)" in [t.get_text() for t in bars.texts]
    with pytest.raises(OptionError, match=r"upright belongs to picture='box' or 'violin'"):
        wintered.distribution("mites", picture="histogram", upright=True)


def test_of_very_many_outliers_some_are_drawn_all_the_way_to_the_whisker():
    values = rng(3).lognormal(2, 1, 30_000)
    axes = Study({"x": values}).distribution("x", picture="box").draw().axes[0]
    q1, q3 = np.quantile(values, [0.25, 0.75])
    beyond = np.sort(values[values > q3 + 1.5 * (q3 - q1)])
    drawn = next(np.sort(line.get_xdata()) for line in axes.lines if len(line.get_xdata()) > 100)
    assert len(drawn) == 400
    assert set(drawn) <= set(beyond)
    assert drawn[0] == beyond[0]
    assert drawn[-200:].tolist() == beyond[-200:].tolist()
    assert "Not drawn" in texts(axes.figure)
