"""All candidates on one scale: which carry something about the outcome, and which are too good to be true."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from .. import thresholds as T
from ..columns.names import hints
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome, Said
from ..columns.table import CategoryColumn, Column, Table
from ..columns.times import is_time
from ..finding import Finding, by_weight
from ..inventory.quality.absent import missing_follows
from ..parallel import Progress, in_threads
from ..shapes.quantiles import sorted_present
from ..shapes.ranks import ranks_of
from ..stats.correlation import pearson_coefficient
from ..stats.heldout import Cells, HeldOut, HeldOutRows, held_out, level_cells, number_cells
from ..stats.multiplicity import q_values
from ..stats.sampling import Sampling
from .findings import Candidate, UnitEffect, ordered_in_time, rank_findings
from .looks import Looks

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
"""Called with how many candidates are done, of how many, and the one in hand."""
UNKNOWN = HeldOut(*(float("nan"),) * 4)
A_BLOCK = 512
"""Columns counted before they are fitted, so that counts of many do not fill the memory."""
RANKED_FIRST = 5_000
"""Rows over which a candidate is ranked whose share is not large: one row far off spoils a share, and no rank."""


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
    sampling: Sampling,
    held: HeldOutRows,
    kept: str | None = None,
    in_time: bool = False,
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
    sampling
        Of all rows.
    held
        The rows with an outcome, in folds that keep units whole, or times apart; intervals and tests count its cases.
    kept
        The column that says which units are kept whole, or which times apart.
    in_time
        Whether it says times.
    seed
        Of the hash that deals rows into folds: the same seed, the same folds.
    progress
        Called before each candidate.

    Returns
    -------
    Ranking
        Shares and intervals as in `heldout`; ``p`` is min(1, 2 · min(rank test, chi-square over 20 quantile
        bins with missing as its own)) for numbers and the chi-square for categories; for a numeric outcome
        Spearman's and Kruskal–Wallis's take their places. ``q`` is Benjamini–Hochberg over the view.
    """
    known, target = held.known, held.target
    at = None if known.all() else np.flatnonzero(known)
    columns = [table[n] if at is None else table[n].take(at) for n in candidates]
    scored, over_rows = _scored(columns, Looks.of(target, held.sampling), held, progress)
    shares_over_rows = {c.name: h.share for c, h in zip(columns, over_rows, strict=False)}
    progress(len(candidates), len(candidates), "")
    q = q_values(np.array([c.p for c in scored]))
    scored = [
        _advised(_weighed(replace(c, q=float(v)), table[c.name], outcome, sampling))
        for c, v in zip(scored, q, strict=True)
    ]
    scored.sort(key=lambda c: -c.held_out.share if c.held_out.share == c.held_out.share else np.inf)
    effect = None
    if held.sampling.clustered and kept is not None:
        effect = UnitEffect(kept, held.sampling.cases, held.sampling.rows, shares_over_rows, in_time)
    unknown = int((~known).sum())
    series = ordered_in_time([table[n] for n in candidates], outcome) if effect is None else []
    if series:
        time = table[series[0].columns[0]]
        scored = [replace(c, too_good=False) if c.too_good and _moves_with(table[c.name], time) else c for c in scored]
    return Ranking(
        outcome.said,
        len(target),
        unknown,
        tuple(scored),
        effect,
        by_weight([*rank_findings(outcome, scored, effect), *series]),
    )


def _moves_with(column: Column, time: Column) -> bool:
    """Say whether a number rises or falls with a time: as strong as that, it need know nothing of the outcome."""
    x, at = column.numbers, time.numbers
    if x is None or at is None:
        return False
    both = ~(np.isnan(x) | np.isnan(at))
    return bool(both.any()) and abs(pearson_coefficient(ranks_of(x[both]), ranks_of(at[both]))) >= T.SERIES


