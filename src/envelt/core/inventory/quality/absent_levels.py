"""Missing values that all lie in a few of the many levels of another column: a state that was not asked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ... import thresholds as T
from ...columns.labels import short_label
from ...columns.table import CategoryColumn, Column, Table, TimeColumn
from ...finding import Finding, marked
from ...stats.sampling import Sampling
from ...stats.stratified import units_in
from ...words import plural

Mask = NDArray[np.bool_]
Codes = NDArray[np.int64]

LOOKED_AT = 200
"""Gaps of a column by which it is seen that they lie in many levels."""


def missing_in_levels(table: Table, outcome: str | None, sampling: Sampling, told: set[str]) -> list[Finding]:
    """Find columns of which all gaps lie in at most five levels of another, so few that it is not by chance.

    The chance that so many cases all fall into some such levels is at most the number of such sets of levels times
    their share of all rows to that power.

    Parameters
    ----------
    told
        Columns whose gaps have been told to go with another.
    """
    masks = {n: m for n, m in patterns_of_gaps(table, outcome, T.FEWEST_GAPS).items() if n not in told}
    some = {n: np.flatnonzero(m)[:LOOKED_AT] for n, m in masks.items()}
    found: dict[str, tuple[float, Finding]] = {}
    for c in table:
        values = None if c.name == outcome else _values(c)
        if values is None:
            continue
        near = [n for n, at in some.items() if n != c.name and len(np.unique(values[at])) <= T.FEW_GAP_LEVELS]
        if not near:
            continue
        coded = _coded(c)
        for name in near:
            seen = _in_few(name, masks[name], c.name, coded, sampling)
            if seen is not None and (name not in found or seen[0] < found[name][0]):
                found[name] = seen
    return [f for _, f in found.values()]


def patterns_of_gaps(table: Table, outcome: str | None, least: int) -> dict[str, Mask]:
    """Return the different patterns of gaps of so many rows, by the first column that has each."""
    seen: dict[bytes, str] = {}
    for c in table:
        missing = c.missing
        k = int(missing.sum())
        if c.name != outcome and least <= k <= len(table) - least:
            seen.setdefault(np.packbits(missing).tobytes(), c.name)
    return {name: table[name].missing for name in seen.values()}


def explained_by(codes: Codes, missing: Mask) -> float:
    """Return the share of the variance of whether a value is missing that lies between the levels of another column."""
    place = codes + 1  # where the other is missing is a level too
    n = np.bincount(place)
    share = np.bincount(place, weights=missing) / np.maximum(n, 1)
    p = float(missing.mean())
    return float(n @ (share - p) ** 2 / len(codes) / (p * (1 - p)))


def _values(c: Column) -> NDArray[np.generic] | None:
    """Return the codes or numbers of a column that may have from four to a hundred levels; nothing of others."""
    if isinstance(c, TimeColumn) or c.kind in ("identifier", "text", "constant", "binary"):
        return None
    if isinstance(c, CategoryColumn):
        return c.codes if 4 <= len(c.levels) <= T.MOST_LEVELS_OF_GAPS else None
    return c.numbers if c.kind in ("discrete", "datetime") and 4 <= c.distinct <= T.MOST_LEVELS_OF_GAPS else None


def _coded(c: Column) -> tuple[Codes, tuple[str, ...]]:
    """Return the level of each row, −1 where missing, and what the levels are called."""
    if isinstance(c, CategoryColumn):
        return c.codes.astype(np.int64), tuple(map(repr, c.levels))
    assert c.numbers is not None
    there = ~np.isnan(c.numbers)
    values, place = np.unique(c.numbers[there], return_inverse=True)
    codes = np.full(len(there), -1, np.int64)
    codes[there] = place
    return codes, tuple(short_label(v) for v in values)


def _in_few(
    name: str, missing: Mask, other: str, coded: tuple[Codes, tuple[str, ...]], sampling: Sampling
) -> tuple[float, Finding] | None:
    codes, labels = coded
    inside = codes >= 0
    gaps = missing & inside
    if gaps.sum() < missing.sum():
        return None
    n = np.bincount(codes[inside], minlength=len(labels))
    absent = np.bincount(codes[gaps], minlength=len(labels))
    at = np.flatnonzero(absent)
    share = float(n[at].sum()) / max(int(n.sum()), 1)
    if not 1 <= len(at) <= T.FEW_GAP_LEVELS or share > T.SHARE_OF_GAP_LEVELS:
        return None
    cases = float(absent.sum())
    if sampling.clustered:
        cases = float(units_in(codes[gaps], len(labels), sampling.take(gaps)).sum())
    if cases < T.FEWEST_GAPS or special.binom(len(labels), len(at)) * share**cases > T.GAPS_BY_CHANCE:
        return None
    at = at[np.argsort(-absent[at], kind="stable")]
    listed = ", ".join(f"{labels[k]} ({absent[k]:,} of {n[k]:,})" for k in at)
    finding = Finding(
        "missing-follows-column",
        "note",
        (name, other),
        f"All {plural(int(absent.sum()), 'row')} without {marked(name)} have {plural(len(at), 'value')} of "
        f"{marked(other)}, of {len(labels)}: {listed}.",
        f"Ask what {marked(other)} has to do with it: what was not asked there, or cannot be, is no unknown value.",
        {
            "missing": {labels[k]: [int(absent[k]), int(n[k])] for k in at},
            "share": share,
            "explains": explained_by(codes, missing),
        },
    )
    return share, finding
