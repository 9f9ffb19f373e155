"""What becomes of candidates' relations to the outcome within the levels of other columns, of all pairs of them.

They turn round, vanish, or show only there.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..columns.coarse import Coarse, coarse_of
from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import Column, TimeColumn
from ..estimate import Z95, Estimate
from ..finding import Finding
from ..kept import Remade
from ..parallel import Progress, Slowly
from ..stats.sampling import Sampling
from .joint import (
    joint,
    marginal,
    near_copies,
    scores_of,
    share_of_variance,
    slope_along,
    slopes_of_each,
    stand_for_each_other,
    surely,
    variance_of_each,
    z_of,
    z_of_slopes,
)
from .rule import ONLY, OPPOSITE, TOGETHER, TURNS, VANISHES, Demands, Relation, TurnRound, becomes, least_points
from .told import turn_findings

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

SCREENED = 25_000
SCREENED_STILL = 5_000
"""So many rows show any turn worth a word, before all are looked at; fewer what shows only within, or turns between."""


@dataclass(frozen=True)
class TurnSearch(Remade):
    """The search of candidates for relations to the outcome that turn round, made when it is asked for.

    Parameters
    ----------
    columns, outcome, sampling
        As in `turns_among`.
    """

    columns: list[Column]
    outcome: Outcome
    sampling: Sampling
    slowly: Slowly

    @cached_property
    def found(self) -> list[TurnRound]:
        """Whatever turns round."""
        return self._search(None)

    @cached_property
    def findings(self) -> list[Finding]:
        """What there is to say of them."""
        return turn_findings(self.found, self.outcome)

    def of(self, name: str) -> list[Finding]:
        """Return what there is to say of one candidate; the others are searched only where they have been."""
        found = self.found if "found" in vars(self) else self._search(name)
        return turn_findings([t for t in found if t.name == name], self.outcome)

    def _search(self, only: str | None) -> list[TurnRound]:
        with self.slowly("Searching for what turns round") as report:
            return turns_among(self.columns, self.outcome, self.sampling, only, report)


def turns_among(
    columns: list[Column],
    outcome: Outcome,
    sampling: Sampling,
    only: str | None = None,
    progress: Progress | None = None,
) -> list[TurnRound]:
    """Search columns for relations that turn round.

    Of many rows a share of 25,000 or more is looked at first, and what turns round there on all.

    Parameters
    ----------
    columns
        The candidates, as wide as the outcome.
    sampling
        Of the rows; over units errors are those of rows that all say the same within a unit.
    only
        The candidate whose relation may turn; by default each.
    """
    every = len(outcome.known) // SCREENED
    if every > 1:
        some = np.zeros(len(outcome.known), bool)
        some[::every] = True
        at = np.flatnonzero(some)
        fewer = [c for c in map(_coarse, [c.take(at) for c in columns]) if c is not None]
        turned = turn_rounds(fewer, outcome.take(some), sampling.take(some), only, progress)
        kept = {n for t in turned for n in (t.name, t.within)}
        columns = [c for c in columns if c.name in kept]
    return turn_rounds([c for c in map(_coarse, columns) if c is not None], outcome, sampling, only, progress)


def _coarse(column: Column) -> Coarse | None:
    """Return a candidate in few levels; dates are none: they turn with whatever drifts."""
    return None if isinstance(column, TimeColumn) else coarse_of(column)


def turn_rounds(
    candidates: list[Coarse],
    outcome: Outcome,
    sampling: Sampling,
    only: str | None = None,
    progress: Progress | None = None,
) -> list[TurnRound]:
    """Search pairs of candidates for relations that turn round.

    A relation counts only where both directions are sure (2.8 standard errors over all rows; for the slope common to
    all levels four, or of few columns as many as chance reaches in one table of twenty) and large enough to matter,
    four in five of the levels that can be read go the inner way, so that no single small cell can make one, and the
    third column does not hold most of the outcome.

    Parameters
    ----------
    candidates
        Columns in few levels, of the same rows as the outcome.
    sampling, only
        As in `turns_among`.
    """
    known = outcome.known
    inflation = sampling.take(known).largest_design_effect
    whole = known.all()
    if isinstance(outcome, ClassOutcome):
        y: NDArray[Any] = outcome.is_event if whole else outcome.is_event[known]
    else:
        y = outcome.values if whole else outcome.values[known]
        for centre in (y[:1].sum(), (y - y[:1].sum()).sum() / max(len(y), 1)):
            y = y - centre  # squares of what is left keep their digits at any offset
    columns = [c.take(known) for c in candidates]
    along = [_Along.of(c, y, inflation) for c in columns]
    moving = np.array([a.moves and (only is None or a.column.name == only) for a in along], bool)
    shares = [share_of_variance(c, y) for c in columns]
    if isinstance(outcome, ClassOutcome):
        floor = least_points(float(outcome.is_event[known].mean()))
    else:
        floor = T.LEAST_SD * outcome.deviation
    fewer = slice(None, None, max(1, len(y) // SCREENED_STILL))  # what goes nowhere over all rows needs no more to show

    def pair_of(i: int, j: int, rows: slice) -> list[TurnRound]:
        """What becomes of two columns within each other, by some of the rows."""
        pair = [(k, m) for k, m in ((i, j), (j, i)) if moving[k] and shares[m] <= T.TOGETHER_SHARE]
        first, second = (replace(columns[k], codes=columns[k].codes[rows]) for k in (i, j))
        parts = joint(first, second, y[rows]) if pair else None
        if parts is None or stand_for_each_other(first, second, parts[0]):
            return []
        of = [_inside(along[a], columns[b], parts if a == i else tuple(v.T for v in parts), asked) for a, b in pair]
        seen = [
            t for t, (_, b) in zip(of, pair, strict=True)
            if t is not None and (shares[b] <= T.TURN_SHARE or t.code == TOGETHER)
        ]  # fmt: skip
        hidden = (VANISHES, ONLY, TOGETHER)
        alike = any(t.code in hidden for t in seen) and near_copies(parts[0])
        return [t for t in seen if not (alike and t.code in hidden)]

    found, movers = [], np.flatnonzero(moving)
    pairs = max(len(movers) * (len(columns) - 1), 1)
    turned = float(np.clip(-special.ndtri(T.TURN_BY_CHANCE / pairs), T.TURN_LEAST, T.TURN_SURE))
    asked = _Asked(floor, turned, np.sqrt(T.OPPOSITE_BY_CHANCE / pairs))
    for i, first in enumerate(columns):
        if progress is not None:
            progress(i, len(columns), first.name)
        for j in range(i + 1, len(columns)) if moving[i] else movers[movers > i].tolist():
            still = fewer.step > 1 and not (along[i].sure or along[j].sure)
            if not still or pair_of(i, j, fewer):
                found += pair_of(i, j, slice(None))
    return sorted(found, key=lambda t: -abs(z_of(t.inside)))


class _Asked(NamedTuple):
    """How large a relation must be to matter, and how sure to turn, and the chance that some level goes far one way.

    Both ways the chance is the square of that.
    """

    floor: float
    turned: float
    by_chance: float


@dataclass(frozen=True)
class _Along:
    """A candidate, the places of its levels, and how the outcome goes along them over all rows.

    Parameters
    ----------
    ends, steps
        The levels at the ends of the scores, and from the one to the other.
    sure
        Whether the outcome surely goes along it over all rows.
    by_means
        Whether its levels stand in the order of their means.
    """

    column: Coarse
    scores: Floats
    overall: Estimate
    ends: tuple[int, int]
    steps: float
    sure: bool
    by_means: bool
    inflation: float

    @classmethod
    def of(cls, column: Coarse, y: NDArray[Any], inflation: float) -> _Along:
        """Look along one candidate."""
        scores = scores_of(column, y)
        overall = marginal(column, scores, y, inflation)
        used = np.flatnonzero(~np.isnan(scores))
        ends = (int(used[np.argmin(scores[used])]), int(used[np.argmax(scores[used])])) if len(used) else (0, 0)
        steps = float(scores[ends[1]] - scores[ends[0]]) if len(used) else 0.0
        sure = abs(z_of(overall)) >= surely(column, scores, T.TURN_OVERALL)
        return cls(column, scores, overall, ends, steps, sure, not column.ordered and len(column.labels) > 2, inflation)

    @property
    def moves(self) -> bool:
        """Whether an outcome can go along it: it has two levels to go between, and is no time."""
        return not self.column.time and self.steps > 0


def _inside(a: _Along, b: Coarse, parts: tuple[Floats, ...], asked: _Asked) -> TurnRound | None:
    """Return what becomes of a relation within another's levels."""
    (n, total, squared), (floor, _, by_chance) = parts, asked
    readable = (n[~np.isnan(a.scores)] >= T.TURN_CELL).sum(axis=0) >= 2
    if readable.sum() < 2:
        return None
    n, total, squared = n[:, readable], total[:, readable], squared[:, readable]
    each, errors = slopes_of_each(a.scores, n, total, squared, a.inflation)
    rows = n[~np.isnan(a.scores)].sum(axis=0)
    z = z_of_slopes(each, errors, rows)
    spread = variance_of_each(n, total, squared)
    up, down = int(np.argmax(z)), int(np.argmin(z))
    far = bool(min(z[up], -z[down]) >= max(T.OPPOSITE_SURE, -float(special.ndtri(min(by_chance / len(z), 0.5)))))
    if not (a.sure or far or np.abs(z).sum() >= T.TURN_SURE):
        return None  # the common slope is no surer than all of them together
    inside = slope_along(a.scores, n, total, squared, a.inflation)
    agreeing = int(np.sum(np.sign(each) == np.sign(inside.estimate)))
    code, overall = _code(a, inside, agreeing, len(each), asked), a.overall
    if code is not None and parts[0].sum() < (1 - T.UNKNOWN_WITHIN) * len(a.column.codes):
        n, total, squared = (v.sum(axis=1, keepdims=True) for v in parts)
        known = slope_along(a.scores, n, total, squared, a.inflation)
        sure = abs(z_of(known)) >= surely(a.column, a.scores, T.TURN_OVERALL)
        if _code(replace(a, overall=known, sure=sure), inside, agreeing, len(each), asked) != code:
            code = None  # not so of the rows that have the other: like is compared with like
    opposite: tuple[str, ...] = ()
    if far and min(each[up], -each[down]) * a.steps >= 2 * floor and not a.by_means and code != TURNS:
        code, labels = OPPOSITE, np.flatnonzero(readable)
        overall, inside = (_interval(each[k], errors[k]) for k in (up, down))
        opposite = b.labels[labels[up]], b.labels[labels[down]]
    if code is None and not a.by_means:
        lone = _in_one(_Each(each, errors, z, rows, spread), floor / a.steps, by_chance)
        if lone is not None:
            code, k = TOGETHER, lone[0]
            overall, inside = lone[1], _interval(each[k], errors[k])
            opposite = (b.labels[np.flatnonzero(readable)[k]],)
    if code is None:
        return None
    low, high = (a.column.labels[k] for k in a.ends)
    return TurnRound(
        code, a.column.name, b.name, overall, inside, low, high, agreeing, len(each), round(a.steps), opposite
    )


