"""All candidates on one scale: which carry something about the outcome, and which are too good to be true."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.names import hints, is_time
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome, Said
from ..columns.table import CategoryColumn, Column, Table
from ..columns.units import unit_keys
from ..finding import Finding, by_weight, marked
from ..inventory.quality.absent import missing_follows
from ..parallel import in_threads
from ..shapes.quantiles import sorted_present
from ..stats.clustered import unit_codes
from ..stats.correlation import spearman
from ..stats.folds import Folds, deal, hash_blocks
from ..stats.heldout import Cells, HeldOut, held_out, level_cells, number_cells
from ..stats.multiplicity import q_values
from .looks import Looks

TOO_GOOD, STRONG = "too-good-to-be-true", "strong-candidate"
Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
Progress = Callable[[int, int, str], None]
"""Called with how many candidates are done, of how many, and the one in hand."""
A_BLOCK = 512
"""Columns counted before they are fitted, so that counts of many do not fill the memory."""


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
    strong: bool = False
    too_good: bool = False


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
    at = None if known.all() else np.flatnonzero(known)
    columns = [table[n] if at is None else table[n].take(at) for n in candidates]
    scored, over_rows = _scored(
        columns, Looks.of(target, units), folds, row_folds if units is not None else None, progress
    )
    shares_over_rows = {c.name: h.share for c, h in zip(columns, over_rows, strict=False)}
    progress(len(candidates), len(candidates), "")
    q = q_values(np.array([c.p for c in scored]))
    scored = [
        _advised(_weighed(replace(c, q=float(v)), table[c.name], outcome)) for c, v in zip(scored, q, strict=True)
    ]
    scored.sort(key=lambda c: -c.held_out.share if c.held_out.share == c.held_out.share else np.inf)
    effect = None
    if units is not None and unit is not None:
        effect = UnitEffect(unit, int(units.max()) + 1, len(units), shares_over_rows)
    unknown = int((~known).sum())
    findings = _findings(outcome, scored, effect)
    return Ranking(outcome.said, len(target), unknown, tuple(scored), effect, by_weight(findings))


def _scored(
    columns: list[Column], looks: Looks, folds: Folds, row_folds: Folds | None, progress: Progress
) -> tuple[list[Candidate], list[HeldOut]]:
    """Score columns; with ``row_folds`` also what their shares would be with folds over rows.

    Each column is counted and tested by itself, in threads; those with equally many cells are fitted together.
    """
    target = looks.target
    shares, over_rows, ps = [], [], []
    for start in range(0, len(columns), A_BLOCK):
        block = columns[start : start + A_BLOCK]

        def count(column: Column) -> tuple[Cells, Cells | None, float]:
            return _counted(column, looks, folds, row_folds)

        def told(done: int, _: int, name: str, start: int = start) -> None:
            progress(start + done, len(columns), name)

        made = in_threads(count, block, len(target), told, lambda c: c.name)
        shares += held_out([cells for cells, _, _ in made], target, folds, looks.units)
        if row_folds is not None:
            over_rows += held_out([rows for _, rows, _ in made if rows is not None], target, row_folds)
        ps += [p for _, _, p in made]
    scored = [
        Candidate(c.name, c.kind, h, p, np.nan, float(c.missing.mean()), "")
        for c, h, p in zip(columns, shares, ps, strict=True)
    ]
    return scored, over_rows


def _counted(column: Column, looks: Looks, folds: Folds, row_folds: Folds | None) -> tuple[Cells, Cells | None, float]:
    """Count a column into cells, with folds over units and over rows, and test it."""
    values = column.numbers
    if values is None:
        assert isinstance(column, CategoryColumn)
        make = partial(level_cells, column.codes, len(column.levels), looks.target)
        cells = make(folds)
        p = looks.p_of_levels(cells)
    else:
        ordered = sorted_present(values.copy())
        make = partial(number_cells, values, looks.target, ordered=ordered)
        cells = make(folds)
        p = looks.p_of_number(values, cells, ordered)
    return cells, None if row_folds is None else make(row_folds), p


def _weighed(c: Candidate, column: Column, outcome: Outcome) -> Candidate:
    """Say whether a candidate is strong, and whether it is too good to be true.

    Strength alone is no leak: a measurement may simply be good. A strong candidate is too good where it all but repeats
    the outcome, where its name says that it was written down later, or where it is missing as the outcome has it.
    Dates, counters of time and names of many things are strong in another way: they tell the rows apart.
    """
    h = c.held_out
    classes = isinstance(outcome, ClassOutcome)
    if not h.share > (T.STRONG_CLASS if classes else T.STRONG_NUMBER):
        return c
    if isinstance(column, CategoryColumn):
        tells_apart = len(column.levels) >= T.MANY_NAMES
    else:
        seen = column.numbers[~column.missing] if column.numbers is not None else np.array([])
        tells_apart = column.kind == "datetime" or bool(len(seen) and is_time(c.name, seen.min(), seen.max()))
    near = h.share > T.TOO_GOOD_CLASS or h.auc >= T.TOO_GOOD_AUC if classes else _shared_ranks(column, outcome, h)
    later = hints(c.name, "after") or bool(missing_follows(c.name, column.missing, outcome, 1))
    return replace(c, strong=True, too_good=not tells_apart and (near or later))


def _shared_ranks(column: Column, outcome: Outcome, h: HeldOut) -> bool:
    """Say whether a candidate all but repeats a numeric outcome, by ranks: means of bins leave some of a copy over."""
    if column.numbers is None or not isinstance(outcome, NumericOutcome):
        return h.share > T.TOO_GOOD_NUMBER
    both = ~(np.isnan(column.numbers) | np.isnan(outcome.values))
    if both.sum() < T.FEW_ROWS:
        return False
    return spearman(column.numbers[both], outcome.values[both])[0].estimate ** 2 > T.TOO_GOOD_NUMBER


def _advised(c: Candidate) -> Candidate:
    if c.kind == "constant":
        advice = "leave out: constant"
    elif c.kind == "identifier":
        advice = "leave out: names cases" if c.held_out.low <= 0 else "names cases: the unit?"
    elif c.too_good:
        advice = "stop: known when?"
    elif c.strong:
        advice = "strong: known when?"
    elif c.held_out.low > T.LITTLE:
        advice = "keep"
    elif c.held_out.low > 0 or c.q <= T.Q_CARRIES:
        advice = "little"
    else:
        advice = "nothing alone"
    return replace(c, advice=advice)


def _findings(outcome: Outcome, scored: list[Candidate], unit: UnitEffect | None) -> list[Finding]:
    stop = [c for c in scored if c.too_good]
    strong = [c for c in scored if c.strong and not c.too_good]
    found = [_strength(outcome, group, code) for group, code in ((stop, TOO_GOOD), (strong, STRONG)) if group]
    if unit is not None:
        found.append(_unit_finding(unit, scored))
    return found


def _strength(outcome: Outcome, group: list[Candidate], code: str) -> Finding:
    """Name all strong candidates at once: what says nearly all about one outcome says it together."""
    best = group[0].held_out
    names = tuple(c.name for c in group)
    said = marked(outcome.name)
    if len(group) == 1:
        area = f", area under the curve {best.auc:.3f}" if best.auc == best.auc else ""
        range_ = f"{best.share:.0%} of the uncertainty about {said} on held-out rows ({best.low:.0%} to {best.high:.0%}"
        told, it = f"{marked(names[0])} alone removes {range_}{area}).", marked(names[0])
    else:
        more = f" and {len(names) - 3} more" if len(names) > 3 else ""
        listed = ", ".join(marked(n) for n in names[:3]) + more
        least = group[-1].held_out.share
        told = f"{listed} each alone remove {least:.0%} to {best.share:.0%} of the uncertainty about {said} on "
        told += "held-out rows."
        it = "each"
    if code == TOO_GOOD:
        told += " Columns known beforehand seldom do."
        advice = f"Find out when {it} is written down. If that is after {said} is known, leave it out."
    else:
        advice = f"Strong: check that {it} is known before {said} is, and is no other name for it."
    evidence = {
        c.name: {"held_out_share": c.held_out.share, "low": c.held_out.low, "high": c.held_out.high} for c in group
    }
    weight = "stop" if code == TOO_GOOD else "note"
    return Finding(
        code, weight, (*names, outcome.name), told, advice, evidence if len(group) > 1 else evidence[names[0]]
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
