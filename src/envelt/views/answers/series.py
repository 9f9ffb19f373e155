"""What happens along time, in a sentence or two."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ...core import thresholds as T
from ...core.columns.outcome import ClassOutcome
from ...core.words import plural
from ...write.digits import count
from .against import coefficient
from .words import estimated, number, share, with_n

if TYPE_CHECKING:
    from ..series import SeriesView

WORDS = {
    "rate": ("most often", "least often", ""),
    "count": ("most", "fewest", " are"),
    "mean": ("highest", "lowest", " is"),
}
"""What the ends are called, and the verb before them."""


def series_answer(view: SeriesView) -> str:
    """Return where along time it is highest and lowest, the first and the last, and what has no rows."""
    a, names = view._answers, view._names
    along, labels = a.along, a.spans.labels
    value = a.value
    if isinstance(value, ClassOutcome):
        what = f"{names(value.name)} is {value.event}"
    else:
        what = "Rows" if value is None else f"The {a.measure} of {names(value.name)}"
    known = _told_of(view)
    if not len(known):
        return f"No row has both {names(a.time)} and what is measured."
    seen = np.array([along.value[g, s] for g, s in known])
    if len(known) == 1 or seen.max() == seen.min():
        g, s = known[0]
        alone = "in one span only" if len(known) == 1 else "in every span"
        return f"{what}: {_said(view, g, s)} {alone}, from {labels[known[:, 1].min()]} to {labels[known[:, 1].max()]}."
    (hg, hs), (lg, ls) = known[seen.argmax()], known[seen.argmin()]
    most, least, verb = WORDS["rate" if isinstance(value, ClassOutcome) else "count" if value is None else "mean"]
    said = _trend(view, what)
    ends_at = f"{what}{verb} {most}" if not said else most.capitalize() if a.measure == "rate" else f"It is {most}"
    said += (
        f"{ends_at} in {_where(view, hg, hs)}, {_said(view, hg, hs)}, and {least} in {_where(view, lg, ls)}, "
        f"{_said(view, lg, ls)}."
    )
    if not a.by.names:
        (_, first), (_, last) = known[0], known[-1]
        ends = (f"{_value(view, 0, s)} in {labels[s]}" for s in (first, last))
        said += f" It goes from {' to '.join(ends)}."
    empty = int(np.count_nonzero(along.n.sum(axis=0) == 0))
    unit = a.spans.unit if a.spans.is_calendar else "span"
    said += f" {plural(empty, unit)} of {count(len(labels))} {'has' if empty == 1 else 'have'} no row." if empty else ""
    return said


def _told_of(view: SeriesView) -> np.ndarray:
    """Return the groups and spans that are told of: of means and rates those with rows enough, beside the others.

    Of few rows the ends are chance.
    """
    along = view._answers.along
    there = ~np.isnan(along.value)
    if view._answers.measure in ("mean", "rate") and there.any():
        many = there & (along.n >= max(T.FEW_ROWS, float(np.median(along.n[there])) / 2))
        there = many if np.count_nonzero(many) > 1 else there
    return np.argwhere(there)


def _trend(view: SeriesView, what: str) -> str:
    """Return whether it rises or falls on the whole."""
    trend, time = view._answers.trend, view._names(view._answers.time)
    if trend is None or math.isnan(trend.rho.low):
        return ""
    said = coefficient("spearman", trend.rho._asdict(), with_n(trend.n))
    often = view._answers.measure == "rate"
    if trend.rho.low <= 0 <= trend.rho.high:
        more = "neither more nor less often" if often else "neither higher nor lower"
        return f"{what}{'' if often else ' is'} {more} later in {time} than earlier: {said}. "
    more = ("more" if trend.rho.estimate > 0 else "less") + " often" if often else ""
    more = more or ("higher" if trend.rho.estimate > 0 else "lower")
    return f"{what}{'' if often else ' is'} {more} later in {time} than earlier: {said}. "


def _where(view: SeriesView, group: int, span: int) -> str:
    a = view._answers
    label = a.spans.labels[span]
    return f"{label} ({a.by.labels[group]})" if a.by.names else label


def _value(view: SeriesView, group: int, span: int) -> str:
    a = view._answers
    v = float(a.along.value[group, span])
    return share(v) if a.measure == "rate" else count(int(v)) if a.measure == "count" else number(v)


def _said(view: SeriesView, group: int, span: int) -> str:
    """Return a value with its interval and rows."""
    a, along = view._answers, view._answers.along
    rows = with_n(along.n[group, span])
    low, high = float(along.low[group, span]), float(along.high[group, span])
    if a.measure == "count":
        return _value(view, group, span)
    if low != low:
        return f"{_value(view, group, span)} ({rows})"
    if a.measure == "rate":
        return f"{_value(view, group, span)} ({share(low)} to {share(high)}, {rows})"
    return f"{estimated(float(along.value[group, span]), low, high)[:-1]}, {rows})"
