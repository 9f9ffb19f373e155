"""The functions of expressions that give each row what its group has: a mean, a median, a sum, a count, a share."""

from __future__ import annotations

import ast
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ...errors import ExpressionError
from .expression_values import EXAMPLE, Evaluator, Numbers, Times, Value
from .raw import placed
from .table import CategoryColumn

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
Summary = Callable[[Floats, Codes, Floats, int], Floats]


def group_mean(values: Floats, codes: Codes, weight: Floats, groups: int) -> Floats:
    """Return the mean of each group, shape (groups,), NaN without a value; mended by what is left, to lose no digit."""
    there = _there(values, codes)
    x, at, w = values[there], codes[there], weight[there]
    n = _summed(w, at, groups)
    n[n == 0] = np.nan
    mean: Floats = _summed(w * x, at, groups) / n
    return mean + _summed(w * (x - mean[at]), at, groups) / n


def group_sum(values: Floats, codes: Codes, weight: Floats, groups: int) -> Floats:
    """Return the sum of each group, NaN without a value."""
    there = _there(values, codes)
    total = _summed(weight[there] * values[there], codes[there], groups)
    return np.where(group_count(values, codes, weight, groups) > 0, total, np.nan)


def group_count(values: Floats, codes: Codes, weight: Floats, groups: int) -> Floats:
    """Return how many rows of each group have a value."""
    there = _there(values, codes)
    return _summed(weight[there], codes[there], groups)


def group_median(values: Floats, codes: Codes, weight: Floats, groups: int) -> Floats:
    """Return the median of each group, the mean of the two in the middle where their number is even."""
    there = np.flatnonzero(_there(values, codes) & (weight > 0))
    there = there[np.lexsort((values[there], codes[there]))]
    upto = np.cumsum(weight[there])
    n = _summed(weight[there], codes[there], groups)
    before = np.cumsum(n) - n
    middle = np.full((2, groups), np.nan)
    some = n > 0
    for side, place in enumerate((np.floor((n - 1) / 2), np.floor(n / 2))):
        middle[side, some] = values[there][np.searchsorted(upto, (before + place)[some], "right")]
    halfway: Floats = middle[0] + (middle[1] - middle[0]) / 2
    return halfway


def _there(values: Floats, codes: Codes) -> NDArray[np.bool_]:
    return (codes >= 0) & ~np.isnan(values)


def _summed(values: Floats, codes: Codes, groups: int) -> Floats:
    return np.bincount(codes, weights=values, minlength=groups).astype(np.float64)


def over_rows(summary: Summary) -> Callable[[Evaluator, ast.Call], Value]:
    """Return a function of expressions that gives each row the summary of a number in its group."""

    def call(at: Evaluator, node: ast.Call) -> Value:
        codes, groups = _groups(at, node)
        values = np.broadcast_to(at.numbers(node.args[0]), len(at.table)) if node.args else np.zeros(len(at.table))
        return _given(summary(values, codes, at.weight, groups), codes)

    return call


def share(at: Evaluator, node: ast.Call) -> Value:
    """Give each row the share of its group's rows for which something holds; rows where that is unknown are out."""
    truth = at.truth(node.args[0])
    codes, groups = _groups(at, node)
    true, false = (np.broadcast_to(t, len(at.table)) for t in (truth.true, truth.false))
    values = np.where(true, 1.0, np.where(false, 0.0, np.nan))
    return _given(group_mean(values, codes, at.weight, groups), codes)


def _given(by_group: Floats, codes: Codes) -> Numbers:
    return Numbers(np.append(by_group, np.nan)[codes])


def _groups(at: Evaluator, node: ast.Call) -> tuple[Codes, int]:
    """Return the group of each row, -1 where a value is missing that makes it, and how many groups there are."""
    codes, groups = np.zeros(len(at.table), np.int64), 1
    for by in (k.value for k in node.keywords):
        parts = by.elts if isinstance(by, ast.List | ast.Tuple) else [by]
        if not parts:
            raise ExpressionError(f"by={ast.unparse(by)} names no column.")
        for part in parts:
            found, levels = _places(at, part)
            both = np.where((codes >= 0) & (found >= 0), codes * levels + found, -1)
            there, places = np.unique(both, return_inverse=True)
            skipped = int(there.size > 0 and there[0] < 0)
            codes, groups = places - skipped, there.size - skipped
    return codes, groups


def _places(at: Evaluator, node: ast.expr) -> tuple[Codes, int]:
    value = at.value(node)
    if isinstance(value, CategoryColumn):
        return value.codes.astype(np.int64), len(value.levels)
    if isinstance(value, Times) or (isinstance(value, Numbers) and np.ndim(value.values)):
        absent = value.absent if isinstance(value, Times) else np.isnan(value.values)
        codes, levels = placed(value.values, absent)
        return codes.astype(np.int64), len(levels)
    raise ExpressionError(f"by={ast.unparse(node)} makes no groups: name a column, or several in brackets. {EXAMPLE}")


OVER_ROWS: dict[str, tuple[int, int, Callable[[Evaluator, ast.Call], Value]]] = {
    "mean": (1, 1, over_rows(group_mean)),
    "median": (1, 1, over_rows(group_median)),
    "sum": (1, 1, over_rows(group_sum)),
    "count": (0, 1, over_rows(group_count)),
    "share": (1, 1, share),
}
"""Least and most values each takes, and what it does; each takes ``by`` too, and without it speaks of all rows."""
