"""The forms of the relations of many numbers: a quick look at all pairs, a closer one at those that are related."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..parallel import in_threads
from ..stats.draws import drawn_of_numbers
from ..stats.form import MOST_ROWS, relation_form
from ..stats.matrices import ranks_of_rows
from ..stats.sampling import Sampling
from .side import Side, numbers_of

Floats = NDArray[np.float64]

FORMS = ("", "linear", "monotone", "curved", "none", "not decided")
MOST_FORMS = 1_500
"""Pairs whose form is looked at, the strongest first."""
SCREEN_ROWS, SCREEN_LEAST, SCREEN_CELLS = 4_000, 1_000, 6_000_000_000
"""Rows the screen looks at; fewer where pairs of them would be more than so many cells."""
SCREEN_BINS = 8
SCREEN_COLUMNS = 32
"""Columns whose bins are multiplied at a time."""


def forms_of(sides: list[Side], sampling: Sampling, seed: int) -> NDArray[np.int8]:
    """Return the form of pairs of numbers, or of a number and two levels, that a screen shows to be related.

    The screen is the share of each number that lies between eight bins of another, on 4,000 rows, all pairs at once.
    """
    p = len(sides)
    out = np.zeros((p, p), np.int8)
    at = [i for i, s in enumerate(sides) if s.what in ("number", "two") and not s.constant]
    if len(at) < 2:
        return out
    numbers = [numbers_of(sides[i]) for i in at]
    rows = len(numbers[0])
    looked = max(SCREEN_LEAST, min(SCREEN_ROWS, SCREEN_CELLS // len(at) ** 2))
    shuffled = np.argsort(drawn_of_numbers(numbers, seed)) if rows > looked else np.arange(rows)
    share, n = shares_between_bins([c[shuffled[:looked]] for c in numbers])
    noise = (SCREEN_BINS - 1) / np.maximum(n, 1)
    related = (np.maximum(share, share.T) > noise + T.SCREEN_SURE * np.sqrt(2 * noise / np.maximum(n, 1))) & (n >= 30)
    two = np.array([sides[i].what == "two" for i in at], bool)  # with each other they have no form
    related &= ~(two[:, None] & two[None, :])
    first, second = np.nonzero(np.triu(related, 1))
    order = np.argsort(-np.maximum(share, share.T)[first, second], kind="stable")[:MOST_FORMS]
    code = {name: k for k, name in enumerate(FORMS)}
    grid = np.where(related, 0, np.where(n >= 30, code["none"], code["not decided"])).astype(np.int8)
    grid[two[:, None] & two[None, :]] = 0
    grid = np.triu(grid, 1)

    def one(k: int) -> str:
        i, j = int(first[k]), int(second[k])
        there = ~(np.isnan(numbers[i]) | np.isnan(numbers[j]))
        both = shuffled[there[shuffled]][:MOST_ROWS] if rows > looked else np.flatnonzero(there)
        return relation_form(numbers[i][both], numbers[j][both], sampling.take(both), seed, bool(two[i] or two[j]))

    for k, form in zip(order, in_threads(one, list(order), rows * 10), strict=True):
        grid[first[k], second[k]] = code[form]
    grid = grid + grid.T
    out[np.ix_(at, at)] = grid
    return out


def shares_between_bins(columns: list[Floats]) -> tuple[Floats, Floats]:
    """Return the share of each column (second) between eight quantile bins of each (first), and their common rows."""
    values = np.stack(columns)
    present = ~np.isnan(values)
    centre = np.array([np.median(c[m]) if m.any() else 0.0 for c, m in zip(values, present, strict=True)])
    spread = np.array([np.ptp(c[m]) if m.any() else 1.0 for c, m in zip(values, present, strict=True)])
    with np.errstate(over="ignore", invalid="ignore"):
        z = np.where(present, (values - centre[:, None]) / np.where(spread > 0, spread, 1.0)[:, None], 0.0)
    z = np.nan_to_num(z, nan=0.0, posinf=0.0, neginf=0.0)
    mask, whole_table = present.astype(float), bool(present.all())
    p = len(columns)
    share, n = np.zeros((p, p)), np.zeros((p, p))
    squared = (z * z).T
    for start in range(0, p, SCREEN_COLUMNS):
        some = range(start, min(start + SCREEN_COLUMNS, p))
        hot = np.zeros((len(some), SCREEN_BINS, values.shape[1]))
        for k, i in enumerate(some):
            bins = np.clip(
                (ranks_of_rows(values[i]) - 0.5) / max(present[i].sum(), 1) * SCREEN_BINS, 0, SCREEN_BINS - 1
            )
            there = np.flatnonzero(present[i])
            hot[k, bins[there].astype(np.int64), there] = 1.0
        flat, shape = hot.reshape(-1, values.shape[1]), (len(some), SCREEN_BINS, p)
        total = (flat @ z.T).reshape(shape)
        count = np.broadcast_to(hot.sum(axis=2)[:, :, None], shape) if whole_table else (flat @ mask.T).reshape(shape)
        squares = hot.sum(axis=1) @ squared
        n[some] = count.sum(axis=1)
        between = (total**2 / np.maximum(count, 1)).sum(axis=1)
        mean = total.sum(axis=1) / np.maximum(n[some], 1)
        variance = squares - n[some] * mean**2
        between -= n[some] * mean**2
        share[some] = np.where(variance > 1e-300, between / np.maximum(variance, 1e-300), 0.0)
    return share, n
