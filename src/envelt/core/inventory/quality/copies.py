"""The same column twice: exactly, in another unit of measure, or under other names for its levels."""

from __future__ import annotations

import hashlib
from collections import defaultdict

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.labels import short_label
from ...columns.table import CategoryColumn, NumericColumn, Table
from ...finding import Finding, marked
from ...words import listed, plural

Floats = NDArray[np.float64]


def copy_findings(table: Table, outcome: str | None = None) -> list[Finding]:
    """Find pairs of columns that say the same thing in every row where both are present, or in nearly every one."""
    numbers = [c for c in table if isinstance(c, NumericColumn) and c.kind != "constant"]
    categories = [
        c for c in table if isinstance(c, CategoryColumn) and c.kind not in ("constant", "identifier", "text")
    ]
    few = [c for c in numbers if T.VALUES_IN_ORDER <= c.distinct <= len(c) / T.ROWS_A_VALUE]
    found = [*_linear_copies(numbers), *_relabelled(categories), *_valued_alike(few)]
    told = {name for f in found for name in f.columns}
    found += _nearly_equal([c for c in numbers if c.name not in told], [str(r) for r in table.rows], outcome)
    copies = [f for f in found if f.weight != "stop"]
    if len(copies) <= T.MOST_GAPS_APART:
        return found
    return [*(f for f in found if f.weight == "stop"), _of_many(copies)]


def _of_many(found: list[Finding]) -> Finding:
    """Say of many columns at once which other each is."""
    pairs = [f"{marked(f.columns[0])} is {marked(f.columns[1])}" for f in found]
    return Finding(
        "same-column",
        "caution",
        tuple(dict.fromkeys(c for f in found for c in f.columns)),
        f"{plural(sum(len(f.columns) - 1 for f in found), 'column')} say what another says already: "
        f"{', '.join(pairs[:6])}, …. The first: {found[0].marked_statement}",
        "Keep one of each.",
        {"copies": [list(f.columns) for f in found], "each": [f.evidence for f in found]},
    )


def _nearly_equal(columns: list[NumericColumn], rows: list[str], outcome: str | None) -> list[Finding]:
    """Find numbers that are equal but in a few rows, where chance would have them equal in few."""
    columns = [c for c in columns if c.distinct >= T.FEW_DISTINCT][: T.MOST_NEARLY_EQUAL]
    if not columns or len(rows) < T.ROWS_FOR_IDENTIFIER:
        return []
    some = np.linspace(0, len(rows) - 1, min(len(rows), T.SCREEN_ROWS)).astype(np.int64)
    x = np.stack([c.values[some] for c in columns])
    found: list[Finding] = []
    for i, a in enumerate(columns):
        equal = (x[i] == x[i + 1 :]).mean(axis=1)
        for b in (columns[i + 1 + k] for k in np.flatnonzero(equal >= T.NEARLY_EQUAL - 0.1)):
            both = ~(a.missing | b.missing)
            unlike = np.flatnonzero(both & (a.values != b.values))
            n = int(both.sum())
            if n < T.ROWS_FOR_IDENTIFIER or not 0 < len(unlike) <= (1 - T.NEARLY_EQUAL) * n:
                continue
            if _commonest_share(a.values[both]) > T.NEARLY_EQUAL / 2:
                continue  # mostly 0 in both
            found.append(_but_for_few(a.name, b.name, n, [rows[k] for k in unlike], outcome))
    return found


def _commonest_share(values: Floats) -> float:
    return float(np.unique(values, return_counts=True)[1].max() / len(values))


def _but_for_few(a: str, b: str, n: int, unlike: list[str], outcome: str | None) -> Finding:
    listed_ = f"row{'s' * (len(unlike) > 1)} {', '.join(unlike[:5])}{', …' * (len(unlike) > 5)}"
    of_outcome = outcome in (a, b)
    a, b = (b, a) if b == outcome else (a, b)
    return Finding(
        "same-column",
        "stop" if of_outcome else "caution",
        (b, a),
        f"{marked(b)} equals {marked(a)} in all but {len(unlike):,} of {plural(n, 'row')} ({listed_}).",
        f"Leave {marked(b)} out: it is the outcome, mended or spoilt in a few rows."
        if of_outcome
        else "Keep one, and find out which of the two is right in those rows.",
        {"rows": n, "unlike": unlike[:20]},
    )


def _linear_copies(columns: list[NumericColumn]) -> list[Finding]:
    """Screen on a sample of rows by correlation, then check all rows against the straight line."""
    if len(columns) < 2 or len(columns[0]) < T.ROWS_FOR_IDENTIFIER:
        return []
    n = len(columns[0])
    sample = np.arange(n) if n <= T.SCREEN_ROWS else np.linspace(0, n - 1, T.SCREEN_ROWS).astype(np.int64)
    z = np.stack([_standardized(c.values[sample]) for c in columns])
    copies: dict[str, list[tuple[str, float, float]]] = {}
    taken: set[int] = set()
    for start in range(0, len(columns), 500):
        block = z[start : start + 500] @ z.T / len(sample)
        for i, j in zip(*np.nonzero(np.abs(block) > T.SCREEN_CORRELATION), strict=True):
            a, b = int(i) + start, int(j)
            if a < b and b not in taken and a not in taken:
                line = _line(columns[a].values, columns[b].values)
                if line is not None:
                    taken.add(b)
                    copies.setdefault(columns[a].name, []).append((columns[b].name, *line))
    return [_same(name, *others) for name, others in copies.items()]


