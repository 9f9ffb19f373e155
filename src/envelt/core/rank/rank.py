"""All candidates on one scale: which carry something about the outcome, and which are too good to be true."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..columns.outcome import ClassOutcome, Outcome, Said
from ..columns.table import CategoryColumn, Column, Table
from ..columns.units import unit_keys
from ..finding import Finding, by_weight, marked
from ..shapes.ranks import mid_ranks, ranks_of_ordinals
from ..stats.clustered import group_design_effect, product_design_effect, table_design_effect, unit_codes
from ..stats.correlation import correlation_test
from ..stats.folds import Folds, deal, hash_blocks
from ..stats.heldout import BinnedCounts, HeldOut, binned_counts, held_out_bins, held_out_levels
from ..stats.multiplicity import q_values
from ..stats.tables import chi_square, chi_square_sparse, expected_are_small
from ..stats.targets import ClassTarget, NumberTarget, Target

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
Progress = Callable[[int, int, str], None]
"""Called with how many candidates are done, of how many, and the one in hand."""


@dataclass(frozen=True)
class Candidate:
    """One row of the ranking."""

    name: str
    kind: str
    held_out: HeldOut
    p: float
    q: float
    missing_share: float
    advice: str


@dataclass(frozen=True)
class UnitEffect:
    """What keeping units whole changed: their number, and each candidate's share with folds over rows."""

    name: str
    units: int
    rows: int
    share_over_rows: dict[str, float]


@dataclass(frozen=True)
class Ranking:
    """Candidates, best first."""

    outcome: Said
    rows: int
    unknown: int
    candidates: tuple[Candidate, ...]
    unit: UnitEffect | None
    findings: tuple[Finding, ...]


def rank_candidates(
    table: Table,
    outcome: Outcome,
    candidates: list[str],
    *,
    unit: str | None = None,
    seed: int = 0,
    progress: Progress = lambda done, total, name: None,
) -> Ranking:
    """Score every candidate alone on rows it was not fitted on.

    Parameters
    ----------
    table
        All rows; those without an outcome are set aside.
    candidates
        Names of the columns to score.
    unit
        The column that says which rows are one case: folds never split one, and intervals and tests count
        units, not rows.
    seed
        Of the hash that deals rows into folds.
    progress
        Called before each candidate.

    Returns
    -------
    Ranking
        Shares and intervals as in `heldout`; ``p`` is min(1, 2 · min(rank test, chi-square over 20 quantile
        bins with missing as its own)) for numbers and the chi-square for categories; for a numeric outcome
        Spearman's and Kruskal–Wallis's take their places. ``q`` is Benjamini–Hochberg over the view.
    """
    known = outcome.known
    target = outcome.target()
    keys = unit_keys(table[unit]) if unit is not None else None
    row_folds = deal(hash_blocks(np.flatnonzero(known), seed), target.load, seed)
    folds, units = row_folds, None
    if keys is not None:
        units = unit_codes(keys[known])
        folds = deal(hash_blocks(keys[known].astype(np.int64), seed), target.load, seed)
    scorer = _Scorer(target, folds, units)
    over_rows = _Scorer(target, row_folds, None)
    scored, shares_over_rows = [], {}
    for i, name in enumerate(candidates):
        progress(i, len(candidates), name)
        column = table[name] if known.all() else table[name].take(np.flatnonzero(known))
        scored.append(_score(column, scorer))
        if units is not None:
            shares_over_rows[name] = _held_out(column, over_rows)[0].share
    progress(len(candidates), len(candidates), "")
    q = q_values(np.array([c.p for c in scored]))
    limit = T.TOO_GOOD_CLASS if isinstance(outcome, ClassOutcome) else T.TOO_GOOD_NUMBER
    scored = [_advised(replace(c, q=float(v)), limit) for c, v in zip(scored, q, strict=True)]
    scored.sort(key=lambda c: -c.held_out.share if c.held_out.share == c.held_out.share else np.inf)
    effect = None
    if units is not None and unit is not None:
        effect = UnitEffect(unit, int(units.max()) + 1, len(units), shares_over_rows)
    unknown = int((~known).sum())
    findings = _findings(outcome, scored, effect, limit)
    return Ranking(outcome.said, len(target), unknown, tuple(scored), effect, by_weight(findings))


