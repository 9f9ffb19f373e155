"""Values that are too frequent: at round numbers, at zero, at an end of the range."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .quantiles import few_values, sorted_quantiles
from .ranks import run_lengths
from .resolution import multiples_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
LARGEST_GRID = 2_000_000


@dataclass(frozen=True)
class RoundSpikes:
    """Rows heaped at multiples of a round number.

    ``spacing`` in the units of the values; ``share`` of rows at its multiples and the ``expected`` one;
    ``values`` are the multiples with the most rows too many.
    """

    spacing: float
    share: float
    expected: float
    values: tuple[float, ...]


@dataclass(frozen=True)
class Atom:
    """One value with more rows than the values beside it lead to expect."""

    value: float
    rows: int
    expected: float


def round_spikes(ordered: Floats, step: float, effect: float = 1.0) -> RoundSpikes | None:
    """Find rows heaped at multiples of a round number of recorded steps.

    Multiples that lie closer than an eighth of a deviation cannot be seen, and are not looked at. The rows at multiples
    of m are compared with the mean over a whole period of m steps about each multiple,
    which no other regularity of the grid can raise.

    Parameters
    ----------
    ordered, step
        Sorted values, shape (n,), and the step in which they were recorded.
    effect
        What units inflate variances by; 1 where rows are cases.
    """
    if not step or len(ordered) < T.LEAST_SHAPE:
        return None
    ends = multiples_of(ordered[[0, len(ordered) // 4, 3 * len(ordered) // 4, -1]], step)
    if ends[3] - ends[0] > LARGEST_GRID or T.STEP_SHARE * (ends[2] - ends[1]) / 1.349 > 2 * T.SPIKE_MULTIPLES[-1]:
        return None
    if _are_twelfths(ordered, step) or few_values([ordered], T.BY_VALUE) is not None:
        return None  # months of an age, of which a quarter are multiples of 0.25; values that are bars of their own
    q = multiples_of(ordered, step)
    low, high = int(q[0]), int(q[-1])
    if high - low > LARGEST_GRID:
        return None
    q1, q3 = sorted_quantiles(q.astype(np.float64), np.array([0.25, 0.75]))
    seen = [m for m in _looked_for(step) if T.STEP_SHARE * (q3 - q1) / 1.349 <= m <= q3 - q1]
    if not seen:
        return None
    counts = np.bincount(q - low).astype(np.float64)
    n, best, found = len(q), 0.0, None
    total = np.concatenate(([0.0], np.cumsum(counts)))
    for m in seen:
        at = np.arange(-(-low // m) * m, high + 1, m) - low
        at = at[(at >= m // 2) & (at + m // 2 < len(counts)) & (at + low != 0)]
        if len(at) < 3:
            continue
        here, about = counts[at], _period_mean(total, counts, at, m)
        expected = float(about.sum())
        z = (here.sum() - expected) / np.sqrt(effect * max(here.sum() * (1 - 1 / m), 1.0))
        enough = here.sum() - expected >= T.SPIKE_SHARE * n and here.sum() > T.SPIKE_RATIO * expected
        rounded = enough and z > max(T.SURE, best) and _spread_over(here - about) and _agree(here, about)
        if rounded and not _by_divisor(counts, low, m, float(here.sum())) and not _popular(counts, total, at, m):
            best = z
            top = at[np.argsort(about - here, kind="stable")[:6]] + low
            values = tuple(float(v) * step for v in np.sort(top))
            found = RoundSpikes(m * step, float(here.sum()) / n, expected / n, values)
    return found


def _looked_for(step: float) -> list[int]:
    """Return the multiples of a step that people round to, and those that make a round number of it: 40 × 25."""
    first = int(np.floor(np.log10(step)))
    rounds = [part * 10.0**k / step for k in range(first, first + 4) for part in (1.0, 2.5, 5.0)]
    whole = {round(m) for m in rounds if 1 < m <= T.SPIKE_MULTIPLES[-1] and abs(m - round(m)) < 1e-9 * m}
    return sorted(whole | set(T.SPIKE_MULTIPLES))


def _are_twelfths(ordered: Floats, step: float) -> bool:
    """Say whether values are twelfths written in decimals: 18.083, 18.25."""
    if step > 0.02 or not step < 1 / 24:
        return False
    parts = 12 * (ordered - np.floor(ordered))
    near = np.abs(parts - np.round(parts)) <= 12 * step
    return bool(near.mean() > 0.98 and 24 * step < 0.9)


def _period_mean(total: Floats, counts: Floats, at: Ints, m: int) -> Floats:
    """Return the mean count over one period of m steps centred on each place, ends by half where m is even."""
    half = m // 2
    if m % 2:
        return np.asarray((total[at + half + 1] - total[at - half]) / m)
    inner = total[at + half] - total[at - half + 1]
    return np.asarray((inner + (counts[at - half] + counts[at + half]) / 2) / m)


def _spread_over(excess: Floats) -> bool:
    """Say whether several multiples share the excess: a heap or a few are popular values, not rounding."""
    gain = np.sort(np.maximum(excess, 0))[::-1]
    return bool(gain[0] < 0.7 * gain.sum() and gain[:4].sum() < T.SPIKE_FEW * gain.sum())


def _by_divisor(counts: Floats, low: int, m: int, here: float) -> bool:
    """Say whether multiples of m are no commoner than those of one of its divisors lead to expect."""
    place = np.arange(len(counts)) + low
    of = (d / m * float(counts[place % d == 0].sum()) for d in range(2, m) if m % d == 0)
    return any(here <= T.SPIKE_RATIO * expected for expected in of)


def _popular(counts: Floats, total: Floats, at: Ints, m: int) -> bool:
    """Say whether the other values are few popular ones too, as sizes of a product are.

    Rows that are not rounded lie on about as many different values as they would if each place were as likely, and the
    commonest of these have less too many, over a period about each, than as many multiples have; in the middle nine
    tenths of the rows, for in a tail few places are taken.
    """
    share = total[1:] / total[-1]
    body = (share >= (1 - T.SPIKE_BODY) / 2) & (share <= (1 + T.SPIKE_BODY) / 2)
    rounded = np.zeros(len(counts), bool)
    rounded[at] = True
    other = counts[body & ~rounded]
    if len(other) == 0:
        return False
    expected = len(other) * (1 - np.exp(-other.sum() / len(other)))
    if np.count_nonzero(other) < T.SPIKE_OTHERS * expected:
        return True
    inner = np.arange(len(counts))
    inner = inner[body & (inner >= m // 2) & (inner + m // 2 < len(counts))]
    excess = counts[inner] - _period_mean(total, counts, inner, m)
    multiples, rest = excess[rounded[inner]], np.sort(excess[~rounded[inner]])[::-1]
    return bool(rest[: len(multiples)].sum() > multiples.sum())


def _agree(here: Floats, about: Floats) -> bool:
    """Say whether most multiples in the body have rows too many, and enough of them."""
    body = about > 0.1 * about.max(initial=0)
    above = int(np.sum((here > about)[body]))
    return above >= T.SPIKE_LEAST and above >= T.SPIKE_AGREE * int(body.sum())


FAR_CELLS = 200
"""Recorded steps, beyond which a value is no neighbour."""


def _over_repeats(values: Floats, value: float, rows: int) -> Atom | None:
    """Return the end value of a fine scale, if far more rows hold it than any value near it."""
    near = max(T.LEAST_SHAPE, len(values) // 10)  # further away one value may be as common for reasons of its own
    repeats = run_lengths(values[rows : rows + near]).max(initial=1)
    return Atom(value, rows, float(repeats)) if rows > T.BOUND_RATIO * repeats else None


def atom_at(ordered: Floats, step: float, end: int, effect: float = 1.0) -> Atom | None:
    """Return the smallest (``end`` 0) or largest (−1) value if far more rows hold it than its neighbours say.

    The neighbours are two runs of values beside it, each of 30 rows or more: a smooth distribution that falls
    off geometrically has c₁² / c₂ rows at the end, c₁ and c₂ the mean rows a value in the two runs. Rows are counted by
    what they say: over the ``effect`` of units.
    """
    n = len(ordered)
    if n < T.LEAST_SHAPE or ordered[0] == ordered[-1]:
        return None
    values = ordered if end == 0 else -ordered[::-1]
    rows = int(np.searchsorted(values, values[0], "right"))
    if rows < max(T.ATOM_SHARE * n, 10 * effect) or rows == n:
        return None
    value = float(ordered[end])
    if not step:
        return _over_repeats(values, value, rows)
    place = multiples_of(values[rows:] - values[0], step)
    for cells in range(1, int(place[-1]) // 2 + 1):
        c1 = int(np.searchsorted(place, cells, "right"))
        c2 = int(np.searchsorted(place, 2 * cells, "right")) - c1
        if min(c1, c2) < 30 * effect:
            if cells > FAR_CELLS:
                alone = value == 0 and place[0] > FAR_CELLS  # nothing beside it: none is another answer than some
                return Atom(value, rows, 1.0) if alone else _over_repeats(values, value, rows)
            continue
        expected = (c1 / cells) * max(c1 / c2, 1.0)
        sure = np.log(rows / expected) / np.sqrt(effect * (1 / rows + 4 / c1 + 1 / c2))
        return Atom(value, rows, expected) if rows > T.ZERO_RATIO * expected and sure > T.ATOM_SURE else None
    return None
