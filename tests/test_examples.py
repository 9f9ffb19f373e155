"""The examples and the guide: they run as a new user would run them, and say what they are about."""

import contextlib
import io
import re
import runpy
import shlex
import subprocess
import sys
from pathlib import Path

import pandas as pd
import pytest

from envelt.cli.app import app

ROOT = Path(__file__).parents[1]
EXAMPLES = sorted((ROOT / "examples").glob("*.py"))
SAYS = {
    "against": ["an optimum in the middle", "honey_kg along weight_kg: linear", "shrunken_mean"],
    "balance": ["right in 77.6%", r"high +0.304 +0.696"],
    "begin": ["queen_line: nominal", "brood_temp: continuous, 87 missing", "colony is the case"],
    "contingency": [r"no +222 +923", "it turns round"],
    "data_frame": ["an optimum in the middle", r"feed_l +0\.6", "The study's own is as it was: 0.6"],
    "distribution": ["multiples of 5", "long right tail", "more than one peak, near 4.92, 5.36"],
    "embed": ["trustworthiness", r"queenless +\d+ +0\.9"],
    "inventory": ["codes of one width", "mean of 31.1 with -99 as a temperature, and of 35.0 without"],
    "other_shapes": [r"skep +80 +30 +0\.375", "counting apiary", r"autumn-2024.csv +0\.2"],
    "pairwise": ["Every pair of 6 columns", r"weight_kg +honey_kg +pearson"],
    "prepare": ["names cases", "2,250 training and 750 later rows", "0 missing values"],
    "rank": ["stop: spring_frames alone removes 90%", r"record +-?0\.0"],
    "relations": [r"\[weight_kg, weight_lb\]", "it turns round", "the same mean"],
    "report": ["nothing fetched", r"\| yes \| 2,310 \| 77.6% \|"],
    "rows": [r"18 of 3,000 rows \(0.6%\)", "at='1034'", r"\{1034: 164.2\}"],
    "series": ["more often later in hived_on", "8 months of 16 have no row", "2024': 428"],
    "transforms": ["mites: log1p", "values at zero", "it has two peaks"],
    "whole_study": ["What the 58 columns are", "Left out: spring_frames", "599 later rows"],
}
WRITES = {
    "against": 3, "balance": 3, "begin": 2, "contingency": 3, "data_frame": 1, "distribution": 5, "embed": 2,
    "inventory": 2, "other_shapes": 4, "pairwise": 4, "prepare": 3, "rank": 2, "relations": 2, "report": 3, "rows": 2,
    "series": 3, "transforms": 3, "whole_study": 14,
}  # fmt: skip


def as_a_command(command, tmp_path):
    """Run a script in a process of its own; gives what it printed."""
    done = subprocess.run([sys.executable, "-W", "error", *command], cwd=tmp_path, capture_output=True, text=True,
                          timeout=300, check=False)  # fmt: skip
    assert (done.returncode, done.stderr) == (0, ""), done.stderr
    return done.stdout


@pytest.mark.parametrize("script", EXAMPLES, ids=lambda p: p.stem)
def test_an_example_runs_from_anywhere_and_says_what_it_is_about(tmp_path, monkeypatch, capsys, script):
    copied = tmp_path / script.name
    copied.write_bytes(script.read_bytes())
    out = tmp_path / "a folder"
    if script.stem == "begin":
        printed = as_a_command([str(copied), str(out)], tmp_path)
    else:  # in this process, which has loaded everything
        monkeypatch.chdir(tmp_path)
        monkeypatch.setattr(sys, "argv", [str(copied), str(out)])
        runpy.run_path(str(copied), run_name="__main__")
        printed, err = capsys.readouterr()
        assert err == ""
    for said in SAYS[script.stem]:
        assert re.search(said, printed), (said, printed)
    written = sorted(out.iterdir())
    assert len(written) == WRITES[script.stem]
    assert str(out) in printed
    for path in written:
        assert path.stat().st_size > 50
        if path.suffix == ".png":
            assert path.read_bytes().startswith(b"\x89PNG")
    assert set(tmp_path.iterdir()) == {copied, out}


def test_examples_are_short_and_one_a_step():
    steps = {"begin", "inventory", "balance", "distribution", "against", "contingency", "relations", "pairwise", "rows"}
    steps |= {"series", "transforms", "embed", "rank", "prepare", "report", "whole_study"}
    assert steps < {p.stem for p in EXAMPLES} == set(SAYS) == set(WRITES)
    for script in EXAMPLES:
        assert 20 <= len(script.read_text().splitlines()) <= 52, script
    whole = "".join(p.read_text() for p in EXAMPLES)
    assert whole.count('"honey_kg"') >= 4


GUIDE = (ROOT / "docs" / "guide.md").read_text("utf-8")
BLOCKS = re.findall(r"```python\n(.*?)```\n(?:\n```text\n(.*?)```\n)?", GUIDE, re.DOTALL)
COMMANDS = [line for block in re.findall(r"```sh\n(.*?)```", GUIDE, re.DOTALL) for line in block.splitlines()]


def run_blocks(folder, blocks):
    """Run blocks of the guide one after another; gives what each printed."""
    names, printed = {}, []
    with contextlib.chdir(folder), pd.option_context("display.width", 80):
        for block, _ in blocks:
            out = io.StringIO()
            with contextlib.redirect_stdout(out):
                exec(compile(block, "guide.md", "exec"), names)
            printed.append("".join(f"{line.rstrip()}\n" for line in out.getvalue().splitlines()))
    return printed


def test_the_guide_prints_what_it_says(tmp_path):
    assert len(BLOCKS) > 20
    for (block, expected), out in zip(BLOCKS, run_blocks(tmp_path, BLOCKS), strict=True):
        assert out == expected, block


def test_the_commands_of_the_guide_do_what_it_does(tmp_path, run):
    run_blocks(tmp_path, BLOCKS[:2])  # hives.csv and study.toml
    for line in COMMANDS:
        assert line.startswith("envelt ")
        status, out, err = run(
            *shlex.split(line)[1:],
        )
        assert status == 0, (line, err)
        assert out or "Wrote" in err
    assert "report" in GUIDE
    steps = {c.name or c.callback.__name__ for c in app.registered_commands}
    shown = {line.split()[1] for line in COMMANDS} | {"report", "demo"}
    assert steps <= shown


def test_the_guide_and_the_readme_lead_to_what_is_there():
    for page in (ROOT / "README.md", ROOT / "docs" / "guide.md"):
        for link in re.findall(r"\]\(([^)#]+)\)", page.read_text("utf-8")):
            assert (page.parent / link).exists(), (page.name, link)
    readme = (ROOT / "README.md").read_text("utf-8")
    assert "docs/guide.md" in readme
    assert "examples/" in readme
    assert len(list((ROOT / "docs" / "screenshots").iterdir())) < 20
