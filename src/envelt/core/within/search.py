"""Relations that turn round: one direction over all rows, the other within the levels of a third column."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import option
from .. import thresholds as T
from ..columns.coarse import Coarse, coarse_of
from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import Column, TimeColumn
from ..estimate import Z95, Estimate
from ..finding import Finding, marked
from ..kept import Remade
from ..parallel import Progress, Slowly
from ..stats.sampling import Sampling
from .rule import TURNS, Relation, becomes, least_points, named

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

BLOCK = 1 << 15
SCREENED = 50_000
"""So many rows show any turn worth a word, before all are looked at."""


@dataclass(frozen=True)
class TurnRound:
    """A relation that turns round.

    Parameters
    ----------
    name, within
        The candidate, and the column within whose levels it turns.
    overall, inside
        The change of the outcome (a rate or a mean) along the candidate, over all rows and within levels: from one
        end to the other of two levels, a step of ordered ones.
    low_end, high_end
        The levels the change is from and to.
    agreeing, levels
        How many levels of ``within`` go the way of ``inside``, of how many.
    steps
        From the one end to the other.
    """

    name: str
    within: str
    overall: Estimate
    inside: Estimate
    low_end: str
    high_end: str
    agreeing: int
    levels: int
    steps: int


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

    Of many rows a share of 50,000 or more is looked at first, and what turns round there on all.

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

    A relation counts only where both directions are sure (2.8 standard errors over all rows, and four for the slope
    common to all levels) and large enough to matter, four in five of the levels that can be read go the inner way, so
    that no single small cell can make one, and the third column does not hold most of the outcome.

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
    scores = [_scores(c) for c in columns]
    overall = [_marginal(c, s, y, inflation) for c, s in zip(columns, scores, strict=True)]
    moving = [
        abs(_z(e)) >= T.TURN_OVERALL and not c.time and (only is None or c.name == only)
        for c, e in zip(columns, overall, strict=True)
    ]
    held = [_share_of_variance(c, y) for c in columns]
    if isinstance(outcome, ClassOutcome):
        floor = least_points(float(outcome.is_event[known].mean()))
    else:
        floor = T.LEAST_SD * outcome.deviation
    found = []
    movers = np.flatnonzero(moving)
    for i, first in enumerate(columns):
        if progress is not None:
            progress(i, len(columns), first.name)
        for j in range(i + 1, len(columns)) if moving[i] else movers[movers > i].tolist():
            pair = [(k, m) for k, m in ((i, j), (j, i)) if moving[k] and held[m] <= T.TURN_SHARE]
            parts = _joint(first, columns[j], y) if pair else None
            if parts is None or _stand_for_each_other(first, columns[j], parts[0]):
                continue
            for a, b in pair:
                of = list(parts) if a == i else [v.T for v in parts]
                seen = _inside(columns[a], columns[b], scores[a], overall[a], of, inflation, floor)
                if seen is not None:
                    found.append(seen)
    return sorted(found, key=lambda t: -abs(_z(t.inside)))


def _scores(c: Coarse) -> Floats:
    """Return the place of each level; of two levels apart, NaN for all but the two largest."""
    if c.ordered:
        return np.arange(len(c.labels), dtype=float)
    n = np.bincount(c.codes[c.codes >= 0], minlength=len(c.labels))
    two = np.sort(np.argsort(-n, kind="stable")[:2])
    scores = np.full(len(c.labels), np.nan)
    scores[two] = [0.0, 1.0]
    return scores


def _z(e: Estimate) -> float:
    half = (e.high - e.low) / (2 * Z95)
    return e.estimate / half if half > 0 else 0.0


def _sums(cell: Codes, y: NDArray[Any], size: int) -> tuple[Floats, Floats, Floats]:
    """Return rows, and the sums of the outcome and of its square, in each cell."""
    if y.dtype == np.bool_:
        both = np.bincount(cell * 2 + y, minlength=2 * size).reshape(size, 2).astype(float)
        return both.sum(axis=1), both[:, 1], both[:, 1]
    n = np.bincount(cell, minlength=size).astype(float)
    with np.errstate(over="ignore"):  # of numbers whose squares are none nothing is claimed
        total, squared = (np.bincount(cell, weights=v, minlength=size).astype(float) for v in (y, y * y))
    return n, total, squared


def _marginal(c: Coarse, scores: Floats, y: NDArray[Any], inflation: float) -> Estimate:
    keep = c.codes >= 0
    codes = c.codes if keep.all() else c.codes[keep]
    n, total, squared = _sums(codes.astype(np.int64), y if keep.all() else y[keep], len(c.labels))
    return _slope(scores, n[:, None], total[:, None], squared[:, None], inflation)


@np.errstate(over="ignore", invalid="ignore")
def _share_of_variance(c: Coarse, y: NDArray[Any]) -> float:
    """Return the share of the outcome's variance that lies between the levels of a column."""
    keep = c.codes >= 0
    n, total, squared = _sums(c.codes[keep].astype(np.int64), y[keep], len(c.labels))
    rows = float(n.sum())
    if rows == 0:
        return 0.0
    mean = total.sum() / rows
    whole = squared.sum() / rows - mean**2
    between = np.sum(total**2 / np.maximum(n, 1)) / rows - mean**2
    return float(between / whole) if whole > 0 else 0.0


