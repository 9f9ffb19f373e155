"""The held-out share: nothing on noise, the truth where there is one, whole units, the same for everyone."""

import itertools

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.core.stats.folds import deal, hash_blocks
from envelt.core.stats.heldout import held_out, level_cells, number_cells
from envelt.core.stats.shrinkage import level_strength
from envelt.core.stats.targets import ClassTarget
from samples import told_of

N = 1000


def ranked(frame, **options):
    return Study(frame, outcome="y", **options).rank().table


def noise_table(seed):
    rng = np.random.default_rng(seed)
    return pd.DataFrame(
        {
            "number": rng.gamma(2.0, size=N),
            "levels": rng.integers(0, 300, N).astype(str),
            "row": [f"r{i}" for i in range(N)],
            "y": np.where(rng.random(N) < 0.22, "yes", "no"),
        }
    )


def test_noise_carries_nothing():
    shares = np.array([ranked(noise_table(s))["held_out_share"][["number", "levels", "row"]] for s in range(40)])
    assert (shares > 0.01).sum(axis=0)[:2].max() <= 5  # 8 % of 40, and two standard deviations
    assert (shares[:, 2] == 0).all()


def test_true_relations_are_found_on_one_scale():
    rng = np.random.default_rng(1)
    x = rng.normal(size=3000)
    y = rng.random(3000) < 1 / (1 + np.exp(-2 * x))
    frame = pd.DataFrame({"x": x, "copy": 3 * x - 7, "step": np.where(x > 0, "a", "b"), "y": np.where(y, 1, 0)})
    table = ranked(frame)
    # the rate itself would remove 1 − E[H(rate)] / H(½) of log loss
    rate = 1 / (1 + np.exp(-2 * rng.normal(size=200_000)))
    ideal = 1 + np.mean(rate * np.log(rate) + (1 - rate) * np.log(1 - rate)) / np.log(2)
    assert table.loc["x", "low"] < ideal < table.loc["x", "high"]
    assert table.loc["x", "held_out_share"] == pytest.approx(table.loc["copy", "held_out_share"], abs=1e-9)
    assert 0 < table.loc["step", "held_out_share"] < table.loc["x", "held_out_share"]
    assert table.loc["x", "auc"] > 0.8


def test_a_perfect_candidate_has_a_finite_share_near_one():
    frame = pd.DataFrame(
        {"leak": np.tile(["a", "b"], 500), "half": np.tile([0.5, 2.5], 500), "y": np.tile([0, 1], 500)}
    )
    table = ranked(frame, kinds={"half": "continuous"})
    assert (table["held_out_share"] > 0.97).all()
    assert (table["advice"] == "stop: known when?").all()


def test_missing_is_a_level_of_its_own():
    rng = np.random.default_rng(2)
    y = rng.random(2000) < 0.5
    x = np.where(rng.random(2000) < np.where(y, 0.5, 0.1), np.nan, rng.normal(size=2000))
    table = ranked(pd.DataFrame({"gaps": x, "y": y}))
    assert table.loc["gaps", "low"] > 0.05
    assert table.loc["gaps", "missing_share"] == pytest.approx(np.isnan(x).mean())


def test_units_are_never_split_and_count_once():
    rng = np.random.default_rng(3)
    people = pd.DataFrame(
        {"who": [f"p{i}" for i in range(300)], "mood": rng.normal(size=300), "y": rng.integers(0, 2, 300)}
    )
    visits = people.loc[np.repeat(np.arange(300), 6)].reset_index(drop=True)
    split, whole = ranked(visits), Study(visits, outcome="y", unit="who").rank()
    assert split.loc["who", "held_out_share"] > 0.5  # memory of the same case
    assert split.loc["mood", "low"] > 0
    assert whole.table.loc["mood", "low"] < 0
    assert whole.table.loc["mood", "p"] > 0.01
    assert whole.units.loc["mood", "change"] < -0.01
    assert next(f for f in whole.findings if f.code == "units-kept-whole").evidence["units"] == 300


def test_repeating_every_row_as_a_unit_changes_no_test_and_no_interval():
    single = Study("demo", outcome="wintered").where("temper == 3 or temper == 4")
    rows = (
        pd.read_csv("src/envelt/demo/hives.csv")
        .query("temper == 3 or temper == 4")
        .assign(case=lambda d: range(len(d)))
    )
    double = Study(pd.concat([rows, rows], ignore_index=True), outcome="wintered", unit="case")
    for name in ("mites", "weight_kg", "fed", "altitude_band"):
        one, two = single.against(name), double.against(name)
        for column in ("low", "high"):
            for effect in ("mean_difference", "superiority", "risk_difference", "odds_ratio"):
                if effect in one.effects.index:
                    assert two.effects.loc[effect, column] == pytest.approx(one.effects.loc[effect, column], rel=0.03)
            assert two.rates[column].to_numpy() == pytest.approx(one.rates[column].to_numpy(), abs=0.03)
        shared = [t for t in ("welch_t", "mann_whitney", "chi_square") if t in one.tests.index]
        # rows take chi-square's variance under no relation, units as it is: far out in the tail orders lie between them
        of_units, of_rows = (np.log(v.tests.loc[shared, "p"].to_numpy().clip(1e-20)) for v in (two, one))
        assert of_units == pytest.approx(of_rows, rel=0.08)


