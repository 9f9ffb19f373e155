"""Maps of rows: dots by class with labels at their centres, or density where they are many."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..core.words import plural
from ..write.digits import count, percent, places, significant
from .parts import style

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from .parts.canvas import Canvas, Page

Floats = NDArray[np.float64]

DENSE = 20_000
CELLS = 420
MOST_RINGS = 60
CAUTION = {
    "neighbours": "Near rows are alike; how far apart groups lie, and how large they are, means little.",
    "mds": "Distances are as near as two dimensions allow to those in the full space.",
    "pca": "Distances are those seen from one side: what lies behind another may be far from it.",
}


def draw_map(
    at: Floats, groups: Any, ringed: NDArray[np.int64], page: Page, told: str, method: str, panels: bool
) -> Figure:  # fmt: skip
    """Draw rows as dots, by class, or one panel a class."""
    rings = " Ringed: rows among another class." if len(ringed) and not panels else ""
    with style.house_style():
        canvas = page.begin(f"{CAUTION[method]} {told}{rings}")
        if panels and groups.codes is not None:
            _panels(canvas, at, groups)
        else:
            axes = canvas.place(40, 84, 300, 66)
            _rows(axes, at, groups)
            if len(at) <= DENSE:
                _rings(axes, at, ringed)
            _key(axes, groups, len(at))
        return canvas.describe(f"Map of {len(at):,} rows{_by(groups)}. {told}")


def _by(groups: Any) -> str:
    return "" if groups.name is None else f" by {groups.name}"


def _frame(axes: Axes, at: Floats) -> None:
    low, high = at.min(axis=0), at.max(axis=0)
    centre, reach = (low + high) / 2, float((high - low).max()) or 1.0
    box = axes.get_position()
    width, height = box.width * style.WIDTH, box.height * style.HEIGHT
    per = 1.06 * max((high - low)[0] / width, (high - low)[1] / height, 1e-12 * reach)
    axes.set_xlim(centre[0] - per * width / 2, centre[0] + per * width / 2)
    axes.set_ylim(centre[1] - per * height / 2, centre[1] + per * height / 2)
    axes.set_xticks([])
    axes.set_yticks([])
    for side in axes.spines.values():
        side.set_color(style.LINE)


def _size(n: int) -> tuple[float, float]:
    """Return size and opacity of a dot: all dots together cover about the same whatever their number."""
    size = float(np.clip(26_000 / max(n, 1), 3.0, 46.0))
    return size, float(np.clip(1.6 - 0.28 * np.log10(max(n, 1)), 0.35, 0.9))


def _rows(axes: Axes, at: Floats, groups: Any) -> None:
    _frame(axes, at)
    if len(at) > DENSE and groups.numbers is None:
        _density(axes, at, groups)
    else:
        size, alpha = _size(len(at))
        dots: dict[str, Any] = {"s": size, "alpha": alpha, "lw": 0, "rasterized": len(at) > 3_000}
        if groups.numbers is not None:
            known = ~np.isnan(groups.numbers)
            axes.scatter(at[~known, 0], at[~known, 1], color=style.LINE, **dots)
            axes.scatter(at[known, 0], at[known, 1], c=groups.numbers[known], cmap="cividis", **dots)
        else:
            codes = np.full(len(at), -1) if groups.codes is None else groups.codes
            of_classes = [0, 0] if groups.codes is None else [*_places(groups), -1]
            colours = np.array([_colour(p) for p in of_classes])
            shapes = np.array([style.marker(max(p, 0)) for p in of_classes])
            order = np.random.default_rng(0).permutation(len(at))  # so that no class lies on top
            for shape in np.unique(shapes).tolist():
                some = order[shapes[codes[order]] == shape]
                axes.scatter(at[some, 0], at[some, 1], color=colours[codes[some]], marker=shape, **dots)
    for k, place in enumerate(_places(groups)):
        mine, level = at[groups.codes == k], groups.levels[k]
        if len(mine) and place >= 0:
            _label(axes, mine, level)


def _places(groups: Any) -> list[int]:
    """Return each class's place among the colours; of more than twelve the largest eleven have one, the others none."""
    if len(groups.levels) <= style.MOST_CLASSES:
        return list(range(len(groups.levels)))
    rows = np.bincount(groups.codes[groups.codes >= 0], minlength=len(groups.levels))
    kept = np.sort(np.argsort(-rows, kind="stable")[: style.MOST_CLASSES - 1])
    found = np.full(len(groups.levels), -1)
    found[kept] = np.arange(len(kept))
    return [int(p) for p in found]


def _colour(place: int) -> str:
    return style.colour(place) if place >= 0 else style.QUIET


def _label(axes: Axes, mine: Floats, level: str) -> None:
    """Write a class's name at its densest place, which lies among its rows even where they lie in two groups."""
    middle = np.median(mine, axis=0)
    near = mine[np.argmin(np.sum((mine - middle) ** 2, axis=1))]
    text = axes.text(
        float(near[0]),
        float(near[1]),
        style.shorten(level, 22),
        size=11,
        weight="bold",
        ha="center",
        va="center",
        zorder=6,
    )
    text.set_bbox({"facecolor": "white", "alpha": 0.75, "edgecolor": "none", "pad": 1.5})


