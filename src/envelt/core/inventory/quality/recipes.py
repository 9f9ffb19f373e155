"""Numbers made from two others (a sum, a ratio, a product, a change in percent), or another one in another scale."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.table import CategoryColumn, Column, NumericColumn, Table
from ...finding import Finding, marked
from ...shapes.resolution import recorded_step
from ...words import plural

Floats = NDArray[np.float64]

MOST_COLUMNS = 60
SCREENS, SCREEN_ROWS = 6, 40
"""Samples of rows, and rows in each: with two slips in a hundred one of the samples has none."""
LEAST_ROWS = 30
FITTED_ROWS = 5_000
MOST_SAID = 5
LOST = 1e-4
"""Of one less a correlation: what rounding takes off."""


class Made(NamedTuple):
    """A column that two others make, in how many rows, in which of these it is not so, and how many lack one.

    Where one makes it, the second is the first again.
    """

    column: str
    first: str
    second: str
    how: str
    rows: int
    against: tuple[int, ...]
    lacking: int
    more: tuple[str, ...] = ()


SUM, LOGARITHM = "+", "log({} ÷ {})"
WAYS: dict[str, Callable[[Floats, Floats], Floats]] = {
    "{} ÷ {}": lambda a, b: a / b,
    "{} ÷ {}²": lambda a, b: a / (b * b),
    "{} × {}": lambda a, b: a * b,
    LOGARITHM: lambda a, b: np.log(a / b),
}
SCALES: dict[str, Callable[[Floats], Floats]] = {
    "log({})": np.log,
    "√{}": np.sqrt,
    "{}²": np.square,
    "1 ÷ {}": np.reciprocal,
}


@np.errstate(all="ignore")  # of numbers whose squares are none nothing is claimed
def recipe_findings(table: Table, outcome: str | None) -> list[Finding]:
    """Say which numbers are made from two others, and first of all where the outcome is one of the three.

    Parameters
    ----------
    outcome
        The name of the outcome, where there is one.
    """
    found: list[Made] = []
    seen: set[frozenset[str]] = set()
    for made in sorted(_recipes(table, outcome), key=lambda m: (outcome not in m[:3], len(m.against))):
        names = frozenset(made[:3])
        if names not in seen:
            seen.add(names)
            found.append(made)
    of_outcome = [m for m in found if outcome in _columns(m)]
    told = [_told_of_outcome(of_outcome, table, str(outcome))] if of_outcome else []
    named = {c for m in of_outcome for c in _columns(m)}
    others = [m for m in found if not {*_columns(m)} <= named]
    return told + [_told(some, table) for some in _sharing(others)][:MOST_SAID]


def _columns(m: Made) -> tuple[str, ...]:
    return tuple(dict.fromkeys((m.column, m.first, m.second, *m.more)))


def _sharing(found: list[Made]) -> list[list[Made]]:
    """Put recipes together that share a column: what is said of one story is said at once. So are all other scales."""
    groups: list[list[Made]] = []
    for m in found:
        scaled = m.first == m.second
        near = [
            g for g in groups if any({*_columns(m)} & {*_columns(o)} or (scaled and o.first == o.second) for o in g)
        ]
        groups = [g for g in groups if g not in near] + [[*(o for g in near for o in g), m]]
    return groups


def _recipes(table: Table, outcome: str | None) -> Iterator[Made]:
    columns = [n for c in table if (n := _as_number(c)) is not None]
    columns = [c for c in columns if c.distinct >= T.RECIPE_DISTINCT]
    columns = sorted(columns, key=lambda c: (c.name != outcome, int(c.missing.sum())))[:MOST_COLUMNS]
    while len(columns) > 1:
        rows = np.flatnonzero(~np.stack([c.missing for c in columns]).any(axis=0))
        if len(rows) >= LEAST_ROWS:
            break
        columns.pop()
    else:
        return
    order = {name: k for k, name in enumerate(table.columns)}
    columns.sort(key=lambda c: order[c.name])
    if outcome in {c.name for c in columns}:
        yield from _total(columns, rows, [c.name for c in columns].index(str(outcome)))
    tried: set[tuple[int, int, int, str]] = set()
    screens = min(SCREENS, len(rows) // LEAST_ROWS)
    for k in range(screens):
        part = rows[k::screens]
        at = part[np.linspace(0, len(part) - 1, min(len(part), SCREEN_ROWS)).astype(np.int64)]
        x = np.stack([c.values[at] for c in columns])
        z = _normal(x)
        for a, b, c, way in _screened(columns, x, z, outcome):
            if (a, b, c, way) not in tried:
                tried.add((a, b, c, way))
                three = columns[a], columns[b], columns[c]
                if min(three[2].distinct, max(three[0].distinct, three[1].distinct)) < T.FEW_DISTINCT:
                    continue
                made = _sum(list(three[:2]), three[2], outcome) if way == SUM else _checked(*three, way)
                if made is not None:
                    yield made


def _as_number(c: Column) -> NumericColumn | None:
    """Return a number, or a grade or a name written as one: counts may look like grades, and months be numbered."""
    if isinstance(c, NumericColumn):
        return c
    values = c.as_written if isinstance(c, CategoryColumn) and c.kind in ("ordinal", "identifier") else None
    return (
        None
        if values is None
        else NumericColumn(name=c.name, kind="discrete", reason=c.reason, declared=c.declared, values=values)
    )


def _screened(
    columns: list[NumericColumn], x: Floats, z: Floats, outcome: str | None
) -> Iterator[tuple[int, int, int, str]]:
    """Find first, second and made of what fits on a few rows, and not by a line along one of the two."""
    r = z @ z.T
    alone = r**2
    for way, scale in SCALES.items():
        fit = (_normal(scale(x)) @ z.T) ** 2
        for a, c in np.argwhere((fit > 1 - LOST) & (1 - fit < 0.1 * (1 - alone))).tolist():
            if a != c:
                yield a, a, c, way
    for a in range(len(columns)):
        for way, make in WAYS.items():
            fit = (_normal(make(x[a], x)) @ z.T) ** 2  # of each second (rows) with each made (columns)
            better = 1 - fit < 0.1 * (1 - np.maximum(alone[a], alone))
            for b, c in np.argwhere((fit > 1 - LOST) & better).tolist():
                last = way == LOGARITHM or _is_last(columns, c, a, b, outcome)  # no ratio is called an exponential
                if len({a, b, c}) == 3 and last and not (way == "{} × {}" and b < a):
                    yield a, b, c, way
    yield from _sums(columns, r, outcome)


def _sums(columns: list[NumericColumn], r: Floats, outcome: str | None) -> Iterator[tuple[int, int, int, str]]:
    """Find, by the correlations of a few rows, what a weighted sum of two others fits."""
    alone, names = r**2, [c.name for c in columns]
    for y in range(2, len(columns)) if outcome not in names else range(len(columns)):
        left = 1 - alone
        share = alone[y][:, None] + alone[y][None, :] - 2 * np.outer(r[y], r[y]) * r
        near = alone[y] > 1 - 10 * LOST
        fits = (left > 1e-3) & (share > (1 - LOST / 10) * left) & ~near[:, None] & ~near[None, :]
        for a, b in np.argwhere(np.triu(fits, 1)).tolist():
            last = names[y] == outcome or _is_last(columns, y, a, b, outcome)
            if len({a, b, y}) == 3 and last and outcome not in (names[a], names[b]):
                yield a, b, y, SUM


def _total(columns: list[NumericColumn], rows: NDArray[np.intp], y: int) -> Iterator[Made]:
    """Find three columns or more whose sum or difference the outcome is, each taken once."""
    others = [k for k in range(len(columns)) if k != y]
    if len(rows) < 3 * len(others):
        return
    some = rows[np.linspace(0, len(rows) - 1, min(len(rows), FITTED_ROWS)).astype(np.int64)]
    x = np.stack([columns[k].values[some] for k in others], axis=1)
    of = columns[y].values[some]
    size = np.abs(x).max(axis=0)
    x, weight = x[:, size > 0], np.zeros(len(others))
    scaled = np.column_stack([x / size[size > 0], np.ones(len(some))])
    weight[size > 0] = np.linalg.lstsq(scaled, of, rcond=None)[0][:-1] / size[size > 0]
    once = np.rint(weight)
    if np.count_nonzero(once) < 3 or np.abs(once).max() > 1 or np.abs(weight - once).max() > 1e-3:
        return
    made = _sum([columns[k] for k, w in zip(others, once, strict=True) if w], columns[y], columns[y].name)
    if made is not None:
        yield made


def _is_last(columns: list[NumericColumn], made: int, a: int, b: int, outcome: str | None) -> bool:
    """Say whether a column is the one of three to be called made: the last of the table, but not the outcome."""
    others = [k for k in (a, b, made) if columns[k].name != outcome]
    return columns[made].name != outcome and made == max(others)


def _normal(x: Floats) -> Floats:
    """Return rows at mean 0 and length 1; zeros where one does not vary, or is not finite."""
    sound = np.asarray(np.isfinite(x).all(axis=1))
    away = np.where(sound[:, None], x, 0.0)
    away = away - away.mean(axis=1, keepdims=True)
    length = np.sqrt(np.sum(away**2, axis=1, keepdims=True))
    return np.asarray(np.where(length > 0, away / np.where(length > 0, length, 1.0), 0.0))


def _checked(a: NumericColumn, b: NumericColumn, c: NumericColumn, way: str) -> Made | None:
    """Check a recipe on all rows, and write it."""
    f = SCALES[way](a.values) if way in SCALES else WAYS[way](a.values, b.values)
    both = np.isfinite(f) & ~c.missing
    slope, shift = _line(f[both], c.values[both])
    scale = float(np.std(slope * f[both]))
    round_slope = float(f"{slope:.2g}")
    changed = way == "{} ÷ {}" and abs(shift + slope) < 0.01 * abs(slope) and abs(shift) > 0.05 * scale
    tried = []
    for k in (round_slope, slope) if abs(round_slope - slope) < 1e-3 * abs(slope) else (slope,):
        added = -k if changed else shift if abs(shift) > 0.01 * scale else 0.0
        wrong = ~_fits(k * f[both] + added, c)(c.values[both])
        tried.append((tuple(np.flatnonzero(both)[wrong].tolist()), k, added))
    against, slope, shift = min(tried, key=lambda t: len(t[0]))  # what a person would multiply by, where it fits
    rows = int(both.sum())
    if rows < LEAST_ROWS or len(against) > T.RECIPE_SLIPS * rows:
        return None
    first, second = marked(a.name), marked(b.name)
    made = way.format(first, second)
    if way == "log({})" and abs(abs(slope) * np.log(10) - 1) < 1e-3:
        made, slope = f"log10({first})", float(np.sign(slope))
    if changed:
        made, shift = f"({first} − {second}) ÷ {second}", 0.0
    times = {1.0: "", -1.0: "−"}.get(slope, f"{float(f'{slope:.4g}'):g} × ")
    plus = "" if shift == 0 else f" {'+' if shift > 0 else '−'} {float(f'{abs(shift):.4g}'):g}"
    return Made(c.name, a.name, b.name, f"{times}{made}{plus}", rows, against, len(c) - rows)


def _line(x: Floats, y: Floats) -> tuple[float, float]:
    """Return slope and intercept of a line through most rows: fitted again without those far from it."""
    keep = np.ones(len(x), bool)
    slope, shift = 0.0, 0.0
    for _ in range(3):
        dx, dy = x[keep] - x[keep].mean(), y[keep] - y[keep].mean()
        slope = float(dx @ dy) / max(float(dx @ dx), 1e-300)
        shift = float(y[keep].mean() - slope * x[keep].mean())
        keep = _near(y - slope * x - shift, y)
    return slope, shift


def _near(away: Floats, y: Floats) -> NDArray[np.bool_]:
    """Return the rows not far from a fit beside most."""
    away = np.abs(away)
    return np.asarray(away <= max(20 * float(np.median(away)), 1e-9 * float(np.abs(y).max())))


def _fits(want: Floats, c: NumericColumn) -> Callable[[Floats], NDArray[np.bool_]]:
    """Return what says of values whether they are as they should be, to within how they are recorded."""
    present = np.sort(c.values[~c.missing])
    near = max(0.55 * recorded_step(present), T.ROUNDING / 4 * float(np.std(present)))
    return lambda values: np.abs(values - want) <= near


def _sum(parts: list[NumericColumn], y: NumericColumn, outcome: str | None) -> Made | None:
    """Check on all rows that a column is a sum of others, weighted or not, and write it.

    Weights of what is not the outcome must be such as a person would take: of numbers that all go together some sum of
    two is always near the third.
    """
    both = ~np.logical_or.reduce([y.missing, *(c.missing for c in parts)])
    design = np.stack([*(c.values[both] for c in parts), np.ones(int(both.sum()))], axis=1)
    of, keep = y.values[both], np.ones(len(design), bool)
    for _ in range(3):
        *weights, shift = np.linalg.lstsq(design[keep], of[keep], rcond=None)[0].tolist()
        keep = _near(of - design @ np.array([*weights, shift]), of)
    weights = [float(np.rint(w)) if abs(w - np.rint(w)) < 1e-3 and np.rint(w) else w for w in weights]
    if y.name != outcome:
        weights = [float(f"{w:.2g}") for w in weights]
    shift = float(np.mean((of - design[:, :-1] @ np.array(weights))[keep]))
    fits = _fits(design @ np.array([*weights, shift]), y)
    rows, against = int(both.sum()), tuple(np.flatnonzero(both)[~fits(y.values[both])].tolist())
    if rows < LEAST_ROWS or len(against) > T.RECIPE_SLIPS * rows:
        return None
    terms = sorted(zip(weights, (marked(c.name) for c in parts), strict=True), key=lambda p: p[0] < 0)
    written = [("+" if w > 0 else "−", ("" if abs(abs(w) - 1) < 1e-3 else f"{abs(w):.4g} × ") + n) for w, n in terms]
    if abs(shift) >= 1e-2 * float(np.std(of)):
        constant = ("+" if shift > 0 else "−", f"{float(f'{abs(shift):.4g}'):g}")
        written.insert(0 if shift > 0 > terms[0][0] else len(written), constant)
    how = " ".join(f"{sign} {term}" for sign, term in written).removeprefix("+ ")
    first, second, *more = (c.name for c in parts)
    return Made(y.name, first, second, how, rows, against, len(y) - rows, tuple(more))


def _written(m: Made, table: Table) -> str:
    """Say what a column is, in which rows, and which rows contradict."""
    n = len(m.against)
    where = f"all {plural(m.rows, 'row')}" if not n else f"all but {n:,} of {plural(m.rows, 'row')}"
    rows = ", ".join(str(table.rows[k]) for k in m.against[:5])
    listed = f" (row{'s' if n > 1 else ''} {rows}{', …' if n > 5 else ''})" if n else ""
    return f"{marked(m.column)} is {m.how} in {where}{' that have all of them' if m.lacking else ''}{listed}"


def _evidence(found: list[Made]) -> dict[str, object]:
    told = [
        {"how": m.how.replace("\x02", "").replace("\x03", ""), "rows": m.rows, "against": len(m.against)} for m in found
    ]
    recipes = {m.column: t["how"] for m, t in zip(found, told, strict=True)}
    return {**told[0], "recipes": recipes, "parts": {m.column: [*_columns(m)[1:]] for m in found}}


def _joined(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _told(found: list[Made], table: Table) -> Finding:
    """Say which numbers others make, of one story at once."""
    more = "".join(f"; {_written(m, table)}" for m in found[1:3])
    scales = all(m.first == m.second for m in found)
    what = "are others in another scale" if scales else "of these are made of each other"
    rest = f"; and {len(found) - 3} more {what}" if len(found) > 3 else ""
    columns = tuple(dict.fromkeys(c for m in found for c in _columns(m)))
    one = {2: "one of the two", 3: "one of the three"}.get(len(columns), "what is made of the others")
    one = "one of every two" if scales and len(columns) > 2 else one
    return Finding(
        "made-up-of-others",
        "caution",
        columns,
        f"{_written(found[0], table)}, to within rounding{more}{rest}.",
        f"Leave {one} out, or know why not: a relation between them is there by construction.",
        _evidence(found),
    )


def _told_of_outcome(found: list[Made], table: Table, outcome: str) -> Finding:
    """Say of what the outcome is made, or what with it: one finding, whatever many ways there are."""
    parts = [[c for c in _columns(m) if c != outcome] for m in found]
    also = [f"{_joined([*map(marked, p)])} ({_written(m, table)})" for m, p in zip(found[1:3], parts[1:3], strict=True)]
    rest = f"; and so in {len(found) - 3} more ways" if len(found) > 3 else ""
    more = f" So are {', and '.join(also)}{rest}." if also else ""
    first, y = _joined([*map(marked, parts[0])]), marked(outcome)
    if len(parts[0]) == 1:
        ends, advice = f"{first} is the outcome in another scale", f"Leave {first} out: it is {y} again."
    else:
        whichever = first if len(found) == 1 else "these"
        ends, advice = (
            f"{first} together are the outcome",
            f"Leave out whichever of {whichever} is only known with {y}.",
        )
    return Finding(
        "made-up-of-others",
        "stop",
        tuple(dict.fromkeys(c for m in found for c in _columns(m))),
        f"{_written(found[0], table)}, to within rounding: {ends}.{more}",
        advice,
        _evidence(found),
    )
