"""Groups of rows described by every column."""

from __future__ import annotations

from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn, Column, NumericColumn
from ..core.relations.profile import ProfileAnswers
from ..core.words import plural
from ..errors import OptionError
from ..views.profile import ProfileView
from ..write.progress import slow_progress
from .context import Context, once
from .doubt import doubted

MOST_LEVELS = 200
"""A category of more is no list that groups are compared by."""


@doubted
@once
def show_profile(context: Context, by: tuple[str, ...]) -> ProfileView:
    """Describe the groups of up to two columns by every other column."""
    columns = [c for c in context.table if c.name not in by and _described(c)]
    if not columns:
        raise OptionError(f"There is no number or category besides {' and '.join(by)} to describe its groups by.")
    grouping = context.grouping(by)
    about = [f"{plural(len(context.table), 'row')}", *context.kept]
    if grouping.outside:
        about.append(f"left out: {plural(grouping.outside, 'row')} without a group")
    out = [c.name for c in context.table if c.name not in by and not _described(c)]
    if out:
        about.append(
            f"not described, as dates, names, texts or constants: {', '.join(out[:5])}"
            + (", …" if len(out) > 5 else "")
        )
    if grouping.groups.note:
        about.append(grouping.groups.note)
    if context.sampling.clustered:
        about.append(f"intervals count {context.names(str(context.unit))}, not rows")
    outcome = context.outcome if isinstance(context.outcome, ClassOutcome) else None
    answers = ProfileAnswers(tuple(columns), grouping, context.sampling, outcome, slow_progress)
    title = f"How the groups of {' and '.join(context.names(n) for n in by)} differ"
    return ProfileView(answers, tuple(about), title, context.names)


def _described(column: Column) -> bool:
    if column.empty or column.kind in ("identifier", "text", "constant"):
        return False
    if isinstance(column, CategoryColumn):
        return column.distinct <= MOST_LEVELS
    return isinstance(column, NumericColumn)
