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
from .words import FEW_LEVELS, estimated, number, share, with_n

if TYPE_CHECKING:
    from ..series import SeriesView

MOST_LINES_TOLD = 3
"""Of the largest groups."""
MANY_SPANS = 3
"""Times as many spans as have rows enough: then no span is told of."""
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
    if np.isnan(along.value).all():
        return f"No row has both {names(a.time)} and what is measured."
    if np.count_nonzero(~np.isnan(along.value)) >= MANY_SPANS * max(len(known), 1):
        return f"{_trend(view, what)}Most spans have too few rows to tell one from another."
    seen = np.array([along.value[g, s] for g, s in known])
    if len(known) == 1 or seen.max() == seen.min():
        g, s = known[0]
        alone = "in one span only" if len(known) == 1 else "in every span"
        return f"{what}: {_said(view, g, s)} {alone}, from {labels[known[:, 1].min()]} to {labels[known[:, 1].max()]}."
    said = _trend(view, what)
    if a.by.names:
        said += _of_groups(view, known, "It goes" if said else f"{what} go" if value is None else f"{what} goes")
    else:
        said += _of_line(view, known, what, bool(said))
    empty = int(np.count_nonzero(along.n.sum(axis=0) == 0))
    unit = a.spans.unit if a.spans.is_calendar else "span"
    said += f" {plural(empty, unit)} of {count(len(labels))} {'has' if empty == 1 else 'have'} no row." if empty else ""
    return said


def _of_line(view: SeriesView, known: np.ndarray, what: str, led: bool) -> str:
    """Return where one line is highest and lowest, and where it begins and ends."""
    a, labels = view._answers, view._answers.spans.labels
    spans = known[:, 1]
    values = a.along.value[0, spans]
    high, low = int(spans[values.argmax()]), int(spans[values.argmin()])
    most, least, verb = WORDS["rate" if a.measure == "rate" else "count" if a.value is None else "mean"]
    at = f"{what}{verb} {most}" if not led else most.capitalize() if a.measure == "rate" else f"It is {most}"
    first, last = (f"{_value(view, 0, s)} in {labels[s]}" for s in (int(spans[0]), int(spans[-1])))
    return (
        f"{at} in {labels[high]}, {_said(view, 0, high)}, and {least} in {labels[low]}, {_said(view, 0, low)}. It goes "
        f"from {first} to {last}."
    )


def _of_groups(view: SeriesView, known: np.ndarray, goes: str) -> str:
    """Return where the lines of the largest groups begin and end."""
    a, told = view._answers, []
    by = " and ".join(view._names(n) for n in a.by.names)
    for g in a.by.largest(MOST_LINES_TOLD):
        spans = known[known[:, 0] == g.at, 1].tolist()
        if len(spans) > 1:
            ends = [f"{_value(view, g.at, s)} in {a.spans.labels[s]}" for s in (spans[0], spans[-1])]
            told.append(f"from {' to '.join(ends)} where {by} is {g.label}")
    return f"{goes} {'; '.join(told)}." if told else ""


def _told_of(view: SeriesView) -> np.ndarray:
    """Return the groups and spans that are told of: of means and rates those with rows enough, beside the others.

    Of few rows the ends are chance.
    """
    along = view._answers.along
    there = ~np.isnan(along.value)
    if view._answers.measure in ("mean", "rate") and there.any():
        many = there & (along.n >= max(T.FEW_ROWS, float(np.median(along.n[there])) / 2))
        there = there if np.count_nonzero(many) < 2 and np.count_nonzero(there) <= FEW_LEVELS else many
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