class _Each(NamedTuple):
    """Of each level of a column: the slope within it, its error, how many errors it is from nothing, rows, variance."""

    slope: Floats
    error: Floats
    z: Floats
    rows: Floats
    variance: Floats


def _in_one(each: _Each, least: float, by_chance: float) -> tuple[int, Estimate] | None:
    """Return the one level in which a relation shows, and what there is of it in all others: hardly any.

    It must be as sure there as all pairs of columns ask for, and surely differ from the others' common slope; and the
    outcome must vary about as much in the others, so that there is something it could have shown in.

    Parameters
    ----------
    least
        The smallest slope that matters.
    by_chance
        As in `_inside`.
    """
    k = int(np.argmax(np.abs(each.z)))
    sure = max(T.OPPOSITE_SURE, -float(special.ndtri(by_chance**2 / (2 * len(each.z)))))
    others = np.delete(np.arange(len(each.z)), k)
    if abs(each.z[k]) < sure or each.rows[k] < T.TOGETHER_ROWS * each.rows.sum():
        return None
    with np.errstate(divide="ignore"):
        weight = 1 / each.error[others] ** 2
    if not 0 < weight.sum() < np.inf:
        return None  # the others do not vary, or their squares are no numbers
    varies = float(np.average(each.variance[others], weights=each.rows[others]))
    rest, error = float(np.average(each.slope[others], weights=weight)), float(weight.sum() ** -0.5)
    apart = (each.slope[k] - rest) / np.hypot(each.error[k], error)
    large = abs(each.slope[k]) >= T.WITHIN_LARGE * least and abs(rest) <= T.WITHIN_LITTLE * abs(each.slope[k])
    if not large or abs(apart) < sure or varies < T.TOGETHER_VARIES * each.variance[k]:
        return None
    return k, _interval(rest, error)


