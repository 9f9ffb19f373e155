"""Whether the outcome drifts: over dates and years, and along the rows as they stand."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import number_label, short_label
from ..columns.names import hints
from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import CategoryColumn, Column, NumericColumn, TimeColumn
from ..columns.times import counts_on
from ..finding import Finding, marked
from ..shapes.calendar import span_label
from ..shapes.ranks import ranks_of
from ..stats.correlation import pearson_coefficient
from ..stats.crossing import Crossing
from ..stats.groups import GroupedRows
from ..stats.rates import QuantileBins, calendar_rate_bins, quantile_bins, rate_bins
from ..stats.sampling import Sampling
from ..words import p_text, plural
from .order import order_of

Floats = NDArray[np.float64]

DRIFT_BINS = 12
"""Units of the calendar, or stretches of rows, over which a drift is looked for: few enough to have rows each."""


@dataclass(frozen=True)
class Apart:
    """The outcome in stretches: of which bins, its rate or mean in each, and whether these are one by chance."""

    bins: NDArray[np.intp]
    at: Floats
    what: str
    p: float

    def written(self, k: int) -> str:
        """Write a rate, or a mean."""
        return f"{self.at[k]:.0%}" if self.what.startswith("rate") else short_label(float(f"{self.at[k]:.4g}"))

    @property
    def ends(self) -> tuple[int, int]:
        """The places of the lowest and the highest, as they follow each other."""
        low, high = int(np.argmin(self.at)), int(np.argmax(self.at))
        return min(low, high), max(low, high)


def over_time(columns: Iterable[Column]) -> list[TimeColumn | NumericColumn]:
    """Return the columns over which an outcome may drift: dates, and numbers that count years or periods on end."""
    return [
        c for c in columns
        if isinstance(c, TimeColumn) or (isinstance(c, NumericColumn) and not c.empty and counts_on(c.name, c.values))
    ]  # fmt: skip


def drifts(outcome: Outcome, columns: list[Column], sampling: Sampling, rows: pd.Index[Any]) -> list[Finding]:
    """Find dates, or years, over which the outcome drifts, and whether it does along the rows.

    Parameters
    ----------
    columns
        The candidates.
    sampling
        Of all rows.
    rows
        What they are called.
    """
    known = outcome.known
    sampling = sampling.take(known)
    told, over = False, []
    for column in over_time(columns):
        values, bins, names = stretches(column, known)
        apart = apart_in(outcome, bins.codes, len(bins.ends), sampling)
        if apart is not None:
            told = told or _in_order(values)
            over.append((column.name, apart, names))
    found = [_over(outcome, over)] if over else []
    along = [] if told else _along_rows(outcome, sampling, rows[known])
    if along and "sorted" not in along[0].evidence and any(_in_blocks(c, known) or _goes_on(c, known) for c in columns):
        return found
    return [*found, *along]


def _over(outcome: Outcome, over: list[tuple[str, Apart, Callable[[int], str]]]) -> Finding:
    """Say over which time the outcome drifts, and over which others too: a date and its year are one story."""
    name, apart, names = over[0]
    first, last = apart.ends
    others = [other for other, *_ in over[1:]]
    also = f" Likewise over {', '.join(map(marked, others[:4]))}{', …' if len(others) > 4 else ''}." if others else ""
    return Finding(
        "outcome-drift",
        "caution",
        (outcome.name, name, *others),
        f"The {apart.what} is not the same over {marked(name)}: it runs from {apart.written(first)} in "
        f"{names(apart.bins[first])} to {apart.written(last)} in {names(apart.bins[last])} "
        f"({p_text(apart.p)}).{also}",
        "Test a model on later rows than it was fitted on, and ask what changed.",
        {"p": apart.p, "first": float(apart.at[first]), "last": float(apart.at[last])},
    )


def stretches(
    column: TimeColumn | NumericColumn, known: NDArray[np.bool_]
) -> tuple[Floats, QuantileBins, Callable[[int], str]]:
    """Return the times of some rows, cut into stretches, and what each is called."""
    if isinstance(column, TimeColumn):
        values = column.days[known]
        bins = calendar_rate_bins(values, _stretches_of(int(known.sum())))
        return values, bins, lambda k: span_label(bins.ends.left[k], bins.ends.right[k])
    values = column.values[known]
    bins = rate_bins(values)
    if np.count_nonzero(np.bincount(bins.codes[bins.codes >= 0]) >= T.SPREAD_ROWS) < 2:  # years of a row or two each
        bins = quantile_bins(values, _stretches_of(len(values)))
    return values, bins, lambda k: _stretch(bins.ends.left[k], bins.ends.right[k])


def _stretches_of(rows: int) -> int:
    """Return into how many stretches rows are cut: as many as leave each enough to be read."""
    return max(2, min(DRIFT_BINS, rows // T.SPREAD_ROWS))


def _in_blocks(column: Column, known: NDArray[np.bool_]) -> bool:
    """Say whether rows stand in blocks of a column's levels, as those of one case do: that is their order."""
    named = isinstance(column, CategoryColumn) and column.kind in ("nominal", "ordinal", "identifier")
    if not named or not T.SORTED_LEVELS <= column.distinct <= known.sum() / 2:
        return False
    codes = column.codes[known]  # type: ignore[attr-defined]
    return int(np.count_nonzero(np.diff(codes))) + 1 <= T.BLOCKS_A_NAME * column.distinct