def _density(axes: Axes, at: Floats, groups: Any) -> None:
    """Draw each cell in the colour of the class with most rows there, the stronger the more rows."""
    from matplotlib.colors import to_rgb

    (left, right), (low, high) = axes.get_xlim(), axes.get_ylim()
    size = (CELLS, round(CELLS * (right - left) / (high - low)))
    row = np.clip(((at[:, 1] - low) / (high - low) * size[0]).astype(np.int64), 0, size[0] - 1)
    column = np.clip(((at[:, 0] - left) / (right - left) * size[1]).astype(np.int64), 0, size[1] - 1)
    cell = row * size[1] + column
    classes = max(len(groups.levels), 1)
    codes = np.zeros(len(at), np.int64) if groups.codes is None else groups.codes
    counts = np.stack([np.bincount(cell[codes == k], minlength=size[0] * size[1]) for k in range(classes)])
    total = counts.sum(axis=0)
    colours = np.array([to_rgb(_colour(p)) for p in (_places(groups) if groups.codes is not None else [0])])
    strength = np.log1p(total) / np.log1p(max(np.percentile(total[total > 0], 99), 1))
    strength = np.where(total > 0, np.clip(0.25 + 0.75 * strength, 0, 1), 0)[:, None]
    image = 1 - strength * (1 - colours[np.argmax(counts, axis=0)])
    axes.imshow(image.reshape(*size, 3), origin="lower", extent=(left, right, low, high), aspect="auto",
                interpolation="nearest")  # fmt: skip


def _rings(axes: Axes, at: Floats, ringed: NDArray[np.int64]) -> None:
    some = ringed[:MOST_RINGS]
    axes.scatter(at[some, 0], at[some, 1], s=110, facecolors="none", edgecolors=style.INK, lw=1.1, zorder=5)


def _key(axes: Axes, groups: Any, n: int) -> None:
    x = 1 + 22 / style.width_of(axes)
    if groups.name is None:
        return
    axes.text(x, 0.99, style.shorten(groups.name, 26), size=11.5, weight="bold", va="top", transform=axes.transAxes)
    if groups.numbers is not None:
        known = groups.numbers[~np.isnan(groups.numbers)]
        ends = f"{significant(float(known.min()), 3)} (dark) to {significant(float(known.max()), 3)} (light)"
        axes.text(x, 0.945, ends, size=9.5, va="top", color=style.DIM, transform=axes.transAxes)
        return
    rows = np.bincount(groups.codes[groups.codes >= 0], minlength=len(groups.levels))
    of_classes = _places(groups)
    shown = [(p, groups.levels[k], rows[k]) for k, p in enumerate(of_classes) if p >= 0]
    other = [k for k, p in enumerate(of_classes) if p < 0]
    if other:
        shown.append((-1, f"other ({plural(len(other), 'class', 'classes')})", rows[other].sum()))
    for line, (place, level, of) in enumerate(shown):
        y = 0.94 - 0.036 * line
        axes.text(
            x, y, style.key_mark(max(place, 0)), size=12, va="top", color=_colour(place), transform=axes.transAxes
        )
        text = f"{style.shorten(level, 20)}, n {count(of)}"
        axes.text(x + 22 / style.width_of(axes), y, text, size=9.8, va="top", transform=axes.transAxes)
    unknown = int((groups.codes < 0).sum())
    if unknown:
        axes.text(x, 0.93 - 0.036 * len(shown), f"grey: {count(unknown)} without", size=9.5, va="top",
                  color=style.DIM, transform=axes.transAxes)  # fmt: skip


