"""Rows that repeat, identifiers that repeat, and the column that names cases."""

from __future__ import annotations

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ....errors import option
from ... import thresholds as T
from ...columns.names import glued_id, hints, names_rows
from ...columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ...columns.times import is_time
from ...finding import Finding, marked
from ...words import plural

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
    return any(
        c.distinct >= (T.IDENTIFIER_DISTINCT_SHARE if c.kind == "identifier" else T.OWN_VALUES) * len(c)
        for c in table if c.kind != "text"
    )  # fmt: skip


def _duplicate_rows(table: Table, again: NDArray[np.bool_]) -> Finding:
    rows = [str(r) for r in table.rows[np.flatnonzero(again)[:20]]]
    n = int(again.sum())
    return Finding(
        "duplicate-rows",
        "caution",
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
            f"{marked(c.name)} looks like an identifier, but {len(twice):,} of its values are given more than once "
            f"({shown}).",
            "Find out which row is right, or declare what a repeated value means.",
            {"values": [c.levels[i] for i in twice[:20]], "count": len(twice)},
        )
    ]


def _likely_unit(table: Table) -> list[Finding]:
    """Find the column whose values span several rows that share most of their other columns, or differ in time.

    Identifiers are tried, and whole numbers and names of which the name of the column says that they name cases.
    """
    best: tuple[int, str, list[str], int] | None = None
    for c in table:
        codes = _case_codes(c)
        if codes is None:
            continue
        counts = np.bincount(codes[codes >= 0])
        several, units = int(counts[counts > 1].sum()), int(np.count_nonzero(counts))
        if several < T.UNIT_ROWS * len(c) or units < T.LEAST_UNITS_IN_TIME:
            continue
        panel = float(np.median(counts[counts > 0])) >= T.ROWS_A_UNIT
        if not panel and (c.kind != "identifier" or units < T.ROWS_FOR_IDENTIFIER):
            continue
        shared = _shared_columns(table, c.name, codes)
        in_time = panel and _once_a_time(table, c.name, codes)
        by_name = panel and (glued_id(c.name) or hints(c.name, "few_cases"))
        enough = units >= T.LEAST_UNITS and (len(shared) >= 2 or (panel and shared) or by_name)
        if (enough or in_time) and (best is None or several > best[0]):
            best = (several, c.name, shared, units)
    if best is None:
        return []
    several, name, shared, units = best
    shown = f", and mostly the same {', '.join(map(marked, shared[:4]))}" if shared else ", at different times"
    return [
        Finding(
            "likely-unit",
            "caution",
            (name,),
            f"{marked(name)} has {units:,} different values in {plural(len(table), 'row')}: "
            f"{plural(several, 'row')} share "
            f"theirs with another row{shown}. Rows of one {marked(name)} are not independent.",
            f"Declare it the unit, {option('unit', name)}: folds keep it whole; intervals and tests count "
            f"{units:,} cases.",
            {"units": units, "rows_sharing": several, "same_within": shared},
        )
    ]


def _case_codes(c: Column) -> NDArray[np.int64] | None:
    """Return what may name cases as codes, −1 where missing; nothing for what cannot."""
    named = names_rows(c.name) and not hints(c.name, "counts")
    if isinstance(c, CategoryColumn):
        return c.codes.astype(np.int64) if c.kind == "identifier" or (named and c.kind == "nominal") else None
    if not (named and isinstance(c, NumericColumn) and c.kind != "constant"):
        return None
    present = c.values[~c.missing]
    if len(present) == 0 or (present != np.round(present)).any():
        return None
    return np.asarray(pd.factorize(c.values)[0], np.int64)


def _once_a_time(table: Table, unit: str, codes: NDArray[np.int64]) -> bool:
    """Say whether some column of times has each of its values once within every unit."""
    for c in table:
        if c.name == unit or not T.TIMES_OF_A_PANEL <= c.distinct < len(c):
            continue
        at = c.numbers
        if at is None and isinstance(c, CategoryColumn) and c.kind == "ordinal":
            at = np.where(c.missing, np.nan, c.codes)
        if at is None:
            continue
        if c.kind == "datetime" or hints(c.name, "ages") or is_time(c.name, at[~np.isnan(at)]):
            known = (codes >= 0) & ~np.isnan(at)
            pairs = pd.DataFrame({"unit": codes[known], "at": at[known]})
            if len(pairs) and not pairs.duplicated().any():
                return True
    return False


def _shared_columns(table: Table, unit: str, unit_codes: NDArray[np.int64]) -> list[str]:
    """Return the columns that mostly keep their value within a unit, and would not by chance."""
    order = np.argsort(unit_codes, kind="stable")
    codes = unit_codes[order]
    pair = np.flatnonzero((codes[1:] == codes[:-1]) & (codes[1:] >= 0))
    shared = []
    rng = np.random.default_rng(0)
    other = rng.permutation(len(order))[: len(pair)]
    for c in table:
        if c.name == unit or c.kind in ("constant", "text"):
            continue
        bits = _bits(c)
        within = float(np.mean(bits[order[pair]] == bits[order[pair + 1]]))
        by_chance = float(np.mean(bits[other] == bits[np.roll(other, 1)])) if len(other) > 1 else 1.0
        if len(pair) >= T.ROWS_FOR_IDENTIFIER and 1 - within <= T.DIFFER_WITHIN_UNIT * (1 - by_chance):
            shared.append(c.name)
    return shared
