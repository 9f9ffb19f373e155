"""The house: results hold no rows, views are typed, and pictures go into axes that a person has."""

import ast
import dataclasses
import pickle
import subprocess
import sys
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from matplotlib.figure import Figure

from envelt import Study
from envelt.core import kept as kept_module
from envelt.core.columns.axes import TableAxis
from envelt.core.columns.grouping import Grouping
from envelt.core.columns.outcome import ClassOutcome, NumericOutcome
from envelt.core.columns.table import Column
from envelt.core.kept import Remade, kept
from envelt.core.relations.side import Side
from envelt.core.shapes.ordered import SortedArray, pooled_quantiles
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.heldout import HeldOutRows
from envelt.core.stats.sampling import Sampling
from envelt.core.within.search import TurnSearch
from envelt.errors import OptionError

ROWS = 20_001


@pytest.fixture(scope="module")
def studies():
    r = np.random.default_rng(5)
    z = r.normal(size=ROWS)
    frame = pd.DataFrame(
        {
            "x": z,
            "heaped": np.round(r.gamma(2, 9, ROWS)),
            "level": r.choice(["a", "b", "c"], ROWS),
            "grade": r.choice(["low", "medium", "high"], ROWS),
            "day": pd.Timestamp("2022-01-01") + pd.to_timedelta(r.integers(0, 700, ROWS), "D"),
            "case": r.integers(0, 2000, ROWS).astype(str),
            "y": np.where(r.random(ROWS) < 0.3 + 0.3 * (z > 0), "yes", "no"),
            "amount": z**2 + r.normal(size=ROWS),
        }
    )
    return [Study(frame, outcome=o, unit=u) for o in ("y", "amount") for u in (None, "case")]


def views(study):
    yield from (study.inventory(), study.balance(), study.balance(by="grade"), study.distribution(), study.against())
    yield study.rank()
    for column in ("x", "heaped", "level", "day"):
        yield from (
            study.distribution(column),
            study.distribution(column, by="level" if column != "level" else "grade"),
        )
        yield from (study.against(column), study.against(column, by="grade"))
        yield study.contingency(column, "grade")
    for picture in ("density", "qq", "dots", "cumulative", "box", "violin", "interval"):
        yield study.distribution("x", by="grade", picture=picture)
    yield study.contingency("level", "grade", by="y")
    yield from (study.transforms(), study.transforms("x"), study.transforms("heaped", by="grade"))


PLAIN = (str, bytes, int, float, type(None), SortedArray)
"""What is not looked into; sorted values are asked, not read."""
MADE_FROM = (
    *(Column, Grouping, Sampling, TableAxis, ClassOutcome, NumericOutcome, GroupedRows, Crossing, TurnSearch),
    HeldOutRows,
    Side,
)
"""What results are made from: the rows of the study themselves, held once however many results there are."""
LABELS = ("row_labels", "rows")
"""Of the rows of the study, likewise."""


def parts_of(thing):
    if isinstance(thing, dict):
        return thing
    if isinstance(thing, (list, tuple, set, frozenset)):
        return dict(enumerate(thing))
    let_go = [n for of in type(thing).__mro__ for n, v in vars(of).items() if isinstance(v, kept)]
    return {n: v for n, v in vars(thing).items() if n not in let_go and not (n in LABELS and isinstance(v, pd.Index))}


def long_arrays(thing, path, seen):
    """Find arrays as long as a third of the rows that can be reached."""
    if id(thing) in seen or isinstance(thing, (*PLAIN, *MADE_FROM)):
        return
    seen.add(id(thing))
    if isinstance(thing, (np.ndarray, pd.Series, pd.Index, pd.DataFrame)):
        size = len(thing) if isinstance(thing, pd.DataFrame) else thing.size
        if size > ROWS / 3:
            yield f"{path}: {size} values"
    elif isinstance(thing, (dict, list, tuple, set, frozenset)) or hasattr(thing, "__dict__"):
        for name, part in parts_of(thing).items():
            yield from long_arrays(part, f"{path}.{name}", seen)


@pytest.mark.parametrize("which", range(4))
def test_no_result_that_a_view_reaches_holds_rows(studies, which):
    for view in views(studies[which]):
        assert view.to_dict()
        assert view.draw().alternative
        made = [t for t in view.tables if t not in ("outliers",)]
        assert made
        found = list(long_arrays(vars(view), repr(type(view).__name__), set()))
        assert not found, found