def _stand_for_each_other(a: Coarse, b: Coarse, n: Floats) -> bool:
    """Say whether two columns in several ordered levels are so alike that within one there is little of the other."""
    graded = a.ordered and b.ordered and min(n.shape) > 3
    return graded and abs(_correlation(n)) >= T.TURN_SAME


def _correlation(n: Floats) -> float:
    """Return the correlation of the places of rows and columns of a table; 0 where one does not vary."""
    x, y = (np.arange(size, dtype=float) for size in n.shape)
    total = max(float(n.sum()), 1.0)
    x, y = x - float(n.sum(axis=1) @ x) / total, y - float(n.sum(axis=0) @ y) / total
    spread = float(n.sum(axis=1) @ x**2) * float(n.sum(axis=0) @ y**2)
    return float(x @ n @ y) / float(np.sqrt(spread)) if spread > 0 else 0.0


def _joint(a: Coarse, b: Coarse, y: NDArray[Any]) -> tuple[Floats, Floats, Floats]:
    size = len(b.labels)
    shape = (len(a.labels), size)
    sums = [np.zeros(shape) for _ in range(3)]
    # block by block, so that what is counted stays in the cache
    for start in range(0, len(y), BLOCK):
        part = slice(start, start + BLOCK)
        first, second, of = a.codes[part], b.codes[part], y[part]
        keep = (first >= 0) & (second >= 0)
        cell = first.astype(np.int64) * size + second
        if not keep.all():
            cell, of = cell[keep], of[keep]
        for total, added in zip(sums, _sums(cell, of, shape[0] * size), strict=True):
            total += added.reshape(shape)
    return sums[0], sums[1], sums[2]


@np.errstate(over="ignore", invalid="ignore")
def _slope(scores: Floats, n: Floats, total: Floats, squared: Floats, inflation: float = 1.0) -> Estimate:
    """Return the slope common to the columns of a table of rows, with an interval that lets cells vary freely.

    Slope = Σ_j Σ_i n_ij (s_i − s̄_j) ȳ_ij / Σ_j Σ_i n_ij (s_i − s̄_j)²; its variance takes each cell's own variance.
    """
    use = ~np.isnan(scores)
    s, n, total, squared = scores[use][:, None], n[use], total[use], squared[use]
    columns = np.maximum(n.sum(axis=0), 1)
    away = s - (n * s).sum(axis=0) / columns
    sxx = float(np.sum(n * away**2))
    if sxx <= 0:
        return Estimate(0.0, -np.inf, np.inf)
    slope = float(np.sum(away * total)) / sxx
    mean = total / np.maximum(n, 1)
    variance = np.maximum(squared / np.maximum(n, 1) - mean**2, 0.0)
    pooled = float(np.sum(n * variance)) / max(float(n.sum()), 1.0)
    # a cell of few rows borrows from all
    variance = (n * variance + 5 * pooled) / (n + 5)
    se = np.sqrt(inflation * float(np.sum(away**2 * n * variance))) / sxx
    return Estimate(slope, slope - Z95 * se, slope + Z95 * se)


