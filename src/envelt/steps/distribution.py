"""One column, several of one unit, or all of them."""

from __future__ import annotations

from ..core.columns.grouping import stacked
from ..core.columns.table import CategoryColumn, Column, TimeColumn
from ..core.distribution.apart import tellers_of
from ..core.distribution.distribution import NumberDistribution, checked
from ..core.distribution.levels import level_distribution
from ..core.distribution.look import Look
from ..core.distribution.sheet import SheetAnswers, in_sheet
from ..core.stats.groups import GroupedRows
from ..core.transforms.suggest import advised
from ..core.words import plural
from ..errors import OptionError
from ..views.distribution import DistributionView, SheetView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_itself
from .context import Context, once


@once
def show_sheet(context: Context, sort: str) -> SheetView:
    """Describe every column, and draw each small."""
    answers = SheetAnswers(context.table, context.sampling, sort, slow_progress, advised)
    columns = sum(in_sheet(c) for c in context.table)
    return SheetView(answers, columns, (f"{plural(len(context.table), 'row')}", *context.kept), context.names)


@once
def show_distribution(
    context: Context, names: tuple[str, ...], by: tuple[str, ...], top: int, look: Look
) -> DistributionView:
    """Describe one column, or several of one unit, in groups."""
    columns = [context.table[n] for n in names]
    refuse_itself(by, names)
    if look.residuals or look.ranks:
        raise OptionError(
            "Residuals, and rank against rank, are of two numbers: use pairwise, or against with a numeric outcome."
        )
    grouping = context.grouping(by)
    about = (f"{plural(len(context.table), 'row')}", *context.kept)
    titles = [context.names(n) for n in names]
    title = f"How {' and '.join(titles)} {'is' if len(names) == 1 else 'are'} distributed"
    title += f" by {' and '.join(context.names(n) for n in by)}" if by else ""
    first = columns[0]
    if isinstance(first, CategoryColumn):
        refuse_empty(first, "there is nothing to show")
        if len(columns) > 1:
            raise OptionError(f"{first.name!r} has levels: show it alone, or with by. Several columns must be numbers.")
        return DistributionView(level_distribution(first, grouping, look), about, top, title, context.names)
    _check_together(columns)
    sampling = context.sampling
    values = first.numbers
    assert values is not None
    name = first.name
    if len(columns) > 1:
        values, grouping = stacked(columns, grouping, titles)
        name = first.unit or "value"
        sampling = sampling.tiled(len(columns))
    groups = GroupedRows(values, grouping.codes, grouping.labels, sampling)
    result = checked(
        NumberDistribution(
            names, name, groups, grouping.groups, look, context.table.rows, context.cases,
            isinstance(first, TimeColumn), context.ranges.get(first.name), advise=advised,
            beside=tellers_of(context.table, names),
        )
    )  # fmt: skip
    if sampling.clustered:
        about = (*about, f"intervals count {context.names(str(context.unit))}, not rows")
    return DistributionView(result, about, top, title, context.names)


def _check_together(columns: list[Column]) -> None:
    """Refuse columns that cannot stand on one axis."""
    first = columns[0]
    for other in columns[1:]:
        if isinstance(other, CategoryColumn) or isinstance(other, TimeColumn) != isinstance(first, TimeColumn):
            raise OptionError(
                f"{first.name!r} is {first.kind} and {other.name!r} {other.kind}: one axis cannot hold both."
            )
        if first.unit != other.unit:
            raise OptionError(
                f"{first.name!r} is in {first.unit or 'no declared unit'} and {other.name!r} in "
                f"{other.unit or 'no declared unit'}: one axis would mislead. Show them one by one."
            )