def test_the_search_for_rows_finds_them():
    @dataclasses.dataclass
    class Holder:
        inner: object

    held = Holder({"a": [np.zeros(ROWS)]})
    assert list(long_arrays(held, "", set())) == [f".inner.a.0: {ROWS} values"]
    assert not list(long_arrays(Holder(SortedArray(np.zeros(ROWS))), "", set()))


def test_what_is_as_long_as_the_rows_is_let_go_where_it_is_too_much_and_made_again(studies, monkeypatch):
    study = studies[0].where("x > -99")  # of which nothing is made yet
    shown = study.against("x")
    before = shown.to_dict()
    monkeypatch.setattr(kept_module, "MOST_BYTES", 1)
    for other in (study.against("heaped"), study.against("day")):
        assert other.to_dict()
    rows = shown._answers.result.rows
    assert not {"ordered", "present", "ranks", "ranked"} & set(vars(rows))
    assert len(rows.ordered) == 2  # made again
    assert shown.to_dict() == before
    assert kept_module._KEPT.bytes <= 2 * 8 * ROWS  # no more than the last


def test_what_is_kept_is_counted_and_goes_with_its_owner():
    @dataclasses.dataclass(frozen=True)
    class Owner(Remade):
        size: int

        @kept
        def long(self):
            return [np.zeros(self.size), (np.zeros(self.size),)]

    before = kept_module._KEPT.bytes
    owner = Owner(1000)
    assert owner.long is owner.long
    assert kept_module._KEPT.bytes == before + 16_000
    del owner
    assert kept_module._KEPT.bytes == before


def test_a_view_can_be_sent_to_another_process_and_says_the_same_there():
    study = Study("demo", outcome="wintered", unit="colony").where("altitude_m > 900")
    sent = [
        *(study.inventory(), study.balance(by="fed"), study.distribution(), study.distribution("mites", by="fed")),
        *(study.against(), study.against("mites"), study.against("fed", by="forage"), study.rank("mites", "fed")),
        *(study.contingency("fed", "forage"), study.contingency("fed", "wintered", by="forage")),
        *(study.relations("mites", "honey_kg", by="fed"), study.pairwise("mites", "honey_kg", "weight_kg")),
        *(study.transforms("mites"), study.embed("mites", "honey_kg", "weight_kg"), study.rows("mites > 90")),
    ]
    for fresh in sent:
        there = pickle.loads(pickle.dumps(fresh))  # nothing of it is made yet
        told = there.to_dict()
        assert told == fresh.to_dict()
        assert pickle.loads(pickle.dumps(fresh)).to_dict() == told  # and once it is


READS = """
import pandas as pd
from envelt import Study
study = Study("demo", outcome="wintered")
tables: list[pd.DataFrame] = [
    study.inventory().table, study.inventory(rows=3).first_rows,
    study.balance().table, study.balance(by="fed").rates, study.balance(by="fed").shares("row"),
    study.distribution().table, study.distribution("mites").bins, study.distribution("mites", by="fed").density,
    study.distribution(["mites"]).top_values, study.distribution("mites").outliers,
    study.distribution("inspected_on").months, study.distribution("inspected_on").weekdays,
    study.against().table, study.against().groups, study.against("mites").rates, study.against("mites").cut,
    study.against("mites").tests, study.against("mites").effects, study.against("mites", by="fed").by,
    study.against("honey_kg").trend, study.against("forage").pairs,
    study.relations("mites", "humidity", by="fed").differ, study.relations("mites", "humidity").pairs,
    study.relations("mites", "humidity").inflation, study.relations("mites", "humidity").groups,
    study.pairwise("mites", "humidity").table,
    study.embed("mites", "humidity", "weight_kg").quality, study.embed("mites", "humidity").suspects,
    study.transforms().table, study.transforms("mites").table, study.transforms("mites").parameters,
    study.transforms("mites", by="fed").by, study.transforms("mites", by="fed").groups,
    study.contingency("fed", "forage").tests, study.contingency("fed", "forage").shares("all"),
    study.contingency("fed", "forage").expected, study.contingency("fed", "forage").residuals,
    study.rank().table, study.rank().units, study.rows("mites > 90").table, study.rows("mites > 90").beside,
]
share: float = study.balance().largest_share
kinds: "pd.Series[int]" = study.inventory().kinds
"""
MISSPELT = {
    "a table": ('study.distribution("mites").bnis', "has no attribute"),
    "a table of another step": ("study.rank().bins", "has no attribute"),
    "an option": ('study.distribution("mites", pictur="density")', "overload|pictur"),
    "a table as a number": ('x: float = study.against("mites").tests', "Incompatible types"),
}


