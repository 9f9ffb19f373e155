"""Kinds, quality findings, the study file and derived columns."""

import gzip
import re
import shutil
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from pyarrow import feather

from envelt import Study, errors
from envelt.demo import csv_path, hives, planted
from envelt.demo.others import sales
from labelled_columns import labelled_columns

LABELLED = labelled_columns()


def codes(view):
    return {f.code for f in view.findings}


def test_kinds_of_a_labelled_set():
    wrong = {}
    for name, values, right in LABELLED:
        column = Study(pd.DataFrame({name: values})).table[name]
        if column.kind not in right:
            wrong[name] = column.kind
    assert len(LABELLED) >= 150
    assert len(wrong) <= 0.05 * len(LABELLED), wrong


def test_numbers_and_dates_kept_as_text_are_read_right():
    frame = pd.DataFrame(
        {
            "cost": ["€1,234.50", "€7.00", "€0.25"] * 10,
            "rate": ["12 %", "7.5 %", "3 %"] * 10,
            "betrag": ["1.234,5", "0,5", "12,25"] * 10,
            "loss": ["(3.5)", "4", "2.25"] * 10,
            "uk": ["31/01/2024", "01/02/2024", "03/04/2024"] * 10,
            "us": ["01/31/2024", "02/01/2024", "04/03/2024"] * 10,
            "unsure": ["01/02/2024", "03/04/2024", "05/06/2024"] * 10,
            "code": ["007", "012", "100"] * 10,
        }
    )
    table = Study(frame).table
    assert table["cost"].values[:3].tolist() == [1234.5, 7, 0.25]
    assert table["rate"].values[:3].tolist() == [12, 7.5, 3]
    assert table["betrag"].values[:3].tolist() == [1234.5, 0.5, 12.25]
    assert table["loss"].values[:3].tolist() == [-3.5, 4, 2.25]
    for name in ("uk", "us"):
        assert table[name].labels()[:3] == ["2024-01-31", "2024-02-01", "2024-04-03"]
    assert table["code"].kind == "nominal"
    assert set(table["code"].levels) == {"007", "012", "100"}
    doubt = [f for f in Study(frame).inventory().findings if f.code == "read-from-text" and f.weight == "caution"]
    assert [f.columns for f in doubt] == [("unsure",)]


def test_every_planted_quality_finding_is_found(wintered):
    found = {(f.code, c) for f in wintered.inventory().findings for c in f.columns or ("",)}
    for item in planted()["planted"]:
        if item["step"] == "inventory" and item["finding"]:
            for column in item["columns"][:1] or [""]:
                assert (item["finding"], column) in found, item["what"]
    unit = next(f for f in wintered.inventory().findings if f.code == "likely-unit")
    assert unit.evidence["units"] == hives()["colony"].nunique()
    assert not {"likely-unit"} & codes(Study("demo", outcome="wintered", unit="colony").inventory())


def clean_table(seed, rows=800):
    """Forty columns with nothing wrong: numbers, counts, levels, dates, with gaps at random."""
    r = np.random.default_rng(seed)
    columns = {f"m{i}": r.normal(i, 1 + i % 3, rows).round(3) for i in range(16)}
    columns |= {f"g{i}": r.gamma(2, 3, rows) for i in range(6)}
    columns |= {f"k{i}": r.poisson(12 + i, rows) for i in range(5)}
    columns |= {f"c{i}": r.choice(["oak", "elm", "ash", "hazel", "willow"][: 3 + i % 3], rows) for i in range(6)}
    columns |= {f"b{i}": r.choice(["yes", "no"], rows) for i in range(4)}
    columns |= {f"d{i}": pd.Timestamp("2024-01-01") + pd.to_timedelta(r.integers(0, 300, rows), "D") for i in range(2)}
    frame = pd.DataFrame(columns)
    for name in ("m0", "m1", "g0", "c0", "b0"):
        frame.loc[r.random(rows) < 0.04, name] = None
    frame["outcome"] = r.choice(["yes", "no"], rows)
    return frame


