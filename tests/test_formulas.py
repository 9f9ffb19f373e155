"""Formulas against what they say of themselves: references written out, and what must not change them."""

import numpy as np
import pandas as pd
import pytest
from scipy import stats

from envelt import Study
from envelt.core.columns.coarse import Coarse
from envelt.core.columns.outcome import NumericOutcome
from envelt.core.stats.expected import expected_are_small
from envelt.core.stats.rates import calendar_rate_bins
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.straight import not_straight
from envelt.core.within.search import turn_rounds
from samples import rows


@pytest.mark.parametrize("units", [0, 40])
def test_a_line_changes_nothing_of_what_bins_leave_of_a_line(units):
    r = np.random.default_rng(4)
    x = r.choice([0.0, 1.0, 3.0, 4.0, 9.0], 600)
    y = np.sin(x) + r.normal(size=600)
    sampling = Sampling.of_units(r.integers(0, units, 600)) if units else rows(x)
    plain, tilted = not_straight(x, y, sampling), not_straight(x, 5 - 2.5 * x + y, sampling)
    assert plain.statistic == pytest.approx(tilted.statistic, rel=1e-9)
    assert plain.p == pytest.approx(tilted.p, rel=1e-6)
    # with equal spread it is the classical F of lack of fit, near enough
    if not units:
        full = stats.f_oneway(*(y[x == v] for v in np.unique(x)))
        line = stats.linregress(x, y)
        within = sum(np.sum((y[x == v] - y[x == v].mean()) ** 2) for v in np.unique(x))
        left = np.sum((y - line.intercept - line.slope * x) ** 2) - within
        assert plain.statistic == pytest.approx(left / 3 / (within / 595), rel=0.1)
        assert full.pvalue < 0.05


def test_small_expected_counts_are_cochrans_rule():
    assert expected_are_small(np.array([[1, 1], [400, 400]]))  # one expects exactly 1, half under 5
    assert expected_are_small(np.array([[0, 1, *[30] * 8], [20, 20, *[900] * 8]]).T)  # two of twenty, one under 1
    assert not expected_are_small(np.array([[4, 8, 9, 9, 9, 9], [9, 9, 9, 9, 9, 9]]))
    assert not expected_are_small(np.array([[10, 20], [30, 40]]))


def test_pairs_of_levels_have_the_p_of_their_table():
    r = np.random.default_rng(8)
    a = r.integers(0, 4, 500)
    frame = pd.DataFrame({"a": np.array(list("klmn"))[a], "b": np.array(list("xyz"))[(a + r.integers(0, 6, 500)) % 3]})
    study = Study(frame)
    pair = study.relations("a", "b").pairs.iloc[0]
    table = study.contingency("a", "b").tests.loc["chi_square"]
    assert pair["p"] == pytest.approx(table["p"], rel=1e-9)
    assert table["p"] == pytest.approx(stats.chi2_contingency(pd.crosstab(frame["a"], frame["b"]))[1], rel=1e-9)


def test_units_of_the_calendar_run_from_their_first_day_to_that_of_the_next():
    days = np.arange(np.datetime64("2023-01-05"), np.datetime64("2024-03-20")).astype(float)
    ends = calendar_rate_bins(days, unit="month").ends
    first = np.arange(np.datetime64("2023-01"), np.datetime64("2024-04")).astype("datetime64[D]").astype(float)
    assert ends.left.tolist() == first.tolist()
    assert ends.right[:-1].tolist() == first[1:].tolist()
    assert ends.right[-1] == np.datetime64("2024-04-01").astype("datetime64[D]").astype(float)
    assert ((ends.left < ends.middle) & (ends.middle < ends.right)).all()


@pytest.mark.parametrize(("shared", "found"), [(0.5, True), (0.85, False)])
def test_of_two_columns_that_say_the_same_neither_turns_within_the_other(shared, found):
    r = np.random.default_rng(2)
    n = 6_000
    a = r.normal(size=n)
    b = shared * a + np.sqrt(1 - shared**2) * r.normal(size=n)
    y = 2 * b - 0.6 * a + 3 * r.normal(size=n)
    cut = lambda v: np.searchsorted(np.quantile(v, np.arange(1, 6) / 6), v).astype(np.int8)  # noqa: E731
    columns = [Coarse(name, cut(v), tuple("123456"), True) for name, v in (("a", a), ("b", b))]
    turned = turn_rounds(columns, NumericOutcome("y", y), rows(y))
    assert [t.name for t in turned] == (["a"] if found else [])
