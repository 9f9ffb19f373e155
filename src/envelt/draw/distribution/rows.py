"""One row a group on one axis: boxes, violins, dots, means with intervals."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...core.distribution.chosen import MOST_AS_ROWS, NAMED
from ...core.distribution.distribution import NumberDistribution
from ...core.shapes.dots import MOST_DOTS, fitted_dots
from ...core.shapes.resolution import recorded_step
from ...core.words import plural
from ...write.digits import count, day_label, in_line, significant
from ..parts import style
from ..parts.board import Board
from ..parts.groups import group_colour, group_label, shown_groups
from ..parts.intervals import Row, interval_rows
from ..parts.labels import margin
from ..parts.values_axis import set_values_axis

if TYPE_CHECKING:
    from ..parts.canvas import Canvas, Page

Floats = NDArray[np.float64]
NAMED_OUTLIERS = 8
"""So few outliers of a group are named by their rows."""
MOST_POINTS = 400
"""Outliers of a group that are drawn: of more the furthest half of so many, and others evenly."""
TOP, BOTTOM = 118, 88
MARGIN = 0.03
"""Of the range of the values, on either side of them."""


def _frame(canvas: Canvas, result: NumberDistribution, order: list[int]) -> Board:
    labels = [group_label(result, i, 999) for i in order]
    upright = result.look.upright
    place = (110, TOP + 26, 60, BOTTOM + 42) if upright else (margin(labels), TOP, 150, BOTTOM)
    board = Board(canvas.place(*place), upright)
    board.name_places(labels, 11 if len(order) <= 20 else 9.5 if len(order) <= 26 else 8.5)
    board.values.grid(visible=True)
    return board


def _finish(board: Board, result: NumberDistribution, order: list[int]) -> None:
    ends = np.array([result.ends(i) for i in order if result.summary.moments.n[i]])
    low, high = float(ends[:, 0].min()), float(ends[:, 1].max())
    if result.look.limits is not None:
        low, high = (float(v) for v in result.scale.place(np.array(result.look.limits)))
    else:
        margin = MARGIN * (high - low) or 0.5
        low, high = low - margin, high + margin
    board.set_ends(low, high)
    set_values_axis(board.axes, result.name, result.scale, result.dates, board.upright)
    # a box does not show n
    board.counts([count(result.summary.moments.n[i]) for i in order], 10.5 if len(order) <= 20 else 9)


def _box(board: Board, result: NumberDistribution, i: int, y: float, height: float, filled: bool = True) -> None:
    """Draw quartiles, median, whiskers, and the mean as a dot."""
    ordered, scale = result.summary.ordered[i], result.scale
    if not len(ordered):
        return
    colour = group_colour(result, i)
    asked = result.look.whiskers
    if asked == "fences":
        fences = result.summary.fences[i]
        inside = ordered.at(np.array([ordered.below(fences)[0], ordered.below(fences, "right")[1] - 1]))
    else:
        inside = ordered.quantiles(np.array((0, 100) if isinstance(asked, str) else asked) / 100)
    q1, median, q3 = scale.place(result.summary.quartiles[i])
    ends = scale.place(inside)
    mean = float(scale.place(result.summary.moments.mean[i : i + 1])[0])
    board.line([ends[0], q1], [y, y], color=style.INK, lw=1.2)
    board.line([q3, ends[1]], [y, y], color=style.INK, lw=1.2)
    face = colour if filled else "none"
    board.bar(y, q3 - q1, height, q1, color=face, alpha=0.6 if filled else 1, edgecolor=style.INK, lw=1.1)
    board.line([median] * 2, [y - height / 2, y + height / 2], color=style.INK, lw=2.4, solid_capstyle="butt")
    board.line([mean], [y], "o", color="white", mec=style.INK, ms=6.5, zorder=4)


def _deviation(board: Board, result: NumberDistribution, i: int, y: float) -> None:
    """Draw the mean and a standard deviation to either side, where that was asked for; cut where no scale has it."""
    if not result.look.deviation or result.summary.moments.n[i] < 2:
        return
    mean, sd = float(result.summary.moments.mean[i]), float(result.summary.moments.sd[i])
    least = {"log": np.exp2(-1000.0), "log1p": 0.0}.get(result.scale.name, -np.inf)
    low, middle, high = result.scale.place(np.array([max(mean - sd, least), mean, mean + sd]))
    at = y + 0.34
    board.line([low, high], [at, at], color=style.INK, lw=1.6)
    board.line([low, high], [at, at], "|", color=style.INK, ms=9, mew=1.6)
    board.line([middle], [at], "D", color=style.INK, ms=6, mec="white", mew=0.8)


def _spread_note(result: NumberDistribution) -> str:
    where = "Beside" if result.look.upright else "Below"
    return f" {where} each: the mean, and a standard deviation to either side." if result.look.deviation else ""


def _reach(result: NumberDistribution) -> str:
    """Say how far whiskers go."""
    asked = result.look.whiskers
    if isinstance(asked, str):
        return {"fences": "to the last value within 1.5 box lengths", "ends": "to the ends"}[asked]
    return f"from the {asked[0]:g}th to the {asked[1]:g}th percentile, and nothing drawn beyond"


def draw_boxes(result: NumberDistribution, page: Page) -> Canvas:
    """Draw one box a group, outliers as points, named where they are few."""
    shown = shown_groups(result, MOST_AS_ROWS, by_middle=True)
    note = (
        f"{shown.note}Box: middle half and median; whiskers: {_reach(result)}; ring: mean. A "
        "box hides the number of rows and a second peak."
    ) + _spread_note(result)
    fenced = result.look.whiskers == "fences"
    hidden = sum(max(0, int(np.sum(result.outliers.groups == i)) - MOST_POINTS) for i in shown.order)
    if hidden and fenced:
        note += f" Not drawn: {plural(hidden, 'outlier')}; of each group the furthest are, and others evenly."
    canvas = page.begin(note)
    board = _frame(canvas, result, shown.order)
    height = 0.5 if len(shown.order) > 1 else 0.4
    for k, i in enumerate(shown.order):
        _box(board, result, i, k, height)
        _deviation(board, result, i, k)
        if fenced:
            _outlier_points(board, result, i, k)
    _finish(board, result, shown.order)
    return canvas


def _outlier_points(board: Board, result: NumberDistribution, i: int, y: float) -> None:
    mine = np.flatnonzero(result.outliers.groups == i)
    if not len(mine):
        return
    shown = mine
    if len(mine) > MOST_POINTS:  # the furthest alone would leave a gap that is none
        near = np.linspace(MOST_POINTS // 2, len(mine) - 1, MOST_POINTS // 2).astype(np.int64)
        shown = np.concatenate([mine[: MOST_POINTS // 2], mine[near]])
    x = result.scale.place(result.outliers.values[shown])
    board.line(
        x, np.full(len(x), y), "o", ms=4.5 * result.look.size, mfc="none", mec=group_colour(result, i), mew=1, alpha=0.7
    )
    if len(mine) <= NAMED_OUTLIERS and len(result.groups) <= 8:
        write = day_label if result.dates else significant
        taken: dict[int, list[float]] = {1: [], -1: []}
        low, high = result.ends(i).tolist()
        near = (0.04 if board.upright else 0.105) * (high - low)
        for j in mine[mine < NAMED]:
            value = float(result.outliers.values[j])
            at = float(result.scale.place(np.array([value]))[0])
            side = next((s for s in (1, -1) if all(abs(at - t) > near for t in taken[s])), 0)
            if not side:
                continue
            taken[side].append(at)
            cases = result.outliers.cases
            text = f"{write(value)} ({f'row {result.outliers.labels[j]}' if cases is None else cases[j]})"
            board.note(text, at, y, 8 * side, size=8, color=style.DIM)


def draw_violins(result: NumberDistribution, page: Page) -> Canvas:
    """Draw each group's density mirrored about its row, quartiles inside; all of one greatest width."""
    shown = shown_groups(result, 16, by_middle=True)
    made = result.density
    rule = "" if made is None else f" Bandwidth by {made.rule}."
    note = (
        f"{shown.note}Width: density, each group to the same greatest width (n is not in it). Line: quartiles and "
        f"median; ring: mean.{rule}{_spread_note(result)}"
    )
    canvas = page.begin(note)
    board = _frame(canvas, result, shown.order)
    for k, i in enumerate(shown.order):
        curve = None if made is None else made.density[i]
        if made is not None and curve is not None and not np.isnan(curve).all():
            inside = _within(result, i, made.at)
            half = 0.42 * curve / curve.max()
            board.fill(
                made.at[inside], k - half[inside], k + half[inside], color=group_colour(result, i), alpha=0.55, lw=0
            )
        else:
            placed = result.placed(i, MOST_POINTS)
            board.line(placed, np.full(len(placed), k), "o", color=group_colour(result, i))
        q1, median, q3 = result.scale.place(result.summary.quartiles[i])
        board.line([q1, q3], [k, k], color=style.INK, lw=5, solid_capstyle="butt")
        board.line([median] * 2, [k - 0.1, k + 0.1], color=style.INK, lw=2.4)
        mean = float(result.scale.place(result.summary.moments.mean[i : i + 1])[0])
        board.line([mean], [k], "o", color="white", mec=style.INK, ms=6, zorder=4)
        _deviation(board, result, i, k)
    _finish(board, result, shown.order)
    if made is not None and result.look.limits is None:
        low, high = board.ends()
        board.set_ends(min(low, float(made.at[0])), max(high, float(made.at[-1])))
        set_values_axis(board.axes, result.name, result.scale, result.dates, board.upright)
    return canvas


