"""Odd and hostile input: nothing is silently wrong, nothing valid is refused, and no traceback comes."""

import datetime
import decimal
import gzip
import json
import os
import pickle
import stat
import subprocess
import sys
import warnings
import xml.dom.minidom
import zipfile
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from envelt import Study
from envelt.errors import (
    EnveltError,
    FileMissingError,
    InfiniteValueError,
    IntegerTooLargeError,
    KindConflictError,
    NotATableError,
    OptionError,
    OutputError,
    StudyFileError,
)

ENVELT = str(Path(sys.executable).with_name("envelt"))
IDS = [1234567890123456781, 1234567890123456782, 1234567890123456783]


def table_of(write, head="a,b", rows=60):
    """Return CSV of rows that a function writes."""
    return head + "\n" + "".join(f"{write(i)}\n" for i in range(rows))


def opened(tmp_path, contents, name="some.csv", **options):
    path = tmp_path / name
    path.write_bytes(contents if isinstance(contents, bytes) else contents.encode())
    return Study(path, **options)


def shell(command, folder, **more):
    done = subprocess.run(["bash", "-c", command], cwd=folder, capture_output=True, timeout=120, check=False, **more)
    return done.returncode, done.stdout.decode(errors="replace"), done.stderr.decode(errors="replace")


# 1: whole numbers beyond 2^53 keep every digit

LONG = {
    "plain": lambda i: str(IDS[i % 3]),
    "currency": lambda i: f"€{IDS[i % 3]}",
    "separators": lambda i: f'"{IDS[i % 3]:,}"',
    "decimals": lambda i: f"{IDS[i % 3]}.0",
    "parts": lambda i: f"{IDS[i % 3]}.25",
    "marks": lambda i: str(IDS[i % 3]) if i % 10 else "n/a",
}


@pytest.mark.parametrize("written", LONG)
def test_long_numbers_in_text_stay_apart(tmp_path, written):
    text = table_of(lambda i: f"{LONG[written](i)},{i}")
    column = opened(tmp_path, text).table["a"]
    assert column.kind == "identifier"
    assert len(column.levels) == 3
    assert "2^53" in column.reason
    with pytest.raises(IntegerTooLargeError, match=r"row [12]: "):
        opened(tmp_path, text, kinds={"a": "continuous"})


FRAMES = {
    "Int64": lambda v: pd.Series(v, dtype="Int64"),
    "objects": lambda v: pd.Series(v, dtype=object),
    "decimals": lambda v: pd.Series([None if x is None else decimal.Decimal(x) for x in v], dtype=object),
    "beside fractions": lambda v: pd.Series([*v, 1.5], dtype=object),
}


@pytest.mark.parametrize("made", FRAMES)
def test_long_numbers_of_frames_and_files_stay_apart(tmp_path, made):
    values = [*IDS, None] * 20
    assert Study(pd.DataFrame({"a": FRAMES[made](values)})).table["a"].distinct == 3 + (made == "beside fractions")
    pq.write_table(pa.table({"a": pa.array(values, pa.int64())}), tmp_path / "a.parquet")
    for kinds in ({}, {"a": "identifier"}):
        study = Study(tmp_path / "a.parquet", kinds=kinds)
        assert sorted(study.table["a"].levels) == [str(i) for i in IDS]
        assert len(study.where(f"a == {IDS[0]}").table) == 20


# 3, 9, 12: files as they come

HEADERS = {
    "empty lines first": ("\n\n\na,b\n", "a"),
    "a name of two lines": ('"a\nx",b\n', "a\nx"),
    "sep=": ("sep=,\na,b\n", "a"),
    "zip": ("PK_,b\n", "PK_"),
    "parquet": ("PAR1,b\n", "PAR1"),
    "bzip2": ("BZh9,b\n", "BZh9"),
    "pdf": ("%PDF,b\n", "%PDF"),
    "arrow": ("ARROW1,b\n", "ARROW1"),
    "mark": ("\ufeffa,b\n", "a"),
    "returns": ("a,b\r", "a"),
}


@pytest.mark.parametrize("case", HEADERS)
def test_headers_are_headers_whatever_they_begin_with(tmp_path, case):
    head, name = HEADERS[case]
    end = head[-1]
    text = head + "".join(f"{i}.5,{2 * i}{end}" for i in range(40))
    study = opened(tmp_path, text)
    assert list(study.table.columns) == [name, "b"]
    assert study.to_frame()[name].tolist() == [i + 0.5 for i in range(40)]


