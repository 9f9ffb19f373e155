"""What an outcome that is a count cannot be: below one where rows without any were not written down, above a total."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.outcome import NumericOutcome, Outcome
from ..columns.table import Column, NumericColumn
from ..finding import Finding, marked
from ..words import plural

Floats = NDArray[np.float64]


def counted_from_one(outcome: Outcome) -> list[Finding]:
    """Say that a count is never 0 though 1 is its most frequent value: rows without any are not in the table."""
    y = _counts(outcome)
    if y is None or y.min() != 1:
        return []
    n = np.bincount(y.astype(np.int64))
    if len(np.unique(y)) < T.FROM_ONE_DISTINCT or n[1] < n.max() or n[1] < T.FROM_ONE_SHARE * len(y):
        return []
    return [
        Finding(
            "truncated-at-bound",
            "note",
            (outcome.name,),
            f"{marked(outcome.name)} is 1 in {plural(int(n[1]), 'row')} of {len(y):,}, its most frequent value, and "
            "never 0: rows without any were perhaps not written down.",
            "Find out whether 0 was possible. If it was, what holds here holds of rows with one or more only.",
            {"rows": len(y), "ones": int(n[1])},
        )
    ]


def counted_out_of(outcome: Outcome, columns: list[Column]) -> list[Finding]:
    """Say that a count is never above another and reaches it: so many of so many, of which a share is to be asked."""
    y = _counts(outcome)
    if y is None or y.min() < 0 or len(np.unique(y)) > T.OUT_OF_DISTINCT:
        return []
    known = outcome.known
    for c in columns:
        if not isinstance(c, NumericColumn) or c.kind != "discrete":
            continue
        total = c.values[known]
        if np.isnan(total).any() or (total != np.floor(total)).any() or (y > total).any() or total.min() < 0:
            continue
        reached, free = float(np.mean(y == total)), float(np.mean(total > y.max()))
        together = float(np.corrcoef(y, total)[0, 1]) if y.std() > 0 and total.std() > 0 else 0.0
        same = reached > T.OUT_OF_MOST  # the same number, nearly
        if same or reached < T.OUT_OF_REACHED or free > T.OUT_OF_FREE or together < T.OUT_OF_TOGETHER:
            continue
        return [
            Finding(
                "bounded-by-total",
                "caution",
                (outcome.name, c.name),
                f"{marked(outcome.name)} is never above {marked(c.name)}, and equals it in {reached:.0%} of the rows: "
                f"it seems to count how many of {marked(c.name)}.",
                f"Ask for the share, {marked(outcome.name)} over {marked(c.name)}, or give a model both as so many of "
                "so many: the count alone says mostly how many there were.",
                {"equal": reached, "correlation": together},
            )
        ]
    return []


def _counts(outcome: Outcome) -> Floats | None:
    """Return the known values of an outcome of whole numbers; nothing of others."""
    if not isinstance(outcome, NumericOutcome):
        return None
    y = outcome.values[outcome.known]
    return y if len(y) >= T.LEAST_SHAPE and (y == np.floor(y)).all() and np.abs(y).max() < 1e9 else None
