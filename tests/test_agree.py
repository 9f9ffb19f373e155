"""Two steps never contradict each other: every step on every planted table, held against each other."""

import re

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.demo.others import OTHERS
from envelt.errors import EnveltError

STUDIES = {
    "hives": {"outcome": "wintered"}, "honey": {"outcome": "honey_kg"}, "crossing": {"outcome": "lost", "counts": "n"},
    "weighings": {"outcome": "weight_kg", "unit": "hive_no"}, "scale": {"outcome": "weight_kg"},
    "places": {"outcome": "honey_kg"}, "sales": {"outcome": "paid"}, "trial": {"outcome": "swarmed"},
    "pairs": {"outcome": "lost"}, "stays": {"outcome": "lost"}, "yards": {"outcome": "honey_kg"},
    "looks": {"outcome": "honey_kg"}, "counts": {"outcome": "with_mites"}, "offers": {"outcome": "paid"},
    "inspections": {"outcome": "found"}, "stalls": {"outcome": "rating"},
    "followed": {"outcome": "swarmed"}, "harvests": {"outcome": "honey_kg"}, "ledger": {"outcome": "weight_kg"},
}  # fmt: skip


@pytest.fixture(scope="module", params=STUDIES)
def study(request):
    if request.param in ("hives", "honey"):
        return Study("demo", **STUDIES[request.param])
    return Study(OTHERS[request.param](planted=True), **STUDIES[request.param])


def numbers(study, most=8):
    """Some numeric columns, the outcome aside."""
    return [
        c for c in study.candidates
        if study.table[c].kind in ("continuous", "discrete") and study.table[c].distinct > 4
    ][:most]  # fmt: skip


def test_rows_and_shapes_are_the_same_wherever_they_are_told(study):
    facts = study.inventory().table
    sheet = study.distribution().table
    glance = study.against().table
    known = study.outcome.known
    for c in numbers(study):
        alone, transforms = study.distribution(c).table.iloc[0], study.transforms(c).table.loc["as_is"]
        there = int((~study.table[c].missing).sum())
        assert facts.loc[c, "missing"] == len(study.table) - there
        assert alone["n"] == sheet.loc[c, "n"] == there
        assert alone["skewness"] == pytest.approx(sheet.loc[c, "skewness"])
        assert alone["skewness"] == pytest.approx(transforms["skewness"], rel=1e-9)
        assert glance.loc[c, "n"] == int((~study.table[c].missing & known).sum())


def test_tails_transforms_and_proposals_recommend_one_thing(study):
    tails = {c: f for c in numbers(study, 12) for f in study.distribution(c).findings if f.code == "long-tail"}
    told = [f for f in study.distribution().findings if f.code == "long-tail"]
    listed = {c: e for f in told for c, e in (f.evidence.get("columns") or {f.columns[0]: f.evidence}).items()}
    for c, f in tails.items():
        suggested = study.transforms(c).suggested
        assert f.evidence["transform"] == ("" if suggested == "as_is" else suggested)
        assert listed[c]["transform"] == f.evidence["transform"]
        assert listed[c]["skewness"] == pytest.approx(f.evidence["skewness"])
    try:
        proposal = study.preparation()
    except EnveltError:  # counted tables have none
        return
    for o in proposal:
        if o.name == "reexpress":
            for c in o.columns:
                if c in tails:
                    shape = tails[c].evidence["transform"]
                    assert o["transform"] == shape or not shape or f"its shape alone asks for {shape}" in o.reason