FAULTY = {
    "ragged": (table_of(lambda i: "1" if i == 20 else "1,2"), "line 22 has 1 cell, and the header has 2"),
    "after lines": ('a,b\n"x\ny",2\n1,2,3\n', "line 4 has 3 cells"),
    "unclosed": (table_of(lambda i: f'"{i},1' if i == 20 else f"{i},1"), r'line 22 has a quotation mark \("\)'),
    "a return": ("a,b\nx\ry,2\n", "line 2 has 1 cell"),
    "deep": ('{"a":' + "[" * 5000 + "]" * 5000 + "}\n", "line 1 has more than 200 brackets"),
}


@pytest.mark.parametrize("case", FAULTY)
def test_what_is_wrong_in_a_file_is_said_with_its_line(tmp_path, case):
    text, said = FAULTY[case]
    with pytest.raises(NotATableError, match=said):
        opened(tmp_path, text, "deep.jsonl" if case == "deep" else "some.csv")


def test_rows_that_a_stray_quote_swallows_are_said(tmp_path):
    text = table_of(lambda i: f'"{i}x,{i}' if i in (20, 33) else f"{i}x,{i}", rows=40)
    assert "in line 22 opens a cell of 14 lines" in str(opened(tmp_path, text).inventory())
    letters = table_of(lambda i: f'"Dear {i},\nall is well,\nyours",{i}')
    assert "opens a cell" not in str(opened(tmp_path, letters).inventory())


def test_long_cells_wide_headers_and_pipes_are_read(tmp_path):
    long = opened(tmp_path, table_of(lambda i: f"{'x' * 3_000_000 if i == 3 else 'y'},{i}"))
    assert max(map(len, long.table["a"].levels)) == 3_000_000
    head = ",".join(f"a_column_of_that_name_{i}" for i in range(7_000))
    wide = opened(tmp_path, head + "\n" + "\n".join(",".join(["1.5"] * 7_000) for _ in range(3)))
    assert len(wide.table.columns) == 7_000
    plain = tmp_path / "s.csv"
    plain.write_text(table_of(lambda i: f"{i}.5,{i}"))
    assert len(opened(tmp_path, plain.read_bytes(), "not_packed.csv.gz").table) == 60
    pq.write_table(pa.table({"a": [1.5, 2.5]}), tmp_path / "s.parquet")
    for command in (
        "cat s.csv | {} inventory -",
        "{} inventory <(cat s.csv)",
        "cat s.parquet | {} inventory /dev/stdin",
    ):
        status, out, err = shell(command.format(ENVELT), tmp_path)
        assert (status, err) == (0, "")
        assert "rows of a pipe" in out


