"""Values off a scale that nearly all others keep to: a 9 among grades from 1 to 5, a share above 1."""

from __future__ import annotations

import re
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.kinds import distinct_numbers
from ...columns.labels import number_label, short_label
from ...columns.names import spelt_apart
from ...columns.readings import read_numbers
from ...columns.table import CategoryColumn, Column, NumericColumn, Table
from ...finding import Finding, marked
from ...words import plural

Floats = NDArray[np.float64]

_SHARE = re.compile(r"(?:^|_)(?:prb?|prob|probability|prop|proportion|share|frac|fraction)(?:_|$)|^prb|(?:rate|share)$")


def off_scale_findings(table: Table) -> list[Finding]:
    """Find one value far beyond the grades of a scale, and shares above 1."""
    found = []
    for c in table:
        values = _numbers(c)
        if values is None:
            continue
        there = values[~np.isnan(values)]
        if len(there) >= T.SCALE_ROWS:
            found += (
                _beyond(table, c.name, values, there)
                or _above_one(table, c.name, values, there)
                or _between(table, c.name, values, there)
            )
    return found


def _numbers(c: Column) -> Floats | None:
    """Return the numbers of a column, or those its ordered levels are written as; nothing of others."""
    if isinstance(c, NumericColumn):
        return None if c.kind == "datetime" else c.values
    if not isinstance(c, CategoryColumn) or c.kind != "ordinal":
        return None
    read = read_numbers(list(c.written))
    return None if read is None else np.append(read.values, np.nan)[c.codes]


def _beyond(table: Table, name: str, values: Floats, there: Floats) -> list[Finding]:
    """Find one or two rows of a value apart from grades that follow each other and that many rows end at."""
    if there[0] != np.floor(there[0]) or (there != np.floor(there)).any() or np.ptp(there) > T.SCALE_WIDEST:
        return []
    unique, rows = distinct_numbers(there)
    if not 4 <= len(unique) <= T.SCALE_GRADES or rows[-1] > T.SCALE_SLIPS:
        return []
    *grades, last = (float(v) for v in unique)
    follow = all(b - a == 1 for a, b in pairwise(grades))
    if not follow or last - grades[-1] < T.SCALE_GAP or rows[-2] < T.SCALE_ENDS * len(there):
        return []
    at = list(map(str, table.rows[np.flatnonzero(values == last)]))
    return [
        Finding(
            "impossible-value",
            "note",
            (name,),
            f"{marked(name)} is {number_label(last)} in {plural(len(at), 'row')} (row{'s' * (len(at) > 1)} "
            f"{', '.join(at)}), where all others are {number_label(grades[0])} to {number_label(grades[-1])}: no grade "
            "of that scale.",
            "A slip, or a mark for no answer: mend it, or blank it.",
            {"rows": at, "count": len(at), "low": grades[0], "high": grades[-1]},
        )
    ]


def _above_one(table: Table, name: str, values: Floats, there: Floats) -> list[Finding]:
    """Find values above 1 of what by its name is a share, and lies between 0 and 1 elsewhere."""
    if there.min() < 0 or there.max() <= 1 or not _SHARE.search(spelt_apart(name)):
        return []
    if np.mean((there > 0) & (there < 1)) < T.SHARES_BELOW_ONE:
        return []
    at = np.flatnonzero(values > 1)
    rows = [str(table.rows[i]) for i in at[:20]]
    shown = f"row{'s' * (len(at) > 1)} {', '.join(rows[:3])}{', …' if len(at) > 3 else ''}"
    return [
        Finding(
            "impossible-value",
            "note",
            (name,),
            f"{marked(name)} is above 1 in {plural(len(at), 'row')} of {len(there):,}, up to "
            f"{short_label(there.max())}, and between 0 and 1 in the others "
            f"({shown}): no share, and no probability, is.",
            "Ask what it divides by what: if one count by another, say so and take its logarithm; if it is a share, "
            "mend those cells.",
            {"rows": rows, "count": len(at), "low": 0.0, "high": 1.0},
        )
    ]


def _between(table: Table, name: str, values: Floats, there: Floats) -> list[Finding]:
    """Find rows between the steps of a number that is whole in all others, and whether it is the mean of these."""
    whole = there == np.floor(there)
    slips = int(np.count_nonzero(~whole))
    if not 0 < slips <= max(1, T.BETWEEN_SLIPS * len(there)) or np.ptp(there) > T.SCALE_WIDEST:
        return []
    grades = distinct_numbers(there[whole])[0]
    if len(grades) < 3 or (np.diff(grades) != 1).any():
        return []
    at = np.flatnonzero(values != np.floor(values))
    at = at[~np.isnan(values[at])]
    mean = float(there[whole].mean())
    filled = bool((np.abs(values[at] - mean) <= T.BETWEEN_MEAN * float(np.std(there))).all())
    rows = [str(table.rows[i]) for i in at[:20]]
    shown = f"row{'s' * (slips > 1)} {', '.join(rows[:3])}{', …' if slips > 3 else ''}"
    first = number_label(float(f"{values[at[0]]:.6g}"))
    means = ", which is the mean of the others: somebody filled it in" if filled else ""
    return [
        Finding(
            "impossible-value",
            "caution" if filled else "note",
            (name,),
            f"{marked(name)} is whole, {number_label(grades[0])} to {number_label(grades[-1])}, but {first} in "
            f"{plural(slips, 'row')} ({shown}){means}.",
            "Blank it: what is filled in is not known. Look whether other columns of the row were filled in too."
            if filled
            else "Ask what stands between the steps: a slip, a mean of two, or another unit.",
            {"rows": rows, "count": slips, "low": float(grades[0]), "high": float(grades[-1]), "filled": filled},
        )
    ]