def naive_share(x, y, event_only, folds):
    """The definition, written out row by row with loops: bins or levels, their rates, and the pooled loss."""
    loss = base_loss = 0.0
    for fold_of_block in folds.fold_of_block:
        fold = fold_of_block[folds.blocks]
        for f in range(5):
            train, test = fold != f, fold == f
            n, k = int(train.sum()), 2
            base = (np.array([np.sum(y[train] == c) for c in range(k)]) + 0.5) / (n + k / 2)
            rate = (
                naive_levels(x[train], y[train], x[test], base) if event_only else naive_bins(x, y, train, test, base)
            )
            for c, r in zip(y[test], rate, strict=True):
                loss -= np.log(r if c else 1 - r)
                base_loss -= np.log(base[c])
    return 1 - loss / base_loss


def naive_levels(x, y, wanted, base):
    n = {v: np.sum(x == v) for v in set(x)}
    events = {v: np.sum(y[x == v]) for v in set(x)}
    q = base[1]
    x2 = sum(n[v] * ((events[v] / n[v] - q) ** 2 / q + (events[v] / n[v] - q) ** 2 / (1 - q)) for v in n)
    rho = max(0, x2 - (len(n) - 1)) / (len(x) - sum(c**2 for c in n.values()) / len(x))
    m = max(1 / rho - 1, 0.5) if rho else np.inf
    return [q if v not in n or m == np.inf else (events[v] + m * q) / (n[v] + m) for v in wanted]


def naive_bins(everyone, outcomes, train, test, base):
    edges = set(np.quantile(everyone, np.arange(1, 20) / 20))
    values = sorted(set(everyone))
    for value, after in itertools.pairwise(values):  # what holds a twentieth of the rows stands alone
        edges |= {value, after} if np.mean(everyone == value) >= 1 / 20 else set()
    edges = np.array(sorted(e for e in edges if min(everyone) < e <= max(everyone)))
    x, y, wanted = everyone[train], outcomes[train], everyone[test]
    at, q, n = np.searchsorted(edges, x, "right"), base[1], len(x)
    weight = np.array([np.mean(at == b) for b in range(len(edges) + 1)])
    deviation = np.array([y[at == b].mean() for b in range(len(edges) + 1)]) - y.mean()
    # Gram–Schmidt of powers of the bin's place, under the bins' weights
    basis = []
    for power in range(len(weight)):
        p = np.linspace(-1, 1, len(weight)) ** power
        for other in basis + basis:  # twice, against rounding
            p = p - np.sum(weight * p * other) * other
        basis.append(p / np.sqrt(np.sum(weight * p * p)))
    c = np.array([np.sum(weight * deviation * p) for p in basis[1:]])
    start, width = 0, 1
    while start < len(c):
        block = slice(start, start + width)
        d = len(c[block])
        c[block] *= max(0, 1 - 2 * d * q * (1 - q) / n / np.sum(c[block] ** 2))
        start, width = start + width, width * 2
    rate = y.mean() + sum(ci * p for ci, p in zip(c, basis[1:], strict=True))
    rows = weight * n
    event = np.maximum(rate, 0.5 * q / (rows + 0.5))
    rest = np.maximum(1 - rate, 0.5 * (1 - q) / (rows + 0.5))
    return (event / (event + rest))[np.searchsorted(edges, wanted, "right")]


@pytest.mark.parametrize("levels", [False, True])
def test_the_share_is_the_definition_written_out_naively(levels):
    rng = np.random.default_rng(6)
    x = rng.integers(0, 25, 600) if levels else np.round(np.maximum(rng.normal(size=600), -1), 2)
    y = (rng.random(600) < 1 / (1 + np.exp(1 - (x % 3 if levels else 2 * x)))).astype(np.int64)
    target = ClassTarget(y, 2)
    folds = deal(hash_blocks(np.arange(600), 0), target.load, 0)
    held = told_of(target, folds)
    (got,) = held_out([level_cells(x, 25, held) if levels else number_cells(x, held)], held)
    # powers to the 19th lose digits in the naive basis
    assert got.share == pytest.approx(naive_share(x, y, levels, folds), rel=1e-10 if levels else 1e-7)


def test_same_seed_same_numbers_other_seed_other_folds():
    frame = noise_table(9)
    first = ranked(frame)
    assert first.equals(ranked(frame))
    assert not first.equals(ranked(frame, seed=1))


def test_strength_is_the_moment_estimate():
    # two levels of 50 rows, 40 and 10 events: X² = 36, ρ = (36 − 1) / (100 − 50), m = 1/ρ − 1, floored at ½
    target = ClassTarget(np.repeat([1, 0, 1, 0], [40, 10, 10, 40]), 2)
    sums = target.sums(np.repeat([0, 1], 50), 2)
    base = np.array([0.5, 0.5])
    assert level_strength(target.rows(sums), target.means(sums), base, base / 2) == pytest.approx(max(50 / 35 - 1, 0.5))
    weak = np.array([[24.0, 26.0], [26.0, 24.0]])
    assert level_strength(target.rows(weak), target.means(weak), base, base / 2) == np.inf
