"""One candidate against the outcome, or all of them."""

from __future__ import annotations

from dataclasses import replace

from ..core import thresholds as T
from ..core.against.answers import Against, AgainstAnswers
from ..core.against.asked import Leading
from ..core.against.by_class import LevelsByClass
from ..core.against.by_number import NumberByLevels
from ..core.against.glance import GlanceAnswers
from ..core.against.leading import showing
from ..core.columns.grouping import crossed_column
from ..core.columns.table import CategoryColumn
from ..core.distribution.look import Look
from ..core.relations.correlating import USUAL, Correlating
from ..core.words import plural
from ..errors import OptionError, OutcomeError
from ..views.against import AgainstView
from ..views.captions import Captions
from ..views.glance import GlanceView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_itself
from .context import Context, once
from .doubt import doubted

MOST_VALUES = 10
"""Of the most frequent values, where nobody says how many."""


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
def set_against(
    context: Context, name: str, by: tuple[str, ...], of: Leading, look: Look, correlating: Correlating = USUAL
) -> AgainstView:
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
        context.seed, correlating,
    )  # fmt: skip
    if not by:
        searches = context.turns([name, *context.candidates]), context.within_cases([name])
        return _view(AgainstAnswers(asked.result(), asked, None, *searches), about, of, names)
    about = (*about, f"divided by {' and '.join(names(n) for n in by)}")
    divided = context.grouping(by)
    if isinstance(candidate, CategoryColumn):
        crossed = crossed_column(divided, candidate)
        if crossed.empty:
            raise OptionError(f"No row has both {candidate.name} and {' and '.join(by)}: there is nothing to compare.")
        result = replace(asked, candidate=crossed).result()
    else:
        result = asked.result(divided)
    return _view(AgainstAnswers(result, asked, divided, None, None), about, of, names)


def _view(answers: AgainstAnswers, about: tuple[str, ...], of: Leading, names: Captions) -> AgainstView:
    """Show the answers, of a category the levels that were asked for."""
    if of.asked and isinstance(answers.result, LevelsByClass | NumberByLevels) and not answers.asked.look.is_plain:
        raise OptionError("top and least choose levels for the step's own picture: leave the picture's options out.")
    shown = showing(answers.result, of)
    if isinstance(shown, LevelsByClass | NumberByLevels) and shown.shown is not None:
        levels = len(shown.levels if isinstance(shown, LevelsByClass) else shown.summary.labels)
        what = "rate" if isinstance(shown, LevelsByClass) else "mean"
        chosen = (
            f"{plural(len(shown.shown), 'level')} of {levels}, of at least {of.rows} rows, the highest {what} first"
        )
        about = (*about, f"{chosen}; tests and effects are of all")
    return AgainstView(replace(answers, result=shown), about, of.top or MOST_VALUES, names)