@pytest.mark.parametrize("rows", [60, 800, 3000])
def test_a_clean_table_has_no_finding(rows):
    alarms = [
        f.statement for seed in range(4) for f in Study(clean_table(seed, rows), outcome="outcome").inventory().findings
    ]
    assert alarms == []


def test_findings_of_declared_ranges_relabelled_copies_and_nested_values():
    r = np.random.default_rng(0)
    frame = pd.DataFrame(
        {"zone": r.choice(["n", "s", "e"], 200), "t": r.normal(20, 3, 200), "tags": [["a", "b"]] * 200}
    )
    frame["area"] = frame["zone"].map({"n": "north", "s": "south", "e": "east"})
    frame.loc[7, "t"] = 60.0
    frame["seen"] = pd.Timestamp("2024-05-01") + pd.to_timedelta(r.integers(0, 99, 200), "D")
    frame.loc[:4, "seen"] = pd.Timestamp("1900-01-01")
    view = Study(frame, columns={"t": {"range": [0, 45], "label": "air", "unit": "°C"}}).inventory()
    by_code = {f.code: f for f in view.findings}
    assert by_code["out-of-range"].evidence == {"rows": ["7"], "count": 1, "low": 0.0, "high": 45.0}
    assert set(by_code["same-column"].columns) == {"zone", "area"}
    assert by_code["nested-values"].columns == ("tags",)
    assert by_code["sentinel-value"].evidence == {"value": "1900-01-01", "rows": 5}
    assert "tags" not in view.table.index
    assert view.table.loc["t", ["label", "unit"]].tolist() == ["air", "°C"]


def test_every_open_table_format_gives_the_same(tmp_path):
    frame = hives()[["record", "zone", "mites", "humidity", "fed"]].head(400)
    frame.to_csv(tmp_path / "a.csv", index=False)
    with gzip.open(tmp_path / "a.csv.gz", "wb") as file:
        file.write((tmp_path / "a.csv").read_bytes())
    frame.to_csv(tmp_path / "a.csv.xz", index=False)
    frame.to_json(tmp_path / "a.jsonl", orient="records", lines=True)
    feather.write_feather(frame, tmp_path / "a.feather")
    table = pa.Table.from_pandas(frame)
    with pa.ipc.new_stream(tmp_path / "a.arrows", table.schema) as stream:
        stream.write_table(table)
    want = Study(frame).inventory().table
    frame.to_excel(tmp_path / "a.xlsx", index=False)
    sources = [*sorted(tmp_path.iterdir()), table, frame.to_dict("list"), frame.convert_dtypes()]
    sources.append(frame.convert_dtypes(dtype_backend="pyarrow"))
    for source in sources:
        pd.testing.assert_frame_equal(Study(source).inventory().table, want)
    (tmp_path / "b.xlsx").write_bytes(b"PK\x03\x04" + bytes(60))
    with pytest.raises(errors.NotATableError, match="damaged workbook"):
        Study(tmp_path / "b.xlsx")


def test_several_files_are_one_table_that_says_where_each_row_is_from(tmp_path):
    (tmp_path / "2023.csv").write_text("a,b\n1,x\n2,y\n")
    (tmp_path / "2024.csv").write_text("a,c\n3,5\nfour,6\n")
    study = Study(str(tmp_path / "20*.csv"))
    assert study.table["source"].labels() == ["2023.csv", "2023.csv", "2024.csv", "2024.csv"]
    assert study.table["a"].labels() == ["1", "2", "3", "four"]
    assert study.inventory().table["missing"].to_dict() == {"a": 0, "b": 2, "c": 2, "source": 0}
    assert "b is only in 2023.csv" in study.inventory().about
    assert len(Study([tmp_path / "2023.csv", tmp_path / "2024.csv"]).table) == 4
    with pytest.raises(errors.FileMissingError, match="pattern"):
        Study(str(tmp_path / "1999*.csv"))


