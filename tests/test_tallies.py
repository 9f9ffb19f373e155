"""Any split of the rows, in any order, weighted or written out, gives the same tallies."""

from random import Random

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from envelt.core.stats.folds import hash_blocks
from envelt.core.tallies.counts import Counts
from envelt.core.tallies.crossed import Contingency
from envelt.core.tallies.moments import Moments

rows = st.lists(
    st.tuples(
        st.one_of(st.just(float("nan")), st.floats(-1e6, 1e6), st.sampled_from([0.0, 5.0, 1e9])),
        st.integers(-1, 3),
        st.integers(-1, 2),
        st.integers(0, 4),
    ),
    min_size=1,
    max_size=60,
)


def tally(value, a, b, weight=None):
    counts, moments, table = Counts(), Moments(4), Contingency()
    counts.add(a, weight)
    moments.add(value, a, weight)
    table.add(a, b, weight)
    return counts, moments, table


@given(rows, st.integers(1, 5), st.randoms(use_true_random=False))
@example([(0.0, 1, 0, 2), (8e-137, 1, 0, 1)], 2, Random(1))
@settings(max_examples=150, deadline=None)
def test_any_split_in_any_order_and_any_weights_give_the_same(data, parts, random):
    value, a, b, weight = (np.array(c) for c in zip(*data, strict=True))
    whole = tally(value, a, b, weight)
    where = [random.randrange(parts) for _ in data]
    batches = [tally(value[i], a[i], b[i], weight[i]) for i in (np.array(where) == p for p in range(parts))]
    random.shuffle(batches)
    merged = batches[0]
    for batch in batches[1:]:
        for mine, other in zip(merged, batch, strict=True):
            mine.merge(other)
    # the weight is a frequency: so many equal rows
    written_out = tally(*(np.repeat(c, weight) for c in (value, a, b)))
    for other in (merged, written_out):
        assert _counts(other[0]) == _counts(whole[0])
        assert _table(other[2]) == _table(whole[2])
        want, got = whole[1].finish(), other[1].finish()
        assert (got.n == want.n).all()
        for name in ("mean", "min", "max"):
            assert getattr(got, name) == pytest.approx(getattr(want, name), rel=1e-12, nan_ok=True)
        assert got.variance == pytest.approx(want.variance, rel=1e-9, abs=1e-12, nan_ok=True)
        assert got.skewness == pytest.approx(want.skewness, rel=1e-6, abs=1e-6, nan_ok=True)


def _counts(tally):
    counts, missing = tally.finish()
    return np.trim_zeros(counts, "b").tolist(), missing


def _table(tally):
    table, missing = tally.finish()
    padded = np.zeros((5, 5), int)
    padded[: table.shape[0], : table.shape[1]] = table
    return padded.tolist(), missing


@pytest.mark.parametrize("weight", [[1, 2], [1.5, 1, 1], [1, -1, 1]])
def test_weights_must_be_frequencies_one_a_row(weight):
    with pytest.raises(ValueError, match="weight must hold"):
        Counts().add(np.array([0, 1, 0]), np.array(weight))


def test_folds_do_not_depend_on_how_rows_come_in():
    whole = hash_blocks(np.arange(5000), 3)
    parts = [hash_blocks(np.arange(i, min(i + 700, 5000)), 3) for i in range(0, 5000, 700)]
    assert (np.concatenate(parts) == whole).all()
    assert np.bincount(whole, minlength=50).min() > 60
    assert (hash_blocks(np.arange(5000), 4) != whole).mean() > 0.9
