"""Where an event does not happen at all: beyond a point of a number, or at a level."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import short_label
from ..columns.outcome import Classes
from ..finding import Finding, marked
from ..stats.crossing import Crossing
from ..stats.sampling import Sampling
from ..words import listed, plural
from .shape import as_rate

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]


class _Stretch(NamedTuple):
    """Rows at one end of a number of which all, or none, have the event.

    ``expected`` counts those that would be otherwise at the rate of the rest, over what units make of it.
    """

    expected: float
    rows: int
    rest: float
    upper: bool
    inner: float
    none: bool


def none_beyond(name: str, outcome: Classes, values: Floats, event: Mask, sampling: Sampling) -> list[Finding]:
    """Say that beyond a point of a number no row has the event, or every row has it; of two classes.

    Of m rows at an end, the rest of which have it at rate r, none has it by chance in (1 - r)^m, under exp(-m r): the
    longest such stretch is told where m r, over what units make of it, is `thresholds.NONE_EXPECTED` or more.

    Parameters
    ----------
    values, event
        Of the same rows, shape (n,), NaN for missing; which of them have the event.
    """
    there = ~np.isnan(values)
    x, y = values[there], event[there]
    n, events = len(x), int(y.sum())
    if len(outcome.levels) != 2 or n < T.LEAST_SHAPE or not 0 < events < n:
        return []
    effect = max(1.0, sampling.take(there).design_effect(y.astype(np.float64) - events / n))
    best: _Stretch | None = None
    for none in (True, False):
        otherwise, count = x[y == none], events if none else n - events
        for upper in (False, True):
            beyond = x[x > otherwise.max()] if upper else x[x < otherwise.min()]
            rest = count / (n - len(beyond))
            if len(beyond) < T.FEW_ROWS:
                continue
            if _parts_all(rest, n - len(beyond), events, n):
                return []
            inner = float(beyond.min() if upper else beyond.max())
            found = _Stretch(len(beyond) * rest / effect, len(beyond), rest, upper, inner, none)
            best = found if best is None else max(best, found)
    if best is None or best.expected < T.NONE_EXPECTED:
        return []
    side = f"of {short_label(best.inner)} or {'more' if best.upper else 'less'}"
    where = f"{plural(best.rows, 'row')} with {marked(name)} {side}"
    return [_said(name, outcome, best, where, best.inner, effect, outcome.event)]


def none_at(name: str, outcome: Classes, levels: Sequence[str], crossing: Crossing) -> list[Finding]:
    """Say at which levels no row has the event, or every row, where many would be otherwise; or none is of a class.

    Parameters
    ----------
    levels, crossing
        Of the column, and by the classes.
    """
    n, of = crossing.counts.sum(axis=1), crossing.counts
    effect, total = max(1.0, crossing.design_effect), int(n.sum())
    both = len(outcome.levels) == 2
    looks = [(outcome.event_code, True), (outcome.event_code, False)] if both else [(k, True) for k in range(len(of.T))]
    told: list[tuple[float, Finding]] = []
    for code, none in looks:
        otherwise = of[:, code] if none else n - of[:, code]
        empty = (otherwise == 0) & (n > 0)
        left = total - int(n[empty].sum())
        rest = float(otherwise.sum()) / left if left else 0.0
        at = np.flatnonzero(empty & (n * rest >= T.NONE_EXPECTED * effect))
        if len(at) == 0 or _parts_all(rest, left, int(of[:, code].sum()), total):
            continue
        rows = int(n[at].sum())
        found = _Stretch(rows * rest / effect, rows, rest, True, 0.0, none)
        where = f"{plural(rows, 'row')} where {marked(name)} is {listed([repr(levels[int(k)]) for k in at])}"
        told.append((found.expected, _said(name, outcome, found, where, None, effect, outcome.levels[code])))
    return [max(told, key=lambda t: t[0])[1]] if told else []


def _parts_all(rest: float, left: int, events: int, total: int) -> bool:
    """Say whether the stretch and the rest part nearly all rows: the outcome in other words, which is another story."""
    return (1 - rest) * left < T.NONE_TOLD * min(events, total - events)


def _said(
    name: str, outcome: Classes, found: _Stretch, rows: str, at: float | None, effect: float, event: str
) -> Finding:
    rate = as_rate(found.rest if found.none else 1 - found.rest)
    statement = f"None of the {rows} is {event!r}" if found.none else f"The {rows} are all {event!r}"
    return Finding(
        "step-to-none",
        "note",
        (name, outcome.name),
        f"{statement}; of the others {rate}.",
        "Ask whether these rows could have been otherwise at all. If so keep them apart, in a level of their own: a "
        "curve of odds that must reach 0 or 100% there has no slope that fits.",
        {
            "rows": found.rows, "expected": found.expected, "at": at, "rest": found.rest, "effect": effect,
            "none": found.none,
        },
    )  # fmt: skip
