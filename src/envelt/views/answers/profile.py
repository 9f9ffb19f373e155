"""How groups of rows differ, in a sentence or two."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...core import thresholds as T
from ...core.relations.profile import Profiled
from ...core.words import plural
from .words import all_of, number, share

if TYPE_CHECKING:
    from collections.abc import Callable

    from ..profile import ProfileView

MOST_TOLD = 3


def profile_answer(view: ProfileView) -> str:
    """Return how many columns differ between the groups, and those that differ most, with their ends."""
    answers, names = view._answers, view._names
    by = all_of([names(n) for n in answers.by.names])
    sure = [p for p in answers.profile if p.q < T.Q_CARRIES]
    groups = f"the {plural(len(answers.by), 'group')} of {by}"
    if len(answers.by) < 2:
        return f"All rows with a value of {by} are one group, {answers.by.labels[0]}: there is nothing to compare."
    if not sure:
        return f"None of {plural(len(answers.profile), 'column')} differs between {groups} more than chance makes."
    told = [_ends(p, answers.n, answers.by.labels, names) for p in sure[:MOST_TOLD]]
    verb = "differs" if len(sure) == 1 else "differ"
    return (
        f"{len(sure)} of {plural(len(answers.profile), 'column')} {verb} between {groups} more than chance makes (q "
        f"under {T.Q_CARRIES:g}), most {'; '.join(told)}."
    )


def _ends(p: Profiled, n: np.ndarray, labels: tuple[str, ...], names: Callable[[str], str]) -> str:
    """Return where a column is highest and lowest, among groups with rows enough."""
    if p.numbers is not None:
        counted, values, what, say = p.numbers.moments.n, p.numbers.moments.mean, names(p.name), number
    else:
        level = p.apart
        counted, values, what, say = level.rates.n, level.rates.rate, f"{names(p.name)} = {level.label}", share
    known = np.flatnonzero((counted >= T.FEW_ROWS) & ~np.isnan(values))
    known = known if len(known) > 1 else np.flatnonzero(~np.isnan(values))
    if len(known) < 2:
        return what
    high, low = known[values[known].argmax()], known[values[known].argmin()]
    return f"{what} ({say(float(values[high]))} in {labels[high]}, {say(float(values[low]))} in {labels[low]})"
