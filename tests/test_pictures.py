"""Pictures: right size, nothing cut, readable with any colour sight, bars from zero."""

import itertools

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.draw.parts import style

# Machado, Oliveira & Fernandes (2009), severity 1.0, on linear RGB
SIGHT = {
    "normal": np.eye(3),
    "protanopia": [
        [0.152286, 1.052583, -0.204868],
        [0.114503, 0.786281, 0.099216],
        [-0.003882, -0.048116, 1.051998],
    ],
    "deuteranopia": [
        [0.367322, 0.860646, -0.227968],
        [0.280085, 0.672501, 0.047413],
        [-0.011820, 0.042940, 0.968881],
    ],
    "tritanopia": [
        [1.255528, -0.076749, -0.178779],
        [-0.078411, 0.930809, 0.147602],
        [0.004733, 0.691367, 0.303900],
    ],
}
XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)


def lab(colour, sight):
    c = np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255
    linear = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
    xyz = XYZ @ np.clip(np.array(SIGHT[sight]) @ linear, 0, 1) / [0.95047, 1, 1.08883]
    f = np.where(xyz > 0.008856, np.cbrt(xyz), 7.787 * xyz + 16 / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


@pytest.mark.parametrize("sight", SIGHT)
def test_palette_can_be_told_apart(sight):
    for a, b in itertools.combinations(style.PALETTE, 2):
        assert np.linalg.norm(lab(a, sight) - lab(b, sight)) > 20, (a, b)


LONG = "an_extraordinarily_long_column_name_that_goes_on"


def long_levels():
    rng = np.random.default_rng(0)
    names = [f"a very long name of a place beyond the hills, number {i}" for i in range(400)]
    n = 4000
    return pd.DataFrame(
        {
            "place": rng.choice(names, n),
            LONG: rng.lognormal(3, 2, n),
            "huge": rng.normal(size=n) * 1e12,
            "y": rng.choice(["a class with a long name, too", "b", "c"], n),
            "z": rng.normal(size=n),
        }
    )


CASES = {
    **{f"wintered {s}": ("demo", "wintered", s) for s in ("inventory", "balance", "rank", "against mites",
                                                           "against apiary",
                                                           "against fed", "against inspected_on")},
    **{f"honey {s}": ("demo", "honey_kg", s) for s in ("balance", "rank", "against forage", "against humidity")},
    **{f"state {s}": ("demo", "colony_state", s) for s in ("balance", "against sound_b03", "against forage")},
    **{f"long {s}": (None, "y", s) for s in ("inventory", "balance", "rank", "against place", "against huge")},
    "long column": (None, "y", f"against {LONG}"),
    "long number": (None, "z", "against place"),
    **{f"honey {s}": ("demo", "honey_kg", s) for s in ("against inspected_on", "against frames_bees by fed",
                                                        "against", "against apiary")},
    **{f"wintered {s}": ("demo", "wintered", s) for s in ("against", "against mites by altitude_band",
                                                          "distribution", "distribution apiary",
                                                          "distribution inspected_on by wintered",
                                                          "distribution forage by hive_type",
                                                          "contingency fed wintered", "contingency apiary forage",
                                                          "balance by fed")},
    **{f"{p} {c} by {by}": (None, "y", f"distribution {c} by {by} {p}")
       for p in ("histogram", "density", "box", "violin", "dots", "qq", "interval", "cumulative")
       for c, by in (("z", "y"), ("huge", "place"))},
    **{f"{a} on a log scale": (None, "y", f"distribution {LONG} by y histogram {a} log")
       for a in ("line", "overlaid", "stacked", "shares")},
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_pictures_are_of_the_right_size_and_no_text_is_cut_or_collides(case, wintered, honey, state):
    data, outcome, step = CASES[case]
    known = {"wintered": wintered, "honey_kg": honey, "colony_state": state}
    study = known[outcome] if data else Study(long_levels(), outcome=outcome)
    name, *words = step.split()
    columns, _, rest = " ".join(["", *words]).partition(" by ")
    look = dict(zip(("by", "picture", "arrange", "scale"), rest.split(), strict=False))
    figure = getattr(study, name)(*columns.split(), **look).draw()
    width, height = figure.get_size_inches() * figure.dpi
    few = name in ("against", "contingency", "balance") and 400 < height < 800  # two bars fill no page
    assert width == 1280
    assert height == pytest.approx(800) or few or step == "distribution"
    assert len(figure.alternative) > 40
    figure.canvas.draw()
    renderer = figure.canvas.get_renderer()
    beyond = set(undrawn(figure))
    for text in figure.findobj(match=lambda a: hasattr(a, "get_text") and a.get_visible() and a.get_text().strip()):
        box = text.get_window_extent(renderer)
        inside = box.x0 >= -1 and box.y0 >= -1 and box.x1 <= 1281 and box.y1 <= height + 1
        assert inside or id(text) in beyond, text.get_text()
    drawn = figure.findobj(match=lambda a: hasattr(a, "get_text") and a.get_visible() and a.get_text().strip(" ■\n"))
    boxes = [(t.get_text(), t.get_window_extent(renderer)) for t in drawn if id(t) not in beyond]
    # a text that begins with an empty line leaves it to the one above
    boxes = [(text, box) for text, box in boxes if not text.startswith("\n")]
    for (one, a), (other, b) in itertools.combinations(boxes, 2):
        apart = min(a.x1, b.x1) - max(a.x0, b.x0) < 2 or min(a.y1, b.y1) - max(a.y0, b.y0) < 2
        assert apart, (one, other)
    for axes in figure.axes:
        labels = [t.get_text() for t in axes.get_yticklabels() if id(t) not in beyond and t.get_text()]
        assert len(set(labels)) == len(labels)  # cut, and still told apart
        if axes.patches and any(p.get_height() > 0 for p in axes.patches if hasattr(p, "get_height")):
            assert axes.get_ylim()[0] <= 0 or axes.get_xlim()[0] <= 0


def undrawn(figure):
    """Labels of ticks beyond the limits exist and are not drawn."""
    for axis in (axis for axes in figure.axes for axis in (axes.xaxis, axes.yaxis)):
        low, high = sorted(axis.get_view_interval())
        for tick in [*axis.majorTicks, *axis.minorTicks]:
            if not low <= tick.get_loc() <= high:
                yield from (id(tick.label1), id(tick.label2))


def test_the_same_class_has_the_same_colour_everywhere(wintered):
    from matplotlib.colors import to_hex

    bars = wintered.balance().draw().axes[0].patches
    in_balance = {round(b.get_width()): to_hex(b.get_facecolor()) for b in bars}
    assert in_balance == {666: style.PALETTE[0], 2310: style.PALETTE[1]}
    panels = wintered.against("mites").draw().axes[1:]
    assert [to_hex(a.patches[0].get_facecolor()) for a in panels] == [style.PALETTE[1], style.PALETTE[0]]


def test_dots_of_few_rows_are_large_and_their_margins_show_each():
    r = np.random.default_rng(0)
    sizes = {}
    for n in (6, 30, 2_000):
        frame = pd.DataFrame({"x": r.normal(size=n), "y": r.normal(size=n)})
        study = Study(frame, outcome="y")
        dots = [k for k in study.against("x").draw().axes[0].lines if k.get_marker() == "o"]
        sizes[n] = dots[0].get_markersize() if dots else 0
        figure = study.pairwise("x", "y").draw()
        assert any(len(a.collections) == 1 and not a.patches for a in figure.axes[1:]) == (n <= 40)
        one = study.distribution("x", picture="dots").draw().axes[0]
        sizes[n, "dots"] = next(k.get_markersize() for k in one.lines if k.get_marker() == "o")
    assert sizes[6] > 9 > sizes[30] > 6
    assert sizes[6, "dots"] > 10 > sizes[2_000, "dots"]
    large = Study(frame[:100], outcome="y").against("x", size=2).draw().axes[0]
    usual = Study(frame[:100], outcome="y").against("x").draw().axes[0]
    assert large.lines[0].get_markersize() == pytest.approx(2 * usual.lines[0].get_markersize())


@pytest.mark.parametrize("picture", ["box", "violin", "dots"])
@pytest.mark.parametrize("scale", ["linear", "log1p"])
def test_a_mark_of_the_mean_and_a_deviation_is_where_they_are(wintered, picture, scale):
    view = wintered.distribution("mites", by="fed", picture=picture, scale=scale, deviation=True)
    marks = [k for k in view.draw().axes[0].lines if k.get_marker() == "D"]
    place = np.log10 if scale == "log" else (lambda v: np.log10(1 + v)) if scale == "log1p" else (lambda v: v)
    assert sorted(k.get_xdata()[0] for k in marks) == pytest.approx(sorted(place(view.table["mean"])))
    ends = [k.get_xdata() for k in view.draw().axes[0].lines if k.get_marker() == "|" and len(k.get_xdata()) == 2]
    assert len(ends) == 2
    want = place(view.table["mean"] + view.table["sd"])
    assert sorted(e[1] for e in ends) == pytest.approx(sorted(want))