def stretches_of(column: Column, known: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Return the stretch of time of each row with an outcome, 0 … `BLOCKS` − 1; rows without a time make the last.

    Rows of one time stay together.

    Raises
    ------
    OptionError
        The column holds no times, or fewer different ones than there are folds.
    """
    at = column.numbers
    if at is None:
        raise OptionError(f"{column.name!r} is {column.kind}: time names a date, or a number that rises with time.")
    unique, place = np.unique(at[known], return_inverse=True)
    if len(unique) < 2 * T.FOLDS:
        raise OptionError(f"{column.name!r} has {len(unique)} different times: at least {2 * T.FOLDS} make stretches.")
    before = np.concatenate(([0], np.cumsum(np.bincount(place))[:-1]))
    return np.asarray(before[place] * T.BLOCKS // len(place), np.uint8)


def _scored(
    columns: list[Column], looks: Looks, held: HeldOutRows, progress: Progress
) -> tuple[list[Candidate], list[HeldOut]]:
    """Score columns; over units also what their shares would be if rows were cases.

    Each column is counted and tested by itself, in threads; those with equally many cells are fitted together.
    """
    ways = [held, *([held.over_rows()] if held.sampling.clustered else [])]
    shares: list[HeldOut] = []
    over_rows: list[HeldOut] = []
    ps, failed = [], []
    for start in range(0, len(columns), A_BLOCK):
        block = columns[start : start + A_BLOCK]

        def count(column: Column) -> tuple[list[Cells], float] | str:
            try:
                return _counted(column, looks, ways)
            except Exception as error:  # noqa: BLE001 - one candidate must not take the others along
                return f"{type(error).__name__}: {error}"

        def told(done: int, _: int, name: str, start: int = start) -> None:
            progress(start + done, len(columns), name)

        made = in_threads(count, block, len(held.target), told, lambda c: c.name)
        failed += [m if isinstance(m, str) else "" for m in made]
        counted = [m for m in made if not isinstance(m, str)]
        for k, (way, out) in enumerate(zip(ways, (shares, over_rows), strict=False)):
            told_of = iter(held_out([cells[k] for cells, _ in counted], way))
            out += [UNKNOWN if isinstance(m, str) else next(told_of) for m in made]
        ps += [np.nan if isinstance(m, str) else m[1] for m in made]
    scored = [
        Candidate(c.name, c.kind, h, p, np.nan, float(c.missing.mean()), "", failed=f)
        for c, h, p, f in zip(columns, shares, ps, failed, strict=True)
    ]
    return scored, over_rows


def _counted(column: Column, looks: Looks, ways: list[HeldOutRows]) -> tuple[list[Cells], float]:
    """Count a column into cells, in the folds of each way, and test it."""
    values = column.numbers
    if values is None:
        assert isinstance(column, CategoryColumn)
        cells = [level_cells(column.codes, len(column.levels), held) for held in ways]
        p = looks.p_of_levels(cells[0])
    else:
        ordered = sorted_present(values.copy())
        cells = [number_cells(values, held, ordered) for held in ways]
        p = looks.p_of_number(values, cells[0], ordered)
    return cells, p


def _weighed(c: Candidate, column: Column, outcome: Outcome, sampling: Sampling) -> Candidate:
    """Say whether a candidate is strong, and whether it is too good to be true.

    Strength alone is no leak: a measurement may simply be good. A strong candidate is too good where it all but repeats
    the outcome, where its name says that it was written down later, or where it is missing as the outcome has it.
    Dates, counters of time and names of many things are strong in another way: they tell the rows apart.
    """
    h = c.held_out
    classes = isinstance(outcome, ClassOutcome)
    strong = h.share > (T.STRONG_CLASS if classes else T.STRONG_NUMBER)
    if not (strong or _squared_ranks(column, outcome, RANKED_FIRST) > T.STRONG_RANKS):
        return c
    if isinstance(column, CategoryColumn):
        tells_apart = len(column.levels) >= T.MANY_NAMES
    else:
        seen = column.numbers[~column.missing] if column.numbers is not None else np.array([])
        tells_apart = column.kind == "datetime" or is_time(c.name, seen) or (not classes and _was_set(seen))
    near = h.share > T.TOO_GOOD_CLASS or h.auc >= T.TOO_GOOD_AUC if classes else _shared_ranks(column, outcome, h)
    later = hints(c.name, "after") or bool(missing_follows(c.name, column.missing, outcome, sampling, 1))
    return replace(c, strong=True, too_good=not tells_apart and (near or later))


def _was_set(seen: NDArray[np.float64]) -> bool:
    """Say whether a number has a few values, each in as many rows: somebody set them, so they were known before."""
    rows = np.unique(seen, return_counts=True)[1]
    return T.SET_VALUES <= len(rows) <= T.BY_VALUE and rows.min() >= T.SET_ROWS and bool((rows == rows[0]).all())


def _shared_ranks(column: Column, outcome: Outcome, h: HeldOut) -> bool:
    """Say whether a candidate all but repeats a numeric outcome, by ranks: means of bins leave some of a copy over."""
    if column.numbers is None or not isinstance(outcome, NumericOutcome):
        return h.share > T.TOO_GOOD_NUMBER
    return _squared_ranks(column, outcome) > T.TOO_GOOD_NUMBER


def _squared_ranks(column: Column, outcome: Outcome, most: int = 0) -> float:
    """Return the squared rank correlation of two numbers, over an even choice of so many rows; 0 of others."""
    if column.numbers is None or not isinstance(outcome, NumericOutcome):
        return 0.0
    step = max(1, len(column) // most) if most else 1
    x, y = column.numbers[::step], outcome.values[::step]
    both = ~(np.isnan(x) | np.isnan(y))
    if both.sum() < T.FEW_ROWS:
        return 0.0
    return float(np.nan_to_num(pearson_coefficient(ranks_of(x[both]), ranks_of(y[both])))) ** 2


def _advised(c: Candidate) -> Candidate:
    if c.failed:
        advice = "failed: see findings"
    elif c.kind == "constant":
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
