"""Rows without an outcome, and outcomes that are mostly zero."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.coarse import coarse_of
from ..columns.labels import short_label
from ..columns.outcome import NumericOutcome, Outcome
from ..columns.table import Column
from ..finding import Finding, marked
from ..stats.crossing import Crossing
from ..stats.sampling import Sampling
from ..words import be, plural


def outcome_missing(outcome: Outcome, columns: list[Column], sampling: Sampling) -> list[Finding]:
    """Say how many rows have no outcome, and with which candidate that goes.

    Parameters
    ----------
    columns
        The candidates, as wide as the outcome.
    sampling
        Of all rows.
    """
    gone = ~outcome.known
    unknown, rows = int(gone.sum()), len(gone)
    if not unknown:
        return []
    follows = _follows(gone, columns, sampling) if unknown >= T.FEWEST_GAPS else None
    also, evidence = "", dict[str, Any]({"rows": unknown, "share": unknown / rows})
    if follows is not None:
        name, high, low, shares = follows
        also = (
            f": {shares[1]:.0%} where {marked(name)} is {high}, {shares[0]:.0%} where it is {low}, so those that are "
            "left are not like those that are gone"
        )
        evidence |= {"column": name, "shares": list(shares)}
    share = unknown / rows
    return [
        Finding(
            "outcome-missing",
            "caution" if follows is not None or share >= T.MUCH_UNKNOWN else "note",
            (outcome.name, *([follows[0]] if follows else [])),
            f"{unknown:,} of {plural(rows, 'row')} ({share:.1%}) {'has' if unknown == 1 else 'have'} no "
            f"{marked(outcome.name)} and {be(unknown)} set aside wherever it is used{also}.",
            "Find out why: rows are seldom without an outcome by chance, and what is found holds for the others only.",
            evidence,
        )
    ]


def _follows(
    gone: NDArray[np.bool_], columns: list[Column], sampling: Sampling
) -> tuple[str, str, str, tuple[float, float]] | None:
    """Return the candidate that rows without an outcome go with most, the levels with most and fewest, and shares."""
    step = max(1, len(gone) // T.SCREEN_GAPS)
    rows = np.arange(0, len(gone), step)
    some, absent = sampling.take(rows), gone[rows].astype(np.int8)
    best = None
    for c in columns:
        coarse = coarse_of(c.take(rows))
        if coarse is None:
            continue
        table = Crossing.of(coarse.codes, absent, (len(coarse.labels), 2), some)
        n = table.counts.sum(axis=1)
        share = np.where(n >= T.GAP_ROWS, table.counts[:, 1] / np.maximum(n, 1), np.nan)
        if np.count_nonzero(~np.isnan(share)) < 2:
            continue
        high, low = int(np.nanargmax(share)), int(np.nanargmin(share))
        apart = float(share[high] - share[low])
        if apart < 2 * T.LEAST_POINTS or not table.chi_square().p * len(columns) < T.GAPS_P:
            continue
        if best is None or apart > best[0]:
            best = (apart, c.name, coarse.labels[high], coarse.labels[low], (float(share[low]), float(share[high])))
    return None if best is None else best[1:]


def outcome_zeros(outcome: Outcome) -> list[Finding]:
    """Say that an outcome is mostly zero, and its other values spread: whether and how much are two questions."""
    if not isinstance(outcome, NumericOutcome):
        return []
    y = outcome.values[outcome.known]
    if len(y) < T.LEAST_SHAPE or y.min() < 0:
        return []
    zeros, rest = int(np.count_nonzero(y == 0)), y[y > 0]
    if zeros < T.ZERO_OUTCOME * len(y) or len(np.unique(rest)) < 3 or np.var(y) <= 2 * np.mean(y):
        return []
    return [
        Finding(
            "outcome-zeros",
            "caution",
            (outcome.name,),
            f"{zeros:,} of {plural(len(y), 'row')} ({zeros / len(y):.0%}) have {marked(outcome.name)} 0, and the "
            f"others run up to {short_label(rest.max())}: whether there is any and how much are two questions.",
            "Ask them one by one: any or none first, then how much where there is some. A mean, and a line, mix both.",
            {"rows": zeros, "share": zeros / len(y)},
        )
    ]
