"""What can be read, what it is taken for, and what is refused and how."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from envelt import Study, errors
from envelt.core.shapes.bins import readable_bins
from envelt.core.shapes.resolution import recorded_step

ROWS = 'name;note;size;when\nÅsa;"two\nlines";1,5;2024-01-02\nBo;plain;2,5;2024-01-03\nÅsa;;;\n'


def kinds_of(frame, **options):
    return Study(frame, **options).inventory().table["kind"].to_dict()


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_delimiters_encodings_and_quoted_newlines(tmp_path, delimiter, encoding):
    path = tmp_path / "odd.csv"
    text = ROWS.replace(",", ".").replace(";", delimiter)
    path.write_bytes(text.encode(encoding))
    table = Study(path).inventory().table
    assert list(table.index) == ["name", "note", "size", "when"]
    assert table["present"].tolist() == [3, 2, 2, 2]
    assert table.loc["name", "examples"] == ("Åsa", "Bo")
    assert "two\nlines" in table.loc["note", "examples"]
    assert Study(path, kinds={"size": "continuous"}).table["size"].values[0] == 1.5
    assert Study(path, kinds={"when": "datetime"}).inventory().table.loc["when", "kind"] == "datetime"


def test_file_parquet_and_frame_give_the_same(tmp_path):
    frame = pd.read_csv("src/envelt/demo/hives.csv", parse_dates=["inspected_on", "hived_on"])
    frame.to_parquet(tmp_path / "hives.parquet")
    frame.to_csv(tmp_path / "hives.tsv", sep="\t", index=False)
    views = [Study(d).inventory().table for d in ("demo", tmp_path / "hives.parquet", tmp_path / "hives.tsv", frame)]
    for other in views[1:]:
        pd.testing.assert_frame_equal(other, views[0])


def test_every_kind_is_detected_with_a_reason():
    rng = np.random.default_rng(0)
    n = 400
    frame = pd.DataFrame(
        {
            "continuous": rng.normal(size=n),
            "discrete": rng.poisson(30, n),
            "ordinal": rng.choice(["low", "medium", "high"], n),
            "nominal": rng.choice(["oak", "elm", "ash", "yew"], n),
            "binary": rng.choice([True, False], n),
            "datetime": pd.date_range("2024-01-01", periods=n),
            "identifier": rng.permutation(n) + 1000,
            "text": [f"the {i % 90} hive by the old mill" for i in range(n)],
            "constant": 7,
        }
    )
    table = Study(frame).inventory().table
    assert {n: k for n, k in table["kind"].items() if n != k} == {}
    assert table["reason"].str.len().min() > 5
    assert Study(frame).table["ordinal"].levels == ("low", "medium", "high")


def test_codes_grades_years_and_leading_zeros(tmp_path):
    path = tmp_path / "codes.csv"
    rng = np.random.default_rng(1)
    rows = [
        f"0{rng.integers(100, 120)},{rng.choice([101, 204, 412])},{rng.integers(1, 6)},{rng.integers(1990, 2024)}"
        for _ in range(300)
    ]
    path.write_text("post,zone,grade,built\n" + "\n".join(rows))
    assert kinds_of(path) == {"post": "nominal", "zone": "nominal", "grade": "ordinal", "built": "discrete"}
    assert kinds_of(path, kinds={"zone": "continuous"})["zone"] == "continuous"


def frame(**columns):
    base = {"x": np.arange(30) * 0.5, "y": ["yes", "no", "no"] * 10}
    return pd.DataFrame({**base, **columns})


two_named = pd.DataFrame(np.zeros((3, 2)), columns=["a", "a"])
huge = pd.DataFrame({"w": [2**53 + 1, 1] * 15})

BAD = {
    "no such column": (lambda: Study(frame(), outcome="z"), errors.UnknownColumnError, "No column 'z'"),
    "nearest column": (lambda: Study("demo", outcome="winterd"), errors.UnknownColumnError, "'wintered'"),
    "no such kind": (lambda: Study(frame(), kinds={"x": "numbr"}), errors.UnknownKindError, "numbr"),
    "kind of no column": (lambda: Study(frame(), kinds={"q": "nominal"}), errors.UnknownColumnError, "'q'"),
    "ignored column": (lambda: Study(frame(), ignore=["q"]), errors.UnknownColumnError, "'q'"),
    "kind that cannot hold": (
        lambda: Study(frame(w=["1"] * 29 + ["abc"]), kinds={"w": "continuous"}), errors.KindConflictError,
        r"'abc' is not a number \(row 29"),
    "three values binary": (lambda: Study(frame(), kinds={"x": "binary"}), errors.KindConflictError, "30 values"),
    "outcome of one value": (lambda: Study(frame(y="yes"), outcome="y"), errors.OutcomeError, "one value, 'yes'"),
    "outcome missing": (lambda: Study(frame(y=None), outcome="y"), errors.OutcomeError, "missing in every row"),
    "outcome an identifier": (lambda: Study("demo", outcome="record"), errors.OutcomeError, "identifier"),
    "outcome ignored": (lambda: Study(frame(), outcome="y", ignore="y"), errors.OutcomeError, "Drop one"),
    "outcome as candidate": (lambda: Study(frame(), outcome="y").against("y"), errors.OutcomeError, "outcome itself"),
    "outcome as unit": (lambda: Study(frame(), outcome="y", unit="y"), errors.OutcomeError, "both"),
    "no outcome": (lambda: Study(frame()).rank(), errors.OutcomeError, "--outcome"),
    "no such event": (lambda: Study(frame(), outcome="y", event="Yes"), errors.UnknownEventError, "'yes'"),
    "event of a number": (lambda: Study(frame(), outcome="x", event="1"), errors.UnknownEventError, "no event"),
    "two columns of one name": (lambda: Study(two_named), errors.ColumnNamesError, "columns 1 and 2"),
    "names alike as text": (lambda: Study(pd.DataFrame({5: [1], "5": [2]})), errors.ColumnNamesError, "1 and 2"),
    "no columns": (lambda: Study(pd.DataFrame()), errors.EmptyTableError, "no columns"),
    "no rows": (lambda: Study(frame()[:0]), errors.EmptyTableError, "no rows"),
    "infinite": (lambda: Study(frame(w=[np.inf] + [1.5] * 29)), errors.InfiniteValueError, "'w'.*1 row "),
    "beyond 2^53": (lambda: Study(huge, kinds={"w": "discrete"}), errors.IntegerTooLargeError, "9007199254740993"),
    "not a table": (lambda: Study([1, 2]), errors.DataError, "list"),
    "a seed of text": (lambda: Study(frame(), seed="x"), errors.OptionError, "seed"),
    "no row left": (lambda: Study(frame(), where="x > 99"), errors.ExpressionError, "No row is left"),
    "only one class left": (lambda: Study(frame(), outcome="y").where("y == 'no'"), errors.OutcomeError, "one value"),
}  # fmt: skip


@pytest.mark.parametrize("case", BAD)
def test_bad_input_has_a_named_error_that_says_what_to_do(case):
    make, error, message = BAD[case]
    with pytest.raises(error, match=message) as caught:
        make()
    assert isinstance(caught.value, errors.EnveltError)
    assert len(str(caught.value)) < 400


BAD_FILES = {
    "empty": (b"", errors.EmptyTableError, "is empty"),
    "blank": (b"\n\n  \n", errors.EmptyTableError, "is empty"),
    "header only": (b"a,b\n", errors.EmptyTableError, "no rows"),
    "ragged": (b"a,b\n1,2\n1,2,3\n", errors.NotATableError, "line 3 has 3 cells, and the header has 2"),
    "binary": (bytes(range(256)) * 9, errors.NotATableError, "binary"),
    "picture": (b"\x89PNG\r\n\x1a\n" + bytes(99), errors.NotATableError, "PNG"),
    "damaged parquet": (b"PAR1" + bytes(99), errors.NotATableError, "damaged"),
    "two of one name": (b"a,b,a\n1,2,3\n", errors.ColumnNamesError, "columns 1 and 3"),
    "infinite": (b"a,b\n1,2\ninf,3\n", errors.InfiniteValueError, "first in row 2"),
}


@pytest.mark.parametrize("case", BAD_FILES)
def test_bad_files(tmp_path, case):
    contents, error, message = BAD_FILES[case]
    path = tmp_path / "some.csv"
    path.write_bytes(contents)
    with pytest.raises(error, match=message):
        Study(path)


def test_files_that_are_not_there(tmp_path):
    (tmp_path / "hives.csv").write_text("a,b\n1,2\n")
    with pytest.raises(errors.FileMissingError, match=r"'hives\.csv'"):
        Study(tmp_path / "hive.csv")
    with pytest.raises(errors.NotATableError, match="folder"):
        Study(tmp_path)


def test_large_whole_numbers_declared_as_codes_keep_every_digit():
    study = Study(frame(w=[2**60 + i for i in range(30)]), kinds={"w": "identifier"})
    assert study.table["w"].distinct == 30
    assert str(2**60 + 1) in study.table["w"].levels


@given(st.lists(st.floats(-1e9, 1e9) | st.integers(-500, 500).map(float), min_size=1, max_size=200))
@settings(max_examples=300, deadline=None)
def test_every_value_is_in_one_bin_of_round_edges(values):
    ordered = np.sort(np.array(values))
    bins = readable_bins(ordered)
    assert bins.count(ordered).sum() + bins.below + bins.above == len(values)
    assert 1 <= len(bins.edges) - 1 <= 60
    width = bins.edges[1] - bins.edges[0]
    if ordered[0] < ordered[-1]:
        step = recorded_step(ordered)
        odd = step and min(abs(step / 10 ** np.floor(np.log10(step) + 1e-9) - m) for m in (1, 2, 2.5, 5)) > 1e-6
        steps = width / step if odd else width  # of dozens round numbers of dozens
        mantissa = steps / 10 ** np.floor(np.log10(steps) + 1e-9)
        assert min(abs(mantissa - m) for m in (1, 2, 2.5, 5)) < 1e-6
        if (ordered == np.floor(ordered)).all():
            assert width == round(width)
            assert bins.edges[0] % 1 == 0.5


def test_a_study_file_with_a_byte_order_mark_is_read_and_brought_up_to_date(tmp_path):
    frame = pd.DataFrame({"x": np.arange(40.0), "y": ["no", "yes"] * 20})
    frame.to_csv(tmp_path / "rows.csv", index=False)
    path = tmp_path / "study.toml"
    Study(tmp_path / "rows.csv", outcome="y").begin(path)
    path.write_bytes(b"\xef\xbb\xbf" + path.read_bytes())
    study = Study.open(path)
    assert study.outcome.name == "y"
    assert study.begin(path) == ([], [])


MARKED = """country,queen,weight
DE,grey,1.5
FR,NA,NA
NA,gold,2.5
IT,grey,3
ES,gold,NA
SE,NA,1
PL,grey,2
AT,gold,4
DK,NA,5
"""


@pytest.mark.parametrize("source", ["csv", "frame", "parquet"])
def test_texts_that_usually_mean_missing_are_counted_and_said_alike_in_every_source(tmp_path, source):
    path = tmp_path / "marks.csv"
    path.write_text(MARKED)
    data = path
    if source != "csv":
        data = pd.read_csv(path, keep_default_na=False)
        if source == "parquet":
            data.to_parquet(tmp_path / "marks.parquet")
            data = tmp_path / "marks.parquet"
    study = Study(data)
    view = study.inventory()
    said = {f.columns[0]: f for f in view.findings if f.code == "marks-for-missing"}
    assert view.table["missing"].to_dict() == {"country": 0, "queen": 3, "weight": 2}  # NA among codes is a country
    assert "'NA' in 3 rows" in said["queen"].statement
    assert "'NA' in 2 rows" in said["weight"].statement
    assert study.table["weight"].kind in ("continuous", "discrete")
    kept = Study(data, missing=[])
    assert kept.inventory().table.loc["queen", "missing"] == 0
    assert "NA" in set(kept.table["queen"].labels())
    assert kept.table["weight"].missing.sum() == 2  # no number is called NA
    one = Study(data, columns={"queen": {"missing": []}})
    assert one.inventory().table.loc["queen", "missing"] == 0
    assert Study(data, missing=["grey"]).inventory().table.loc["queen", "missing"] == 6


def test_marks_for_missing_reach_the_study_file_the_command_line_and_later_rows(tmp_path, run):
    path = tmp_path / "marks.csv"
    path.write_text(MARKED)
    status, out, err = run("inventory", path, "--missing", "", "--findings")
    assert (status, err) == (0, "")
    assert "queen holds" not in out
    made = Study(path).preparation().fit(path)
    assert made.transform(path).notna().all().all()
    many = pd.DataFrame({f"c{k}": ["a", "b", "NA", "c"] * 10 for k in range(6)})
    found = [f for f in Study(many).inventory().findings if f.code == "marks-for-missing"]
    assert len(found) == 1
    assert "6 columns" in found[0].statement
    assert found[0].evidence["texts"] == [["NA", 60]]
