"""No form of a table changes what is said of it: random tables of mixed columns, every step, all that it tells.

The order of rows and of columns, the names of levels, the unit of measure, a column more, rows told twice or counted
twice, rows chosen by an expression or by hand, a frame or the file that it is written to.
"""

import itertools
import os
import re

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.data.write import write_table
from test_invariances import WORDS, near, of_view

FORMS = ("rows", "columns", "names", "unit", "one more", "twice", "where", "csv", "parquet", "jsonl")
PER_ROW = ("first_rows", "rows", "outliers", "top_values", "cloud")
OF_THE_UNIT = ("bins", "density", "cut", "trend", "rates")
"""Tables in round numbers, or of places in the units of the values."""
SPELT = {"east": "zz", "north": "aa", "south": "qq", "west": "mm"}
FACTOR = 1024.0
ONLY = {
    "twice": {"duplicate-rows"}, "jsonl": {"read-from-text"},
    "one more": {"more-together", "only-together", "small-class"},  # of as many looks, or rows, as there are candidates
}  # fmt: skip
"""What is found for another reason in a form of the table."""


def mixed(seed):
    """A table of columns of any kind, some with gaps, some that go with the outcome."""
    r = np.random.default_rng(seed)
    n = int(r.integers(120, 400))
    z = r.normal(size=n)
    gap = lambda c: c.where(r.random(n) > r.choice([0, 0, 0.1]))  # noqa: E731
    return pd.DataFrame({
        "width": gap(pd.Series(z + r.normal(size=n))), "sum": gap(pd.Series(np.round(r.lognormal(2, 1, n), 2))),
        "some": gap(pd.Series(r.poisson(3 + 2 * (z > 0)).astype(float))), "bend": z**2 + r.normal(size=n) / 2,
        "place": r.choice(["east", "north", "south", "west"], n, p=r.dirichlet([3] * 4)),
        "grade": gap(pd.Series(r.choice(WORDS, n))), "fed": r.choice(["no", "yes"], n),
        "seen": pd.Timestamp("2022-05-01") + pd.to_timedelta(r.integers(0, 500, n), "D"),
        "y": np.where(r.random(n) < 1 / (1 + np.exp(1 - 2 * z)), "yes", "no"), "amount": 3 * z + r.normal(size=n),
    })  # fmt: skip


def told(data, outcome, **more):
    """The tables of every step, what is found and what is suggested, by words that no form may change."""
    more = {"columns": {"grade": {"order": WORDS}}, **more}
    kinds = {"width": "continuous", "sum": "continuous", "some": "discrete", "bend": "continuous", "place": "nominal"}
    study = Study(data, outcome=outcome, kinds=kinds, **more)
    numbers = ("width", "sum", "some", "bend")
    views = {
        "inventory": study.inventory(), "balance": study.balance(), "distribution": study.distribution(),
        "against": study.against(), "rank": study.rank(), "relations": study.relations(),
        "transforms": study.transforms(), "contingency": study.contingency("place", "fed"),
        "pairwise": study.pairwise("width", "sum", "bend"), "by": study.relations(by="fed"),
        "groups": study.distribution("width", by="place"), "within": study.against("width", by="fed"),
        **{f"against {n}": study.against(n) for n in numbers if n != outcome},
    }  # fmt: skip
    numbered = {name: of_view(view.to_dict()) for name, view in views.items()}
    found = sorted((name, f.code, f.weight, *sorted(f.columns)) for name, v in views.items() for f in v.findings)
    return numbered, found, views["transforms"].suggested


@pytest.fixture(scope="module", params=range(int(os.environ.get("ENVELT_TABLES", "2"))))
def first(request):
    frame, outcome = mixed(request.param), ("y", "amount")[request.param % 2]
    return frame, outcome, told(frame, outcome)


def other_form(form, frame, folder):
    """The table in another form, how a study of it is made, and what to hold it against: itself, or another table."""
    if form == "rows":
        return frame.sample(frac=1, random_state=1), {}, None
    if form == "columns":
        return frame[frame.columns[::-1]], {}, None
    if form == "names":
        return frame.assign(place=frame["place"].map(SPELT)), {}, None
    if form == "unit":
        return frame.assign(**{c: frame[c] * FACTOR for c in ("width", "sum", "some", "bend", "amount")}), {}, None
    if form == "one more":
        return frame.assign(noise=np.random.default_rng(99).normal(size=len(frame))), {}, None
    if form == "twice":
        return frame.assign(n=2), {"counts": "n"}, frame.loc[frame.index.repeat(2)].reset_index(drop=True)
    if form == "where":
        return frame, {"where": "bend > 0"}, frame[frame["bend"] > 0]
    write_table(frame, folder / f"table.{form}")
    return folder / f"table.{form}", {}, None


def spelt(word, form):
    """A word with the names of levels as they were."""
    back = {v: k for k, v in SPELT.items()}
    return re.sub(r"\b(zz|aa|qq|mm)\b", lambda m: back[m[0]], word) if form == "names" else word


def unlike(tables, others, same, aside):
    """The rows that only one has, and the numbers that are not the same."""
    wrong = []
    for key in {*tables, *others}:
        if key[0] in aside or {*key} & {"noise", "n"}:
            continue
        for a, b in itertools.zip_longest(tables.get(key, []), others.get(key, [])):
            if a is None or b is None:
                wrong.append((key, a, b))
            else:
                wrong += [(key, k, a[k], b[k]) for k in a.keys() & b.keys() if not same(k, a[k], b[k])]
    return wrong


def same_in(form):
    """Whether two numbers of a name are the same in a form of the table.

    Another unit multiplies by its factor or a power of it; with a column more, q is of one test more; what is fitted
    step by step is as near as its last step.
    """
    powers = [FACTOR**p for p in (0, 1, -1, 2, -2)] if form == "unit" else [1.0]

    def same(name, a, b):
        if (name, form) in (("q", "one more"), ("findings", "jsonl")):
            return True
        return any(near(a * p, b, 1e-6) or abs(a * p - b) < 1e-6 * p for p in powers)

    return same


def of_form(tables, form):
    """The tables that can be held against each other, by the words in them as they are spelt in the first table."""
    there = {(k[0], *sorted(spelt(w, form) for w in k[1:])): rows for k, rows in tables.items()}
    if form != "unit":
        return there
    fixed = {"log1p", "yeo_johnson"}  # those have a 1 of their own
    return {
        k: v for k, v in there.items() if not fixed & {*k} and not any(re.search(r"\d to |^\d+$", w) for w in k[1:])
    }


@pytest.mark.parametrize("form", FORMS)
def test_no_form_of_a_table_changes_what_is_said_of_it(form, first, tmp_path):
    frame, outcome, plain = first
    data, more, by_hand = other_form(form, frame, tmp_path)
    numbers, found, suggested = plain if by_hand is None else told(by_hand, outcome)
    other = told(data, outcome, **more)
    # with a column more, others explain each and pairs are chosen on other rows
    aside = {*PER_ROW, *{"unit": OF_THE_UNIT, "one more": ("together", "inflation")}.get(form, ())}
    for view, tables in numbers.items():
        assert not unlike(
            of_form(tables, form if form == "unit" else ""), of_form(other[0][view], form), same_in(form), aside
        )[:3], view
    only = ONLY.get(form, set())
    spoken = [{f for f in told if not {*f} & {*only, "noise", "n"}} for told in (found, other[1])]
    assert spoken[0] == spoken[1]
    assert {c: t for c, t in other[2].items() if c != "noise"} == suggested
