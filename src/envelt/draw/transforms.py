"""Before and after: small histograms, and under each its quantiles against the normal's."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from ..core.transforms.compare import Compared, Seen
from ..core.transforms.suggest import Suggestion
from ..core.words import be, plural
from ..write.digits import measured, places, significant
from .parts import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from .parts.canvas import Canvas, Page

MOST = 6
MOST_COLUMNS = 15
ACROSS = 3
BEFORE, AFTER, OTHER = style.PALETTE[5], style.PALETTE[0], style.QUIET
REACH = 4.0
"""Standard deviations shown on either side of a Q–Q line."""


def draw_transforms(compared: Compared, suggestion: Suggestion, page: Page) -> Figure:
    """Draw a column of pictures a transform: as it is, the suggested one, then the nearest to normal."""
    usable = [s for s in compared.usable if len(s.edges)]
    rest = [s for s in usable if s.name not in ("as_is", suggestion.name)]
    first = [compared.seen[n] for n in dict.fromkeys(("as_is", suggestion.name)) if len(compared.seen[n].edges)]
    shown = first + sorted(rest, key=lambda s: s.distance)[: MOST - len(first)]
    hidden = [s.name for s in usable if s not in shown]
    left_out = f" Not drawn, further from normal: {', '.join(hidden)}." if hidden else ""
    note = (
        "Below: quantiles against the normal's; on the line, normal. Rows beyond the ends are in the end bars; a Q–Q "
        f"line beyond ±4 deviations is cut.{left_out}"
    )
    with style.house_style():
        canvas = page.begin(note)
        width = (style.WIDTH - 92) / max(len(shown), 4)
        for k, seen in enumerate(shown):
            left, right = 64 + k * width + 8, style.WIDTH - 64 - (k + 1) * width + 8
            marked = seen.name == suggestion.name
            colour = AFTER if marked else BEFORE if seen.name == "as_is" else OTHER
            above = canvas.place(left, 172, right, 400)
            _histogram(above, seen, colour)
            _head(above, seen, marked)
            below = canvas.place(left, 446, right, 84)
            _against_normal(below, compared, seen, colour, k == 0)
        told = "; ".join(f"{s.name} skewness {places(s.skewness, 2)}, distance {places(s.distance)}" for s in shown)
        return canvas.describe(f"Transforms of {compared.name}, suggested {suggestion.name}. {told}.")


def _head(axes: Axes, seen: Seen, marked: bool) -> None:
    parameter = seen.transform.parameter if seen.transform is not None else np.nan
    name = seen.name + (f" ({significant(parameter, 3)})" if parameter == parameter else "")
    what = (
        "leave it" if marked and seen.name == "as_is" else "suggested" if marked else "before" * (seen.name == "as_is")
    )
    spot: dict[str, Any] = {"xy": (0, 1), "xycoords": "axes fraction", "textcoords": "offset points", "va": "bottom"}
    colour = AFTER if marked else style.INK
    axes.annotate(name, xytext=(0, 29), size=11, weight="bold" if marked else "normal", color=colour, **spot)
    axes.annotate(what, xytext=(0, 44), size=9.5, color=colour if marked else style.DIM, **spot)
    numbers = f"skewness {places(seen.skewness, 2)}\nfrom normal {places(seen.distance, 3)}"
    axes.annotate(numbers, xytext=(0, 3), size=8.5, color=style.DIM, **spot)


def _histogram(axes: Axes, seen: Seen, colour: str) -> None:
    axes.stairs(seen.counts, seen.edges, fill=True, color=colour, alpha=0.85)
    axes.set_xlim(seen.edges[0], seen.edges[-1])
    axes.set_ylim(0, float(seen.counts.max()) * 1.05)
    axes.set_yticks([])
    style.bare(axes, "left")
    low, high = float(seen.edges[0]), float(seen.edges[-1])
    axes.set_xticks([])
    for x, value, ha in ((0, low, "left"), (1, high, "right")):
        text = significant(float(f"{value:.4g}"))
        axes.text(x, -0.03, text, size=8.5, color=style.DIM, ha=ha, va="top", transform=axes.transAxes)


def _against_normal(axes: Axes, compared: Compared, seen: Seen, colour: str, first: bool) -> None:
    z, q = compared.normal, np.clip(seen.quantiles, -REACH, REACH)
    axes.plot([-3, 3], [-3, 3], color=style.LINE, lw=1.4, zorder=1)
    axes.plot(z, q, color=colour, lw=2.4, zorder=2)
    axes.set_xlim(-3, 3)
    axes.set_ylim(-REACH, REACH)
    axes.set_xticks([-2, 0, 2])
    axes.set_yticks([-2, 0, 2] if first else [])
    axes.tick_params(labelsize=8.5)
    if first:
        axes.set_ylabel("deviations of the sample", size=9, labelpad=0)
    axes.set_xlabel("of the normal", size=8.5, labelpad=2)


def draw_transforms_sheet(judged: Sequence[tuple[str, Compared, Suggestion]], page: Page) -> Figure:
    """Draw two small histograms and a Q–Q line a column: before, and after the suggested transform."""
    shown = [j for j in judged if len(j[1].seen["as_is"].edges)][:MOST_COLUMNS]
    hidden = len(judged) - len(shown)
    more = f" {plural(hidden, 'column')} more {be(hidden)} in the table." if hidden else ""
    note = (
        "Grey: as it is. Blue: after the transform suggested; no blue where it is best left. Right: quantiles against "
        f"the normal's, a line where it is normal.{more}"
    )
    down = max(2, -(-len(shown) // ACROSS))
    with style.house_style():
        canvas = page.begin(note)
        width, each = (style.WIDTH - 40) / ACROSS, min((style.HEIGHT - 150) / down, 220.0)
        for k, (name, compared, suggestion) in enumerate(shown):
            left, top = 28 + (k % ACROSS) * width, 92 + (k // ACROSS) * each
            _one(canvas, name, compared, suggestion, left, top, width - 24, each)
        told = "; ".join(f"{name}: {s.name}" for name, _, s in shown)
        return canvas.describe(f"Transforms suggested for {plural(len(shown), 'column')}: {told[:600]}.")


def _one(canvas: Canvas, name: str, compared: Compared, suggestion: Suggestion, left: float, top: float, width: float,
         each: float) -> None:  # fmt: skip
    before, after = compared.seen["as_is"], compared.seen[suggestion.name]
    part = width / 3
    boxes = []
    for i in range(3):
        start = left + i * part
        boxes.append(
            canvas.place(start, top + 38, style.WIDTH - start - part + 12, style.HEIGHT - top - each + 26
            )
        )  # fmt: skip
    _histogram(boxes[0], before, BEFORE)
    changed = suggestion.name != "as_is" and len(after.edges) > 0
    if changed:
        _histogram(boxes[1], after, AFTER)
    else:
        boxes[1].set_axis_off()
    _lines(boxes[2], compared, before, after if changed else None)
    spot: dict[str, Any] = {"xy": (0, 1), "xycoords": "axes fraction", "textcoords": "offset points", "va": "bottom"}
    boxes[0].annotate(style.shorten(name, 26), xytext=(0, 13), size=10.5, weight="bold", **spot)
    boxes[0].annotate(f"skewness {measured(before.skewness)}", xytext=(0, 2), size=8, color=style.DIM, **spot)
    if changed:
        said, colour = f"{suggestion.name}", AFTER
        boxes[1].annotate(f"skewness {measured(after.skewness)}", xytext=(0, 2), size=8, color=style.DIM, **spot)
    else:
        said, colour = "leave it", style.DIM
    boxes[2].annotate(said, xytext=(0, 2), size=10, color=colour, weight="bold" if changed else "normal", **spot)


def _lines(axes: Axes, compared: Compared, before: Seen, after: Seen | None) -> None:
    z = compared.normal
    axes.plot([-3, 3], [-3, 3], color=style.LINE, lw=1.2, zorder=1)
    axes.plot(z, np.clip(before.quantiles, -REACH, REACH), color=BEFORE, lw=1.4, zorder=2)
    if after is not None:
        axes.plot(z, np.clip(after.quantiles, -REACH, REACH), color=AFTER, lw=2, zorder=3)
    axes.set_xlim(-3, 3)
    axes.set_ylim(-REACH, REACH)
    axes.set_xticks([])
    axes.set_yticks([])