def _interval(slope: float, error: float) -> Estimate:
    return Estimate(float(slope), float(slope - Z95 * error), float(slope + Z95 * error))


def _code(a: _Along, inside: Estimate, agreeing: int, levels: int, asked: _Asked) -> str | None:
    """Return what becomes of a relation, where enough levels agree; levels by their means cannot show less over all."""
    crude = Relation(a.overall.estimate * a.steps, a.sure)
    z = abs(z_of(inside))
    within, turned = (Relation(inside.estimate * a.steps, z >= sure) for sure in (T.TURN_SURE, asked.turned))
    # the one over all rows is the surer, and what they share counts once: the change varies less than the inner slope
    error = (inside.high - inside.low) / (2 * Z95)
    change = float(2 * special.ndtr(-abs(a.overall.estimate - inside.estimate) / error)) if error > 0 else np.nan
    least = T.WITHIN_LARGE * asked.floor
    demands = Demands(asked.floor, least, T.WITHIN_LITTLE, T.WITHIN_CHANGE, T.WITHIN_CHANGE)
    code = becomes(crude, within, change, demands)
    if becomes(crude, turned, change, demands) == TURNS:
        code = TURNS  # of few pairs, with less
    agree = agreeing >= max(2, T.TURN_AGREE * levels)
    return code if code == VANISHES or (agree and not (code == ONLY and a.by_means)) else None
