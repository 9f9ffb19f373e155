"""Rows that repeat, identifiers that repeat, and the column that names cases."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy import special

from ... import thresholds as T
from ...columns.names import glued_id, hints
from ...columns.outcome import Outcome
from ...columns.table import CategoryColumn, Column, Table
from ...finding import Finding, marked
from ...words import be, plural
from .crossed import crossing_of
from .row_bits import bits_of
from .units import likely_unit_findings

Hashes = NDArray[np.uint64]


def row_keys(table: Table) -> Hashes:
    """Return a hash of every row: the sum of one of each column, so that a column can be taken out again."""
    keys = np.zeros(len(table), np.uint64)
    for k, c in enumerate(table):
        keys += _mixed(c, k)
    return keys


def _mixed(c: Column, place: int) -> Hashes:
    """Return a hash of a column's values, another at each place (Steele, Lea & Flood 2014: splitmix64)."""
    with np.errstate(over="ignore"):
        z = bits_of(c) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(0xD1B54A32D192ED03) * np.uint64(place + 1)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        return np.asarray(z ^ (z >> np.uint64(31)))


def repeated_rows(table: Table) -> int:
    """Return how many rows repeat an earlier one in every column."""
    return int(pd.Series(row_keys(table)).duplicated().sum()) if len(table.columns) else 0


def repeat_findings(table: Table, unit: str | None, outcome: Outcome | None) -> list[Finding]:
    """Find exact duplicate rows, identifiers given twice, and a likely unit that was not declared."""
    found = []
    again = np.zeros(len(table), bool)
    if len(table.columns) > 1:
        keys = row_keys(table)
        again = np.asarray(pd.Series(keys).duplicated())
        named = bool(again.any()) and _has_names(table) and not _as_by_chance(table, keys)
        if again.any() and (named or _are_copies(table, keys)):
            keyed = any(c.kind == "identifier" and c.distinct > T.OWN_VALUES * len(c) for c in table)
            sure = keyed or (again.sum() >= T.MANY_REPEATED * len(table) and not _measured_again(table))
            found.append(_duplicate_rows(table, again, "caution" if sure else "note"))
    for c in table:
        if c.kind == "identifier" and c.name != unit:
            found += _identifier(c, again)
    if unit is None:
        found += likely_unit_findings(table, outcome)
    return found


def _has_names(table: Table) -> bool:
    """Say whether equal rows are one record: something in a row is its own, so that chance does not make two alike."""
    return any(
        c.distinct >= (T.IDENTIFIER_DISTINCT_SHARE if c.kind == "identifier" else T.OWN_VALUES) * len(c)
        for c in table if c.kind != "text"
    )  # fmt: skip


def _are_copies(table: Table, keys: Hashes) -> bool:
    """Say whether rows are alike because one was copied, and not by chance.

    By chance far more rows would agree in all columns but one than in all: if a value has a share s, 1 − s of those
    that agree in the rest differ in it.
    """
    if len(table) * len(table.columns) > T.MOST_CELLS_COMPARED:
        return False
    same = _pairs(keys)
    nearly, mixed = 0, [_mixed(c, k) for k, c in enumerate(table) if c.kind != "constant"]
    for own in mixed:
        nearly += _pairs(keys - own) - same
        if nearly > same / T.COPIES_OVER_CHANCE:
            return False
    if len(mixed) > T.FEW_COLUMNS or len(table) > T.SCREEN_GAPS:
        return True
    # of columns of which some make another up, two must go before rows can differ
    return max((_pairs(keys - a - b) for a, b in combinations(mixed, 2)), default=same) < 2 * same


def _as_by_chance(table: Table, keys: Hashes) -> bool:
    """Say whether rows that share what is nearly each row's own agree in the rest no more often than any two rows."""
    k = max(range(len(table.columns)), key=lambda k: list(table)[k].distinct)
    own = _mixed(list(table)[k], k)
    n, tied, same, rest = len(table), _pairs(own), _pairs(keys), _pairs(keys - own)
    share = rest / max(n * (n - 1) // 2, 1)
    return bool(special.bdtrc(same - 1, tied, share) > T.COPIES_BY_CHANCE) if tied and share < 1 else False


def _measured_again(table: Table) -> bool:
    """Say whether somebody planned several rows of each combination, of which two may well be equal."""
    crossed = crossing_of(table)
    return crossed is not None and crossed.sure and crossed.each > 1


def _pairs(keys: Hashes) -> int:
    n = np.unique(keys, return_counts=True)[1]
    return int(np.sum(n * (n - 1) // 2))


def _duplicate_rows(table: Table, again: NDArray[np.bool_], weight: str) -> Finding:
    rows = [str(r) for r in table.rows[np.flatnonzero(again)[:20]]]
    n = int(again.sum())
    return Finding(
        "duplicate-rows",
        weight,
        (),
        f"{plural(n, 'row')} {'repeats' if n == 1 else 'repeat'} an earlier row in every column "
        f"({'row' if n == 1 else 'rows'} {', '.join(rows[:5])}{', …' if n > 5 else ''}).",
        "Drop them unless two equal cases are possible; repeated rows make every interval too narrow.",
        {"rows": rows, "count": n},
    )


def _identifier(c: Column, again: NDArray[np.bool_]) -> list[Finding]:
    """Name an identifier of which a few values are given twice, exact duplicate rows aside.

    Words without a digit, as names of people and places are, may well occur twice.
    """
    if not isinstance(c, CategoryColumn):
        return []
    if any(not level.strip() for level in c.levels):
        return []  # a blank names nothing
    numbered = sum(any(ch.isdigit() for ch in level) for level in c.levels[: T.SCREEN_ROWS])
    if 2 * numbered < min(len(c.levels), T.SCREEN_ROWS) and not (hints(c.name, "identifiers") or glued_id(c.name)):
        return []
    counts = np.bincount(c.codes[(c.codes >= 0) & ~again], minlength=len(c.levels))
    twice = np.flatnonzero(counts > 1)
    present = int(counts.sum())
    if len(twice) == 0 or present == 0 or len(twice) > T.FEW_REPEATED * np.count_nonzero(counts):
        return []
    shown = ", ".join(repr(c.levels[i]) for i in twice[:4])
    return [
        Finding(
            "duplicate-identifier",
            "caution",
            (c.name,),
            f"{marked(c.name)} looks like an identifier, but {len(twice):,} of its values {be(len(twice))} given more "
            f"than once ({shown}).",
            "Find out which row is right, or declare what a repeated value means.",
            {"values": [c.levels[i] for i in twice[:20]], "count": len(twice)},
        )
    ]
