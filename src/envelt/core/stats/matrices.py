"""Correlations of many columns at once, each exactly the textbook's on the rows where both are present."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..magnitude import power_of
from ..parallel import Progress, in_threads
from ..shapes.ranks import mid_ranks
from .correlation import pearson_coefficient

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

BLOCK, MANY_COLUMNS_BLOCK = 4096, 256
"""Rows multiplied at a time, of many columns fewer: centred values and masks of them stay in the cache."""
CENTRE_ROWS = 4096
"""Rows of which the mean is near enough to take distances from."""
CANCELLED = 1e3
"""A variance on the common rows so much smaller than its parts is computed again, pair by pair."""


class Matrix(NamedTuple):
    """Coefficients and the rows they are of, both of shape (columns, columns); NaN where there is none."""

    r: Floats
    n: Ints


def pearson_matrix(columns: list[Floats]) -> Matrix:
    """Return Pearson's correlation of every two columns on the rows where both are present.

    Blocks of rows are centred by each column's own mean, gaps filled with 0, and multiplied with each other and with
    the masks of what is present: n Σxy − Σx Σy and the like follow for each pair's own rows.

    Parameters
    ----------
    columns
        Of one length, NaN where missing.
    """
    p = len(columns)
    if p == 0:
        return Matrix(np.zeros((0, 0)), np.zeros((0, 0), np.int64))
    rows = len(columns[0])
    centres = in_threads(_centre, columns, rows)
    block = max(MANY_COLUMNS_BLOCK, min(BLOCK, 32 * BLOCK // p))
    starts = list(range(0, rows, block))
    gaps = any(c.gaps for c in centres)
    size = max(1, -(-len(starts) // 8))

    def part(of: list[int]) -> list[Floats]:
        xy, x1, xx, n = (np.zeros((p, p)) for _ in range(4))
        for start in of:
            stop = min(start + block, rows)
            both = np.empty((2 * p, stop - start))
            x = both[:p]
            for row, c, centre in zip(x, columns, centres, strict=True):
                np.subtract(c[start:stop], centre.mean, out=row)
                if centre.unit != 1:
                    row /= centre.unit
            if gaps:
                absent = np.isnan(x)
                np.copyto(x, 0.0, where=absent)
                np.multiply(x, x, out=both[p:])
                present = ~absent
                sums = both @ present.astype(np.float64).T
                x1 += sums[:p]
                xx += sums[p:]
                counted = present.astype(np.float32)  # whole numbers up to BLOCK are exact in it
                n += counted @ counted.T
            else:
                x1 += x.sum(axis=1)[:, None]
                n += stop - start
            xy += x @ x.T
        if not gaps:
            xx[:] = np.diag(xy)[:, None]
        return [xy, x1, xx, n]

    parts = in_threads(part, [starts[i : i + size] for i in range(0, len(starts), size)], rows)
    xy, x1, xx, n = (np.sum(np.stack(m), axis=0) for m in zip(*parts, strict=True))
    with np.errstate(divide="ignore", invalid="ignore"):
        sxx = n * xx - x1 * x1
        r = (n * xy - x1 * x1.T) / (np.sqrt(sxx) * np.sqrt(sxx.T))
        lost = (n * xx > CANCELLED * np.maximum(sxx, 0)) & (n > 1)
    for i, j in zip(*np.nonzero(np.triu(lost | lost.T, 1)), strict=True):
        r[i, j] = r[j, i] = _of_pair(columns[i], columns[j])
    r[n < 2] = np.nan
    return Matrix(_diagonal(_rounded(r)), n.astype(np.int64))


def _rounded(r: Floats) -> Floats:
    """Return correlations, those within rounding of ±1 as ±1."""
    return np.where(1 - np.abs(r) < 4e-15, np.sign(r), np.clip(r, -1, 1))


class _Centre(NamedTuple):
    mean: float
    unit: float
    gaps: bool


def _centre(c: Floats) -> _Centre:
    """Return the mean of rows spread over a column, and a unit in which the distances from it have squares."""
    low, high = float(np.fmin.reduce(c)), float(np.fmax.reduce(c))
    gaps = bool(np.isnan(c).any())
    if np.isnan(low):
        return _Centre(0.0, 1.0, gaps)
    some = c[:: max(1, len(c) // CENTRE_ROWS)]
    some = some[~np.isnan(some)]
    with np.errstate(over="ignore"):
        mean = low + float(np.mean(some - low)) if len(some) else low
        mean = mean if np.isfinite(mean) else low
        reach = max(high - mean, mean - low)
    return _Centre(mean, power_of(reach) or 1.0, gaps)


def _of_pair(a: Floats, b: Floats) -> float:
    both = ~(np.isnan(a) | np.isnan(b))
    return pearson_coefficient(a[both], b[both])


def _diagonal(r: Floats) -> Floats:
    """Put 1 where a column meets itself; NaN where it is constant."""
    own = np.diag(r)
    np.fill_diagonal(r, np.where(np.isnan(own), np.nan, 1.0))
    return r


class _Dense(NamedTuple):
    """A column as the places of its values among the different ones, ``levels`` where missing."""

    codes: NDArray[np.int32]
    counts: Ints
    absent: NDArray[np.intp]

    @property
    def levels(self) -> int:
        return len(self.counts)


def spearman_matrix(columns: list[Floats], progress: Progress | None = None) -> Matrix:
    """Return Spearman's correlation of every two columns, ranked anew on the rows where both are present.

    A column is sorted once. The ranks on the rows where another is present follow from how many of each value those
    rows hold: the counts less those of the rows where the other is missing, summed up.

    Parameters
    ----------
    columns
        As in `pearson_matrix`.
    progress
        Told how many columns are done, of how many.
    """
    p, rows = len(columns), len(columns[0]) if columns else 0
    dense = in_threads(_dense, columns, rows)
    r, n = np.full((p, p), np.nan), np.zeros((p, p), np.int64)
    full = [_centred(d, d.counts) for d in dense]
    alike: dict[bytes, list[int]] = {}  # columns missing in the same rows keep their ranks among each other
    for i, d in enumerate(dense):
        alike.setdefault(d.absent.tobytes(), []).append(i)
    pattern = np.zeros(p, np.intp)
    for k, members in enumerate(alike.values()):
        pattern[members] = k
        _of_one_pattern(members, dense, full, r, n)

    def one(i: int) -> None:
        a = dense[i]
        for j in range(i + 1, p):
            if pattern[i] == pattern[j]:
                continue
            b = dense[j]
            common = int(rows - len(a.absent) - _only(b.absent, a))
            n[i, j] = n[j, i] = common
            first, of_first = _ranks_where(a, b, full[i])
            second, of_second = _ranks_where(b, a, full[j])
            scale = np.sqrt(of_first) * np.sqrt(of_second)
            if common > 1 and scale > 0:
                r[i, j] = r[j, i] = float(np.clip(first @ second / scale, -1, 1))

    if len(alike) > 1:
        in_threads(one, list(range(p)), rows * p, progress, lambda i: str(i))
    return Matrix(_diagonal(r), n)


def _of_one_pattern(
    members: list[int], dense: list[_Dense], full: list[tuple[Floats, float]], r: Floats, n: Ints
) -> None:
    """Fill in the columns that are missing in the same rows, by one product of their ranks."""
    present = len(dense[members[0]].codes) - len(dense[members[0]].absent)
    scale = np.sqrt([full[i][1] for i in members])
    products = np.zeros((len(members), len(members)))
    rows = len(dense[members[0]].codes)
    size = max(MANY_COLUMNS_BLOCK, min(BLOCK, 32 * BLOCK // len(members)))
    for start in range(0, rows, size):
        ranks = np.stack([full[i][0].take(dense[i].codes[start : start + size]) for i in members])
        products += ranks @ ranks.T
    grid = np.ix_(members, members)
    with np.errstate(divide="ignore", invalid="ignore"):
        r[grid] = np.clip(products / (scale[:, None] * scale), -1, 1) if present > 1 else np.nan
    n[grid] = present


def _dense(values: Floats) -> _Dense:
    absent = np.flatnonzero(np.isnan(values))
    order = np.argsort(values)  # NaN last; the order of equal values does not matter
    ordered = values[order[: len(values) - len(absent)]]
    new = np.concatenate(([False], ordered[1:] != ordered[:-1])) if len(ordered) else np.zeros(0, bool)
    place = np.cumsum(new, dtype=np.int32)
    levels = int(place[-1]) + 1 if len(place) else 0
    codes = np.full(len(values), levels, np.int32)
    codes[order[: len(ordered)]] = place
    return _Dense(codes, np.bincount(place, minlength=levels).astype(np.int64), absent)


def _only(absent: NDArray[np.intp], other: _Dense) -> int:
    """Count the rows that are missing here and present in another column."""
    return int(np.count_nonzero(other.codes[absent] < other.levels))


def _centred(d: _Dense, counts: Ints) -> tuple[Floats, float]:
    """Return the mid-rank of each value less their mean, 0 for missing, and the sum of their squares over rows."""
    total = int(counts.sum())
    table = np.zeros(d.levels + 1)
    mid = np.cumsum(counts) - (counts - 1) / 2
    table[:-1] = np.where(counts > 0, mid - (total + 1) / 2, 0.0)
    return table, float(counts @ table[:-1] ** 2)


def _ranks_where(d: _Dense, other: _Dense, full: tuple[Floats, float]) -> tuple[Floats, float]:
    """Return a column's centred ranks among the rows where another is present, and the sum of their squares."""
    if not len(other.absent):
        table, squares = full
    else:
        gone = np.bincount(d.codes[other.absent], minlength=d.levels + 1)[:-1]
        table, squares = _centred(d, d.counts - gone)
    return table.take(d.codes), squares


def ranks_of_rows(values: Floats) -> Floats:
    """Return ranks from 1 of the values present, NaN where missing."""
    out = np.full(len(values), np.nan)
    at = np.flatnonzero(~np.isnan(values))
    order = at[np.argsort(values[at])]
    out[order] = mid_ranks(values[order])
    return out
