"""What to say of a ranking: what is too strong, what units and times change, and what came to grief."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...errors import option
from .. import thresholds as T
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..columns.table import CategoryColumn, Column
from ..columns.times import is_time
from ..finding import Finding, failed_finding, marked
from ..stats.heldout import HeldOut
from ..words import listed, plural

TOO_GOOD, STRONG = "too-good-to-be-true", "strong-candidate"


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
    failed: str = ""


@dataclass(frozen=True)
class UnitEffect:
    """What keeping units whole, or times apart, changed: each candidate's share with folds over rows.

    Parameters
    ----------
    name
        Of the column of units or times.
    units
        How many units there are; of times, stretches.
    in_time
        Whether folds are stretches of time.
    """

    name: str
    units: int
    rows: int
    share_over_rows: dict[str, float]
    in_time: bool = False


def rank_findings(outcome: Outcome, scored: list[Candidate], unit: UnitEffect | None) -> list[Finding]:
    """Look at a ranking."""
    stop = [c for c in scored if c.too_good]
    strong = [c for c in scored if c.strong and not c.too_good]
    found = [_strength(outcome, group, code) for group, code in ((stop, TOO_GOOD), (strong, STRONG)) if group]
    if unit is not None:
        found.append(_unit_finding(unit, scored))
    return found + [failed_finding(c.name, c.failed) for c in scored if c.failed]


def ordered_in_time(columns: list[Column], outcome: Outcome) -> list[Finding]:
    """Say so where the rows follow a time and neighbours in it agree on the outcome: random folds then flatter.

    Parameters
    ----------
    columns
        As wide as the outcome.
    """
    known = outcome.known
    if known.sum() < T.ROWS_IN_TIME:
        return []
    y = outcome.is_event.astype(float) if isinstance(outcome, ClassOutcome) else _values(outcome)
    best: tuple[float, str] | None = None
    for c in columns:
        at = c.numbers
        if at is None or isinstance(c, CategoryColumn):
            continue
        there = known & ~np.isnan(at)
        if there.sum() < T.ROWS_IN_TIME or len(np.unique(at[there])) < T.OWN_TIMES * there.sum():
            continue
        if not (c.kind == "datetime" or is_time(c.name, at[there])):
            continue
        of = y[there][np.argsort(at[there], kind="stable")]
        agreement = _neighbours(of)
        if agreement >= T.NEIGHBOURS_AGREE and (best is None or agreement > best[0]):
            best = (agreement, c.name)
    if best is None:
        return []
    agreement, name = best
    return [
        Finding(
            "ordered-in-time",
            "caution",
            (name, outcome.name),
            f"In the order of {marked(name)} neighbouring rows agree on {marked(outcome.name)} (correlation "
            f"{agreement:.2f}): folds drawn at random hold out rows whose neighbours they learned from, and flatter "
            "whatever moves with time.",
            f"Keep times apart, {option('time', name)}: folds are then stretches of time.",
            {"correlation_of_neighbours": agreement},
        )
    ]


def _values(outcome: Outcome) -> np.ndarray:
    assert isinstance(outcome, NumericOutcome)
    return outcome.values


def _neighbours(y: np.ndarray) -> float:
    """Return the correlation of each value with the next; 0 where there is none."""
    a, b = y[:-1] - y.mean(), y[1:] - y.mean()
    with np.errstate(over="ignore", invalid="ignore"):
        spread = float(np.sqrt(np.sum(a * a) * np.sum(b * b)))
        return float(np.sum(a * b)) / spread if 0 < spread < np.inf else 0.0


def _strength(outcome: Outcome, group: list[Candidate], code: str) -> Finding:
    """Name all strong candidates at once: what says nearly all about one outcome says it together."""
    best = group[0].held_out
    names = tuple(c.name for c in group)
    said = marked(outcome.name)
    if len(group) == 1:
        area = f", area under the curve {best.auc:.3f}" if best.auc == best.auc else ""
        high = min(best.high, 1.0)
        range_ = f"{best.share:.0%} of the uncertainty about {said} on held-out rows ({best.low:.0%} to {high:.0%}"
        told, it = f"{marked(names[0])} alone removes {range_}{area}).", marked(names[0])
    else:
        least = group[-1].held_out.share
        told = (
            f"{listed([*map(marked, names)], 3)} each alone remove {least:.0%} to {best.share:.0%} of the uncertainty "
        )
        told += f"about {said} on held-out rows."
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
    over = "random rows" if unit.in_time else "rows"
    text = (
        f"What moved by more than {T.SHIFT_OF_UNITS} against folds over {over}: {listed}."
        if moved
        else f"No candidate's share moved by more than {T.SHIFT_OF_UNITS} against folds over {over}."
    )
    if unit.in_time:
        return Finding(
            "times-kept-apart",
            "note",
            (unit.name,),
            f"Folds are stretches of {marked(unit.name)}: each candidate is scored on times it was not fitted on, and "
            f"intervals count {unit.units} stretches. {text}",
            "A share that falls was partly knowledge of neighbouring times.",
            {"stretches": unit.units, "moved": {n: [a, b] for n, a, b in moved}},
        )
    return Finding(
        "units-kept-whole",
        "note",
        (unit.name,),
        f"Folds keep each of the {plural(unit.units, 'value')} of {marked(unit.name)} whole "
        f"({plural(unit.rows, 'row')}), and "
        f"intervals and tests count them, not rows. {text}",
        "A share that falls was partly memory of the same case.",
        {"units": unit.units, "rows": unit.rows, "moved": {n: [a, b] for n, a, b in moved}},
    )
