"""Numbers made from one other: its change since the row before, its value there, or its distance from a point."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.labels import number_label
from ...columns.table import NumericColumn, Table
from ...finding import Finding, marked
from ...shapes.resolution import recorded_step
from ...words import plural

Floats = NDArray[np.float64]

MOST_COLUMNS = 60
HEAD, STARTS = 120, 3
"""Rows that are looked at first, and how many of them may tell the point of a distance."""
RECORDED = 5_000
"""Values that tell the step in which a column was recorded."""

LAGGED = "{} of the row {}"
NEXT: dict[str, Callable[[Floats, Floats], Floats]] = {
    "{} less that of the row {}": lambda now, other: now - other,
    LAGGED: lambda now, other: other,
    "the change of {} since the row {}, as a share": lambda now, other: now / other - 1,
    "the change of {} since the row {}, in percent": lambda now, other: 100 * (now / other - 1),
}


class _Number(NamedTuple):
    """A column with the step in which it was recorded, and its deviation."""

    name: str
    values: Floats
    step: float
    deviation: float

    @classmethod
    def of(cls, c: NumericColumn) -> _Number:
        """Look at a column once, before it is set against every other."""
        there = np.sort(c.values[~c.missing][:RECORDED])
        return cls(c.name, c.values, recorded_step(there), float(np.std(there)))


@np.errstate(all="ignore")  # of numbers whose differences are none nothing is claimed
def made_from_one(table: Table, outcome: str | None) -> list[Finding]:
    """Say which numbers are made from one other along the rows, or are its distance from a point.

    A recipe must hold in `thresholds.FROM_ONE` of the rows or more (a table of several histories breaks it where each
    begins), to within how both were recorded, with ten values or more.

    Parameters
    ----------
    outcome
        The name of the outcome, where there is one.
    """
    several = [c for c in table if isinstance(c, NumericColumn) and c.distinct >= T.FEW_DISTINCT][:MOST_COLUMNS]
    columns = [_Number.of(c) for c in several]
    found, made = [], set[str]()
    heads = np.stack([c.values[:HEAD] for c in columns]) if columns else np.zeros((0, 0))
    for k, b in enumerate(columns):
        near = np.array([_near(a, b) for a in columns])
        sharp = near < T.FROM_ONE_NEAR * np.array([a.deviation for a in columns])
        for i, recipe in _seen(b.name, heads[k], heads, np.where(sharp, near, -1.0)):
            a = columns[i]
            if i == k or a.name in made or (b.name in made and not recipe.lagged):
                continue
            want = recipe.make(b.values)
            there = np.isfinite(want) & ~np.isnan(a.values)
            fits, rows = there & (np.abs(a.values - want) <= near[i]), int(there.sum())
            if recipe.lagged:  # a copy of what seldom changes is that of the row before too
                fits &= ~(np.abs(a.values - b.values) <= near[i])
            if rows >= T.FROM_ONE_ROWS and fits.sum() >= T.FROM_ONE * rows and _says(a.values[fits]):
                found.append(_said(a.name, b.name, recipe, int(fits.sum()), rows, outcome))
                made.add(a.name)
    plain = [f for f in found if f.weight == "caution"]
    return found if len(plain) < 3 else [*(f for f in found if f.weight != "caution"), _joined(plain)]


class _Recipe(NamedTuple):
    """How a column may be made: in words, as arithmetic, and whether it is another column of the row before."""

    how: str
    make: Callable[[Floats], Floats]
    lagged: bool = False


def _says(values: Floats) -> bool:
    """Say whether the values that a recipe gives are many: that one value of two hundred is right proves nothing."""
    rows = np.unique(values, return_counts=True)[1]
    return len(rows) >= T.FEW_DISTINCT and bool(rows.max() <= rows.sum() / 2)


def _near(a: _Number, b: _Number) -> float:
    """Return how far off a value may be by how both were recorded."""
    finer = b.step if 0 < b.step < a.step else 0.0
    return max(0.55 * a.step + finer, 1e-9 * (b.deviation + a.deviation))


def _seen(name: str, b: Floats, all_heads: Floats, near: Floats) -> Iterator[tuple[int, _Recipe]]:
    """Return which columns a recipe from one column seems to make by the first rows, each to within its nearness."""
    known = ~np.isnan(all_heads)

    def fitting(want: Floats) -> NDArray[np.intp]:
        there = np.isfinite(want) & known
        fits = there & (np.abs(all_heads - want) <= near[:, None])
        return np.flatnonzero(fits.sum(axis=1) >= np.maximum(T.FROM_ONE * there.sum(axis=1), 1))

    for recipe in _next(name):
        yield from ((int(i), recipe) for i in fitting(recipe.make(b)))
    for k in np.flatnonzero(~np.isnan(b))[:STARTS]:
        for point in (b[k] - all_heads[:, k], b[k] + all_heads[:, k]):
            beyond = [np.mean(side, axis=1) for side in (b > (point + near)[:, None], b < (point - near)[:, None])]
            for i in fitting(np.abs(b - point[:, None])):
                if min(beyond[0][i], beyond[1][i]) >= T.FROM_ONE_SIDE:
                    shown = number_label(float(f"{point[i]:.6g}"))
                    how = f"the distance of {marked(name)} from {shown}"
                    yield int(i), _Recipe(how, partial(_away, float(point[i])))


def _next(name: str) -> Iterator[_Recipe]:
    for which, lag in (("before", 1), ("after", -1)):
        for how, make in NEXT.items():
            if how != LAGGED or which == "before":  # told as the other one, of the row before
                yield _Recipe(how.format(marked(name), which), partial(_along, make, lag), how == LAGGED)


def _along(make: Callable[[Floats, Floats], Floats], lag: int, values: Floats) -> Floats:
    """Return what is made of each value and the one a row before, or after it."""
    other = np.roll(values, lag)
    other[0 if lag == 1 else -1] = np.nan
    return make(values, other)


def _away(point: float, values: Floats) -> Floats:
    return np.abs(values - point)


def _joined(found: list[Finding]) -> Finding:
    """Say at once what is made so of many columns: lags of lags are one story."""
    first = found[0]
    told = "; ".join(f.marked_statement.removesuffix(" that have both, to within rounding.") for f in found[:3])
    more = f"; and {len(found) - 3} more so" if len(found) > 3 else ""
    evidence = {key: {k: v for f in found for k, v in f.evidence[key].items()} for key in ("recipes", "parts")}
    return Finding(
        first.code,
        first.weight,
        tuple(dict.fromkeys(c for f in found for c in f.columns)),
        f"{told} that have both, to within rounding{more}.",
        "Along the rows these say the same again: know why before you keep more than one.",
        {**first.evidence, **evidence},
    )


def _said(a: str, b: str, recipe: _Recipe, rows: int, of: int, outcome: str | None) -> Finding:
    where = f"in all {plural(of, 'row')}" if rows == of else f"in {rows:,} of {plural(of, 'row')}"
    with_outcome, how = outcome in (a, b), recipe.how
    other = b if a == outcome else a
    if with_outcome and not recipe.lagged:
        weight, advice = "stop", f"Leave {marked(other)} out: it is only known with {marked(str(outcome))}."
    elif with_outcome:
        weight, advice = (
            "note",
            "Known beforehand where rows stand in the order of time: then a good candidate.",
        )
    else:
        weight, advice = (
            "caution",
            "Leave one of the two out, or know why not: they go together by construction.",
        )
    return Finding(
        "made-up-of-others",
        weight,
        (a, b),
        f"{marked(a)} is {how} {where} that have both, to within rounding.",
        advice,
        {
            "how": how.replace("\x02", "").replace("\x03", ""), "rows": of, "against": of - rows,
            "recipes": {a: how.replace("\x02", "").replace("\x03", "")}, "parts": {a: [b]},
        },
    )  # fmt: skip
