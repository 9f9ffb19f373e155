"""Options of a picture: each changes what is seen or is refused with what to do; none does nothing in silence."""

import hashlib
import io

import numpy as np
import pytest

from envelt import Study
from envelt.errors import EnveltError, OptionError

HIVES = Study("demo", outcome="wintered", unit="colony").where("altitude_m > 1000")
HONEY = Study("demo", outcome="honey_kg", unit="colony").where("altitude_m > 1000")
ASKED = {
    "scale": "log1p", "bins": 7, "width": 3.0, "start": 1.0, "measure": "density", "arrange": "stacked",
    "bandwidth": 2.0,
    "numbers": True, "normal": True, "curve": True, "whiskers": "ends",
    "box": True, "limits": (5, 20), "calendar": "year", "residuals": True, "ranks": True,
    "deviation": True, "size": 2.0, "upright": True,
}  # fmt: skip
LOOKED_AT = {
    "a number": lambda **look: HIVES.distribution("mites", **look),
    "groups of a number": lambda **look: HIVES.distribution("mites", by="fed", **look),
    "its density": lambda **look: HIVES.distribution("mites", **{"picture": "density"} | look),
    "dates": lambda **look: HIVES.distribution("hived_on", **look),
    "levels": lambda **look: HIVES.distribution("hive_type", **look),
    "a number and classes": lambda **look: HIVES.against("mites", **look),
    "levels and classes": lambda **look: HIVES.against("fed", **look),
    "dates and classes": lambda **look: HIVES.against("hived_on", **look),
    "two numbers": lambda **look: HONEY.against("weight_kg", **look),
    "levels and a number": lambda **look: HONEY.against("fed", **look),
    "a number over time": lambda **look: HONEY.against("hived_on", **look),
}
SHOWN_ANYWAY = {("levels", "numbers")}


def seen(view):
    """Return what a person sees: the picture's points, and the tables."""
    out = io.BytesIO()
    view.draw().savefig(out, format="png", dpi=25)
    return hashlib.sha256(out.getvalue()).hexdigest(), view.to_dict()["tables"]


@pytest.mark.parametrize("name", LOOKED_AT)
def test_an_option_changes_what_is_seen_or_is_refused(name):
    look, plain = LOOKED_AT[name], None
    refused = 0
    for option, value in ASKED.items():
        try:
            view = look(**{option: value})
        except OptionError:
            refused += 1
            continue
        plain = plain or seen(look())
        assert (name, option) in SHOWN_ANYWAY or seen(view) != plain, option
    assert refused >= 1


def test_what_does_nothing_is_named_with_what_it_belongs_to():
    for ask, said in (
        (lambda: HIVES.distribution("mites", picture="box", bins=7), "bins belongs to picture='histogram', not to box"),
        (lambda: HIVES.distribution("mites", arrange="stacked"), "name a column in by"),
        (lambda: HIVES.against("fed", bins=7), "rates"),
        (lambda: HIVES.pairwise("mites", "humidity", colour="altitude_m", panels=True), "panels, or colour"),
    ):  # fmt: skip
        with pytest.raises(EnveltError, match=said):
            ask()


def test_several_candidates_are_several_views_as_at_the_command_line(run):
    views = HIVES.against("mites", "fed")
    assert [v.title for v in views] == [HIVES.against(n).title for n in ("mites", "fed")]
    assert [v.title for v in HIVES.against(["mites", "fed"])] == [v.title for v in views]
    assert len(HIVES.against(["mites"])) == 1
    out = run("against", "demo", "mites", "fed", "-o", "wintered")[1]
    assert all(v.title in out for v in Study("demo", outcome="wintered").against("mites", "fed"))


