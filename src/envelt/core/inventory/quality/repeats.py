"""Rows that repeat, identifiers that repeat, and the column that names cases."""

from __future__ import annotations

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ...finding import Finding, marked

Hashes = NDArray[np.uint64]


def row_keys(table: Table) -> Hashes:
    """Return a hash of every row: a polynomial in the columns' codes or bits, mixed at the end."""
    keys = np.zeros(len(table), np.uint64)
    with np.errstate(over="ignore"):
        for c in table:
            keys *= np.uint64(0x9E3779B97F4A7C15)
            keys ^= _bits(c)
            keys ^= keys >> np.uint64(29)
    return keys


def _bits(c: Column) -> Hashes:
    if isinstance(c, CategoryColumn):
        return c.codes.astype(np.int64).view(np.uint64)
    if isinstance(c, TimeColumn):
        return np.where(c.absent, np.iinfo(np.int64).min, c.values).view(np.uint64)
    assert isinstance(c, NumericColumn)
    values = c.values + 0.0  # minus zero is zero
    return values.view(np.uint64)


def repeat_findings(table: Table, unit: str | None) -> list[Finding]:
    """Find exact duplicate rows, identifiers given twice, and a likely unit that was not declared."""
    found = []
    again = np.zeros(len(table), bool)
    if len(table.columns) > 1:
        again = np.asarray(pd.Series(row_keys(table)).duplicated())
        if again.any() and _has_names(table):
            found.append(_duplicate_rows(table, again))
    for c in table:
        if c.kind == "identifier" and c.name != unit:
            found += _identifier(c, again)
    if unit is None:
        found += _likely_unit(table)
    return found


def _has_names(table: Table) -> bool:
    """Say whether equal rows are one record: something in a row is its own, so that chance does not make two alike."""
    return any(c.kind == "identifier" or c.distinct >= T.OWN_VALUES * len(c) for c in table if c.kind != "text")


def _duplicate_rows(table: Table, again: NDArray[np.bool_]) -> Finding:
    rows = [str(r) for r in table.rows[np.flatnonzero(again)[:20]]]
    n = int(again.sum())
    return Finding(
        "duplicate-rows",
        "caution",
        (),
        f"{n:,} rows repeat an earlier row in every column (rows {', '.join(rows[:5])}{', …' if n > 5 else ''}).",
        "Drop them unless two equal cases are possible; repeated rows make every interval too narrow.",
        {"rows": rows, "count": n},
    )


def _identifier(c: Column, again: NDArray[np.bool_]) -> list[Finding]:
    """Name an identifier of which a few values are given twice, exact duplicate rows aside."""
    if not isinstance(c, CategoryColumn):
        return []
    counts = np.bincount(c.codes[(c.codes >= 0) & ~again], minlength=len(c.levels))
    twice = np.flatnonzero(counts > 1)
    present = int(counts.sum())
    if len(twice) == 0 or present == 0 or len(twice) / present > T.FEW_REPEATED:
        return []
    shown = ", ".join(repr(c.levels[i]) for i in twice[:4])
    return [
        Finding(
            "duplicate-identifier",
            "caution",
            (c.name,),
            f"{marked(c.name)} looks like an identifier, but {len(twice):,} of its values are given more than once "
            f"({shown}).",
            "Find out which row is right, or declare what a repeated value means.",
            {"values": [c.levels[i] for i in twice[:20]], "count": len(twice)},
        )
    ]


def _likely_unit(table: Table) -> list[Finding]:
    """Find the identifier whose values span several rows that share most of their other columns."""
    best: tuple[int, CategoryColumn, list[str], int] | None = None
    for c in table:
        if not isinstance(c, CategoryColumn) or c.kind != "identifier":
            continue
        counts = c.counts
        several = int(counts[counts > 1].sum())
        if several < T.UNIT_ROWS * len(c) or len(c.levels) < T.ROWS_FOR_IDENTIFIER:
            continue
        shared = _shared_columns(table, c)
        if len(shared) >= 2 and (best is None or several > best[0]):
            best = (several, c, shared, int(np.count_nonzero(counts)))
    if best is None:
        return []
    several, c, shared, units = best[0], best[1], best[2], best[3]
    shown = ", ".join(map(marked, shared[:4]))
    return [
        Finding(
            "likely-unit",
            "caution",
            (c.name,),
            f"The rows are {units:,} different {marked(c.name)}: {several:,} of them share theirs with another row, "
            f"and mostly the same {shown}. Rows of one {marked(c.name)} are not independent.",
            f"Declare it the unit (--unit {c.name}): folds keep it whole; intervals and tests count {units:,} cases.",
            {"units": units, "rows_sharing": int(several), "same_within": shared},
        )
    ]


def _shared_columns(table: Table, unit: CategoryColumn) -> list[str]:
    """Return the columns that mostly keep their value within a unit, and would not by chance."""
    order = np.argsort(unit.codes, kind="stable")
    codes = unit.codes[order]
    pair = np.flatnonzero((codes[1:] == codes[:-1]) & (codes[1:] >= 0))
    shared = []
    rng = np.random.default_rng(0)
    other = rng.permutation(len(order))[: len(pair)]
    for c in table:
        if c.name == unit.name or c.kind in ("constant", "text"):
            continue
        bits = _bits(c)
        within = float(np.mean(bits[order[pair]] == bits[order[pair + 1]]))
        by_chance = float(np.mean(bits[other] == bits[np.roll(other, 1)])) if len(other) > 1 else 1.0
        if within >= T.SAME_WITHIN_UNIT and by_chance < T.SAME_WITHIN_UNIT / 2:
            shared.append(c.name)
    return shared