ODD = {
    "all missing": pd.DataFrame({"a": [None] * 30, "b": range(30)}),
    "one row": pd.DataFrame({"a": [1.5], "b": ["x"]}),
    "unused levels": pd.DataFrame({"a": pd.Categorical(["x", "y"] * 20, ["x", "y", "z"], ordered=True)}),
    "nullable": pd.DataFrame(
        {"a": pd.array([1, None, 3] * 20, "Int64"), "b": pd.array([True, None, False] * 20, "boolean")}
    ),
    "time zone": pd.DataFrame({"a": pd.date_range("2024-01-01", periods=30, tz="Europe/Vienna")}),
    "huge and tiny": pd.DataFrame({"a": [1e300, -1e300, 5e-324, 0.0] * 20}),
    "mixed objects": pd.DataFrame({"a": [1, "x", None, 2.5, True] * 10}),
    "5,000 columns": pd.DataFrame(
        np.random.default_rng(0).normal(size=(30, 5000)), columns=[f"v{i}" for i in range(5000)]
    ),
    "many levels": pd.DataFrame({"a": [f"n{i % 90_000}" for i in range(100_000)]}),
}


@pytest.mark.parametrize("case", ODD)
@pytest.mark.filterwarnings("ignore:overflow")
def test_odd_tables_are_taken_as_they_are(case):
    view = Study(ODD[case]).inventory(rows=2)
    assert len(view.table) == ODD[case].shape[1]
    assert len(str(view)) > 100
    assert view.draw().alternative
    if case == "time zone":  # the clock is kept, and named
        assert view.table.loc["a", "reason"] == "dates, 2024-01-01 to 2024-01-30, Europe/Vienna time"


def test_begin_edit_and_begin_again(tmp_path, monkeypatch, aside):
    monkeypatch.chdir(tmp_path)
    shutil.copy(csv_path(), "hives.csv")
    names = ("Amber", "Basalt", "Cedar", "Dusk", "Ember")
    book = [f"queen_line,{i + 1},{name}\n" for i, name in enumerate(names)]
    Path("book.csv").write_text("column,value,label\n" + "".join(book))
    Study("hives.csv", outcome="wintered").begin("study.toml", labels="book.csv")
    detected = Study("hives.csv", outcome="wintered").inventory().table["kind"]
    assert Study.open("study.toml").inventory().table["kind"].equals(detected)
    text = Path("study.toml").read_text()
    text = text.replace(
        '[columns.weight_kg]\nkind = "continuous"',
        '[columns.weight_kg]\nlabel = "Hive weight"\nunit = "kg"\nkind = "discrete"',
    )
    text = text.replace(
        "[columns.altitude_band]\n", '[columns.altitude_band]\nlabels = { low = "valley", high = "top" }\n'
    )
    text = text.replace('# labels = { "low"', '# was = { "low"')
    text += '\n[derived.heavy]\nexpression = "weight_kg > 35"\n\n[derived.ended]\nexpression = "wintered == \'yes\'"\n'
    Path("study.toml").write_text(text)

    study = Study.open("study.toml")
    kinds = study.inventory().table["kind"]
    assert (kinds["weight_kg"], kinds["heavy"]) == ("discrete", "binary")
    assert "1 by a person's word: weight_kg" in study.inventory().about
    assert study.outcome.event == "yes"
    assert "Hive weight (kg)" in str(study.rank())
    assert study.against("weight_kg").title == "Hive weight (kg) by wintered"
    assert study.against("altitude_band").table.index.tolist() == ["valley", "middle", "top"]
    assert set(study.against("queen_line").table.index) == {"Amber", "Basalt", "Cedar", "Dusk", "Ember"}
    assert len(study.where("queen_line == 'Amber'").table) == len(study.where("queen_line == 1").table)
    assert "heavy" in study.candidates
    assert "ended" not in study.candidates
    Study.open("study.toml", ignore=aside).report("r.html")
    page = Path("r.html").read_text()
    assert "Hive weight (kg)" in page
    assert "valley" in page
    drawn = study.rank().draw()
    assert any("Hive weight (kg)" in t.get_text() for a in drawn.axes for t in a.get_yticklabels())

    assert Study("hives.csv").begin("study.toml") == ([], [])
    assert Path("study.toml").read_text() == text
    frame = pd.read_csv("hives.csv").drop(columns="temper").assign(breeder="unknown")
    frame.loc[::2, "breeder"] = "own"
    frame.to_csv("hives.csv", index=False)
    assert Study("hives.csv").begin("study.toml") == (["breeder"], ["temper"])
    after = Path("study.toml").read_text()
    written = [line for line in text.splitlines() if line.strip()]
    kept = after.split("# new on")[0].splitlines()
    assert [
        line.partition("] # vanished")[0] + "]" * (" # vanished" in line) for line in kept if line.strip()
    ] == written
    assert re.search(r"^\[columns\.temper\] # vanished: not in the data on \d{4}-", after, re.M)

    ignoring = text.replace("ignore = []", 'ignore = ["remarks"]')
    Path("study.toml").write_text(ignoring)
    shutil.copy(csv_path(), "hives.csv")
    assert Study.open("study.toml").begin("study.toml") == ([], [])
    assert Study("hives.csv").begin("study.toml") == ([], [])
    assert Path("study.toml").read_text() == ignoring