def test_one_pair_has_one_p_and_one_coefficient(study):
    outcome = study.outcome
    if not hasattr(outcome, "values"):
        levels = [c for c in study.candidates if study.table[c].kind in ("binary", "nominal") and
                  2 <= study.table[c].distinct <= 8][:4]  # fmt: skip
        for c in levels:
            against, crossed = study.against(c), study.contingency(c, outcome.name)
            assert against.tests.loc["chi_square", "p"] == pytest.approx(
                crossed.tests.loc["chi_square", "p"], nan_ok=True
            )
            glance, drawn = study.against().table.loc[c, "p"], against.tests.loc["chi_square", "p"]
            assert np.isnan(glance) == np.isnan(drawn)
            assert (
                not abs(np.log10(max(glance, 1e-4)) - np.log10(max(drawn, 1e-4))) > 0.3
            )  # where cells are few, by moments
        return
    for c in numbers(study, 5):
        against = study.against(c)
        for method in ("pearson", "spearman"):
            pair = study.relations(c, outcome.name, method=method).pairs.iloc[0]
            assert pair["coefficient"] == pytest.approx(against.effects.loc[method, "estimate"])
            assert pair["p"] == pytest.approx(against.tests.loc[method, "p"], rel=1e-6, abs=1e-300)


def test_what_is_said_of_all_candidates_is_said_of_each(study):
    for f in study.against().findings:
        if f.code in ("bend-without-trend", "step-not-trend", "curved-relation"):
            assert f in study.against(f.columns[0]).findings
    grave = [f for f in study.distribution().findings if f.weight != "note"]
    for f in grave:
        for c in f.evidence.get("columns", f.columns[:1]):  # two peaks name the column that tells them apart
            assert f.code in {g.code for g in study.distribution(c).findings}


@pytest.mark.parametrize("n", [4, 6, 9])
def test_few_rows_have_one_exact_p_and_no_interval_of_a_perfect_order(n):
    r = np.random.default_rng(n)
    frame = pd.DataFrame({"x": r.permutation(n) + 0.5, "z": np.arange(n) ** 2.0, "y": np.arange(n) + 0.25})
    study = Study(frame, outcome="y", kinds=dict.fromkeys("xzy", "continuous"))
    for c in ("x", "z"):
        p = study.relations(c, "y", method="spearman").pairs.iloc[0]
        against = study.against(c)
        assert against.tests.loc["spearman", "p"] == pytest.approx(p["p"])
    perfect = study.against("z").effects.loc["spearman"]
    assert perfect["estimate"] == pytest.approx(1)
    assert np.isnan(perfect["low"])


def said_rows(view, pattern):
    """The first number of a line under the title that reads so, and none where no line does."""
    found = [m[1] for line in view.about if (m := re.search(pattern, line))]
    return int(found[0].replace(",", "")) if found else 0


def test_lines_under_titles_count_what_the_tables_count(study):
    n, known = len(study.table), study.outcome.known
    for c in numbers(study):
        missing = int(study.table[c].missing.sum())
        alone, transforms, against = study.distribution(c), study.transforms(c), study.against(c)
        assert said_rows(alone, r"^([\d,]+) rows?$") == n
        assert said_rows(alone, r"([\d,]+) rows? (?:has|have) no value") == missing == alone.table["missing"].iloc[0]
        assert said_rows(alone, r": ([\d,]+) rows? of one group") in (0, n - missing)
        assert said_rows(transforms, r"([\d,]+) rows? (?:has|have) none") == missing
        suggested = [line for line in transforms.about if line.startswith("suggested: ")]
        assert [line.split()[1] for line in suggested] == [transforms.suggested] * (transforms.suggested != "as_is")
        if not known.all():
            assert said_rows(against, r"^([\d,]+) of [\d,]+ rows have") == known.sum()
        cut = said_rows(alone, r"([\d,]+) rows? above")
        above = re.search(r"above ([\d.,]+) (?:is|are) counted", " ".join(alone.about))
        if above:  # the end is said to three digits
            at, values = float(above[1].replace(",", "")), study.table[c].values
            assert (values > at * 1.005).sum() <= cut <= (values > at * 0.995).sum()
        told = [
            m for line in against.about if "form: " in line for m in re.findall(r"(Pearson|Spearman) (−?[\d.]+)", line)
        ]
        for name, value in told:
            of = pd.DataFrame({"x": study.table[c].values[known], "y": study.outcome.values[known]}).dropna()
            r = of["x"].corr(of["y"], method=name.lower())
            assert float(value.replace("−", "-")) == pytest.approx(r, abs=0.0051)
