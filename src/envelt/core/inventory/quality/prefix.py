"""Identifiers whose first part tells the outcome: they were given with it, or by what made it."""

from __future__ import annotations

import re

import numpy as np

from ... import thresholds as T
from ...columns.outcome import ClassOutcome, Outcome
from ...columns.table import CategoryColumn, Column
from ...finding import Finding, marked
from ...stats.expected import column_lambda
from ...words import listed

_FIRST = re.compile(r"^\s*([^\W_]+)[\W_]")
MOST_PLACES = 4
"""Signs at the start of an identifier that may say something."""


def first_part(c: Column, outcome: Outcome) -> list[Finding]:
    """Say so where what stands before an identifier's first separator, or its first few signs, tell the classes apart.

    Of the rows that always saying the largest class gets wrong, that part must get most right (`column_lambda`), and
    have ten rows a value or more.
    """
    if not isinstance(c, CategoryColumn) or c.kind != "identifier" or not isinstance(outcome, ClassOutcome):
        return []
    known = outcome.known & (c.codes >= 0)
    classes = outcome.codes[known]
    n = len(classes)
    if n < T.ROWS_FOR_LEVELS or n - np.bincount(classes).max() < T.FEW_ROWS:
        return []
    for places in range(MOST_PLACES + 1):  # 0: what stands before the first separator
        names, of_level = np.unique([_part(level, places) for level in c.levels], return_inverse=True)
        if len(names) < 2 or len(names) * T.FEW_ROWS > n:
            continue
        table = np.zeros((len(names), len(outcome.levels)), np.int64)
        np.add.at(table, (of_level[c.codes[known]], classes), 1)
        if column_lambda(table) < T.TELLS_CLASS:
            continue
        right = int(table.max(axis=1).sum())
        some = listed([repr(str(name)) for name in names[np.argsort(-table.sum(axis=1), kind="stable")]], 3)
        return [
            Finding(
                "known-later",
                "caution",
                (c.name, outcome.name),
                f"The first part of {marked(c.name)} ({some}) tells {marked(outcome.name)} in {right / n:.1%} of the "
                "rows: it was given when that was known, or by what goes with it.",
                f"Leave {marked(c.name)} out, as text and as a number; or ask what its first part says, and whether "
                "that is known beforehand.",
                {"right": right / n, "parts": len(names), "rows": n},
            )
        ]
    return []


def _part(level: str, places: int) -> str:
    """Return so many signs at the start, or what stands before the first separator; all where there is none."""
    if places:
        return level.strip()[:places]
    found = _FIRST.match(level)
    return found[1] if found else level
