"""One candidate against the outcome, or all of them."""

from __future__ import annotations

from dataclasses import replace

from ..core import thresholds as T
from ..core.against.answers import Against, AgainstAnswers
from ..core.against.glance import GlanceAnswers
from ..core.columns.grouping import crossed_column
from ..core.columns.table import CategoryColumn
from ..core.distribution.look import Look
from ..core.words import plural
from ..errors import OptionError, OutcomeError
from ..views.against import AgainstView
from ..views.glance import GlanceView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_itself
from .context import Context, once
from .doubt import doubted


@doubted
@once
def show_glance(context: Context) -> GlanceView:
    """Set every candidate against the outcome, a number each."""
    outcome, candidates = context.known_outcome, context.candidates
    if not candidates:
        raise OutcomeError(f"There is no column besides {outcome.name!r} to set against it.")

    columns = [context.table[n] for n in candidates]
    searches = context.turns(candidates), context.within_cases(candidates)
    answers = GlanceAnswers(columns, outcome, context.sampling, *searches, slow_progress)
    return GlanceView(answers, context.about, f"All candidates against {context.names(outcome.name)}", context.names)


@doubted
@once
def set_against(context: Context, name: str, by: tuple[str, ...], top: int, look: Look) -> AgainstView:
    """Set one candidate against the outcome, over all rows and in the parts that other columns make.

    Over all rows, the other candidates are searched for one within which the relation turns round.
    """
    outcome = context.known_outcome
    for given in (name, *by):
        if given == outcome.name:
            raise OutcomeError(f"{given!r} is the outcome itself. Name a candidate to set against it.")
    refuse_itself(by, (name,))
    candidate = context.table[name]
    refuse_empty(candidate, f"there is nothing to set against {outcome.name!r}")
    about, names = context.about, context.names
    if isinstance(candidate, CategoryColumn):
        whole, candidate = candidate, candidate.with_largest(T.LEVELS_READ)
        if candidate is not whole:
            joined = f"the {T.LEVELS_READ} largest of {plural(len(whole.levels), 'level')}; the others are joined"
            about = (*about, joined)
    asked = Against(
        candidate, outcome, context.sampling, context.table.rows, look, context.cases, context.ranges.get(name),
        context.seed,
    )  # fmt: skip
    if not by:
        searches = context.turns([name, *context.candidates]), context.within_cases([name])
        return AgainstView(AgainstAnswers(asked.result(), asked, None, *searches), about, top, names)
    about = (*about, f"divided by {' and '.join(names(n) for n in by)}")
    divided = context.grouping(by)
    if isinstance(candidate, CategoryColumn):
        crossed = crossed_column(divided, candidate)
        if crossed.empty:
            raise OptionError(f"No row has both {candidate.name} and {' and '.join(by)}: there is nothing to compare.")
        result = replace(asked, candidate=crossed).result()
    else:
        result = asked.result(divided)
    return AgainstView(AgainstAnswers(result, asked, divided, None, None), about, top, names)