def _goes_on(column: Column, known: NDArray[np.bool_]) -> bool:
    """Say whether a number goes on by one step from row to row, as ages of a table do: that is the rows' order."""
    if not isinstance(column, NumericColumn) or not known.all() or len(known) < 2 * T.SPREAD_ROWS:
        return False
    steps = np.diff(column.values)
    own = column.distinct < len(known) or hints(column.name, "ages")  # not the number of the row
    return bool(own and steps[0] != 0 and np.mean(steps == steps[0]) >= T.SORTED_ON)


def apart_in(outcome: Outcome, codes: NDArray[np.integer], size: int, sampling: Sampling) -> Apart | None:
    """Return the outcome in stretches of known rows, where it surely differs between them, by enough to matter."""
    known = outcome.known
    rows = np.bincount(codes[codes >= 0], minlength=size)
    enough = np.flatnonzero(rows >= T.SPREAD_ROWS)
    if len(enough) < 2:
        return None
    renumber = np.full(len(rows) + 1, -1, np.int32)
    renumber[enough] = np.arange(len(enough))
    codes, k = renumber[codes], len(enough)
    if isinstance(outcome, ClassOutcome):
        event = outcome.is_event[known]
        table = Crossing.of(codes, event.astype(np.int8), (k, 2), sampling)
        p, at = table.chi_square().p, table.counts[:, 1] / table.counts.sum(axis=1)
        what, least = f"rate of {outcome.event!r}", T.LEAST_POINTS
    else:
        groups = GroupedRows(outcome.values[known], codes, tuple(str(i) for i in range(k)), sampling)
        test = groups.tests.get("welch_anova", groups.tests.get("welch_t"))
        p, at = (test.p if test is not None else np.nan), groups.summary.moments.mean
        what, least = f"mean of {marked(outcome.name)}", T.LEAST_SD * outcome.deviation
    if not p < T.DRIFT_P or not at.max() - at.min() >= least:
        return None
    return Apart(enough, at, what, float(p))


def _in_order(values: Floats) -> bool:
    """Say whether rows stand in the order of a time, near enough."""
    there = values[~np.isnan(values)]
    return len(there) > 2 and abs(pearson_coefficient(ranks_of(there), np.arange(float(len(there))))) > T.IN_ORDER


def _stretch(first: float, last: float) -> str:
    a, b = number_label(first), number_label(last)
    return a if a == b else f"{a} to {b}"


def _along_rows(outcome: Outcome, sampling: Sampling, rows: pd.Index[Any]) -> list[Finding]:
    """Say whether the rows are sorted by the outcome, stand in blocks of it, or resemble their neighbours."""
    known = outcome.known
    is_class = isinstance(outcome, ClassOutcome)
    y = outcome.codes[known].astype(float) if isinstance(outcome, ClassOutcome) else outcome.values[known]
    n = len(y)
    if n < 2 * T.SPREAD_ROWS:
        return []
    if not np.diff(y).any():
        return []
    how = order_of(y, outcome.levels if isinstance(outcome, ClassOutcome) else None)
    if how:
        return [_sorted(outcome, n, how)]
    size = _stretches_of(n)
    stretches = np.arange(n) * size // n
    apart = apart_in(outcome, stretches, size, sampling)
    alike = 0.0 if is_class or sampling.clustered else pearson_coefficient(y[:-1], y[1:])
    if apart is None:
        return []
    first, last = apart.ends
    edges = np.searchsorted(stretches, np.arange(size + 1))
    parts = [rows[[edges[apart.bins[i]], edges[apart.bins[i] + 1] - 1]] for i in (first, last)]
    where = [f"rows {a} to {b}" for a, b in parts]
    series = alike >= T.SERIES
    return [
        Finding(
            "drift-along-rows",
            "caution" if series else "note",
            (outcome.name,),
            f"The {apart.what} is not the same along the file: {apart.written(first)} in {where[0]}, "
            f"{apart.written(last)} in {where[1]} ({p_text(apart.p)})"
            + (f"; each row resembles the one before it (correlation {alike:.2f})." if series else "."),
            "Rows are not independent: find out what their order is, a time or a place, and keep it as a column."
            if series
            else "Never split by position: draw test rows at random, or find out what the rows are sorted by.",
            {"p": apart.p, "first": float(apart.at[first]), "last": float(apart.at[last]), "neighbours": float(alike)},
        )
    ]


def _sorted(outcome: Outcome, n: int, how: str) -> Finding:
    return Finding(
        "drift-along-rows",
        "note",
        (outcome.name,),
        f"The {plural(n, 'row')} are sorted by {marked(outcome.name)}: {how}.",
        "Never split by position: the first rows know nothing of the last.",
        {"sorted": True},
    )
