"""One candidate against the outcome, or all of them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ..core.against import by_class as against_class
from ..core.against import by_number as against_number
from ..core.against.glance import glance
from ..core.columns.grouping import Grouping, crossed_column
from ..core.columns.outcome import ClassOutcome, Outcome
from ..core.columns.table import CategoryColumn, Column, TimeColumn
from ..core.distribution.look import Look
from ..core.estimate import UNDEFINED, UNDEFINED_TEST
from ..core.finding import by_weight
from ..errors import OptionError, OutcomeError
from ..view import View
from ..views import against as seen_against
from ..write.progress import slow_progress
from .context import Context, refuse_empty, refuse_itself, refuse_picture

MOST_PARTS = 30
"""Parts of the rows within which a candidate is set against the outcome."""


def show_glance(context: Context, candidates: list[str]) -> View:
    """Set every candidate against the outcome, a number each."""
    outcome = context.known_outcome
    if not candidates:
        raise OutcomeError(f"There is no column besides {outcome.name!r} to set against it.")
    with slow_progress("Against") as report:
        result = glance([context.table[n] for n in candidates], outcome, context.unit_codes(), report)
    result = replace(result, findings=by_weight([*context.turns(candidates), *result.findings]))
    return seen_against.glance_view(result, context.about(outcome), context.names)


def set_against(context: Context, name: str, candidates: list[str], by: tuple[str, ...], top: int, look: Look) -> View:
    """Set one candidate against the outcome, over all rows and in the parts that other columns make.

    Over all rows, the other candidates are searched for one within which the relation turns round.
    """
    refuse_itself(by, (name,))
    candidate, outcome = context.table[name], context.known_outcome
    refuse_empty(candidate, f"there is nothing to set against {outcome.name!r}")
    about, names, units, rows = context.about(outcome), context.names, context.unit_codes(), context.table.rows
    divided = context.grouping(by) if by else None
    if divided is not None:
        about = (*about, f"divided by {' and '.join(names(n) for n in by)}")
    known = rows[outcome.known]
    if isinstance(candidate, CategoryColumn) and divided is not None:
        crossed = crossed_column(divided, candidate)
        if crossed.missing.all():
            raise OptionError(f"No row has both {candidate.name} and {' and '.join(by)}: there is nothing to compare.")
        result = _result(context, crossed, outcome, look, None, units, rows)
    else:
        result = _result(context, candidate, outcome, look, divided, units, rows)
    if divided is None:
        turns = context.turns([name, *candidates], name)
        result = replace(result, findings=by_weight([*turns, *result.findings]))
    parts = _parts(context, candidate, outcome, divided, units) if divided is not None else []
    if isinstance(result, against_class.NumberByClass):
        dates = isinstance(candidate, TimeColumn)
        return seen_against.number_by_class_view(result, about, known, top, dates, names, parts)
    if isinstance(result, against_class.LevelsByClass):
        assert isinstance(candidate, CategoryColumn)
        return seen_against.levels_by_class_view(result, about, candidate, names, parts)
    if isinstance(result, against_number.NumberByLevels):
        return seen_against.number_by_levels_view(result, about, known, top, names, parts)
    if isinstance(result, against_number.NumberByNumber):
        return seen_against.number_by_number_view(result, about, names, parts)
    return seen_against.number_over_time_view(result, about, names, parts)


def _result(
    context: Context, candidate: Column, outcome: Outcome, look: Look, by: Grouping | None, units: Any, rows: Any
) -> seen_against.Result:
    if look.residuals and (isinstance(outcome, ClassOutcome) or isinstance(candidate, CategoryColumn | TimeColumn)):
        raise OptionError(f"Residuals are those of a line through two numbers: not of {candidate.name!r} here.")
    if isinstance(outcome, ClassOutcome):
        if isinstance(candidate, CategoryColumn):
            refuse_picture(look, candidate.name, "levels against classes are shown as rates")
            return against_class.levels_by_class(candidate, outcome, units)
        limits = context.ranges.get(candidate.name)
        return against_class.number_by_class(candidate, outcome, look, rows, by, units, limits, context.seed)
    if isinstance(candidate, CategoryColumn):
        return against_number.number_by_levels(candidate, outcome, look, rows, units)
    if isinstance(candidate, TimeColumn):
        return against_number.number_over_time(candidate, outcome, units, look.calendar)
    refuse_picture(look, candidate.name, "two numbers are shown as a scatter, or its density")
    return against_number.number_by_number(candidate, outcome, look, rows, by, units)


def _parts(
    context: Context, candidate: Column, outcome: Outcome, divided: Grouping, units: Any
) -> list[seen_against.Part]:
    """Set the candidate against the outcome in each of the largest parts of the rows."""
    n = np.bincount(divided.codes[divided.codes >= 0], minlength=len(divided))
    largest = np.sort(np.argsort(-n, kind="stable")[:MOST_PARTS])
    parts = []
    for k in largest:
        keep = divided.codes == k
        at = np.flatnonzero(keep)
        some, part = None if units is None else units[keep], candidate.take(at)
        if (part.missing | ~outcome.known[keep]).all():
            parts.append(seen_against.Part(divided.labels[k], len(at), "none", UNDEFINED, UNDEFINED_TEST.p))
            continue
        result = _result(context, part, outcome.take(keep), Look(), None, some, context.table.rows[at])
        parts.append(seen_against.Part(divided.labels[k], len(at), *seen_against.principal(result)))
    return parts
