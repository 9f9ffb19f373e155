"""What may not matter does not: the order of rows and columns, the unit of measure, units of one row, rows told twice.

Every step is asked, and all numbers of all its tables are compared.
"""

import math

import numpy as np
import pandas as pd
import pytest

from envelt import Study

KINDS = {
    "line": "continuous", "tail": "continuous", "count": "discrete", "curve": "continuous", "steps": "continuous",
    "group": "nominal", "word": "ordinal", "flag": "binary", "day": "datetime", "y": "continuous",
}  # fmt: skip
WORDS = ["low", "medium", "high"]
N = 600
OUTCOMES = ("y", "flag")


def table():
    r = np.random.default_rng(1)
    z, group = r.normal(size=N), r.choice(["a", "b", "c", "d"], N, p=[0.4, 0.3, 0.2, 0.1])
    frame = pd.DataFrame({
        "line": z, "tail": np.round(r.lognormal(1, 1, N) * (1 + 0.4 * (group == "a")), 2), "count": r.poisson(2.2, N),
        "curve": z**2 + r.normal(size=N) / 2, "steps": np.round(r.gamma(3, 4, N) * 2) / 2, "group": group,
        "word": r.choice(WORDS, N), "flag": np.where(r.random(N) < 1 / (1 + np.exp(-z - (group == "b"))), "yes", "no"),
        "day": pd.Timestamp("2021-03-01") + pd.to_timedelta(r.integers(0, 900, N), "D"),
    })  # fmt: skip
    frame["y"] = frame["line"] + frame["count"] * 0.3 + (group == "c") + r.normal(size=N)
    for name in ("tail", "steps", "word", "line"):
        frame[name] = frame[name].where(r.random(N) > 0.07)
    return frame


def answers(frame, outcome, folds=False, **more):
    """What the steps say, by step and table: the numbers of each row, by the words in it."""
    kinds = {c: k for c, k in {**KINDS, "case": "identifier"}.items() if c in frame}
    study = Study(frame, outcome=outcome, kinds=kinds, columns={"word": {"order": WORDS}}, **more)
    views = {
        "inventory": study.inventory(), "balance": study.balance(), "distribution": study.distribution(),
        "against": study.against(), "against group": study.against("group"),
        "against number": study.against("flag" if outcome == "y" else "y"),
    }  # fmt: skip
    if folds:  # which a row gets by its place or its unit
        views |= {
            "rank, folds": study.rank(), "relations, folds": study.relations(),
            "relations by group, folds": study.relations(by="group"), "transforms, folds": study.transforms("tail"),
            "pairwise, folds": study.pairwise("line", "curve", "count", "group"),
        }  # fmt: skip
    for method in ("pearson", "spearman", "kendall"):
        views[f"relations {method}"] = study.relations(method=method)
    for name in ("line", "tail", "count", "word", "day"):
        views[f"distribution {name} by group"] = study.distribution(name, by="group")
        views[f"against {name}"] = study.against(name)
        views[f"against {name} by group"] = study.against(name, by="group")
    for pair in (("group", "word"), ("word", "flag"), ("tail", "group")):
        views[f"contingency {' '.join(pair)}"] = study.contingency(*pair)
    return {name: of_view(view.to_dict()) for name, view in views.items()}


def of_view(told):
    """The numbers of each row of each table, by the words in it."""
    found = {}
    for name, rows in told["tables"].items():
        for row in rows:
            if "first_alone" in row and row["first"] > row["second"]:  # which is which, whatever comes first
                row["first_alone"], row["second_alone"] = row["second_alone"], row["first_alone"]
            words = [v for k, v in row.items() if isinstance(v, str) and k not in ("form", "label", "reason", "mode")]
            numbers = {k: v for k, v in row.items() if isinstance(v, int | float) and k != "index"}
            found.setdefault((name, *sorted(words)), []).append(numbers)
    return found


def unequal(first, second, same, aside=("outliers", "together")):
    """Each number that is not as it was: the view, the row, its name, both; of those that both name."""
    wrong = []
    for view, tables in first.items():
        for key, rows in tables.items():
            if key[0] in aside or (view.endswith("folds") and "folds" in aside) or key not in second[view]:
                continue
            for a, b in zip(rows, second[view][key], strict=True):
                wrong += [(view, key, k, a[k], b[k]) for k in a.keys() & b.keys() if not same(k, a, b)]
    return wrong