STUDY = '[study]\ndata = "t.csv"\noutcome = "y"\n'
BAD = {
    "not TOML": ("[study\n", "not a study file.*line 1"),
    "no data": ('[study]\noutcome = "y"\n', "no 'data'"),
    "no file": ('[study]\ndata = "none.csv"\n', "no file"),
    "unknown key": (STUDY + 'evnt = "yes"\n', r"line 4.*'evnt'.*'event'"),
    "unknown section": ("[studdy]\n", "'studdy'.*'study'"),
    "unknown column key": (STUDY + '[columns.a]\nkinds = "nominal"\n', "line 5.*'kinds'.*'kind'"),
    "unknown kind": (STUDY + '[columns.a]\nkind = "nominl"\n', "'nominal'"),
    "wrong type": (STUDY + "[columns.a]\nlabel = 5\n", "must be text"),
    "range of text": (STUDY + '[columns.a]\nrange = ["0", "1"]\n', "finite number"),
    "falling range": (STUDY + "[columns.a]\nrange = [9, 1]\n", "rising"),
    "no such column": (STUDY + '[columns.aa]\nkind = "nominal"\n', "line 4.*No column 'aa'.*'a'"),
    "order of no level": (STUDY + '[columns.c]\norder = ["u", "w"]\n', "'w'"),
    "two recipes": (STUDY + '[derived.d]\nexpression = "a"\ncut = "a"\n', "one of expression"),
    "falling cuts": (STUDY + '[derived.d]\ncut = "a"\nat = [5, 2]\nnames = ["x", "y", "z"]\n', "rise"),
    "names too few": (STUDY + '[derived.d]\ncut = "a"\nat = [5]\nnames = ["x"]\n', "needs 2"),
    "regroup no level": (STUDY + '[derived.d]\nregroup = "c"\ninto = { k = ["zz"] }\n', "'zz'"),
    "need each other": (
        STUDY + '[derived.d]\nexpression = "e > 1"\n[derived.e]\nexpression = "d + 1"\n', "d, e need each other"),
    "code": (STUDY + "[derived.d]\nexpression = \"__import__('os').system('x')\"\n", "not allowed"),
    "dunder": (STUDY + '[derived.d]\nexpression = "(1).__class__"\n', "not allowed"),
    "tower": (STUDY + '[derived.d]\nexpression = "9**9**9"\n', "too large"),
    "a name taken": (STUDY + '[derived.a]\nexpression = "a + 1"\n', "already"),
}  # fmt: skip


@pytest.mark.parametrize("case", BAD)
def test_study_files_that_cannot_be(tmp_path, case):
    pd.DataFrame({"a": np.arange(40) / 3, "c": ["u", "v"] * 20, "y": ["yes", "no", "no", "no"] * 10}).to_csv(
        tmp_path / "t.csv", index=False
    )
    text, message = BAD[case]
    (tmp_path / "study.toml").write_text(text)
    with pytest.raises(errors.EnveltError, match=message):
        Study.open(tmp_path / "study.toml")