def _panels(canvas: Canvas, at: Floats, groups: Any) -> None:
    """Draw one small map a class, the others in grey."""
    shown = list(range(min(len(groups.levels), 12)))
    across = min(len(shown), 2 if len(shown) == 4 else 3 if len(shown) <= 6 else 4)
    down = -(-len(shown) // across)
    width, height = (style.WIDTH - 56) / across, (style.HEIGHT - 150) / down
    size, alpha = _size(2 * len(at))
    for place, k in enumerate(shown):
        left, top = 28 + place % across * width, 92 + place // across * height
        axes = canvas.place(left + 6, top + 20, style.WIDTH - left - width + 6, style.HEIGHT - top - height + 6)
        _frame(axes, at)
        mine = groups.codes == k
        other = np.flatnonzero(~mine)[:: max(1, len(at) // DENSE)]
        axes.scatter(at[other, 0], at[other, 1], s=size / 2, color=style.LINE, lw=0, rasterized=True)
        some = np.flatnonzero(mine)[:: max(1, int(mine.sum()) // DENSE)]
        axes.scatter(
            at[some, 0], at[some, 1], s=size, color=_colour(_places(groups)[k]), alpha=alpha, lw=0, rasterized=True
        )
        said = f"{style.shorten(groups.levels[k], 26)}, n {count(int(mine.sum()))}"
        axes.set_title(said, loc="left", size=10.5, weight="bold", pad=4)


def draw_components(
    at: Floats, groups: Any, ringed: NDArray[np.int64], explained: Floats, loadings: pd.DataFrame, page: Page,
) -> Figure:  # fmt: skip
    """Draw the first two components, the share of each, and which columns make the axes."""
    with style.house_style():
        canvas = page.begin(CAUTION["pca"])
        axes = canvas.place(60, 84, 470, 92)
        _rows(axes, at, groups)
        axes.set_xlabel(f"component 1, {percent(float(explained[0]))} of the variance")
        if len(explained) > 1:
            axes.set_ylabel(f"component 2, {percent(float(explained[1]))}")
        if len(at) <= DENSE:
            _rings(axes, at, ringed)
        scree = canvas.place(style.WIDTH - 400, 104, 40, 540)
        first = explained[:12]
        scree.bar(np.arange(1, len(first) + 1), first, color=style.PALETTE[0], alpha=0.85)
        style.percent_axis(scree.yaxis, 4)
        scree.set_title("share of the variance", loc="left", size=10.5, weight="bold")
        scree.set_xlabel("component", size=9)
        _loadings(canvas, loadings)
        shares = ", ".join(percent(float(e)) for e in explained[:3])
        return canvas.describe(f"Principal components of {len(at):,} rows{_by(groups)}: {shares}.")


def _loadings(canvas: Canvas, loadings: pd.DataFrame) -> None:
    bars = canvas.place(style.WIDTH - 270, 350, 40, 92)
    two = loadings.iloc[:, :2]
    top = two.abs().max(axis=1).nlargest(12).index
    shown = two.loc[two.index.isin(top)]
    y = np.arange(len(shown))
    for k in range(shown.shape[1]):
        bars.barh(y + (k - 0.5) * 0.38, shown.iloc[:, k], 0.36, color=style.PALETTE[k], alpha=0.85)
    bars.set_yticks(y, [style.shorten_middle(str(n), 18) for n in shown.index], size=8.5)
    bars.invert_yaxis()
    bars.axvline(0, color=style.DIM, lw=0.8)
    bars.set_title("weights: blue 1, amber 2", loc="left", size=10.5, weight="bold")
    style.bare(bars, "left")


def draw_beside(
    first: Floats, second: Floats, titles: tuple[str, str], groups: Any, moved: NDArray[np.int64], fit: float,
    page: Page,
) -> Figure:  # fmt: skip
    """Draw two maps of the same rows, the second laid over the first, the rows that moved most ringed in both."""
    with style.house_style():
        note = "The second is moved, turned and scaled onto the first. Ringed: the rows that lie elsewhere most."
        canvas = page.begin(note)
        half = (style.WIDTH - 56) / 2
        for k, (at, title) in enumerate(zip((first, second), titles, strict=True)):
            left = 28 + k * half
            axes = canvas.place(left + 6, 120, style.WIDTH - left - half + 6, 66)
            _rows(axes, at, groups)
            _rings(axes, at, moved)
            axes.set_title(title, loc="left", size=11, weight="bold", pad=5)
        return canvas.describe(f"Two maps of {len(first):,} rows; agreement {fit:.2f}.")


def draw_frames(frames: list[tuple[int, Floats]], grown: pd.DataFrame, groups: Any, page: Page) -> Figure:
    """Draw small maps as the layout formed, with how its quality grew."""
    across = min(len(frames), 4)
    down = -(-len(frames) // across)
    with style.house_style():
        note = "As it formed; trust is trustworthiness, kept the share of nearest rows kept, on up to 300 rows."
        canvas = page.begin(note)
        width, height = (style.WIDTH - 56) / across, min((style.HEIGHT - 150) / down, 340.0)
        codes = np.full(len(frames[0][1]), -1) if groups.codes is None else groups.codes
        colours = np.array([*(_colour(k) for k in range(max(len(groups.levels), 1))), style.QUIET])
        some = np.arange(len(codes))[:: max(1, len(codes) // 5_000)]
        for place, ((step, at), (_, row)) in enumerate(zip(frames, grown.iterrows(), strict=True)):
            left, top = 28 + place % across * width, 92 + place // across * height
            axes = canvas.place(left + 6, top + 22, style.WIDTH - left - width + 6, style.HEIGHT - top - height + 6)
            _frame(axes, at)
            size = _size(4 * len(some))[0]
            axes.scatter(at[some, 0], at[some, 1], s=size, color=colours[codes[some]], lw=0, alpha=0.8, rasterized=True)
            told = f"step {step}: trust {places(row['trustworthiness'], 2)}, kept {percent(row['neighbour_recall'])}"
            axes.set_title(told, loc="left", size=9.5, pad=4)
        return canvas.describe(f"A map of {len(codes):,} rows as it formed, {len(frames)} pictures.")