def _within(result: NumberDistribution, i: int, at: Floats) -> NDArray[np.bool_]:
    """Keep a violin to three bandwidths about its group's values, where anything of it can be seen."""
    low, high = result.ends(i)
    assert result.density is not None
    reach = 3 * result.density.bandwidths[i]
    return np.asarray((at >= low - reach) & (at <= high + reach))


def draw_dots(result: NumberDistribution, page: Page) -> Canvas:
    """Draw one dot a row, none over another; a box under them where asked for."""
    shown = shown_groups(result, MOST_AS_ROWS, by_middle=True)
    canvas = page.begin("")
    board = _frame(canvas, result, shown.order)
    _finish(board, result, shown.order)
    axes = board.axes
    box = axes.get_position()
    width, height = box.width * style.WIDTH, box.height * style.HEIGHT
    low, high = axes.get_xlim()
    groups, sampled = _drawn(result, shown.order)
    beyond = sum(int(((g < low) | (g > high)).sum()) for g in groups)
    groups = [g[(g >= low) & (g <= high)] for g in groups]
    pixels = [(g - low) / (high - low) * width for g in groups]
    row = height / (len(shown.order) + 0.1)
    steps = [recorded_step(g) for g in groups] if result.scale.name == "linear" else [0.0]
    margin = MARGIN / (1 + 2 * MARGIN) * width if result.look.limits is None else 0.0
    made = fitted_dots(pixels, 0.92 * row, min(0.9 * min(steps) / (high - low) * width, 2 * margin), result.look.size)
    for k, (i, g, level) in enumerate(zip(shown.order, made.places, made.levels, strict=True)):
        if result.look.box:
            _box(board, result, i, k, 0.5, filled=False)
        x, y = low + g / width * (high - low), k + level * made.diameter / row
        # a marker's size is in points, 72 to the inch; a hair less than its place, so that dots stay apart
        size = made.diameter * 72 / style.DPI * 0.92
        axes.plot(x, y, "o", ms=size, color=group_colour(result, i), alpha=0.85, mew=0, clip_on=False)
        _deviation(board, result, i, k)
    what = "One dot a row, none over another; the heap's height is the number of rows there."
    if sampled:
        what = f"One dot a row, {count(MOST_DOTS)} rows drawn evenly from each larger group."
    if made.beside:
        what += " Dots of one value stand side by side, within the step it was recorded in."
    if beyond:
        what += f" {plural(beyond, 'row')} {'lies' if beyond == 1 else 'lie'} beyond the limits."
    if made.left_out:
        what += f" Left out for want of room: {plural(made.left_out, 'row')}; try violin or histogram."
    canvas.foot(shown.note + what + _spread_note(result))
    return canvas