def test_options_win_over_the_file_and_data_may_lie_elsewhere(tmp_path):
    (tmp_path / "sub").mkdir()
    shutil.copy(csv_path(), tmp_path / "hives.csv")
    path = tmp_path / "sub" / "study.toml"
    path.write_text('[study]\ndata = "../hives.csv"\noutcome = "wintered"\nevent = "no"\nwhere = "mites > 2"\n')
    study = Study.open(path, outcome="fed", kinds={"zone": "ordinal"}, where="mites < 9")
    assert study.outcome.name == "fed"
    assert study.outcome.event == "yes"
    assert study.table["zone"].ordered
    assert set(study.table["mites"].values) == set(range(3, 9))
    assert "outside the folder" in study.source


def test_derived_columns(wintered):
    study = (
        wintered.derive("size", cut="weight_kg", at=[25, 35], names=["light", "middle", "heavy"])
        .derive(
            "state", regroup="colony_state", into={"well": ["queenright", "swarming"], "ill": ["weak", "queenless"]}
        )
        .derive("month", "month(inspected_on)")
        .derive("later", "date(2025, month, 1)")
        .derive("load", "log1p(mites) / max(frames_bees, 1)")
        .derive("gap", "is_missing(humidity) or humidity > 100")
        .derive("late", "where(spring_frames > 3, 1, 0) + 0 * month")
    )
    frame = hives()
    assert study.table["size"].levels == ("light", "middle", "heavy")
    assert study.table["size"].ordered
    want = pd.cut(frame["weight_kg"], [-np.inf, 25, 35, np.inf], right=False).value_counts(sort=False).tolist()
    assert study.table["size"].counts.tolist() == want
    assert study.table["state"].distinct == 2
    assert study.table["later"].kind == "datetime"
    assert study.table["load"].values == pytest.approx(np.log1p(frame["mites"]) / frame["frames_bees"].clip(lower=1))
    assert study.table["gap"].counts[1] == (frame["humidity"].isna() | (frame["humidity"] > 100)).sum()
    assert set(study.candidates) >= {"size", "state", "load", "late"}
    again = study.derive("leak", "spring_frames > 0 and wintered == 'yes'").derive("more", "leak == 'yes'")
    assert not {"leak", "more"} & set(again.candidates)
    assert "leak" not in study.table.columns
    assert len(study.where("size == 'heavy' and month >= 9").table) > 100


def test_spellings_one_letter_apart_and_names_that_only_look_so():
    def spelt(levels, counts):
        frame = pd.DataFrame({"place": np.repeat(levels, counts), "x": np.arange(sum(counts)) / 7})
        found = [f for f in Study(frame).inventory().findings if f.code == "level-spelling"]
        return found[0].evidence["levels"] if found else []

    assert spelt(["heather", "clover", "heathr"], [60, 50, 3]) == [["heather", "heathr"]]
    assert spelt(["heather", "clover", "haether"], [60, 50, 3]) == [["heather", "haether"]]
    assert spelt(["Mill Road", "mill  road", "Hill"], [60, 5, 60]) == [["Mill Road", "mill  road"]]
    # two common levels, short ones, and ones told apart by a digit are names of their own
    assert spelt(["Hilton", "Milton", "Elm"], [60, 50, 40]) == []
    assert spelt(["oak", "oat", "elm"], [60, 3, 50]) == []
    assert spelt(["ward 11", "ward 12", "ward 13"], [60, 4, 50]) == []


@pytest.mark.parametrize("numeric", [False, True])
def test_missing_that_follows_any_outcome_is_found_and_chance_is_not(numeric):
    r = np.random.default_rng(1)
    y = r.normal(size=1500)
    lost = r.random(1500) < np.where(y > 0.5, 0.3, 0.05)
    frame = pd.DataFrame(
        {"a": np.where(lost, np.nan, r.normal(size=1500)), "y": y if numeric else np.where(y > 0.5, "yes", "no")}
    )
    frame["b"] = np.where(r.permutation(lost), np.nan, r.normal(size=1500))
    found = [f.columns for f in Study(frame, outcome="y").inventory().findings if f.code == "missing-follows-outcome"]
    assert found == [("a", "y")]


