"""All candidates, by what each alone says."""

from __future__ import annotations

import numpy as np

from ..core import thresholds as T
from ..core.rank.answers import RankAnswers
from ..core.rank.rank import stretches_of
from ..core.stats.folds import folds_in_time
from ..core.stats.heldout import HeldOutRows
from ..core.stats.sampling import Sampling
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

    in_time = None if time is None else _in_time(context, time)

    answers = RankAnswers(
        context.table, outcome, candidates, context.sampling, in_time or context.held_out, time or context.unit,
        time is not None, context.seed, slow_progress,
    )  # fmt: skip
    title = f"What each candidate alone says about {context.names(outcome.name)}"
    return RankView(answers, context.of_outcome, title, context.names)


def _in_time(context: Context, time: str) -> HeldOutRows:
    """Return the rows with an outcome in folds that are stretches of time; intervals count stretches.

    Raises
    ------
    OptionError
        A unit has rows in several.
    """
    outcome = context.known_outcome
    known, target = outcome.known, outcome.target()
    stretch = stretches_of(context.table[time], known)
    units = context.sampling.take(known).units
    divided = 0
    if units is not None:
        pairs = np.unique(units * T.BLOCKS + stretch) // T.BLOCKS
        divided = int(np.count_nonzero(np.bincount(pairs) > 1))
    if divided:
        raise OptionError(
            f"{have(divided, 'case')} (of {context.unit!r}) rows in several stretches of {time!r}: times cannot be "
            "kept apart while units stay whole. Leave time out, or the unit."
        )
    return HeldOutRows(known, target, Sampling.of_units(stretch), context.seed, folds_in_time(stretch))