def test_an_archive_that_unpacks_without_end_is_refused_until_the_limit_is_raised(tmp_path, monkeypatch):
    bomb = tmp_path / "a.csv.gz"
    with gzip.open(bomb, "wb") as file:
        file.write(b"a,b\n" + b"1,2\n" * 2_000_000)
    monkeypatch.setenv("ENVELT_MOST_UNPACKED", "0.005")
    with pytest.raises(NotATableError, match=r"unpacks to more than 0.005 GB.*ENVELT_MOST_UNPACKED=0.01 "):
        Study(bomb)
    with zipfile.ZipFile(tmp_path / "a.xlsx", "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("sheet", bytes(30_000_000))
    with pytest.raises(NotATableError, match="unpacks to more"):
        Study(tmp_path / "a.xlsx")
    monkeypatch.setenv("ENVELT_MOST_UNPACKED", "1")
    assert len(Study(bomb).table) == 2_000_000
    monkeypatch.setenv("ENVELT_MOST_UNPACKED", "much")
    with pytest.raises(NotATableError, match="number of gigabytes"):
        Study(bomb)


@pytest.mark.parametrize("name", ["a\0b.csv", "a" * 5_000 + ".csv", "*" * 400 + ".csv", "loop.csv", "no/such.csv"])
def test_names_that_no_file_has_are_said(tmp_path, monkeypatch, name):
    monkeypatch.chdir(tmp_path)
    Path("loop.csv").symlink_to("loop.csv")
    with pytest.raises(FileMissingError) as seen:
        Study(name)
    assert len(str(seen.value)) <= 1_100
    assert name != "loop.csv" or "leads to no file" in str(seen.value)
    with pytest.raises((StudyFileError, FileMissingError)):
        Study(name.replace(".csv", ".toml"))
    with pytest.raises(OutputError):
        Study("demo").inventory().save(name.replace("loop", "no/loop"))


# 6, 7, 10, 13: values


@pytest.mark.parametrize(
    ("write", "said"),
    [
        (lambda i: f"{i}%" if i % 2 else f"{i / 100}", "two units, % and none"),
        (lambda i: f"{'€$'[i % 2]}{i}.5", "two units, € and \\$"),
        (lambda i: "1e305" if i == 5 else f"{i}.5", "at the end of what floats hold"),
    ],
)
def test_numbers_that_are_no_one_quantity_stay_text_and_it_is_said(tmp_path, write, said):
    study = opened(tmp_path, table_of(lambda i: f"{write(i)},{i}"))
    assert study.table["a"].numbers is None
    found = [f for f in study.inventory().findings if f.code == "kept-as-text"]
    assert [f.columns for f in found] == [("a",)]
    with pytest.raises(KindConflictError):
        opened(tmp_path, table_of(lambda i: f"{write(i)},{i}"), kinds={"a": "continuous"})
    assert pd.Series([found[0].statement]).str.contains(said).all()


@pytest.mark.parametrize("infinite", ["1e400", "inf", "€1e400"])
def test_infinity_is_refused_and_can_be_said_to_be_missing(tmp_path, infinite):
    text = table_of(lambda i: f"{infinite if i == 5 else f'{i}.5'},{i}")
    with pytest.raises(InfiniteValueError, match=r"row 6.*missing='inf'"):
        opened(tmp_path, text)
    if "€" not in infinite:
        assert opened(tmp_path, text, missing=["inf"]).table["a"].missing.sum() == 1


def test_an_expression_means_the_column_as_it_is_written():
    names = ["ａ", "a", "µ", "μ", "é", "e\u0301"]
    study = Study(pd.DataFrame({n: np.arange(30.0) + 100 * i for i, n in enumerate(names)}))
    for n in names:
        assert study.derive("new", f'column("{n}") + 0').to_frame()["new"].tolist() == study.to_frame()[n].tolist()
        if n.isidentifier() and len(n) == 1:
            assert study.derive("new", f"{n} * 1").to_frame()["new"].tolist() == study.to_frame()[n].tolist()
    with pytest.raises(EnveltError, match="'ß'"):
        study.derive("new", "ß + 1")


def every_step(study):
    """Read, print and draw whatever a study of one column x and others gives; of one along x, only the outcome's."""
    views = [study.balance(), study.rank(), study.against(), study.against("x" if study.outcome.name != "x" else "w")]
    if study.outcome.name != "x":
        views += [study.inventory(), study.distribution(), study.relations(), study.pairwise()]
    if study.table["x"].numbers is not None and study.outcome.name != "x":
        pictures = ("auto", "density", "violin", "qq")
        views += [study.distribution("x", picture=p) for p in pictures if study.table["x"].kind != "datetime"]
    if study.table["x"].kind in ("continuous", "discrete") and getattr(study.outcome, "name", "") != "x":
        views += [study.transforms("x"), study.embed("x", "w")]
    for view in views:
        assert view.to_dict()["tables"]
        assert str(view)
        assert view.picture()[0]


Z = np.random.default_rng(3).normal(size=120)
ENDS = {
    "last digits": 1 + Z * 1e-14,
    "late seconds": 1.7e9 + Z * 1e-5,
    "1e154": Z * 1e154,
    "1e300": Z * 1e300,
    "600 decades": 10.0 ** np.linspace(-300, 300, 120),
    "denormal": Z * 1e-310,
    "beyond": np.where(Z > 0, 1.7e308, -1.7e308) * np.linspace(0.5, 1, 120),
    "one huge": np.where(np.arange(120) == 7, 9e300, Z),
    "a last bit": np.where(Z > 0, 1.0, np.nextafter(1, 2)),
}


AS_OUTCOME = ("last digits", "1e300", "600 decades", "one huge", "a last bit")


@pytest.mark.parametrize(("case", "outcome"), [*((c, "y") for c in ENDS), *((c, "x") for c in AS_OUTCOME)])
@pytest.mark.filterwarnings("error")
def test_numbers_at_the_ends_of_what_floats_hold(case, outcome):
    frame = pd.DataFrame({"x": ENDS[case], "w": Z[::-1], "v": np.roll(Z, 9)})
    frame["y"] = np.where(np.roll(Z, 3) > 0, "yes", "no")
    every_step(Study(frame, outcome=outcome))


DAYS = {
    "no end": [datetime.date(9999, 12, 31) if i % 9 == 0 else datetime.date(2024, 1, i % 28 + 1) for i in range(120)],
    "year 1": [datetime.date(1, 1, 1) if i % 9 == 0 else datetime.date(9999, 12, 31) for i in range(120)],
    "beyond calendars": np.array(["-20000-01-01", "20000-01-01"] * 60, dtype="datetime64[s]"),
    "zones": [pd.Timestamp("2024-01-01", tz=("UTC", "Asia/Tokyo")[i % 2]) + pd.Timedelta(days=i) for i in range(120)],
    "a zone and none": [pd.Timestamp("2024-01-01", tz=("UTC", None)[i % 2]) + pd.Timedelta(days=i) for i in range(120)],
}


@pytest.mark.parametrize("case", DAYS)
@pytest.mark.filterwarnings("error")
def test_dates_of_any_year_and_zone(case):
    frame = pd.DataFrame({"x": pd.Series(DAYS[case]), "w": Z, "v": Z[::-1], "y": np.where(Z > 0, "yes", "no")})
    study = Study(frame, outcome="y")
    every_step(study)
    codes = [f.code for f in study.inventory().findings if "x" in f.columns]
    assert ("sentinel-value" in codes) == (case == "no end")


def test_columns_of_every_arrow_type_are_read(tmp_path):
    broken = pa.Array.from_buffers(
        pa.string(), 2, [None, pa.py_buffer(np.array([0, 2, 4], np.int32)), pa.py_buffer(b"\xff\xfeab")]
    )
    either = pa.UnionArray.from_dense(
        pa.array([0, 1] * 10, pa.int8()), pa.array(np.repeat(range(10), 2), pa.int32()),
        [pa.array(range(10)), pa.array([f"t{i}" for i in range(10)])],
    )  # fmt: skip
    columns = {
        "day32": pa.array(range(20), pa.date32()), "day64": pa.array([86_400_000 * i for i in range(20)], pa.date64()),
        "time": pa.array(range(20), pa.time32("s")), "span": pa.array(range(20), pa.duration("s")),
        "either": either, "broken": pa.chunked_array([broken] * 10), "bytes": pa.array([b"\xff\0", b"ab"] * 10),
    }  # fmt: skip
    study = Study(pa.table(columns))
    assert {n: study.table[n].kind for n in ("day32", "day64", "broken")} == {
        "day32": "datetime", "day64": "datetime", "broken": "binary",
    }  # fmt: skip
    assert "\ufffd\ufffd" in study.table["broken"].levels
    pq.write_table(pa.table({"broken": columns["broken"]}), tmp_path / "b.parquet")
    assert Study(tmp_path / "b.parquet").table["broken"].levels == study.table["broken"].levels


# 5, 11, 16, 17, 18: what is written


def test_output_goes_to_any_stream(tmp_path):
    Study("demo").to_frame().iloc[:400, 3:12].to_csv(tmp_path / "d.csv", index=False)
    for coding in ("cp1252",):
        status, out, err = shell(f"PYTHONIOENCODING={coding} {ENVELT} inventory d.csv", tmp_path)
        assert (status, err) == (0, "")
        assert "column" in out
    command = f"PYTHONIOENCODING=ascii {ENVELT} balance d.csv -o hive_type --json"
    status, out, _ = shell(command, tmp_path)
    assert status == 0
    assert out.isascii()
    assert json.loads(out)["step"] == "balance"
    status, _, err = shell(f"{ENVELT} inventory d.csv > /dev/full", tmp_path)
    assert status == 2
    assert err == "envelt: Cannot write what was to be printed: No space left on device.\n"
    assert shell(f"set -o pipefail; {ENVELT} inventory d.csv --findings | head -1", tmp_path)[::2] == (0, "")


STRANGE = "a\x1b[31m\u202eb\x07\u2066"


def test_characters_that_control_or_turn_are_shown_as_marks(tmp_path, run):
    frame = pd.DataFrame({STRANGE: np.r_[Z, Z], "level": [STRANGE, "plain"] * 120})
    frame.to_csv(tmp_path / "s.csv", index=False)
    outs = [
        run("inventory", "s.csv")[1],
        run("distribution", "s.csv", "level")[1],
        run("rank", "s.csv", "-o", STRANGE)[2],
    ]
    outs.append(run("against", "s.csv", STRANGE + "x", "-o", "level")[2])
    assert all(not set("\x1b\x07\u202e\u2066") & set(text) for text in outs)
    assert "a␛[31m" in outs[0]
    Study(frame).distribution("level").save(tmp_path / "s.svg")
    Study(frame).distribution(STRANGE, by="level").save(tmp_path / "t.svg")
    for name in ("s.svg", "t.svg"):
        assert "a[31mb" in xml.dom.minidom.parse(str(tmp_path / name)).toxml()


def test_letters_that_no_font_has_are_marks_and_nobody_is_warned(tmp_path, caplog):
    names = ["日本", "עברית", "हिन्दी", "ไทย", "\U0001f600", "\U0002f800"]
    frame = pd.DataFrame({"重量": np.r_[Z, Z], "g": names * 40, "y": ["はい", "no"] * 120})
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        for view in (Study(frame, outcome="y").against("g"), Study(frame).distribution("重量", by="g")):
            view.save(tmp_path / "p.png")
            figure = view.draw()
            figure.canvas.draw()
            labels = [t.get_text() for axes in figure.axes for t in axes.get_yticklabels()]
            assert "\ufffd" in labels  # of a plane that fonts do not have
    assert not caplog.records


def test_csv_is_read_again_as_it_was_and_text_can_be_guarded(tmp_path):
    levels = ["=1+1", "+x", "-y", "@z", "a\rb", "c\nd", 'e"f', "plain"]
    frame = pd.DataFrame({"g": levels * 20, "w": np.r_[Z, Z[:40]] - 5})
    view = Study(frame, outcome="w", kinds={"g": "nominal"}).against("g")
    view.save(tmp_path / "t.csv")
    assert set(pd.read_csv(tmp_path / "t.csv")["g"]) == set(levels)
    view.save(tmp_path / "g.csv", guard_formulas=True)
    assert set(pd.read_csv(tmp_path / "g.csv")["g"]) == {f"'{t}" if t[0] in "=+-@" else t for t in levels}
    numbers = Study(frame).distribution("w")
    numbers.save(tmp_path / "n.csv")
    numbers.save(tmp_path / "m.csv", guard_formulas=True)
    assert (tmp_path / "n.csv").read_text() == (tmp_path / "m.csv").read_text()
    assert "-" in (tmp_path / "n.csv").read_text()


def test_a_column_may_be_named_as_one_of_the_table(tmp_path):
    frame = pd.DataFrame({"n": ["a", "=b"] * 60, "y": Z})
    for guard in (False, True):
        Study(frame, outcome="y").against("n").save(tmp_path / "n.csv", guard_formulas=guard)
        heads, first, *_ = (tmp_path / "n.csv").read_text().splitlines()
        assert heads.startswith("n,n,")
        assert first.split(",")[:2] in (["a", "60"], ["=b", "60"], ["'=b", "60"])


def test_files_of_several_views_have_names_that_can_be_and_are_said(tmp_path, run):
    names = ["q" * 300, "q" * 301, "a/b", "c\x07d"]
    pd.DataFrame({n: np.roll(Z, i) for i, n in enumerate(names)} | {"y": Z}).to_csv(tmp_path / "n.csv", index=False)
    status, _, err = run("against", "n.csv", *names, "-o", "y", "--out", "p.md")
    said = [line.removeprefix("Wrote ") for line in err.splitlines()]
    assert status == 0
    assert sorted(said) == sorted(p.name for p in tmp_path.glob("p-*.md"))
    assert len(said) == 4


def test_a_file_written_over_keeps_its_mode_and_a_link_stays_one(tmp_path, wintered):
    real, link = tmp_path / "real.md", tmp_path / "link.md"
    real.write_text("old")
    real.chmod(0o640)
    link.symlink_to(real)
    wintered.balance().save(link)
    assert link.is_symlink()
    assert stat.S_IMODE(real.stat().st_mode) == 0o640
    assert "wintered" in real.read_text()


# 2, 4, 8, 15, 19: options


def test_a_study_with_views_goes_from_process_to_process(wintered):
    study = Study("demo", outcome="wintered")
    before = study.rank().table
    again = pickle.loads(pickle.dumps(study))
    pd.testing.assert_frame_equal(again.rank().table, before)


def test_a_misspelt_option_is_a_type_error_with_the_nearest_name(wintered, tmp_path):
    (tmp_path / "s.toml").write_text('[study]\ndata = "demo"\n')
    for call in (
        lambda: wintered.distribution("mites", binz=3),
        lambda: wintered.against("mites", pictur="box"),
        lambda: wintered.rank(tim="day"),
        lambda: Study("demo", outcom="wintered"),
        lambda: Study.open(tmp_path / "s.toml", outcom="wintered"),
    ):
        with pytest.raises(TypeError, match=r"has no option.*Did you mean") as seen:
            call()
        assert isinstance(seen.value, OptionError)


def test_messages_are_short_and_say_what_is_so(tmp_path):
    with pytest.raises(EnveltError, match="is ignored"):
        Study(pd.DataFrame({"a": [1, 2]}), ignore=["a"])
    with pytest.raises(EnveltError) as seen:
        Study(pd.DataFrame({"a" * 100_000: [1, 2]}), outcome="b" * 100_000)
    assert len(str(seen.value)) < 1_100 > len(seen.value.typed)
    (tmp_path / "deep.toml").write_text("[study]\ndata = " + "[" * 5000 + "]" * 5000)
    with pytest.raises(StudyFileError, match=r"nested too deep|must be a path") as deep:  # by how deep Python may go
        Study(tmp_path / "deep.toml")
    assert len(str(deep.value)) < 1_100


def test_a_folder_that_may_not_be_entered_is_said(tmp_path):
    code = "import os, glob, envelt.data.files; os.setuid(65534)" if os.geteuid() == 0 else ""
    inside = tmp_path / "closed"
    inside.mkdir()
    (inside / "a.csv").write_text("a\n1\n")
    script = (
        f"from envelt import Study\n{code}\ntry:\n Study({str(inside / 'a.csv')!r})\nexcept Exception as e: print(e)"
    )
    inside.chmod(0)
    try:
        done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=False)
    finally:
        inside.chmod(0o700)
    assert "cannot be read: the folder may not be entered" in done.stdout, done.stderr


