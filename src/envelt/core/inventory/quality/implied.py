"""Levels that come with one level of another column in all rows but a few: never asked there, or said twice."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise, permutations

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.table import CategoryColumn, NumericColumn, Table
from ...finding import Finding, marked
from ...stats.sampling import Sampling
from ...stats.stratified import units_in
from ...words import plural
from .absent_where import coded_levels
from .flags import is_set

Codes = NDArray[np.int64]

MOST_COLUMNS = 60
"""Columns set against each other, those with fewest levels first."""
MOST_SAID = 3


@dataclass(frozen=True)
class _InLevels:
    name: str
    codes: Codes
    labels: tuple[str, ...]
    flag: int | None
    """The level that says it is set, of a flag."""
    number: bool


@dataclass(frozen=True)
class _Implied:
    """Where ``a`` has one level ``b`` has one too, in ``rows`` of ``of`` rows; ``missed`` others would be expected."""

    a: str
    level: str
    b: str
    other: str
    rows: int
    of: int
    elsewhere: float
    missed: float


def implied_levels(table: Table, outcome: str | None, sampling: Sampling) -> list[Finding]:
    """Say which levels of a column nearly always come with one level of another, where chance would mix them.

    Of the rows at a level so many would have another level of the second column as have elsewhere; told is where that
    is `thresholds.IMPLIED_EXPECTED` or more rows (cases, of a unit) and at most `thresholds.IMPLIED_SLIPS` of them do.
    A column that follows from another as a whole, and flags of which one is set at most, are told elsewhere.
    """
    coded = []
    for c in table:
        few = isinstance(c, CategoryColumn) or c.distinct <= T.MOST_GAP_LEVELS  # of bins it would be a correlation
        levels = coded_levels(c) if few and c.name != outcome else None
        if levels is not None and len(levels[1]) <= T.MOST_GAP_LEVELS:
            flag = is_set(table, c.name)
            at = None if flag is None or not flag.any() else int(levels[0][np.argmax(flag)])
            coded.append(_InLevels(c.name, *levels, at, isinstance(c, NumericColumn) and c.kind != "binary"))
    coded = sorted(coded, key=lambda v: len(v.labels))[:MOST_COLUMNS]
    every = np.arange(0, len(table), max(1, len(table) // T.SCREEN_GAPS))
    some, screened = _counts_of_all([v.codes[every] for v in coded], [len(v.labels) for v in coded])
    found: dict[frozenset[str], _Implied] = {}
    for i, j in permutations(range(len(coded)), 2):
        a, b = coded[i], coded[j]
        if (a.number and b.number) or not _implied(a, b, screened[some[i], some[j]]):
            continue
        both = (a.codes >= 0) & (b.codes >= 0)
        counts = np.bincount(a.codes[both] * len(b.labels) + b.codes[both], minlength=len(a.labels) * len(b.labels))
        for told in _implied(a, b, counts.reshape(len(a.labels), len(b.labels)), sampling.take(both), a.codes[both]):
            pair = frozenset((a.name, b.name))
            if pair not in found or told.missed > found[pair].missed:
                found[pair] = told
    several = sorted(found.values(), key=lambda f: -f.missed)
    return [_said(several)] if several else []


def _counts_of_all(codes: list[Codes], sizes: list[int]) -> tuple[list[slice], Codes]:
    """Return the places of each column's levels, and of all pairs of levels in how many rows both are."""
    ends = np.cumsum([0, *sizes])
    there = np.zeros((len(codes[0]) if codes else 0, int(ends[-1])), np.float32)
    for of, begin in zip(codes, ends[:-1], strict=True):
        rows = np.flatnonzero(of >= 0)
        there[rows, begin + of[rows]] = 1
    return [slice(a, b) for a, b in pairwise(ends.tolist())], (there.T @ there).astype(np.int64)


def _implied(
    a: _InLevels, b: _InLevels, counts: Codes, sampling: Sampling | None = None, codes: Codes | None = None
) -> list[_Implied]:
    """Return what levels of the first bring with them of the second, by a table of counts; of units by their number."""
    n = int(counts.sum())
    if n == 0 or max(counts.max(axis=1).sum(), counts.max(axis=0).sum()) >= T.IMPLIED_WHOLE * n:
        return []
    at, of_b = counts.sum(axis=1), counts.sum(axis=0)
    elsewhere = (of_b - counts) / np.maximum(n - at, 1)[:, None]
    expected = at[:, None] * (1 - elsewhere)
    slips = at[:, None] - counts
    told = (expected >= T.IMPLIED_EXPECTED) & (slips <= T.IMPLIED_SLIPS * expected)
    told &= (at <= T.IMPLIED_MOST * n)[:, None]
    if sampling is not None and codes is not None and sampling.clustered and told.any():
        cases = units_in(codes, len(a.labels), sampling)
        told &= cases[:, None] * (1 - elsewhere) >= T.IMPLIED_EXPECTED
    return [
        _Implied(
            a.name, a.labels[i], b.name, b.labels[j], int(counts[i, j]), int(at[i]), float(elsewhere[i, j]),
            float(expected[i, j] - slips[i, j]),
        )
        for i, j in np.argwhere(told)
        if not (a.flag is not None and b.flag is not None and i == a.flag and j != b.flag)
    ]  # fmt: skip


def _said(found: list[_Implied]) -> Finding:
    told = "; ".join(
        f"where {marked(f.a)} is {f.level}, {marked(f.b)} is {f.other} in {f.rows:,} of {plural(f.of, 'row')} "
        f"(elsewhere {f.elsewhere:.0%})"
        for f in found[:MOST_SAID]
    )
    more = f"; and {plural(len(found) - MOST_SAID, 'more pair')} of columns" if len(found) > MOST_SAID else ""
    return Finding(
        "redundancy-of-levels",
        "note",
        tuple(dict.fromkeys(n for f in found for n in (f.a, f.b))),
        f"{told[0].upper()}{told[1:]}{more}.",
        "Ask why: it was not asked there, it cannot be otherwise, or both say the same. A model cannot tell them apart "
        "where they always go together.",
        {"pairs": [[f.a, f.level, f.b, f.other, f.rows, f.of, f.elsewhere] for f in found]},
    )