def _drawn(result: NumberDistribution, order: list[int]) -> tuple[list[Floats], bool]:
    """Return the values to draw: all, or an even choice of each group's where there are too many."""
    groups, sampled = [], False
    for i in order:
        groups.append(result.placed(i, MOST_DOTS))
        sampled = sampled or bool(result.summary.moments.n[i] > MOST_DOTS)
    return groups, sampled


def draw_intervals(result: NumberDistribution, page: Page) -> Canvas:
    """Draw means with 95 % intervals; an axis that leaves out zero is marked."""
    shown = shown_groups(result, MOST_AS_ROWS, by_middle=True)
    m = result.summary.moments
    low, high = result.summary.mean_interval
    write = day_label if result.dates else in_line(m.mean[shown.order])
    order = shown.order
    if not result.groups.ordered and result.groups.names:
        order = sorted(order, key=lambda i: -float(m.mean[i]))
    at, first, last = (result.scale.place(v) for v in (m.mean, low, high))
    rows = [
        Row(
            group_label(result, i, 999), float(at[i]), float(first[i]), float(last[i]),
            (write(float(m.mean[i])), count(m.n[i])), group_colour(result, i), hollow=bool(m.n[i] < 10),
        )
        for i in order
    ]  # fmt: skip
    note = f"{shown.note}Intervals are about the mean, not the rows: most rows lie outside. Hollow: under 10 rows."
    canvas = page.begin(note)
    axes = canvas.place(margin([r.label for r in rows], 90), TOP, 190, BOTTOM + 12)
    interval_rows(axes, rows, ("mean", "n"))
    if result.look.limits is not None:
        axes.set_xlim(*result.scale.place(np.array(result.look.limits)))
    set_values_axis(axes, result.name, result.scale, result.dates)
    ends = result.scale.value(np.array(axes.get_xlim()))
    if not result.dates and not ends[0] <= 0 <= ends[1]:
        style.mark_cut_axis(axes, _zoom(ends[1] - ends[0], m.within_sd))
    return canvas


def _zoom(width: float, sd: float) -> str:
    """Say how little of the rows' spread an axis shows, so that a small difference is not taken for a large one."""
    return f", and is {width / sd:.2g} standard deviations wide" if width < sd else ""