def _standardized(x: Floats) -> Floats:
    """Return values at mean 0 and deviation 1; missing is the mean, a constant is all zero."""
    present = ~np.isnan(x)
    if not present.any():
        return np.zeros(len(x))
    centred = np.where(present, x - x[present][0], 0.0)
    centred = np.where(present, centred - centred[present].mean(), 0.0)
    with np.errstate(over="ignore"):
        sd = float(np.sqrt(np.mean(centred**2)))
    return np.asarray(centred / sd) if sd > 0 else np.zeros(len(x))


def _line(x: Floats, y: Floats) -> tuple[float, float] | None:
    """Return slope and intercept if y is a straight line of x to within rounding, in every row with both."""
    both = ~(np.isnan(x) | np.isnan(y))
    x, y = x[both], y[both]
    if len(x) < T.ROWS_FOR_IDENTIFIER:
        return None
    dx, dy = x - x.mean(), y - y.mean()
    spread = float(np.sum(dx * dx))
    if spread == 0:
        return None
    slope = float(np.sum(dx * dy) / spread)
    worst = float(np.max(np.abs(dy - slope * dx)))
    if slope == 0 or worst > T.ROUNDING * float(np.std(dy)):
        return None
    return slope, float(y.mean() - slope * x.mean())


def _same(a: str, first: tuple[str, float, float], *others: tuple[str, float, float]) -> Finding:
    b, slope, intercept = first
    exact = abs(slope - 1) < 1e-9 and abs(intercept) < 1e-9
    plus = "" if abs(intercept) < 1e-3 * abs(slope) else f" {'+' if intercept > 0 else '−'} {abs(intercept):.4g}"
    what = f"equals {marked(a)}" if exact else f"is {slope:.5g} × {marked(a)}{plus}"
    more = f", and {len(others)} more columns are such copies of {marked(a)}" if others else ""
    return Finding(
        "same-column",
        "caution",
        (b, a, *(o[0] for o in others)),
        f"{marked(b)} {what} in every row, to within rounding{more}: the same thing "
        f"{'many times' if others else 'twice'}.",
        f"Keep one of {', '.join(map(marked, [a, b, *(o[0] for o in others)][:6]))}{', …' if len(others) > 4 else ''}.",
        {"slope": slope, "intercept": intercept},
    )


def _relabelled(columns: list[CategoryColumn]) -> list[Finding]:
    """Find categories that divide the rows alike: their codes, numbered by first appearance, are the same."""
    if not columns or len(columns[0]) < T.ROWS_FOR_IDENTIFIER:
        return []
    alike: dict[tuple[int, ...], list[CategoryColumn]] = defaultdict(list)
    for c in columns:
        alike[tuple(sorted(c.counts.tolist()))].append(c)
    found = []
    for near in alike.values():
        groups: dict[bytes, list[CategoryColumn]] = defaultdict(list)
        for c in near if len(near) > 1 else []:
            groups[hashlib.sha256(pd.factorize(c.codes)[0].tobytes()).digest()].append(c)
        found += [_renamed(*group) for group in groups.values() if len(group) > 1]
    return found


def _valued_alike(columns: list[NumericColumn]) -> list[Finding]:
    """Find numbers that have one value for each of another's, in their order or against it: an index beside its years.

    Without an order they may be two properties of one case that has several rows.
    """
    groups: dict[bytes, list[NumericColumn]] = defaultdict(list)
    for c in columns:
        codes = pd.factorize(c.values)[0]
        groups[hashlib.sha256(codes.tobytes()).digest()].append(c)
    found = []
    for a, *others in (g for g in groups.values() if len(g) > 1):
        curved = [b for b in others if _line(a.values, b.values) is None and _in_one_order(a.values, b.values)]
        if not curved:
            continue
        names = [c.name for c in (a, *curved)]
        first = sorted({*zip(a.values[~a.missing].tolist(), curved[0].values[~a.missing].tolist(), strict=True)})[:3]
        more = f", and {listed([*map(marked, names[2:])])} with them" if names[2:] else ""
        shown = ", ".join(f"{short_label(x)} with {short_label(y)}" for x, y in first)
        found.append(
            Finding(
                "same-column",
                "caution",
                (names[1], names[0], *names[2:]),
                f"{' and '.join(map(marked, names[:2]))} go together value by value in every row, {a.distinct} of each "
                f"({shown}, …){more}: the same thing {'twice' if len(names) == 2 else 'many times'}.",
                f"Keep one of {', '.join(map(marked, names[:6]))}{', …' if len(names) > 6 else ''}.",
                {"values": a.distinct},
            )
        )
    return found


def _in_one_order(x: Floats, y: Floats) -> bool:
    """Say whether numbers that have one value for each other's rise together, or fall as the other rises."""
    first = np.unique(x, return_index=True)[1]
    steps = np.diff(y[first][~np.isnan(x[first])])
    return bool((steps > 0).all() or (steps < 0).all())


def _renamed(a: CategoryColumn, b: CategoryColumn, *others: CategoryColumn) -> Finding:
    first = {str(x): str(b.levels[b.codes[np.argmax(a.codes == i)]]) for i, x in enumerate(a.levels[:5])}
    shown = ", ".join(f"{k} is {v}" for k, v in list(first.items())[:3])
    more = f", and {len(others)} more {'columns are' if len(others) > 1 else 'column is'} such" if others else ""
    names = [a.name, b.name, *(c.name for c in others)]
    alike = all(k == v for k, v in first.items())
    what = f"repeats {marked(a.name)}, level by level" if alike else f"is {marked(a.name)} under other names ({shown})"
    return Finding(
        "same-column",
        "caution",
        (b.name, a.name, *names[2:]),
        f"{marked(b.name)} {what}{more}: the same thing {'many times' if others else 'twice'}.",
        f"Keep one of {', '.join(map(marked, names[:6]))}{', …' if len(names) > 6 else ''}.",
        {"names": first},
    )