@dataclass(frozen=True)
class _Scorer:
    target: Target
    folds: Folds
    units: Codes | None


def _score(column: Column, scorer: _Scorer) -> Candidate:
    held_out, counts = _held_out(column, scorer)
    if column.numbers is not None and counts is not None:
        p = _number_p(column.numbers, counts, scorer)
    else:
        assert isinstance(column, CategoryColumn)
        p = _levels_p(column.codes.astype(np.int64), len(column.levels), scorer)
    return Candidate(column.name, column.kind, held_out, p, np.nan, float(column.missing.mean()), "")


def _held_out(column: Column, scorer: _Scorer) -> tuple[HeldOut, BinnedCounts | None]:
    """Return the held-out share, and the counts of a numeric candidate for what else needs them."""
    target, folds, units = scorer.target, scorer.folds, scorer.units
    values = column.numbers
    if values is not None:
        counts = binned_counts(values, target, folds)
        return held_out_bins(counts, values, target, folds, units), counts
    assert isinstance(column, CategoryColumn)
    return held_out_levels(column.codes, len(column.levels), target, folds, units), None


def _levels_p(codes: Codes, levels: int, scorer: _Scorer) -> float:
    """Return the p of levels against the outcome, missing being a level of its own."""
    codes = np.where(codes < 0, levels, codes)
    return _sums_p(scorer.target.sums(codes, levels + 1), codes, scorer)


def _sums_p(sums: Floats, codes: Codes, scorer: _Scorer) -> float:
    """Return the p of a table of levels: chi-square for classes, Kruskal–Wallis for a number."""
    target, units = scorer.target, scorer.units
    if isinstance(target, ClassTarget):
        table = np.rint(sums).astype(np.int64)
        test = chi_square_sparse(table) if expected_are_small(table) else chi_square(table)
        if units is None or np.isnan(test.p):
            return test.p
        inflation = table_design_effect(units, codes, target.codes, (len(sums), target.classes))
        used = table[table.sum(axis=1) > 0]
        df = (len(used) - 1) * (int((used.sum(axis=0) > 0).sum()) - 1)
        return max(test.p, float(special.chdtrc(df, test.statistic / inflation)))
    ranks = target.ranks
    n = np.bincount(codes, minlength=len(sums)).astype(np.float64)
    used_levels = int(np.count_nonzero(n))
    centred = ranks - ranks.mean()
    total = np.bincount(codes, weights=centred, minlength=len(sums))
    variance = float(np.sum(centred**2)) / (len(ranks) - 1)
    if used_levels < 2 or variance == 0:
        return float("nan")
    h = float(np.sum(total**2 / np.maximum(n, 1))) / variance
    inflation = 1.0 if units is None else group_design_effect(units, codes, len(sums), ranks)
    return float(special.chdtrc(used_levels - 1, h / inflation))


def _number_p(values: Floats, counts: BinnedCounts, scorer: _Scorer) -> float:
    sums = counts.bins(-1).sum(axis=1)
    cell = np.full(len(values), len(sums) - 1, np.int64)
    if scorer.units is not None or isinstance(scorer.target, NumberTarget):
        present = ~np.isnan(values)
        cell[present] = np.searchsorted(counts.edges[-1], values[present], "right")
    over_bins = _sums_p(sums, cell, scorer)
    trend = _rank_p(values, counts.order, scorer)
    both = [p for p in (over_bins, trend) if not np.isnan(p)]
    return min(1.0, 2 * min(both)) if both else float("nan")


