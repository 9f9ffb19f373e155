"""What is left of a difference within the groups that other columns make: beside it over all rows, and what to say."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..estimate import Estimate
from ..finding import Finding, marked
from ..magnitude import spread_of
from ..stats.mantel_haenszel import stratified_rates
from ..stats.sampling import Sampling
from ..stats.stratified import Stratified
from ..stats.within_groups import stratified_means, stratified_slope
from ..words import p_text, plural
from .rule import ENDS, ONLY, TURNS, VANISHES, Relation, becomes, least_points, named

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

DISAGREE = "groups-disagree"
MOST_CONTRASTS = 30
"""Levels set against the reference, the largest first."""


@dataclass(frozen=True)
class Contrast:
    """Two sides of a candidate, or of the outcome, compared over all rows and within groups.

    Parameters
    ----------
    label
        What is compared: "east against west", "yes against no", "a step of 1".
    effects
        By name: odds_ratio and risk_difference, mean_difference, or slope.
    floor
        How large a difference must be to be worth a word, by the name of the effect it is asked of.
    """

    label: str
    effects: dict[str, Stratified]
    floor: tuple[str, float]


@dataclass(frozen=True)
class WithinGroups:
    """The contrasts of one candidate within the groups that other columns make.

    Parameters
    ----------
    name, outcome, by
        The candidate, the outcome, and the columns that make the groups.
    what
        What differs: "the odds that wintered is 'yes'", "the mean of honey".
    """

    name: str
    outcome: str
    by: tuple[str, ...]
    what: str
    contrasts: tuple[Contrast, ...]


def levels_within(
    name: str,
    codes: NDArray[np.integer],
    labels: tuple[str, ...],
    outcome: Outcome,
    by: Grouping,
    sampling: Sampling,
    *,
    weight: NDArray[np.int64] | None = None,
) -> WithinGroups:
    """Compare the outcome between the levels of a candidate: two levels, or each with the largest.

    Parameters
    ----------
    name, codes, labels
        The candidate: the level of each row, shape (n,), ``-1`` for none.
    sampling
        What the rows are a sample of: cases each, or units.
    weight
        How many rows each row stands for, where rows are cases.
    """
    keep = outcome.known & (codes >= 0) & (by.codes >= 0)
    level, group = codes[keep].astype(np.int64), by.codes[keep]
    times = None if weight is None else weight[keep]
    some = sampling.take(keep)
    n = np.bincount(level, weights=times, minlength=len(labels))
    pairs = [(0, 1)]
    if len(labels) != 2:
        order = np.argsort(-n, kind="stable")[: MOST_CONTRASTS + 1]
        pairs = [(int(order[0]), int(k)) for k in order[1:] if n[k]] if len(order) else []
    if isinstance(outcome, ClassOutcome):
        y: NDArray[np.generic] = outcome.is_event[keep]
        what = f"the odds that {marked(outcome.name)} is {outcome.event!r}"
        floor = "risk_difference", least_points(float(y.mean()) if len(y) else 0.5)
    else:
        assert isinstance(outcome, NumericOutcome)
        y, what = outcome.values[keep], f"the mean of {marked(outcome.name)}"
        floor = ("mean_difference", T.LEAST_SD * outcome.deviation)
    found = []
    for first, second in pairs:
        rows = (level == first) | (level == second)
        side = (level[rows] == second).astype(np.int64)
        of = (y[rows], side, group[rows], some.take(rows), None if times is None else times[rows])
        effects = _odds(*of, len(by)) if isinstance(outcome, ClassOutcome) else _means(*of)
        found.append(Contrast(f"{labels[second]} against {labels[first]}", effects, floor))
    return WithinGroups(name, outcome.name, by.names, what, tuple(found))


def _odds(
    event: NDArray[np.generic], side: Codes, group: Codes, sampling: Sampling, times: Codes | None, groups: int
) -> dict[str, Stratified]:
    at = (group * 2 + side) * 2 + event.astype(np.int64)
    counted = np.bincount(at, weights=times, minlength=4 * groups)
    return stratified_rates(np.rint(counted).astype(np.int64).reshape(groups, 2, 2), at, sampling)


def _means(
    y: NDArray[np.generic], side: Codes, group: Codes, sampling: Sampling, times: Codes | None
) -> dict[str, Stratified]:
    values = y.astype(float)
    if times is not None:
        values, side, group = (np.repeat(v, times) for v in (values, side, group))
        sampling = sampling.repeated(times)
    return {"mean_difference": stratified_means(values, side, group, sampling)}


def number_within(name: str, values: Floats, outcome: ClassOutcome, by: Grouping, sampling: Sampling) -> WithinGroups:
    """Compare a number between the event and the rest; options as in `levels_within`."""
    keep = outcome.known & ~np.isnan(values) & (by.codes >= 0)
    y, side = values[keep], outcome.is_event[keep].astype(np.int64)
    rest = outcome.levels[0] if len(outcome.levels) == 2 else "the rest"
    effect = stratified_means(y, side, by.codes[keep], sampling.take(keep))
    with np.errstate(over="ignore", invalid="ignore"):
        floor = ("mean_difference", T.LEAST_SD * spread_of(y) if len(y) else 0.0)
    contrast = Contrast(f"{outcome.event} against {rest}", {"mean_difference": effect}, floor)
    return WithinGroups(name, outcome.name, by.names, f"the mean of {marked(name)}", (contrast,))


def slope_within(name: str, x: Floats, outcome: NumericOutcome, by: Grouping, sampling: Sampling) -> WithinGroups:
    """Compare the slope of the outcome along a number, over all rows and within groups."""
    keep = outcome.known & ~np.isnan(x) & (by.codes >= 0)
    at, y = x[keep], outcome.values[keep]
    effect = stratified_slope(at, y, by.codes[keep], sampling.take(keep))
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        floor = T.LEAST_SD * spread_of(y) / spread_of(at) if len(at) and spread_of(at) > 0 else 0.0
    contrast = Contrast("a step of 1", {"slope": effect}, ("slope", floor))
    return WithinGroups(name, outcome.name, by.names, f"{marked(outcome.name)} along {marked(name)}", (contrast,))


def within_findings(result: WithinGroups) -> list[Finding]:
    """Say what turns round within the groups, vanishes or shows only there, and where the groups do not agree."""
    seen: dict[str, list[Contrast]] = {}
    for c in sorted(result.contrasts, key=lambda c: -abs(_main(c)[1].change.statistic)):
        for code in (_becomes(c), DISAGREE if _disagree(c) else None):
            if code is not None:
                seen.setdefault(code, []).append(c)
    return [_said(code, result, seen[code]) for code in (TURNS, VANISHES, ONLY, DISAGREE) if code in seen]


def _main(c: Contrast) -> tuple[str, Stratified]:
    return next(iter(c.effects.items()))


def _null(effect: str) -> float:
    return 1.0 if effect == "odds_ratio" else 0.0


def _clear(e: Estimate, null: float) -> int:
    """Return on which side of nothing an interval lies, 0 where it holds it."""
    return 1 if e.low > null else -1 if e.high < null else 0


def _becomes(c: Contrast) -> str | None:
    """Say what becomes of a contrast: sure by the effect that is shown, large by the one that has a floor."""
    (effect, shown), (of, floor) = _main(c), c.floor
    sized = c.effects[of]
    if shown.groups < 2:
        return None
    crude, within = (
        Relation(size.estimate, _clear(e, _null(effect)) != 0)
        for size, e in ((sized.crude, shown.crude), (sized.pooled, shown.pooled))
    )
    if np.isnan(shown.pooled.low):
        return None
    return becomes(crude, within, shown.change.p, named(floor))


def _disagree(c: Contrast) -> bool:
    effect, floor = c.floor
    return _main(c)[1].agreement.p < T.GROUP_P and c.effects[effect].apart >= floor


def _written(effect: str, e: Estimate) -> str:
    if effect == "odds_ratio":
        return f"{e.estimate:.3g} times ({e.low:.3g} to {e.high:.3g})"
    return f"{e.estimate:+.3g} ({e.low:+.3g} to {e.high:+.3g})"


def _said(code: str, result: WithinGroups, seen: list[Contrast]) -> Finding:
    c = seen[0]
    effect, s = _main(c)
    by = " and ".join(map(marked, result.by))
    groups = f"the {plural(s.groups, 'group')} of {by}"
    crude, pooled = _written(effect, s.crude), _written(effect, s.pooled)
    of = f" of {marked(result.name)}" if result.name != result.outcome and effect != "slope" else ""
    start = f"{result.what[0].upper()}{result.what[1:]}, {c.label}{of}: {crude} over all rows"
    also = ", ".join(o.label for o in seen[1:4])
    more = f" The same of {also}{', …' if len(seen) > 4 else ''}." if also else ""
    name = marked(result.name)
    if code == DISAGREE:
        statement = (
            f"{start}, {pooled} pooled within {groups}, but the groups do not agree ({p_text(s.agreement.p)}): no one "
            f"number holds for all of them.{more}"
        )
        advice = f"Read {name} group by group (the table by), or give a model both columns together."
    else:
        statement = f"{start}, {pooled} within {groups}: {ENDS[code]}.{more}"
        advice = {
            TURNS: f"Do not read {name} without {by}: compare like with like, group by group.",
            VANISHES: f"Do not count {name} as a reason of its own: {by} accounts for it. Keep {by} beside it.",
            ONLY: f"Do not leave {name} out for saying nothing over all rows: read it group by group, beside {by}.",
        }[code]
    evidence = {
        "effect": effect, "crude": list(s.crude), "pooled": list(s.pooled), "agreement_p": s.agreement.p,
        "change_p": s.change.p, "groups": s.groups, "contrasts": [o.label for o in seen],
    }  # fmt: skip
    weight = "note" if code == DISAGREE else "caution"
    columns = (result.name, *result.by, result.outcome)
    return Finding(code, weight, columns, statement, advice, evidence)
