"""Whole commands: what they print, write and refuse."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pandas as pd
import pytest


@pytest.mark.parametrize(
    "words",
    [
        ("inventory", "demo"),
        ("balance", "demo", "-o", "wintered"),
        ("against", "demo", "mites", "-o", "wintered", "--where", "altitude_m > 300"),
        ("against", "demo", "fed", "-o", "honey_kg", "--unit", "colony"),
        ("against", "demo", "-o", "wintered"),
        ("relations", "demo", "mites", "humidity", "weight_kg", "--by", "fed", "-o", "wintered"),
        ("pairwise", "demo", "mites", "humidity", "-o", "wintered", "--colour", "weight_kg"),
        ("against", "demo", "mites", "-o", "wintered", "--by", "altitude_band,fed", "--picture", "box"),
        ("distribution", "demo", "mites", "--by", "altitude_m", "--scale", "log1p", "--limits", "0,90"),
        ("distribution", "demo", "gain_july,gain_august", "--width", "0.5"),
        ("distribution", "demo", "--sort", "name"),
        ("balance", "demo", "-o", "wintered", "--by", "fed"),
        ("contingency", "demo", "fed,exposure", "wintered", "-o", "wintered", "--by", "altitude_band"),
        ("contingency", "demo", "altitude_m", "--cuts", "300,520", "--largest", "5", "--missing-level"),
        ("rank", "demo", "-o", "wintered", "--kind", "zone=ordinal", "--ignore", "spring_frames"),
        ("rank", "demo", "-o", "honey_kg"),
    ],
)
def test_json_is_the_view_and_nothing_else(run, words):
    status, out, err = run(*words, "--json")
    assert (status, err) == (0, "")
    data = json.loads(out)
    assert data["step"] == words[0]
    assert data["tables"]["table"]


def test_terminal_shows_table_and_findings(run):
    status, out, _ = run("rank", "demo", "-o", "wintered")
    assert status == 0
    first = next(line for line in out.splitlines() if line.lstrip().startswith("spring_frames"))
    assert "stop: known when?" in first
    assert "too-good-to-be-true" in out
    assert "\x1b" not in out


@pytest.mark.parametrize("width", ["60", "80", "110", "200"])
def test_no_number_is_cut_at_any_width(run, width):
    for words in (
        ("rank", "demo", "-o", "honey_kg"),
        ("against", "demo", "mites", "-o", "wintered"),
        ("distribution", "demo", "mites"),
        ("inventory", "demo"),
    ):
        _, brief, _ = run(*words, columns=width)
        assert all(len(line.rstrip()) <= int(width) for line in brief.splitlines())
        _, out, _ = run(*words, "--all", columns=width)
        assert all(len(line.rstrip()) <= int(width) for line in out.splitlines())
        assert "0.3…" not in out
        assert "…" not in "".join(line for line in out.splitlines() if line.startswith(" frames_bees"))
        if words[0] == "distribution":  # on its side where it is too wide
            assert {"n", "missing", "mean", "mode", "skewness", "outliers"} <= set(out.split())
            assert "no room" not in out
        if words[0] == "against":
            assert "specificity" in out


def test_out_saves_by_extension_and_several_columns_get_a_file_each(run):
    status, _, err = run("against", "demo", "mites", "fed", "-o", "wintered", "--out", "a.png", "--out", "a.csv")
    assert status == 0
    assert {p.name for p in Path().iterdir()} == {"a-mites.png", "a-fed.png", "a-mites.csv", "a-fed.csv"}
    assert "Wrote" in err


def test_demo_writes_data_report_and_figures_and_says_what_to_try(run):
    status, out, _ = run("demo")
    assert status == 0
    written = {p.suffix for p in Path("envelt-demo").iterdir()}
    assert {".csv", ".html", ".png"} <= written
    tries = [line.strip() for line in out.splitlines() if line.startswith("  envelt ")]
    assert len(tries) == 3
    for line in tries:
        assert run(*line.split()[1:])[0] == 0


BAD = {
    "no file": (["inventory", "hvies.csv"], "no file"),
    "nearest file": (["inventory", "hvies.csv"], "'hives.csv'"),
    "no column": (["against", "demo", "mite", "-o", "wintered"], "'mites'"),
    "outcome as candidate": (["against", "demo", "wintered", "-o", "wintered"], "outcome itself"),
    "no outcome": (["rank", "demo"], "--outcome"),
    "kind": (["inventory", "demo", "--kind", "zone=nominl"], "'nominal'"),
    "kind without sign": (["inventory", "demo", "--kind", "zone"], "zone=nominal"),
    "kind that cannot hold": (["inventory", "demo", "--kind", "forage=continuous"], "not a number"),
    "where calls": (["rank", "demo", "-o", "wintered", "--where", "exit()"], "calls a function"),
    "folder": (["inventory", "."], "folder"),
    "unwritable": (["inventory", "demo", "--out", "none/x.png"], "no folder"),
    "extension": (["inventory", "demo", "--out", "x.gif"], ".png"),
    "option as typed": (["distribution", "demo", "mites", "--scale", "log"], "use --scale log1p"),
    "kind as typed": (["distribution", "demo", "forage", "--picture", "box"], "--kind forage=continuous"),
    "two options as typed": (
        ["distribution", "demo", "mites", "--by", "fed", "--arrange", "overlaid", "--numbers"],
        "--arrange line or stacked",
    ),
    "residuals of levels": (["against", "demo", "forage", "-o", "honey_kg", "--residuals"], "two numbers"),
    "report extension": (["report", "demo", "-o", "wintered", "--out", "x.pdf"], ".html"),
}


@pytest.mark.parametrize("case", BAD)
def test_errors_are_two_lines_at_most_with_status_2_and_no_file(run, case):
    words, message = BAD[case]
    Path("hives.csv").write_text("a,b\n1,2\n")
    status, out, err = run(*words)
    assert (status, out) == (2, "")
    assert message in err
    assert err.startswith("envelt: ")
    assert len(err.strip().splitlines()) <= 2
    assert "Traceback" not in err
    assert [p.name for p in Path().iterdir()] == ["hives.csv"]


def test_markup_in_data_is_left_alone(run):
    pd.DataFrame({"[red]a": ["[bold]x", "y"] * 30, "y": ["no", "yes", "yes", "no"] * 15}).to_csv("m.csv", index=False)
    _, out, _ = run("against", "m.csv", "[red]a", "-o", "y")
    assert "[red]a" in out
    assert "[bold]x" in out


def test_help_teaches_and_start_is_light():
    heavy = ("matplotlib", "jinja2", "rich", "pyarrow", "pandas")
    script = f"import sys, envelt; print([m for m in {heavy} if m in sys.modules])"
    assert subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout == "[]\n"
    text = subprocess.run([sys.executable, "-m", "envelt", "--help"], capture_output=True, text=True, check=True).stdout
    for step in ("demo", "inventory", "balance", "against", "rank", "report"):
        assert step in text


def test_begin_edit_run_every_command_and_begin_again(run, aside):
    status, out, _ = run("begin", "demo", "--outcome", "wintered")
    assert status == 0
    assert "envelt inventory study.toml" in out
    text = Path("study.toml").read_text()
    text = text.replace(
        '[columns.humidity]\nkind = "continuous"', '[columns.humidity]\nlabel = "Damp"\nunit = "%"\nkind = "continuous"'
    )
    text = text.replace('[columns.zone]\n# kind = "nominal"', '[columns.zone]\nkind = "ordinal"')
    text += '\n[derived.damp]\nexpression = "humidity > 75"\n'
    Path("study.toml").write_text(text)

    def table(*words):
        return json.loads(run(*words, "--json")[1])["tables"]["table"]

    columns = {r["column"]: r for r in table("inventory", "study.toml")}
    assert (columns["zone"]["kind"], columns["humidity"]["label"], columns["humidity"]["unit"]) == (
        "ordinal",
        "Damp",
        "%",
    )
    assert columns["damp"]["kind"] == "binary"
    assert {r["wintered"] for r in table("balance", "study.toml")} == {"no", "yes"}
    ranked = {r["candidate"]: r for r in table("rank", "study.toml", "--ignore", "spring_frames")}
    assert ranked["zone"]["kind"] == "ordinal"
    assert {"damp"} <= set(ranked)
    assert "spring_frames" not in ranked
    assert [r["zone"] for r in table("against", "study.toml", "zone")] == ["101", "204", "307", "310", "412", "518"]
    for words in (("inventory", "study.toml"), ("rank", "study.toml"), ("against", "study.toml", "humidity")):
        assert "Damp (%)" in run(*words)[1]
    assert run("report", "study.toml", *(w for n in aside for w in ("--ignore", n)), "--out", "r.html")[0] == 0
    assert "Damp (%)" in Path("r.html").read_text()
    assert run("rank", "study.toml", "--outcome", "honey_kg", "--where", "fed == 'yes'", "--json")[0] == 0

    status, out, _ = run("begin", "demo", "--outcome", "wintered")
    assert "nothing was changed" in out
    assert Path("study.toml").read_text() == text


def test_begin_says_what_is_new_and_what_is_gone(run):
    frame = pd.DataFrame({"a": range(40), "b": ["u", "v"] * 20, "y": ["no", "yes"] * 20})
    frame.to_csv("t.csv", index=False)
    assert run("begin", "t.csv", "-o", "y")[0] == 0
    frame.rename(columns={"a": "c"}).to_csv("t.csv", index=False)
    _, out, _ = run("begin", "t.csv", "-o", "y")
    assert "c: added to study.toml" in out
    assert "a: marked as vanished in study.toml" in out
    status, _, err = run("rank", "study.toml")
    assert status == 2
    assert "line" in err
    assert "'a'" in err
    status, _, err = run("begin", "t.csv", "--out", "study.yaml")
    assert (status, "TOML" in err) == (2, True)


def test_first_rows_and_a_wide_table_still_read(run):
    draws = np.random.default_rng(0)
    rows = pd.DataFrame(draws.normal(size=(60, 300)), columns=[f"column_{i:03d}" for i in range(300)])
    rows["copy"], rows["again"] = rows["column_007"] * 3, rows["column_007"] - 1
    rows["gaps"] = [None, 1.5] * 30
    rows.to_csv("wide.csv", index=False)
    _, out, _ = run("inventory", "wide.csv", "--rows", "3", "--all")
    lines = out.splitlines()
    assert "263 more rows" in out
    assert "--out FILE.csv" in out
    assert "row 3" in run("inventory", "wide.csv", "--rows", "3")[1]
    assert next(i for i, x in enumerate(lines) if x.startswith(" gaps")) < next(
        i for i, x in enumerate(lines) if "column_000" in x
    )
    assert "row 3" in out
    assert "copy is 3 × column_007 in every row, to within rounding, and 1 more columns" in " ".join(out.split())
    assert len(lines) < 150