# 20, 21, 22: growth


def test_levels_beyond_what_a_person_reads_are_joined(tmp_path):
    many = [f"l{i}" for i in range(3_000)] * 2
    frame = pd.DataFrame(
        {"c": [*many, *["large"] * 50], "y": np.resize(Z, 6_050), "z": np.resize(["a", "b", "b"], 6_050)}
    )
    for outcome in ("y", "z"):
        view = Study(frame, outcome=outcome, kinds={"c": "nominal"}).against("c")
        assert "the 500 largest of 3,001 levels" in str(view)
        assert len(view.table) == 501
        assert "large" in view.table.index
        assert "other (2,501 levels)" in view.table.index
        rows = view.table["n"] if "n" in view.table else view.table.sum(axis=1)
        assert rows.sum() == 6_050
        view.save(tmp_path / "page.html")
        assert (tmp_path / "page.html").stat().st_size < 1_000_000


def test_derived_columns_are_made_in_the_order_they_need(tmp_path):
    (tmp_path / "x.csv").write_text(table_of(lambda i: f"{i}.5,{i}"))
    names = [f"d{i}" for i in range(300)]
    made = {n: f"[derived.{n}]\nexpression = '{'a' if i == 0 else f'd{i - 1}'} + 1'\n" for i, n in enumerate(names)}
    shuffled = np.random.default_rng(1).permutation(names)
    (tmp_path / "s.toml").write_text("[study]\ndata = 'x.csv'\n" + "".join(made[n] for n in shuffled))
    assert Study(tmp_path / "s.toml").to_frame()["d299"].tolist() == [i + 300.5 for i in range(60)]
    (tmp_path / "c.toml").write_text(
        "[study]\ndata = 'x.csv'\n[derived.p]\nexpression = 'q + 1'\n[derived.q]\nexpression = 'p + 1'\n"
    )
    with pytest.raises(EnveltError, match="need each other"):
        Study(tmp_path / "c.toml")


def test_a_report_of_very_many_columns_relates_the_best_ranked(tmp_path, monkeypatch):
    monkeypatch.setattr("envelt.steps.report.MOST_TOGETHER", 10)
    rng = np.random.default_rng(2)
    frame = pd.DataFrame(rng.normal(size=(60, 24))).rename(columns=lambda i: f"c{i}")
    frame["y"] = np.where(frame["c7"] + rng.normal(size=60) > 0, "yes", "no")
    Study(frame, outcome="y").report(tmp_path / "r.html")
    text = (tmp_path / "r.html").read_text("utf-8")
    assert "the 10 best-ranked of 24 candidates" in text


@pytest.mark.parametrize("n", [1, 2, 3, 7])
def test_many_equal_columns_are_one_finding(n):
    same = Study(pd.DataFrame({f"c{i}": Z for i in range(30 * n)})).inventory().findings
    assert len([f for f in same if f.code == "same-column"]) == 1