@pytest.mark.parametrize(
    ("levels", "order"),
    [
        ("Fairly High|Average|Very High|Fairly Low|Very Low", "Very Low|Fairly Low|Average|Fairly High|Very High"),
        ("A|A-|B|B+|C-", "C-|B|B+|A-|A"),
        ("3 beds|4+ beds|1-2 beds", "1-2 beds|3 beds|4+ beds"),
        ("12+ yrs|0-5yrs|6-11yrs", "0-5yrs|6-11yrs|12+ yrs"),
        (">2l|<1l|1-1.5l|1.5-2l", "<1l|1-1.5l|1.5-2l|>2l"),
        ("60+|never|1-4 per day|20-29 per day|5-9 per day", "never|1-4 per day|5-9 per day|20-29 per day|60+"),
        ("Sun|Thur|Fri|Sat", "Thur|Fri|Sat|Sun"),
        ("July|Jan|Sept|Mar", "Jan|Mar|July|Sept"),
        ("mercredi|lundi|mardi", "lundi|mardi|mercredi"),
        ("3rd|1st|2nd", "1st|2nd|3rd"),
        ("Urban|Rural|Suburban", "Rural|Suburban|Urban"),
        ("2 to 3 years ago|within 1 yr|5 to 9 years ago", "within 1 yr|2 to 3 years ago|5 to 9 years ago"),
        ("A|B|C", ""),
        ("arm 1|arm 2|arm 3", ""),
        ("red|green|blue", ""),
        ("F0|F1|F2", ""),
        ("low|middle|east", ""),
        ("mayor|may|june", ""),
    ],
)
def test_levels_that_carry_an_order_have_it_whatever_order_they_come_in(levels, order):
    r = np.random.default_rng(1)
    column = Study(pd.DataFrame({"x": r.choice(levels.split("|"), 200)})).table["x"]
    assert (column.kind == "ordinal") == bool(order)
    if order:
        assert column.levels == tuple(order.split("|"))


def test_measures_in_whole_units_are_quantities_and_counts_are_counted():
    r = np.random.default_rng(2)
    n = 900
    frame = pd.DataFrame(
        {
            "height": np.round(r.normal(170, 9, n)),
            "pulse": np.round(r.normal(72, 12, n)),
            "weeks": np.round(r.normal(39, 2.5, n)),
            "income": np.round(r.normal(52_000, 9_000, n), -2),
            "state_income": r.integers(20_000, 90_000, n),
            "city_mpg": np.round(r.normal(24, 6, n)).clip(9),
            "code_lines": np.round(r.gamma(2, 60, n)) + 40,
            "calls_waiting": r.poisson(31, n),
            "visits": r.poisson(3, n),
            "jumps": np.round(r.exponential(9, n)),
            "students": np.round(r.normal(300, 60, n)),
            "litters": 1 + (r.random(n) < 0.05) + (r.random(n) < 0.01),
            "home_state": r.integers(1, 51, n),
        }
    )
    kinds = Study(frame).inventory().table["kind"].to_dict()
    measured = ("height", "pulse", "weeks", "income", "state_income", "city_mpg", "code_lines")
    counted = ("calls_waiting", "visits", "jumps", "students", "litters")
    assert {k: kinds[k] for k in measured} == dict.fromkeys(measured, "continuous")
    assert {k: kinds[k] for k in counted} == dict.fromkeys(counted, "discrete")
    assert kinds["home_state"] == "nominal"


def test_times_of_day_are_read_as_hours_and_ratios_are_not():
    frame = pd.DataFrame(
        {"at": ["13:30", "06:05", "9:15", "23:59"] * 30, "took": ["1:02:30", "0:59:00", "12:00:00"] * 40}
    )
    frame["odds"] = ["2:1", "5:2", "10:3"] * 40
    table = Study(frame).table
    assert table["at"].values[:4].tolist() == pytest.approx([13.5, 6 + 5 / 60, 9.25, 23 + 59 / 60], abs=1e-6)
    assert table["took"].values[:3].tolist() == pytest.approx([1 + 2.5 / 60, 59 / 60, 12], abs=1e-6)
    assert table["odds"].kind == "nominal"