def _inside(
    a: Coarse, b: Coarse, scores: Floats, overall: Estimate, parts: list[Floats], inflation: float, floor: float
) -> TurnRound | None:
    n, total, squared = parts
    readable = (n[~np.isnan(scores)] >= T.TURN_CELL).sum(axis=0) >= 2
    if readable.sum() < 2:
        return None
    n, total, squared = n[:, readable], total[:, readable], squared[:, readable]
    inside = _slope(scores, n, total, squared, inflation)
    ends = np.flatnonzero(~np.isnan(scores))
    over_all, within = (
        Relation(e.estimate * (len(ends) - 1), abs(_z(e)) >= sure)
        for e, sure in ((overall, T.TURN_OVERALL), (inside, T.TURN_SURE))
    )
    if becomes(over_all, within, np.nan, named(floor)) != TURNS:
        return None
    each = [_slope(scores, n[:, [k]], total[:, [k]], squared[:, [k]]).estimate for k in range(n.shape[1])]
    agreeing = int(np.sum(np.sign(each) == np.sign(inside.estimate)))
    if agreeing < 2 or agreeing < T.TURN_AGREE * len(each):
        return None
    return TurnRound(
        a.name, b.name, overall, inside, a.labels[ends[0]], a.labels[ends[-1]], agreeing, len(each), len(ends) - 1
    )


def turn_findings(found: list[TurnRound], outcome: Outcome) -> list[Finding]:
    """Say each candidate's turn once, for the column within which it is surest; several within one column at once."""
    said: dict[str, list[TurnRound]] = {}
    for turn in found:
        said.setdefault(turn.name, []).append(turn)
    within: dict[str, list[list[TurnRound]]] = {}
    for turns in said.values():
        within.setdefault(turns[0].within, []).append(turns)
    return [_said(first, outcome, [turns[0].name for turns in rest]) for first, *rest in within.values()]


def _said(turns: list[TurnRound], outcome: Outcome, alike: list[str]) -> Finding:
    t = turns[0]
    classes = isinstance(outcome, ClassOutcome)
    what = (
        f"The rate of {outcome.event!r}" if isinstance(outcome, ClassOutcome) else f"The mean of {marked(outcome.name)}"
    )

    def size(e: Estimate) -> str:
        if classes:
            text = f"{100 * e.estimate:+.1f} points ({100 * e.low:+.1f} to {100 * e.high:+.1f})"
        else:
            text = f"{e.estimate:+.3g} ({e.low:+.3g} to {e.high:+.3g})"
        return text

    others = [o.within for o in turns[1:4]]
    also = f" The same within {', '.join(map(marked, others))}." if others else ""
    if alike:
        also += f" So do{'es' if len(alike) == 1 else ''} {', '.join(map(marked, alike[:4]))}"
        also += f" and {len(alike) - 4} more." if len(alike) > 4 else "."
    up, down = ("rises", "falls") if t.overall.estimate > 0 else ("falls", "rises")
    step = " a step" if t.steps > 1 else ""
    return Finding(
        TURNS,
        "caution",
        (t.name, t.within, *alike, outcome.name),
        f"{what} {up} from {t.low_end!r} to {t.high_end!r} of {marked(t.name)} over all rows, "
        f"{size(t.overall)}{step}, and {down} within the levels of {marked(t.within)}, {size(t.inside)}{step}, in "
        f"{t.agreeing} of the {t.levels} that can be read.{also}",
        f"Do not read {marked(t.name)} without {marked(t.within)}: compare like with like, {option('by', t.within)}.",
        {
            "overall": list(t.overall),
            "within": list(t.inside),
            "levels": t.levels,
            "agreeing": t.agreeing,
            "also": [o.within for o in turns[1:]],
        },
    )
