"""One candidate against the outcome, or all of them."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..core import thresholds as T
from ..core.against import by_class, by_number
from ..core.against.glance import glance
from ..core.against.parts import Part, Result, principal
from ..core.asked import whole_number
from ..core.columns.grouping import Grouping, crossed_column
from ..core.columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..core.columns.table import CategoryColumn, Column, TimeColumn
from ..core.contingency.within import WithinGroups, levels_within, number_within, slope_within, within_findings
from ..core.distribution.look import Look
from ..core.estimate import UNDEFINED, UNDEFINED_TEST
from ..core.finding import by_weight
from ..core.later import Later
from ..core.stats.sampling import Sampling
from ..core.words import plural
from ..errors import OptionError, OutcomeError
from ..views.against import AgainstView
from ..views.glance import GlanceView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_itself, refuse_picture
from .context import Context, once

MOST_PARTS = 30
"""Parts of the rows within which a candidate is set against the outcome."""


@once
def show_glance(context: Context) -> GlanceView:
    """Set every candidate against the outcome, a number each."""
    outcome, candidates = context.known_outcome, context.candidates
    if not candidates:
        raise OutcomeError(f"There is no column besides {outcome.name!r} to set against it.")

    def look() -> Any:
        with slow_progress("Against") as report:
            return glance([context.table[n] for n in candidates], outcome, context.sampling, report)

    title = f"All candidates against {context.names(outcome.name)}"
    return GlanceView(Later(look), context.turns(candidates), context.about, title, context.names)


@once
def set_against(context: Context, name: str, by: tuple[str, ...], top: int, look: Look) -> AgainstView:
    """Set one candidate against the outcome, over all rows and in the parts that other columns make.

    Over all rows, the other candidates are searched for one within which the relation turns round.
    """
    outcome = context.known_outcome
    for given in (name, *by):
        if given == outcome.name:
            raise OutcomeError(f"{given!r} is the outcome itself. Name a candidate to set against it.")
    whole_number(top, 1, "number of most frequent values")
    refuse_itself(by, (name,))
    candidate = context.table[name]
    refuse_empty(candidate, f"there is nothing to set against {outcome.name!r}")
    about, names, sampling, rows = context.about, context.names, context.sampling, context.table.rows
    if isinstance(candidate, CategoryColumn):
        whole, candidate = candidate, candidate.with_largest(T.LEVELS_READ)
        if candidate is not whole:
            about = (
                *about,
                f"the {T.LEVELS_READ} largest of {plural(len(whole.levels), 'level')}; the others are joined",
            )
    divided = context.grouping(by) if by else None
    if divided is None:
        result = _result(context, candidate, outcome, look, None, sampling, rows)
        turns = context.turns([name, *context.candidates], name)
        found = Later(lambda: by_weight([*turns(), *result.findings]))
        return AgainstView(result, about, top, names, found, None, None)
    about = (*about, f"divided by {' and '.join(names(n) for n in by)}")
    if isinstance(candidate, CategoryColumn):
        crossed = crossed_column(divided, candidate)
        if crossed.empty:
            raise OptionError(f"No row has both {candidate.name} and {' and '.join(by)}: there is nothing to compare.")
        result = _result(context, crossed, outcome, look, None, sampling, rows)
    else:
        result = _result(context, candidate, outcome, look, divided, sampling, rows)
    parts = Later(lambda: _parts(context, candidate, outcome, divided, sampling))
    within = Later(lambda: _within(candidate, outcome, divided, sampling))
    found = Later(lambda: by_weight([*within_findings(within()), *result.findings]))
    return AgainstView(result, about, top, names, found, parts, within)


def _within(candidate: Column, outcome: Outcome, divided: Grouping, sampling: Sampling) -> WithinGroups:
    """Set what the candidate does over all rows beside what is left of it within the groups."""
    if isinstance(candidate, CategoryColumn):
        return levels_within(candidate.name, candidate.codes, candidate.levels, outcome, divided, sampling)
    numbers = candidate.numbers
    assert numbers is not None
    if isinstance(outcome, ClassOutcome):
        return number_within(candidate.name, numbers, outcome, divided, sampling)
    assert isinstance(outcome, NumericOutcome)
    return slope_within(candidate.name, numbers, outcome, divided, sampling)


def _result(
    context: Context,
    candidate: Column,
    outcome: Outcome,
    look: Look,
    by: Grouping | None,
    sampling: Sampling,
    rows: Any,
) -> Result:
    if look.residuals and (isinstance(outcome, ClassOutcome) or isinstance(candidate, CategoryColumn | TimeColumn)):
        raise OptionError(f"Residuals are those of a line through two numbers: not of {candidate.name!r} here.")
    cases = context.cases if len(rows) == len(context.table) else None
    if isinstance(outcome, ClassOutcome):
        if isinstance(candidate, CategoryColumn):
            refuse_picture(look, candidate.name, "levels against classes are shown as rates")
            return by_class.levels_by_class(candidate, outcome, sampling)
        limits = context.ranges.get(candidate.name)
        return by_class.number_by_class(candidate, outcome, look, rows, sampling, by, limits, context.seed, cases)
    if isinstance(candidate, CategoryColumn):
        return by_number.number_by_levels(candidate, outcome, look, rows, sampling, cases)
    if isinstance(candidate, TimeColumn):
        return by_number.number_over_time(candidate, outcome, sampling, look.calendar)
    refuse_picture(look, candidate.name, "two numbers are shown as a scatter, or its density")
    return by_number.number_by_number(candidate, outcome, look, sampling, by)


def _parts(context: Context, candidate: Column, outcome: Outcome, divided: Grouping, sampling: Sampling) -> list[Part]:
    """Set the candidate against the outcome in each of the largest parts of the rows."""
    n = np.bincount(divided.codes[divided.codes >= 0], minlength=len(divided))
    largest = np.sort(np.argsort(-n, kind="stable")[:MOST_PARTS])
    parts = []
    for k in largest:
        keep = divided.codes == k
        at = np.flatnonzero(keep)
        some, part = sampling.take(keep), candidate.take(at)
        if (part.missing | ~outcome.known[keep]).all():
            parts.append(Part(divided.labels[k], len(at), "none", UNDEFINED, UNDEFINED_TEST.p))
            continue
        result = _result(context, part, outcome.take(keep), Look(), None, some, context.table.rows[at])
        parts.append(Part(divided.labels[k], len(at), *principal(result)))
    return parts