def test_years_and_times_of_day_are_times_that_are_computed_with_as_numbers(tmp_path):
    r = np.random.default_rng(4)
    year = r.integers(1995, 2021, 400).astype(float)
    year[::40] = np.nan
    hour, minute, second = r.integers(8, 18, 400), r.integers(0, 60, 400), r.integers(0, 60, 400)
    frame = pd.DataFrame(
        {
            "year": year,
            "yr": year % 100 % 30 + 60,
            "seen_time": [f"{h}:{m:02}" for h, m in zip(hour, minute, strict=True)],
            "lasted": [f"{h}:{m:02}:{s:02}" for h, m, s in zip(hour, minute, second, strict=True)],
            "grams": r.integers(1900, 2000, 400),
            "weight": 0.1 * np.nan_to_num(year, nan=2000) + r.normal(size=400),
        }
    )
    frame.loc[3, "seen_time"], frame.loc[5, "seen_time"] = "9.12", "  "
    study = Study(frame, outcome="weight")
    kinds = {c.name: c.kind for c in study.table}
    assert kinds == {
        "year": "datetime", "yr": "datetime", "seen_time": "datetime", "lasted": "continuous", "grams": "discrete",
        "weight": "continuous",
    }  # fmt: skip
    assert study.table["year"].values[:3].tolist() == pytest.approx(year[:3].tolist(), nan_ok=True)
    assert study.table["seen_time"].blanked == (("9.12", 1), ("  ", 1))
    assert study.table["seen_time"].values[0] == pytest.approx(hour[0] + minute[0] / 60, abs=1e-6)
    # as if it were declared a number, in all but its name
    plain = Study(frame, outcome="weight", kinds={"year": "discrete", "seen_time": "continuous"})
    for step in ("against", "relations", "distribution"):
        mine, theirs = (getattr(s, step)("year") if step != "relations" else s.relations("year", "weight")
                        for s in (study, plain))  # fmt: skip
        for name, table in mine.tables.items():
            pd.testing.assert_frame_equal(
                table.drop(columns="kind", errors="ignore"),
                theirs.tables[name].drop(columns="kind", errors="ignore"), check_dtype=False,
            )  # fmt: skip
    frame.to_csv(tmp_path / "hives.csv", index=False)
    Study(tmp_path / "hives.csv").begin(tmp_path / "study.toml")
    assert {c.name: c.kind for c in Study.open(tmp_path / "study.toml").table} == kinds
    assert Study(frame, kinds={"grams": "datetime"}).table["grams"].kind == "datetime"
    with pytest.raises(errors.KindConflictError, match="neither years nor days"):
        Study(frame, kinds={"weight": "datetime"})


def test_cells_of_blanks_are_missing_unless_a_person_says_that_nothing_is():
    frame = pd.DataFrame({"keeper": ["Ada", " ", "Bo", "   ", "Ada", ""] * 20, "n": np.arange(120.0)})
    column = Study(frame).table["keeper"]
    assert (column.levels, int(column.missing.sum())) == (("Ada", "Bo"), 60)
    assert sum(rows for _, rows in column.blanked) == 60
    assert " " in Study(frame, missing=[]).table["keeper"].levels
    empty = Study(frame.assign(keeper=[" ", "\r", "\n"] * 40), kinds={"keeper": "text"}).table["keeper"]
    assert empty.missing.all()
    assert [rows for _, rows in empty.blanked] == [40, 40, 40]


def test_what_is_made_from_two_others_is_said_with_its_recipe_and_with_the_outcome_loudest():
    found = Study(sales(), outcome="paid").inventory().findings
    (made,) = (f for f in found if f.code == "made-up-of-others" and f.weight == "stop")  # one story, one finding
    assert {"percent", "paid", "asked", "per_m2", "comb_dm2", "change", "last_year", "gained"} == {*made.columns}
    assert "percent is 100 × paid ÷ asked in all 400 rows, to within rounding: percent and asked together are" in (
        made.statement
    )
    assert made.evidence["recipes"] == {
        "percent": "100 × paid ÷ asked", "per_m2": "100 × paid ÷ comb_dm2",
        "change": "100 × (paid − last_year) ÷ last_year", "paid": "last_year + gained",
    }  # fmt: skip
    r = np.random.default_rng(3)
    frame = pd.DataFrame({"height": r.normal(1.7, 0.1, 400).round(2), "weight": r.normal(70, 10, 400).round(1)})
    frame["index"] = (frame["weight"] / frame["height"] ** 2).round(1)
    frame.loc[:30, "weight"] = np.nan
    alone = next(f for f in Study(frame).inventory().findings if f.code == "made-up-of-others")
    assert (alone.weight, alone.evidence["how"]) == ("caution", "weight ÷ height²")
    assert "that have all of them" in alone.statement
    for outcome in ("paid", "change", None):
        clean = Study(sales(planted=False), outcome=outcome).inventory().findings
        assert "made-up-of-others" not in {f.code for f in clean}