def test_an_editor_knows_every_table_and_refuses_a_misspelt_one(tmp_path):
    mypy = pytest.importorskip("mypy.api")
    files = {"good": tmp_path / "good.py"}
    files["good"].write_text(READS)
    for i, (what, (line, _)) in enumerate(MISSPELT.items()):
        files[what] = tmp_path / f"misspelt_{i}.py"
        files[what].write_text(f"{READS}{line}\n")
    out, _, status = mypy.run(["--strict", "--cache-dir", str(tmp_path / "cache"), *map(str, files.values())])
    said = {what: [line for line in out.splitlines() if path.name in line] for what, path in files.items()}
    assert status == 1
    assert not said["good"], out
    for what, (_, message) in MISSPELT.items():
        assert any(word in line for line in said[what] for word in message.split("|")), (what, out)


def test_the_tables_a_user_reads_are_there(honey, aside):
    wintered = Study("demo", outcome="wintered", ignore=aside).where("altitude_m > 700")
    skip = ("trend", "pairs", "rank().units", "honey_kg")
    lines = READS.split("[\n")[1].split("\n]")[0].split("study.")[1:]
    for call in lines:
        code = f"wintered.{call.strip().rstrip(',')}"
        if not any(s in code for s in skip):
            assert isinstance(eval(code, {"wintered": wintered}), pd.DataFrame), code
    assert len(honey.against("mites").trend) == 200
    assert len(honey.against("forage").pairs) > 3
    with pytest.raises(AttributeError, match="no 'cut'"):
        _ = honey.against("mites").cut


def test_a_picture_of_one_panel_goes_into_axes_of_ones_own(wintered):
    figure = Figure(figsize=(12, 5))
    left, right = figure.subplots(1, 2)
    assert wintered.distribution("mites", picture="density").draw(left) is figure
    wintered.against("forage").draw(ax=right)
    assert left.get_title(loc="left") == "How mites is distributed"
    assert len(right.lines) > 5
    assert len(figure.axes) == 2
    with pytest.raises(OptionError, match="several panels"):
        wintered.against("mites").draw(ax=left)
    with pytest.raises(OptionError, match="Matplotlib axes"):
        wintered.rank().draw(ax="here")
    assert wintered.rank().draw() is not figure


def test_sorted_values_answer_as_the_array_would():
    r = np.random.default_rng(3)
    groups = [np.sort(r.choice(r.normal(size=40), k)) for k in (0, 1, 7, 400)]
    shares = np.array([0.0, 0.1, 0.25, 0.5, 0.9, 1.0])
    pooled = pooled_quantiles([SortedArray(g) for g in groups], shares)
    assert pooled == pytest.approx(np.quantile(np.concatenate(groups), shares), abs=0)
    one = SortedArray(groups[3])
    assert one.below(np.array([0.0]))[0] == (groups[3] < 0).sum()
    assert len(one.sample(50)) == 50
    assert one.sample(50)[[0, -1]].tolist() == [one.low, one.high]
    values, n = one.top_values(3)
    expected = pd.Series(groups[3]).value_counts()
    assert n.tolist() == expected.iloc[:3].tolist()
    assert (pd.Series(groups[3]) == values[0]).sum() == n[0]


def test_importing_is_quick_and_quiet():
    code = "import sys, envelt; envelt.Study; print(*(m for m in ('matplotlib', 'jinja2', 'rich') if m in sys.modules))"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.strip() == ""


def test_no_two_classes_share_a_name():
    names = [
        line.split("class ")[1].split("(")[0].split(":")[0]
        for path in (Path(__file__).parents[1] / "src").rglob("*.py")
        for line in path.read_text("utf-8").splitlines()
        if line.startswith("class ")
    ]
    assert sorted({n for n in names if names.count(n) > 1}) == []


def test_files_are_short_and_classes_have_names_of_their_own():
    files = sorted((Path(__file__).parents[1] / "src").rglob("*.py"))
    assert {p.name: n for p in files if (n := len(p.read_text("utf-8").splitlines())) > 400} == {}
    named = [
        node.name for p in files for node in ast.walk(ast.parse(p.read_text("utf-8"))) if isinstance(node, ast.ClassDef)
    ]
    assert {n: named.count(n) for n in named if named.count(n) > 1 and not n.startswith("_")} == {}
