"""All candidates, by what each alone says."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..core import thresholds as T
from ..core.later import Later
from ..core.rank.rank import Ranking, rank_candidates, stretches_of
from ..core.words import have
from ..errors import OptionError, OutcomeError
from ..views.rank import RankView
from ..write.progress import slow_progress
from .context import Context, once


@once
def show_rank(context: Context, names: tuple[str, ...] = (), time: str | None = None) -> RankView:
    """Score every candidate alone, or those named, on rows it was not fitted on."""
    outcome, candidates = context.known_outcome, context.candidates
    if names:
        candidates = list(dict.fromkeys(names))
        for name in candidates:
            if context.table[name].name in (outcome.name, context.unit):
                raise OptionError(f"{name!r} is the outcome or the unit: name candidates to rank.")
    if not candidates:
        raise OutcomeError(f"There is no column besides {outcome.name!r} to rank.")

    if time is not None:
        stretch = stretches_of(context.table[time], outcome.known)
        _refuse_divided(context, stretch, outcome.known, time)

    def make() -> Ranking:
        with slow_progress("Ranking") as report:
            return rank_candidates(
                context.table, outcome, candidates, unit=context.unit, time=time, seed=context.seed, progress=report
            )

    title = f"What each candidate alone says about {context.names(outcome.name)}"
    return RankView(Later(make), time or context.unit, context.of_outcome, title, context.names)


def _refuse_divided(context: Context, stretch: NDArray[np.integer], known: NDArray[np.bool_], time: str) -> None:
    """Refuse folds of time that would divide a unit."""
    units = context.sampling.take(known).units
    if units is None:
        return
    pairs = np.unique(units * T.BLOCKS + stretch) // T.BLOCKS
    divided = int(np.count_nonzero(np.bincount(pairs) > 1))
    if divided:
        raise OptionError(
            f"{have(divided, 'case')} (of {context.unit!r}) rows in several stretches of {time!r}: times cannot be "
            "kept apart while units stay whole. Leave time out, or the unit."
        )
