"""All candidates, by what each alone says."""

from __future__ import annotations

from ..core.later import Later
from ..core.rank.rank import Ranking, rank_candidates
from ..errors import OutcomeError
from ..views.rank import RankView
from ..write.progress import slow_progress
from .context import Context, once


@once
def show_rank(context: Context) -> RankView:
    """Score every candidate alone, on rows it was not fitted on."""
    outcome, candidates = context.known_outcome, context.candidates
    if not candidates:
        raise OutcomeError(f"There is no column besides {outcome.name!r} to rank.")

    def make() -> Ranking:
        with slow_progress("Ranking") as report:
            return rank_candidates(
                context.table, outcome, candidates, unit=context.unit, seed=context.seed, progress=report
            )

    title = f"What each candidate alone says about {context.names(outcome.name)}"
    return RankView(Later(make), context.unit, context.of_outcome, title, context.names)