def named(answers):
    """What the rows of the tables are of, with how many of each."""
    apart = ("outliers", "together")
    return {
        (v, k): len(rows) for v, tables in answers.items() for k, rows in tables.items()
        if k[0] not in apart and not v.endswith("folds")
    }  # fmt: skip


def near(a, b, rel=1e-7):
    return (math.isnan(a) and math.isnan(b)) or a == b or abs(a - b) <= rel * max(abs(a), abs(b)) + 1e-12


@pytest.fixture(scope="module", params=OUTCOMES)
def plain(request):
    return request.param, answers(table(), request.param, folds=True)


def sure(name, a, b):
    """Whether p is of one size, intervals are as wide, and the rest is the same but for what is there by chance."""
    width = min(
        (x["high"] - x["low"] for x in (a, b) if {"high", "low"} <= x.keys() and x["high"] == x["high"]), default=0
    )
    a, b = a[name], b[name]
    if name in ("p", "q", "agreement_p", "change_p"):
        a, b = max(a, 1e-12), max(b, 1e-12)
        return near(a, b) or abs(math.log(a) - math.log(b)) < 0.25 - 0.25 * math.log(max(a, b))
    return near(a, b, 0.05) or abs(a - b) <= max(0.012, 0.15 * width)


def test_the_order_of_rows_and_columns_changes_no_answer(plain):
    outcome, told = plain
    other = table().sample(frac=1, random_state=3)[list(table().columns[::-1])].reset_index(drop=True)
    shuffled = answers(other, outcome)
    assert named(shuffled) == named(told)
    held_out = ("accuracy", "balanced_accuracy", "accuracy_low", "accuracy_high", "sensitivity", "specificity")
    assert not unequal(
        told, shuffled, lambda k, a, b: k in held_out or near(a[k], b[k]), ("outliers", "together", "folds")
    )


def test_the_unit_of_measure_changes_numbers_by_its_factor_or_not_at_all(plain):
    outcome, told = plain
    frame, scale = table(), 1000.0
    frame[[c for c, kind in KINDS.items() if kind == "continuous"]] *= scale
    powers = [scale**p for p in (0, 1, -1, 2, -2)]
    wrong = unequal(
        told, answers(frame, outcome, folds=True), lambda k, a, b: any(near(a[k] * p, b[k], 1e-6) for p in powers), ()
    )
    assert not [w for w in wrong if not {"log1p", "yeo_johnson"} & set(w[1])]  # those have a 1 of their own


def test_units_of_one_row_are_as_sure_as_rows(plain):
    outcome, told = plain
    units = answers(table().assign(case=[f"K{i}" for i in range(N)]), outcome, unit="case")
    # over rows Pearson's textbook test and Welch's F, over units those that a bend or an odd spread does not mislead;
    # the interval of many groups' share is as wide as units make it
    wrong = [
        w
        for w in unequal(told, units, sure, ("outliers", "together", "folds"))
        if not {"welch_anova", "epsilon_squared"} & set(w[1])
    ]
    assert not [w for w in wrong if not {"curve", "pearson"} <= set(w[1]) and w[1][0] not in ("cut", "rates")]


def test_rows_told_twice_of_one_unit_say_what_they_say_once():
    frame = table().assign(case=[f"K{i}" for i in range(N)])
    once, twice = (answers(f, "y", unit="case") for f in (frame, pd.concat([frame, frame], ignore_index=True)))

    def alike(name, a, b):
        described = ("n", "missing", "outliers", "mode", "q1", "q3", "skewness", "excess_kurtosis", "at", "density")
        times = (2, 4) if name == "statistic" else (2,)  # U counts pairs
        return name in described or any(near(k * a[name], b[name], 0.01) for k in times) or sure(name, a, b)

    assert not unequal(once, twice, alike, ("outliers", "together", "folds"))


@pytest.mark.parametrize("seed", range(6))
def test_what_is_suggested_for_skew_does_not_depend_on_the_unit_of_measure(seed):
    r = np.random.default_rng(seed)
    frame = pd.DataFrame(
        {"gamma": r.gamma(3, 4, 500) + 0.1, "lognormal": r.lognormal(0, 0.6, 500), "y": r.normal(size=500)}
    )
    told = [Study(frame * k, outcome="y").transforms().suggested for k in (0.01, 1, 1000)]
    assert told[0] == told[1] == told[2]
    assert "log1p" not in told[1].values()
