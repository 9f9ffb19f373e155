"""Missing values that go with another column: pregnancies of men."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.labels import short_label
from ...columns.table import CategoryColumn, Column, Table, TimeColumn
from ...columns.times import is_time
from ...finding import Finding, marked, of_many
from ...shapes.quantiles import few_values, quantile_edges
from ...stats.sampling import Sampling
from ...stats.stratified import units_in
from ...words import plural
from .absent_levels import explained_by, missing_in_levels, patterns_of_gaps

Mask = NDArray[np.bool_]
Codes = NDArray[np.int64]


def missing_where(table: Table, outcome: str | None, sampling: Sampling) -> list[Finding]:
    """Find columns that go missing at one end, or at one level, of another column and hardly elsewhere.

    Every different pattern of gaps is set against every column, on 20,000 rows; what is found is counted on all.
    """
    masks = patterns_of_gaps(table, outcome, T.GAP_ROWS)
    step = max(1, len(table) // T.SCREEN_GAPS)
    rows = np.arange(0, len(table), step)
    some = sampling.take(rows)
    most = max(1, T.MOST_GAP_LOOKS // max(len(table.columns), 1))
    masks = dict(list(masks.items())[:most])
    best: dict[str, tuple[float, Column]] = {}
    for c in table:
        if c.name == outcome:
            continue
        coded = coded_levels(c.take(rows))
        if coded is None:
            continue
        readable = _readable(coded[0], len(coded[1]), some)
        for name, mask in masks.items():
            if name == c.name:
                continue
            gap = _gap(coded[0], readable, mask[rows])[0]
            if gap >= T.GAP_APART and (name not in best or gap > best[name][0] + T.GAP_BETTER):
                best[name] = (gap, c)
    told = [f for name, (_, c) in best.items() for f in _found(name, masks[name], c, sampling)]
    return [*told, *missing_in_levels(table, outcome, sampling, {f.columns[0] for f in told})]


def by_cause(where: list[Finding]) -> list[Finding]:
    """Say at once which columns go missing with one other column, where they are many."""
    found: dict[str, list[Finding]] = {}
    for f in where:
        found.setdefault(f.columns[1], []).append(f)
    return [f for of in found.values() for f in (of if len(of) <= T.MOST_GAPS_APART else [_joined(of)])]


def _joined(found: list[Finding]) -> Finding:
    """Join what has one cause: gaps of many columns that go with one other, the widest of them told."""
    found.sort(key=lambda f: (f.weight, -f.evidence.get("gap", 0.0)))  # cautions before notes
    names, other = [f.columns[0] for f in found], found[0].columns[1]
    return of_many(
        found,
        f"{plural(len(names), 'column')} are missing at some values of {marked(other)} and hardly at others: "
        f"{', '.join(map(marked, names[:5]))}{', …' if len(names) > 5 else ''}. The widest: "
        f"{found[0].marked_statement}",
        also=(other,),
    )


def coded_levels(c: Column) -> tuple[Codes, tuple[str, ...]] | None:
    """Return a column in at most twelve levels or bins, −1 where missing; nothing where it has none."""
    if isinstance(c, CategoryColumn):
        if c.kind in ("identifier", "text", "constant") or not 2 <= len(c.levels) <= T.MOST_GAP_LEVELS:
            return None
        return c.codes.astype(np.int64), tuple(repr(level) for level in c.levels)
    values = c.numbers
    assert values is not None
    ordered = np.sort(values[~np.isnan(values)])
    if isinstance(c, TimeColumn) or len(ordered) == 0:
        return None
    few = few_values([ordered], T.MOST_GAP_LEVELS)
    edges = few[0][1:] if few is not None else quantile_edges(ordered, T.GAP_BINS)
    if len(edges) == 0:
        return None
    codes = np.where(np.isnan(values), -1, np.searchsorted(edges, values, "right"))
    if few is not None:
        return codes, tuple(short_label(v) for v in few[0])
    ends = [short_label(e) for e in edges]
    between = tuple(f"{a} to {b}" for a, b in pairwise(ends))
    return codes, (f"under {ends[0]}", *between, f"{ends[-1]} or more")


def _readable(codes: Codes, size: int, sampling: Sampling) -> Mask:
    """Say at which levels a share of gaps can be read: there are rows, and cases, enough."""
    inside = codes >= 0
    if sampling.clustered:
        return np.asarray(units_in(codes[inside], size, sampling.take(inside)) >= T.GAP_ROWS)
    return np.bincount(codes[inside], minlength=size) >= T.GAP_ROWS


def _gap(codes: Codes, readable: Mask, missing: Mask) -> tuple[float, int, int, NDArray[np.float64]]:
    """Return the distance between the largest and smallest share of gaps, where they are, and all shares."""
    inside, size = codes >= 0, len(readable)
    n = np.bincount(codes[inside], minlength=size)
    absent = np.bincount(codes[inside & missing], minlength=size)
    share = np.where(readable, absent / np.maximum(n, 1), np.nan)
    if np.isnan(share).all():
        return 0.0, 0, 0, share
    high, low = int(np.nanargmax(share)), int(np.nanargmin(share))
    return float(share[high] - share[low]), high, low, share


def _found(name: str, missing: Mask, other: Column, sampling: Sampling) -> list[Finding]:
    coded = coded_levels(other)
    if coded is None:
        return []
    gap, high, low, share = _gap(coded[0], _readable(coded[0], len(coded[1]), sampling), missing)
    if gap < T.GAP_APART:
        return []
    structural = bool(share[high] >= T.GAP_ALL and share[low] <= 1 - T.GAP_ALL)
    labels = coded[1]
    advice = f"Ask what {marked(other.name)} has to do with it before you fill or drop these rows."
    seen = other.numbers
    if seen is not None and is_time(other.name, seen[~np.isnan(seen)]):
        structural = False
        advice = "It was not always written down: compare times within which it was."
    elif structural:
        advice = (
            "A value that cannot be is no value that is unknown: do not fill it with a mean; give it a level, or look "
            f"at {marked(name)} only where it can be."
        )
    return [
        Finding(
            "missing-follows-column",
            "caution" if structural else "note",
            (name, other.name),
            f"{marked(name)} is missing in {share[high]:.0%} of the rows where {marked(other.name)} is {labels[high]} "
            f"and in {share[low]:.0%} where it is {labels[low]}.",
            advice,
            {
                "missing_share": {labels[k]: float(share[k]) for k in range(len(labels))},
                "gap": gap,
                "explains": explained_by(coded[0], missing),
            },
        )
    ]
