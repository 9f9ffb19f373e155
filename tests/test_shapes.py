"""What is seen in one column: recorded steps, spikes, heaps at zero and at bounds, peaks, far values, tails."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.shapes.bins import Bins, readable_bins
from envelt.core.shapes.density import densities, linear_binning, natural_bounds, overlap, silverman
from envelt.core.shapes.dip import dip_statistic
from envelt.core.shapes.peaks import peaks_by_width, peaks_in, two_peaks
from envelt.core.shapes.qq import band_level, normal_qq
from envelt.core.shapes.resolution import recorded_step, said_of_step
from envelt.core.shapes.spikes import atom_at, round_spikes
from envelt.core.stats.groups import GroupedRows, brown_forsythe
from samples import rows

SIZES = np.geomspace(60, 20_000, 7).astype(int)


def rng(seed=0):
    return np.random.default_rng(seed)


def findings(values, **options):
    study = Study(pd.DataFrame({"x": np.asarray(values, float)}), kinds={"x": "continuous"})
    return {f.code: f for f in study.distribution("x", **options).findings}


@given(
    st.sampled_from([0.01, 0.1, 0.2, 0.25, 0.5, 1.0, 2.0, 5.0, 25.0, 100.0]),
    st.lists(st.integers(-300, 300), min_size=3, max_size=60).filter(lambda k: len(set(k)) > 2),
)
@settings(max_examples=200, deadline=None)
def test_the_recorded_step_divides_every_value_and_no_coarser_one_does(step, multiples):
    ordered = np.sort(np.round(np.array(multiples) * step, 6))
    found = recorded_step(ordered)
    assert found >= step - 1e-12
    ratio = ordered / found
    assert np.abs(ratio - np.rint(ratio)).max() < 1e-6
    coarser = [c for c in (found * 2, found * 2.5, found * 5, found * 10) if f"{c:.0e}"[0] in "125"]
    spread = ordered[-1] - ordered[0]
    for c in coarser:
        r = ordered / c
        assert np.abs(r - np.rint(r)).max() > 1e-9 or c > spread or float(f"{c:e}".split("e")[0]) not in (1, 2, 2.5, 5)


def test_values_without_a_step_have_none_and_steps_have_names():
    assert recorded_step(np.sort(rng().normal(size=400))) == 0
    assert recorded_step(np.array([4.0, 4.0])) == 0
    assert said_of_step(0.5) == "halves"
    assert said_of_step(1.0) == "whole numbers"
    assert said_of_step(0.2) == "steps of 0.2"


@pytest.mark.parametrize("spacing", [5, 10, 100])
@pytest.mark.parametrize("n", [400, 4000, 100_000])
def test_rounding_to_a_multiple_is_found_with_its_spacing(spacing, n):
    r = rng(spacing + n)
    x = np.round(r.gamma(3, 2.5 * spacing, n))
    rounded = r.random(n) < 0.3
    x[rounded] = spacing * np.round(x[rounded] / spacing)
    spikes = round_spikes(np.sort(x), 1.0)
    assert spikes.spacing == spacing
    assert spikes.share - spikes.expected == pytest.approx(0.3 * (1 - 1 / spacing), abs=0.07)
    assert all(v % spacing == 0 for v in spikes.values)


@pytest.mark.parametrize("n", SIZES)
def test_smooth_and_converted_columns_have_no_spikes(n):
    r = rng(n)
    for x in (
        np.round(r.normal(200, 40, n)),
        np.round(r.gamma(2, 30, n)),
        r.poisson(7, n).astype(float),
        np.round(np.round(r.normal(30, 6, n), 1) * 2.2046226, 2),  # kilograms shown in pounds
        np.round(r.exponential(12, n) * 4) / 4,
        r.integers(0, 5, n) * 10.0,
    ):
        ordered = np.sort(x)
        assert round_spikes(ordered, recorded_step(ordered)) is None


@pytest.mark.parametrize("n", [1500, 6000, 40_000])
def test_too_many_zeros_are_found_and_as_many_as_there_should_be_are_not(n):
    r = rng(n)
    counts = r.poisson(4, n).astype(float)
    assert "excess-zeros" not in findings(counts)
    assert "excess-zeros" not in findings(np.floor(r.exponential(6, n)))
    assert "excess-zeros" not in findings(r.geometric(0.3, n) - 1.0)
    inflated = np.where(r.random(n) < 0.2, 0, counts)
    found = findings(inflated)["excess-zeros"]
    assert found.evidence["rows"] == np.sum(inflated == 0)
    amounts = np.where(r.random(n) < 0.1, 0.0, r.lognormal(2, 1, n))
    assert "excess-zeros" in findings(amounts)


@pytest.mark.parametrize("n", [1500, 6000, 50_000])
def test_values_heaped_at_an_end_are_found_at_the_right_end(n):
    r = rng(n)
    top = findings(np.minimum(r.normal(50, 8, n), 60.0))["values-at-bound"]
    assert top.evidence["value"] == 60
    assert "highest" in top.statement
    bottom = findings(np.maximum(np.round(r.normal(20, 6, n)), 16))["values-at-bound"]
    assert bottom.evidence["value"] == 16
    assert "lowest" in bottom.statement
    assert "values-at-bound" not in findings(np.round(r.uniform(0, 10, n), 1))
    assert atom_at(np.sort(r.normal(size=n)), 0.0, -1) is None


@given(st.lists(st.integers(0, 400), min_size=1, max_size=40))
@settings(max_examples=150, deadline=None)
def test_peaks_are_places_of_the_counts_and_survive_mirroring(counts):
    counts = np.array(counts)
    peaks = peaks_in(counts)
    assert all(0 <= p < len(counts) for p in peaks)
    assert len(peaks) == len(peaks_in(counts[::-1]))
    if counts.sum():
        assert counts.max() in counts[peaks]


def test_peaks_are_counted_at_half_and_twice_the_width_of_whole_steps_only():
    x = np.sort(np.r_[rng(1).normal(0, 1, 3000), rng(2).normal(6, 1, 3000)])
    assert set(peaks_by_width(x, readable_bins(x), 0.0).values()) == {2}
    halves = np.sort(np.round(rng(3).normal(7, 2, 4000) * 2) / 2)
    widths = peaks_by_width(halves, Bins(np.arange(-0.25, 16, 0.5)), 0.5)
    assert set(widths) == {0.5, 1.0}  # a quarter would leave every other bin empty
    assert set(widths.values()) == {1}


@pytest.mark.parametrize("n", [400, 4000])
def test_two_peaks_are_named_where_they_are(n):
    r = rng(n)
    x = np.r_[r.normal(10, 1, n // 2), r.normal(20, 2, n // 2)]
    found = findings(x)["two-peaks"]
    assert found.evidence["peaks"] == pytest.approx([10, 20], abs=1.0)
    assert 12 < found.evidence["valley"] < 17
    assert found.evidence["dip"] == pytest.approx(dip_statistic(np.sort(x)))
    one = two_peaks(np.sort(stats.norm.ppf((np.arange(n) + 0.5) / n)))
    assert one is None
    assert "two-peaks" not in findings(r.normal(r.choice([0, 2.0], n), 1.5))


def test_gross_values_are_told_from_long_tails_by_their_logarithms():
    r = rng(8)
    tail = r.lognormal(2, 1.3, 3000)
    assert "gross-outliers" not in findings(tail)
    slipped = np.r_[r.normal(34, 1, 3000), 340.0, 3.4]
    found = findings(slipped)["gross-outliers"]
    assert found.evidence["count"] == 2
    assert set(found.evidence["rows"]) == {"3000", "3001"}
    assert "long-tail" not in findings(slipped)


@pytest.mark.parametrize(
    ("draw", "side"),
    [
        (lambda r: r.lognormal(1, 0.9, 4000), "right"),
        (lambda r: r.normal(0, 1, 4000) ** 2, "right"),
        (lambda r: np.where(r.random(4000) < 0.3, 0, r.lognormal(1, 0.9, 4000)), "right"),
        (lambda r: 100 - r.gamma(1.2, 3, 4000), "left"),
    ],
)
def test_a_long_tail_has_a_side_and_the_transform_that_transforms_suggests(draw, side):
    study = Study(pd.DataFrame({"x": draw(rng(5))}))
    found = next(f for f in study.distribution("x").findings if f.code == "long-tail")
    assert found.evidence["side"] == side
    assert f"long {side} tail" in found.statement
    told = study.transforms("x")
    suggested = told.suggested["x"] if hasattr(told.suggested, "keys") else told.suggested
    assert found.evidence["transform"] == ("" if suggested == "as_is" else suggested)
    if not found.evidence["above_zero"]:
        assert found.evidence["skewness_after"] == pytest.approx(told.table.loc[suggested, "skewness"])
    if side == "right":
        assert abs(found.evidence["skewness_after"]) < abs(found.evidence["skewness"]) / 2
    sheet = next(f for f in study.distribution().findings if f.code == "long-tail")
    assert sheet.evidence == found.evidence


def test_linear_binning_keeps_every_row_and_the_mean():
    x = np.sort(rng(4).normal(size=5000))
    delta = 0.01
    weight = linear_binning(x, -6.0, delta, 1200)
    at = -6 + delta * np.arange(1200)
    assert weight.sum() == pytest.approx(5000)
    assert (weight >= 0).all()
    assert np.sum(weight * at) / 5000 == pytest.approx(x.mean(), abs=1e-12)


def test_bandwidths_overlaps_and_bounds_are_the_textbooks():
    x = np.sort(rng(6).normal(3, 2, 700))
    spread = min(x.std(ddof=1), stats.iqr(x) / 1.34)
    assert silverman(x) == pytest.approx(0.9 * spread * 700**-0.2)
    # two normals a deviation apart share 2 Φ(−1/2) of their area
    at = np.linspace(-8, 9, 4000)
    shared = overlap(stats.norm.pdf(at), stats.norm.pdf(at, 1), at)
    assert shared == pytest.approx(2 * stats.norm.cdf(-0.5), abs=1e-6)
    assert natural_bounds(0, 7) == (0, np.inf)
    assert natural_bounds(-3, -1) == (-np.inf, 0)
    assert natural_bounds(2, 40, (0.0, 100.0)) == (0, 100)
    assert natural_bounds(2, 140, (0.0, 100.0)) == (0, np.inf)  # a limit that does not hold is none


@given(st.floats(0.1, 50), st.floats(-1e3, 1e3))
@settings(max_examples=25, deadline=None)
def test_a_density_follows_a_change_of_unit(factor, shift):
    x = np.sort(rng(9).gamma(3, 1, 300))
    plain, moved = densities([x]), densities([np.sort(factor * x + shift)])
    assert moved.at == pytest.approx(factor * plain.at + shift, rel=1e-6, abs=1e-6 * factor)
    assert moved.density[0] * factor == pytest.approx(plain.density[0], rel=1e-4, abs=1e-6)


def test_brown_forsythe_is_welchs_f_on_distances_from_the_median():
    r = rng(11)
    a, b = np.sort(r.normal(0, 1, 60)), np.sort(r.normal(0, 2, 45))
    away = [np.abs(g - np.median(g)) for g in (a, b)]
    t = stats.ttest_ind(*away, equal_var=False)
    values, codes = np.concatenate([a, b]), np.repeat([0, 1], [60, 45])
    seen = brown_forsythe(GroupedRows(values, codes, ("a", "b"), rows(values)), np.arange(2))
    assert (abs(seen.statistic), seen.p) == pytest.approx((abs(t.statistic), t.pvalue), rel=1e-10)
    whole, codes, alone = np.concatenate([values, a * 2]), np.r_[codes, np.full(60, 2)], rows(range(165))
    three = GroupedRows(whole, codes, ("a", "b", "c"), alone)
    parts = [*away, np.abs(2 * a - np.median(2 * a))]
    want = GroupedRows(np.concatenate(parts), codes, ("a", "b", "c"), alone).tests["welch_anova"]
    assert brown_forsythe(three, np.arange(3)) == pytest.approx(want, rel=1e-10)


GROUPED = {
    "spread-differs": lambda r, n, g: r.normal(0, np.where(g, 2.2, 1.0), n),
    "significant-but-tiny": lambda r, n, g: r.normal(np.where(g, 0.12, 0.0), 1, n),
    "means-differ-rows-overlap": lambda r, n, g: r.normal(np.where(g, 0.33, 0.0), 1, n),
}


@pytest.mark.parametrize("code", GROUPED)
def test_findings_on_groups_come_with_their_numbers(code):
    r = rng(12)
    n = 20_000
    g = r.random(n) < 0.5
    frame = pd.DataFrame({"x": GROUPED[code](r, n, g), "g": np.where(g, "late", "early")})
    view = Study(frame).distribution("x", by="g")
    found = {f.code: f for f in view.findings}
    assert code in found
    assert found[code].columns == ("x", "g")
    assert set(found) <= {code, "many-outliers"}
    if code == "spread-differs":
        sd = frame.groupby("g")["x"].std()
        assert found[code].evidence["ratio"] == pytest.approx(sd.max() / sd.min())
    else:
        assert found[code].evidence["overlap"] == pytest.approx(view.overlap)
        assert ("higher in 'late' than in 'early'" in found[code].statement) or (
            "lower in 'early' than in 'late'" in found[code].statement
        )


def test_intervals_that_mislead_are_named_only_where_intervals_were_asked_for(wintered):
    codes = {p: {f.code for f in wintered.distribution("gain_july", by="wintered", picture=p).findings}
             for p in ("interval", "box")}  # fmt: skip
    assert "intervals-mislead" in codes["interval"]
    assert "intervals-mislead" not in codes["box"]


@pytest.mark.parametrize("n", [400, 30_000])
def test_points_off_the_band_are_those_whose_order_statistic_is_too_far(n):
    x = np.sort(stats.t(3 if n < 1000 else 9).rvs(n, random_state=n))
    made = normal_qq(x)
    centre, scale = made.line
    i, tail = np.arange(1.0, n + 1), band_level(n) / 2
    u = stats.norm.cdf((x - centre) / scale)
    off = (stats.beta.cdf(u, i, n + 1 - i) < tail) | (stats.beta.sf(u, i, n + 1 - i) < tail)
    assert made.outside > 5
    # between the points drawn of many rows the band is taken as straight
    assert made.outside == pytest.approx(off.sum(), rel=0 if n <= 1000 else 0.02)
    whole = normal_qq(np.round(x), step=1.0)
    assert whole.outside < np.sum(np.diff(np.round(x)) == 0)  # steps of recording are not departures


@pytest.mark.parametrize("times", [2, 7])
def test_values_that_units_repeat_heap_no_more_than_once(times):
    r = np.random.default_rng(2)
    spoken = []
    for _ in range(60):
        x = np.sort(np.where(r.random(300) < r.uniform(0, 0.3), 0.0, np.floor(r.exponential(12, 300))))
        alone, often = atom_at(x, 1.0, 0), np.repeat(x, times)
        seen = atom_at(often, 1.0, 0, float(times))
        assert (alone is None) == (seen is None)
        if alone is not None and seen is not None:
            assert (seen.rows, seen.value) == (times * alone.rows, alone.value)
            assert seen.expected == pytest.approx(times * alone.expected)
        spoken.append(alone is not None)
        assert (round_spikes(x, 1.0) is None) == (round_spikes(often, 1.0, float(times)) is None)
    assert 0 < sum(spoken) < 60
