"""The forms of the relations of many numbers: a quick look at all pairs, a closer one at those that are related."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..parallel import in_threads
from ..stats.clustered import unit_codes
from ..stats.form import relation_form
from .matrices import ranks_of_rows
from .side import Side, numbers_of

Floats = NDArray[np.float64]
Units = NDArray[np.int64] | None

FORMS = ("", "linear", "monotone", "curved", "none", "not decided")
MOST_FORMS = 1_500
"""Pairs whose form is looked at, the strongest first."""
SCREEN_ROWS = 4_000
SCREEN_BINS = 8


def forms_of(sides: list[Side], units: Units, seed: int) -> NDArray[np.int8]:
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
    keep = np.arange(rows)
    if rows > SCREEN_ROWS:
        keep = np.sort(np.random.default_rng([seed, 0x5C]).choice(rows, SCREEN_ROWS, replace=False))
    share, n = _between_bins([c[keep] for c in numbers])
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
        both = ~(np.isnan(numbers[i]) | np.isnan(numbers[j]))
        within = None if units is None else unit_codes(units[both])
        along, of = (j, i) if two[i] else (i, j)
        return relation_form(numbers[along][both], numbers[of][both], within, seed=seed).form

    for k, form in zip(order, in_threads(one, list(order), rows * 10), strict=True):
        grid[first[k], second[k]] = code[form]
    grid = grid + grid.T
    out[np.ix_(at, at)] = grid
    return out


def _between_bins(columns: list[Floats]) -> tuple[Floats, Floats]:
    """Return the share of each column (second) between eight quantile bins of each (first), and their common rows."""
    values = np.stack(columns)
    present = ~np.isnan(values)
    centre = np.array([np.median(c[m]) if m.any() else 0.0 for c, m in zip(values, present, strict=True)])
    spread = np.array([np.ptp(c[m]) if m.any() else 1.0 for c, m in zip(values, present, strict=True)])
    with np.errstate(over="ignore", invalid="ignore"):
        z = np.where(present, (values - centre[:, None]) / np.where(spread > 0, spread, 1.0)[:, None], 0.0)
    z = np.nan_to_num(z, nan=0.0, posinf=0.0, neginf=0.0)
    mask = present.astype(float)
    p = len(columns)
    share, n = np.zeros((p, p)), np.zeros((p, p))
    for i in range(p):
        ranked = ranks_of_rows(values[i])
        bins = np.clip((ranked - 0.5) / max(present[i].sum(), 1) * SCREEN_BINS, 0, SCREEN_BINS - 1)
        hot = np.zeros((SCREEN_BINS, values.shape[1]))
        there = np.flatnonzero(present[i])
        hot[bins[there].astype(np.int64), there] = 1.0
        count, total = hot @ mask.T, hot @ z.T
        squares = hot.sum(axis=0) @ (z * z).T
        rows, whole = count.sum(axis=0), total.sum(axis=0)
        mean = whole / np.maximum(rows, 1)
        between = (total**2 / np.maximum(count, 1)).sum(axis=0) - rows * mean**2
        variance = squares - rows * mean**2
        share[i] = np.where(variance > 1e-300, between / np.maximum(variance, 1e-300), 0.0)
        n[i] = rows
    return share, n
