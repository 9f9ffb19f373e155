"""All candidates, by what each alone says."""

from __future__ import annotations

from ..core.later import Later
from ..core.rank.rank import Ranking, rank_candidates, stretches_of
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
        if context.unit is not None:
            raise OptionError(f"Folds keep {context.unit!r} whole or times apart: leave unit or time out.")
        stretches_of(context.table[time], outcome.known)

    def make() -> Ranking:
        with slow_progress("Ranking") as report:
            return rank_candidates(
                context.table, outcome, candidates, unit=context.unit, time=time, seed=context.seed, progress=report
            )

    title = f"What each candidate alone says about {context.names(outcome.name)}"
    return RankView(Later(make), context.unit or time, context.of_outcome, title, context.names)