def _rank_p(values: Floats, order: NDArray[np.intp], scorer: _Scorer) -> float:
    """Return the p of a monotone relation: Mann–Whitney, Kruskal–Wallis, or Spearman for a number."""
    if len(order) < 3:
        return float("nan")
    x = mid_ranks(values[order])
    target = scorer.target.take(order)  # type: ignore[arg-type]  # positions select as masks do
    units = None if scorer.units is None else scorer.units[order]
    if isinstance(target, NumberTarget):
        y = ranks_of_ordinals(target.ordinals)
        dx, dy = x - x.mean(), y - y.mean()
        scale = np.sqrt(np.sum(dx**2) * np.sum(dy**2))
        if scale == 0:
            return float("nan")
        inflation = 1.0 if units is None else product_design_effect(units, x, y)
        r = float(np.clip(np.sum(dx * dy) / scale, -1, 1))
        return correlation_test(r / np.sqrt(inflation), len(x)).p
    codes = target.codes
    n = np.bincount(codes, minlength=target.classes).astype(np.float64)
    centred = x - x.mean()
    spread = float(np.sum(centred**2)) / (len(x) - 1)
    if spread == 0 or np.count_nonzero(n) < 2:
        return float("nan")
    total = np.bincount(codes, weights=centred, minlength=target.classes)
    inflation = 1.0 if units is None else group_design_effect(units, codes, target.classes, x)
    if target.classes == 2:  # Mann–Whitney, tie- and continuity-corrected
        se = np.sqrt(spread * n[0] * n[1] / len(x) * inflation)
        z = max(abs(float(total[1])) - 0.5, 0.0) / se
        return float(min(1.0, 2 * special.ndtr(-z)))
    h = float(np.sum(total**2 / np.maximum(n, 1))) / spread / inflation
    return float(special.chdtrc(np.count_nonzero(n) - 1, h))


def _advised(c: Candidate, limit: float) -> Candidate:
    if c.kind == "constant":
        advice = "leave out: constant"
    elif c.kind == "identifier":
        advice = "leave out: names cases" if c.held_out.low <= 0 else "names cases: the unit?"
    elif c.held_out.share > limit:
        advice = "stop: known when?"
    elif c.held_out.low > T.LITTLE:
        advice = "keep"
    elif c.held_out.low > 0 or c.q <= T.Q_CARRIES:
        advice = "little"
    else:
        advice = "nothing alone"
    return replace(c, advice=advice)


def _findings(outcome: Outcome, scored: list[Candidate], unit: UnitEffect | None, limit: float) -> list[Finding]:
    found = [_too_good(outcome, c) for c in scored if c.held_out.share > limit]
    if unit is not None:
        found.append(_unit_finding(unit, scored))
    return found


def _too_good(outcome: Outcome, c: Candidate) -> Finding:
    h = c.held_out
    area = f", area under the curve {h.auc:.3f}" if h.auc == h.auc else ""
    return Finding(
        "too-good-to-be-true",
        "stop",
        (c.name, outcome.name),
        f"{marked(c.name)} alone removes {h.share:.0%} of the uncertainty about {marked(outcome.name)} on held-out "
        f"rows ({h.low:.0%} to {h.high:.0%}{area}). Columns known beforehand seldom do.",
        f"Find out when {marked(c.name)} is written down. If that is after {marked(outcome.name)} is known, leave it "
        "out.",
        {"held_out_share": h.share, "low": h.low, "high": h.high},
    )


def _unit_finding(unit: UnitEffect, scored: list[Candidate]) -> Finding:
    moved = [(c.name, unit.share_over_rows[c.name], c.held_out.share) for c in scored]
    moved = [m for m in moved if abs(m[1] - m[2]) > T.SHIFT_OF_UNITS]
    moved.sort(key=lambda m: -abs(m[1] - m[2]))
    listed = "; ".join(f"{marked(n)} {a:.3f} → {b:.3f}" for n, a, b in moved[:3])
    text = (
        f"What moved by more than {T.SHIFT_OF_UNITS} against folds over rows: {listed}."
        if moved
        else f"No candidate's share moved by more than {T.SHIFT_OF_UNITS} against folds over rows."
    )
    return Finding(
        "units-kept-whole",
        "note",
        (unit.name,),
        f"Folds keep each of the {unit.units:,} values of {marked(unit.name)} whole ({unit.rows:,} rows), and "
        f"intervals and tests count them, not rows. {text}",
        "A share that falls was partly memory of the same case.",
        {"units": unit.units, "rows": unit.rows, "moved": {n: [a, b] for n, a, b in moved}},
    )