def test_a_study_file_of_other_data_is_not_brought_up_to_date(run, tmp_path):
    (tmp_path / "one.csv").write_text("a,b\n1,2\n3,4\n")
    (tmp_path / "two.csv").write_text("a,b\n1,2\n3,4\n")
    assert run("begin", "one.csv")[0] == 0
    before = (tmp_path / "study.toml").read_text()
    status, _, err = run("begin", "two.csv")
    assert (status, "study of other data (one.csv)" in err, "--out" in err) == (2, True, True), err
    assert (tmp_path / "study.toml").read_text() == before
    assert run("begin", "one.csv")[0] == 0
    assert run("begin", "two.csv", "--out", "two.toml")[0] == 0
    (tmp_path / "year").mkdir()
    (tmp_path / "year" / "three.csv").write_text("a,b\n1,2\n3,4\n")
    for _ in range(2):  # a pattern with folders is its own data, too
        assert run("begin", "y*/*.csv", "--out", "years.toml")[0] == 0
    (tmp_path / "year" / "three.csv").unlink()
    assert "study of other data" in run("begin", "one.csv", "--out", "years.toml")[2]


@pytest.mark.parametrize("of", ["row", "column", "all"])
@pytest.mark.parametrize("picture", ["bars", "cells", "shares", "stacked", "mosaic"])
def test_a_picture_of_a_table_writes_the_shares_that_were_asked_for(of, picture):
    view = HIVES.contingency("hive_type", "forage", shares=of, picture=picture)
    axes = view.draw().axes[0]
    shares, counts = view.shares(of).to_numpy().ravel(), view.table.to_numpy().ravel()
    there = {
        (int(n), f"{s:.0%}" if picture != "bars" else f"{100 * s:.1f}%") for n, s in zip(counts, shares, strict=True)
    }
    texts = [t.get_text().replace("(", "").replace(")", "").split() for t in axes.texts]
    seen = [(w[0], w[1]) if "%" in w[1] else (w[1], w[0]) for w in texts if len(w) == 2 and any("%" in v for v in w)]
    written = {(int(n.replace(",", "")), s) for n, s in seen if n.replace(",", "").isdigit()}
    assert len(written) >= 4
    assert {(n, float(s.rstrip("%"))) for n, s in written} <= {(n, float(s.rstrip("%"))) for n, s in there}
    if of == "column" and picture == "shares":
        assert [t.get_text() for t in axes.get_yticklabels()] == [str(c) for c in view.table.columns]


def test_shares_that_a_picture_has_not_are_refused():
    for options in ({"picture": "rates", "shares": "all"}, {"picture": "mosaic", "shares": "column", "by": "exposure"}):
        with pytest.raises(OptionError, match="cells"):
            HIVES.contingency("fed", "wintered", **options)
    assert "drawn as shares" in HIVES.contingency("fed", "wintered", shares="all").draw().alternative


def test_whiskers_reach_as_far_as_was_asked_and_a_curve_has_the_area_of_the_bars():
    ordered = np.sort(HIVES.to_frame()["mites"].dropna())
    for whiskers, shares in (("ends", (0, 1)), ((5, 95), (0.05, 0.95))):
        axes = HIVES.distribution("mites", whiskers=whiskers).draw().axes[0]
        drawn = np.concatenate([line.get_xdata() for line in axes.lines[:2]])
        assert [drawn.min(), drawn.max()] == pytest.approx(list(np.quantile(ordered, shares)))
    for wrong in ("end", (95, 5), (5,), (-1, 50), "5"):
        with pytest.raises(OptionError, match="whiskers"):
            HIVES.distribution("mites", whiskers=wrong)
    for measure in ("count", "share", "density"):
        axes = HIVES.distribution("wing_mm", curve=True, measure=measure).draw().axes[0]
        (curve,) = (line for line in axes.lines if len(line.get_xdata()) > 100)
        bars = sum(p.get_width() * p.get_height() for p in axes.patches)
        assert np.trapezoid(curve.get_ydata(), curve.get_xdata()) == pytest.approx(bars, rel=0.06)


def test_boxes_and_curves_are_asked_for_at_the_command_line(run):
    for words in (("--whiskers", "5,95"), ("--whiskers", "ends"), ("--curve",), ("--curve", "--bandwidth", "2")):
        status, _, err = run("distribution", "demo", "mites", *words, "--out", "mites.png")
        assert (status, "Wrote mites.png" in err) == (0, True), err
    assert "--whiskers takes numbers" in run("distribution", "demo", "mites", "--whiskers", "5,x")[2]
    assert "fences, ends" in run("distribution", "demo", "mites", "--whiskers", "far")[2]
