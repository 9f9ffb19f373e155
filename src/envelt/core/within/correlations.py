"""What becomes of the correlations of numbers within the levels of a third column."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ...errors import option
from .. import thresholds as T
from ..finding import Finding, marked
from ..magnitude import in_unit
from ..stats.matrices import pearson_matrix
from ..stats.sampling import Sampling
from ..words import listed, plural
from .rule import ENDS, VANISHES, Demands, Relation, becomes

Floats = NDArray[np.float64]

MOST_GROUPINGS = 12
MOST_SAID = 2
SEARCHED = Demands(T.WITHIN_TURNED, T.WITHIN_LEAST, T.WITHIN_LEFT, T.ONLY_P, T.ONLY_P)
"""All pairs are searched within all levels, so that nothing is said on what two standard errors show."""


class Correlated(NamedTuple):
    """Two numbers that correlate otherwise within the levels of a third column than over all rows."""

    code: str
    first: str
    second: str
    by: str
    crude: float
    within: float
    rows: int


def correlations_within(
    numbers: list[tuple[str, Floats]], thirds: list[tuple[str, NDArray[np.integer], int]], sampling: Sampling
) -> list[Correlated]:
    """Search pairs of numbers within the levels of each third column, the greatest change first.

    Numbers are centred within each level; the correlation of what is left is the one within them. Both are told apart
    on Fisher's z as if they were of different rows, with the error of rows that all say the same within a unit: that is
    careful, since they are of the same.

    Parameters
    ----------
    numbers
        Name and values of each, shape (n,), NaN for missing.
    thirds
        Name, level of each row (``-1`` for none) and number of levels.
    """
    if len(numbers) < 2 or not thirds:
        return []
    numbers = [(name, v / in_unit(v[~np.isnan(v)])[1]) for name, v in numbers]  # at the ends of floats too
    overall = pearson_matrix([v for _, v in numbers])
    effect = sampling.largest_design_effect
    best: dict[tuple[int, int], Correlated] = {}
    for by, codes, size in thirds[:MOST_GROUPINGS]:
        centred = [centred_in(v, codes, size) for _, v in numbers]
        told = np.array([held_by(v, c) for (_, v), c in zip(numbers, centred, strict=True)])
        inside = pearson_matrix(centred)
        for i, j in zip(*np.triu_indices(len(numbers), 1), strict=True):
            if max(told[i], told[j]) > T.WITHIN_COPY:  # the levels are that number in other words
                continue
            crude, left, n = float(overall.r[i, j]), float(inside.r[i, j]), int(inside.n[i, j])
            code = _becomes(crude, left, n, effect)
            before = best.get((int(i), int(j)))
            if code and (before is None or abs(crude - left) > abs(before.crude - before.within)):
                best[int(i), int(j)] = Correlated(code, numbers[i][0], numbers[j][0], by, crude, left, n)
    return sorted(best.values(), key=lambda seen: -abs(seen.crude - seen.within))


def _becomes(crude: float, within: float, n: int, effect: float) -> str | None:
    if np.isnan(crude) or np.isnan(within) or n < T.ROWS_IN_TIME:
        return None
    error = np.sqrt(effect / (n - 3))
    z, left = (float(np.arctanh(np.clip(r, -0.999999, 0.999999))) for r in (crude, within))
    p = float(2 * special.ndtr(-abs(z - left) / error))
    over_all, inside = (Relation(r, abs(v) >= T.TURN_OVERALL * error) for r, v in ((crude, z), (within, left)))
    return becomes(over_all, inside, p, SEARCHED)


def centred_in(values: Floats, codes: NDArray[np.integer], size: int) -> Floats:
    """Return distances from the mean of each level; NaN where there is no value or no level."""
    there = (codes >= 0) & ~np.isnan(values)
    at = codes[there]
    total = np.bincount(at, weights=values[there], minlength=size)
    mean = total / np.maximum(np.bincount(at, minlength=size), 1)
    out = np.full(len(values), np.nan)
    out[there] = values[there] - mean[at]
    return out


def held_by(values: Floats, centred: Floats) -> float:
    """Return the share of a number's variance that the levels hold."""
    there = ~np.isnan(centred)
    spread = float(np.var(values[there])) if there.any() else 0.0
    return 1 - float(np.var(centred[there])) / spread if spread > 0 else 1.0


def correlation_findings(seen: list[Correlated], outcome: str | None) -> list[Finding]:
    """Say the greatest changes, of one third column and one change at once; cautions are those of the outcome.

    Where there is no outcome, each is one.
    """
    found = []
    stories: dict[tuple[str, str], list[Correlated]] = {}
    for c in sorted(seen, key=lambda c: outcome not in (c.first, c.second)):
        stories.setdefault((c.code, c.by), []).append(c)
    for same in list(stories.values())[:MOST_SAID]:
        c, *rest = same
        others = [
            n for n in dict.fromkeys(n for o in rest for n in (o.first, o.second)) if n not in (c.first, c.second)
        ]
        also = f" So do {plural(len(rest), 'more pair')}, of {listed([marked(n) for n in others])}." if others else ""
        pair, by = f"{marked(c.first)} and {marked(c.second)}", marked(c.by)
        why = " The levels make the correlation." if c.code == VANISHES else ""
        found.append(
            Finding(
                c.code,
                "caution" if outcome is None or outcome in (c.first, c.second) else "note",
                (c.first, c.second, c.by, *others),
                f"{pair} correlate at {c.crude:+.2f} over all rows and at {c.within:+.2f} within the levels of {by}: "
                f"{ENDS[c.code]}.{why}{also}",
                f"Read them level by level, {option('by', c.by)}.",
                {"overall": c.crude, "within": c.within, "rows": c.rows, "pairs": len(same)},
            )
        )
    return found
