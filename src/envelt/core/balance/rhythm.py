"""Whether the outcome comes round with the weekday, the month or the hour of a date."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..finding import Finding, marked
from ..shapes.calendar import MONTHS, WEEKDAYS, months_since_1970, weekday_of
from ..stats.correlation import pearson_coefficient
from ..stats.sampling import Sampling
from ..words import p_text
from .drift import apart_in

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


class _Round(NamedTuple):
    """What comes round: its name, the days a round takes, the place of each time in it, and what places are called."""

    part: str
    days: float
    place: Callable[[Floats], Codes]
    names: tuple[str, ...]


ROUNDS = (
    _Round("hour", 1.0, lambda d: np.floor((d - np.floor(d)) * 24 + 1e-6).astype(np.int64) % 24,
           tuple(f"{h}:00" for h in range(24))),
    _Round("weekday", 7.0, lambda d: weekday_of(np.floor(d).astype(np.int64)), WEEKDAYS),
    _Round("month", 365.25, lambda d: months_since_1970(np.floor(d).astype(np.int64)) % 12, MONTHS),
)  # fmt: skip


def rhythms(outcome: Outcome, columns: list[Column], sampling: Sampling) -> list[Finding]:
    """Say where the outcome differs between weekdays, months or hours, in the earlier half of the time as in the later.

    Of times that span `thresholds.ROUNDS_SPANNED` rounds or more, where no column holds that part of the date: then it
    is a candidate like others.

    Parameters
    ----------
    columns
        The candidates.
    sampling
        Of all rows.
    """
    known = outcome.known
    found = []
    for column in (c for c in columns if isinstance(c, TimeColumn)):
        days = column.days[known]
        there = ~np.isnan(days)
        if there.sum() < 2 * T.SPREAD_ROWS:
            continue
        for turn in ROUNDS:
            if np.ptp(days[there]) < T.ROUNDS_SPANNED * turn.days:
                continue
            codes = np.full(len(days), -1, np.int64)
            codes[there] = turn.place(days[there])
            if not any(_is_part(c, codes, known) for c in columns if c is not column):
                found += _said(column, turn, codes, days, outcome, sampling.take(known))
    return found


def _is_part(column: Column, codes: Codes, known: NDArray[np.bool_]) -> bool:
    """Say whether a column tells the place in a round: each value of it stands at one place in nearly all rows."""
    if isinstance(column, CategoryColumn):
        of, size = column.codes[known].astype(np.int64), len(column.levels)
    elif column.numbers is not None and column.distinct <= T.PART_VALUES:
        there, of = np.unique(column.numbers[known], return_inverse=True)
        size = len(there)
    else:
        return False
    both = (of >= 0) & (codes >= 0)
    if size > T.PART_VALUES or not both.any():
        return False
    counts = np.bincount(of[both] * 24 + codes[both], minlength=size * 24).reshape(size, 24)
    return bool(counts.max(axis=1).sum() >= (1 - T.DATE_PART_SLIPS) * both.sum())


def _said(
    column: TimeColumn, turn: _Round, codes: Codes, days: Floats, outcome: Outcome, sampling: Sampling
) -> list[Finding]:
    apart = apart_in(outcome, codes, len(turn.names), sampling)
    if apart is None or len(apart.at) < T.ROUND_PLACES:
        return []
    event = outcome.is_event if isinstance(outcome, ClassOutcome) else outcome.values
    y, late = event[outcome.known].astype(np.float64), days > np.nanmedian(days)
    halves = []
    for part in (late, ~late):
        use = part & (codes >= 0)
        n = np.bincount(codes[use], minlength=len(turn.names))[apart.bins]
        if n.min() < T.ROUND_ROWS:
            return []
        halves.append(np.bincount(codes[use], weights=y[use], minlength=len(turn.names))[apart.bins] / n)
    again = pearson_coefficient(*halves)
    if not again >= T.ROUND_AGAIN:
        return []
    ends = [
        f"{apart.written(k)} ({turn.names[apart.bins[k]]})" for k in (int(apart.at.argmin()), int(apart.at.argmax()))
    ]
    return [
        Finding(
            "outcome-rhythm",
            "note",
            (outcome.name, column.name),
            f"The {apart.what} comes round with the {turn.part} of {marked(column.name)}: from {ends[0]} to {ends[1]} "
            f"({p_text(apart.p)}), earlier and later alike.",
            f"Make a column of the {turn.part}: as a date that only goes on, {marked(column.name)} hides it.",
            {"p": apart.p, "part": turn.part, "again": again,
             "at": {turn.names[k]: float(v) for k, v in zip(apart.bins, apart.at, strict=True)}},
        )
    ]  # fmt: skip