def test_a_sum_of_several_that_is_the_outcome_is_said_with_all_of_them():
    r = np.random.default_rng(6)
    frame = pd.DataFrame(r.poisson(9, (80, 5)), columns=list("pqrst")).astype(float)
    frame["total"] = frame[["p", "q", "r", "s"]].sum(axis=1)
    made = next(f for f in Study(frame, outcome="total").inventory().findings if f.code == "made-up-of-others")
    assert (made.weight, made.columns) == ("stop", ("total", "p", "q", "r", "s"))
    assert (
        made.statement
        == "total is p + q + r + s in all 80 rows, to within rounding: p, q, r and s together are the outcome."
    )
    frame["total"] -= 7
    less = next(f for f in Study(frame, outcome="total").inventory().findings if f.code == "made-up-of-others")
    assert less.evidence["how"] == "p + q + r + s − 7"
    frame["total"] += r.integers(0, 4, 80)
    assert "made-up-of-others" not in {f.code for f in Study(frame, outcome="total").inventory().findings}


@pytest.mark.parametrize(
    ("column", "said"),
    [
        (["town", "unknown"] + ["hill"] * 8, True),
        (["town", "not stated"] + ["hill"] * 8, True),
        (["yes", "don't know"] + ["no"] * 8, True),
        (["town", "Unknown/other"] + ["hill"] * 8, True),
        (["town", "?"] + ["hill"] * 8, True),
        (["DK", "NO"] + ["SE"] * 8, False),
        (["granted", "refused"] + ["open"] * 8, False),
        (["town", "other"] + ["hill"] * 8, False),
        (["none", "some"] + ["many"] * 8, False),
        (["what?", "when?"] + ["why?"] * 8, False),
        (["a-b", "c-d"] + ["e-f"] * 8, False),
        ([0, *range(20, 29)], False),  # a few values
        ([0, 41, 55, 62, 48, 57, 66, 51, 60, 53, 47, 58, 64, 49, 56, 61, 52, 63, 59, 50], True),
        ([0, 1, 3, 9, 15, 22, 4, 8, 30, 12, 18, 7, 25, 2, 11, 20, 6, 28, 5, 16], False),  # an amount that can be none
    ],
)
def test_levels_and_zeros_that_stand_for_nothing_known_are_said_and_true_ones_are_not(column, said):
    repeat = {0: 1, 10: 40, 20: 6}[len(column) if len(column) in (10, 20) else 0]
    frame = pd.DataFrame({"x": list(column) * repeat})
    assert ("sentinel-value" in {f.code for f in Study(frame).inventory().findings}) == said


def test_a_table_of_cells_with_all_cases_and_those_of_one_kind_is_asked_after():
    r = np.random.default_rng(8)
    cells = pd.MultiIndex.from_product([list("abcd"), ["young", "old"], ["in", "out"]], names=["place", "age", "where"])
    frame = cells.to_frame(index=False)
    frame["hives"] = r.integers(40, 900, 16)
    frame["lost"] = r.binomial(frame["hives"], 0.2)
    found = next(f for f in Study(frame).inventory().findings if f.code == "counted-table")
    assert (found.weight, found.columns[:2]) == ("caution", ("hives", "lost"))
    assert "(lost is never more)" in found.statement
    again = frame.sample(16, replace=True, random_state=1)
    assert "counted-table" not in {f.code for f in Study(again).inventory().findings}
